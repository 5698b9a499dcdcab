//! Time by function and by call path, over any span of the load.

use super::{CodePlace, Profile, Pseudo};
use crate::{Millis, Owner, OwnerKind, Owners, Work};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A function's time over all places that it was called from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct FunctionTime {
    /// Which function.
    pub place: CodePlace,
    /// Whose script it is in.
    pub owner: Owner,
    /// In its own code.
    pub self_ms: Millis,
    /// In its own code and in what it called; a function that calls itself counts once.
    pub total_ms: Millis,
}

/// One call path's time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct CallNode {
    /// Which function.
    pub place: CodePlace,
    /// Whose script it is in.
    pub owner: Owner,
    /// The caller: an earlier node of the list.
    pub parent: Option<u32>,
    /// In its own code on this path.
    pub self_ms: Millis,
    /// With what it called on this path.
    pub total_ms: Millis,
}

/// What the samples of a span say.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Functions {
    /// Heaviest first by self time.
    pub heaviest: Vec<FunctionTime>,
    /// Call paths, callers before what they call; siblings heaviest first.
    pub tree: Vec<CallNode>,
    /// Time of all samples in the span in which something ran.
    pub sampled_ms: Millis,
    /// How many samples that were.
    pub samples: u32,
}

/// A path that took less than this is left out of the tree.
const LEAST: Millis = Millis(0.05);
const MOST_NODES: usize = 6_000;

/// Time by function and by call path between two moments.
///
/// A sample stands for the time until the next, cut to the span and to the main thread's tasks: what
/// a profiler says between two tasks is nobody's work. Without tasks it is cut to the span alone.
#[must_use]
pub fn functions(profile: &Profile, work: &[Work], owners: &Owners, from: Millis, to: Millis) -> Functions {
    let mut own = vec![Millis::ZERO; profile.nodes.len()];
    let mut found = Functions::default();
    let mut tasks = work.iter().filter(|w| w.depth == 0).peekable();
    let bare = tasks.peek().is_none();
    for (start, end, node) in profile.spans() {
        if end <= from || start >= to {
            continue;
        }
        if matches!(profile.pseudo(node), Some(Pseudo::Idle | Pseudo::Root)) {
            continue;
        }
        let (start, end) = (start.max(from), end.min(to));
        let mut took = Millis::ZERO;
        if bare {
            took = end - start;
        } else {
            while tasks.peek().is_some_and(|t| t.end() <= start) {
                tasks.next();
            }
            // A sample may reach over several short tasks; the last of them may reach into the next sample.
            let mut ahead = tasks.clone();
            while let Some(task) = ahead.next_if(|t| t.start < end) {
                took += (task.end().min(end) - task.start.max(start)).max(Millis::ZERO);
            }
        }
        if took > Millis::ZERO {
            own[node as usize] += took;
            found.sampled_ms += took;
            found.samples += 1;
        }
    }
    let mut total = own.clone();
    for index in (0..profile.nodes.len()).rev() {
        if let Some(parent) = profile.nodes[index].parent {
            let time = total[index];
            total[parent as usize] += time;
        }
    }
    found.heaviest = heaviest(profile, &own, owners);
    found.tree = tree(profile, &own, &total, owners);
    found
}

fn owner_of(place: &CodePlace, owners: &Owners) -> Owner {
    match &place.url {
        Some(url) => owners.of_url(url),
        None if place.pseudo().is_some() => Owner { name: "browser".into(), kind: OwnerKind::Browser },
        None => Owner::page(),
    }
}

fn heaviest(profile: &Profile, own: &[Millis], owners: &Owners) -> Vec<FunctionTime> {
    let mut selfs = vec![Millis::ZERO; profile.places.len()];
    let mut totals = vec![Millis::ZERO; profile.places.len()];
    // The node that last counted for a place, so that a function that calls itself counts once.
    let mut counted = vec![u32::MAX; profile.places.len()];
    for (index, time) in own.iter().enumerate().filter(|(_, t)| **t > Millis::ZERO) {
        selfs[profile.nodes[index].place as usize] += *time;
        let mark = u32::try_from(index).unwrap_or(u32::MAX - 1);
        let mut at = Some(mark);
        while let Some(node) = at {
            let ProfileNode { place, parent } = profile.nodes[node as usize];
            if counted[place as usize] != mark {
                counted[place as usize] = mark;
                totals[place as usize] += *time;
            }
            at = parent;
        }
    }
    let mut rows: Vec<FunctionTime> = profile
        .places
        .iter()
        .enumerate()
        .filter(|(i, place)| totals[*i] >= LEAST && place.pseudo() != Some(Pseudo::Root))
        .map(|(i, place)| FunctionTime {
            place: place.clone(),
            owner: owner_of(place, owners),
            self_ms: selfs[i],
            total_ms: totals[i],
        })
        .collect();
    rows.sort_by(|a, b| b.self_ms.order(&a.self_ms).then(b.total_ms.order(&a.total_ms)));
    rows
}

fn tree(profile: &Profile, own: &[Millis], total: &[Millis], owners: &Owners) -> Vec<CallNode> {
    let mut children: Vec<Vec<u32>> = vec![Vec::new(); profile.nodes.len()];
    let mut tops = Vec::new();
    for (index, node) in (0u32..).zip(&profile.nodes) {
        if total[index as usize] < LEAST {
            continue;
        }
        match node.parent.filter(|p| profile.pseudo(*p) != Some(Pseudo::Root)) {
            Some(parent) => children[parent as usize].push(index),
            None if profile.pseudo(index) != Some(Pseudo::Root) => tops.push(index),
            None => {}
        }
    }
    let by_weight = |list: &mut Vec<u32>| list.sort_by(|a, b| total[*b as usize].order(&total[*a as usize]));
    by_weight(&mut tops);
    let mut rows: Vec<CallNode> = Vec::new();
    let mut open: Vec<(u32, Option<u32>)> = tops.into_iter().rev().map(|n| (n, None)).collect();
    while let Some((index, parent)) = open.pop() {
        if rows.len() >= MOST_NODES {
            break;
        }
        let place = &profile.places[profile.nodes[index as usize].place as usize];
        let here = u32::try_from(rows.len()).ok();
        rows.push(CallNode {
            place: place.clone(),
            owner: owner_of(place, owners),
            parent,
            self_ms: own[index as usize],
            total_ms: total[index as usize],
        });
        let mut under = std::mem::take(&mut children[index as usize]);
        by_weight(&mut under);
        open.extend(under.into_iter().rev().map(|n| (n, here)));
    }
    rows
}

use super::ProfileNode;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Load, WorkKind, WorkName};

    fn place(function: &str, url: Option<&str>) -> CodePlace {
        CodePlace { function: function.into(), url: url.map(Into::into), line: Some(1) }
    }

    /// (root) → outer → inner → outer again; and (idle).
    fn profile(samples: &[(f64, u32)]) -> Profile {
        let url = Some("http://a.test/a.js");
        Profile {
            places: vec![place("(root)", None), place("outer", url), place("inner", url), place("(idle)", None)],
            nodes: [(0, None), (1, Some(0)), (2, Some(1)), (1, Some(2)), (3, Some(0))]
                .map(|(place, parent)| ProfileNode { place, parent })
                .to_vec(),
            at: samples.iter().map(|s| Millis(s.0)).collect(),
            node: samples.iter().map(|s| s.1).collect(),
        }
    }

    fn task(start: f64, duration: f64) -> Work {
        Work { start: Millis(start), duration: Millis(duration), ..Work::new(WorkKind::Other, WorkName::Task) }
    }

    fn owners() -> Owners {
        Owners::of(&Load::empty("http://a.test/"), &[])
    }

    #[test]
    fn each_moment_counts_once_and_a_function_that_calls_itself_too() {
        // outer 0–10, inner 10–30, outer inside inner 30–40, idle from 40.
        let profile = profile(&[(0.0, 1), (10.0, 2), (30.0, 3), (40.0, 4), (50.0, 4)]);
        let all = functions(&profile, &[task(0.0, 45.0)], &owners(), Millis::ZERO, Millis(100.0));
        let of = |name: &str| all.heaviest.iter().find(|f| &*f.place.function == name).expect("there");
        assert_eq!((of("outer").self_ms, of("outer").total_ms), (Millis(20.0), Millis(40.0)));
        assert_eq!((of("inner").self_ms, of("inner").total_ms), (Millis(20.0), Millis(30.0)));
        assert_eq!(all.sampled_ms, Millis(40.0));
        let shape: Vec<_> = all.tree.iter().map(|n| (&*n.place.function, n.parent, n.total_ms.0)).collect();
        assert_eq!(shape, [("outer", None, 40.0), ("inner", Some(0), 30.0), ("outer", Some(1), 10.0)]);
    }

    #[test]
    fn a_span_and_the_tasks_cut_what_a_sample_stands_for() {
        let profile = profile(&[(0.0, 1), (10.0, 2), (30.0, 3), (40.0, 4)]);
        let part = functions(&profile, &[task(0.0, 45.0)], &owners(), Millis(5.0), Millis(15.0));
        assert_eq!(part.sampled_ms, Millis(10.0));
        // Two tasks of 3 ms with nothing between them: 4 of the 6 ms lie in the span.
        let gaps = functions(&profile, &[task(1.0, 3.0), task(6.0, 3.0)], &owners(), Millis(2.0), Millis(8.0));
        assert_eq!(gaps.sampled_ms, Millis(4.0));
    }

    #[test]
    fn samples_out_of_order_are_put_in_order() {
        let mixed = profile(&[(10.0, 2), (0.0, 1), (30.0, 77)]).in_order();
        assert_eq!(mixed.at, [Millis(0.0), Millis(10.0)]);
        let mut looped = profile(&[(0.0, 1)]);
        looped.nodes[1].parent = Some(3);
        assert!(looped.in_order().nodes.is_empty(), "a path that is its own caller is not believed");
    }
}
