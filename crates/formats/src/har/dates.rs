//! Dates as HARs write them.

use chrono::{DateTime, NaiveDateTime, SecondsFormat, Utc};

/// Milliseconds since 1970 of a date as HARs write it: RFC 3339, now and then without a zone or
/// with a space for the T.
pub fn epoch_ms(text: &str) -> Option<f64> {
    let text = text.trim();
    if let Ok(date) = DateTime::parse_from_rfc3339(text) {
        return micros(date.timestamp_micros());
    }
    if let Ok(date) = DateTime::parse_from_str(text, "%Y-%m-%dT%H:%M:%S%.f%z") {
        return micros(date.timestamp_micros());
    }
    if let Ok(date) = DateTime::parse_from_rfc2822(text) {
        return micros(date.timestamp_micros());
    }
    let plain = text.trim_end_matches('Z').replacen(' ', "T", 1);
    NaiveDateTime::parse_from_str(&plain, "%Y-%m-%dT%H:%M:%S%.f")
        .ok()
        .and_then(|d| micros(d.and_utc().timestamp_micros()))
}

#[allow(clippy::cast_precision_loss)]
fn micros(value: i64) -> Option<f64> {
    Some(value as f64 / 1000.0)
}

/// The other way round, to the millisecond.
#[allow(clippy::cast_possible_truncation)]
pub fn rfc3339(epoch_ms: f64) -> Option<String> {
    Some(
        DateTime::<Utc>::from_timestamp_micros((epoch_ms * 1000.0) as i64)?
            .to_rfc3339_opts(SecondsFormat::Millis, true),
    )
}
