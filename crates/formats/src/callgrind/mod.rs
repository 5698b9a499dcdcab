//! Profiles in the callgrind format, as profilers of PHP, Python, Ruby and C write them, plain or gzip.
//!
//! The callgrind format specification tells the lines: headers `key: value`; names `fl=`, `fi=`, `fe=`, `fn=`, `ob=`
//! and, of what is called, `cfl=`, `cfi=`, `cfn=`, `cob=`, each written out once and by its number from then on; lines
//! of costs that begin with their position; `calls=` with a count, whose next line has the inclusive cost. A file may
//! hold several parts, one after another; they are added up. A line at a time is read, so that a file of hundreds of
//! megabytes takes what its functions and calls take, and no more.

mod costs;
mod lines;
mod names;

use crate::unpack::Limited;
use crate::{FormatError, MemoryBudget};
use costs::Gathered;
use flate2::read::MultiGzDecoder;
use lines::{Line, Lines, kind_of};
use names::Names;
use phainon_core::call_profile::{CallProfile, Measure};
use std::io::{BufReader, Read};

/// A file may unpack to so much.
const LARGEST: u64 = 2 << 30;
/// More measures are not read.
const MOST_MEASURES: usize = 64;

/// Whether a file that begins like this is such a profile.
#[must_use]
pub fn is_profile(beginning: &[u8]) -> bool {
    let text = String::from_utf8_lossy(beginning);
    let mut lines = text.lines().map(str::trim).filter(|line| !line.is_empty());
    let Some(first) = lines.next() else { return false };
    let headers = ["version:", "creator:", "pid:", "cmd:", "part:", "desc:", "positions:", "events:"];
    let is_header = |line: &str| headers.iter().any(|header| line.starts_with(header));
    first.starts_with("# callgrind format")
        || (is_header(first) && std::iter::once(first).chain(lines).any(|line| line.starts_with("events:")))
}

/// What is read of a file, so far.
struct Reading<'a> {
    name: &'a str,
    budget: &'a MemoryBudget,
    names: Names,
    gathered: Gathered,
    profile: CallProfile,
    positions: usize,
    /// Whether the part has lines of costs or names yet: a header after them begins another part.
    in_body: bool,
    summary: Option<Vec<i64>>,
    totals: Option<Vec<i64>>,
    /// The sums that the parts before state, while each states them.
    stated: Option<Vec<i64>>,
    /// How often, where the next line tells what calls cost.
    calls: Option<u64>,
    jump: bool,
}

/// Reads a profile. The name is what errors call the file.
pub fn read<R: Read>(mut file: R, name: &str, budget: &MemoryBudget) -> Result<CallProfile, FormatError> {
    let unreadable = |e: std::io::Error| FormatError::Unpack { name: name.to_owned(), why: e.to_string() };
    let mut beginning = Vec::new();
    file.by_ref().take(2).read_to_end(&mut beginning).map_err(unreadable)?;
    if beginning.is_empty() {
        return Err(FormatError::Empty { name: name.to_owned() });
    }
    let is_packed = beginning == [0x1f, 0x8b];
    let whole = std::io::Cursor::new(beginning).chain(file);
    let text: Box<dyn Read + '_> = if is_packed { Box::new(MultiGzDecoder::new(whole)) } else { Box::new(whole) };
    // Profiles are mostly repetition: how often the packed size it is says nothing.
    let text = BufReader::with_capacity(1 << 16, Limited::new(text, u64::MAX, LARGEST));
    let mut reading = Reading {
        name,
        budget,
        names: Names::default(),
        gathered: Gathered::default(),
        profile: CallProfile { parts: 1, ..CallProfile::default() },
        positions: 1,
        in_body: false,
        summary: None,
        totals: None,
        stated: Some(Vec::new()),
        calls: None,
        jump: false,
    };
    let mut lines = Lines::of(text, name);
    while let Some((number, line)) = lines.next_line()? {
        if number % 4_096 == 0 && !budget.take(0) {
            return Err(budget.refusal(name));
        }
        reading.line(&line).map_err(|why| match why {
            Wrong::Line(why) => FormatError::Profile { name: name.to_owned(), line: number, why },
            Wrong::Budget => budget.refusal(name),
        })?;
    }
    reading.end()
}

/// Why a line was refused.
enum Wrong {
    Line(String),
    Budget,
}

impl From<&str> for Wrong {
    fn from(why: &str) -> Self {
        Self::Line(why.to_owned())
    }
}

impl From<String> for Wrong {
    fn from(why: String) -> Self {
        Self::Line(why)
    }
}

impl Reading<'_> {
    fn line(&mut self, text: &str) -> Result<(), Wrong> {
        match kind_of(text) {
            Line::Nothing => Ok(()),
            Line::Header(key, value) => self.header(key, value),
            Line::Name(key, value) => self.named(key, value),
            Line::Costs => self.costs(text),
            Line::Other => Err(format!("“{}” is no line of this format", shortened(text)).into()),
        }
    }

    fn header(&mut self, key: &str, value: &str) -> Result<(), Wrong> {
        let begins_part = matches!(key, "version" | "creator" | "pid" | "cmd" | "part" | "positions" | "events");
        if begins_part && self.in_body {
            self.end_part()?;
            self.profile.parts += 1;
        }
        match key {
            "creator" => keep_first(&mut self.profile.creator, value),
            "cmd" => keep_first(&mut self.profile.command, value),
            "positions" => {
                let known = value.split_whitespace().all(|p| matches!(p, "line" | "instr"));
                self.positions = value.split_whitespace().count();
                if !known || !(1..=2).contains(&self.positions) {
                    return Err(format!("positions are “line”, “instr” or both, not “{}”", shortened(value)).into());
                }
            }
            "events" => self.events(value)?,
            "event" => self.long_name(value),
            "summary" => self.summary = Some(numbers(value)?),
            "totals" => self.totals = Some(numbers(value)?),
            _ => {}
        }
        Ok(())
    }

    fn events(&mut self, value: &str) -> Result<(), Wrong> {
        let names: Vec<&str> = value.split_whitespace().collect();
        if names.is_empty() || names.len() > MOST_MEASURES {
            return Err(format!("there are {} measures; 1 to {MOST_MEASURES} can be read", names.len()).into());
        }
        if self.profile.measures.is_empty() {
            self.profile.measures = names.iter().map(|name| Measure::named(name)).collect();
            self.gathered = Gathered::by(names.len());
        } else if !self.profile.measures.iter().map(|m| m.name.as_str()).eq(names) {
            return Err("this part counts other things than the one before; their sums would mean nothing".into());
        }
        Ok(())
    }

    /// `event: Ir : Instruction Fetches`, or with a formula between.
    fn long_name(&mut self, value: &str) {
        let Some((name, rest)) = value.split_once([':', '=']) else { return };
        let long = rest.rsplit(':').next().unwrap_or("").trim();
        if let Some(measure) = self.profile.measures.iter_mut().find(|m| m.name == name.trim())
            && !long.is_empty()
        {
            measure.long_name = Some(long.chars().take(200).collect());
        }
    }

    fn named(&mut self, key: &str, value: &str) -> Result<(), Wrong> {
        if self.profile.measures.is_empty() {
            return Err("names stand before the line “events:”, which tells what is counted".into());
        }
        self.in_body = true;
        match key {
            "calls" => {
                let count = value.split_whitespace().next().and_then(number).ok_or("calls= needs a count")?;
                self.calls = Some(u64::try_from(count).map_err(|_| "calls= needs a count")?);
                if self.names.called().is_none() {
                    return Err("calls= stands before any cfn= that tells what is called".into());
                }
            }
            "jump" | "jcnd" => self.jump = true,
            "fn" => {
                self.gathered.end_record();
                let function = self.names.function(value, &mut self.gathered)?;
                self.gathered.begin_record(function);
            }
            _ => self.names.set(key, value, &mut self.gathered)?,
        }
        let held = self.gathered.grown();
        if held > 0 && !self.budget.take(held) { Err(Wrong::Budget) } else { Ok(()) }
    }

    fn costs(&mut self, text: &str) -> Result<(), Wrong> {
        let mut words = text.split_ascii_whitespace();
        for _ in 0..self.positions {
            let word = words.next().ok_or("a position is missing")?;
            let bare = word.strip_prefix(['+', '-']).unwrap_or(word);
            if word != "*" && number(bare).is_none() {
                return Err(format!("“{}” is no position", shortened(word)).into());
            }
        }
        // A jump has a position and costs nothing.
        if std::mem::take(&mut self.jump) {
            return Ok(());
        }
        if self.profile.measures.is_empty() {
            return Err("costs stand before the line “events:”, which tells what is counted".into());
        }
        self.in_body = true;
        let mut costs = [0i64; MOST_MEASURES];
        let costs = &mut costs[..self.profile.measures.len()];
        let mut places = costs.iter_mut();
        for word in words {
            let place = places.next().ok_or("there are more costs than measures")?;
            *place = number(word).ok_or_else(|| format!("“{}” is no cost", shortened(word)))?;
        }
        match self.calls.take() {
            Some(count) => {
                let to = self.names.called().ok_or("what is called is not told")?;
                if !self.gathered.calls(to, count, costs) {
                    return Err("calls stand before any fn= that tells who calls".into());
                }
                self.names.end_call();
            }
            None => {
                if !self.gathered.own(self.names.line_file(), costs) {
                    return Err("costs stand before any fn= that tells whose they are".into());
                }
            }
        }
        let held = self.gathered.grown();
        if held > 0 && !self.budget.take(held) { Err(Wrong::Budget) } else { Ok(()) }
    }

    fn end_part(&mut self) -> Result<(), Wrong> {
        if self.calls.take().is_some() {
            return Err("calls= has no line of costs after it".into());
        }
        self.gathered.end_record();
        self.names.end_part();
        self.in_body = false;
        let of_part = self.totals.take().or(self.summary.take());
        self.stated = match (self.stated.take(), of_part) {
            (Some(mut sums), Some(part)) => {
                sums.resize(sums.len().max(part.len()), 0);
                for (sum, more) in sums.iter_mut().zip(part) {
                    *sum = sum.saturating_add(more);
                }
                Some(sums)
            }
            _ => None,
        };
        Ok(())
    }

    fn end(mut self) -> Result<CallProfile, FormatError> {
        let name = self.name.to_owned();
        if self.profile.measures.is_empty() {
            return Err(FormatError::NotAProfile { name });
        }
        if self.end_part().is_err() {
            let why = "it ends within a call".to_owned();
            return Err(FormatError::Nothing { name, why });
        }
        let Self { mut profile, gathered, stated, .. } = self;
        gathered.into_profile(&mut profile);
        if profile.functions.is_empty() {
            return Err(FormatError::Nothing { name, why: "it names no function".into() });
        }
        let measures = profile.measures.len();
        profile.stated = stated.map(|mut sums| {
            sums.resize(measures, 0);
            sums
        });
        Ok(profile)
    }
}

fn keep_first(place: &mut Option<String>, value: &str) {
    let value = value.trim();
    if place.is_none() && !value.is_empty() {
        *place = Some(value.chars().take(500).collect());
    }
}

fn numbers(text: &str) -> Result<Vec<i64>, Wrong> {
    let read = text.split_whitespace().take(MOST_MEASURES).map(number).collect::<Option<Vec<i64>>>();
    read.ok_or_else(|| format!("“{}” are no sums", shortened(text)).into())
}

/// A number, decimal or hexadecimal; costs may be negative where memory is counted.
fn number(word: &str) -> Option<i64> {
    match word.strip_prefix("0x") {
        // Addresses of 64 bits are no costs; they are told from nonsense, not kept.
        Some(hex) => u64::from_str_radix(hex, 16).ok().map(|n| i64::try_from(n).unwrap_or(i64::MAX)),
        None => word.parse().ok(),
    }
}

fn shortened(text: &str) -> String {
    text.chars().take(40).collect()
}
