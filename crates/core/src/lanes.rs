//! Two lanes over the waterfall: bandwidth in use and how busy the main thread was.

use crate::{Load, Millis};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How many slices the load is cut into.
const SLICES: usize = 600;

/// Both lanes, in equal slices from navigation start to the load's end.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Lanes {
    /// Length of a slice.
    pub slice_ms: f64,
    /// Bits a second received in each slice: a response's bytes are spread evenly from its first byte
    /// to its last. `None` where no response told its size.
    pub received_bps: Option<Vec<f32>>,
    /// Share of each slice in which the main thread had a task, 0 to 1; `None` where it was not observed.
    pub busy: Option<Vec<f32>>,
}

/// Computes both lanes.
#[must_use]
pub fn lanes(load: &Load) -> Lanes {
    if load.end <= Millis::ZERO {
        return Lanes::default();
    }
    #[allow(clippy::cast_precision_loss)]
    let slice = load.end.0 / SLICES as f64;
    let responses: Vec<(f64, f64, f64)> = load
        .requests
        .iter()
        .filter(|r| r.is_network())
        .filter_map(|r| {
            let (from, to) = (r.first_byte.or(r.sent)?, r.end?);
            #[allow(clippy::cast_precision_loss)]
            Some((from.0, to.0, r.transferred?.0 as f64 * 8.0))
        })
        .collect();
    let received_bps = (!responses.is_empty()).then(|| {
        let mut bits = spread(responses.into_iter(), slice);
        bits.iter_mut().for_each(|b| *b /= slice / 1000.0);
        narrow(&bits)
    });
    let busy = (!load.work.is_empty()).then(|| {
        let tasks = load.work.iter().filter(|w| w.depth == 0).map(|w| (w.start.0, w.end().0, w.duration.0));
        let mut share = spread(tasks, slice);
        share.iter_mut().for_each(|b| *b = (*b / slice).min(1.0));
        narrow(&share)
    });
    Lanes { slice_ms: slice, received_bps, busy }
}

#[allow(clippy::cast_possible_truncation)]
fn narrow(values: &[f64]) -> Vec<f32> {
    values.iter().map(|v| ((v * 1000.0).round() / 1000.0) as f32).collect()
}

/// Spreads each amount evenly from its start to its end; what has no length falls into one slice.
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, clippy::cast_precision_loss)]
fn spread(amounts: impl Iterator<Item = (f64, f64, f64)>, slice: f64) -> Vec<f64> {
    let mut sums = vec![0.0; SLICES];
    for (from, to, amount) in amounts {
        let first = ((from / slice).max(0.0) as usize).min(SLICES - 1);
        let last = ((to / slice).max(0.0) as usize).min(SLICES - 1);
        if first >= last || to <= from {
            sums[first] += amount;
            continue;
        }
        for (index, sum) in sums.iter_mut().enumerate().take(last + 1).skip(first) {
            let start = from.max(index as f64 * slice);
            let end = to.min((index + 1) as f64 * slice);
            *sum += amount * (end - start).max(0.0) / (to - from);
        }
    }
    sums
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Bytes, Request, ResourceKind, Work, WorkKind, WorkName};

    #[test]
    fn bytes_are_spread_over_their_download_and_none_is_lost() {
        let mut load = Load::empty("http://a.test/");
        load.end = Millis(6_000.0);
        let mut request = Request::new(0, "http://a.test/", ResourceKind::Document);
        request.first_byte = Some(Millis(1_005.0));
        request.end = Some(Millis(3_005.0));
        request.transferred = Some(Bytes(50_000));
        load.requests.push(request);
        load.work.push(Work {
            start: Millis(100.0),
            duration: Millis(15.0),
            ..Work::new(WorkKind::Other, WorkName::Task)
        });
        let lanes = lanes(&load);
        let received = lanes.received_bps.expect("a response");
        // 400,000 bits in 2 s.
        assert!((received[200] - 200_000.0).abs() < 1.0 && received[99] == 0.0);
        let sum: f64 = received.iter().map(|b| f64::from(*b) * lanes.slice_ms / 1000.0).sum();
        assert!((sum - 400_000.0).abs() < 10.0);
        let busy = lanes.busy.expect("a task");
        assert_eq!(busy[9..13], [0.0, 1.0, 0.5, 0.0]);
    }
}
