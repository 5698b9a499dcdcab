//! The walk backwards from a paint.

use super::set_off::{SetOff, drawn, set_off};
use super::{AskedFor, Behind, Cause, Code, HandedOver, Leg, LegFact};
use crate::{
    Bytes, EditKind, InitiatorKind, Load, Millis, Owner, Owners, PaintKind, Prepared, RenderBlocking, Request,
    RequestId, ResourceKind, WorkKind, WorkName,
};
use std::collections::HashSet;
use std::sync::Arc;

/// Legs shorter than this are joined to their neighbour, so that the itinerary stays readable.
const CRUMB: Millis = Millis(4.0);
/// A task this long between the last input and the paint gets a leg of its own.
const WORTH_NAMING: Millis = Millis(30.0);
/// A walk longer than this is not a page any more; the rest is one unknown leg.
const MOST_STEPS: usize = 400;

/// The path to the largest paint, or `None` where no largest paint was observed.
#[must_use]
pub fn path_to_largest(prepared: &Prepared) -> Option<Vec<Leg>> {
    let load = &prepared.load;
    let candidate = load.largest()?;
    let file = match (candidate.kind, candidate.url.as_deref()) {
        (PaintKind::Image, Some(url)) => load.request_for(url, candidate.at),
        _ => None,
    };
    Some(Walk::new(prepared, candidate.at).legs_to(file, candidate.kind == PaintKind::Text))
}

/// The path to the first contentful paint.
#[must_use]
pub fn path_to_first_paint(prepared: &Prepared) -> Option<Vec<Leg>> {
    Some(Walk::new(prepared, prepared.load.fcp?).legs_to(None, true))
}

/// What the walk asks next: what released this point?
#[derive(Clone, Copy)]
enum Point {
    /// All bytes of a response being there.
    Bytes(RequestId),
    /// Some byte of the document being there.
    DocumentPart(RequestId),
    /// A request being asked for.
    Asked(RequestId),
    /// A piece of work beginning.
    Began(usize),
    /// A blocking script's or sheet's being done.
    Released(RequestId),
    /// Navigation start.
    Start,
}

struct Walk<'a> {
    prepared: &'a Prepared,
    load: &'a Load,
    owners: &'a Owners,
    parents: &'a [Option<usize>],
    /// Where the last leg found so far begins.
    cursor: Millis,
    legs: Vec<Leg>,
    seen: HashSet<(u8, usize)>,
}

impl<'a> Walk<'a> {
    fn new(prepared: &'a Prepared, paint: Millis) -> Self {
        Self {
            prepared,
            load: &prepared.load,
            owners: &prepared.owners,
            parents: &prepared.index.parents,
            cursor: paint.max(Millis::ZERO),
            legs: Vec::new(),
            seen: HashSet::new(),
        }
    }

    /// A script by its address; code inside the document has no file of its own.
    fn code(&self, url: &Arc<str>) -> Code {
        if self.load.document().is_some_and(|d| d.url == *url) { Code::Inline } else { Code::File(url.clone()) }
    }

    /// Adds a leg that ends at the cursor and begins at `from`, and moves the cursor there.
    fn leg(&mut self, from: Millis, cause: Cause, about: About<'_>, fact: LegFact) {
        let from = from.max(Millis::ZERO).min(self.cursor);
        if from >= self.cursor {
            return;
        }
        let (url, request, owner) = match about {
            About::Request(r) => (Some(r.url.clone()), Some(r.id), self.owners.request(r.id).clone()),
            About::Script(url) => {
                let request = self.prepared.first_for(url).map(|r| r.id);
                (Some(url.clone()), request, self.owners.of_url(url))
            }
            About::Browser => (None, None, Owner::page()),
        };
        let fixes = fixes_for(cause, request.and_then(|id| self.load.request(id)));
        self.legs.push(Leg { from_ms: from, to_ms: self.cursor, cause, url, request, owner, fact, fixes });
        self.cursor = from;
    }

    fn legs_to(mut self, file: Option<&Request>, text: bool) -> Vec<Leg> {
        let paint = self.cursor;
        let document = self.load.document();

        // The inputs of the paint: the file's bytes, what blocked rendering, the element's place in the document.
        let mut inputs: Vec<(Millis, Point)> = Vec::new();
        if let Some(file) = file {
            let end = file.end.unwrap_or(paint).min(paint);
            inputs.push((end, Point::Bytes(file.id)));
        }
        for request in &self.load.requests {
            if request.render_blocking == RenderBlocking::Blocking
                && request.main_frame
                && let Some(at) = self.prepared.released(request)
                && at <= paint
            {
                inputs.push((at, Point::Released(request.id)));
            }
        }
        // What stands below a parser-blocking script in the body waits for that too; text, for its font.
        // A picture's element stands below where its place is further down than the script's; its bytes
        // may have come long before, by the preload scanner.
        let place = |r: &Request| {
            let by = &r.initiator;
            let here = by.url.as_deref() == document.map(|d| &*d.url);
            by.line.filter(|_| here).map(|line| (line, by.column))
        };
        let element = file.map(|f| self.load.first_hop(f)).and_then(place);
        let above = |(line, column): (u32, Option<u32>), (below, at): (u32, Option<u32>)| {
            line < below || line == below && column.zip(at).is_some_and(|(column, at)| column < at)
        };
        if text || element.is_some() {
            for request in &self.load.requests {
                let parser = request.render_blocking == RenderBlocking::InBodyParserBlocking
                    && request.main_frame
                    && (text || place(request).zip(element).is_some_and(|(script, element)| above(script, element)));
                let font = text && request.kind == ResourceKind::Font;
                if !(parser || font) {
                    continue;
                }
                let at = if parser { self.prepared.released(request) } else { request.end };
                if let Some(at) = at
                    && at <= paint
                    && (parser || paint - at < Millis(120.0))
                {
                    inputs.push((at, if parser { Point::Released(request.id) } else { Point::Bytes(request.id) }));
                }
            }
        }
        if let Some(document) = document
            && let Some(first) = document.first_byte
            && first <= paint
        {
            let alone = text && inputs.is_empty();
            let at = if alone { self.read_by(document, first, paint) } else { first };
            inputs.push((at, Point::DocumentPart(document.id)));
        }
        let last = inputs.into_iter().max_by(|a, b| a.0.order(&b.0));
        let mut next = match last {
            Some((at, point)) => self.before_the_frame(at, point, text),
            None => Point::Start,
        };
        for _ in 0..MOST_STEPS {
            next = match self.step(next) {
                Some(point) => point,
                None => break,
            };
        }
        // Whatever could not be explained is said to be so.
        self.leg(Millis::ZERO, Cause::Unknown, About::Browser, LegFact::NotExplained);
        self.legs.reverse();
        join_crumbs(self.legs)
    }

    /// When the part of the document that text stands in had come, where nothing but the document can
    /// have held it up: by the last reading of it before the paint, and by its end at the latest.
    fn read_by(&self, document: &Request, first: Millis, paint: Millis) -> Millis {
        let before = drawn(self.load, paint).map_or(paint, |(_, at)| at);
        let read = self.load.work.iter().rfind(|w| w.name == WorkName::ParseHtml && w.start < before);
        let end = document.end.filter(|end| *end <= paint);
        let came = [read.map(|w| w.start), end].into_iter().flatten().reduce(Millis::min);
        came.unwrap_or(first).max(first)
    }

    /// Legs back from the paint to what set it off, and what to ask next. Everything known to be needed
    /// was there at `ready`, when `point` came.
    fn before_the_frame(&mut self, ready: Millis, point: Point, text: bool) -> Point {
        let paint = self.cursor;
        match set_off(self.load, self.parents, ready, paint) {
            None => {
                self.render_until(ready);
                point
            }
            Some(SetOff::Run(run)) => {
                let work = &self.load.work[run];
                self.render_until(work.end().min(paint));
                let Some(url) = work.script().cloned() else { return point };
                let fact = LegFact::ChangesPage { script: self.code(&url) };
                self.leg(work.start, Cause::Script, About::Script(&url), fact);
                Point::Began(run)
            }
            Some(SetOff::Parser(at)) => {
                self.render_until(at);
                self.load.document().map_or(point, |d| Point::DocumentPart(d.id))
            }
            Some(SetOff::Unknown) => {
                let at = drawn(self.load, paint).map_or(ready, |(_, at)| at);
                self.render_until(at);
                let waits =
                    |r: &&Request| r.kind == ResourceKind::Font && r.start < at && r.end.is_none_or(|end| end > paint);
                if let Some(font) = self.load.requests.iter().filter(|_| text).find(waits) {
                    let fact = LegFact::FontGivenUp { file: font.url.clone() };
                    self.leg(font.start, Cause::Wait, About::Request(font), fact);
                    return Point::Asked(font.id);
                }
                self.leg(ready, Cause::Unknown, About::Browser, LegFact::DrawnLate);
                point
            }
        }
    }

    /// Legs between the last input and the paint: tasks worth naming, and the rest as rendering.
    fn render_until(&mut self, ready: Millis) {
        let tasks: Vec<usize> = (0..self.load.work.len())
            .filter(|&i| {
                let w = &self.load.work[i];
                w.depth == 0 && w.end() > ready && w.start < self.cursor && w.duration >= WORTH_NAMING
            })
            .collect();
        for &index in tasks.iter().rev() {
            let task = &self.load.work[index];
            let (start, end) = (task.start.max(ready), task.end().min(self.cursor));
            if end <= start || end - start < WORTH_NAMING {
                continue;
            }
            self.leg(end, Cause::Render, About::Browser, LegFact::NextFrame);
            match self.heaviest_script(index, start, end) {
                Some(url) => {
                    let fact = LegFact::BusyWith { script: self.code(&url) };
                    self.leg(start, Cause::Busy, About::Script(&url), fact);
                }
                None => self.leg(start, Cause::Render, About::Browser, LegFact::FrameWork),
            }
        }
        self.leg(ready, Cause::Render, About::Browser, LegFact::Drawing);
    }

    /// The script that took most of a task's time between two moments, if scripts took half of it or more.
    fn heaviest_script(&self, task: usize, from: Millis, to: Millis) -> Option<Arc<str>> {
        let work = &self.load.work;
        let mut sums: Vec<(Arc<str>, Millis)> = Vec::new();
        let mut skip_until: Option<u16> = None;
        for piece in work[task + 1..].iter().take_while(|w| w.depth > 0) {
            if let Some(depth) = skip_until {
                if piece.depth > depth {
                    continue;
                }
                skip_until = None;
            }
            let Some(url) = piece.url.clone().filter(|u| !u.is_empty() && piece.kind != WorkKind::Style) else {
                continue;
            };
            skip_until = Some(piece.depth);
            let inside = piece.end().min(to) - piece.start.max(from);
            if inside > Millis::ZERO {
                match sums.iter_mut().find(|(u, _)| *u == url) {
                    Some((_, sum)) => *sum += inside,
                    None => sums.push((url, inside)),
                }
            }
        }
        let (url, sum) = sums.into_iter().max_by(|a, b| a.1.order(&b.1))?;
        (sum.0 * 2.0 >= (to - from).0).then_some(url)
    }

    fn step(&mut self, point: Point) -> Option<Point> {
        let key = match point {
            Point::Bytes(id) => (0, id.0 as usize),
            Point::DocumentPart(id) => (1, id.0 as usize),
            Point::Asked(id) => (2, id.0 as usize),
            Point::Began(index) => (3, index),
            Point::Released(id) => (4, id.0 as usize),
            Point::Start => (5, 0),
        };
        if !self.seen.insert(key) || self.cursor <= Millis::ZERO {
            return None;
        }
        match point {
            Point::Bytes(id) => self.bytes(id),
            Point::DocumentPart(id) => self.document_part(id),
            Point::Asked(id) => self.asked(id),
            Point::Began(index) => self.began(index),
            Point::Released(id) => self.released(id),
            Point::Start => {
                self.leg(Millis::ZERO, Cause::Navigation, About::Browser, LegFact::NavigationStarts);
                None
            }
        }
    }

    /// Download, wait, connection and queue of a request.
    fn bytes(&mut self, id: RequestId) -> Option<Point> {
        let request = self.load.request(id)?;
        let file = request.url.clone();
        if let Some(end) = request.end {
            let fact = LegFact::HandedOver { file: Code::File(file.clone()), why: HandedOver::ToTake };
            self.leg(end, Cause::Handover, About::Request(request), fact);
        }
        if let Some(first) = request.first_byte {
            let fact = LegFact::Downloads { file, bytes: request.transferred, beside: self.beside(request) };
            self.leg(first, Cause::Download, About::Request(request), fact);
        }
        self.before_first_byte(request)
    }

    /// The other request that received most while this one did, and its size.
    fn beside(&self, request: &Request) -> Option<(Arc<str>, Bytes)> {
        let (from, to) = (request.first_byte?, request.end?);
        let other = self
            .load
            .requests
            .iter()
            .filter(|o| o.id != request.id && o.is_network())
            .filter_map(|o| {
                let (start, end) = (o.first_byte?, o.end?);
                let shared = end.min(to) - start.max(from);
                let whole = (end - start).0.max(1.0);
                #[allow(clippy::cast_precision_loss)]
                let bytes = o.transferred?.0 as f64 * (shared.0 / whole);
                (shared.0 > 0.0 && bytes > 20_000.0).then_some((bytes, o))
            })
            .max_by(|a, b| a.0.total_cmp(&b.0));
        other.map(|(_, o)| (o.url.clone(), o.transferred.unwrap_or_default()))
    }

    fn before_first_byte(&mut self, request: &Request) -> Option<Point> {
        let file = request.url.clone();
        let document = self.load.document().is_some_and(|d| d.id == request.id);
        let host = request.host();
        if let Some(sent) = request.sent {
            let fact = LegFact::Answer { file: file.clone(), host: host.clone(), document };
            self.leg(sent, Cause::Wait, About::Request(request), fact);
        }
        if let (Some(start), Some(end)) = (request.connect_start, request.connect_end) {
            let fact = LegFact::AboutToBeSent { file: file.clone() };
            self.leg(end, Cause::Queue, About::Request(request), fact);
            let fact = LegFact::Connects { host, tls: request.tls_start.is_some() };
            self.leg(start, Cause::Connect, About::Request(request), fact);
        }
        let behind = match request.kind {
            ResourceKind::Document => Behind::Navigation,
            _ => self.queued_behind(request),
        };
        let cause = if document { Cause::Navigation } else { Cause::Queue };
        self.leg(request.start, cause, About::Request(request), LegFact::Queued { file, document, behind });
        Some(Point::Asked(request.id))
    }

    /// Why a request was queued: who had its connection before it, and how many of its host's were in use.
    fn queued_behind(&self, request: &Request) -> Behind {
        let Some(sent) = request.sent else { return Behind::NotSent };
        let host = request.host();
        let others: Vec<&Request> = self
            .load
            .requests
            .iter()
            .filter(|o| {
                o.id != request.id
                    && o.host() == host
                    && o.sent.is_some_and(|s| s < sent)
                    && o.end.is_some_and(|e| e > request.start)
            })
            .collect();
        let before = others
            .iter()
            .filter(|o| {
                o.connection.is_some()
                    && o.connection == request.connection
                    && o.end.is_some_and(|e| e <= sent + Millis(5.0))
            })
            .max_by(|a, b| a.end.unwrap_or_default().order(&b.end.unwrap_or_default()));
        let count = u32::try_from(others.len()).unwrap_or(u32::MAX);
        let before = before.map(|b| b.url.clone());
        if count == 0 {
            return Behind::Priority;
        }
        Behind::Others { count, host: host.unwrap_or_default(), before }
    }

    /// The document's bytes up to the cursor, and what came before them.
    fn document_part(&mut self, id: RequestId) -> Option<Point> {
        let document = self.load.request(id)?;
        if let Some(end) = document.end {
            self.leg(end, Cause::Parse, About::Request(document), LegFact::Read);
        }
        if let Some(first) = document.first_byte {
            let fact = LegFact::Arrives { bytes: document.transferred };
            self.leg(first, Cause::Download, About::Request(document), fact);
        }
        self.before_first_byte(document)
    }

    /// What made the page ask for a request.
    fn asked(&mut self, id: RequestId) -> Option<Point> {
        let request = self.load.request(id)?;
        if let Some(from) = request.redirected_from.and_then(|id| self.load.request(id)) {
            let fact = LegFact::Redirected { from: from.url.clone() };
            self.leg(from.start, Cause::Redirect, About::Request(from), fact);
            return Some(Point::Asked(from.id));
        }
        let document = self.load.document().map(|d| d.id);
        let navigation = request.main_frame && request.initiator.kind == InitiatorKind::Navigation;
        if document == Some(id) || navigation {
            return Some(Point::Start);
        }
        let file = request.url.clone();
        let lazy = self.load.page.as_ref().is_some_and(|p| p.images.iter().any(|i| i.lazy && i.url == *request.url));
        match request.initiator.kind {
            InitiatorKind::Parser | InitiatorKind::Unknown if lazy => {
                self.back_to_document(file, Cause::Lazy, AskedFor::Lazy)
            }
            InitiatorKind::Script => {
                if let Some(index) = self.script_at(request.start, request) {
                    let url = self.url_of(index)?;
                    let fact = LegFact::AskedByRun { file, script: self.code(&url) };
                    self.leg(self.load.work[index].start, Cause::Script, About::Script(&url), fact);
                    return Some(Point::Began(index));
                }
                let by = request.initiator.stack.first().or(request.initiator.url.as_ref()).cloned();
                let import = request.initiator.stack.is_empty();
                if let Some(by) = by
                    && let Some(script) = self
                        .load
                        .requests
                        .iter()
                        .rev()
                        .find(|r| r.url == by && r.id != id && r.end.is_some_and(|e| e <= self.cursor))
                {
                    let end = script.end.unwrap_or(self.cursor);
                    let by = script.url.clone();
                    let fact = if import { LegFact::Imported { file, by } } else { LegFact::AskedLater { file, by } };
                    self.leg(end, Cause::ScriptWait, About::Request(script), fact);
                    return Some(Point::Bytes(script.id));
                }
                self.back_to_document(file, Cause::Unknown, AskedFor::UnknownRun)
            }
            InitiatorKind::Style => {
                let sheet =
                    request.initiator.url.as_ref().and_then(|url| {
                        self.load.requests.iter().rev().find(|r| {
                            r.url == *url && r.id != id && r.end.is_some_and(|e| e <= self.cursor + Millis(1.0))
                        })
                    });
                if let Some(sheet) = sheet {
                    let end = sheet.end.unwrap_or(self.cursor);
                    let by = sheet.url.clone();
                    // No style is computed, and so nothing found through it, while rendering is blocked.
                    if let Some((at, blocker)) = self.last_block(request.start, sheet.id).filter(|(at, _)| *at > end) {
                        let gate = self.load.request(blocker).map(|r| r.url.clone());
                        let fact = LegFact::FoundThrough { file, sheet: by, gate };
                        self.leg(at, Cause::StyleFound, About::Request(sheet), fact);
                        return Some(Point::Released(blocker));
                    }
                    let fact = LegFact::FoundThrough { file, sheet: by, gate: None };
                    self.leg(end, Cause::StyleFound, About::Request(sheet), fact);
                    return Some(Point::Bytes(sheet.id));
                }
                self.back_to_document(file, Cause::StyleFound, AskedFor::InlineStyle)
            }
            InitiatorKind::Parser | InitiatorKind::Preload => {
                // In another document than the main one: that document is what had to come.
                if let Some(url) = request.initiator.url.as_ref()
                    && let Some(frame) = self.load.requests.iter().rev().find(|r| {
                        r.url == *url
                            && Some(r.id) != document
                            && r.kind == ResourceKind::Document
                            && r.id != id
                            && r.start <= self.cursor
                    })
                {
                    return Some(Point::DocumentPart(frame.id));
                }
                // Behind a blocking script the parser stands still; the preload scanner does not. Found
                // right after a release, it had to wait for that release.
                let held = self
                    .load
                    .requests
                    .iter()
                    .filter(|r| r.kind == ResourceKind::Script && r.main_frame && r.id != id)
                    .filter(|r| {
                        matches!(r.render_blocking, RenderBlocking::Blocking | RenderBlocking::InBodyParserBlocking)
                    })
                    .filter_map(|r| Some((self.prepared.released(r)?, r.id)))
                    .filter(|(at, _)| *at <= self.cursor && self.cursor - *at < Millis(30.0))
                    .max_by(|a, b| a.0.order(&b.0));
                let document_end = document.and_then(|d| self.load.request(d)).and_then(|d| d.end);
                if let Some((at, blocker)) = held
                    && document_end.is_some_and(|end| end < at)
                {
                    self.leg(at, Cause::Parse, About::Browser, LegFact::ParserReaches { file });
                    return Some(Point::Released(blocker));
                }
                Some(Point::DocumentPart(document?))
            }
            InitiatorKind::Redirect | InitiatorKind::Navigation | InitiatorKind::Unknown => {
                self.back_to_document(file, Cause::Unknown, AskedFor::NotTold)
            }
        }
    }

    /// A leg back to the end of the document, as the earliest thing that is known to be needed.
    fn back_to_document(&mut self, file: Arc<str>, cause: Cause, why: AskedFor) -> Option<Point> {
        let document = self.load.document()?;
        let end = document.end.or(document.first_byte)?;
        self.leg(end, cause, About::Browser, LegFact::AskedFor { file, why });
        Some(Point::DocumentPart(document.id))
    }

    fn url_of(&self, index: usize) -> Option<Arc<str>> {
        let mut at = Some(index);
        while let Some(i) = at {
            if let Some(url) = self.load.work[i].url.clone().filter(|u| !u.is_empty()) {
                return Some(url);
            }
            at = self.parents[i];
        }
        None
    }

    /// The outermost run of script that was under way at a moment.
    fn script_at(&self, at: Millis, request: &Request) -> Option<usize> {
        let at_end = at + Millis(0.5);
        let covering = |w: &crate::Work| w.start <= at_end && w.end() + Millis(0.5) >= at;
        let runs = self.load.work.iter().enumerate().filter(|(_, w)| covering(w) && w.script().is_some());
        // Prefer the script that the stack names; among its pieces, the outermost.
        let mut candidates: Vec<(usize, bool, u16)> = runs
            .map(|(i, w)| {
                let url = w.url.as_ref();
                let named = request.initiator.stack.iter().chain(request.initiator.url.iter()).any(|u| Some(u) == url);
                (i, named, w.depth)
            })
            .collect();
        candidates.sort_by_key(|&(i, named, depth)| (!named, depth, i));
        if let Some(found) = candidates.first().filter(|c| c.1) {
            return Some(found.0);
        }
        // A picture is fetched after the script that inserted it has ended, within the same task.
        let task = self.load.work.iter().rposition(|w| w.depth == 0 && covering(w))?;
        let inside = self.load.work[task + 1..].iter().take_while(|w| w.depth > 0).count();
        let named = |w: &crate::Work| {
            request.initiator.stack.iter().chain(request.initiator.url.iter()).any(|u| Some(u) == w.url.as_ref())
        };
        (task + 1..=task + inside)
            .rev()
            .filter(|&i| self.load.work[i].start <= at_end && self.load.work[i].script().is_some())
            .find(|&i| named(&self.load.work[i]))
            .or_else(|| candidates.first().map(|c| c.0))
    }

    /// What let a piece of script begin.
    fn began(&mut self, index: usize) -> Option<Point> {
        let work = &self.load.work[index];
        let url = self.url_of(index)?;
        let code = self.code(&url);

        // A timer: back to whoever set it.
        let mut around = Some(index);
        while let Some(i) = around {
            if let (WorkName::Timer, Some(timer)) = (self.load.work[i].name, self.load.work[i].timer) {
                let fired = self.load.work[i].start;
                let set = self.load.timers.iter().rev().find(|t| t.timer == timer && t.at <= fired);
                if let Some(set) = set {
                    let fact = LegFact::TimerRuns { script: code.clone(), timeout: set.timeout };
                    self.leg(set.at, Cause::Timer, About::Script(&url), fact);
                    if let Some(setter) = self.run_at(set.at) {
                        let by = self.url_of(setter).unwrap_or_else(|| url.clone());
                        let fact = LegFact::SetsTimer { script: self.code(&by) };
                        self.leg(self.load.work[setter].start, Cause::Script, About::Script(&by), fact);
                        return Some(Point::Began(setter));
                    }
                }
            }
            around = self.parents[i];
        }

        let script = self.prepared.first_for(&url);
        // Its first run: its own bytes, or whatever held it back after they had come.
        if work.name == WorkName::Evaluate {
            return self.first_run(index, script, &url);
        }

        // A later run of it: an event, a promise, an idle moment. What ended just before?
        let event = self.event_around(index);
        let of_picture = event.as_deref() == Some("load");
        let fetched = self
            .load
            .requests
            .iter()
            .filter(|r| Some(r.id) != script.map(|s| s.id) && matches!(r.initiator.kind, InitiatorKind::Script))
            .filter(|r| {
                r.initiator.stack.contains(&url)
                    && (matches!(r.kind, ResourceKind::Data | ResourceKind::Other | ResourceKind::Script)
                        || (of_picture && r.kind == ResourceKind::Image))
            })
            .filter_map(|r| Some((r.end?, r.id)))
            .filter(|(end, _)| *end <= self.cursor && self.cursor - *end < Millis(60.0))
            .max_by(|a, b| a.0.order(&b.0));
        if let Some((end, id)) = fetched {
            self.leg(end, Cause::Handover, About::Script(&url), LegFact::TakesAnswer { script: code });
            return Some(Point::Bytes(id));
        }
        let first = self
            .load
            .work
            .iter()
            .position(|w| w.name == WorkName::Evaluate && w.url.as_ref() == Some(&url) && w.start < work.start);
        if let Some(first) = first {
            let ran = self.load.work[first].end().min(self.cursor);
            // Between its first run and this one: the parser's end, if that is what the event says.
            if let (Some("DOMContentLoaded" | "readystatechange"), Some(parsed)) =
                (event.as_deref(), self.load.dom_interactive)
                && parsed > ran
                && parsed <= self.cursor
            {
                self.leg(parsed, Cause::Busy, About::Browser, LegFact::EventDelivered);
                if let Some(last) = self.last_release(parsed, None) {
                    self.leg(last.0, Cause::Parse, About::Browser, LegFact::ParsedToEnd { script: code });
                    return Some(Point::Released(last.1));
                }
                return Some(Point::DocumentPart(self.load.document()?.id));
            }
            let fact = LegFact::ScriptWaits { script: code.clone(), event, ran: true };
            self.leg(ran, Cause::ScriptWait, About::Script(&url), fact);
            let fact = LegFact::FirstRun { script: code };
            self.leg(self.load.work[first].start, Cause::Script, About::Script(&url), fact);
            return Some(Point::Began(first));
        }
        match script.and_then(|s| Some((s.end?, s.id))) {
            Some((end, id)) if end <= self.cursor => {
                let fact = LegFact::ScriptWaits { script: code, event: None, ran: false };
                self.leg(end, Cause::ScriptWait, About::Script(&url), fact);
                Some(Point::Bytes(id))
            }
            _ => Some(Point::DocumentPart(self.load.document()?.id)),
        }
    }

    /// What the first run of a script waited for: its bytes, or a blocking script or sheet before it.
    fn first_run(&mut self, index: usize, script: Option<&Request>, url: &Arc<str>) -> Option<Point> {
        let code = self.code(url);
        let inline = script.is_none_or(|s| s.kind == ResourceKind::Document);
        let own_end = if inline { None } else { script.and_then(|s| s.end) };
        // A module runs once all that it imports has come.
        if let Some((end, id)) = self.last_import(url, self.load.work[index].start)
            && own_end.is_none_or(|own| end > own)
        {
            let fact = LegFact::HandedOver { file: code, why: HandedOver::Imports };
            self.leg(end, Cause::Handover, About::Script(url), fact);
            return Some(Point::Bytes(id));
        }
        let before = self.last_release(self.load.work[index].start, script.filter(|_| !inline).map(|s| s.id));
        match (own_end, before) {
            (own, Some((at, blocker))) if own.is_none_or(|own| at > own) && at <= self.cursor + Millis(0.01) => {
                self.leg(at, Cause::Held, About::Script(url), LegFact::HeldInOrder { script: code });
                Some(Point::Released(blocker))
            }
            (Some(own), _) => {
                let id = script?.id;
                let fact = LegFact::HandedOver { file: code, why: HandedOver::ToRun };
                self.leg(own, Cause::Handover, About::Script(url), fact);
                Some(Point::Bytes(id))
            }
            _ => Some(Point::DocumentPart(self.load.document()?.id)),
        }
    }

    /// The last file to come of those that a module imports, and those import in turn: scripts that it
    /// asked for before it first ran.
    fn last_import(&self, url: &Arc<str>, ran: Millis) -> Option<(Millis, RequestId)> {
        let mut importers: HashSet<&Arc<str>> = HashSet::from([url]);
        let mut last: Option<(Millis, RequestId)> = None;
        // Requests stand in the order in which they were asked for: an importer before its imports.
        for request in self.load.requests.iter().filter(|r| r.kind == ResourceKind::Script && r.start < ran) {
            let imported = request.initiator.stack.is_empty()
                && request.initiator.kind == InitiatorKind::Script
                && request.initiator.url.as_ref().is_some_and(|by| importers.contains(by));
            if let (true, Some(end)) = (imported && request.url != *url, request.end.filter(|end| *end <= ran)) {
                importers.insert(&request.url);
                if last.is_none_or(|(at, _)| end > at) {
                    last = Some((end, request.id));
                }
            }
        }
        last
    }

    /// The last blocking script or sheet that let go by `by`, other than one.
    fn last_release(&self, by: Millis, other_than: Option<RequestId>) -> Option<(Millis, RequestId)> {
        self.load
            .requests
            .iter()
            .filter(|r| Some(r.id) != other_than && r.main_frame)
            .filter(|r| matches!(r.render_blocking, RenderBlocking::Blocking | RenderBlocking::InBodyParserBlocking))
            .filter_map(|r| Some((self.prepared.released(r)?, r.id)))
            .filter(|(at, _)| *at <= by + Millis(0.01) && *at <= self.cursor + Millis(0.01))
            .max_by(|a, b| a.0.order(&b.0))
    }

    /// The last request to block rendering that let go by `by`, other than one.
    fn last_block(&self, by: Millis, other_than: RequestId) -> Option<(Millis, RequestId)> {
        self.load
            .requests
            .iter()
            .filter(|r| r.render_blocking == RenderBlocking::Blocking && r.main_frame && r.id != other_than)
            .filter_map(|r| Some((self.prepared.released(r)?, r.id)))
            .filter(|(at, _)| *at <= by + Millis(0.01) && *at <= self.cursor + Millis(0.01))
            .max_by(|a, b| a.0.order(&b.0))
    }

    fn run_at(&self, at: Millis) -> Option<usize> {
        self.load
            .work
            .iter()
            .enumerate()
            .filter(|(_, w)| w.start <= at && w.end() >= at && w.script().is_some())
            .min_by_key(|(i, w)| (w.depth, *i))
            .map(|(i, _)| i)
    }

    fn event_around(&self, index: usize) -> Option<Arc<str>> {
        let mut at = self.parents[index];
        while let Some(i) = at {
            if self.load.work[i].name == WorkName::Event {
                return self.load.work[i].event.clone();
            }
            at = self.parents[i];
        }
        None
    }

    /// A blocking request: its run or parse, and then whatever that waited for.
    fn released(&mut self, id: RequestId) -> Option<Point> {
        let request = self.load.request(id)?;
        let file = request.url.clone();
        let Some((index, work)) = self.prepared.first_use(request) else { return Some(Point::Bytes(id)) };
        if request.kind == ResourceKind::Style {
            self.leg(work.start, Cause::Render, About::Request(request), LegFact::SheetParsed { file });
            return Some(Point::Bytes(id));
        }
        self.leg(work.start, Cause::Script, About::Request(request), LegFact::BlockerRuns { file });
        let url = request.url.clone();
        self.first_run(index, Some(request), &url)
    }
}

enum About<'a> {
    Request(&'a Request),
    Script(&'a Arc<str>),
    Browser,
}

/// Joins a leg too short to read to the one before it (the first to the one after), keeping the sum.
fn join_crumbs(legs: Vec<Leg>) -> Vec<Leg> {
    let mut joined: Vec<Leg> = Vec::with_capacity(legs.len());
    for mut leg in legs {
        if let Some(last) = joined.last_mut() {
            let same = last.cause == leg.cause && last.request == leg.request && last.fact == leg.fact;
            if same || leg.length() < CRUMB {
                last.to_ms = leg.to_ms;
                continue;
            }
            if last.length() < CRUMB {
                leg.from_ms = last.from_ms;
                joined.pop();
            }
        }
        joined.push(leg);
    }
    joined
}

fn fixes_for(cause: Cause, request: Option<&Request>) -> Vec<EditKind> {
    let kind = request.map(|r| r.kind);
    match (cause, kind) {
        (Cause::Redirect, _) => vec![EditKind::DropRedirect],
        (Cause::Connect, _) => vec![EditKind::Preconnect],
        (Cause::Wait, Some(ResourceKind::Document)) => vec![EditKind::FasterResponse],
        (Cause::Download, Some(ResourceKind::Image)) => vec![EditKind::Resize, EditKind::Shrink],
        (Cause::Download, Some(ResourceKind::Script | ResourceKind::Style | ResourceKind::Document)) => {
            vec![EditKind::Compress, EditKind::Shrink]
        }
        (Cause::Script | Cause::Held | Cause::Queue | Cause::Wait, Some(ResourceKind::Script)) => {
            vec![EditKind::DeferScript]
        }
        (Cause::Queue | Cause::StyleFound, _) => vec![EditKind::Preload],
        (Cause::Timer | Cause::ScriptWait, _) => vec![EditKind::PutInHtml],
        (Cause::Busy, _) => vec![EditKind::SplitTask, EditKind::DelayScript],
        (Cause::Lazy, _) => vec![EditKind::PutInHtml, EditKind::Preload],
        (Cause::Wait | Cause::Render, Some(ResourceKind::Style)) => vec![EditKind::ReduceStyle],
        _ => Vec::new(),
    }
}
