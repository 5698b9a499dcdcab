//! Text before its font.

use super::{Tried, cannot, css, places};
use crate::book::Book;
use phainon_core::{ResourceKey, ResourceKind};
use url::Url;

/// Has text be shown in another font until its own has come: `font-display: swap` (CSS Fonts 4) in every
/// `@font-face` that names the file, in sheets and in documents.
pub fn show_text(book: &mut Book, file: &ResourceKey) -> Tried {
    places(book, file)?;
    let mut changed = 0;
    for answer in &mut book.answers {
        let (Some(text), Ok(base)) = (answer.text(), Url::parse(&answer.url)) else { continue };
        let new = match answer.kind {
            ResourceKind::Style => swapped(&text, &base, file),
            ResourceKind::Document => in_styles(&text, &base, file),
            _ => continue,
        };
        if new != text {
            answer.set_text(&new);
            changed += 1;
        }
    }
    if changed == 0 {
        return cannot(format!("No @font-face in the sheets or the document names {}.", file.name()));
    }
    Ok(Vec::new())
}

fn swapped(text: &str, base: &Url, file: &ResourceKey) -> String {
    fn walk(text: &str, part: std::ops::Range<usize>, base: &Url, file: &ResourceKey, places: &mut Vec<usize>) {
        for rule in css::rules(text, part) {
            let Some(block) = rule.block.clone() else { continue };
            if rule.holds_rules() {
                walk(text, block, base, file, places);
            } else if rule.at.as_deref() == Some("font-face")
                && css::addresses(&text[block.clone()])
                    .iter()
                    .any(|(_, a)| base.join(a).is_ok_and(|u| ResourceKey::of(u.as_str()) == *file))
            {
                // The last declaration of a name is the one that counts.
                places.push(block.end);
            }
        }
    }
    let mut places = Vec::new();
    walk(text, 0..text.len(), base, file, &mut places);
    let mut new = text.to_owned();
    for at in places.into_iter().rev() {
        new.insert_str(at, ";font-display:swap");
    }
    new
}

fn in_styles(markup: &str, base: &Url, file: &ResourceKey) -> String {
    let mut new = String::with_capacity(markup.len());
    let mut rest = markup;
    // What stands in a style element ends at its end tag, whatever it holds.
    while let Some(open) = rest.find("<style").and_then(|at| rest[at..].find('>').map(|end| at + end + 1)) {
        let close = rest[open..].find("</style").map_or(rest.len(), |end| open + end);
        new.push_str(&rest[..open]);
        new.push_str(&swapped(&rest[open..close], base, file));
        rest = &rest[close..];
    }
    new.push_str(rest);
    new
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_face_that_names_the_file_is_changed() {
        let base = Url::parse("http://a.test/css/x.css").expect("an address");
        let file = ResourceKey::of("http://a.test/fonts/quay.woff2");
        let sheet = "@font-face{font-family:Quay;font-display:block;src:url(../fonts/quay.woff2)}@font-face{font-family:Pier;src:url(../fonts/pier.woff2)}";
        let new = swapped(sheet, &base, &file);
        assert_eq!(new.matches("font-display:swap").count(), 1);
        assert!(new.starts_with(
            "@font-face{font-family:Quay;font-display:block;src:url(../fonts/quay.woff2);font-display:swap}"
        ));
        assert!(in_styles(&format!("<p><style>{sheet}</style>"), &base, &file).contains("swap"));
    }
}
