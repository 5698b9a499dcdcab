//! A script that runs before all others, so that a replay's addresses are those that were recorded: the
//! calendar stands at the recording's moment, and chance falls the same way each time. Clocks still run.

use chrono::DateTime;

const SCRIPT: &str = include_str!("sameness.js");

/// The script for a load that began at a moment (RFC 3339); chance alone is fixed where that is not known.
#[must_use]
pub fn sameness(started_at: Option<&str>) -> String {
    let at = started_at.and_then(|at| DateTime::parse_from_rfc3339(at).ok()).map(|at| at.timestamp_millis());
    format!("({SCRIPT})({})", at.map_or_else(|| "null".to_owned(), |at| at.to_string()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_recordings_moment_is_told_in_milliseconds() {
        assert!(sameness(Some("2026-11-24T09:00:00.250Z")).ends_with("(1795510800250)"));
        assert!(sameness(Some("yesterday")).ends_with("(null)"));
        assert!(sameness(None).ends_with("(null)"));
    }
}
