//! Whose each instant of an answer is: every instant of it belongs to exactly one span, so that sums over spans,
//! owners or kinds add up to the whole.

use crate::{Millis, Span};
use std::collections::BTreeSet;

/// How deep each span lies below the one that has no parent. A parent that is its own child has none.
fn depths(spans: &[Span]) -> Vec<u32> {
    let mut depths: Vec<Option<u32>> = vec![None; spans.len()];
    for first in 0..spans.len() {
        let mut way = Vec::new();
        let mut at = Some(first);
        while let Some(place) =
            at.filter(|place| depths[*place].is_none() && !way.contains(place) && way.len() < 10_000)
        {
            way.push(place);
            at = spans[place].parent.map(|p| p as usize).filter(|p| *p < spans.len());
        }
        let above = at.and_then(|place| depths[place]);
        for (place, below) in way.iter().rev().zip(0u32..) {
            depths[*place] = Some(above.map_or(below, |above| above + 1 + below));
        }
    }
    depths.into_iter().map(|depth| depth.unwrap_or(0)).collect()
}

/// The time that is each span's own: of those at work at an instant, the deepest has it, and of equally deep ones
/// the one that began last. Work that goes on after its answer has ended is nobody's wait and counts for nothing.
#[must_use]
pub fn own_times(spans: &[Span]) -> Vec<Millis> {
    let depths = depths(spans);
    let mut own = vec![0.0; spans.len()];
    let mut by_request: Vec<usize> = (0..spans.len()).collect();
    by_request.sort_by_key(|place| spans[*place].request);
    for group in by_request.chunk_by(|a, b| spans[*a].request == spans[*b].request) {
        // Begins and ends; at one instant ends come first.
        let mut moments: Vec<(f64, bool, usize)> = Vec::with_capacity(group.len() * 2);
        for place in group {
            moments.push((spans[*place].start.0, true, *place));
            moments.push((spans[*place].end().0, false, *place));
        }
        moments.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)));
        let mut order: Vec<usize> = group.to_vec();
        order.sort_by(|a, b| spans[*a].start.order(&spans[*b].start).then(a.cmp(b)));
        let rank = |place: usize| {
            order
                .partition_point(|other| spans[*other].start.order(&spans[place].start).then(other.cmp(&place)).is_lt())
        };
        let mut at_work: BTreeSet<(u32, usize, usize)> = BTreeSet::new();
        let mut answers = 0;
        let mut since = f64::NEG_INFINITY;
        for (at, begins, place) in moments {
            if let Some((_, _, busy)) = at_work.last().filter(|_| answers > 0 && at > since) {
                own[*busy] += at - since;
            }
            since = at;
            let key = (depths[place], rank(place), place);
            let changed = if begins { at_work.insert(key) } else { at_work.remove(&key) };
            if changed && depths[place] == 0 {
                if begins {
                    answers += 1;
                } else {
                    answers -= 1;
                }
            }
        }
    }
    own.into_iter().map(Millis).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{RequestId, SpanKind};
    use proptest::prelude::*;

    fn span(parent: Option<u32>, start: f64, duration: f64) -> Span {
        Span::new(RequestId(0), parent, "x", SpanKind::Other, (Millis(start), Millis(duration)))
    }

    #[test]
    fn each_instant_is_the_deepest_ones() {
        // An answer of 100 ms; a hook from 10 to 60 with a query from 20 to 50; two remote calls side by side from
        // 70 to 90 and 80 to 95; something that goes on until 130.
        let spans = [
            span(None, 0.0, 100.0),
            span(Some(0), 10.0, 50.0),
            span(Some(1), 20.0, 30.0),
            span(Some(0), 70.0, 20.0),
            span(Some(0), 80.0, 15.0),
            span(Some(0), 98.0, 32.0),
        ];
        let own: Vec<f64> = own_times(&spans).iter().map(|ms| ms.0).collect();
        assert_eq!(own, [10.0 + 10.0 + 3.0, 20.0, 30.0, 10.0, 15.0, 2.0]);
        assert!(own_times(&[]).is_empty());
    }

    #[test]
    fn a_circle_of_parents_is_no_end() {
        let mut spans = vec![span(Some(1), 0.0, 10.0), span(Some(0), 2.0, 4.0), span(Some(9), 0.0, 10.0)];
        spans[2].request = RequestId(1);
        let sum: f64 = own_times(&spans).iter().map(|ms| ms.0).sum();
        // Which of the two is above is for nobody to tell: the inner one's four ms are the answer's, and ten the other's.
        assert!((sum - 14.0).abs() < 1e-9);
    }

    proptest! {
        #[test]
        fn nothing_is_counted_twice(pieces in prop::collection::vec((0usize..12, 0.0..100.0f64, 0.0..60.0f64), 0..12)) {
            let mut spans = vec![span(None, 0.0, 100.0)];
            for (parent, start, duration) in pieces {
                let parent = u32::try_from(parent % spans.len()).expect("few");
                spans.push(span(Some(parent), start, duration));
            }
            let own = own_times(&spans);
            prop_assert!((own.iter().map(|ms| ms.0).sum::<f64>() - 100.0).abs() < 1e-6);
            for (own, span) in own.iter().zip(&spans) {
                prop_assert!(own.0 >= 0.0 && own.0 <= span.duration.0 + 1e-9);
            }
        }
    }
}
