//! The main thread to be drawn: tasks and what runs in them, and the call stacks below, as columns.

use crate::profile::stacks;
use crate::{Owner, Owners, Prepared, Work, WorkKind, WorkName};
use serde::Serialize;
use std::collections::HashMap;
use std::sync::Arc;
use ts_rs::TS;

/// What stands on a bar.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct TrackLabel {
    /// The function, the event's type, or the kind of work.
    pub text: String,
    /// The script or sheet.
    #[ts(type = "string | null")]
    pub url: Option<Arc<str>>,
    /// Line in it.
    pub line: Option<u32>,
    /// Whose it is: an index of [`TracksHead::owners`].
    pub owner: u32,
}

/// Bars of one lane, in order of their start.
#[derive(Debug, Clone, PartialEq, Default)]
#[allow(missing_docs)]
pub struct TrackColumns {
    /// Milliseconds from navigation start.
    pub start: Vec<f64>,
    /// Milliseconds.
    pub duration: Vec<f32>,
    /// An index of the labels.
    pub label: Vec<u32>,
    pub depth: Vec<u8>,
    /// An index of [`WorkKind::ALL`].
    pub kind: Vec<u8>,
}

/// What is written before the columns, as JSON.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct TracksHead {
    pub labels: Vec<TrackLabel>,
    pub owners: Vec<Owner>,
    /// The kinds of work, in the order in which the columns number them.
    pub kinds: Vec<WorkKind>,
    /// How many bars the lane of tasks has.
    pub tasks: u32,
    /// How many bars the lane of call stacks has.
    pub stacks: u32,
}

/// Both lanes.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct Tracks {
    pub head: TracksHead,
    pub tasks: TrackColumns,
    pub stacks: TrackColumns,
}

impl TrackColumns {
    fn push(&mut self, start: f64, duration: f64, label: u32, depth: u16, kind: WorkKind) {
        self.start.push(start);
        #[allow(clippy::cast_possible_truncation)]
        self.duration.push(duration as f32);
        self.label.push(label);
        self.depth.push(u8::try_from(depth).unwrap_or(u8::MAX));
        let kind = WorkKind::ALL.iter().position(|k| *k == kind).unwrap_or(0);
        self.kind.push(u8::try_from(kind).unwrap_or(0));
    }

    fn write(&self, bytes: &mut Vec<u8>) {
        self.start.iter().for_each(|v| bytes.extend(v.to_le_bytes()));
        self.duration.iter().for_each(|v| bytes.extend(v.to_le_bytes()));
        self.label.iter().for_each(|v| bytes.extend(v.to_le_bytes()));
        bytes.extend(&self.depth);
        bytes.extend(&self.kind);
        // The next column of 8-byte numbers must begin at a multiple of 8.
        bytes.resize(bytes.len().next_multiple_of(8), 0);
    }
}

impl Tracks {
    /// In bytes, little-endian: the head's length (4 bytes) and the head as JSON, filled up with
    /// blanks to a multiple of 8; then for tasks and for stacks the columns start (f64), duration
    /// (f32), label (u32), depth (u8) and kind (u8), each lane filled up to a multiple of 8.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        // A struct of texts and numbers always becomes JSON.
        let mut head = serde_json::to_vec(&self.head).unwrap_or_default();
        head.resize((head.len() + 4).next_multiple_of(8) - 4, b' ');
        let rows = self.tasks.start.len() + self.stacks.start.len();
        let mut bytes = Vec::with_capacity(head.len() + 32 + rows * 18);
        bytes.extend(u32::try_from(head.len()).unwrap_or(0).to_le_bytes());
        bytes.extend(head);
        self.tasks.write(&mut bytes);
        self.stacks.write(&mut bytes);
        bytes
    }
}

/// What tells one label from another: text, script, line.
type LabelKey = (String, Option<Arc<str>>, Option<u32>);

/// Names each bar once.
#[derive(Default)]
struct Labels {
    known: HashMap<LabelKey, u32>,
    labels: Vec<TrackLabel>,
    owner_of: HashMap<Option<Arc<str>>, u32>,
    owners: Vec<Owner>,
}

impl Labels {
    fn of(&mut self, text: &str, url: Option<&Arc<str>>, line: Option<u32>, owners: &Owners) -> u32 {
        let key = (text.to_owned(), url.cloned(), line);
        if let Some(known) = self.known.get(&key) {
            return *known;
        }
        let owner = match self.owner_of.get(&key.1) {
            Some(known) => *known,
            None => {
                let owner = url.map_or_else(Owner::page, |u| owners.of_url(u));
                let place = self.owners.iter().position(|o| *o == owner).unwrap_or_else(|| {
                    self.owners.push(owner);
                    self.owners.len() - 1
                });
                let place = u32::try_from(place).unwrap_or(0);
                self.owner_of.insert(key.1.clone(), place);
                place
            }
        };
        let index = u32::try_from(self.labels.len()).unwrap_or(u32::MAX);
        self.labels.push(TrackLabel { text: text.to_owned(), url: url.cloned(), line, owner });
        self.known.insert(key, index);
        index
    }
}

fn text_of(piece: &Work) -> &str {
    if let Some(function) = piece.function.as_deref() {
        return function;
    }
    match piece.name {
        WorkName::Task => "task",
        WorkName::Evaluate => "run of the script",
        WorkName::Compile => "compile",
        WorkName::Call => "function",
        WorkName::Timer => "timer",
        WorkName::Event => piece.event.as_deref().unwrap_or("event"),
        WorkName::Microtasks => "promises",
        WorkName::AnimationFrame => "before the frame",
        WorkName::ParseHtml => "HTML parse",
        WorkName::ParseFrame => "frame or picture parse",
        WorkName::ParseSheet => "sheet parse",
        WorkName::Style => "style",
        WorkName::Layout => "layout",
        WorkName::PrePaint => "before painting",
        WorkName::Paint => "paint",
        WorkName::Collect => "garbage collection",
        WorkName::Other => "other",
    }
}

/// Both lanes of a load.
#[must_use]
pub fn tracks(prepared: &Prepared) -> Tracks {
    let (load, owners) = (&prepared.load, &prepared.owners);
    let mut labels = Labels::default();
    let mut tasks = TrackColumns::default();
    // A task is drawn in the material of its heaviest part, as in the other views.
    let kinds = task_kinds(&load.work);
    let mut task = 0;
    for piece in &load.work {
        let label = labels.of(text_of(piece), piece.url.as_ref(), piece.line, owners);
        let kind = if piece.depth == 0 {
            task += 1;
            kinds[task - 1]
        } else {
            piece.kind
        };
        tasks.push(piece.start.0, piece.duration.0, label, piece.depth, kind);
    }
    let mut lane = TrackColumns::default();
    if let Some(profile) = &load.profile {
        for bar in stacks(profile, &load.work) {
            let place = &profile.places[bar.place as usize];
            let collector = place.pseudo() == Some(crate::profile::Pseudo::Collector);
            let text = match &*place.function {
                "" => "(outermost code)",
                "(garbage collector)" => "garbage collection",
                name => name,
            };
            let label = labels.of(text, place.url.as_ref(), place.line, owners);
            let kind = if collector { WorkKind::GarbageCollection } else { WorkKind::ScriptRun };
            lane.push(bar.start.0, (bar.end - bar.start).0, label, bar.depth, kind);
        }
    }
    let count = |lane: &TrackColumns| u32::try_from(lane.start.len()).unwrap_or(u32::MAX);
    Tracks {
        head: TracksHead {
            labels: labels.labels,
            owners: labels.owners,
            kinds: WorkKind::ALL.to_vec(),
            tasks: count(&tasks),
            stacks: count(&lane),
        },
        tasks,
        stacks: lane,
    }
}

/// What most of each task was, task by task.
fn task_kinds(work: &[Work]) -> Vec<WorkKind> {
    let own = crate::self_times(work);
    let mut kinds = Vec::new();
    let mut sums = [0.0; WorkKind::ALL.len()];
    let close = |sums: &mut [f64; WorkKind::ALL.len()], kinds: &mut Vec<WorkKind>| {
        let best = (0..sums.len()).max_by(|a, b| sums[*a].total_cmp(&sums[*b])).unwrap_or(0);
        kinds.push(WorkKind::ALL[best]);
        sums.fill(0.0);
    };
    for (index, piece) in work.iter().enumerate() {
        if piece.depth == 0 && index > 0 {
            close(&mut sums, &mut kinds);
        }
        let kind = WorkKind::ALL.iter().position(|k| *k == piece.kind).unwrap_or(0);
        sums[kind] += own[index].0;
    }
    if !work.is_empty() {
        close(&mut sums, &mut kinds);
    }
    kinds
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Load;
    use crate::Millis;

    #[test]
    fn columns_are_aligned_and_a_task_has_the_material_of_its_heaviest_part() {
        let mut load = Load::empty("http://a.test/");
        let piece = |name, kind, start: f64, duration: f64, depth| Work {
            start: Millis(start),
            duration: Millis(duration),
            depth,
            ..Work::new(kind, name)
        };
        load.work = vec![
            piece(WorkName::Task, WorkKind::Other, 0.0, 10.0, 0),
            piece(WorkName::Layout, WorkKind::Layout, 1.0, 8.0, 1),
            piece(WorkName::Task, WorkKind::Other, 20.0, 1.0, 0),
        ];
        let tracks = tracks(&Prepared::plain(load));
        let layout =
            u8::try_from(WorkKind::ALL.iter().position(|k| *k == WorkKind::Layout).expect("there")).expect("small");
        let other = u8::try_from(WorkKind::ALL.len() - 1).expect("small");
        assert_eq!(tracks.tasks.kind, [layout, layout, other]);
        assert_eq!(tracks.head.labels.len(), 2, "each label once");
        let bytes = tracks.to_bytes();
        let head = u32::from_le_bytes(bytes[..4].try_into().expect("four")) as usize;
        assert_eq!((head + 4) % 8, 0);
        assert_eq!(f64::from_le_bytes(bytes[head + 4 + 16..head + 4 + 24].try_into().expect("eight")), 20.0);
        assert_eq!(bytes.len() % 8, 0);
    }
}
