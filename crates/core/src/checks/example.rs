//! Small loads that the checks' heads and the tests are tried on.

use crate::metrics::Coverage;
use crate::{
    BodyRef, Bytes, Header, Initiator, InitiatorKind, LcpCandidate, Load, Millis, PageFacts, PageImage, PaintKind,
    Prepared, Rect, RenderBlocking, Request, RequestId, ResourceKind, Span, SpanKind, Work, WorkKind, WorkName,
};
use std::collections::HashMap;

/// A load, the bodies that go with it, and what it is in words.
pub struct Example {
    /// The load.
    pub load: Load,
    /// What it is.
    pub in_words: &'static str,
    /// What the page used of its code.
    pub coverage: Vec<Coverage>,
    kept: HashMap<String, Vec<u8>>,
}

impl Example {
    /// The load made ready.
    pub fn prepared(&self) -> Prepared {
        Prepared::plain(self.load.clone()).with_coverage(self.coverage.clone())
    }

    /// The example's bodies.
    pub fn bodies(&self) -> impl Fn(&str) -> Option<Vec<u8>> {
        let kept = self.kept.clone();
        move |hash| kept.get(hash).cloned()
    }

    pub(super) fn words(mut self, in_words: &'static str) -> Self {
        self.in_words = in_words;
        self
    }

    pub(super) fn keep(&mut self, index: usize, body: Vec<u8>) {
        let hash = format!("body-{index}");
        self.load.requests[index].unpacked = Some(Bytes(body.len() as u64));
        self.load.requests[index].body = Some(BodyRef { hash: hash.clone(), size: Bytes(body.len() as u64) });
        self.kept.insert(hash, body);
    }

    /// Adds a request that the parser found, answered in full with a long cache lifetime.
    pub(super) fn request(&mut self, url: &str, kind: ResourceKind, start: f64, end: f64, bytes: u64) -> &mut Request {
        let id = u32::try_from(self.load.requests.len()).expect("examples are small");
        let mut request = Request::new(id, url, kind);
        request.start = Millis(start);
        request.sent = Some(Millis(start));
        request.first_byte = Some(Millis(start + (end - start) / 2.0));
        request.end = Some(Millis(end));
        request.status = Some(200);
        request.transferred = Some(Bytes(bytes));
        request.unpacked = Some(Bytes(bytes));
        request.render_blocking = RenderBlocking::NonBlocking;
        request.initiator = Initiator {
            kind: InitiatorKind::Parser,
            url: Some("http://www.skerryline.test/".into()),
            ..Initiator::default()
        };
        request.response_headers =
            vec![header("cache-control", "max-age=31536000, immutable"), header("content-encoding", "gzip")];
        self.load.requests.push(request);
        self.load.requests.last_mut().expect("just pushed")
    }

    pub(super) fn work(
        &mut self,
        name: WorkName,
        kind: WorkKind,
        start: f64,
        duration: f64,
        depth: u16,
        url: Option<&str>,
    ) {
        self.load.work.push(Work {
            kind,
            name,
            start: Millis(start),
            duration: Millis(duration),
            depth,
            url: url.map(Into::into),
            function: None,
            event: None,
            timer: None,
            line: None,
        });
    }

    /// Adds a span of the server's work for the document, by when it began and how long it took; a hook is the
    /// plugin's that it is named after. Gives its place.
    pub(super) fn span(
        &mut self,
        parent: Option<u32>,
        at: (f64, f64),
        kind: SpanKind,
        name: &str,
        query: Option<&str>,
    ) -> u32 {
        self.load.spans.push(Span {
            told_owner: name.strip_prefix("hook ").map(|n| (n.to_owned(), false)),
            query: query.map(str::to_owned),
            ..Span::new(RequestId(0), parent, name, kind, (Millis(at.0), Millis(at.1)))
        });
        u32::try_from(self.load.spans.len() - 1).expect("examples are small")
    }

    pub(super) fn image(&mut self, url: &str, shown: (f64, f64), natural: (u32, u32), sized: bool) {
        self.load.page.get_or_insert_default().images.push(PageImage {
            url: url.into(),
            selector: "img.hero".into(),
            rect: Rect { x: 0.0, y: 0.0, width: shown.0, height: shown.1 },
            natural_width: natural.0,
            natural_height: natural.1,
            sized,
            ..PageImage::default()
        });
    }
}

fn header(name: &str, value: &str) -> Header {
    Header { name: name.into(), value: value.into() }
}

/// A quick page with one picture, in which nothing is wrong: largest paint at 600 ms.
pub fn sound() -> Example {
    let mut load = Load::empty("http://www.skerryline.test/");
    load.end = Millis(3000.0);
    load.fcp = Some(Millis(400.0));
    load.page = Some(PageFacts::default());
    let mut example =
        Example { load, in_words: "a page in which nothing is wrong", coverage: Vec::new(), kept: HashMap::new() };
    let document = example.request("http://www.skerryline.test/", ResourceKind::Document, 0.0, 200.0, 9_000);
    document.initiator = Initiator { kind: InitiatorKind::Navigation, ..Initiator::default() };
    document.response_headers = vec![header("content-encoding", "gzip")];
    example.request("http://www.skerryline.test/media/hero.jpg", ResourceKind::Image, 150.0, 500.0, 40_000);
    example.image("http://www.skerryline.test/media/hero.jpg", (400.0, 300.0), (400, 300), true);
    example.load.lcp_candidates.push(LcpCandidate {
        fonts: None,
        animated: Vec::new(),
        words: None,
        at: Millis(600.0),
        kind: PaintKind::Image,
        size: 120_000.0,
        node: None,
        url: Some("http://www.skerryline.test/media/hero.jpg".into()),
        tag: Some("IMG".into()),
        selector: Some("img.hero".into()),
        snippet: None,
        rect: None,
    });
    example
}
