//! Time to Interactive: when the main thread and the network first stay quiet.

use crate::{Load, Millis, Subject};

const QUIET: Millis = Millis(5000.0);
const LONG: Millis = Millis(50.0);

/// Time to Interactive and whether it was really seen.
#[derive(Debug, Clone, PartialEq)]
pub struct Interactive {
    /// The figure.
    pub at: Millis,
    /// No quiet window was seen before the recording ended; `at` is its end.
    pub recording_ended: bool,
}

/// From FCP, the first window of five seconds with no long task and at most two GET requests in
/// flight; TTI is the end of the last long task before that window, or FCP. A recording stops
/// watching once the page has been quiet for a while; a window that is quiet up to that moment
/// counts as quiet, unless the recording was cut off. Never before DOMContentLoaded: a page whose
/// scripts have not all run is not interactive. What a scripted user sets off is not the load's: the
/// load ends where the first step begins.
#[must_use]
pub fn time_to_interactive(load: &Load) -> Option<Interactive> {
    let fcp = load.fcp?;
    if load.why_missing(Subject::MainThread).is_some() {
        return None;
    }
    let over = load.acted.unwrap_or(Millis(f64::INFINITY));
    let tasks = load.work.iter().filter(|w| w.depth == 0).map(|w| (w.start, w.end()));
    let counts = |r: &&crate::Request| r.method == "GET" && r.is_network() && r.cache.is_none();
    let requests = load.requests.iter().filter(counts).map(|r| (r.start, r.end.unwrap_or(load.end)));
    let earliest = load.dom_content_loaded.map_or(fcp, |at| at.max(fcp));
    let (quiet_from, last_long) = quiet((fcp, over), tasks, requests, earliest);
    if load.cut_off && load.acted.is_none() && load.end - quiet_from < QUIET {
        return Some(Interactive { at: load.end.max(fcp), recording_ended: true });
    }
    Some(Interactive { at: last_long, recording_ended: false })
}

/// From when on main thread and network stay quiet, and the end of the last long task before that: of tasks
/// and requests from begin to end, between FCP and the end of the load.
pub(crate) fn quiet(
    (fcp, over): (Millis, Millis),
    tasks: impl Iterator<Item = (Millis, Millis)>,
    requests: impl Iterator<Item = (Millis, Millis)>,
    earliest: Millis,
) -> (Millis, Millis) {
    let long: Vec<(Millis, Millis)> = tasks.filter(|(start, end)| *end - *start > LONG).collect();
    // Moments at which the window cannot be quiet.
    let mut busy = long.clone();
    busy.extend(crowded(requests));
    busy.retain(|&(start, end)| end > fcp && start < over);
    busy.sort_by(|a, b| a.0.order(&b.0));

    let mut quiet_from = fcp;
    for (start, end) in busy {
        if start - quiet_from >= QUIET {
            break;
        }
        quiet_from = quiet_from.max(end);
    }
    let before = long.into_iter().filter(|(start, end)| *start < over && *end <= quiet_from + Millis(0.001));
    let last_long = before.map(|(_, end)| end).fold(earliest, Millis::max);
    (quiet_from, last_long)
}

/// Spans of time in which more than two requests were in flight.
fn crowded(requests: impl Iterator<Item = (Millis, Millis)>) -> Vec<(Millis, Millis)> {
    let mut edges: Vec<(Millis, i32)> = requests.flat_map(|(start, end)| [(start, 1), (end, -1)]).collect();
    edges.sort_by(|a, b| a.0.order(&b.0).then(a.1.cmp(&b.1)));
    let (mut open, mut since, mut spans) = (0, None, Vec::new());
    for (at, change) in edges {
        open += change;
        match (open > 2, since) {
            (true, None) => since = Some(at),
            (false, Some(from)) => {
                spans.push((from, at));
                since = None;
            }
            _ => {}
        }
    }
    spans
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Request, ResourceKind, Work, WorkKind, WorkName};

    fn load(tasks: &[(f64, f64)], requests: &[(f64, Option<f64>)]) -> Load {
        let mut load = Load::empty("http://www.skerryline.test/");
        load.fcp = Some(Millis(1000.0));
        load.end = Millis(20_000.0);
        load.work = tasks
            .iter()
            .map(|&(start, duration)| Work {
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
            })
            .collect();
        for (id, &(start, end)) in (0..).zip(requests) {
            let mut r = Request::new(id, "http://www.skerryline.test/x", ResourceKind::Data);
            r.start = Millis(start);
            r.end = end.map(Millis);
            load.requests.push(r);
        }
        load
    }

    fn tti(load: &Load) -> f64 {
        time_to_interactive(load).expect("it painted").at.0
    }

    #[test]
    fn without_long_tasks_it_is_fcp() {
        assert_eq!(tti(&load(&[(1200.0, 50.0), (1500.0, 20.0)], &[])), 1000.0);
        let mut blank = load(&[], &[]);
        blank.fcp = None;
        assert!(time_to_interactive(&blank).is_none());
    }

    #[test]
    fn a_long_task_within_five_seconds_moves_it() {
        // 1,100 to 1,300; then at 6,200, within five seconds of 1,300; the one at 13,000 comes after a quiet window.
        assert_eq!(tti(&load(&[(1100.0, 200.0), (6200.0, 100.0), (13_000.0, 400.0)], &[])), 6300.0);
        assert_eq!(tti(&load(&[(1100.0, 200.0), (6300.0, 100.0)], &[])), 1300.0, "five full seconds lie between");
    }

    #[test]
    fn it_is_never_before_dom_content_loaded() {
        let mut late = load(&[(1100.0, 100.0)], &[]);
        late.dom_content_loaded = Some(Millis(2600.0));
        assert_eq!(tti(&late), 2600.0);
        late.dom_content_loaded = Some(Millis(900.0));
        assert_eq!(tti(&late), 1200.0);
    }

    #[test]
    fn what_a_scripted_user_sets_off_is_not_the_loads() {
        // The first step begins at 4,000 and keeps the main thread for 400 ms.
        let mut acted = load(&[(1100.0, 200.0), (4010.0, 400.0)], &[]);
        assert_eq!(tti(&acted), 4410.0, "without knowing of the step it would be the load's");
        acted.acted = Some(Millis(4000.0));
        assert_eq!(tti(&acted), 1300.0);
        let tbt = crate::metrics::total_blocking_time(&acted, Millis(1300.0));
        assert_eq!(tbt, Some(Millis(150.0)));
    }

    #[test]
    fn three_requests_in_flight_are_not_quiet_and_two_are() {
        let crowd = [(2000.0, Some(7000.0)), (2100.0, Some(9000.0)), (2200.0, Some(8000.0))];
        // Crowded from 2,200 to 7,000, so the task at 9,000 is still before the first quiet window.
        assert_eq!(tti(&load(&[(9000.0, 100.0)], &crowd)), 9100.0);
        assert_eq!(tti(&load(&[(9000.0, 100.0)], &crowd[..2])), 1000.0);
        let mut posted = load(&[(9000.0, 100.0)], &crowd);
        posted.requests[0].method = "POST".into();
        assert_eq!(tti(&posted), 1000.0, "only GET requests count");
    }
}
