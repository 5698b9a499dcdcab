//! Speed Index: how soon the screen fills.
//!
//! The integral over time of 1 − visual completeness. Completeness of a frame is how much of the way
//! its colour histogram has gone from the first frame's to the last one's: the sum over all bins of
//! the overlap of the two differences, as a share of the whole difference (the published method of
//! mean histogram difference).

use crate::{Millis, ScreenFrame};
use serde::{Deserialize, Serialize};

/// How often each brightness of red, green and blue occurs in a picture, 256 bins a channel, as a
/// share of the picture's pixels.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Colours(pub Vec<f32>);

/// Bins of one channel: one a brightness. Coarser ones take unlike shades for the same and make a
/// page look filled too early.
pub const BINS: usize = 256;

/// Visual completeness of each frame, 0 to 1, by the first and the last of them.
///
/// A page whose last frame looks like its first never changed: it is complete from the start.
#[must_use]
pub fn completeness(frames: &[Colours]) -> Vec<f64> {
    let (Some(first), Some(last)) = (frames.first(), frames.last()) else { return Vec::new() };
    let whole: Vec<f64> = last.0.iter().zip(&first.0).map(|(l, f)| f64::from(*l) - f64::from(*f)).collect();
    let distance: f64 = whole.iter().map(|d| d.abs()).sum();
    frames
        .iter()
        .enumerate()
        .map(|(index, frame)| {
            if distance < 1e-9 || index + 1 == frames.len() {
                return 1.0;
            }
            let gone: f64 = frame
                .0
                .iter()
                .zip(&first.0)
                .zip(&whole)
                .map(|((now, start), whole)| {
                    let moved = f64::from(*now) - f64::from(*start);
                    // Only what moved towards the end counts, and no further than the end.
                    if moved * whole > 0.0 { moved.abs().min(whole.abs()) } else { 0.0 }
                })
                .sum();
            (gone / distance).clamp(0.0, 1.0)
        })
        .collect()
}

/// Speed Index in milliseconds, or `None` without frames, and where the screen never changed from
/// what it showed before the page came.
#[must_use]
pub fn speed_index(frames: &[ScreenFrame]) -> Option<Millis> {
    let known: Vec<(Millis, f64)> = frames.iter().filter_map(|f| Some((f.at_ms, f.complete?))).collect();
    let (first, complete) = *known.first()?;
    if first.0 <= 0.0 && complete >= 1.0 {
        return None;
    }
    // Before the first frame nothing was there.
    let mut sum = first.0.max(0.0);
    for pair in known.windows(2) {
        sum += (pair[1].0 - pair[0].0).0.max(0.0) * (1.0 - pair[0].1);
    }
    Some(Millis(sum))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A picture of which this share is black and the rest white, one channel's first and last bin.
    fn dark(share: f32) -> Colours {
        Colours(vec![share, 1.0 - share])
    }

    fn frames(shares: &[(f64, f32)]) -> Vec<ScreenFrame> {
        let colours: Vec<Colours> = shares.iter().map(|s| dark(s.1)).collect();
        completeness(&colours)
            .into_iter()
            .zip(shares)
            .map(|(complete, (at, _))| ScreenFrame {
                at_ms: Millis(*at),
                complete: Some(complete),
                ..ScreenFrame::default()
            })
            .collect()
    }

    #[test]
    fn a_sequence_worked_by_hand() {
        // White at 0; a quarter of the way at 1 s; three quarters at 2 s; done at 4 s:
        // 1000 · 1 + 1000 · 0.75 + 2000 · 0.25 = 2250.
        let sequence = frames(&[(0.0, 0.0), (1000.0, 0.2), (2000.0, 0.6), (4000.0, 0.8)]);
        let complete: Vec<f64> = sequence.iter().filter_map(|f| f.complete).collect();
        for (found, wanted) in complete.iter().zip([0.0, 0.25, 0.75, 1.0]) {
            assert!((found - wanted).abs() < 1e-6, "{complete:?}");
        }
        assert!((speed_index(&sequence).expect("frames").0 - 2250.0).abs() < 1e-3);
    }

    #[test]
    fn what_overshoots_or_turns_back_does_not_count() {
        // Darker than the end at 1 s counts as the end; back to white at 2 s as the start.
        let sequence = frames(&[(0.0, 0.0), (1000.0, 0.9), (2000.0, 0.0), (3000.0, 0.5)]);
        let complete: Vec<f64> = sequence.iter().filter_map(|f| f.complete).collect();
        assert_eq!(complete, [0.0, 1.0, 0.0, 1.0]);
        assert_eq!(frames(&[(0.0, 0.3), (50.0, 0.3)])[0].complete, Some(1.0), "nothing changed");
        assert_eq!(speed_index(&[]), None);
        assert_eq!(speed_index(&frames(&[(0.0, 0.3), (50.0, 0.3)])), None, "a page that never showed anything");
        assert_eq!(speed_index(&frames(&[(70.0, 0.3)])), Some(Millis(70.0)), "one picture, first seen with the page");
    }
}
