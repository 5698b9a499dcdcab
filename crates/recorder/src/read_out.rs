//! Reading a load out once it is over: trace, page, elements, bodies.

use crate::load::LoadResult;
use crate::protocol::CALL;
use crate::reasons::failure;
use crate::tab::MOST_OF_ONE;
use crate::watch::{Events, Outcome, Watcher};
use crate::{RecordError, page, text};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use phainon_core::{Bytes, FontFace, Millis, Note, PaintKind};
use phainon_formats::trace::{self, Wanted};
use phainon_formats::{BodyMap, FrameRecord, KeptBody, PageRecord, RawLoad, TraceText, TraceWriter, body_hash};
use serde_json::{Value, json};
use std::io::Write;
use std::sync::Arc;
use std::time::Duration;
use tokio::time::{Instant, timeout_at};

impl Watcher<'_> {
    /// Everything observed in the load.
    pub async fn read_out(
        mut self,
        events: &mut Events,
        outcome: Outcome,
        started_at: String,
    ) -> Result<LoadResult, RecordError> {
        self.job.stage(crate::Stage::Reading, self.traffic.count(), None);
        let (client, session) = (self.client.clone(), self.tab.session.clone());
        if self.job.instruments.frames {
            client.tell(Some(&session), "Page.stopScreencast", json!({}));
        }
        let mut notes = Vec::new();
        let trace = if self.job.instruments.trace { Some(Arc::new(self.read_trace(events).await?)) } else { None };
        let facts = match &trace {
            Some(text) => {
                let (text, frame) = (text.clone(), self.main_frame.clone());
                // A long trace takes its time, and the events of the page go on coming meanwhile.
                let reading = tokio::task::spawn_blocking(move || {
                    trace::read(&text, "the trace", Wanted { frame: Some(&frame), ..Wanted::default() }).ok()
                });
                self.while_waiting(events, async { Ok(reading.await.unwrap_or(None)) }).await?
            }
            None => None,
        };
        let mut record = PageRecord {
            url: facts.as_ref().map_or_else(|| self.job.url.to_owned(), |f| f.url.clone()),
            frame: Some(self.main_frame.clone()),
            browser: Some(self.tab.product.clone()),
            started_at: Some(started_at),
            cut_off: outcome.cut_off,
            trace: self.job.trace.map(|trace| trace.id()),
            acted_ms: outcome.acted_ms,
            errors: std::mem::take(&mut self.errors),
            steps: self.job.steps.iter().map(|s| s.masked().to_string()).collect(),
            ..PageRecord::default()
        };
        if !outcome.stuck {
            self.read_page(events, &mut record, facts.as_ref(), &mut notes).await?;
        }
        let navigation_us = facts.as_ref().map_or(0.0, |f| f.navigation_start_us);
        let mut bodies = BodyMap::new();
        if self.job.instruments.bodies {
            self.read_bodies(events, &mut bodies, &mut notes, navigation_us, outcome.stuck).await?;
        }
        record.end_ms = facts.as_ref().map(|f| f.end);
        let frames = self.named_frames();
        if self.frames_left_out > 0 {
            notes.push(Note::PicturesLeftOut { left_out: self.frames_left_out, kept: frames.len() });
        }
        if self.windows > 0 {
            notes.push(Note::WindowsOpened { count: self.windows });
        }
        record.frames = frames.iter().map(|(frame, _)| frame.clone()).collect();
        let failed = failure(self.traffic.document(&self.main_frame), &outcome, self.job.limits);
        if self.job.instruments.trace && facts.is_none() {
            return Err(RecordError::Other(
                failed.unwrap_or_else(|| "The browser's trace holds no navigation to the page.".into()),
            ));
        }
        record.notes = notes;
        // What the browser asks for from here on is not the page's.
        let network = std::mem::take(&mut self.traffic.log);
        if !outcome.stuck && record.elements.iter().any(|e| !e.texts.is_empty()) {
            record.fonts = self.read_fonts(events).await;
        }
        let raw = RawLoad {
            name: format!("load {}", self.job.number),
            visit: self.job.visit,
            conditions: Some(self.job.conditions.clone()),
            network: Some(network),
            trace: trace.map(Arc::unwrap_or_clone),
            page: Some(record),
            frames,
            failed,
            ..RawLoad::default()
        };
        Ok(LoadResult { raw, bodies })
    }

    /// Facts about the document, and the elements that the trace knows by number only.
    async fn read_page(
        &mut self,
        events: &mut Events,
        record: &mut PageRecord,
        facts: Option<&trace::TraceFacts>,
        notes: &mut Vec<Note>,
    ) -> Result<(), RecordError> {
        let (client, session) = (self.client.clone(), self.tab.session.clone());
        if let Some(world) = self.world {
            let read = async { Ok(page::read(&client, &session, world).await) };
            match self.while_waiting(events, read).await? {
                Ok(read) => {
                    record.facts = Some(read.facts);
                    record.observed = Some(read.observed);
                }
                Err(e) => notes.push(Note::PageNotRead { why: e.to_string() }),
            }
            let listened = async { Ok(page::listened(&client, &session).await) };
            record.listened = self.while_waiting(events, listened).await?;
        }
        let world = self.world;
        let text = facts.and_then(|f| f.lcp_candidates.last()).filter(|c| c.kind == PaintKind::Text);
        let mut animated = Vec::new();
        for node in facts.filter(|_| text.is_some()).map(nodes_animated).unwrap_or_default() {
            let ask = async { Ok(page::resolve(&client, &session, world, node).await) };
            animated.extend(self.while_waiting(events, ask).await?.map(|object| (node, object)));
        }
        for node in facts.map(nodes_to_name).unwrap_or_default() {
            // All that stands before it is looked at for that: of the largest text alone.
            let around = if text.is_some_and(|text| text.node == Some(node)) { &animated[..] } else { &[] };
            let ask = async { Ok(page::element(&client, &session, world, node, around).await) };
            let found = self.while_waiting(events, ask).await?;
            record.elements.extend(found);
        }
        Ok(())
    }

    /// The fonts that the page has loaded; `None` where the browser does not tell.
    async fn read_fonts(&mut self, events: &mut Events) -> Option<Vec<FontFace>> {
        let (client, session) = (self.client.clone(), self.tab.session.clone());
        self.while_waiting(events, page::announce_fonts(&client, &session)).await.ok()?;
        // They were announced before the browser answered.
        while let Ok(event) = events.try_recv() {
            self.take(&event);
        }
        Some(std::mem::take(&mut self.fonts))
    }

    async fn read_trace(&mut self, events: &mut Events) -> Result<TraceText, RecordError> {
        let (client, session) = (self.client.clone(), self.tab.session.clone());
        let end = client.call(Some(&session), "Tracing.end", json!({}), CALL);
        self.while_waiting(events, end).await?;
        let deadline = Instant::now() + Duration::from_secs(20);
        while self.trace_stream.is_none() {
            match timeout_at(deadline, events.recv()).await {
                Ok(Some(event)) => self.take(&event),
                Ok(None) => return Err(RecordError::BrowserGone(" while its trace was read".into())),
                Err(_) => return Err(RecordError::NoAnswer("Tracing.end".into(), 20)),
            }
        }
        let stream = self.trace_stream.clone().unwrap_or_default();
        let unpacked = |e: std::io::Error| RecordError::Other(format!("The trace could not be packed: {e}."));
        let mut text = TraceWriter::new();
        loop {
            let read = client.call(Some(&session), "IO.read", json!({"handle": stream, "size": 1 << 20}), CALL);
            let part = self.while_waiting(events, read).await?;
            let data = part["data"].as_str().unwrap_or("");
            let written = if part["base64Encoded"].as_bool() == Some(true) {
                text.write_all(&STANDARD.decode(data).unwrap_or_default())
            } else {
                text.write_all(data.as_bytes())
            };
            written.map_err(unpacked)?;
            if part["eof"].as_bool() != Some(false) {
                break;
            }
        }
        client.tell(Some(&session), "IO.close", json!({"handle": stream}));
        text.done().map_err(unpacked)
    }

    async fn read_bodies(
        &mut self,
        events: &mut Events,
        bodies: &mut BodyMap,
        notes: &mut Vec<Note>,
        navigation_us: f64,
        stuck: bool,
    ) -> Result<(), RecordError> {
        let most = self.job.limits.bodies;
        let (mut kept, mut left_out, mut refused, mut inexact) = (0u64, 0usize, 0usize, 0usize);
        for answered in self.traffic.answered(navigation_us) {
            if answered.received > MOST_OF_ONE || kept + answered.received > most {
                left_out += 1;
                continue;
            }
            let limit = if stuck { Duration::from_secs(2) } else { CALL };
            let client = self.client.clone();
            let session = answered.session.clone().unwrap_or_else(|| self.tab.session.clone());
            let id = answered.id.clone();
            let ask = async move {
                let ask = json!({"requestId": id});
                Ok(client.call(Some(&session), "Network.getResponseBody", ask, limit).await.unwrap_or(Value::Null))
            };
            let answer = self.while_waiting(events, ask).await?;
            let Some(text) = answer["body"].as_str() else {
                refused += 1;
                continue;
            };
            let (body, exact) = if answer["base64Encoded"].as_bool() == Some(true) {
                (STANDARD.decode(text).unwrap_or_default(), true)
            } else {
                match text::original(text, &answered.charset, answered.received) {
                    Some(body) => (body, true),
                    None => (text.as_bytes().to_vec(), false),
                }
            };
            // What went into a blob is gone from here, and the browser says so with nothing.
            if body.is_empty() && answered.expected > 0 {
                refused += 1;
                continue;
            }
            kept += body.len() as u64;
            inexact += usize::from(!exact);
            let hash = body_hash(&body);
            let size = body.len() as u64;
            self.traffic.log.bodies.push(KeptBody { request: answered.id, hash: hash.clone(), size, exact });
            bodies.insert(hash, body);
        }
        if left_out > 0 {
            notes.push(Note::BodiesLeftOut { count: left_out, one: Bytes(MOST_OF_ONE), all: Bytes(most) });
        }
        if refused > 0 {
            notes.push(Note::BodiesGone { count: refused });
        }
        if inexact > 0 {
            notes.push(Note::TextsInexact { count: inexact });
        }
        Ok(())
    }

    /// Frames with their file names; the wall clock of each is placed on the load's when it is read.
    fn named_frames(&mut self) -> Vec<(FrameRecord, Vec<u8>)> {
        let frames = std::mem::take(&mut self.frames);
        frames
            .into_iter()
            .enumerate()
            .map(|(n, (wall, picture))| {
                (FrameRecord { file: format!("{n:04}.jpg"), wall_s: Some(wall), at_ms: None }, picture)
            })
            .collect()
    }
}

/// So many elements that were animated are looked at.
const MOST_ANIMATED: usize = 20;

/// The elements that were animated before the last candidate for the largest paint, each once.
fn nodes_animated(facts: &trace::TraceFacts) -> Vec<i64> {
    let last = facts.lcp_candidates.last().map_or(Millis::ZERO, |c| c.at);
    let mut nodes: Vec<i64> = facts.animations.iter().rev().filter(|a| a.from < last).filter_map(|a| a.node).collect();
    let mut seen = std::collections::HashSet::new();
    nodes.retain(|n| seen.insert(*n));
    nodes.truncate(MOST_ANIMATED);
    nodes
}

/// The elements worth naming: of the last largest-paint candidates, of the gravest shifts, of inputs.
fn nodes_to_name(facts: &trace::TraceFacts) -> Vec<i64> {
    let mut nodes: Vec<i64> = facts.lcp_candidates.iter().rev().filter_map(|c| c.node).take(12).collect();
    let mut shifts: Vec<_> = facts.shifts.iter().collect();
    shifts.sort_by(|a, b| b.score.total_cmp(&a.score));
    nodes.extend(shifts.iter().take(12).flat_map(|s| s.moved.iter().filter_map(|m| m.node).take(5)));
    nodes.extend(facts.events.iter().filter(|e| e.interaction != 0).filter_map(|e| e.node).take(30));
    let mut seen = std::collections::HashSet::new();
    nodes.retain(|n| seen.insert(*n));
    nodes
}
