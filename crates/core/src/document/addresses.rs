//! The addresses that attributes hold.

use cssparser::{Parser, ParserInput, Token};

/// The addresses of a `srcset`, split as the HTML specification says: an address ends at a blank, so
/// that one may hold commas; descriptors end at a comma outside brackets.
pub fn in_srcset(set: &str) -> Vec<String> {
    let mut found = Vec::new();
    let mut rest = set;
    loop {
        rest = rest.trim_start_matches(|c: char| c.is_ascii_whitespace() || c == ',');
        if rest.is_empty() {
            return found;
        }
        let (address, after) = rest.split_at(rest.find(|c: char| c.is_ascii_whitespace()).unwrap_or(rest.len()));
        let bare = address.trim_end_matches(',');
        found.push(bare.to_owned());
        rest = after;
        if bare.len() == address.len() {
            let mut depth = 0u32;
            let end = after.find(|c| {
                match c {
                    '(' => depth += 1,
                    ')' => depth = depth.saturating_sub(1),
                    _ => {}
                }
                c == ',' && depth == 0
            });
            rest = &after[end.unwrap_or(after.len())..];
        }
    }
}

/// The addresses in `url(…)` of a style attribute, `data:` left out.
pub fn in_style(style: &str) -> Vec<String> {
    let mut found = Vec::new();
    let mut input = ParserInput::new(style);
    collect(&mut Parser::new(&mut input), &mut found, 0);
    found
}

fn collect(parser: &mut Parser<'_, '_>, found: &mut Vec<String>, depth: u8) {
    while let Ok(token) = parser.next() {
        let quoted = match token {
            Token::UnquotedUrl(address) => {
                found.extend(kept(address));
                continue;
            }
            Token::Function(name) => name.eq_ignore_ascii_case("url"),
            Token::ParenthesisBlock | Token::SquareBracketBlock | Token::CurlyBracketBlock => false,
            _ => continue,
        };
        // Deeper than any style is written.
        if depth > 32 {
            continue;
        }
        let _ = parser.parse_nested_block(|inside| -> Result<(), cssparser::ParseError<'_, ()>> {
            if quoted && let Ok(address) = inside.expect_string_cloned() {
                found.extend(kept(&address));
            }
            collect(inside, found, depth + 1);
            Ok(())
        });
    }
}

fn kept(address: &str) -> Option<String> {
    let address = address.trim();
    (!address.is_empty() && !address.starts_with("data:")).then(|| address.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_in_a_srcset_may_hold_commas() {
        assert_eq!(in_srcset("s.jpg 1x, l.jpg 2x"), ["s.jpg", "l.jpg"]);
        assert_eq!(in_srcset("/fit,w_300/a.jpg 300w,/fit,w_600/a.jpg 600w"), ["/fit,w_300/a.jpg", "/fit,w_600/a.jpg"]);
        assert_eq!(in_srcset("a.jpg, b.jpg"), ["a.jpg", "b.jpg"]);
        assert_eq!(in_srcset("a.jpg calc(1px, 2px) , b.jpg"), ["a.jpg", "b.jpg"]);
        assert!(in_srcset(" , ,").is_empty());
    }

    #[test]
    fn an_address_in_a_style_is_read_as_css_reads_it() {
        assert_eq!(in_style("background:url('bg.jpg')"), ["bg.jpg"]);
        assert_eq!(in_style(r#"background: URL( "a(1).png" ), image-set(url(b.png) 1x)"#), ["a(1).png", "b.png"]);
        assert_eq!(in_style("background:url(a\\ b.png);content:'url(no.png)'"), ["a b.png"]);
        assert!(in_style("background:url(data:image/png;base64,AA==)").is_empty());
        assert!(in_style("/* url(x.png) */ color:red").is_empty());
    }
}
