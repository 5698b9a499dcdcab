//! From facts to sentences, at the very end. Nothing here computes, and nothing anywhere matches on
//! what is said here.

mod comparison;
mod edit;
mod finding;
mod leg;
mod note;
mod plan;
mod relief;
mod return_visit;

pub use comparison::unlikeness_sentence;
pub use edit::{SaidEdit, edit_title};
pub use finding::{SaidEvidence, SaidFinding, finding_title, finding_why, say_finding};
pub use leg::{SaidLeg, leg_sentence, leg_title, say_leg};
pub use note::{SaidMissing, lack_sentence, largest_place, note_sentence, say_missing};
pub use plan::{break_sentence, left_sentence};
pub use relief::{SaidRelief, relief_sentence, say_relief};
pub use return_visit::return_reason;

use crate::Owner;

/// A count with its noun.
fn counted<N: std::fmt::Display + PartialEq + From<u8>>(count: N, one: &str, more: &str) -> String {
    format!("{count} {}", if count == N::from(1) { one } else { more })
}

/// An owner as a sentence names it.
fn of_owner(owner: &Owner) -> &str {
    match owner.kind {
        crate::OwnerKind::Site => "the site",
        crate::OwnerKind::Browser => "the page",
        _ => &owner.name,
    }
}
