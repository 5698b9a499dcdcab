//! Call stacks on the time axis: neighbouring samples that share a caller share its bar.

use super::{Profile, Pseudo};
use crate::{Millis, Work};

/// A function being on the stack for a while.
#[derive(Debug, Clone, Copy, PartialEq)]
#[allow(missing_docs)]
pub struct StackBar {
    pub start: Millis,
    pub end: Millis,
    /// 0 is the outermost call.
    pub depth: u16,
    /// An index of [`Profile::places`].
    pub place: u32,
}

const DEEPEST: usize = 200;

/// The bars, in order of their start. A bar ends with its task: two calls in two tasks are two bars.
#[must_use]
pub fn stacks(profile: &Profile, work: &[Work]) -> Vec<StackBar> {
    let mut bars: Vec<StackBar> = Vec::new();
    // Open bars, outermost first: the call path's node and the bar's index.
    let mut open: Vec<(u32, usize)> = Vec::new();
    let mut path: Vec<u32> = Vec::new();
    let mut tasks = work.iter().filter(|w| w.depth == 0).peekable();
    let bare = tasks.peek().is_none();
    for (start, end, node) in profile.spans() {
        let (mut start, mut end) = (start, end);
        if !bare {
            let mut ended = false;
            while tasks.next_if(|t| t.end() <= start).is_some() {
                ended = true;
            }
            if ended {
                open.clear();
            }
            match tasks.peek().filter(|t| t.start < end) {
                Some(task) => {
                    start = start.max(task.start);
                    end = end.min(task.end());
                }
                None => {
                    open.clear();
                    continue;
                }
            }
        }
        path.clear();
        if profile.pseudo(node) == Some(Pseudo::Collector) {
            // The profiler names it without callers; it interrupts whatever was running.
            path.extend(open.iter().map(|o| o.0).filter(|n| profile.pseudo(*n) != Some(Pseudo::Collector)));
            path.push(node);
        } else {
            let mut at = Some(node);
            while let Some(index) = at {
                if !matches!(profile.pseudo(index), Some(Pseudo::Root | Pseudo::Idle | Pseudo::Browser)) {
                    path.push(index);
                }
                at = profile.nodes.get(index as usize).and_then(|n| n.parent);
            }
            path.reverse();
        }
        path.truncate(DEEPEST);
        let shared = open.iter().zip(&path).take_while(|(o, p)| o.0 == **p).count();
        open.truncate(shared);
        for (_, bar) in &open {
            bars[*bar].end = end;
        }
        for (depth, index) in path.iter().enumerate().skip(shared) {
            open.push((*index, bars.len()));
            bars.push(StackBar {
                start,
                end,
                depth: u16::try_from(depth).unwrap_or(u16::MAX),
                place: profile.nodes[*index as usize].place,
            });
        }
    }
    bars
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::{CodePlace, ProfileNode};
    use crate::{WorkKind, WorkName};

    #[test]
    fn collecting_interrupts_a_call_and_does_not_end_it() {
        let named = |n: &str, url: Option<&str>| CodePlace { function: n.into(), url: url.map(Into::into), line: None };
        let url = Some("http://a.test/a.js");
        let profile = Profile {
            places: vec![named("(root)", None), named("a", url), named("(garbage collector)", None)],
            nodes: [(0, None), (1, Some(0)), (2, Some(0))]
                .map(|(place, parent)| ProfileNode { place, parent })
                .to_vec(),
            at: [0.0, 1.0, 2.0, 3.0].map(Millis).to_vec(),
            node: vec![1, 2, 2, 1],
        };
        let seen: Vec<_> = stacks(&profile, &[]).iter().map(|b| (b.place, b.depth, b.start.0, b.end.0)).collect();
        assert_eq!(seen, [(1, 0, 0.0, 4.0), (2, 1, 1.0, 3.0)]);
    }

    #[test]
    fn neighbours_share_their_callers_bar_and_tasks_part_them() {
        let named = |n: &str| CodePlace { function: n.into(), url: Some("http://a.test/a.js".into()), line: None };
        let profile = Profile {
            places: vec![CodePlace { url: None, ..named("(root)") }, named("a"), named("b"), named("c")],
            nodes: [(0, None), (1, Some(0)), (2, Some(1)), (3, Some(1))]
                .map(|(place, parent)| ProfileNode { place, parent })
                .to_vec(),
            at: [0.0, 1.0, 2.0, 10.0].map(Millis).to_vec(),
            node: vec![2, 3, 3, 2],
        };
        let task = |start: f64, duration: f64| Work {
            start: Millis(start),
            duration: Millis(duration),
            ..Work::new(WorkKind::Other, WorkName::Task)
        };
        let bars = stacks(&profile, &[task(0.0, 5.0), task(9.0, 6.0)]);
        let seen: Vec<_> = bars.iter().map(|b| (b.place, b.depth, b.start.0, b.end.0)).collect();
        assert_eq!(
            seen,
            [(1, 0, 0.0, 5.0), (2, 1, 0.0, 1.0), (3, 1, 1.0, 5.0), (1, 0, 10.0, 15.0), (2, 1, 10.0, 15.0)]
        );
    }
}
