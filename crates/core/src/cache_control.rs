//! What `Cache-Control` says of a response (RFC 9111, section 5.2.2).

use crate::Request;

/// The directives that decide how long a copy may be used.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct CacheControl {
    /// Whether the header was sent at all.
    pub sent: bool,
    /// It must not be kept.
    pub no_store: bool,
    /// It may be kept, and must be asked about each time.
    pub no_cache: bool,
    /// Seconds for which it may be used without asking.
    pub max_age: Option<u64>,
}

impl CacheControl {
    /// Of a response; headers sent more than once count together.
    #[must_use]
    pub fn of(request: &Request) -> Self {
        let mut found = Self::default();
        for header in request.response_headers.iter().filter(|h| h.name.eq_ignore_ascii_case("cache-control")) {
            found.sent = true;
            for directive in header.value.split(',').map(|d| d.trim().to_ascii_lowercase()) {
                let (name, value) = directive.split_once('=').unwrap_or((&directive, ""));
                match name.trim() {
                    "no-store" => found.no_store = true,
                    "no-cache" => found.no_cache = true,
                    "max-age" => found.max_age = found.max_age.or(value.trim().trim_matches('"').parse().ok()),
                    _ => {}
                }
            }
        }
        found
    }

    /// How long a copy may be used without asking, in seconds; `None` where it does not say, so that
    /// the browser decides.
    #[must_use]
    pub fn lifetime(&self) -> Option<u64> {
        if self.no_store || self.no_cache { Some(0) } else { self.max_age }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Header, ResourceKind};

    #[test]
    fn directives_are_read_however_they_are_written() {
        let of = |values: &[&str]| {
            let mut request = Request::new(0, "http://a.test/", ResourceKind::Style);
            request.response_headers =
                values.iter().map(|v| Header { name: "Cache-Control".into(), value: (*v).to_owned() }).collect();
            CacheControl::of(&request)
        };
        assert_eq!(of(&["public, Max-Age=\"600\""]).lifetime(), Some(600));
        assert_eq!(of(&["public", "max-age = 60, immutable"]).lifetime(), Some(60));
        assert_eq!(of(&["no-cache=\"set-cookie\", max-age=600"]).lifetime(), Some(0));
        assert_eq!(of(&["max-age=soon"]), CacheControl { sent: true, ..CacheControl::default() });
        assert_eq!((of(&[]).lifetime(), of(&[]).sent), (None, false));
    }
}
