//! The document as text, with what it caused standing at the byte that caused it.

use crate::{Bytes, InitiatorKind, Load, Millis, Request, RequestId, WorkName};
use flate2::{Compression, write::GzEncoder};
use lol_html::html_content::TextType;
use lol_html::{Settings, element, text};
use serde::{Deserialize, Serialize};
use std::cell::RefCell;
use std::io::Write;
use std::ops::Range;
use ts_rs::TS;

/// What the first round trip of a fresh connection can bring: ten segments of 1,460 bytes
/// (RFC 6928, initial window).
pub const FIRST_ROUND: usize = 14_600;
/// A row of the text is at most this long; longer lines go on in the next row.
const ROW: usize = 96;
/// Longer documents are shown up to here.
const MOST_SHOWN: usize = 4_000_000;

/// What stands at a byte of the document.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "what")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum Mark {
    /// An element here started this request.
    Request { request: RequestId },
    /// The parser stopped here for a script.
    Stop {
        /// The script's request; `None` for an inline script.
        request: Option<RequestId>,
        /// From when.
        from_ms: Millis,
        /// For how long, the script's own run included.
        for_ms: Millis,
    },
    /// The first round trip's bytes end here.
    FirstRound,
    /// The largest element.
    Largest,
    /// An inline stylesheet begins here.
    InlineStyle { bytes: Bytes },
    /// An inline script begins here.
    InlineScript { bytes: Bytes },
}

/// A mark and its place.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct DocumentMark {
    /// Byte of the unpacked document.
    pub at: u32,
    /// What stands there.
    pub mark: Mark,
}

/// A piece of the text that fits in a row.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct DocumentRow {
    /// Its first byte.
    pub at: u32,
    /// Line of the source, from 1; `None` where a long line goes on.
    pub line: Option<u32>,
    pub text: String,
}

/// A share of the document, as it stands and packed on its own with gzip.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Share {
    pub raw: Bytes,
    pub packed: Bytes,
}

/// The document, read.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct DocumentView {
    /// Its address.
    pub url: String,
    /// The whole of it.
    pub whole: Share,
    /// Over the line, headers included.
    pub transferred: Option<Bytes>,
    /// Whether it came packed.
    pub encoding: Option<String>,
    /// All `style` elements and attributes.
    pub inline_style: Share,
    /// All scripts that stand in the document.
    pub inline_script: Share,
    /// What stands at which byte, in order.
    pub marks: Vec<DocumentMark>,
    /// The text.
    pub rows: Vec<DocumentRow>,
    /// Where the largest element is, or why it is not in the text.
    pub largest: String,
    /// What was left out or could not be read.
    pub notes: Vec<String>,
}

/// An element that may start a request or stop the parser.
struct Tag {
    at: usize,
    name: String,
    /// Addresses in its attributes, as they stand.
    addresses: Vec<String>,
    /// A classic script without `async` and `defer`.
    stops: bool,
    inline_script: bool,
    opening: String,
}

#[derive(Default)]
struct Found {
    tags: Vec<Tag>,
    styles: Vec<Range<usize>>,
    scripts: Vec<Range<usize>>,
    attributes: Vec<String>,
    base: Option<String>,
}

fn packed(bytes: &[u8]) -> Bytes {
    let mut encoder = GzEncoder::new(Vec::new(), Compression::new(6));
    // Writing to memory does not fail.
    let _ = encoder.write_all(bytes);
    Bytes(encoder.finish().unwrap_or_default().len() as u64)
}

fn share(bytes: &[u8]) -> Share {
    Share { raw: Bytes(bytes.len() as u64), packed: if bytes.is_empty() { Bytes(0) } else { packed(bytes) } }
}

/// Reads a load's document; `None` where its body was not kept.
#[must_use]
pub fn document_view(load: &Load, body: &[u8]) -> Option<DocumentView> {
    let document = load.document()?;
    let mut notes = Vec::new();
    let found = match scan(body) {
        Ok(found) => found,
        Err(why) => {
            notes.push(format!("The markup could not be read to its end: {why}."));
            Found::default()
        }
    };
    let base = url::Url::parse(&document.url).ok();
    let base = match (&base, &found.base) {
        (Some(base), Some(set)) => base.join(set).ok().or_else(|| Some(base.clone())),
        _ => base,
    };
    let mut marks = Vec::new();
    let mut taken = vec![false; load.requests.len()];
    for tag in &found.tags {
        let mut first = None;
        for address in &tag.addresses {
            let Some(absolute) = base.as_ref().and_then(|b| b.join(address.trim()).ok()) else { continue };
            let request = load.requests.iter().position(|r| {
                !taken[r.id.0 as usize] && same_address(&r.url, absolute.as_str()) && from_document(r, document)
            });
            if let Some(place) = request {
                taken[place] = true;
                let request = load.requests[place].id;
                first.get_or_insert(request);
                marks.push(mark(tag.at, Mark::Request { request }));
            }
        }
        if tag.stops
            && let Some(stop) = first.and_then(|id| stop_for(load, &load.requests[id.0 as usize]))
        {
            marks.push(mark(tag.at, stop));
        }
        if tag.inline_script && tag.stops {
            let line = 1 + body[..tag.at.min(body.len())].iter().filter(|b| **b == b'\n').count();
            marks.extend(inline_run(load, document, line).map(|stop| mark(tag.at, stop)));
        }
    }
    for (ranges, style) in [(&found.styles, true), (&found.scripts, false)] {
        for range in ranges {
            let bytes = Bytes(range.len() as u64);
            let what = if style { Mark::InlineStyle { bytes } } else { Mark::InlineScript { bytes } };
            marks.push(mark(range.start, what));
        }
    }
    let whole = share(body);
    let encoding = document.header("content-encoding").map(str::to_owned);
    if let Some(at) = first_round(document, body, whole.packed, encoding.is_some()) {
        marks.push(mark(at, Mark::FirstRound));
    }
    let largest = largest(load, &found, base.as_ref(), &mut marks);
    marks.sort_by_key(|m| m.at);
    let all =
        |ranges: &[Range<usize>]| ranges.iter().flat_map(|r| body[r.clone()].iter().copied()).collect::<Vec<u8>>();
    let mut style = all(&found.styles);
    found.attributes.iter().for_each(|a| style.extend(a.bytes()));
    if body.len() > MOST_SHOWN {
        notes.push(format!("Only the first {} of the text are shown.", Bytes(MOST_SHOWN as u64).text()));
    }
    Some(DocumentView {
        url: document.url.to_string(),
        whole,
        transferred: document.transferred,
        encoding,
        inline_style: share(&style),
        inline_script: share(&all(&found.scripts)),
        marks,
        rows: rows(&body[..body.len().min(MOST_SHOWN)]),
        largest,
        notes,
    })
}

fn mark(at: usize, mark: Mark) -> DocumentMark {
    DocumentMark { at: u32::try_from(at).unwrap_or(u32::MAX), mark }
}

fn same_address(a: &str, b: &str) -> bool {
    a.split('#').next() == b.split('#').next()
}

/// Whether the document may have asked for a request: a script or a sheet did not.
fn from_document(request: &Request, document: &Request) -> bool {
    request.id != document.id
        && match request.initiator.kind {
            InitiatorKind::Parser | InitiatorKind::Preload | InitiatorKind::Unknown => true,
            InitiatorKind::Script | InitiatorKind::Style | InitiatorKind::Redirect | InitiatorKind::Navigation => false,
        }
}

/// The parser stops at a script from when it has read up to it until the script has run.
fn stop_for(load: &Load, script: &Request) -> Option<Mark> {
    let run = load.work.iter().find(|w| w.name == WorkName::Evaluate && w.url.as_ref() == Some(&script.url))?;
    // What the parser had read before that run; a run inside a piece of parsing stopped that piece.
    let parsing = load.work.iter().filter(|w| w.name == WorkName::ParseHtml && w.start <= run.start);
    let from = parsing
        .map(|w| if w.end() >= run.end() { run.start } else { w.end() })
        .fold(None, |last: Option<Millis>, at| Some(last.map_or(at, |l| l.max(at))))?;
    let from = from.min(run.start);
    Some(Mark::Stop { request: Some(script.id), from_ms: from, for_ms: run.end() - from })
}

/// The run of an inline script that begins on a line of the document, if it took a millisecond.
fn inline_run(load: &Load, document: &Request, line: usize) -> Option<Mark> {
    let run = load.work.iter().find(|w| {
        w.name == WorkName::Evaluate
            && w.url.as_ref() == Some(&document.url)
            && w.line.is_some_and(|l| l as usize == line)
            && w.duration >= Millis(1.0)
    })?;
    Some(Mark::Stop { request: None, from_ms: run.start, for_ms: run.duration })
}

/// The byte of the text with which the first round trip's bytes end, or `None` where all fits.
///
/// Headers come first. A packed document's place is found by packing beginnings of it, scaled by how
/// well the server packed the whole.
#[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
fn first_round(document: &Request, body: &[u8], whole: Bytes, packed_on_line: bool) -> Option<usize> {
    let headers: usize = document.response_headers.iter().map(|h| h.name.len() + h.value.len() + 4).sum::<usize>() + 17;
    let room = FIRST_ROUND.saturating_sub(headers);
    if !packed_on_line {
        return (body.len() > room).then_some(room);
    }
    let on_line = document.transferred.map_or(whole.0, |t| t.0.saturating_sub(headers as u64)).max(1);
    if on_line as usize <= room {
        return None;
    }
    let room = room as f64 * whole.0 as f64 / on_line as f64;
    let (mut low, mut high) = (0, body.len());
    while high - low > 64 {
        let middle = usize::midpoint(low, high);
        if packed(&body[..middle]).0 as f64 <= room {
            low = middle;
        } else {
            high = middle;
        }
    }
    Some(low)
}

fn largest(load: &Load, found: &Found, base: Option<&url::Url>, marks: &mut Vec<DocumentMark>) -> String {
    let Some(candidate) = load.largest() else {
        return "The largest element is not known.".into();
    };
    let by_file = candidate.url.as_deref().and_then(|url| {
        found.tags.iter().find(|t| {
            t.name != "link"
                && t.addresses
                    .iter()
                    .any(|a| base.and_then(|b| b.join(a.trim()).ok()).is_some_and(|a| same_address(a.as_str(), url)))
        })
    });
    let by_tag = || {
        let snippet = candidate.snippet.as_deref()?;
        let named = |text: &str, what: &str| {
            let rest = text.split_once(&format!("{what}=\""))?.1;
            Some(rest.split('"').next()?.to_owned()).filter(|v| !v.is_empty())
        };
        let (id, class) = (named(snippet, " id"), named(snippet, " class"));
        let tag = candidate.tag.as_deref()?;
        let mut same = found.tags.iter().filter(|t| t.name == tag);
        if id.is_some() || class.is_some() {
            same.find(|t| named(&t.opening, " id") == id && named(&t.opening, " class") == class)
        } else {
            same.next()
        }
    };
    let tag = match candidate.kind {
        crate::PaintKind::Image if candidate.url.is_some() => by_file,
        _ => by_tag(),
    };
    match tag {
        Some(tag) => {
            marks.push(mark(tag.at, Mark::Largest));
            format!("The largest element begins at byte {} of the document.", tag.at)
        }
        None => "The largest element does not stand in the document: a script or a stylesheet brought it.".into(),
    }
}

/// Finds elements and inline code, by a tokenizer that follows the HTML specification.
fn scan(body: &[u8]) -> Result<Found, String> {
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
                    addresses.extend(get("imagesrcset").iter().flat_map(|s| candidates(s)));
                }
            }
            "img" | "source" | "script" | "iframe" | "video" | "audio" | "embed" | "input" | "track" | "frame" => {
                addresses.extend(get("src"));
                addresses.extend(get("srcset").iter().flat_map(|s| candidates(s)));
                addresses.extend(get("poster"));
            }
            "object" => addresses.extend(get("data")),
            "image" | "use" => addresses.extend(get("href").or_else(|| get("xlink:href"))),
            _ => {}
        }
        if let Some(style) = get("style") {
            addresses.extend(style_addresses(&style));
            found.borrow_mut().attributes.push(style);
        }
        let kind = get("type").unwrap_or_default().to_ascii_lowercase();
        let runs = kind.is_empty() || kind.contains("javascript") || kind.contains("ecmascript");
        let script = name == "script";
        let bytes = body.get(range.clone()).unwrap_or_default();
        found.borrow_mut().tags.push(Tag {
            at: range.start,
            stops: script && runs && (get("src").is_none() || (get("async").is_none() && get("defer").is_none())),
            inline_script: script && get("src").is_none(),
            name,
            addresses,
            opening: String::from_utf8_lossy(&bytes[..bytes.len().min(2_000)]).into_owned(),
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
    let settings = Settings::new()
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

/// The addresses of a `srcset`.
fn candidates(set: &str) -> Vec<String> {
    set.split(',').filter_map(|c| c.split_whitespace().next()).map(str::to_owned).collect()
}

/// The addresses in `url(…)` of a style attribute.
fn style_addresses(style: &str) -> Vec<String> {
    style
        .split("url(")
        .skip(1)
        .filter_map(|rest| rest.split(')').next())
        .map(|a| a.trim().trim_matches(['"', '\'']).to_owned())
        .filter(|a| !a.is_empty() && !a.starts_with("data:"))
        .collect()
}

/// The text in rows: at line ends, and where a line is too long to read.
fn rows(body: &[u8]) -> Vec<DocumentRow> {
    let mut rows = Vec::new();
    let mut at = 0;
    for (line, text) in (1u32..).zip(body.split_inclusive(|b| *b == b'\n')) {
        let mut rest = text;
        let mut number = Some(line);
        while !rest.is_empty() {
            let mut cut = rest.len().min(ROW);
            // Not within a character.
            while cut < rest.len() && cut > 1 && (rest[cut] & 0xC0) == 0x80 {
                cut -= 1;
            }
            // Rather at a tag or a blank than within a word, if one is near.
            if cut < rest.len()
                && let Some(better) = rest[cut / 2..cut].iter().rposition(|b| matches!(b, b' ' | b'>' | b';' | b'}'))
            {
                cut = cut / 2 + better + 1;
            }
            let (row, after) = rest.split_at(cut.max(1));
            rows.push(DocumentRow {
                at: u32::try_from(at).unwrap_or(u32::MAX),
                line: number,
                text: String::from_utf8_lossy(row).trim_end_matches(['\n', '\r']).to_owned(),
            });
            number = None;
            at += row.len();
            rest = after;
        }
    }
    rows
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{LcpCandidate, PaintKind, ResourceKind, Work, WorkKind};

    const PAGE: &str = "<!doctype html><html><head>\n<style>body{color:red}</style>\n<link rel=stylesheet href=/a.css>\n<script src=\"/b.js\"></script>\n</head><body style=\"background:url('bg.jpg')\">\n<script>go()</script><img class=\"hero\" srcset=\"s.jpg 1x, l.jpg 2x\">\n</body></html>";

    fn load() -> Load {
        let mut load = Load::empty("http://a.test/");
        let mut document = Request::new(0, "http://a.test/", ResourceKind::Document);
        document.first_byte = Some(Millis(50.0));
        document.transferred = Some(Bytes(400));
        load.requests.push(document);
        for (id, url, kind) in [
            (1, "http://a.test/a.css", ResourceKind::Style),
            (2, "http://a.test/b.js", ResourceKind::Script),
            (3, "http://a.test/l.jpg", ResourceKind::Image),
        ] {
            let mut request = Request::new(id, url, kind);
            request.initiator.kind = InitiatorKind::Parser;
            load.requests.push(request);
        }
        let piece = |name, start: f64, duration: f64, url: Option<&str>| Work {
            start: Millis(start),
            duration: Millis(duration),
            url: url.map(Into::into),
            ..Work::new(WorkKind::Other, name)
        };
        load.work = vec![
            piece(WorkName::ParseHtml, 60.0, 10.0, None),
            piece(WorkName::Evaluate, 200.0, 30.0, Some("http://a.test/b.js")),
        ];
        load
    }

    #[test]
    fn requests_stops_and_inline_code_stand_at_their_bytes() {
        let view = document_view(&load(), PAGE.as_bytes()).expect("a document");
        let at = |needle: &str| u32::try_from(PAGE.find(needle).expect("there")).expect("small");
        let has =
            |place: u32, wanted: &dyn Fn(&Mark) -> bool| view.marks.iter().any(|m| m.at == place && wanted(&m.mark));
        assert!(has(at("<link"), &|m| *m == Mark::Request { request: RequestId(1) }));
        assert!(has(at("<script src"), &|m| *m == Mark::Request { request: RequestId(2) }));
        assert!(has(at("<img"), &|m| *m == Mark::Request { request: RequestId(3) }));
        // The parser had read up to the script at 70 ms and went on at 230.
        assert!(has(
            at("<script src"),
            &|m| matches!(m, Mark::Stop { from_ms, for_ms, .. } if from_ms.0 == 70.0 && for_ms.0 == 160.0)
        ));
        assert!(has(at("body{color"), &|m| matches!(m, Mark::InlineStyle { bytes: Bytes(15) })));
        assert!(has(at("go()"), &|m| matches!(m, Mark::InlineScript { bytes: Bytes(4) })));
        assert_eq!(view.inline_script.raw, Bytes(4));
        assert_eq!(view.inline_style.raw, Bytes(15 + "background:url('bg.jpg')".len() as u64));
        assert_eq!(view.rows.iter().map(|r| r.text.len()).sum::<usize>(), PAGE.len() - PAGE.matches('\n').count());
    }

    #[test]
    fn the_largest_element_is_found_or_said_to_be_elsewhere() {
        let mut load = load();
        let candidate = |url: &str| LcpCandidate {
            at: Millis(300.0),
            kind: PaintKind::Image,
            size: 1.0,
            node: None,
            url: Some(url.into()),
            tag: Some("img".into()),
            selector: None,
            snippet: None,
            rect: None,
        };
        load.lcp_candidates.push(candidate("http://a.test/l.jpg"));
        let view = document_view(&load, PAGE.as_bytes()).expect("a document");
        assert!(
            view.marks.iter().any(|m| m.mark == Mark::Largest && m.at as usize == PAGE.find("<img").expect("there"))
        );
        load.lcp_candidates.push(candidate("http://a.test/other.jpg"));
        assert!(document_view(&load, PAGE.as_bytes()).expect("a document").largest.contains("does not stand"));
    }

    #[test]
    fn the_first_round_ends_where_its_bytes_do() {
        let mut load = load();
        let long = format!("{PAGE}{}", "x".repeat(30_000));
        let plain = document_view(&load, long.as_bytes()).expect("a document");
        let at = plain.marks.iter().find(|m| m.mark == Mark::FirstRound).expect("longer than a round").at;
        assert_eq!(at as usize, FIRST_ROUND - 17);
        load.requests[0].response_headers.push(crate::Header { name: "content-encoding".into(), value: "gzip".into() });
        let packed = document_view(&load, long.as_bytes()).expect("a document");
        assert!(packed.marks.iter().all(|m| m.mark != Mark::FirstRound), "400 bytes fit");
    }

    #[test]
    fn hostile_text_is_read_without_harm() {
        let load = load();
        for text in ["", "<", "<script", "<style>", "\u{fffd}<img src=", "<a style=\"url(\">", "<script>\u{1F6A2}"] {
            assert!(document_view(&load, text.as_bytes()).is_some(), "{text}");
        }
        assert!(document_view(&load, &[0xff, 0xfe, b'<', 0xc3]).is_some());
    }
}
