//! When a message that came through a port was posted: the trace tells only when it came.

use phainon_core::{Millis, Scheduled, Work, WorkKind};

/// A message to oneself comes as soon as the thread is free: it rests no longer than this meanwhile.
const RESTS: Millis = Millis(2.0);

/// So many pieces of work are looked through; a hostile file may have a million of them, and of messages.
const MOST_SEEN: usize = 1_000;

/// The handling of a message that came through a port, from when to when; `None` where no script took it up, or where
/// it is not known who posted it.
pub fn through_port(work: &[Work], from: Millis, to: Millis) -> Option<Scheduled> {
    let first = work.partition_point(|w| w.start < from);
    let mut within = work[first..].iter().take(MOST_SEEN).take_while(|w| w.start <= to);
    let ran = within.find(|w| w.kind == WorkKind::ScriptRun)?.start;
    Some(Scheduled { at: posted(work, from)?, ran, by: None })
}

/// The end of the last run of script before a message came, which posted it to its own page. `None` where the thread
/// had rested since: then it came from elsewhere, as from a worker.
fn posted(work: &[Work], came: Millis) -> Option<Millis> {
    let mut before = came;
    let mut rested = Millis::ZERO;
    let earlier = work[..work.partition_point(|w| w.start < came)].iter().enumerate().rev().take(MOST_SEEN);
    for (place, task) in earlier.filter(|(_, w)| w.depth == 0) {
        if task.end() <= came {
            rested += (before - task.end()).max(Millis::ZERO);
            before = task.start;
            if rested > RESTS {
                return None;
            }
        }
        let inside = work[place + 1..].iter().take_while(|w| w.depth > 0 && w.start < came);
        let ran = inside.filter(|w| w.kind == WorkKind::ScriptRun && w.end() <= came).map(Work::end);
        if let Some(ran) = ran.reduce(Millis::max) {
            return Some(ran);
        }
    }
    None
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
