//! When a message that came through a port was posted: the trace tells only when it came.

use phainon_core::{Millis, Scheduled, Work, WorkKind, ran_just_before};

/// So many pieces of work are looked through for who took a message up.
const MOST_SEEN: usize = 1_000;

/// The handling of a message that came through a port, from when to when; `None` where no script took it up, or where
/// it is not known who posted it.
pub fn through_port(work: &[Work], from: Millis, to: Millis) -> Option<Scheduled> {
    let first = work.partition_point(|w| w.start < from);
    let mut within = work[first..].iter().take(MOST_SEEN).take_while(|w| w.start <= to);
    let ran = within.find(|w| w.kind == WorkKind::ScriptRun)?.start;
    // To oneself; where the thread had rested it came from elsewhere, as from a worker.
    let posted = ran_just_before(work, from, |w| w.kind == WorkKind::ScriptRun)?;
    Some(Scheduled { at: work[posted].end(), ran, by: None })
}

#[cfg(test)]
mod tests {
    use super::*;
    use phainon_core::WorkName;

    fn piece(name: WorkName, kind: WorkKind, from: f64, to: f64, depth: u16) -> Work {
        Work { start: Millis(from), duration: Millis(to - from), depth, ..Work::new(kind, name) }
    }

    /// A task with promises in it from 10 to 11 ms, and the task that takes the message up.
    fn taken_up_at(from: f64) -> Vec<Work> {
        vec![
            piece(WorkName::Task, WorkKind::Other, 9.0, 12.0, 0),
            piece(WorkName::Microtasks, WorkKind::ScriptRun, 10.0, 11.0, 1),
            piece(WorkName::Task, WorkKind::Other, 12.5, 13.0, 0),
            piece(WorkName::Task, WorkKind::Other, from, from + 5.0, 0),
            piece(WorkName::Call, WorkKind::ScriptRun, from + 1.0, from + 4.0, 1),
        ]
    }

    #[test]
    fn a_message_to_oneself_was_posted_by_what_ran_last() {
        let handled = through_port(&taken_up_at(13.5), Millis(13.6), Millis(18.0));
        assert_eq!(handled, Some(Scheduled { at: Millis(11.0), ran: Millis(14.5), by: None }));
    }

    #[test]
    fn who_posted_what_came_while_the_thread_rested_is_not_known() {
        assert_eq!(through_port(&taken_up_at(30.0), Millis(30.1), Millis(34.0)), None);
    }
}
