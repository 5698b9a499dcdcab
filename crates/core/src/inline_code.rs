//! Scripts inside a document.

use lol_html::{RewriteStrSettings, element, rewrite_str, text};
use std::cell::RefCell;

/// A script inside a document.
pub(crate) struct InlineCode {
    /// Where its tag begins, in bytes.
    pub at: usize,
    /// The lines of the tag and of the last of its code, from 1.
    pub lines: (u32, u32),
    pub text: String,
}

/// The scripts inside a document, in its order.
pub(crate) fn inline_code(document: &str) -> Vec<InlineCode> {
    let found: RefCell<Vec<(usize, String)>> = RefCell::default();
    let is_inline = RefCell::new(false);
    let settings = RewriteStrSettings::new()
        .append_element_content_handler(element!("script", |el| {
            *is_inline.borrow_mut() = !el.has_attribute("src");
            if *is_inline.borrow() {
                found.borrow_mut().push((el.source_location().bytes().start, String::new()));
            }
            Ok(())
        }))
        .append_element_content_handler(text!("script", |part| {
            if let Some(last) = found.borrow_mut().last_mut().filter(|_| *is_inline.borrow()) {
                last.1.push_str(part.as_str());
            }
            Ok(())
        }));
    if rewrite_str(document, settings).is_err() {
        return Vec::new();
    }
    let (mut line, mut counted) = (1, 0);
    let with_lines = found.into_inner().into_iter().map(|(at, text)| {
        let at = at.min(document.len());
        line += breaks_in(&document.as_bytes()[counted..at]);
        counted = at;
        let code = document.as_bytes()[at..].iter().position(|b| *b == b'>').map_or(at, |tag| at + tag);
        let end = (code + 1 + text.len()).min(document.len());
        let last = line + breaks_in(&document.as_bytes()[at..end]);
        InlineCode { at, lines: (line, last), text }
    });
    with_lines.collect()
}

fn breaks_in(text: &[u8]) -> u32 {
    u32::try_from(text.iter().filter(|b| **b == b'\n').count()).unwrap_or(u32::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn scripts_inside_a_document_are_told_with_their_lines() {
        let document = "<p>\n<script src=a.js></script>\n<script\n async>\nPier.start()\n</script>\n<script>1</script>";
        let lines: Vec<((u32, u32), String)> =
            inline_code(document).into_iter().map(|c| (c.lines, c.text.trim().to_owned())).collect();
        assert_eq!(lines, [((3, 6), "Pier.start()".to_owned()), ((7, 7), "1".to_owned())]);
    }
}
