//! Cumulative Layout Shift.

use crate::{LayoutShift, Millis};

const GAP: Millis = Millis(1000.0);
const WINDOW: Millis = Millis(5000.0);

/// The largest session window of shifts without recent input: a window ends with a gap of a second
/// or more, and lasts five seconds at most (Core Web Vitals, "session window"). Shifts of inner
/// frames count with their share of the viewport.
#[must_use]
pub fn cls(shifts: &[LayoutShift]) -> f64 {
    largest_window(shifts.iter())
}

/// The same of the main frame's own shifts: what the page's observer sees.
#[must_use]
pub fn cls_of_main_frame(shifts: &[LayoutShift]) -> f64 {
    largest_window(shifts.iter().filter(|s| !s.inner))
}

fn largest_window<'a>(shifts: impl Iterator<Item = &'a LayoutShift>) -> f64 {
    let mut largest = 0.0_f64;
    let mut sum = 0.0;
    let mut window: Option<(Millis, Millis)> = None;
    for shift in shifts.filter(|s| !s.had_recent_input) {
        window = match window {
            Some((first, last)) if shift.at - last < GAP && shift.at - first < WINDOW => {
                sum += shift.score;
                Some((first, shift.at))
            }
            _ => {
                sum = shift.score;
                Some((shift.at, shift.at))
            }
        };
        largest = largest.max(sum);
    }
    largest
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shift(at: f64, score: f64) -> LayoutShift {
        LayoutShift { at: Millis(at), score, inner: false, had_recent_input: false, moved: vec![] }
    }

    #[test]
    fn a_gap_of_a_second_starts_a_new_window() {
        // 0.10 + 0.05 in the first window; 999.9 ms is still inside, 1000 ms is not.
        let shifts = [shift(100.0, 0.10), shift(1099.9, 0.05), shift(2099.9, 0.12)];
        assert!((cls(&shifts) - 0.15).abs() < 1e-12);
    }

    #[test]
    fn a_window_lasts_five_seconds_at_most() {
        // Eight shifts 900 ms apart: those at 0 … 4500 share a window (6 × 0.01); 5400 opens the next.
        let shifts: Vec<_> = (0..8).map(|i| shift(f64::from(i) * 900.0, 0.01)).collect();
        assert!((cls(&shifts) - 0.06).abs() < 1e-12);
    }

    #[test]
    fn a_shift_of_an_inner_frame_counts_for_the_page_and_is_not_the_main_frames_own() {
        let mut inner = shift(300.0, 0.05);
        inner.inner = true;
        let shifts = [shift(100.0, 0.02), inner];
        assert!((cls(&shifts) - 0.07).abs() < 1e-12);
        assert!((cls_of_main_frame(&shifts) - 0.02).abs() < 1e-12);
    }

    #[test]
    fn a_shift_after_input_does_not_count() {
        let mut after_input = shift(200.0, 0.5);
        after_input.had_recent_input = true;
        assert!((cls(&[shift(100.0, 0.02), after_input]) - 0.02).abs() < 1e-12);
    }
}
