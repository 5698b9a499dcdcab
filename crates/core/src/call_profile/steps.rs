//! The tree of calls, from a file that tells each call when it ends.
//!
//! Some profilers write a record for every single call, the called before the caller. Then the calls that a record
//! names are the last ones that ended and that nobody has claimed yet, and the tree is exact. Where one record sums up
//! several calls, or names one that did not just end, it cannot be known, and nothing is guessed.
//!
//! What a call took with all that it called is what its caller's record says. For time that is the sum of what is below
//! it, to rounding; memory that a callee gave back is in no function's own.

use super::add;
use serde::{Deserialize, Serialize};

/// So many steps that differ are held; a program with more has no tree.
const MOST_HELD: usize = 400_000;
/// A step that took less than this share of the whole, in every measure, is not kept one by one.
const LEAST_SHARE: f64 = 1.0 / 5_000.0;
/// So deep a tree is kept.
const DEEPEST: usize = 2_000;

/// A function as it was called from one place of the tree, all such calls together.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Step {
    /// The step that called it, which stands before it.
    pub parent: Option<u32>,
    /// The function, by place.
    pub function: u32,
    /// How often it was called from there.
    pub count: u64,
    /// Its own cost there, by measure.
    pub own: Vec<i64>,
    /// With what it called.
    pub inclusive: Vec<i64>,
}

#[derive(Debug, Default)]
struct Node {
    function: u32,
    count: u64,
    own: Vec<i64>,
    inclusive: Vec<i64>,
    children: Vec<u32>,
}

/// A call as its caller's record tells it.
#[derive(Debug, Clone)]
pub struct Call {
    /// What was called.
    pub to: u32,
    /// How often.
    pub count: u64,
    /// What it took with all that it called, by measure.
    pub cost: Vec<i64>,
}

/// Makes the tree, record by record.
#[derive(Debug)]
pub struct CallSteps {
    nodes: Vec<Node>,
    free: Vec<u32>,
    /// Calls that ended and that nobody has claimed.
    ended: Vec<u32>,
    measures: usize,
    lost: bool,
}

impl CallSteps {
    /// Of costs by so many measures.
    #[must_use]
    pub fn new(measures: usize) -> Self {
        Self { nodes: Vec::new(), free: Vec::new(), ended: Vec::new(), measures, lost: false }
    }

    /// A call ended: of which function, at which own cost, and which it called, in order.
    pub fn ended(&mut self, function: u32, own: &[i64], called: &[Call]) {
        if self.lost {
            return;
        }
        let claimed = self.ended.len().checked_sub(called.len());
        let fits = claimed.is_some_and(|from| {
            let last = &self.ended[from..];
            called
                .iter()
                .zip(last)
                .all(|(call, node)| call.count == 1 && self.nodes[*node as usize].function == call.to)
        });
        let Some(from) = claimed.filter(|_| fits) else { return self.lose() };
        let children = self.ended.split_off(from);
        let mut inclusive = own.to_vec();
        for (child, call) in children.iter().zip(called) {
            add(&mut inclusive, &call.cost);
            self.nodes[*child as usize].inclusive.clone_from(&call.cost);
        }
        // Until its caller's record says what it took, its own says it.
        let node = self.take(Node { function, count: 1, own: own.to_vec(), inclusive, children: Vec::new() });
        for child in children {
            self.put_under(node, child);
        }
        if self.nodes.len() - self.free.len() > MOST_HELD {
            return self.lose();
        }
        self.ended.push(node);
    }

    /// Whether it is known already that there is no tree.
    #[must_use]
    pub fn is_lost(&self) -> bool {
        self.lost
    }

    fn lose(&mut self) {
        *self = Self { lost: true, ..Self::new(self.measures) };
    }

    fn take(&mut self, node: Node) -> u32 {
        if let Some(place) = self.free.pop() {
            self.nodes[place as usize] = node;
            return place;
        }
        self.nodes.push(node);
        u32::try_from(self.nodes.len() - 1).unwrap_or(u32::MAX)
    }

    /// Puts a call under its caller, together with others of the same function there.
    fn put_under(&mut self, node: u32, child: u32) {
        let mut open = vec![(node, child)];
        while let Some((parent, child)) = open.pop() {
            let function = self.nodes[child as usize].function;
            let same = self.nodes[parent as usize]
                .children
                .iter()
                .copied()
                .find(|c| self.nodes[*c as usize].function == function);
            let Some(same) = same else {
                self.nodes[parent as usize].children.push(child);
                continue;
            };
            let merged = std::mem::take(&mut self.nodes[child as usize]);
            self.free.push(child);
            let into = &mut self.nodes[same as usize];
            into.count += merged.count;
            add(&mut into.own, &merged.own);
            add(&mut into.inclusive, &merged.inclusive);
            open.extend(merged.children.into_iter().map(|grandchild| (same, grandchild)));
        }
    }

    /// The steps, callers before what they called; and the inclusive cost of each of `functions`, each
    /// instant once. `None` where the file did not tell calls apart.
    #[must_use]
    #[allow(clippy::cast_precision_loss)]
    pub fn finish(mut self, functions: usize) -> Option<(Vec<Step>, Vec<Vec<i64>>)> {
        if self.lost || self.ended.is_empty() {
            return None;
        }
        let top = self.take(Node { function: u32::MAX, ..Node::default() });
        for root in std::mem::take(&mut self.ended) {
            self.put_under(top, root);
        }
        // Callers before the called.
        let mut order: Vec<(u32, Option<usize>, usize)> = vec![(top, None, 0)];
        let mut at = 0;
        while at < order.len() {
            let (node, _, depth) = order[at];
            order.extend(self.nodes[node as usize].children.iter().map(|child| (*child, Some(at), depth + 1)));
            at += 1;
        }
        let mut whole = vec![0i64; self.measures];
        for root in &self.nodes[top as usize].children {
            add(&mut whole, &self.nodes[*root as usize].inclusive);
        }
        let by_function = self.once(top, functions);
        let whole: Vec<f64> = whole.iter().map(|cost| (*cost as f64).abs()).collect();
        let large = |costs: &[i64]| {
            costs.iter().zip(&whole).any(|(cost, all)| *all > 0.0 && (*cost as f64).abs() >= all * LEAST_SHARE)
        };
        let mut kept: Vec<Option<u32>> = vec![None; order.len()];
        let mut steps: Vec<Step> = Vec::new();
        for (place, (node, parent, depth)) in order.iter().enumerate().skip(1) {
            let above = parent.filter(|p| *p != 0).map(|p| kept[p]);
            let node = &self.nodes[*node as usize];
            if above == Some(None) || *depth > DEEPEST || !large(&node.inclusive) {
                continue;
            }
            kept[place] = u32::try_from(steps.len()).ok();
            steps.push(Step {
                parent: above.flatten(),
                function: node.function,
                count: node.count,
                own: node.own.clone(),
                inclusive: node.inclusive.clone(),
            });
        }
        Some((steps, by_function))
    }

    /// The inclusive cost of each function: of its calls that are in no other call of it.
    fn once(&self, top: u32, functions: usize) -> Vec<Vec<i64>> {
        let mut sums = vec![vec![0; self.measures]; functions];
        let mut inside = vec![0u32; functions];
        // Down and up again: `true` on the way up.
        let mut open: Vec<(u32, bool)> = self.nodes[top as usize].children.iter().map(|c| (*c, false)).collect();
        while let Some((node, up)) = open.pop() {
            let function = self.nodes[node as usize].function as usize;
            let Some(depth) = inside.get_mut(function) else { continue };
            if up {
                *depth -= 1;
                continue;
            }
            if *depth == 0 {
                add(&mut sums[function], &self.nodes[node as usize].inclusive);
            }
            *depth += 1;
            open.push((node, true));
            open.extend(self.nodes[node as usize].children.iter().map(|c| (*c, false)));
        }
        sums
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// `main` calls `a` twice and `b` once; `a` calls `c` each time; `b` calls itself once.
    fn steps() -> CallSteps {
        let (main, a, b, c) = (0, 1, 2, 3);
        let mut steps = CallSteps::new(1);
        let call = |to, cost| Call { to, count: 1, cost: vec![cost] };
        steps.ended(c, &[5], &[]);
        steps.ended(a, &[10], &[call(c, 5)]);
        steps.ended(c, &[7], &[]);
        steps.ended(a, &[20], &[call(c, 7)]);
        steps.ended(b, &[1], &[]);
        steps.ended(b, &[2], &[call(b, 1)]);
        steps.ended(main, &[100], &[call(a, 15), call(a, 27), call(b, 3)]);
        steps
    }

    #[test]
    fn calls_from_one_place_are_one_step_and_every_instant_counts_once() {
        let (tree, inclusive) = steps().finish(4).expect("each call is told apart");
        let told: Vec<(Option<u32>, u32, u64, i64, i64)> =
            tree.iter().map(|s| (s.parent, s.function, s.count, s.own[0], s.inclusive[0])).collect();
        assert_eq!(
            told,
            [
                (None, 0, 1, 100, 145),
                (Some(0), 1, 2, 30, 42),
                (Some(0), 2, 1, 2, 3),
                (Some(1), 3, 2, 12, 12),
                (Some(2), 2, 1, 1, 1)
            ]
        );
        assert_eq!(inclusive, [[145], [42], [3], [12]], "b in b is not counted twice");
    }

    #[test]
    fn a_record_that_sums_up_calls_leaves_no_tree() {
        let mut summed = steps();
        summed.ended(9, &[1], &[Call { to: 0, count: 2, cost: vec![1] }]);
        assert!(summed.finish(10).is_none());
        let mut unknown = steps();
        unknown.ended(9, &[1], &[Call { to: 3, count: 1, cost: vec![1] }]);
        assert!(unknown.finish(10).is_none(), "the last call that ended was another one");
        assert!(CallSteps::new(1).finish(0).is_none());
    }

    #[test]
    fn a_call_of_a_hundred_thousand_levels_is_told() {
        let mut deep = CallSteps::new(1);
        deep.ended(0, &[1], &[]);
        for level in 1..=100_000 {
            deep.ended(0, &[1], &[Call { to: 0, count: 1, cost: vec![level] }]);
        }
        let (tree, inclusive) = deep.finish(1).expect("each call is told apart");
        assert_eq!(inclusive, [[100_001]]);
        assert!(tree.len() <= DEEPEST + 1);
    }
}
