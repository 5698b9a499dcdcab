//! What of a file's time on the path is the file's alone.
//!
//! A path names what a paint waited for. Where two files come at nearly the same time, the later of them has
//! the whole wait, and yet the paint would hardly come earlier without it: the other one takes over. The
//! forward run tells how much earlier the paint comes once a file is there as soon as it is asked of its server,
//! and what it waits for then. It tells as well what a path cannot: that a file beside it takes the line from what
//! stands before a file of the path; and that without the sheet that names a font nobody would wait for that.

use super::change::Change;
use super::steps::Step;
use super::world::Phase;
use super::{Model, outcome};
use crate::graph::Cause;
use crate::path::Leg;
use crate::{Edit, InitiatorKind, Millis, NoBodies, OwnerKind, RequestId, ResourceKey, ResourceKind};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use ts_rs::TS;

/// Files that take less of the path than this, in ms, are not looked at.
const LEAST: f64 = 20.0;
/// So many of the heaviest files beside the path are looked at.
const BESIDE: usize = 10;

/// How a file would help the largest paint.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Helps {
    /// A file that the path waits for, by being there at once.
    AtOnce,
    /// So, though the path gives next to nothing to fetching it: its bytes take the line from what the path waits for.
    Beside,
    /// A sheet of others on the path, by being taken off: it names a font that the path waits for, and text would be
    /// shown in another one.
    Off,
}

/// What the largest paint gains from a file that is there at once, or is not there.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Relief {
    /// The file's request.
    pub request: RequestId,
    /// What the path gives to fetching it: waits, queues, connections and bytes.
    pub given_ms: Millis,
    /// How much earlier the largest paint would come.
    pub gain_ms: Millis,
    /// What then takes most of that stretch of the path.
    pub instead: Option<Instead>,
    /// How it helps.
    pub helps: Helps,
}

/// What takes over on the path.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Instead {
    /// The fetching of another file.
    Request(RequestId),
    /// A script at work.
    Script(Arc<str>),
}

/// Whether a leg is about fetching its file, not about what the file does.
#[must_use]
pub fn fetches(cause: Cause) -> bool {
    matches!(cause, Cause::Redirect | Cause::Queue | Cause::Connect | Cause::Wait | Cause::Download | Cause::Shared)
}

impl Model {
    /// What the largest paint gains from each file of its path that is there at once, in the path's order; from sheets
    /// of its fonts that are not there; then from those beside it that take the line from it, the one that is worth
    /// most first.
    #[must_use]
    pub fn reliefs(&self, path: &[Leg]) -> Vec<Relief> {
        let mut reliefs: Vec<Relief> = Vec::new();
        for leg in path.iter().filter(|l| fetches(l.cause)) {
            let Some(request) = leg.request else { continue };
            match reliefs.iter_mut().find(|r| r.request == request) {
                Some(known) => known.given_ms += leg.length(),
                None => reliefs.push(Relief {
                    request,
                    given_ms: leg.length(),
                    gain_ms: Millis::ZERO,
                    instead: None,
                    helps: Helps::AtOnce,
                }),
            }
        }
        reliefs.retain(|r| r.given_ms.0 >= LEAST);
        for relief in &mut reliefs {
            let stretch = || path.iter().filter(|l| l.request == Some(relief.request) && fetches(l.cause));
            let from = stretch().map(|l| l.from_ms.0).fold(f64::INFINITY, f64::min);
            let to = stretch().map(|l| l.to_ms.0).fold(0.0, f64::max);
            let (gain, steps) = self.at_once(relief.request);
            relief.gain_ms = Millis(gain);
            relief.instead = instead(&steps, relief.request, from, to);
        }
        let beside = self.beside(&reliefs);
        reliefs.extend(self.off(path));
        reliefs.extend(beside);
        reliefs
    }

    /// What the largest paint gains without each sheet of others on its path that names a font of it: it is said below
    /// the sheet. The site's own may be its looks.
    fn off(&self, path: &[Leg]) -> Vec<Relief> {
        let load = &self.ground.prepared.load;
        let mut sheets: Vec<RequestId> = Vec::new();
        for font in path.iter().filter_map(|leg| load.request(leg.request?)) {
            let by_style = font.kind == ResourceKind::Font && font.initiator.kind == InitiatorKind::Style;
            let sheet = font.initiator.url.as_deref().filter(|_| by_style);
            let sheet = sheet.and_then(|url| load.request_for(url, font.start)).map(|r| r.id);
            let counts = |id: &RequestId| {
                self.ground.prepared.owners.request(*id).kind == OwnerKind::ThirdParty
                    && path.iter().any(|leg| leg.request == Some(*id))
                    && !sheets.contains(id)
            };
            sheets.extend(sheet.filter(counts));
        }
        let before = self.figures.lcp_ms;
        let relief = |request| {
            let file = ResourceKey::of(&load.request(request)?.url);
            let after = self.forecast(&[Edit::Remove { file }], &NoBodies).after.lcp_ms?;
            let own = path.iter().filter(|l| l.request == Some(request) && fetches(l.cause)).map(Leg::length);
            let given_ms = own.fold(Millis::ZERO, |sum, length| sum + length);
            Some(Relief { request, given_ms, gain_ms: before? - after, instead: None, helps: Helps::Off })
        };
        sheets.into_iter().filter_map(relief).filter(|r| r.gain_ms.0 >= LEAST).collect()
    }

    /// What the largest paint gains from heavy files beside its path, where that is worth a word.
    fn beside(&self, known: &[Relief]) -> Vec<Relief> {
        let world = &self.ground.moments.world;
        let Some(until) = self.figures.lcp_ms.filter(|_| world.rate > 0.0) else { return Vec::new() };
        let bytes = |id: RequestId| world.transfers[id.0 as usize].bytes;
        let sent = |id: RequestId| world.moment(Phase::Sent.of(id)).at;
        let requests = self.ground.prepared.load.requests.iter().map(|r| r.id);
        let counts = |id: &RequestId| {
            bytes(*id) / world.rate >= LEAST && sent(*id) < until.0 && !known.iter().any(|k| k.request == *id)
        };
        let mut heavy: Vec<RequestId> = requests.filter(counts).collect();
        heavy.sort_by(|a, b| bytes(*b).total_cmp(&bytes(*a)));
        heavy.truncate(BESIDE);
        let relief = |request| {
            let gain_ms = Millis(self.at_once(request).0);
            Relief { request, given_ms: Millis::ZERO, gain_ms, instead: None, helps: Helps::Beside }
        };
        let mut beside: Vec<Relief> = heavy.into_iter().map(relief).filter(|r| r.gain_ms.0 >= LEAST).collect();
        beside.sort_by(|a, b| b.gain_ms.order(&a.gain_ms));
        beside
    }

    /// How much earlier the largest paint comes, in ms, and its way then, with a file that takes its server no
    /// time and the line no bytes: the way there and back is left.
    fn at_once(&self, id: RequestId) -> (f64, Vec<Step>) {
        let mut change = Change::of(&self.ground);
        let load = &self.ground.prepared.load;
        let Some(file) = load.request(id).map(|r| ResourceKey::of(&r.url)) else { return (0.0, Vec::new()) };
        for request in self.ground.file(&file) {
            change.wait_in_turn(*request, change.world.round_trip);
            let transfer = &mut change.world.transfers[request.0 as usize];
            transfer.bytes = transfer.bytes.min(1.0);
            change.next_picture(*request, false);
        }
        let (world, times) = self.run_changed(change);
        let after = outcome::figures(load, &self.ground.moments, &world, &times);
        let gain = self.figures.lcp_ms.zip(after.lcp_ms).map_or(0.0, |(before, after)| (before - after).0);
        (gain, self.path(&world, &times))
    }
}

/// What has most of a stretch of the new way.
fn instead(steps: &[Step], file: RequestId, from: f64, to: f64) -> Option<Instead> {
    let within = |step: &Step| step.to_ms.0.min(to) - step.from_ms.0.max(from);
    let named = steps.iter().filter(|s| s.request.is_some_and(|id| id != file) || s.script.is_some());
    let longest = named.max_by(|a, b| within(a).total_cmp(&within(b))).filter(|s| within(s) >= LEAST)?;
    longest.request.map(Instead::Request).or_else(|| longest.script.clone().map(Instead::Script))
}
