//! Waking on time.
//!
//! The runtime's timer counts in whole milliseconds and rounds up; a link of 30 ms would be 33. One
//! thread here waits for the next moment to the microsecond and wakes whoever asked for it.

use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::sync::{Condvar, LazyLock, Mutex, PoisonError};
use std::time::Instant;
use tokio::sync::oneshot;

/// Moments asked for, and by whom: compared by the moment alone.
struct Asked {
    at: Instant,
    wake: oneshot::Sender<()>,
}

impl PartialEq for Asked {
    fn eq(&self, other: &Self) -> bool {
        self.at == other.at
    }
}
impl Eq for Asked {}
impl PartialOrd for Asked {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Asked {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.at.cmp(&other.at)
    }
}

#[derive(Default)]
struct Clock {
    asked: Mutex<BinaryHeap<Reverse<Asked>>>,
    earlier: Condvar,
}

static CLOCK: LazyLock<&'static Clock> = LazyLock::new(|| {
    let clock: &'static Clock = Box::leak(Box::default());
    // Without its thread nothing would ever wake; a machine that cannot start one cannot record.
    let started = std::thread::Builder::new().name("link clock".into()).spawn(|| clock.run());
    if let Err(error) = started {
        tracing::error!("the link's clock could not be started: {error}");
    }
    clock
});

impl Clock {
    fn run(&self) {
        let mut asked = self.asked.lock().unwrap_or_else(PoisonError::into_inner);
        loop {
            wake_due(&mut asked, Instant::now());
            asked = match asked.peek().map(|Reverse(next)| next.at) {
                Some(at) => {
                    self.earlier.wait_timeout(asked, at - Instant::now()).unwrap_or_else(PoisonError::into_inner).0
                }
                None => self.earlier.wait(asked).unwrap_or_else(PoisonError::into_inner),
            };
        }
    }
}

/// Wakes whose moment has come, the earliest first.
fn wake_due(asked: &mut BinaryHeap<Reverse<Asked>>, now: Instant) {
    while asked.peek().is_some_and(|Reverse(next)| next.at <= now) {
        if let Some(Reverse(next)) = asked.pop() {
            let _ = next.wake.send(());
        }
    }
}

/// Waits until a moment; returns at once where it has passed.
pub async fn sleep_until(at: Instant) {
    if at <= Instant::now() {
        return;
    }
    let (wake, woken) = oneshot::channel();
    {
        let mut asked = CLOCK.asked.lock().unwrap_or_else(PoisonError::into_inner);
        let first = asked.peek().is_none_or(|Reverse(next)| at < next.at);
        asked.push(Reverse(Asked { at, wake }));
        if first {
            CLOCK.earlier.notify_one();
        }
    }
    let _ = woken.await;
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::Duration;

    #[test]
    fn the_earliest_moments_are_woken_and_none_before_its_time() {
        let start = Instant::now();
        let at = |ms: u64| start + Duration::from_millis(ms);
        let mut asked = BinaryHeap::new();
        let mut waiting = [30u64, 10, 20, 0].map(|ms| {
            let (wake, woken) = oneshot::channel();
            asked.push(Reverse(Asked { at: at(ms), wake }));
            (ms, woken)
        });
        for (now, woken) in [(0, vec![0]), (9, vec![]), (20, vec![10, 20]), (40, vec![30])] {
            wake_due(&mut asked, at(now));
            let mut told: Vec<u64> =
                waiting.iter_mut().filter_map(|(ms, woken)| woken.try_recv().ok().map(|()| *ms)).collect();
            told.sort_unstable();
            assert_eq!(told, woken, "{now} ms on");
        }
    }

    #[tokio::test]
    async fn nobody_wakes_early() {
        let start = Instant::now();
        let wait = |ms: u64| async move {
            let at = start + Duration::from_millis(ms);
            sleep_until(at).await;
            assert!(Instant::now() >= at);
        };
        futures::future::join_all([30u64, 10, 20, 0].map(wait)).await;
    }
}
