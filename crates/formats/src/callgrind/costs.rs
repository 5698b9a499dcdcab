//! The costs of a profile while they are read: by function, by file, and by who calls whom.

use phainon_core::call_profile::{Call, CallProfile, CallSteps, CallsBetween, CodeFunction, inclusive_costs};
use std::collections::HashMap;
use std::sync::Arc;

/// A function whose lines are being read.
struct Record {
    function: u32,
    own: Vec<i64>,
    called: Vec<Call>,
}

/// Its name, its file and its object.
type Known = (Arc<str>, u32, Option<Arc<str>>);

/// What was read so far.
#[derive(Default)]
pub struct Gathered {
    measures: usize,
    files: Vec<Arc<str>>,
    file_places: HashMap<Arc<str>, u32>,
    lines: Vec<Vec<i64>>,
    functions: Vec<Known>,
    function_places: HashMap<Known, u32>,
    own: Vec<Vec<i64>>,
    calls: Vec<(u32, u32)>,
    call_places: HashMap<(u32, u32), usize>,
    counts: Vec<u64>,
    costs: Vec<Vec<i64>>,
    record: Option<Record>,
    steps: Option<CallSteps>,
    /// Bytes that are held and were not charged yet.
    held: u64,
}

impl Gathered {
    /// Of costs by so many measures.
    pub fn by(measures: usize) -> Self {
        let mut new = Self { measures, steps: Some(CallSteps::new(measures)), ..Self::default() };
        new.file("");
        new
    }

    /// Notes that so many bytes are held.
    pub fn held(&mut self, bytes: usize) {
        self.held += bytes as u64;
    }

    /// What is held since it was asked last.
    pub fn grown(&mut self) -> u64 {
        std::mem::take(&mut self.held)
    }

    /// The place of a file.
    pub fn file(&mut self, name: &str) -> u32 {
        if let Some(place) = self.file_places.get(name) {
            return *place;
        }
        let place = u32::try_from(self.files.len()).unwrap_or(u32::MAX);
        let name: Arc<str> = name.into();
        self.held(name.len() + 128 + 8 * self.measures);
        self.files.push(name.clone());
        self.file_places.insert(name, place);
        self.lines.push(vec![0; self.measures]);
        place
    }

    /// The place of a function.
    pub fn function(&mut self, name: &Arc<str>, file: &str, object: Option<&str>) -> u32 {
        let known: Known = (name.clone(), self.file(file), object.map(Into::into));
        if let Some(place) = self.function_places.get(&known) {
            return *place;
        }
        let place = u32::try_from(self.functions.len()).unwrap_or(u32::MAX);
        self.held(name.len() + 256 + 8 * self.measures);
        self.functions.push(known.clone());
        self.function_places.insert(known, place);
        self.own.push(vec![0; self.measures]);
        place
    }

    /// A function's own record tells where it stands; a call of it may have told less.
    pub fn stands_in(&mut self, function: u32, file: &str, object: Option<&str>) {
        let file = self.file(file);
        let known = &mut self.functions[function as usize];
        known.1 = file;
        if let Some(object) = object {
            known.2 = Some(object.into());
        }
    }

    /// The costs of a function follow.
    pub fn begin_record(&mut self, function: u32) {
        self.record = Some(Record { function, own: vec![0; self.measures], called: Vec::new() });
    }

    /// They ended.
    pub fn end_record(&mut self) {
        let Some(record) = self.record.take() else { return };
        for (sum, cost) in self.own[record.function as usize].iter_mut().zip(&record.own) {
            *sum = sum.saturating_add(*cost);
        }
        if let Some(steps) = &mut self.steps {
            steps.ended(record.function, &record.own, &record.called);
        }
    }

    /// The cost of a line; `false` where it is nobody's.
    pub fn own(&mut self, file: u32, costs: &[i64]) -> bool {
        let Some(record) = &mut self.record else { return false };
        let lines = &mut self.lines[file as usize];
        for ((own, line), cost) in record.own.iter_mut().zip(lines).zip(costs) {
            *own = own.saturating_add(*cost);
            *line = line.saturating_add(*cost);
        }
        true
    }

    /// Calls of another; `false` where nobody calls.
    pub fn calls(&mut self, to: u32, count: u64, costs: &[i64]) -> bool {
        let Some(record) = &mut self.record else { return false };
        // Only the tree needs them one by one.
        if self.steps.as_ref().is_some_and(|steps| !steps.is_lost()) {
            record.called.push(Call { to, count, cost: costs.to_vec() });
            self.held += 64 + 8 * self.measures as u64;
        }
        let between = (record.function, to);
        let place = *self.call_places.entry(between).or_insert(self.calls.len());
        if place == self.calls.len() {
            self.calls.push(between);
            self.counts.push(0);
            self.costs.push(vec![0; self.measures]);
            self.held += 160 + 8 * self.measures as u64;
        }
        self.counts[place] = self.counts[place].saturating_add(count);
        for (sum, cost) in self.costs[place].iter_mut().zip(costs) {
            *sum = sum.saturating_add(*cost);
        }
        true
    }

    /// All of it as a profile; headers are the caller's.
    pub fn into_profile(mut self, profile: &mut CallProfile) {
        self.end_record();
        profile.files = self.files.iter().map(ToString::to_string).collect();
        profile.lines = self.lines;
        profile.calls = self
            .calls
            .into_iter()
            .zip(self.counts)
            .zip(self.costs)
            .map(|(((from, to), count), cost)| CallsBetween { from, to, count, cost })
            .collect();
        profile.functions = self
            .functions
            .into_iter()
            .zip(self.own)
            .map(|((name, file, object), own)| CodeFunction {
                name: name.to_string(),
                file,
                object: object.map(|o| o.to_string()),
                inclusive: own.clone(),
                own,
                again: false,
            })
            .collect();
        let (sums, again) = inclusive_costs(&profile.functions, &profile.calls, self.measures);
        let told = self.steps.take().and_then(|steps| steps.finish(profile.functions.len()));
        let (steps, inclusive) = match told {
            Some((steps, inclusive)) => (Some(steps), inclusive),
            None => (None, sums),
        };
        profile.steps = steps;
        for ((function, inclusive), again) in profile.functions.iter_mut().zip(inclusive).zip(again) {
            function.inclusive = inclusive;
            function.again = again;
        }
    }
}
