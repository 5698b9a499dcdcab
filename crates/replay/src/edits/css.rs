//! Reading and rewriting style sheets, by a tokenizer that follows the CSS syntax specification.

use cssparser::{ParseError, Parser, ParserInput, Token};
use phainon_core::ResourceKey;
use std::ops::Range;
use url::Url;

/// One rule of a sheet, or of a rule that holds others.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rule {
    /// `media`, `font-face` and so on, in small letters; `None` for a style rule.
    pub at: Option<String>,
    /// From its first letter to its last.
    pub all: Range<usize>,
    /// What stands before its block, or before its semicolon.
    pub prelude: Range<usize>,
    /// What stands in its block, without the braces.
    pub block: Option<Range<usize>>,
}

/// Rules that hold rules.
const HOLD: [&str; 6] = ["media", "supports", "layer", "container", "document", "starting-style"];

impl Rule {
    /// Whether it holds rules rather than declarations.
    #[must_use]
    pub fn holds_rules(&self) -> bool {
        self.block.is_some() && self.at.as_deref().is_some_and(|at| HOLD.contains(&at))
    }
}

/// The rules that stand in a part of a sheet, one after the other.
#[must_use]
pub fn rules(text: &str, part: Range<usize>) -> Vec<Rule> {
    let Some(inside) = text.get(part.clone()) else { return Vec::new() };
    let mut input = ParserInput::new(inside);
    let mut parser = Parser::new(&mut input);
    let mut found = Vec::new();
    loop {
        parser.skip_whitespace();
        if parser.is_exhausted() {
            return found;
        }
        let start = parser.position().byte_index();
        let (mut at, mut first, mut block) = (None, true, None);
        let prelude_end;
        loop {
            let before = parser.position().byte_index();
            let Ok(token) = parser.next_including_whitespace_and_comments().cloned() else {
                prelude_end = before;
                break;
            };
            match token {
                Token::AtKeyword(name) if first => at = Some(name.to_ascii_lowercase()),
                Token::CurlyBracketBlock => {
                    // What a parenthesis held is passed over only now: the end is counted from here.
                    let opened = parser.position().byte_index();
                    prelude_end = opened - 1;
                    let _: Result<(), ParseError<'_, ()>> = parser.parse_nested_block(|inner| {
                        while inner.next_including_whitespace_and_comments().is_ok() {}
                        Ok(())
                    });
                    let end = parser.position().byte_index();
                    // A block that the text's end closes has no brace of its own.
                    let closed = if inside[..end].ends_with('}') && end > opened { end - 1 } else { end };
                    block = Some(opened + part.start..closed + part.start);
                    break;
                }
                Token::Semicolon if at.is_some() => {
                    prelude_end = parser.position().byte_index() - 1;
                    break;
                }
                Token::CDO | Token::CDC if first => {
                    prelude_end = before;
                    break;
                }
                _ => {}
            }
            first = false;
        }
        let end = parser.position().byte_index();
        found.push(Rule {
            at,
            all: start + part.start..end + part.start,
            prelude: start + part.start..prelude_end + part.start,
            block,
        });
    }
}

/// Addresses in a sheet: where each stands, quotes and `url()` included, and what it says.
#[must_use]
pub fn addresses(text: &str) -> Vec<(Range<usize>, String)> {
    fn walk(parser: &mut Parser<'_, '_>, found: &mut Vec<(Range<usize>, String)>, import: bool) {
        let mut importing = import;
        loop {
            let start = parser.position().byte_index();
            let Ok(token) = parser.next_including_whitespace_and_comments().cloned() else { return };
            match token {
                Token::UnquotedUrl(url) => found.push((start..parser.position().byte_index(), url.to_string())),
                Token::Function(name) if name.eq_ignore_ascii_case("url") => {
                    let mut said = None;
                    let _: Result<(), ParseError<'_, ()>> = parser.parse_nested_block(|inner| {
                        said = inner.expect_string().ok().map(|s| s.to_string());
                        while inner.next().is_ok() {}
                        Ok(())
                    });
                    if let Some(said) = said {
                        found.push((start..parser.position().byte_index(), said));
                    }
                }
                Token::AtKeyword(name) => importing = name.eq_ignore_ascii_case("import"),
                Token::QuotedString(said) if importing => {
                    found.push((start..parser.position().byte_index(), said.to_string()));
                    importing = false;
                }
                Token::Semicolon => importing = false,
                Token::Function(_) | Token::ParenthesisBlock | Token::SquareBracketBlock | Token::CurlyBracketBlock => {
                    let _: Result<(), ParseError<'_, ()>> = parser.parse_nested_block(|inner| {
                        walk(inner, found, false);
                        Ok(())
                    });
                }
                _ => {}
            }
        }
    }
    let mut input = ParserInput::new(text);
    let mut found = Vec::new();
    walk(&mut Parser::new(&mut input), &mut found, false);
    found
}

/// The `@font-face` and `@import` rules of a sheet that name one of the files, in order of where they stand.
#[must_use]
pub fn naming(text: &str, base: &Url, files: &[ResourceKey]) -> Vec<Rule> {
    fn walk(text: &str, part: Range<usize>, names: &dyn Fn(&str) -> bool, found: &mut Vec<Rule>) {
        for rule in rules(text, part) {
            let names_one = || addresses(&text[rule.all.clone()]).iter().any(|(_, address)| names(address));
            match (rule.at.as_deref(), rule.block.clone()) {
                (_, Some(block)) if rule.holds_rules() => walk(text, block, names, found),
                (Some("font-face" | "import"), _) if names_one() => found.push(rule),
                _ => {}
            }
        }
    }
    let names = |address: &str| base.join(address).is_ok_and(|u| files.contains(&ResourceKey::of(u.as_str())));
    let mut found = Vec::new();
    walk(text, 0..text.len(), &names, &mut found);
    found
}

/// A document with its `style` elements changed.
#[must_use]
pub fn in_styles(markup: &str, mut change: impl FnMut(&str) -> String) -> String {
    let mut new = String::with_capacity(markup.len());
    let mut rest = markup;
    // What stands in a style element ends at its end tag, whatever it holds.
    while let Some(open) = rest.find("<style").and_then(|at| rest[at..].find('>').map(|end| at + end + 1)) {
        let close = rest[open..].find("</style").map_or(rest.len(), |end| open + end);
        new.push_str(&rest[..open]);
        new.push_str(&change(&rest[open..close]));
        rest = &rest[close..];
    }
    new.push_str(rest);
    new
}

/// A sheet without the rules that would have the browser load one of the files: its imports, and the faces of its fonts
/// with all else that they name. A picture is named by rules that do more.
#[must_use]
pub fn without_files(text: &str, base: &Url, files: &[ResourceKey]) -> String {
    let mut new = text.to_owned();
    for rule in naming(text, base, files).into_iter().rev() {
        new.replace_range(rule.all, "");
    }
    new
}

/// A part of a sheet with its addresses made whole, so that it can stand elsewhere.
#[must_use]
pub fn made_whole(text: &str, base: &Url) -> String {
    with_addresses(text, |address| {
        let relative = !address.starts_with("data:") && !address.starts_with('#') && !address.is_empty();
        relative.then(|| base.join(address).ok().map(|url| url.to_string())).flatten()
    })
}

/// A sheet with some of its addresses changed.
#[must_use]
pub fn with_addresses(text: &str, mut change: impl FnMut(&str) -> Option<String>) -> String {
    let mut new = String::with_capacity(text.len());
    let mut at = 0;
    for (place, address) in addresses(text) {
        if let Some(changed) = change(&address) {
            new.push_str(&text[at..place.start]);
            let quoted = changed.replace('\\', "\\\\").replace('"', "\\\"");
            let call = text[place.clone()].starts_with(['u', 'U']);
            new.push_str(&if call { format!("url(\"{quoted}\")") } else { format!("\"{quoted}\"") });
            at = place.end;
        }
    }
    new.push_str(&text[at..]);
    new
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rules_are_told_apart_whatever_they_hold() {
        let sheet = "@charset \"utf-8\"; /* } */ a, b::after { content: \"}\"; } @media (min-width: 3em) { c { color: red } d {} }\n@font-face{font-family:Quay;src:url(q.woff2)} e{";
        let found = rules(sheet, 0..sheet.len());
        let told: Vec<(Option<&str>, &str)> =
            found.iter().map(|r| (r.at.as_deref(), sheet[r.prelude.clone()].trim())).collect();
        assert_eq!(
            told,
            [
                (Some("charset"), "@charset \"utf-8\""),
                (None, "a, b::after"),
                (Some("media"), "@media (min-width: 3em)"),
                (Some("font-face"), "@font-face"),
                (None, "e"),
            ]
        );
        let held = rules(sheet, found[2].block.clone().expect("a block"));
        assert_eq!(held.iter().map(|r| &sheet[r.all.clone()]).collect::<Vec<_>>(), ["c { color: red }", "d {}"]);
        assert!(found[2].holds_rules() && !found[3].holds_rules());
    }

    #[test]
    fn addresses_are_made_whole_and_nothing_else_is_touched() {
        let base = Url::parse("http://a.test/css/site.css").expect("an address");
        let sheet = "@import 'x.css'; a{background:url(../i/a.png) no-repeat, url( \"b.png\" ); content:'x.css'} b{fill:url(#g);src:url(data:x,y)}";
        let whole = made_whole(sheet, &base);
        assert_eq!(
            whole,
            "@import \"http://a.test/css/x.css\"; a{background:url(\"http://a.test/i/a.png\") no-repeat, url(\"http://a.test/css/b.png\"); content:'x.css'} b{fill:url(#g);src:url(data:x,y)}"
        );
    }
}
