//! The best set of all: every one run, or those passed over that cannot be better.

use super::aims::Standing;
use super::bits::Bits;
use super::run::{Question, Run};
use rayon::prelude::*;

/// Points of the standing that are as good as none.
pub(super) const SLACK: f64 = 1e-6;

/// The best set so far.
struct Best {
    set: Bits,
    standing: Standing,
    effort: f64,
}

impl Best {
    /// The better of two: by the question, then by effort, then by the set itself, so that the same is found each time.
    fn or(self, other: Self, question: Question, goal: f64) -> Self {
        let reaches = |b: &Self| b.standing.over <= goal;
        let less = |a: &Self, b: &Self| a.effort < b.effort - SLACK || (a.effort <= b.effort + SLACK && a.set < b.set);
        let other_wins = match question {
            Question::LeastEffort if reaches(&self) != reaches(&other) => reaches(&other),
            Question::LeastEffort if reaches(&self) => {
                other.effort < self.effort - SLACK
                    || (other.effort <= self.effort + SLACK && other.standing.is_better_than(&self.standing))
            }
            _ if other.standing.is_better_than(&self.standing) => true,
            _ => !self.standing.is_better_than(&other.standing) && less(&other, &self),
        };
        if other_wins { other } else { self }
    }
}

/// How far over the targets a set may be to count as having reached what can be reached.
pub(super) fn goal(run: &Run<'_>) -> f64 {
    run.standing(Bits::of(0..run.movers.len())).over + SLACK
}

/// Runs every set.
pub(super) fn every_set(run: &Run<'_>, question: Question, sets: u64) -> Bits {
    let most = match question {
        Question::LeastEffort => f64::INFINITY,
        Question::Best { effort } => effort + SLACK,
    };
    let sets = (0..sets).map(|set| Bits(set.into())).filter(|set| run.efforts(*set) <= most).collect::<Vec<_>>();
    let made: Vec<Best> = sets
        .par_iter()
        .filter(|_| !run.stopped())
        .map(|set| Best { set: *set, standing: run.standing(*set), effort: run.efforts(*set) })
        .collect();
    // With fixes that undo others the best reach may be that of fewer than all.
    let goal = made.iter().map(|b| b.standing.over).fold(f64::INFINITY, f64::min) + SLACK;
    made.into_iter().reduce(|best, other| best.or(other, question, goal)).map_or(Bits::default(), |best| best.set)
}

/// Goes through the sets and passes those over whose best case is no better: given that a fix never undoes another,
/// no set is better than itself with all that could still be added.
pub(super) fn bounded(run: &Run<'_>, question: Question) -> Bits {
    let all: Vec<usize> = (0..run.movers.len()).collect();
    let whole = Bits::of(all.iter().copied());
    // What is missed most comes first: then the rest is soon known not to do.
    let missed = run.standings(&all.iter().map(|bit| whole.without(*bit)).collect::<Vec<_>>());
    let mut order = all;
    order.sort_by(|a, b| {
        let worth = |bit: usize| (missed[bit].over - missed[bit].pace / 100.0) / run.effort(bit).max(SLACK);
        worth(*b).total_cmp(&worth(*a)).then(a.cmp(b))
    });
    match question {
        Question::LeastEffort => {
            let goal = goal(run);
            if run.standing(Bits::default()).over <= goal {
                return Bits::default();
            }
            let mut search = Least { run, order: &order, goal, best: (run.efforts(whole), whole) };
            search.go(0, Bits::default(), 0.0);
            search.best.1
        }
        Question::Best { effort } => {
            let none = run.standing(Bits::default());
            let mut search =
                Most { run, order: &order, best: Best { set: Bits::default(), standing: none, effort: 0.0 } };
            search.go(0, Bits::default(), effort + SLACK);
            search.best.set
        }
    }
}

struct Least<'a> {
    run: &'a Run<'a>,
    order: &'a [usize],
    goal: f64,
    best: (f64, Bits),
}

impl Least<'_> {
    /// The set does not reach the goal; with all from `place` on it does.
    fn go(&mut self, place: usize, set: Bits, effort: f64) {
        let Some(&bit) = self.order.get(place) else { return };
        let cheapest = self.order[place..].iter().map(|b| self.run.effort(*b)).fold(f64::INFINITY, f64::min);
        if self.run.stopped() || effort + cheapest >= self.best.0 - SLACK {
            return;
        }
        let with = set.with(bit);
        let rest = self.order[place + 1..].iter().fold(set, |rest, b| rest.with(*b));
        let [with_it, without_it] = self.run.standings(&[with, rest])[..] else { return };
        let cost = effort + self.run.effort(bit);
        if cost < self.best.0 - SLACK {
            if with_it.over <= self.goal {
                self.best = (cost, with);
            } else {
                self.go(place + 1, with, cost);
            }
        }
        if without_it.over <= self.goal {
            self.go(place + 1, set, effort);
        }
    }
}

struct Most<'a> {
    run: &'a Run<'a>,
    order: &'a [usize],
    best: Best,
}

impl Most<'_> {
    fn go(&mut self, place: usize, set: Bits, left: f64) {
        if self.run.stopped() {
            return;
        }
        let fitting: Vec<usize> =
            self.order[place..].iter().copied().filter(|bit| self.run.effort(*bit) <= left).collect();
        let most = fitting.iter().fold(set, |most, bit| most.with(*bit));
        let standing = self.run.standing(most);
        if !standing.is_better_than(&self.best.standing) {
            return;
        }
        let wanted: f64 = fitting.iter().map(|bit| self.run.effort(*bit)).sum();
        if wanted <= left {
            self.best = Best { set: most, standing, effort: self.run.efforts(most) };
            return;
        }
        let Some(next) = self.order[place..].iter().position(|bit| self.run.effort(*bit) <= left) else { return };
        let bit = self.order[place + next];
        self.go(place + next + 1, set.with(bit), left - self.run.effort(bit));
        self.go(place + next + 1, set, left);
    }
}
