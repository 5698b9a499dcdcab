//! How many bytes a connection may have on the way: slow start.

use std::collections::VecDeque;
use std::time::Duration;

/// Ten segments of 1,460 bytes (RFC 6928).
pub const FIRST_WINDOW: usize = 14_600;
/// No window grows beyond this.
const LARGEST: usize = 4 << 20;

/// A connection's window. Each acknowledged byte lets one more be sent beside its successor
/// (RFC 5681, slow start); there are no losses on this link.
#[derive(Debug, Clone)]
pub struct Window {
    round_trip: Duration,
    size: usize,
    on_the_way: VecDeque<(Duration, usize)>,
    sum: usize,
}

impl Window {
    /// Of a fresh connection.
    #[must_use]
    pub fn new(round_trip: Duration) -> Self {
        Self { round_trip, size: FIRST_WINDOW, on_the_way: VecDeque::new(), sum: 0 }
    }

    /// Until when it has no room for these bytes; `None` where it has. A link without a round trip
    /// acknowledges at once.
    pub fn full_until(&mut self, bytes: usize, now: Duration) -> Option<Duration> {
        if self.round_trip.is_zero() {
            return None;
        }
        while let Some((_, acknowledged)) = self.on_the_way.pop_front_if(|(at, _)| *at <= now) {
            self.sum -= acknowledged;
            self.size = (self.size + acknowledged).min(LARGEST);
        }
        if self.sum + bytes <= self.size { None } else { self.on_the_way.front().map(|(at, _)| *at) }
    }

    /// Bytes that will have passed the bottleneck at a moment are on the way until a round trip later.
    pub fn sent(&mut self, bytes: usize, passed: Duration) {
        if !self.round_trip.is_zero() {
            self.on_the_way.push_back((passed + self.round_trip, bytes));
            self.sum += bytes;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_grows_by_what_was_acknowledged() {
        let ms = Duration::from_millis;
        let mut window = Window::new(ms(100));
        for _ in 0..5 {
            assert_eq!(window.full_until(2_920, ms(10)), None);
            window.sent(2_920, ms(10));
        }
        assert_eq!(
            window.full_until(2_920, ms(109)),
            Some(ms(110)),
            "ten segments, and no more before they are acknowledged"
        );
        // One round trip later all are: the window has doubled.
        for _ in 0..10 {
            assert_eq!(window.full_until(2_920, ms(110)), None);
            window.sent(2_920, ms(110));
        }
        assert_eq!(window.full_until(1, ms(110)), Some(ms(210)));
        assert_eq!(Window::new(Duration::ZERO).full_until(1 << 30, ms(1)), None);
    }
}
