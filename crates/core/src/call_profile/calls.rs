//! What a function took with all that it called, where only sums of calls are known.

use super::{CallsBetween, CodeFunction, add};
use petgraph::algo::kosaraju_scc;
use petgraph::graph::{DiGraph, NodeIndex};

/// The inclusive costs of functions, and which of them call themselves, directly or through others.
///
/// A function's own cost and that of its calls of others add up to it; its calls of itself are in its own cost already.
/// Of functions that call each other in a circle the calls among them hold each other, so that the sum may be more than
/// all that the circle took with what it called: it is cut to that.
#[must_use]
pub fn inclusive_costs(
    functions: &[CodeFunction],
    calls: &[CallsBetween],
    measures: usize,
) -> (Vec<Vec<i64>>, Vec<bool>) {
    let mut graph: DiGraph<(), ()> = DiGraph::with_capacity(functions.len(), calls.len());
    for _ in functions {
        graph.add_node(());
    }
    let mut sums: Vec<Vec<i64>> = functions.iter().map(|f| f.own.clone()).collect();
    let mut again = vec![false; functions.len()];
    for call in calls {
        let (from, to) = (call.from as usize, call.to as usize);
        if from == to {
            again[from] = true;
            continue;
        }
        add(&mut sums[from], &call.cost);
        graph.add_edge(NodeIndex::new(from), NodeIndex::new(to), ());
    }
    let mut circle_of = vec![usize::MAX; functions.len()];
    let circles: Vec<Vec<NodeIndex>> = kosaraju_scc(&graph).into_iter().filter(|circle| circle.len() > 1).collect();
    let mut wholes = vec![vec![0i64; measures]; circles.len()];
    for (number, circle) in circles.iter().enumerate() {
        for node in circle {
            circle_of[node.index()] = number;
            again[node.index()] = true;
            add(&mut wholes[number], &functions[node.index()].own);
        }
    }
    for call in calls {
        let circle = circle_of[call.from as usize];
        if circle != usize::MAX && circle_of[call.to as usize] != circle {
            add(&mut wholes[circle], &call.cost);
        }
    }
    for (sum, circle) in sums.iter_mut().zip(&circle_of).filter(|(_, circle)| **circle != usize::MAX) {
        for (cost, whole) in sum.iter_mut().zip(&wholes[*circle]) {
            *cost = (*cost).min(*whole);
        }
    }
    (sums, again)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn calls_of_oneself_and_in_circles_count_once() {
        let own = [10, 20, 30, 40, 5];
        let functions: Vec<CodeFunction> = own
            .iter()
            .map(|own| CodeFunction {
                name: String::new(),
                file: 0,
                object: None,
                own: vec![*own],
                inclusive: Vec::new(),
                again: false,
            })
            .collect();
        let call = |from, to, cost| CallsBetween { from, to, count: 1, cost: vec![cost] };
        // main → even ⇄ odd → leaf; self calls itself.
        let calls = [call(0, 1, 90), call(1, 2, 70), call(2, 1, 60), call(2, 3, 40), call(0, 4, 5), call(4, 4, 4)];
        let (sums, again) = inclusive_costs(&functions, &calls, 1);
        assert_eq!(sums, [[105], [90], [90], [40], [5]], "the circle took 20 + 30 and the 40 that it called");
        assert_eq!(again, [false, true, true, false, true]);
    }
}
