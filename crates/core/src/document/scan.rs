//! Finds in the markup what may start a request or stop the parser, and code that stands in it.

use super::addresses::{in_srcset, in_style};
use lol_html::html_content::TextType;
use lol_html::{Settings, doc_text, element, text};
use std::cell::RefCell;
use std::ops::Range;

/// An element that may start a request or stop the parser.
pub struct Tag {
    pub at: usize,
    pub name: String,
    /// Addresses in its attributes, as they stand.
    pub addresses: Vec<String>,
    /// A classic script without `async` and `defer`.
    pub stops: bool,
    pub inline_script: bool,
    pub id: Option<String>,
    pub class: Option<String>,
}

#[derive(Default)]
pub struct Found {
    pub tags: Vec<Tag>,
    pub styles: Vec<Range<usize>>,
    pub scripts: Vec<Range<usize>>,
    pub attributes: Vec<String>,
    pub base: Option<String>,
    /// Text that is shown, in order, as it stands; a text may be told in parts.
    pub texts: Vec<Range<usize>>,
}

/// Finds elements and inline code, by a tokenizer that follows the HTML specification.
pub fn scan(body: &[u8]) -> Result<Found, String> {
    let found = RefCell::new(Found::default());
    let inside = RefCell::new((0usize, 0usize));
    let any = element!("*", |el| {
        let name = el.tag_name();
        let range = el.source_location().bytes();
        let mut addresses = Vec::new();
        let get = |key: &str| el.get_attribute(key);
        match name.as_str() {
            "base" => {
                let mut found = found.borrow_mut();
                found.base = found.base.take().or_else(|| get("href"));
            }
            "link" => {
                let rel = get("rel").unwrap_or_default().to_ascii_lowercase();
                if ["stylesheet", "preload", "modulepreload", "icon", "manifest", "prefetch"]
                    .iter()
                    .any(|r| rel.split_whitespace().any(|p| p == *r))
                {
                    addresses.extend(get("href"));
                    addresses.extend(get("imagesrcset").iter().flat_map(|s| in_srcset(s)));
                }
            }
            "img" | "source" | "script" | "iframe" | "video" | "audio" | "embed" | "input" | "track" | "frame" => {
                addresses.extend(get("src"));
                addresses.extend(get("srcset").iter().flat_map(|s| in_srcset(s)));
                addresses.extend(get("poster"));
            }
            "object" => addresses.extend(get("data")),
            "image" | "use" => addresses.extend(get("href").or_else(|| get("xlink:href"))),
            _ => {}
        }
        if let Some(style) = get("style") {
            addresses.extend(in_style(&style));
            found.borrow_mut().attributes.push(style);
        }
        let kind = get("type").unwrap_or_default().to_ascii_lowercase();
        let runs = kind.is_empty() || kind.contains("javascript") || kind.contains("ecmascript");
        let script = name == "script";
        found.borrow_mut().tags.push(Tag {
            at: range.start,
            stops: script && runs && (get("src").is_none() || (get("async").is_none() && get("defer").is_none())),
            inline_script: script && get("src").is_none(),
            name,
            addresses,
            id: get("id").filter(|id| !id.is_empty()),
            class: get("class").filter(|class| !class.is_empty()),
        });
        Ok(())
    });
    let inline = |styles: bool| {
        let (found, inside) = (&found, &inside);
        move |chunk: &mut lol_html::html_content::TextChunk<'_>| {
            let range = chunk.source_location().bytes();
            let mut inside = inside.borrow_mut();
            if inside.1 == 0 {
                inside.0 = range.start;
            }
            inside.1 = inside.1.max(range.end);
            if chunk.last_in_text_node() {
                let whole = inside.0..inside.1.min(body.len());
                *inside = (0, 0);
                let mut found = found.borrow_mut();
                let code = body.get(whole.clone()).is_some_and(|b| !b.trim_ascii().is_empty());
                match (styles, chunk.text_type()) {
                    _ if !code => {}
                    (true, _) => found.styles.push(whole),
                    (false, TextType::ScriptData) => found.scripts.push(whole),
                    _ => {}
                }
            }
            Ok(())
        }
    };
    let shown = doc_text!(|chunk| {
        if chunk.text_type() == TextType::Data && !chunk.as_str().trim().is_empty() {
            found.borrow_mut().texts.push(chunk.source_location().bytes());
        }
        Ok(())
    });
    let settings = Settings::new()
        .append_document_content_handler(shown)
        .append_element_content_handler(any)
        .append_element_content_handler(text!("style", inline(true)))
        .append_element_content_handler(text!("script", inline(false)));
    let mut rewriter = lol_html::HtmlRewriter::new(settings, |_: &[u8]| {});
    let done = rewriter.write(body).map_err(|e| e.to_string());
    match done {
        Ok(()) => rewriter.end().map_err(|e| e.to_string())?,
        Err(why) => return Err(why),
    }
    Ok(found.into_inner())
}
