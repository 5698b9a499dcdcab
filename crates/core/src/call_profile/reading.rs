//! A profile as it is shown: by one of its measures, with whose each function is.

use super::owners::{owners_of, parts};
use super::{CallProfile, Measure};
use crate::Owner;
use crate::owners::Owners;
use serde::Serialize;
use std::collections::{HashMap, HashSet, VecDeque};
use ts_rs::TS;

/// So many functions are listed: those that took most, themselves or with what they called.
const MOST_FUNCTIONS: usize = 1_000;
/// So many files are.
const MOST_FILES: usize = 500;
/// So many steps of the tree are shown.
const MOST_STEPS: usize = 3_000;
/// A step below this share of the whole is not.
const LEAST_STEP: f64 = 1.0 / 2_000.0;
/// So deep a tree is made of sums.
const DEEPEST: usize = 60;

/// A function of the profile.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct FunctionRow {
    /// Its place among all functions.
    pub function: u32,
    pub name: String,
    pub file: String,
    /// The program or library that holds it.
    pub object: Option<String>,
    /// `None` of the language's or the system's own functions: what they take goes to who calls them.
    pub owner: Option<Owner>,
    /// What it took itself.
    pub own: f64,
    /// With what it called, each instant once.
    pub inclusive: f64,
    /// How often it was called; 0 where nothing called it.
    #[ts(type = "number")]
    pub called: u64,
    /// Whether it calls itself, directly or through others: what only sums of calls tell of it is a most.
    pub again: bool,
}

/// A file of code.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct CodeCost {
    pub file: String,
    pub owner: Option<Owner>,
    /// What its lines took.
    pub own: f64,
    pub functions: u32,
}

/// An owner's part.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OwnerCostRow {
    pub owner: Owner,
    /// What its functions took, and what the language's own functions took for them. The owners' add up to the whole.
    pub own: f64,
    /// With what it had others do, as far as its steps are kept; `None` where the file tells sums of calls only.
    pub inclusive: Option<f64>,
    pub functions: u32,
    /// Calls of its functions.
    #[ts(type = "number")]
    pub called: u64,
}

/// How the tree of calls is known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum TreeIs {
    /// The file tells each call apart.
    Told,
    /// The file tells sums of calls: what a function took below each of its callers is shared out in their proportion.
    SharedOut,
}

/// A step of the tree.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct StepRow {
    /// The step that called it, which stands before it.
    pub parent: Option<u32>,
    pub function: u32,
    pub name: String,
    pub file: String,
    pub owner: Option<Owner>,
    /// How often it was called from there; `None` where that is not known.
    #[ts(type = "number | null")]
    pub count: Option<u64>,
    pub own: f64,
    pub inclusive: f64,
}

/// A function that calls another, or is called by it.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Neighbour {
    pub function: u32,
    pub name: String,
    pub owner: Option<Owner>,
    #[ts(type = "number")]
    pub count: u64,
    /// What was called, with all that it called.
    pub cost: f64,
}

/// Who calls a function and whom it calls, dearest first.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Neighbours {
    pub function: FunctionRow,
    pub callers: Vec<Neighbour>,
    pub called: Vec<Neighbour>,
}

/// A profile by one of its measures.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct ProfileReading {
    pub creator: Option<String>,
    pub command: Option<String>,
    pub parts: u32,
    pub measures: Vec<Measure>,
    /// The one that the figures are of, by place.
    pub measure: u32,
    /// All that was counted.
    pub total: f64,
    /// What the file states as its sum, where it states one.
    pub stated: Option<f64>,
    pub owners: Vec<OwnerCostRow>,
    pub functions: Vec<FunctionRow>,
    pub function_count: u32,
    pub files: Vec<CodeCost>,
    pub file_count: u32,
    pub tree_is: TreeIs,
    pub tree: Vec<StepRow>,
}

/// A step of the tree whose calls are still to be looked at.
struct Open {
    parent: Option<u32>,
    function: u32,
    count: Option<u64>,
    inclusive: f64,
    depth: usize,
}

/// A profile with whose its functions are, in one measure.
struct Told<'a> {
    profile: &'a CallProfile,
    owners: Vec<Option<Owner>>,
    called: Vec<u64>,
    measure: usize,
    scale: f64,
}

impl<'a> Told<'a> {
    fn of(profile: &'a CallProfile, owners: &Owners, measure: usize) -> Self {
        let measure = measure.min(profile.measures.len().saturating_sub(1));
        let mut called = vec![0u64; profile.functions.len()];
        for call in &profile.calls {
            called[call.to as usize] = called[call.to as usize].saturating_add(call.count);
        }
        let scale = profile.measures.get(measure).map_or(1.0, |m| m.scale);
        Self { profile, owners: owners_of(profile, owners), called, measure, scale }
    }

    #[allow(clippy::cast_precision_loss)]
    fn value(&self, costs: &[i64]) -> f64 {
        costs.get(self.measure).copied().unwrap_or(0) as f64 * self.scale
    }

    fn file(&self, file: u32) -> &str {
        self.profile.files.get(file as usize).map_or("", String::as_str)
    }

    fn row(&self, place: usize) -> FunctionRow {
        let function = &self.profile.functions[place];
        FunctionRow {
            function: u32::try_from(place).unwrap_or(u32::MAX),
            name: function.name.clone(),
            file: self.file(function.file).to_owned(),
            object: function.object.clone(),
            owner: self.owners[place].clone(),
            own: self.value(&function.own),
            inclusive: self.value(&function.inclusive),
            called: self.called[place],
            again: function.again,
        }
    }

    fn step(&self, parent: Option<u32>, function: u32, count: Option<u64>, own: f64, inclusive: f64) -> StepRow {
        let known = &self.profile.functions[function as usize];
        StepRow {
            parent,
            function,
            name: known.name.clone(),
            file: self.file(known.file).to_owned(),
            owner: self.owners[function as usize].clone(),
            count,
            own,
            inclusive,
        }
    }

    fn functions(&self) -> Vec<FunctionRow> {
        let functions = &self.profile.functions;
        let mut order: Vec<usize> = (0..functions.len()).collect();
        let most = |place: &usize| self.value(&functions[*place].own).abs();
        order.sort_by(|a, b| most(b).total_cmp(&most(a)).then(a.cmp(b)));
        let mut shown: Vec<usize> = order.iter().take(MOST_FUNCTIONS / 2).copied().collect();
        let with = |place: &usize| self.value(&functions[*place].inclusive).abs();
        order.sort_by(|a, b| with(b).total_cmp(&with(a)).then(a.cmp(b)));
        let known: HashSet<usize> = shown.iter().copied().collect();
        shown.extend(
            order
                .into_iter()
                .filter(|place| !known.contains(place))
                .take(MOST_FUNCTIONS - known.len().min(MOST_FUNCTIONS)),
        );
        let mut rows: Vec<FunctionRow> = shown.into_iter().map(|place| self.row(place)).collect();
        rows.sort_by(|a, b| b.own.total_cmp(&a.own).then(a.function.cmp(&b.function)));
        rows
    }

    fn files(&self, owners: &Owners) -> Vec<CodeCost> {
        let mut functions = vec![0u32; self.profile.files.len()];
        let mut owner_of: HashMap<u32, Option<Owner>> = HashMap::new();
        for (function, owner) in self.profile.functions.iter().zip(&self.owners) {
            if let Some(count) = functions.get_mut(function.file as usize) {
                *count += 1;
            }
            owner_of.entry(function.file).or_insert_with(|| owner.clone());
        }
        let mut rows: Vec<CodeCost> = self
            .profile
            .files
            .iter()
            .enumerate()
            .map(|(place, name)| {
                let number = u32::try_from(place).unwrap_or(u32::MAX);
                CodeCost {
                    file: name.clone(),
                    // A file that only lends its lines to functions of others is known by its path alone.
                    owner: owner_of.get(&number).cloned().unwrap_or_else(|| owners.of_code("", name)),
                    own: self.profile.lines.get(place).map_or(0.0, |lines| self.value(lines)),
                    functions: functions[place],
                }
            })
            .filter(|row| row.own != 0.0 || row.functions > 0)
            .collect();
        rows.sort_by(|a, b| b.own.total_cmp(&a.own).then_with(|| a.file.cmp(&b.file)));
        rows
    }

    fn owner_rows(&self, owners: &Owners) -> Vec<OwnerCostRow> {
        let inclusive = self.profile.steps.as_ref().map(|_| self.owners_inclusive());
        let parts = parts(self.profile, &self.owners, self.measure, owners.of_server());
        let mut rows: Vec<OwnerCostRow> = parts
            .into_iter()
            .map(|(owner, part)| OwnerCostRow {
                // Its steps that are too small to be kept are in its own alone.
                inclusive: inclusive
                    .as_ref()
                    .map(|sums| sums.get(&owner).copied().unwrap_or(0.0).max(part.own * self.scale)),
                owner,
                own: part.own * self.scale,
                functions: part.functions,
                called: part.calls,
            })
            .collect();
        rows.sort_by(|a, b| b.own.total_cmp(&a.own));
        rows
    }

    /// By owner, the steps of its functions that are in no other step of its own.
    fn owners_inclusive(&self) -> HashMap<Owner, f64> {
        let steps = self.profile.steps.as_deref().unwrap_or(&[]);
        let mut sums: HashMap<Owner, f64> = HashMap::new();
        for step in steps {
            let Some(owner) = &self.owners[step.function as usize] else { continue };
            let mut above = step.parent;
            let mut inside = false;
            while let Some(at) = above {
                let caller = &steps[at as usize];
                if self.owners[caller.function as usize].as_ref() == Some(owner) {
                    inside = true;
                    break;
                }
                above = caller.parent;
            }
            if !inside {
                *sums.entry(owner.clone()).or_default() += self.value(&step.inclusive);
            }
        }
        sums
    }

    fn tree(&self, total: f64) -> (TreeIs, Vec<StepRow>) {
        match &self.profile.steps {
            Some(steps) => {
                let least = total.abs() * LEAST_STEP;
                let mut kept: Vec<Option<u32>> = vec![None; steps.len()];
                let mut rows: Vec<StepRow> = Vec::new();
                for (place, step) in steps.iter().enumerate() {
                    let above = step.parent.map(|p| kept[p as usize]);
                    let inclusive = self.value(&step.inclusive);
                    if above == Some(None) || rows.len() >= MOST_STEPS || inclusive.abs() < least {
                        continue;
                    }
                    kept[place] = u32::try_from(rows.len()).ok();
                    rows.push(self.step(
                        above.flatten(),
                        step.function,
                        Some(step.count),
                        self.value(&step.own),
                        inclusive,
                    ));
                }
                (TreeIs::Told, in_order(rows))
            }
            None => (TreeIs::SharedOut, in_order(self.shared_out(total))),
        }
    }

    /// The tree from sums of calls: below each caller, a function's costs in the share that the caller's calls had of
    /// it.
    fn shared_out(&self, total: f64) -> Vec<StepRow> {
        let profile = self.profile;
        let least = total.abs() * LEAST_STEP;
        let mut calls: HashMap<u32, Vec<(u32, u64, f64)>> = HashMap::new();
        for call in profile.calls.iter().filter(|c| c.from != c.to) {
            calls.entry(call.from).or_default().push((call.to, call.count, self.value(&call.cost)));
        }
        let mut rows: Vec<StepRow> = Vec::new();
        let roots = (0..profile.functions.len()).filter(|place| self.called[*place] == 0);
        let mut open: VecDeque<Open> = roots
            .map(|place| Open {
                parent: None,
                function: u32::try_from(place).unwrap_or(u32::MAX),
                count: None,
                inclusive: self.value(&profile.functions[place].inclusive),
                depth: 0,
            })
            .collect();
        while let Some(Open { parent, function, count, inclusive, depth }) = open.pop_front() {
            if inclusive.abs() < least || rows.len() >= MOST_STEPS {
                continue;
            }
            let whole = self.value(&profile.functions[function as usize].inclusive);
            let share = if whole == 0.0 { 0.0 } else { (inclusive / whole).min(1.0) };
            let own = self.value(&profile.functions[function as usize].own) * share;
            let mut above = parent;
            let mut again = false;
            while let Some(at) = above {
                let row: &StepRow = &rows[at as usize];
                again |= row.function == function;
                above = row.parent;
            }
            let at = u32::try_from(rows.len()).unwrap_or(u32::MAX);
            rows.push(self.step(parent, function, count, own, inclusive));
            // What is called in a call of itself stands in the first one already.
            if again || depth >= DEEPEST {
                continue;
            }
            for (to, count, cost) in calls.get(&function).map_or(&[][..], Vec::as_slice) {
                open.push_back(Open {
                    parent: Some(at),
                    function: *to,
                    // What was called from elsewhere as well was called from here an unknown number of times.
                    count: (share > 0.999_999).then_some(*count),
                    inclusive: cost * share,
                    depth: depth + 1,
                });
            }
        }
        rows
    }
}

/// Callers before what they called, and what one step called dearest first.
fn in_order(rows: Vec<StepRow>) -> Vec<StepRow> {
    let mut below: HashMap<Option<u32>, Vec<u32>> = HashMap::new();
    for (place, row) in rows.iter().enumerate() {
        below.entry(row.parent).or_default().push(u32::try_from(place).unwrap_or(u32::MAX));
    }
    for places in below.values_mut() {
        // The last is taken first.
        places.sort_by(|a, b| rows[*a as usize].inclusive.total_cmp(&rows[*b as usize].inclusive).then(b.cmp(a)));
    }
    let mut ordered = Vec::with_capacity(rows.len());
    let mut open: Vec<(u32, Option<u32>)> = below.get(&None).into_iter().flatten().map(|p| (*p, None)).collect();
    while let Some((place, parent)) = open.pop() {
        let at = u32::try_from(ordered.len()).ok();
        ordered.push(StepRow { parent, ..rows[place as usize].clone() });
        open.extend(below.get(&Some(place)).into_iter().flatten().map(|p| (*p, at)));
    }
    ordered
}

impl CallProfile {
    /// The profile by a measure; by the first where there is none of that place.
    #[must_use]
    pub fn reading(&self, owners: &Owners, measure: usize) -> ProfileReading {
        let told = Told::of(self, owners, measure);
        let total = told.value(&self.total());
        let (tree_is, tree) = told.tree(total);
        let mut files = told.files(owners);
        let file_count = u32::try_from(files.len()).unwrap_or(u32::MAX);
        files.truncate(MOST_FILES);
        ProfileReading {
            creator: self.creator.clone(),
            command: self.command.clone(),
            parts: self.parts,
            measures: self.measures.clone(),
            measure: u32::try_from(told.measure).unwrap_or(0),
            total,
            stated: self.stated.as_ref().map(|stated| told.value(stated)),
            owners: told.owner_rows(owners),
            functions: told.functions(),
            function_count: u32::try_from(self.functions.len()).unwrap_or(u32::MAX),
            files,
            file_count,
            tree_is,
            tree,
        }
    }

    /// Who calls a function and whom it calls; `None` where there is no such function.
    #[must_use]
    pub fn neighbours(&self, owners: &Owners, measure: usize, function: u32) -> Option<Neighbours> {
        self.functions.get(function as usize)?;
        let told = Told::of(self, owners, measure);
        let neighbour = |other: u32, count: u64, cost: &[i64]| Neighbour {
            function: other,
            name: self.functions[other as usize].name.clone(),
            owner: told.owners[other as usize].clone(),
            count,
            cost: told.value(cost),
        };
        let dearest = |mut all: Vec<Neighbour>| {
            all.sort_by(|a, b| b.cost.total_cmp(&a.cost).then(a.function.cmp(&b.function)));
            all
        };
        let callers = self.calls.iter().filter(|c| c.to == function);
        let called = self.calls.iter().filter(|c| c.from == function);
        Some(Neighbours {
            function: told.row(function as usize),
            callers: dearest(callers.map(|c| neighbour(c.from, c.count, &c.cost)).collect()),
            called: dearest(called.map(|c| neighbour(c.to, c.count, &c.cost)).collect()),
        })
    }
}
