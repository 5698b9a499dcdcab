//! Names that scripts give to all: what they define, and who uses it.

use std::collections::BTreeSet;

/// Names that a script gives to all: assigned to the global object, or declared at the beginning of a line.
#[must_use]
pub fn defined(text: &str) -> BTreeSet<String> {
    let mut names = BTreeSet::new();
    for object in ["window.", "self.", "globalThis.", "global."] {
        for (at, _) in text.match_indices(object) {
            let rest = &text[at + object.len()..];
            let name = identifier(rest);
            let after = rest[name.len()..].trim_start();
            if !name.is_empty() && after.starts_with('=') && !after.starts_with("==") {
                names.insert(name.to_owned());
            }
        }
    }
    for (at, _) in text.match_indices('=') {
        names.extend(handed_out(text, at));
    }
    for line in text.lines() {
        for word in ["var ", "let ", "const ", "function ", "class "] {
            if let Some(rest) = line.strip_prefix(word) {
                let name = identifier(rest);
                if !name.is_empty() {
                    names.insert(name.to_owned());
                }
            }
        }
    }
    // Of one letter there are too many.
    names.retain(|n| n == "$" || n.chars().count() > 1);
    names
}

/// Whether a script has one of these names as a word of its own. Goes once through the text, however many names there
/// are: libraries have hundreds.
#[must_use]
pub fn uses_any(text: &str, names: &BTreeSet<String>) -> bool {
    words(text).any(|(_, word)| names.contains(word))
}

/// Where a script first has a name as a word of its own, in bytes.
#[must_use]
pub fn first_use(text: &str, name: &str) -> Option<usize> {
    words(text).find(|(_, word)| *word == name).map(|(at, _)| at)
}

/// The words of a text with their places in bytes; `$` where something is called by it.
fn words(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut from = 0;
    let all = std::iter::from_fn(move || {
        let at = from + text[from..].find(is_letter)?;
        from = text[at..].find(|c| !is_letter(c)).map_or(text.len(), |length| at + length);
        Some((at, &text[at..from]))
    });
    all.filter(|(at, word)| *word != "$" || text[at + 1..].starts_with(['(', '.']))
}

/// Names that a library hands to whatever its global object is called, at an assignment: `e.Name = factory(…)`,
/// as libraries wrapped for several module systems do, or two names of one thing, `e.name = e.$ = thing`.
fn handed_out(text: &str, at: usize) -> Vec<String> {
    let before = text[..at].trim_end();
    let after = text[at + 1..].trim_start();
    let Some((object, name)) = member_before(before) else { return Vec::new() };
    let again = after.strip_prefix(object).and_then(|rest| rest.strip_prefix('.'));
    if let Some(second) = again.map(identifier).filter(|n| !n.is_empty()) {
        let rest = after[object.len() + 1 + second.len()..].trim_start();
        if rest.starts_with('=') && !rest.starts_with("==") {
            return vec![name.to_owned(), second.to_owned()];
        }
    }
    let factory = after.split(|c: char| !is_letter(c) && c != '(').next().is_some_and(|call| call.contains('('));
    let named = name.len() > 1 && name.chars().next().is_some_and(char::is_uppercase);
    if factory && named { vec![name.to_owned()] } else { Vec::new() }
}

/// The object and the member that a text ends with, as in `e.name`.
fn member_before(text: &str) -> Option<(&str, &str)> {
    let start = |text: &str| {
        text.rfind(|c: char| !is_letter(c)).map_or(0, |i| i + text[i..].chars().next().map_or(1, char::len_utf8))
    };
    let name = &text[start(text)..];
    let object = text[..text.len() - name.len()].strip_suffix('.')?;
    // `(t = t || self).Name`: what stands in the parenthesis is the global object.
    let object = if object.ends_with(')') { ")" } else { &object[start(object)..] };
    (!name.is_empty() && !object.is_empty()).then_some((object, name))
}

fn is_letter(c: char) -> bool {
    c.is_alphanumeric() || c == '_' || c == '$'
}

fn identifier(text: &str) -> &str {
    let end = text.find(|c| !is_letter(c)).unwrap_or(text.len());
    if text.starts_with(|c: char| c.is_ascii_digit()) { "" } else { &text[..end] }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_found_however_a_library_hands_them_out() {
        for (text, names) in [
            ("e.Chart=t()", vec!["Chart"]),
            ("(t=t||self).Pier = n(t.Popper)", vec!["Pier"]),
            ("x&&(ie.harbour=ie.$=ce)", vec!["harbour", "$"]),
            ("a.b==a.c", vec![]),
            ("a.count = 3", vec![]),
        ] {
            let found: BTreeSet<String> = text.match_indices('=').flat_map(|(at, _)| handed_out(text, at)).collect();
            assert_eq!(found, names.into_iter().map(str::to_owned).collect(), "{text}");
        }
    }

    #[test]
    fn a_name_is_used_as_a_word_of_its_own() {
        let names = BTreeSet::from(["Pier".to_owned(), "$".to_owned()]);
        for used in ["Pier.start()", "new Pier", "$('a')", "$.ajax"] {
            assert!(uses_any(used, &names), "{used}");
        }
        for unused in ["Piers.start()", "myPier()", "a$b", "'costs $'", "`${x}`"] {
            assert!(!uses_any(unused, &names), "{unused}");
        }
    }
}
