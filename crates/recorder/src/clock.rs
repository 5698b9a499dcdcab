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
            let now = Instant::now();
            while asked.peek().is_some_and(|Reverse(next)| next.at <= now) {
                if let Some(Reverse(next)) = asked.pop() {
                    let _ = next.wake.send(());
                }
            }
            asked = match asked.peek().map(|Reverse(next)| next.at) {
                Some(at) => {
                    self.earlier.wait_timeout(asked, at - Instant::now()).unwrap_or_else(PoisonError::into_inner).0
                }
                None => self.earlier.wait(asked).unwrap_or_else(PoisonError::into_inner),
            };
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

    #[tokio::test]
    async fn moments_come_in_their_order_and_never_early() {
        let start = Instant::now();
        let wait = |ms: u64| async move {
            let at = start + Duration::from_millis(ms);
            sleep_until(at).await;
            assert!(Instant::now() >= at);
            ms
        };
        let (order, seen) = tokio::sync::mpsc::unbounded_channel();
        let all = [30u64, 10, 20, 0].map(|ms| {
            let order = order.clone();
            async move {
                let _ = order.send(wait(ms).await);
            }
        });
        futures::future::join_all(all).await;
        drop(order);
        let seen: Vec<u64> =
            futures::StreamExt::collect(tokio_stream::wrappers::UnboundedReceiverStream::new(seen)).await;
        assert_eq!(seen, [0, 10, 20, 30]);
    }
}
