//! Code that uses what a script defines: it fails where the script has not run before it.

use crate::{Bodies, Load, Request, ResourceKey, ResourceKind, global_names};
use lol_html::{RewriteStrSettings, element, rewrite_str, text};
use std::cell::RefCell;
use std::collections::BTreeSet;

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

/// The text of a file that was kept.
pub(crate) fn text_of(request: &Request, bodies: &dyn Bodies) -> Option<String> {
    let body = bodies.body(&request.body.as_ref()?.hash)?;
    Some(String::from_utf8_lossy(&body).into_owned())
}

/// Whether code uses names that another script defines; what it defines itself is its own.
pub(crate) fn uses(code: &str, names: &BTreeSet<String>) -> bool {
    if !global_names::uses_any(code, names) {
        return false;
    }
    let own = global_names::defined(code);
    global_names::uses_any(code, &names.difference(&own).cloned().collect())
}

/// The other scripts' files that use names which a script defines.
pub(crate) fn files_using<'l>(
    load: &'l Load,
    file: &ResourceKey,
    names: &BTreeSet<String>,
    bodies: &dyn Bodies,
) -> Vec<&'l Request> {
    let others = load.requests.iter().filter(|r| r.kind == ResourceKind::Script && ResourceKey::of(&r.url) != *file);
    others.filter(|r| text_of(r, bodies).is_some_and(|code| uses(&code, names))).collect()
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

    #[test]
    fn what_code_defines_itself_is_not_another_scripts() {
        let names = BTreeSet::from(["Pier".to_owned()]);
        assert!(uses("Pier.start()", &names));
        assert!(!uses("class Pier {}\nnew Pier()", &names));
    }
}
