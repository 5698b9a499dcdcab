//! Response bodies, for the checks that compute on them.

use crate::{Request, ResourceKind};
use flate2::{Compression, write::GzEncoder};
use std::io::Write;

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

/// The text of a response, where its body was kept.
pub(crate) fn text_of(request: &Request, bodies: &dyn Bodies) -> Option<String> {
    let body = bodies.body(&request.body.as_ref()?.hash)?;
    Some(String::from_utf8_lossy(&body).into_owned())
}

/// Whether a picture is one of pixels: a vector has none.
pub(crate) fn has_pixels(request: &Request) -> bool {
    request.kind == ResourceKind::Image && !request.mime.as_deref().is_some_and(|m| m.contains("svg"))
}

/// Whether a response is text, and so worth packing.
pub(crate) fn is_text(request: &Request) -> bool {
    matches!(request.kind, ResourceKind::Document | ResourceKind::Style | ResourceKind::Script | ResourceKind::Data)
        || request.mime.as_deref().is_some_and(|m| m.starts_with("image/svg") || m.starts_with("text/"))
}

/// Whether a response came packed.
pub(crate) fn is_packed(request: &Request) -> bool {
    let encoding = request.header("content-encoding").map(str::trim);
    encoding.is_some_and(|v| !v.is_empty() && !v.eq_ignore_ascii_case("identity"))
}

/// What a body comes to when packed by gzip at its usual level.
pub(crate) fn gzip_size(body: &[u8]) -> Option<u64> {
    let mut encoder = GzEncoder::new(Vec::new(), Compression::new(6));
    encoder.write_all(body).ok()?;
    Some(encoder.finish().ok()?.len() as u64)
}
