//! The trace that a load's requests are part of (W3C Trace Context): a server that traces its work hangs its spans
//! below the caller that the header names.

use rand::Rng;

/// The trace of one load.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TraceContext {
    id: u128,
}

impl TraceContext {
    /// A new one.
    #[must_use]
    pub fn random() -> Self {
        // All zeros name no trace.
        Self { id: rand::rng().random_range(1..=u128::MAX) }
    }

    /// Its id, in hexadecimal.
    #[must_use]
    pub fn id(&self) -> String {
        format!("{:032x}", self.id)
    }

    /// The header of a further request, which is a caller of its own: sampled, so that servers that trace only what
    /// they are asked to do so.
    #[must_use]
    pub fn header(&self) -> String {
        format!("00-{:032x}-{:016x}-01", self.id, rand::rng().random_range(1..=u64::MAX))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_request_is_a_caller_of_its_own_in_one_trace() {
        let trace = TraceContext::random();
        let [a, b] = [trace.header(), trace.header()];
        assert_ne!(a, b);
        for header in [&a, &b] {
            let parts: Vec<&str> = header.split('-').collect();
            assert_eq!(parts.iter().map(|p| p.len()).collect::<Vec<_>>(), [2, 32, 16, 2]);
            assert_eq!((parts[0], parts[1], parts[3]), ("00", trace.id().as_str(), "01"));
        }
        assert_ne!(TraceContext::random(), trace);
    }
}
