//! Leaving out code that the page does not use.

use super::reduce_style::{beside, used_part};
use super::{Known, Tried, cannot, places};
use crate::book::Book;
use phainon_core::{Bytes, ResourceKey, ResourceKind};

/// Leaves the rules out of a sheet that the load did not use.
pub fn drop_unused(book: &mut Book, known: &Known<'_>, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    let kind = book.answers[places[0]].kind;
    if kind != ResourceKind::Style {
        return cannot(format!(
            "Which part of {} could go is a matter of how it is built; put a smaller one in its place by hand.",
            file.name()
        ));
    }
    let Some(coverage) = known.coverage.iter().find(|c| ResourceKey::of(&c.url) == *file) else {
        return cannot(format!("What the page uses of {} was not looked at in this recording.", file.name()));
    };
    let beside = beside(book, file);
    let mut told = Vec::new();
    for place in places {
        let answer = &mut book.answers[place];
        let Some(new) = answer.text().filter(|_| answer.exact).and_then(|text| used_part(&text, coverage, &beside))
        else {
            return cannot(format!("What the page uses of {} does not fit the body that was kept.", file.name()));
        };
        told = vec![format!(
            "{} of {} are left. What other pages and other states of this page use of it is gone too.",
            Bytes(new.len() as u64).text(),
            Bytes(answer.body.len() as u64).text()
        )];
        answer.set_text(&new);
    }
    Ok(told)
}
