//! What a profiler counted while a server made a page: by function, by file, by owner, and call by call.
//!
//! [`CallProfile`] holds what a file says (functions, their own cost, the calls between them) and nothing that depends
//! on a site's settings; [`ProfileReading`] tells it by one of its measures. Sources: the callgrind format
//! specification for what the file means; the owners of 4-analysis for whose a function is.

mod calls;
mod owners;
mod reading;
mod steps;

pub use calls::inclusive_costs;
pub use reading::{CodeCost, FunctionRow, Neighbour, Neighbours, OwnerCostRow, ProfileReading, StepRow, TreeIs};
pub use steps::{Call, CallSteps, Step};

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a measure counts in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum MeasureUnit {
    /// Time, shown in milliseconds.
    Ms,
    /// Memory.
    Bytes,
    /// Times that something happened: instructions, misses; or a unit that the file does not state.
    Count,
}

/// One of the things that a profiler counted.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Measure {
    /// Its name in the file.
    pub name: String,
    /// What the file calls it at length, where it does.
    pub long_name: Option<String>,
    /// What it is shown in.
    pub unit: MeasureUnit,
    /// One of the file's units in the shown one: 0.00001 where the file counts tens of nanoseconds.
    pub scale: f64,
}

impl Measure {
    /// What a name says of its unit: `Time_(10ns)`, `Memory_(bytes)`, or nothing.
    #[must_use]
    pub fn named(name: &str) -> Self {
        let inside = name.split_once('(').and_then(|(_, rest)| rest.split_once(')')).map_or("", |(unit, _)| unit);
        let digits = inside.trim_start().chars().take_while(char::is_ascii_digit).count();
        let (count, unit) = inside.trim_start().split_at(digits);
        let count: f64 = count.parse().unwrap_or(1.0);
        let ms = |each: f64| (MeasureUnit::Ms, count * each);
        let (unit, scale) = match unit.trim() {
            "ns" => ms(1e-6),
            "us" | "µs" | "μs" => ms(1e-3),
            "ms" => ms(1.0),
            "s" => ms(1e3),
            "bytes" | "B" => (MeasureUnit::Bytes, count),
            _ => (MeasureUnit::Count, 1.0),
        };
        Self { name: name.to_owned(), long_name: None, unit, scale }
    }
}

/// A function.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CodeFunction {
    /// Its name.
    pub name: String,
    /// The file that it stands in, by its place among the files.
    pub file: u32,
    /// The program or library that holds it, where the file tells.
    pub object: Option<String>,
    /// Its own cost, by measure.
    pub own: Vec<i64>,
    /// With what it called, each instant once however often it called itself. Where only sums of calls are known and
    /// functions call each other in a circle, the most that it can be.
    pub inclusive: Vec<i64>,
    /// Whether it calls itself, directly or through others.
    pub again: bool,
}

/// The calls of one function by another.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CallsBetween {
    /// Who calls, by place.
    pub from: u32,
    /// Who is called.
    pub to: u32,
    /// How often.
    pub count: u64,
    /// What was called with all that it called, by measure.
    pub cost: Vec<i64>,
}

/// What a file of a profiler says.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct CallProfile {
    /// The profiler.
    pub creator: Option<String>,
    /// What was run.
    pub command: Option<String>,
    /// How many parts the file holds.
    pub parts: u32,
    /// What was counted; at least one.
    pub measures: Vec<Measure>,
    /// The sums that the file states, by measure; `None` where it states none.
    pub stated: Option<Vec<i64>>,
    /// The names of files; the first is the empty one, of code whose file is not known.
    pub files: Vec<String>,
    /// The own cost of the lines of each file, by measure: a function's lines may stand in several.
    pub lines: Vec<Vec<i64>>,
    /// The functions.
    pub functions: Vec<CodeFunction>,
    /// Who called whom.
    pub calls: Vec<CallsBetween>,
    /// The tree of calls, where the file tells each call apart; `None` where it tells sums of calls only.
    pub steps: Option<Vec<Step>>,
}

impl CallProfile {
    /// All that was counted, by measure: the sum of what each function took itself.
    #[must_use]
    pub fn total(&self) -> Vec<i64> {
        let mut total = vec![0; self.measures.len()];
        for function in &self.functions {
            add(&mut total, &function.own);
        }
        total
    }
}

/// Adds costs to costs; a sum beyond what can be written stays at the end of the scale.
pub(crate) fn add(to: &mut [i64], costs: &[i64]) {
    for (sum, cost) in to.iter_mut().zip(costs) {
        *sum = sum.saturating_add(*cost);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_measure_says_its_unit_in_its_name_or_not_at_all() {
        let of = |name: &str| {
            let measure = Measure::named(name);
            (measure.unit, measure.scale)
        };
        assert_eq!(of("Time_(10ns)"), (MeasureUnit::Ms, 10.0 * 1e-6));
        assert_eq!(of("Memory_(bytes)"), (MeasureUnit::Bytes, 1.0));
        assert_eq!(of("Time (µs)"), (MeasureUnit::Ms, 1e-3));
        assert_eq!(of("Ir"), (MeasureUnit::Count, 1.0));
        assert_eq!(of("Time"), (MeasureUnit::Count, 1.0), "in what, the file does not say");
        assert_eq!(of("x_(("), (MeasureUnit::Count, 1.0));
    }
}
