//! Total Blocking Time.

use crate::{Load, Millis, Subject};

const LONG: Millis = Millis(50.0);

/// Sum over main-thread tasks between FCP and TTI of what exceeds 50 ms. A task that straddles FCP
/// counts from FCP; one that straddles TTI cannot exist, since TTI ends a long task.
#[must_use]
pub fn total_blocking_time(load: &Load, tti: Millis) -> Option<Millis> {
    let fcp = load.fcp?;
    if load.why_missing(Subject::MainThread).is_some() {
        return None;
    }
    Some(load.work.iter().filter(|w| w.depth == 0).map(|w| blocking(w.start, w.end(), fcp, tti)).sum())
}

/// What one task adds to TBT.
pub(crate) fn blocking(start: Millis, end: Millis, fcp: Millis, tti: Millis) -> Millis {
    let inside = end.min(tti) - start.max(fcp);
    (inside - LONG).max(Millis::ZERO)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Work, WorkKind, WorkName};

    fn task(start: f64, duration: f64) -> Work {
        Work {
            kind: WorkKind::Other,
            name: WorkName::Task,
            start: Millis(start),
            duration: Millis(duration),
            depth: 0,
            url: None,
            function: None,
            event: None,
            timer: None,
            line: None,
        }
    }

    #[test]
    fn counts_what_exceeds_fifty_milliseconds_after_fcp() {
        let mut load = Load::empty("http://www.skerryline.test/");
        load.fcp = Some(Millis(1000.0));
        load.end = Millis(9000.0);
        // Before FCP: nothing. Straddles FCP by 100 ms: 50. Short: 0. 180 ms long: 130.
        load.work = vec![task(200.0, 300.0), task(900.0, 200.0), task(1500.0, 49.0), task(2000.0, 180.0)];
        let tti = crate::metrics::time_to_interactive(&load).expect("a load with paints has a TTI");
        assert_eq!(tti.at, Millis(2180.0));
        assert!(!tti.recording_ended);
        assert_eq!(total_blocking_time(&load, tti.at), Some(Millis(180.0)));
    }

    #[test]
    fn a_load_cut_off_while_busy_has_its_end_for_tti() {
        let mut load = Load::empty("http://www.skerryline.test/");
        load.fcp = Some(Millis(500.0));
        load.end = Millis(4000.0);
        load.cut_off = true;
        load.work = vec![task(3000.0, 400.0)];
        let tti = crate::metrics::time_to_interactive(&load).expect("a load with paints has a TTI");
        assert!(tti.recording_ended);
        assert_eq!(tti.at, Millis(4000.0));
    }
}
