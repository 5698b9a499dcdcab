//! The document as text, with what it caused standing at the byte that caused it.

mod addresses;
mod first_round;
mod largest;
mod requests;
mod rows;
mod scan;

pub use first_round::FIRST_ROUND;
pub use largest::{LargestPlace, Standing, standings};

use crate::words::{largest_place, note_sentence};
use crate::{Bytes, Load, Millis, Note, RequestId, ResourceKind};
use first_round::{first_round, share};
use largest::largest;
use requests::{from_document, inline_run, same_address, stop_for};
use rows::rows;
use scan::{Found, scan};
use serde::{Deserialize, Serialize};
use std::ops::Range;
use ts_rs::TS;

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

/// The document, read: with facts, or as it is handed out, with words.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts", rename = "DocumentView", concrete(P = String, N = String))]
pub struct DocumentView<P = LargestPlace, N = Note> {
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
    pub largest: P,
    /// What was left out or could not be read.
    pub notes: Vec<N>,
}

/// The document as it is handed out.
pub type SaidDocument = DocumentView<String, String>;

impl DocumentView {
    /// With words.
    #[must_use]
    pub fn said(self) -> SaidDocument {
        DocumentView {
            largest: largest_place(self.largest),
            notes: self.notes.iter().map(note_sentence).collect(),
            url: self.url,
            whole: self.whole,
            transferred: self.transferred,
            encoding: self.encoding,
            inline_style: self.inline_style,
            inline_script: self.inline_script,
            marks: self.marks,
            rows: self.rows,
        }
    }
}

/// Reads a load's document; `None` where its body was not kept.
#[must_use]
pub fn document_view(load: &Load, body: &[u8]) -> Option<DocumentView> {
    let document = load.document()?;
    let mut notes = Vec::new();
    let found = match scan(body) {
        Ok(found) => found,
        Err(why) => {
            notes.push(Note::MarkupUnread { why });
            Found::default()
        }
    };
    let base = base_of(document, &found);
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
        let file = first.map(|id: RequestId| &load.requests[id.0 as usize]);
        // A link may fetch a script ahead, at which nothing stops.
        if let Some(stop) = file.filter(|f| tag.stops || f.kind == ResourceKind::Style).and_then(|f| stop_for(load, f))
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
    let largest = largest(load, &found, body, base.as_ref(), &mut marks);
    marks.sort_by_key(|m| m.at);
    let all =
        |ranges: &[Range<usize>]| ranges.iter().flat_map(|r| body[r.clone()].iter().copied()).collect::<Vec<u8>>();
    let mut style = all(&found.styles);
    found.attributes.iter().for_each(|a| style.extend(a.bytes()));
    if body.len() > MOST_SHOWN {
        notes.push(Note::TextCut { shown: Bytes(MOST_SHOWN as u64) });
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

/// Against what the document's addresses are resolved.
fn base_of(document: &crate::Request, found: &Found) -> Option<url::Url> {
    let base = url::Url::parse(&document.url).ok();
    match (&base, &found.base) {
        (Some(base), Some(set)) => base.join(set).ok().or_else(|| Some(base.clone())),
        _ => base,
    }
}

fn mark(at: usize, mark: Mark) -> DocumentMark {
    DocumentMark { at: u32::try_from(at).unwrap_or(u32::MAX), mark }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{InitiatorKind, LcpCandidate, PaintKind, Request, Work, WorkKind, WorkName};

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
    fn the_first_words_are_those_that_are_shown() {
        let head =
            "<!doctype html><title>Title</title><style>h1 { color: navy }</style>\n<script>let x = 'words'</script>";
        let load = Load::empty("http://www.skerryline.test/");
        let stand = |body: &str| standings(&load, format!("{head}<noscript>Without</noscript>{body}").as_bytes()).1;
        assert_eq!(stand("\n<body>\n  <h1>Ahoy</h1><p>More"), Some((4, 6)));
        assert_eq!(stand("\n<div id=root></div>\n<script src=app.js></script>\n"), None, "a script puts them in");
    }

    fn largest_stands(load: &Load, body: &[u8]) -> Option<Standing> {
        standings(load, body).0
    }

    #[test]
    fn where_the_largest_element_stands_in_the_markup_is_told_by_its_tag() {
        let mut load = Load::empty("http://www.skerryline.test/");
        load.requests.push(crate::Request::new(0, "http://www.skerryline.test/", crate::ResourceKind::Document));
        let html = |body: &str| format!("<!doctype html><title>t</title>{body}").into_bytes();
        assert_eq!(largest_stands(&load, &html("<h1>Words</h1>")), None, "there is no largest element");
        load.lcp_candidates.push(crate::LcpCandidate {
            fonts: None,
            animated: Vec::new(),
            words: None,
            at: Millis(900.0),
            kind: crate::PaintKind::Text,
            size: 9_000.0,
            node: None,
            url: None,
            tag: Some("h1".into()),
            selector: Some("#place > h1".into()),
            snippet: Some("<h1>".into()),
            rect: None,
        });
        let lines = |first, last| Some(Standing::Lines { first, last, columns: Some((0, 0)) });
        let placed = |words: &str| html(&format!("<h1>Elsewhere</h1><div id=place>{words}</div>"));
        assert_eq!(largest_stands(&load, &placed("\n<h1>Words</h1>")), lines(2, 2), "not the one above its place");
        assert_eq!(largest_stands(&load, &placed("\n<h1>Words</h1>\n<p>\n<h1>More</h1>")), lines(2, 4), "alike");
        assert_eq!(largest_stands(&load, &html("<h1>Words</h1>")), Some(Standing::Nowhere), "there is no such place");
        load.lcp_candidates[0].words = Some("Fish & chips".into());
        let alike = placed(
            "\n<h1>Words</h1>\n<h1><!-- > --><script>'Fish'</script>\n <b title='a > b'>Fi</b>sh &amp; chips</h1>\n<h1>Fishy</h1>",
        );
        assert_eq!(largest_stands(&load, &alike), lines(3, 3), "the words tell those apart that are alike");
        assert_eq!(largest_stands(&load, &placed("\n<h1>&Fopf;</h1>\n<h1>No</h1>")), lines(2, 2), "not read");
        assert_eq!(largest_stands(&load, &placed("\n<h1>One</h1>\n<h1>Two</h1>")), lines(2, 3), "a script's words");
        load.lcp_candidates[0].words = None;
        let by_script = html("<div id=place></div><script>place.innerHTML = '<h1>Words</h1>'</script>");
        assert_eq!(largest_stands(&load, &by_script), Some(Standing::Nowhere));
        load.lcp_candidates[0].snippet = Some("<h1 class=\"shown\">".into());
        assert_eq!(largest_stands(&load, &placed("\n<h1>Words</h1>")), lines(2, 2), "a script may have set the class");
        load.lcp_candidates[0].snippet = Some("<h1 class=\"title shown\">".into());
        let two = placed("\n<h1 class=\"small\">Words</h1>\n<h1 class=\"title\">Words</h1>");
        assert_eq!(largest_stands(&load, &two), lines(3, 3), "it has that one's classes");
        let in_one = html("<p>Ahoy ⛵\u{1f30a}</p><h1 class=title>Words</h1>");
        load.lcp_candidates[0].selector = Some("h1.title".into());
        let stands = Some(Standing::Lines { first: 1, last: 1, columns: Some((46, 46)) });
        assert_eq!(
            largest_stands(&load, &in_one),
            stands,
            "columns count as browsers count: the boat one, the wave two"
        );
        load.lcp_candidates[0].tag = None;
        load.lcp_candidates[0].snippet = None;
        assert_eq!(largest_stands(&load, &by_script), None, "the element was not resolved");
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
    fn the_parser_stops_at_a_sheet_in_the_body_and_at_none_in_the_head() {
        let mut load = load();
        let piece = Work { start: Millis(150.0), duration: Millis(2.0), ..load.work[0].clone() };
        load.work.insert(1, Work { name: WorkName::ParseSheet, url: Some("http://a.test/a.css".into()), ..piece });
        let stops = |load: &Load| {
            let view = document_view(load, PAGE.as_bytes()).expect("a document");
            let at = PAGE.find("<link").expect("there");
            view.marks.iter().filter(|m| m.at as usize == at).find_map(|m| match m.mark {
                Mark::Stop { from_ms, for_ms, .. } => Some((from_ms.0, for_ms.0)),
                _ => None,
            })
        };
        assert_eq!(stops(&load), None);
        load.requests[1].render_blocking = crate::RenderBlocking::InBodyParserBlocking;
        assert_eq!(stops(&load), Some((70.0, 82.0)), "read up to it at 70 ms, it is in force at 152");
        (load.work[1].start, load.work[1].duration) = (Millis(70.1), Millis(0.3));
        assert_eq!(stops(&load), None, "it was there");
        let ahead = PAGE.replace("<link rel=stylesheet href=/a.css>", "<link rel=preload as=script href=/b.js>");
        let view = document_view(&load, ahead.as_bytes()).expect("a document");
        let stop = |m: &&super::DocumentMark| matches!(m.mark, Mark::Stop { request: Some(_), .. });
        assert_eq!(view.marks.iter().find(stop), None, "nothing stops where a script is fetched ahead");
    }

    #[test]
    fn the_largest_element_is_found_or_said_to_be_elsewhere() {
        let mut load = load();
        let candidate = |url: &str| LcpCandidate {
            fonts: None,
            animated: Vec::new(),
            words: None,
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
        assert!(document_view(&load, PAGE.as_bytes()).expect("a document").largest == LargestPlace::NotInDocument);
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
