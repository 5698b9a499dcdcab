//! Fix by fix, and exchanged as long as that helps: for more candidates than can be searched through.

use super::aims::Standing;
use super::bits::Bits;
use super::exact::{SLACK, goal};
use super::run::{Question, Run};

/// Times that all exchanges are looked at.
const ROUNDS: usize = 4;

/// What a fix brings for its effort: nearer to the targets, or where that stays, quicker.
fn worth(from: &Standing, to: &Standing, effort: f64) -> f64 {
    let nearer = from.over - to.over;
    // A point of Pace beyond the targets is worth a hundredth of one towards them.
    (nearer + (to.pace - from.pace).max(0.0) / 100.0) / effort.max(SLACK)
}

pub(super) fn greedy(run: &Run<'_>, question: Question) -> Bits {
    match question {
        Question::LeastEffort => least(run),
        Question::Best { effort } => best(run, effort + SLACK),
    }
}

fn grown(run: &Run<'_>, mut enough: impl FnMut(Bits, &Standing) -> bool, left: impl Fn(Bits) -> f64) -> Bits {
    let mut set = Bits::default();
    let mut standing = run.standing(set);
    while !enough(set, &standing) && !run.stopped() {
        let room = left(set);
        let open: Vec<usize> = (0..run.movers.len()).filter(|bit| !set.has(*bit) && run.effort(*bit) <= room).collect();
        let made = run.standings(&open.iter().map(|bit| set.with(*bit)).collect::<Vec<_>>());
        let worths = open.iter().zip(&made).map(|(bit, to)| (*bit, *to, worth(&standing, to, run.effort(*bit))));
        let Some((bit, to, gain)) = worths.max_by(|a, b| a.2.total_cmp(&b.2).then(b.0.cmp(&a.0))) else { break };
        if gain <= 0.0 {
            break;
        }
        (set, standing) = (set.with(bit), to);
    }
    set
}

/// From nothing upwards, and from all downwards where fixes help only together; the lesser of the two, exchanged.
fn least(run: &Run<'_>) -> Bits {
    let goal = goal(run);
    let reaches = |set: Bits| run.standing(set).over <= goal;
    let up = grown(run, |_, standing| standing.over <= goal, |_| f64::INFINITY);
    let up = if reaches(up) { up } else { Bits::of(0..run.movers.len()) };
    let mut set = without_idle(run, up, &reaches);
    let down = without_idle(run, Bits::of(0..run.movers.len()), &reaches);
    if run.efforts(down) < run.efforts(set) - SLACK {
        set = down;
    }
    for _ in 0..ROUNDS {
        let before = set;
        for out in set.places().collect::<Vec<_>>() {
            let cheaper =
                (0..run.movers.len()).filter(|bit| !set.has(*bit) && run.effort(*bit) < run.effort(out) - SLACK);
            let sets: Vec<Bits> = cheaper.map(|bit| set.without(out).with(bit)).collect();
            let made = run.standings(&sets);
            let found = sets.iter().zip(&made).filter(|(_, to)| to.over <= goal).map(|(set, _)| *set);
            if let Some(found) = found.min_by(|a, b| run.efforts(*a).total_cmp(&run.efforts(*b)).then(a.cmp(b))) {
                set = without_idle(run, found, &reaches);
                break;
            }
        }
        if set == before || run.stopped() {
            break;
        }
    }
    set
}

/// Takes out what is not needed, the dearest first.
fn without_idle(run: &Run<'_>, mut set: Bits, reaches: &dyn Fn(Bits) -> bool) -> Bits {
    let mut dearest: Vec<usize> = set.places().collect();
    dearest.sort_by(|a, b| run.effort(*b).total_cmp(&run.effort(*a)).then(a.cmp(b)));
    for bit in dearest {
        if !run.stopped() && reaches(set.without(bit)) {
            set = set.without(bit);
        }
    }
    set
}

fn best(run: &Run<'_>, effort: f64) -> Bits {
    let left = |set: Bits| effort - run.efforts(set);
    let mut set = grown(run, |_, _| false, left);
    let mut standing = run.standing(set);
    for _ in 0..ROUNDS {
        let before = set;
        for out in set.places().collect::<Vec<_>>() {
            let less = set.without(out);
            let room = left(less);
            let fits = (0..run.movers.len()).filter(|bit| !less.has(*bit) && *bit != out && run.effort(*bit) <= room);
            let sets: Vec<Bits> = fits.map(|bit| less.with(bit)).collect();
            let made = run.standings(&sets);
            for (other, to) in sets.iter().zip(made) {
                if to.is_better_than(&standing) {
                    (set, standing) = (*other, to);
                }
            }
            if set != before {
                break;
            }
        }
        if set == before || run.stopped() {
            break;
        }
    }
    set
}

/// The fixes of a set in the order in which they are worth most: each after those before it, by its effort.
pub(super) fn order(run: &Run<'_>, set: Bits) -> Vec<usize> {
    let mut order = Vec::new();
    let mut made = Bits::default();
    let mut standing = run.standing(made);
    while order.len() < set.places().count() {
        let open: Vec<usize> = set.places().filter(|bit| !made.has(*bit)).collect();
        let next = run.standings(&open.iter().map(|bit| made.with(*bit)).collect::<Vec<_>>());
        let worths = open.iter().zip(&next).map(|(bit, to)| (*bit, *to, worth(&standing, to, run.effort(*bit))));
        let Some((bit, to, _)) = worths.max_by(|a, b| a.2.total_cmp(&b.2).then(b.0.cmp(&a.0))) else { break };
        (made, standing) = (made.with(bit), to);
        order.push(bit);
    }
    order
}
