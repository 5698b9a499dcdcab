//! Which fixes to make: a search over the forecast.

use super::aims::Standing;
use super::bits::Bits;
use super::run::{Question, Run, Search};
use super::{PlanPage, exact, greedy};
use crate::forecast::Figures;
use crate::{Bodies, Edit};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// So many candidates are looked at: of more, those that bring most alone.
pub const MOST_CANDIDATES: usize = 120;
/// Up to here every set can count; above it is greedy.
pub(super) const EXACT: usize = 20;
/// So many sets, over all pages, are simply all tried.
const EVERY_SET: u64 = 6_000;
/// Changes of the standing below this, in points, are none.
const NOTHING: f64 = 0.02;

/// How the answer was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Way {
    /// Every set was run.
    EverySet,
    /// Sets were passed over that could not be better, given that no fix undoes another.
    Bounded,
    /// Fix by fix, and then exchanged as long as that made it better.
    Greedy,
}

/// Why a candidate is not in the answer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case", tag = "why")]
#[ts(export_to = "types.ts")]
pub enum WhyLeft {
    /// Its effect is not known.
    NotKnown {
        /// Why.
        reason: String,
    },
    /// It moves nothing that counts, neither alone nor with all others.
    MovesNothing,
    /// It makes pages worse.
    Harms,
    /// It alone is more effort than there is.
    TooMuch,
    /// The answer does as well without it.
    NotNeeded,
    /// There are too many, and it brings less alone than those that were looked at.
    NotLookedAt,
}

/// What a search found.
#[derive(Debug, Clone)]
pub struct Answer {
    /// Places of the candidates to make, in order: each the most per effort after those before it.
    pub order: Vec<usize>,
    /// Effort of all of them together.
    pub effort: f64,
    /// Whether every page is within its targets then.
    pub reached: bool,
    /// What each page would measure.
    pub after: Vec<Figures>,
    /// How it was found.
    pub way: Way,
    /// Sets that were run.
    pub sets: u64,
    /// Whether it was ended before it was through.
    pub stopped: bool,
    /// Candidates that are not in it, and why.
    pub left_out: Vec<(usize, WhyLeft)>,
}

/// Why the effect of an edit is known on no page: said of a page that it could be done to, where there is one.
#[must_use]
pub fn why_not(pages: &[PlanPage], edit: &Edit, bodies: &dyn Bodies) -> String {
    let whys = pages.iter().filter_map(|page| page.outlook.model().why_not(edit, bodies));
    whys.min_by_key(|why| why.is_absent).map_or_else(|| "No page counts.".into(), |why| why.why)
}

impl Search<'_> {
    /// Answers a question.
    #[must_use]
    pub fn answer(&self, question: Question) -> Answer {
        let mut left_out: Vec<(usize, WhyLeft)> = Vec::new();
        let known = self.known(&mut left_out);
        let mut run = Run::new(self, known);
        self.keep_movers(&mut run, question, &mut left_out);
        let count = run.movers.len();
        let every = 1u64.checked_shl(u32::try_from(count).unwrap_or(64)).filter(|_| count < 63);
        let (set, way) = match every {
            Some(sets) if sets * self.pages.len().max(1) as u64 <= EVERY_SET => {
                (exact::every_set(&run, question, sets), Way::EverySet)
            }
            _ if count <= EXACT => (exact::bounded(&run, question), Way::Bounded),
            _ => (greedy::greedy(&run, question), Way::Greedy),
        };
        let order: Vec<usize> = greedy::order(&run, set).into_iter().map(|bit| run.movers[bit]).collect();
        let not_needed = (0..count).filter(|bit| !set.has(*bit)).map(|bit| (run.movers[bit], WhyLeft::NotNeeded));
        left_out.extend(not_needed);
        left_out.sort_by_key(|l| l.0);
        let edits: Vec<&Edit> = order.iter().map(|place| &self.candidates[*place].edit).collect();
        let after: Vec<Figures> = self.pages.iter().map(|page| page.with(&edits, self.bodies)).collect();
        Answer {
            effort: run.efforts(set),
            reached: after.iter().all(|figures| self.aims.beyond(figures).is_empty()),
            after,
            order,
            way,
            sets: run.sets(),
            stopped: run.stopped(),
            left_out,
        }
    }

    /// Places of the candidates whose effect is known on one page at least.
    fn known(&self, left_out: &mut Vec<(usize, WhyLeft)>) -> Vec<usize> {
        let mut known = Vec::new();
        for (place, candidate) in self.candidates.iter().enumerate() {
            if self.pages.iter().any(|page| page.outlook.knows(&candidate.edit, self.bodies)) {
                known.push(place);
                continue;
            }
            let reason = why_not(self.pages, &candidate.edit, self.bodies);
            left_out.push((place, WhyLeft::NotKnown { reason }));
        }
        known
    }

    /// Leaves out what moves nothing and what harms, by what each does alone and what is missing without it.
    fn keep_movers(&self, run: &mut Run<'_>, question: Question, left_out: &mut Vec<(usize, WhyLeft)>) {
        if let Question::Best { effort } = question {
            let too_much = |place: &usize| self.candidates[*place].effort > effort;
            left_out.extend(run.movers.iter().copied().filter(too_much).map(|place| (place, WhyLeft::TooMuch)));
            run.movers.retain(|place| !too_much(place));
        }
        let alone: Vec<Standing> = run
            .movers
            .par_iter()
            .map(|place| {
                run.counted();
                self.standing(&[&self.candidates[*place].edit])
            })
            .collect();
        let none = self.standing(&[]);
        let mut gains: Vec<(usize, Standing)> = run.movers.iter().copied().zip(alone).collect();
        if gains.len() > MOST_CANDIDATES {
            gains.sort_by(|a, b| a.1.over.total_cmp(&b.1.over).then(b.1.pace.total_cmp(&a.1.pace)).then(a.0.cmp(&b.0)));
            left_out.extend(gains.drain(MOST_CANDIDATES..).map(|(place, _)| (place, WhyLeft::NotLookedAt)));
        }
        run.movers = gains.iter().map(|g| g.0).collect();
        let all = Bits::of(0..run.movers.len());
        let sets: Vec<Bits> = (0..run.movers.len()).map(|bit| all.without(bit)).chain([all]).collect();
        let without = run.standings(&sets);
        let with_all = without.last().copied().unwrap_or(none);
        let mut kept = Vec::new();
        for ((place, alone), without) in gains.into_iter().zip(without) {
            let still =
                |a: &Standing, b: &Standing| (a.over - b.over).abs() < NOTHING && (a.pace - b.pace).abs() < NOTHING;
            if still(&alone, &none) && still(&without, &with_all) {
                left_out.push((place, WhyLeft::MovesNothing));
            } else if none.is_better_than(&alone) && without.is_better_than(&with_all) {
                left_out.push((place, WhyLeft::Harms));
            } else {
                kept.push(place);
            }
        }
        run.movers = kept;
    }
}
