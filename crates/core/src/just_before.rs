//! What ran just before something was taken up: a message comes as soon as the thread is free, so what ran last had
//! posted it, unless the thread rested since.

use crate::{Millis, Work};

/// The thread rests no longer than this meanwhile.
const RESTS: Millis = Millis(2.0);

/// So many pieces of work are looked through; a hostile file may have a million of them, and of messages.
const MOST_SEEN: usize = 1_000;

/// The last piece of work to have ended by a moment, among those that count, if the thread has not rested since; of those
/// of one task the one that ended last.
#[must_use]
pub fn ran_just_before(work: &[Work], came: Millis, counts: impl Fn(&Work) -> bool) -> Option<usize> {
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
        let inside = work.iter().enumerate().skip(place + 1).take_while(|(_, w)| w.depth > 0 && w.start < came);
        let ran = inside.filter(|(_, w)| w.end() <= came && counts(w)).max_by(|a, b| a.1.end().order(&b.1.end()));
        if let Some((ran, _)) = ran {
            return Some(ran);
        }
    }
    None
}
