//! The moments of a load with what each needs, read off the causal graph.

use super::seats::Seats;
use super::world::{Bond, Drawn, Fade, Frame, Kind, Need, Phase, Place, Run, START, Task, Transfer, World};
use crate::fonts::{AUTO_SHOWN, BLOCKED};
use crate::graph::{Cause, Edge, Graph, LegFact, Moment, TOLD_LATE, is_synchronous};
use crate::{Http, InitiatorKind, Millis, PaintKind, Prepared, Request, RequestId, WorkName};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::ops::Range;
use std::sync::Arc;

/// A pause of the thread shorter than this is its own handling between two tasks, in ms: it takes a few hundredths.
/// What comes in packet by packet over a line of 20 Mbit/s has tasks 0.6 ms apart, and the thread waits for it.
const BACK_TO_BACK: f64 = 0.25;
/// Clocks agree to within this, in ms.
const SLACK: f64 = 0.5;

/// A frame that a limit sets off is drawn within so many ms.
const LATE_FRAME: f64 = 60.0;

/// A paint of the load: first contentful, or a candidate for the largest.
#[derive(Debug, Clone, Copy)]
pub(super) struct Paint {
    pub moment: Place,
    /// Its area, of a candidate for the largest.
    pub size: f64,
    /// The request of the picture that it shows.
    pub file: Option<RequestId>,
}

/// A load's moments.
#[derive(Debug, Clone)]
pub(super) struct Moments {
    pub world: World,
    /// Runs of script and parsings of sheets, in order of time.
    pub runs: Vec<Run>,
    pub first_paint: Option<Paint>,
    /// In order of time.
    pub candidates: Vec<Paint>,
    /// The moment of each screen frame.
    pub frames: Vec<Place>,
    /// The layout shifts, in the load's order.
    pub shifts: Vec<Shift>,
    pub parser_end: Place,
    pub content_loaded: Option<Place>,
    /// When blocking requests let go.
    pub released: HashMap<RequestId, Place>,
    /// Those of them that the parser waits for.
    pub holds_parser: HashSet<RequestId>,
    /// When text no longer waited for a font.
    pub settled: BTreeMap<RequestId, Place>,
    /// When it would no longer have waited for those that it would be set in without that.
    pub stand_ins: HashMap<RequestId, Vec<Place>>,
    /// Before each task the end of the last one that later ones may build on.
    pub acted: Vec<Option<Place>>,
    /// The moments within each task.
    pub within: HashMap<u32, Vec<Place>>,
}

/// A layout shift.
#[derive(Debug, Clone, Copy)]
pub(super) struct Shift {
    pub moment: Place,
    /// The file that set it off by coming, where one did.
    pub by: Option<RequestId>,
}

/// Builds them.
pub(super) struct Builder<'g, 'a> {
    graph: &'g Graph<'a>,
    prepared: &'a Prepared,
    world: World,
    runs: Vec<Run>,
    known: HashMap<(Moment, u64), Place>,
    released: HashMap<RequestId, Place>,
    acted: Vec<Option<Place>>,
    within: HashMap<u32, Vec<Place>>,
    /// Where the needs of tasks that only draw a frame stand, with what else was added with them.
    frames: HashMap<u32, Range<usize>>,
    /// Answers that scripts stand still for, each with how far into its task it came, by task.
    stood_for: BTreeMap<u32, Vec<(f64, RequestId)>>,
    /// Tasks that draw a paint.
    shows: HashSet<u32>,
    /// The last frame to have been the first after a blocking request let go.
    unblocked: Option<Place>,
    parser_end: Place,
}

/// What a paint shows.
#[derive(Clone, Copy)]
struct Shown {
    /// The request of its picture.
    file: Option<RequestId>,
    text: bool,
    size: f64,
    /// Whether the frame that drew it waits for it.
    waits: bool,
}

impl<'g, 'a> Builder<'g, 'a> {
    pub(super) fn build(graph: &'g Graph<'a>, prepared: &'a Prepared) -> Moments {
        let mut builder = Self {
            graph,
            prepared,
            world: World::default(),
            runs: Vec::new(),
            known: HashMap::new(),
            released: HashMap::new(),
            acted: Vec::new(),
            within: HashMap::new(),
            frames: HashMap::new(),
            stood_for: BTreeMap::new(),
            shows: HashSet::new(),
            unblocked: None,
            parser_end: START,
        };
        builder.requests();
        builder.tasks();
        builder.stood();
        let load = &*prepared.load;
        builder.parser_end = builder.world.add(Kind::After, load.dom_interactive.map_or(0.0, |at| at.0));
        builder.network_needs();
        if let Some(at) = load.dom_interactive {
            let edges = graph.needs(Moment::ParserEnd, at);
            builder.edges(builder.parser_end, edges, None);
        }
        builder.task_needs();
        let first_frame = load.fcp.and_then(|at| builder.drawing_task(at.0)).map(|(task, _)| task);
        let first_paint =
            load.fcp.map(|at| builder.paint(at, Shown { file: None, text: true, size: 0.0, waits: true }));
        let drawn_by: Vec<Option<u32>> =
            load.lcp_candidates.iter().map(|c| builder.drawing_task(c.at.0).map(|(task, _)| task)).collect();
        let candidates: Vec<Paint> = load
            .lcp_candidates
            .iter()
            .enumerate()
            .map(|(place, c)| {
                let file = match (c.kind, c.url.as_deref()) {
                    (PaintKind::Image, Some(url)) => load.request_for(url, c.at).map(|r| r.id),
                    _ => None,
                };
                // A frame waits for the first content that it shows, or for the largest, which is its last candidate:
                // what else it shows would come in a later one.
                let task = drawn_by[place];
                let waits = task != first_frame && !drawn_by[place + 1..].contains(&task);
                builder.paint(c.at, Shown { file, text: c.kind == PaintKind::Text, size: c.size, waits })
            })
            .collect();
        let frames = load.frames.iter().map(|f| builder.frame(f.at_ms)).collect();
        let shifts = load.shifts.iter().map(|s| builder.shift(s.at)).collect();
        let content_loaded = load.dom_content_loaded.map(|at| {
            let place = builder.world.add(Kind::After, at.0);
            let edges = graph.parsed_by(at);
            builder.edges(place, edges, None);
            place
        });
        let settled = builder.known.iter().filter_map(|((moment, _), place)| match moment {
            Moment::FontSettled(font) => Some((*font, *place)),
            _ => None,
        });
        let settled: BTreeMap<RequestId, Place> = settled.collect();
        let stand_ins = settled.keys().map(|font| (*font, builder.stand_ins(*font))).collect();
        builder.lags();
        builder.skips();
        let holds = |id: &RequestId| load.request(*id).is_some_and(|r| graph.holds_parser(r));
        let holds_parser = builder.released.keys().copied().filter(holds).collect();
        Moments {
            world: builder.world,
            runs: builder.runs,
            first_paint,
            candidates,
            frames,
            shifts,
            parser_end: builder.parser_end,
            content_loaded,
            released: builder.released,
            holds_parser,
            settled,
            stand_ins,
            acted: builder.acted,
            within: builder.within,
        }
    }

    /// The six moments of each request, and its body on the line.
    #[allow(clippy::cast_precision_loss)]
    fn requests(&mut self) {
        let load = &*self.prepared.load;
        self.world.add(Kind::After, 0.0);
        self.world.rate = load.conditions.as_ref().map_or(0.0, crate::Conditions::down_bytes_per_ms);
        self.world.round_trip = load.conditions.as_ref().map_or(0.0, crate::Conditions::total_round_trip_ms);
        let mut connections: HashMap<u64, u32> = HashMap::new();
        let mut fresh = 0u32;
        for (request, i) in load.requests.iter().zip(0u32..) {
            let start = request.start.0;
            let sent = request.sent.map_or(start, |at| at.0).max(start);
            let answered = request.final_headers.or(request.first_byte).map_or(sent, |at| at.0).max(sent);
            let done = request.end.map_or(answered, |at| at.0).max(answered);
            let connecting = request.connect_start.map_or(start, |at| at.0).clamp(start, sent);
            let connected = request.connect_end.map_or(connecting, |at| at.0).clamp(connecting, sent);
            let times = [start, connecting, connected, sent, answered, done];
            for (phase, at) in Phase::ALL.into_iter().zip(times) {
                let kind = match phase {
                    Phase::Answered => Kind::Answered(i),
                    Phase::Done => Kind::Done(i),
                    _ => Kind::After,
                };
                self.world.add(kind, at);
            }
            let connection = match request.connection {
                Some(id) => *connections.entry(id).or_insert_with(|| {
                    fresh += 1;
                    fresh - 1
                }),
                None => {
                    fresh += 1;
                    fresh - 1
                }
            };
            let from_cache = matches!(request.cache, Some(c) if c != crate::CacheSource::Revalidated);
            let counted = request.is_network() && !from_cache;
            let bytes = if counted { request.transferred.map_or(0.0, |b| b.0 as f64) } else { 0.0 };
            self.world.transfers.push(Transfer {
                connection,
                bytes,
                bytes_observed: bytes,
                wait: answered - sent,
                queued: 0.0,
                body: done - answered,
            });
        }
        self.queues();
    }

    /// What of each wait was the server's, and what stood before the headers on their connection. An answer that went
    /// behind another was ready no sooner than that one.
    fn queues(&mut self) {
        let load = &*self.prepared.load;
        let moment = |world: &World, phase: Phase, id: RequestId| world.moment(phase.of(id)).at;
        let mut answers: Vec<RequestId> = load.requests.iter().map(|r| r.id).collect();
        answers.sort_by(|a, b| {
            let answered = |id: &RequestId| moment(&self.world, Phase::Answered, *id);
            answered(a).total_cmp(&answered(b))
        });
        self.world.answers = answers.iter().map(|id| id.0).collect();
        for id in answers {
            let Some(request) = load.request(id) else { continue };
            let [sent, answered] = [Phase::Sent, Phase::Answered].map(|phase| moment(&self.world, phase, id));
            let mut ahead = self.graph.line().ahead(request, Millis(sent), Millis(answered));
            ahead.retain(|(other, _)| {
                // Of bytes that a browser tells of together some seem to have come before the headers of their own.
                moment(&self.world, Phase::Done, *other) > sent
                    && moment(&self.world, Phase::Answered, *other) <= answered
            });
            let most = (answered - sent - self.world.round_trip).max(0.0);
            let since = answered - ahead.iter().map(|(_, ms)| ms.0).sum::<f64>().min(most);
            let ready = |id: RequestId| moment(&self.world, Phase::Sent, id) + self.world.transfers[id.0 as usize].wait;
            let since = ahead.iter().map(|(other, _)| ready(*other)).fold(since, f64::max).min(answered);
            let transfer = &mut self.world.transfers[id.0 as usize];
            (transfer.wait, transfer.queued) = (since - sent, answered - since);
        }
    }

    fn tasks(&mut self) {
        let work = &self.prepared.load.work;
        let starts: Vec<(f64, f64)> =
            self.prepared.index.tasks.iter().map(|&t| (work[t].start.0, work[t].end().0)).collect();
        for (i, (&(start, end), order)) in starts.iter().zip(0u32..).enumerate() {
            let next = starts.get(i + 1).map_or(f64::INFINITY, |n| n.0);
            let pause = next - end;
            let gap = if pause < BACK_TO_BACK { pause } else { 0.0 };
            let begins = self.world.add(Kind::Begins(order), start);
            self.world.tasks.push(Task {
                begins,
                duration: end - start,
                gap,
                order: f64::from(order),
                start,
                ready: f64::INFINITY,
                split: false,
                stands_until: None,
            });
        }
    }

    /// Scripts stand still for some answers (XMLHttpRequest, section 3.5.6): what follows in their tasks comes so long
    /// after those.
    fn stood(&mut self) {
        let load = &*self.prepared.load;
        for request in load.requests.iter().filter(|r| is_synchronous(r)) {
            let Some(end) = request.end else { continue };
            let after = self.world.tasks.partition_point(|task| task.start <= request.start.0);
            let Some(task) = after.checked_sub(1) else { continue };
            let Task { start, duration, .. } = self.world.tasks[task];
            if let (true, Ok(place)) = (end.0 <= start + duration, u32::try_from(task)) {
                self.stood_for.entry(place).or_default().push((end.0 - start, request.id));
            }
        }
        let tasks: Vec<u32> = self.stood_for.keys().copied().collect();
        for task in tasks {
            let end = self.inside(task, self.world.tasks[task as usize].duration);
            self.world.tasks[task as usize].stands_until = Some(end);
        }
    }

    fn network_needs(&mut self) {
        let load = &*self.prepared.load;
        let mut openers: HashMap<u64, RequestId> = HashMap::new();
        for request in &load.requests {
            if let (Some(connection), Some(_)) = (request.connection, request.connect_end) {
                openers.entry(connection).or_insert(request.id);
            }
        }
        let queues: Vec<Vec<Edge>> = load.requests.iter().map(|r| self.queue(r)).collect();
        let could = |(request, edges): (&Request, &Vec<Edge>)| {
            edges.iter().map(|edge| edge.at.0).fold(request.start.0, f64::max)
        };
        let could: Vec<f64> = load.requests.iter().zip(&queues).map(could).collect();
        let seats = Seats::of(self.prepared, &could);
        for ((request, queue), (seat, held)) in
            load.requests.iter().zip(queues).zip(seats.seats.iter().zip(&seats.held))
        {
            let id = request.id;
            let [asked, connecting, connected, sent, answered, done] = Phase::ALL.map(|p| p.of(id));
            let edges = self.graph.needs(Moment::Asked(id), request.start);
            self.edges(asked, edges, None);
            if matches!(request.initiator.kind, InitiatorKind::Parser | InitiatorKind::Preload)
                && let Some(document) = load.document().filter(|d| d.id != id)
                && let Some(part) = self.graph.read_by_then(request.start)
            {
                let place = self.part(document.id, part.0);
                self.gate(asked, place);
            }
            self.world.need(connecting, asked, Bond::Origin);
            self.world.need(connected, connecting, Bond::Origin);
            self.world.need(answered, sent, Bond::Origin);
            self.world.need(done, answered, Bond::Origin);
            if seat.is_some() {
                self.world.need(sent, asked, Bond::Origin);
                self.world.moment_mut(sent).kind = Kind::Sent(id.0);
                self.edges(sent, queue, None);
                // Its end may be told of late.
                let before = held.map(|before| Phase::Done.of(before));
                let told = |on: &Place| self.world.moment(*on).at <= self.world.moment(sent).at + TOLD_LATE.0;
                if let Some(before) = before.filter(told) {
                    self.world.need(sent, before, Bond::Gate);
                }
                continue;
            }
            self.world.need(sent, connected, Bond::Origin);
            self.edges(if request.connect_start.is_some() { connecting } else { sent }, queue, None);
            if request.connect_start.is_none()
                && let Some(opener) = request.connection.and_then(|c| openers.get(&c)).filter(|o| **o != id)
            {
                self.gate(sent, Phase::Connected.of(*opener));
            }
            // Over HTTP/1.1 one response follows another on a connection.
            let before = request.sent.filter(|_| !multiplexed(request));
            if let Some(before) = before.and_then(|at| self.graph.before_on_connection(request, at)) {
                self.gate(sent, Phase::Done.of(before.id));
            }
        }
        self.seated(seats);
    }

    /// What a request needs to begin with its connection, or to be sent over one that is there.
    fn queue(&self, request: &Request) -> Vec<Edge> {
        match (request.connect_start, request.sent) {
            (Some(at), _) => self.graph.needs(Moment::Connecting(request.id), at),
            (None, Some(at)) => self.graph.needs(Moment::Sent(request.id), at),
            (None, None) => Vec::new(),
        }
    }

    /// Requests with a seat come over the connections that the pools give them.
    fn seated(&mut self, seats: Seats) {
        let others = self.world.transfers.iter().map(|t| t.connection + 1).max().unwrap_or(0);
        for (transfer, connection) in self.world.transfers.iter_mut().zip(&seats.connections) {
            transfer.connection = connection.map_or(transfer.connection, |own| others + own);
        }
        (self.world.pools, self.world.seats) = (seats.pools, seats.seats);
    }

    /// A need that is no origin, where it came in time.
    fn gate(&mut self, moment: Place, on: Place) {
        if self.world.moment(on).at <= self.world.moment(moment).at + SLACK {
            self.world.need(moment, on, Bond::Gate);
        }
    }

    fn task_needs(&mut self) {
        let prepared = self.prepared;
        let work = &prepared.load.work;
        let mut parsed: Option<Place> = None;
        // The last task that did something which later ones may build on.
        let mut acted: Option<Place> = None;
        let mut drawn_at = 0.0;
        for (index, task) in (0u32..).zip(prepared.index.tasks.iter().copied()) {
            let state = self.world.tasks[index as usize];
            self.acted.push(acted);
            let inside = work[task + 1..].iter().take_while(|w| w.depth > 0).count();
            let (mut skip, mut acts, mut draws, mut parses) = (None, false, false, false);
            let (mut styles, mut painted) = (false, None);
            // Pictures in vectors are read while style or layout is computed: the parser has no part in it.
            let mut laid_out = Millis::ZERO;
            let mut told_by_frame = Millis::ZERO;
            let mut elsewhere = false;
            for (own, piece) in work[task..=task + inside].iter().zip(task..) {
                if skip.is_some_and(|depth| own.depth > depth) {
                    continue;
                }
                skip = None;
                draws |= matches!(own.name, WorkName::Style | WorkName::Layout | WorkName::Paint);
                if matches!(own.name, WorkName::Style | WorkName::Layout) {
                    styles = true;
                    laid_out = laid_out.max(own.end());
                }
                if own.is_step_of_frame() {
                    told_by_frame = told_by_frame.max(own.end());
                }
                if own.name == WorkName::Paint {
                    painted = Some(own.end().0 - state.start);
                }
                if own.name == WorkName::ParseFrame && own.depth == 1 {
                    elsewhere = true;
                    let edges = self.graph.needs(Moment::Began(piece), own.start);
                    self.edges(state.begins, edges, None);
                }
                if own.name == WorkName::ParseHtml && !parses && own.start >= laid_out {
                    parses = true;
                    let edges = self.graph.needs(Moment::Began(piece), own.start);
                    self.edges(state.begins, edges, None);
                    if let Some(before) = parsed {
                        self.gate(state.begins, before);
                    }
                }
                if own.script().is_none() && own.name != WorkName::ParseSheet {
                    continue;
                }
                skip = Some(own.depth);
                let run = u32::try_from(self.runs.len()).ok();
                self.runs.push(Run { piece, task: index, offset: own.start.0 - state.start, length: own.duration.0 });
                if own.start < told_by_frame {
                    continue;
                }
                acts = true;
                let edges = self.graph.needs(Moment::Began(piece), own.start);
                self.edges(state.begins, edges, run);
            }
            // A picture in vectors, or an inner frame's document, is laid out without a frame of the screen.
            draws &= painted.is_some() || !elsewhere;
            // Whatever set another task off is not known: it stays where it was observed.
            if draws && !acts && !parses {
                let before = self.world.needs.len();
                self.frame_needs(state.begins, drawn_at, state.start, acted);
                self.frames.insert(index, before..self.world.needs.len());
            }
            if draws {
                drawn_at = state.start;
            }
            if let Some(painted) = painted.filter(|_| styles) {
                self.world.frames.push(Frame { task: index, painted });
            }
            if acts || parses {
                let end = self.inside(index, state.duration);
                acted = Some(end);
                if parses {
                    parsed = Some(end);
                }
            }
        }
    }

    /// A frame draws what has changed since the one before: by a task, or by a picture that came, or as much of one as
    /// has come where nothing else is known; and none is drawn before rendering is let go.
    fn frame_needs(&mut self, begins: Place, since: f64, start: f64, acted: Option<Place>) {
        let load = &*self.prepared.load;
        let pictures = || load.requests.iter().filter(|r| r.kind == crate::ResourceKind::Image);
        let came = pictures().filter(|r| r.end.is_some_and(|end| end.0 > since && end.0 <= start));
        let came: Vec<RequestId> = came.map(|r| r.id).collect();
        let acts = acted.is_some_and(|acted| self.world.moment(acted).at > since);
        let comes =
            |r: &&Request| r.first_byte.is_some_and(|at| at.0 <= start) && r.end.is_some_and(|end| end.0 > start);
        let parts: Vec<RequestId> =
            pictures().filter(|_| !acts && came.is_empty()).filter(comes).map(|r| r.id).collect();
        if let Some(acted) = acted.filter(|_| parts.is_empty()) {
            self.gate(begins, acted);
        }
        for picture in came {
            self.gate(begins, Phase::Done.of(picture));
        }
        for picture in parts {
            let part = self.part(picture, start);
            self.gate(begins, part);
        }
        // Those that had let go by the frame before are met by a frame earlier still.
        let blockers = self.graph.blockers_by(Millis(start));
        let news = blockers.iter().any(|(at, _)| at.0 > since);
        match self.unblocked.filter(|_| !news) {
            Some(earlier) => self.gate(begins, earlier),
            None => {
                for (at, id) in blockers {
                    let place = self.release(id, at.0);
                    self.gate(begins, place);
                }
                self.unblocked = Some(begins);
            }
        }
    }

    /// A paint, with the frame that drew it.
    fn paint(&mut self, at: Millis, shown: Shown) -> Paint {
        let Shown { file, text, size, waits } = shown;
        let place = self.world.add(Kind::After, at.0);
        let mut edges = self.graph.needs(Moment::Painted { file, text }, at);
        edges.extend(self.graph.known_needs(file, text, at));
        if let Some((task, end)) = self.drawing_task(at.0) {
            let Task { begins, start, .. } = self.world.tasks[task as usize];
            // What shows it waits for what it shows, and for nothing else that came since the frame before.
            if self.shows.insert(task) {
                // Among them stand needs of moments within other tasks, met here for the first time: those hold.
                let range = self.frames.get(&task).cloned().unwrap_or_default();
                for need in self.world.needs[range].iter_mut().filter(|n| n.moment == begins) {
                    need.void = true;
                }
            }
            let gates: Vec<Edge> = edges.iter().filter(|e| waits && e.at.0 <= start + SLACK).cloned().collect();
            for edge in gates {
                if let Some(on) = self.place(&edge, start) {
                    self.gate(begins, on);
                }
            }
            let painted = self.inside(task, end);
            self.gate(place, painted);
            let begun = self.graph.painting(at).map_or(end, |piece| self.graph.begun(piece).0 - start);
            let drawing = (end - begun).max(0.0);
            self.world.drawn.push(Drawn {
                moment: place,
                task,
                painted,
                from: f64::INFINITY,
                skips: 0,
                drawing,
                rested: 0.0,
            });
        }
        let from = self.world.needs.len();
        self.edges(place, edges, None);
        // Without its picture it is not.
        if let Some(file) = file {
            for need in self.world.needs[from..].iter_mut().filter(|n| n.on == Phase::Done.of(file)) {
                need.bond = Bond::Origin;
            }
        }
        Paint { moment: place, size, file }
    }

    /// A frame of the screen: so much after the painting before it.
    fn frame(&mut self, at: Millis) -> Place {
        let place = self.world.add(Kind::After, at.0);
        match self.drawing_task(at.0) {
            Some((task, end)) => {
                let end = self.inside(task, end);
                self.gate(place, end);
            }
            None => self.world.need(place, START, Bond::Gate),
        }
        place
    }

    /// A layout shift: with the laying out of its task, and not without what set it off.
    fn shift(&mut self, at: Millis) -> Shift {
        let task = self.prepared.task_at(at).and_then(|piece| self.task_of(piece));
        let laid_out = task.map(|task| self.inside(task, at.0 - self.world.tasks[task as usize].start));
        let edge = self.graph.shifted(at);
        let by = edge.as_ref().and_then(|edge| match edge.from {
            Moment::Done(id) => Some(id),
            _ => None,
        });
        let cause = edge.and_then(|edge| self.place(&edge, at.0));
        // Behind what it needs: of moments at one time the later one waits.
        let place = self.world.add(Kind::After, at.0);
        self.world.need(place, laid_out.unwrap_or(START), Bond::Gate);
        if let Some(cause) = cause {
            self.world.need(place, cause, Bond::Origin);
        }
        Shift { moment: place, by }
    }

    /// The task whose painting a paint shows, and where in it the painting ended.
    fn drawing_task(&self, at: f64) -> Option<(u32, f64)> {
        let work = &self.prepared.load.work;
        let painted = self.graph.painting(Millis(at))?;
        let task = self.task_of(painted)?;
        let start = self.world.tasks[task as usize].start;
        Some((task, work[painted].end().0 - start))
    }

    fn task_of(&self, piece: usize) -> Option<u32> {
        let after = self.prepared.index.tasks.partition_point(|&t| t <= piece);
        u32::try_from(after.checked_sub(1)?).ok()
    }

    /// Adds needs by the graph's edges. Those that lie later than the moment are within its own task.
    fn edges(&mut self, moment: Place, edges: Vec<Edge>, run: Option<u32>) {
        let at = self.world.moment(moment).at;
        for edge in edges.into_iter().filter(|e| e.at.0 <= at + SLACK) {
            let Some(on) = self.place(&edge, at) else { continue };
            if on == moment || self.is_within(on, moment) {
                continue;
            }
            self.world.needs.push(Need { moment, on, bond: bond(&edge), run, void: false });
        }
    }

    /// Whether a moment lies in the task of which another is the beginning.
    fn is_within(&self, place: Place, begins: Place) -> bool {
        matches!(self.world.moment(place).kind, Kind::Inside { task, .. } if self.world.tasks[task as usize].begins == begins)
    }

    /// The place of the moment that an edge leads back to.
    fn place(&mut self, edge: &Edge, by: f64) -> Option<Place> {
        let at = edge.at.0.max(0.0);
        let place = match edge.from {
            Moment::Start => START,
            Moment::Asked(id) => Phase::Asked.of(id),
            Moment::Connecting(id) => Phase::Connecting.of(id),
            Moment::Connected(id) => Phase::Connected.of(id),
            Moment::Sent(id) => Phase::Sent.of(id),
            Moment::Answered(id) => Phase::Answered.of(id),
            Moment::Done(id) => {
                let done = Phase::Done.of(id);
                if self.world.moment(done).at > at + SLACK { self.part(id, at) } else { done }
            }
            Moment::Document => self.part(self.prepared.load.document()?.id, at),
            Moment::Released(id) => self.release(id, at),
            Moment::Began(piece) | Moment::Inside(piece, _) => {
                let task = self.task_of(piece)?;
                let offset = at - self.world.tasks[task as usize].start;
                self.inside(task, offset)
            }
            Moment::ParserEnd => self.parser_end,
            other => self.told_by(other, at),
        };
        (self.world.moment(place).at <= by + SLACK).then_some(place)
    }

    /// A moment of another sort, with its own needs.
    fn told_by(&mut self, moment: Moment, at: f64) -> Place {
        let key = (moment, at.to_bits());
        if let Some(place) = self.known.get(&key) {
            return *place;
        }
        if let Moment::FontSettled(font) = moment {
            let place = self.font_settled(font, at);
            self.known.insert(key, place);
            return place;
        }
        if let Moment::Repainted(candidate) = moment
            && let Some(place) = self.repainted(candidate, at)
        {
            self.known.insert(key, place);
            return place;
        }
        let place = self.world.add(Kind::After, at);
        self.known.insert(key, place);
        let edges = self.graph.needs(moment, Millis(at));
        self.edges(place, edges, None);
        place
    }

    /// When text that is faded in is painted anew. What came between the fade's beginning and then, and did not have it
    /// painted, would not at another time.
    fn repainted(&mut self, candidate: usize, at: f64) -> Option<Place> {
        let faded = self.graph.faded(candidate, Millis(at))?;
        let from = self.prepared.load.animations[faded.animation].from.0;
        let comes = |font: RequestId| {
            let done = Phase::Done.of(font);
            (self.world.moment(done).at >= at - SLACK).then_some(done)
        };
        let [mut fonts, floats]: [Vec<Place>; 2] =
            [&faded.fonts, &faded.floats].map(|ids| ids.iter().filter_map(|id| comes(*id)).collect());
        let settled = faded.settled.iter().filter(|(settled, _)| settled.0 >= at - SLACK);
        let any = self.graph.fonts().filter_map(|(_, id)| comes(id)).collect();
        fonts.extend(settled.map(|(settled, font)| self.told_by(Moment::FontSettled(*font), settled.0)));
        let lasts = faded.ends.filter(|ends| ends.0 >= at - SLACK).map(|ends| ends.0 - from);
        let begun = self.world.add(Kind::After, from);
        let edges = self.graph.needs(Moment::Animated(faded.animation), Millis(from));
        self.edges(begun, edges, None);
        let candidate = faded.ends.is_none().then_some(candidate);
        let fade = Fade { begun, lasts, fonts, floats, any, candidate };
        let place = self.world.add(Kind::Repainted(u32::try_from(self.world.fades.len()).ok()?), at);
        self.world.need(place, begun, Bond::Origin);
        for font in fade.needs() {
            self.world.need(place, font, Bond::Gate);
        }
        self.world.fades.push(fade);
        Some(place)
    }

    /// When text would no longer wait for those that it would be set in without a font.
    fn stand_ins(&mut self, font: RequestId) -> Vec<Place> {
        let others = self.graph.standing_in_for(font);
        others.into_iter().map(|(at, other)| self.told_by(Moment::FontSettled(other), at.0)).collect()
    }

    /// When text no longer waits for a font: when it has come, or when the browser gives up on it.
    fn font_settled(&mut self, font: RequestId, at: f64) -> Place {
        let [asked, done] = [Phase::Asked, Phase::Done].map(|phase| phase.of(font));
        let waited = at - self.world.moment(asked).at;
        // Where the limit is not known it is told by when it was: the one counts from navigation start, the other from the asking.
        let by_page = (AUTO_SHOWN.0..AUTO_SHOWN.0 + LATE_FRAME).contains(&at) && waited < BLOCKED.0;
        let (after, not_before) = match self.prepared.load.display_of(font) {
            Some(display) => display.limit(),
            None if by_page => (Millis::ZERO, Millis(at)),
            None => (Millis(waited), Millis::ZERO),
        };
        let (after, not_before) = (after.0, not_before.0);
        // One that did not come within the load does not come with any edit that is known.
        let done = self.prepared.load.request(font).and_then(|r| r.end).map(|_| done);
        let frame = self.prepared.load.request(font).and_then(|r| self.graph.frame_asking_first(r));
        let frame = frame.and_then(|piece| self.task_of(piece)).map(|task| {
            let state = self.world.tasks[task as usize];
            (state.begins, self.inside(task, state.duration))
        });
        let place = self.world.add(Kind::FontSettled { asked, done, after, not_before, frame }, at);
        self.world.need(place, asked, Bond::Origin);
        if let Some((_, ends)) = frame {
            self.world.need(place, ends, Bond::Gate);
        }
        if let Some(done) = done {
            self.world.need(place, done, Bond::Gate);
        }
        place
    }

    /// When a blocking request let go: within the task that ran or took it, else with its last byte.
    fn release(&mut self, id: RequestId, at: f64) -> Place {
        if let Some(place) = self.released.get(&id) {
            return *place;
        }
        let request = self.prepared.load.request(id);
        let used = request.and_then(|r| self.prepared.first_use(r));
        let place = match used.and_then(|(piece, work)| Some((self.task_of(piece)?, work.end().0))) {
            Some((task, end)) if end + SLACK >= at => {
                let offset = end - self.world.tasks[task as usize].start;
                self.inside(task, offset)
            }
            _ => Phase::Done.of(id),
        };
        self.released.insert(id, place);
        place
    }

    fn inside(&mut self, task: u32, offset: f64) -> Place {
        let state = self.world.tasks[task as usize];
        let offset = offset.clamp(0.0, state.duration);
        let key = (Moment::Began(self.prepared.index.tasks[task as usize]), offset.to_bits());
        if let Some(place) = self.known.get(&key) {
            return *place;
        }
        let answers = self.stood_for.get(&task).into_iter().flatten().filter(|(came, _)| *came <= offset);
        let answer = answers.max_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, id)| Phase::Done.of(*id));
        let kind = if answer.is_some() { Kind::After } else { Kind::Inside { task, offset } };
        let place = self.world.add(kind, state.start + offset);
        self.world.need(place, state.begins, Bond::Origin);
        if let Some(answer) = answer {
            self.world.need(place, answer, Bond::Gate);
        }
        self.known.insert(key, place);
        self.within.entry(task).or_default().push(place);
        place
    }

    /// The bytes of a response that were there by a moment.
    fn part(&mut self, id: RequestId, at: f64) -> Place {
        let [answered, done] = [Phase::Answered, Phase::Done].map(|p| self.world.moment(p.of(id)).at);
        if at >= done - SLACK {
            return Phase::Done.of(id);
        }
        if at <= answered {
            return Phase::Answered.of(id);
        }
        let key = (Moment::Done(id), at.to_bits());
        if let Some(place) = self.known.get(&key) {
            return *place;
        }
        let share = (at - answered) / (done - answered);
        let place = self.world.add(Kind::Part { request: id.0, share }, at);
        self.world.need(place, Phase::Answered.of(id), Bond::Origin);
        self.known.insert(key, place);
        place
    }

    /// How many frames each paint let pass that could have shown it, as far as is known, and how long the thread
    /// rested meanwhile.
    fn skips(&mut self) {
        let world = &mut self.world;
        let from = world.shown_from(&|place| world.moment(place).at);
        for (drawn, from) in world.drawn.iter_mut().zip(from) {
            let own = world.tasks[drawn.task as usize].start;
            let starts = world.frames.iter().map(|frame| world.tasks[frame.task as usize].start);
            drawn.from = from;
            drawn.skips = starts.filter(|start| *start >= from && *start < own).count();
            let begun = world.moments[drawn.painted as usize].at - drawn.drawing;
            let busy = world.tasks.iter().map(|t| ((t.start + t.duration).min(begun) - t.start.max(from)).max(0.0));
            drawn.rested = (begun - from - busy.sum::<f64>()).max(0.0);
        }
    }

    /// How much later than its last need each moment came.
    fn lags(&mut self) {
        let moments = &self.world.moments;
        let mut latest = vec![f64::NEG_INFINITY; moments.len()];
        for need in self.world.needs.iter().filter(|n| !n.void) {
            let at = &mut latest[need.moment as usize];
            *at = at.max(moments[need.on as usize].at);
        }
        // When the stretch began in which the thread did not rest before each task.
        let mut period = 0.0;
        let mut rested = true;
        let mut ready = vec![0.0; self.world.tasks.len()];
        for (i, task) in self.world.tasks.iter().enumerate() {
            if rested {
                period = task.start;
            }
            ready[i] = if rested { task.start } else { latest[task.begins as usize].max(period).min(task.start) };
            let next = self.world.tasks.get(i + 1).map_or(f64::INFINITY, |n| n.start);
            rested = next - (task.start + task.duration) >= BACK_TO_BACK;
        }
        for (i, moment) in self.world.moments.iter_mut().enumerate() {
            let since = if latest[i].is_finite() { latest[i] } else { 0.0 };
            let due = match moment.kind {
                Kind::After => moment.at,
                Kind::Begins(task) => ready[task as usize],
                Kind::Sent(request) => self.world.seats[request as usize].map_or(moment.at, |seat| seat.wants),
                _ => continue,
            };
            (moment.lag, moment.due) = (due - since, due);
        }
    }
}

/// Whether an edge's moment would not be without what it leads back to.
fn bond(edge: &Edge) -> Bond {
    let origin = match (&edge.from, &edge.fact) {
        // Without the code that held it the parser reads on all the same.
        (Moment::Inside(..), LegFact::Read | LegFact::ParsedOn | LegFact::ParserReaches { .. }) => false,
        (Moment::Inside(..) | Moment::Began(_), _)
        | (
            Moment::Done(_) | Moment::Answered(_),
            LegFact::TakesAnswer { .. }
            | LegFact::CalledBack { .. }
            | LegFact::Imported { .. }
            | LegFact::AskedLater { .. },
        )
        | (_, LegFact::FoundThrough { gate: None, .. } | LegFact::StreamSays { .. }) => true,
        _ => edge.cause == Cause::Redirect,
    };
    if origin { Bond::Origin } else { Bond::Gate }
}

/// Whether a connection carries several responses at once.
pub(super) fn multiplexed(request: &Request) -> bool {
    Http::named(request.protocol.as_deref()) == Http::Second
}

/// The address of a run.
pub(super) fn address(prepared: &Prepared, run: &Run) -> Option<Arc<str>> {
    prepared.load.work[run.piece].url.clone()
}
