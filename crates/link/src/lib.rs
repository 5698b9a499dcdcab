//! The shaped link, as a model in time.
//!
//! A connection opens after one round trip; each direction's bytes travel half of it; all
//! connections share one [`Bottleneck`] down and one up; a connection has at most its [`Window`] of
//! bytes on the way, which starts at ten segments and grows by what was acknowledged (slow start)
//! until the link is full. The recorder's shaper asks the model when bytes may pass and then makes
//! them wait; [`transfer`] asks the same model how long a body takes. Times are durations since a
//! zero of the caller's choice.
//!
//! ```
//! use phainon_link::{Direction, transfer};
//! use std::time::Duration;
//!
//! // 500 kB over a line of 4 Mbit/s (500 kB/s) with a round trip of 120 ms.
//! let line = Direction { rate: 500_000.0, round_trip: Duration::from_millis(120) };
//! let took = transfer(line, 500_000);
//! assert!(took > Duration::from_millis(1_060) && took < Duration::from_millis(1_300));
//! ```

mod bottleneck;
mod window;

pub use bottleneck::Bottleneck;
pub use window::{FIRST_WINDOW, Window};

use std::time::Duration;

/// What enters the line at once: a segment of 1,460 bytes. Connections take turns by it.
pub const CHUNK: usize = 1_460;

/// One direction of a link.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Direction {
    /// Bytes a second; 0 is unlimited.
    pub rate: f64,
    /// Round trip of the link.
    pub round_trip: Duration,
}

/// How long a body takes over a fresh connection that has the line to itself, from the moment its
/// first byte may enter until its last has arrived.
#[must_use]
pub fn transfer(line: Direction, bytes: usize) -> Duration {
    transfers(line, &[bytes])[0]
}

/// A body to be sent over a connection.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Body {
    /// Which connection; its window grows from body to body.
    pub connection: usize,
    /// When its first byte may enter the line.
    pub ready: Duration,
    /// How many bytes.
    pub bytes: usize,
}

/// When each of several bodies has arrived that begin at once, each over a fresh connection of its
/// own: they take turns, chunk by chunk.
#[must_use]
pub fn transfers(line: Direction, bodies: &[usize]) -> Vec<Duration> {
    let bodies: Vec<Body> = bodies
        .iter()
        .enumerate()
        .map(|(connection, &bytes)| Body { connection, ready: Duration::ZERO, bytes })
        .collect();
    shared(line, &bodies).into_iter().map(|arrival| arrival.last).collect()
}

/// When a body has arrived.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Arrival {
    /// Its first chunk, and its headers with it.
    pub first: Duration,
    /// Its last byte.
    pub last: Duration,
}

/// When the first chunk and the last byte of each body have arrived. Those of one connection go one after the other, in
/// the order in which they are ready; connections take turns, chunk by chunk.
#[must_use]
pub fn shared(line: Direction, bodies: &[Body]) -> Vec<Arrival> {
    struct Flow {
        /// Its bodies that have not gone, the next one last.
        queue: Vec<usize>,
        left: usize,
        window: Window,
        ready: Duration,
    }
    let at_once = |body: &Body| body.ready + line.round_trip / 2;
    let mut arrived: Vec<Arrival> = bodies.iter().map(|b| Arrival { first: at_once(b), last: at_once(b) }).collect();
    let connections = bodies.iter().map(|b| b.connection + 1).max().unwrap_or(0);
    let mut order: Vec<usize> = (0..bodies.len()).filter(|&i| bodies[i].bytes > 0).collect();
    order.sort_by_key(|&i| std::cmp::Reverse((bodies[i].ready, i)));
    let mut flows: Vec<Flow> = (0..connections)
        .map(|_| Flow { queue: Vec::new(), left: 0, window: Window::new(line.round_trip), ready: Duration::ZERO })
        .collect();
    for body in order {
        flows[bodies[body].connection].queue.push(body);
    }
    flows.retain(|f| !f.queue.is_empty());
    for flow in &mut flows {
        let first = flow.queue[flow.queue.len() - 1];
        (flow.left, flow.ready) = (bodies[first].bytes, bodies[first].ready);
    }
    let mut bottleneck = Bottleneck::new(line.rate);
    // Whichever is ready first goes next.
    while let Some((at, flow)) = flows.iter_mut().enumerate().min_by_key(|(_, f)| f.ready) {
        let bytes = flow.left.min(CHUNK);
        if let Some(until) = flow.window.full_until(bytes, flow.ready) {
            flow.ready = until;
            continue;
        }
        let passed = bottleneck.pass(bytes, flow.ready);
        flow.window.sent(bytes, passed);
        if let Some(&body) = flow.queue.last().filter(|&&body| flow.left == bodies[body].bytes) {
            arrived[body].first = passed + line.round_trip / 2;
        }
        flow.left -= bytes;
        flow.ready = passed;
        if flow.left > 0 {
            continue;
        }
        if let Some(done) = flow.queue.pop() {
            arrived[done].last = passed + line.round_trip / 2;
        }
        match flow.queue.last() {
            Some(&next) => (flow.left, flow.ready) = (bodies[next].bytes, bodies[next].ready.max(passed)),
            None => {
                flows.swap_remove(at);
            }
        }
    }
    arrived
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn line(mbit: f64, round_trip: u64) -> Direction {
        Direction { rate: mbit * 125_000.0, round_trip: Duration::from_millis(round_trip) }
    }

    fn ms(duration: Duration) -> f64 {
        duration.as_secs_f64() * 1000.0
    }

    #[test]
    fn a_small_body_takes_half_a_round_trip_and_its_bytes() {
        // 10,000 bytes at 500,000 a second: 20 ms, and 60 ms on the way.
        assert!((ms(transfer(line(4.0, 120), 10_000)) - 80.0).abs() < 0.01);
    }

    #[test]
    fn slow_start_worked_by_hand() {
        // 100 Mbit/s, 100 ms: 14.6, then 29.2, then 58.4 kB a round trip. The third round's last byte of
        // 100,000 arrives two round trips after the first round began to be acknowledged.
        let took = ms(transfer(line(100.0, 100), 100_000));
        assert!((250.0..262.0).contains(&took), "{took}");
        assert!((ms(transfer(line(100.0, 100), 14_600)) - 51.168).abs() < 0.01, "the first window goes at once");
    }

    #[test]
    fn bodies_of_one_connection_follow_each_other_and_keep_its_window() {
        let ready = Duration::from_millis(500);
        let later = |connection| {
            let bodies = [
                Body { connection: 0, ready: Duration::ZERO, bytes: 60_000 },
                Body { connection, ready, bytes: 60_000 },
            ];
            ms(shared(line(100.0, 100), &bodies)[1].last)
        };
        // A grown window lets 60 kB go at once, and a fresh one in three round trips; nothing goes before it is
        // there.
        assert!((550.0..556.0).contains(&later(0)), "{}", later(0));
        assert!((750.0..760.0).contains(&later(1)), "{}", later(1));
        let queued = [Body { connection: 0, ready: Duration::ZERO, bytes: 50_000 }; 2];
        let took = shared(line(4.0, 0), &queued);
        assert_eq!([ms(took[0].last).round(), ms(took[1].last).round()], [100.0, 200.0]);
        // The second's headers stand behind the first.
        assert_eq!([ms(took[0].first).round(), ms(took[1].first).round()], [3.0, 103.0]);
    }

    #[test]
    fn twelve_connections_share_one_line() {
        let took = transfers(line(4.0, 120), &[50_000; 12]);
        let last = took.iter().max().copied().map_or(0.0, ms);
        // 600,000 bytes at 500,000 a second, and half a round trip: twelve first windows keep the line full.
        assert!((last - 1260.0).abs() < 5.0, "{last}");
        let first = took.iter().min().copied().map_or(0.0, ms);
        assert!(last - first < 150.0, "they take turns: {first} to {last}");
    }

    proptest! {
        #[test]
        fn headers_stand_behind_what_was_ready_before_them(bodies in prop::collection::vec((1usize..200_000, 0u64..2_000), 2..8), mbit in 0.5f64..50.0, trip in 0u64..300) {
            let line = line(mbit, trip);
            // All but the last of one connection.
            let sent: Vec<Body> = bodies.iter().enumerate().map(|(i, &(bytes, ready))| {
                Body { connection: usize::from(i + 1 == bodies.len()), ready: Duration::from_millis(ready), bytes }
            }).collect();
            let arrived = shared(line, &sent);
            for (body, arrival) in sent.iter().zip(&arrived) {
                prop_assert!(arrival.first >= body.ready + line.round_trip / 2 && arrival.last >= arrival.first);
            }
            let mut own: Vec<usize> = (0..sent.len() - 1).collect();
            own.sort_by_key(|&i| (sent[i].ready, i));
            for pair in own.windows(2) {
                prop_assert!(arrived[pair[1]].first >= arrived[pair[0]].last);
            }
        }

        #[test]
        fn nothing_is_faster_than_the_line(bodies in prop::collection::vec(1usize..400_000, 1..8), mbit in 0.5f64..50.0, trip in 0u64..300) {
            let line = line(mbit, trip);
            let took = transfers(line, &bodies);
            let all: usize = bodies.iter().sum();
            let last = took.iter().max().copied().unwrap_or_default();
            #[allow(clippy::cast_precision_loss)]
            let least = all as f64 / line.rate + line.round_trip.as_secs_f64() / 2.0;
            prop_assert!(last.as_secs_f64() >= least - 1e-6);
            for (alone, with) in bodies.iter().map(|b| transfer(line, *b)).zip(&took) {
                prop_assert!(alone <= *with + Duration::from_micros(1), "company makes nothing faster");
            }
        }

        #[test]
        fn more_bytes_take_longer(bytes in 1usize..2_000_000, more in 1usize..500_000, mbit in 0.5f64..50.0, trip in 0u64..300) {
            let line = line(mbit, trip);
            prop_assert!(transfer(line, bytes) < transfer(line, bytes + more));
        }
    }
}
