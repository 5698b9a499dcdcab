//! What a plan says: what a fix may break, and why one is left out.

use crate::plan::WhyLeft;
use crate::plan::breaks::Break;

/// What may break, and how to find out.
#[must_use]
pub fn break_sentence(found: &Break) -> String {
    match found {
        Break::InlineCode { file, names, line } => format!(
            "Code in the document (from line {line}) uses {}, which {file} defines: it must wait for it too. Look for errors in the console.",
            listed(names)
        ),
        Break::OtherScripts { file, by } => {
            format!(
                "{} what {file} defines: keep their order.",
                if by.len() == 1 { format!("{} uses", by[0]) } else { format!("{} use", listed(by)) }
            )
        }
        Break::Handlers { file, events } => format!(
            "{file} answered {} while the page was recorded: do the same by hand as soon as the page shows.",
            listed(events)
        ),
        Break::OtherPages { file, pages } => {
            format!("{file} is on {} too, which may use other parts of it: look at each.", listed(pages))
        }
        Break::LargestLate { file } => {
            format!("{file} is the largest element of the first screen: loaded late, it comes later still.")
        }
    }
}

/// Why a search left a fix out.
#[must_use]
pub fn left_sentence(left: &WhyLeft) -> String {
    match left {
        WhyLeft::NotKnown { reason } => reason.clone(),
        WhyLeft::MovesNothing => "It moves nothing that counts, neither alone nor with all others.".into(),
        WhyLeft::Harms => "It makes pages worse.".into(),
        WhyLeft::TooMuch => "It alone is more effort than there is.".into(),
        WhyLeft::NotNeeded => "It is as good without it.".into(),
        WhyLeft::NotLookedAt => "It brings less alone than those that were looked at.".into(),
    }
}

pub(super) fn listed(words: &[String]) -> String {
    match words {
        [] => String::new(),
        [one] => one.clone(),
        [most @ .., last] => format!("{} and {last}", most.join(", ")),
    }
}
