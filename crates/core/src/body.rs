//! Response bodies, for the checks that compute on them.

/// Hands out stored bodies. The core does no I/O of its own: who keeps the bodies implements this.
pub trait Bodies {
    /// The unpacked body with this SHA-256, or `None` where it was not kept.
    fn body(&self, hash: &str) -> Option<Vec<u8>>;
}

/// For loads without bodies: every check that needs one says nothing.
pub struct NoBodies;

impl Bodies for NoBodies {
    fn body(&self, _hash: &str) -> Option<Vec<u8>> {
        None
    }
}

impl<F: Fn(&str) -> Option<Vec<u8>>> Bodies for F {
    fn body(&self, hash: &str) -> Option<Vec<u8>> {
        self(hash)
    }
}
