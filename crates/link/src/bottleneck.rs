//! The bottleneck that all connections of one direction share.

use std::time::Duration;

/// It is free again when the bytes before have passed.
#[derive(Debug, Clone)]
pub struct Bottleneck {
    rate: f64,
    free: Duration,
}

impl Bottleneck {
    /// With a rate in bytes a second; 0 is unlimited.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        Self { rate, free: Duration::ZERO }
    }

    /// Whether it has a rate at all.
    #[must_use]
    pub fn is_narrow(&self) -> bool {
        self.rate > 0.0
    }

    /// When these bytes will have passed that were ready at a moment. The moment is when they could
    /// have entered, not when somebody got round to asking: a line does not stand idle because its
    /// keeper woke late.
    pub fn pass(&mut self, bytes: usize, ready: Duration) -> Duration {
        if self.rate <= 0.0 {
            return ready;
        }
        #[allow(clippy::cast_precision_loss)]
        let took = Duration::from_secs_f64(bytes as f64 / self.rate);
        self.free = self.free.max(ready) + took;
        self.free
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_hands_out_its_rate_and_no_more() {
        let mut line = Bottleneck::new(500_000.0);
        // 100 chunks of 5,000 bytes at 500,000 bytes a second: one second, however they are asked for.
        let last = (0..100).map(|_| line.pass(5_000, Duration::ZERO)).last().unwrap_or_default();
        assert_eq!(last, Duration::from_secs(1));
        assert_eq!(
            line.pass(5_000, Duration::from_secs(3)),
            Duration::from_millis(3_010),
            "it rests where nothing is ready"
        );
        assert_eq!(Bottleneck::new(0.0).pass(5_000, Duration::from_secs(3)), Duration::from_secs(3));
    }
}
