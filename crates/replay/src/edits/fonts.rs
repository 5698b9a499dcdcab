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
            ResourceKind::Document => css::in_styles(&text, |style| swapped(style, &base, file)),
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
    let mut new = text.to_owned();
    // The last declaration of a name is the one that counts.
    let faces = css::naming(text, base, std::slice::from_ref(file)).into_iter().filter_map(|rule| rule.block);
    for block in faces.rev() {
        new.insert_str(block.end, ";font-display:swap");
    }
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
        let markup = format!("<p><style>{sheet}</style>");
        assert!(css::in_styles(&markup, |style| swapped(style, &base, &file)).contains("swap"));
    }
}
