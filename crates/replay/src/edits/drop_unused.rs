//! Leaving out code that the page does not use.

use super::reduce_style::{beside, used_part};
use super::used::Used;
use super::{CannotTry, Known, Tried, cannot, places};
use crate::book::Book;
use phainon_core::{Bytes, ResourceKey, ResourceKind};
use std::ops::Range;
use tree_sitter::Parser;

/// Leaves the rules out of a sheet, or the bodies of the functions out of a script, that the load did not use.
pub fn drop_unused(book: &mut Book, known: &Known<'_>, file: &ResourceKey) -> Tried {
    let places = places(book, file)?;
    let kind = book.answers[places[0]].kind;
    if !matches!(kind, ResourceKind::Style | ResourceKind::Script) {
        return cannot(format!("{} is neither a style sheet nor a script.", file.name()));
    }
    let Some(coverage) = known.coverage.iter().find(|c| ResourceKey::of(&c.url) == *file) else {
        return cannot(format!("What the page uses of {} was not looked at in this recording.", file.name()));
    };
    let beside = beside(book, file);
    let mut told = Vec::new();
    for place in places {
        let answer = &mut book.answers[place];
        let misfit =
            || CannotTry(format!("What the page uses of {} does not fit the body that was kept.", file.name()));
        let text = answer.text().filter(|_| answer.exact).ok_or_else(misfit)?;
        let (new, what) = match kind {
            ResourceKind::Style => (used_part(&text, coverage, &beside).ok_or_else(misfit)?, String::new()),
            _ => {
                let unused = unused_bodies(&text, &Used::of(&text, coverage).ok_or_else(misfit)?, file)?;
                (without(&text, &unused), format!(", {} functions are empty now", unused.len()))
            }
        };
        told = vec![format!(
            "{} of {} are left{what}. What other pages and other states of this page use of it is gone too.",
            Bytes(new.len() as u64).text(),
            Bytes(text.len() as u64).text()
        )];
        answer.set_text(&new);
    }
    Ok(told)
}

/// What a function is, in the grammar's words; each has a body.
const FUNCTIONS: [&str; 6] = [
    "function_declaration",
    "function_expression",
    "generator_function",
    "generator_function_declaration",
    "arrow_function",
    "method_definition",
];

/// What stands in the bodies of functions that never ran: the outermost ones, without their braces.
fn unused_bodies(text: &str, used: &Used, file: &ResourceKey) -> Result<Vec<Range<usize>>, CannotTry> {
    let unreadable = || CannotTry(format!("{} could not be read as a script.", file.name()));
    let mut parser = Parser::new();
    parser.set_language(&tree_sitter_javascript::LANGUAGE.into()).map_err(|_| unreadable())?;
    let tree = parser.parse(text, None).filter(|tree| !tree.root_node().has_error()).ok_or_else(unreadable)?;
    let mut found = Vec::new();
    let mut cursor = tree.walk();
    loop {
        let node = cursor.node();
        let body = FUNCTIONS.contains(&node.kind()).then(|| node.child_by_field_name("body")).flatten();
        let body = body.filter(|body| body.kind() == "statement_block").map(|body| body.byte_range());
        let unused = body.filter(|body| body.len() > 2 && !used.touches(body));
        let inside = unused.is_none();
        found.extend(unused.map(|body| body.start + 1..body.end - 1));
        if inside && cursor.goto_first_child() {
            continue;
        }
        while !cursor.goto_next_sibling() {
            if !cursor.goto_parent() {
                return if found.is_empty() {
                    cannot(format!("Every function of {} ran.", file.name()))
                } else {
                    Ok(found)
                };
            }
        }
    }
}

fn without(text: &str, parts: &[Range<usize>]) -> String {
    let mut new = String::with_capacity(text.len());
    let mut from = 0;
    for part in parts {
        new.push_str(&text[from..part.start]);
        from = part.end;
    }
    new.push_str(&text[from..]);
    new
}

#[cfg(test)]
mod tests {
    use super::*;
    use phainon_core::metrics::Coverage;

    fn emptied(text: &str, coverage: &Coverage) -> Result<String, CannotTry> {
        let used = Used::of(text, coverage).expect("ranges of this text");
        Ok(without(text, &unused_bodies(text, &used, &ResourceKey::of("http://a.test/a.js"))?))
    }

    /// What ran: all but what stands between `«` and `»`, which are taken out.
    fn ran(marked: &str) -> (String, Coverage) {
        let (mut text, mut used, mut from, mut units) = (String::new(), Vec::new(), 0u32, 0u32);
        for letter in marked.chars() {
            match letter {
                '«' => used.push((from, units)),
                '»' => from = units,
                other => {
                    text.push(other);
                    units += u32::try_from(other.len_utf16()).expect("one or two");
                }
            }
        }
        used.push((from, units));
        (text, Coverage { url: "http://a.test/a.js".into(), used, length: units })
    }

    #[test]
    fn functions_that_never_ran_are_empty_and_all_else_stays() {
        let (text, coverage) = ran(
            "/* größer 🚢 */ function a() { return b() } «function b(x = {y: \"}\"}) { return `}${x}` }» const k = { «m() { if (1) { return /}/ } }», n: 1 }; const f = «(q) => { q() }»; class C { run() { go() } «stop() { halt() }» } a();",
        );
        let new = emptied(&text, &coverage).expect("it can be read");
        assert_eq!(
            new,
            "/* größer 🚢 */ function a() { return b() } function b(x = {y: \"}\"}) {} const k = { m() {}, n: 1 }; const f = (q) => {}; class C { run() { go() } stop() {} } a();"
        );
    }

    #[test]
    fn a_function_within_one_that_ran_goes_alone() {
        let (text, coverage) = ran("(function () { var u = «function () { v(function () { w() }) }»; go() })()");
        assert_eq!(
            emptied(&text, &coverage).expect("it can be read"),
            "(function () { var u = function () {}; go() })()"
        );
    }

    #[test]
    fn what_is_no_script_or_ran_whole_is_said() {
        let (text, coverage) = ran("function ( {");
        assert!(emptied(&text, &coverage).is_err());
        let (text, coverage) = ran("function a() { b() } a()");
        assert!(emptied(&text, &coverage).expect_err("nothing to drop").0.contains("ran"));
    }
}
