//! The `Server-Timing` header (W3C Server Timing): what a server says of its own work.

use crate::{Header, Millis, Owner, ServerTiming};

/// Reads every `Server-Timing` header (W3C Server Timing: `name;dur=53.2;desc="…"`, comma-separated).
/// What cannot be read is passed over.
#[must_use]
pub fn server_timing(headers: &[Header]) -> Vec<ServerTiming> {
    let mut found = Vec::new();
    for header in headers.iter().filter(|h| h.name.eq_ignore_ascii_case("server-timing")) {
        for entry in split_outside_quotes(&header.value, ',').into_iter().take(500) {
            let mut parts = split_outside_quotes(entry, ';').into_iter();
            let name = parts.next().unwrap_or("").trim();
            if name.is_empty() {
                continue;
            }
            let mut timing = ServerTiming { name: name.to_owned(), duration_ms: None, description: None };
            for part in parts {
                let Some((key, value)) = part.split_once('=') else { continue };
                let value = value.trim().trim_matches('"');
                match key.trim().to_ascii_lowercase().as_str() {
                    "dur" => {
                        timing.duration_ms =
                            value.parse::<f64>().ok().filter(|v| v.is_finite() && *v >= 0.0).map(Millis)
                    }
                    "desc" => timing.description = Some(value.to_owned()),
                    _ => {}
                }
            }
            found.push(timing);
        }
    }
    found
}

fn split_outside_quotes(text: &str, separator: char) -> Vec<&str> {
    let (mut parts, mut start, mut quoted) = (Vec::new(), 0, false);
    for (at, c) in text.char_indices() {
        if c == '"' {
            quoted = !quoted;
        } else if c == separator && !quoted {
            parts.push(&text[start..at]);
            start = at + c.len_utf8();
        }
    }
    parts.push(&text[start..]);
    parts
}

/// What an owner took on the server, by the word of a response: the sum of the metrics of its name.
#[must_use]
pub fn server_time_of(headers: &[Header], owner: &Owner) -> Millis {
    let own = server_timing(headers).into_iter().filter(|t| t.name.eq_ignore_ascii_case(&owner.name));
    own.filter_map(|t| t.duration_ms).sum()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn server_timing_is_read_as_the_standard_writes_it() {
        let header =
            Header { name: "Server-Timing".into(), value: r#"db;dur=53.2, cache;desc="a, b;c";dur=x, ;, bare"#.into() };
        let read = server_timing(&[header]);
        assert_eq!(read.len(), 3);
        assert_eq!(read[0].duration_ms, Some(Millis(53.2)));
        assert_eq!((read[1].description.as_deref(), read[1].duration_ms), (Some("a, b;c"), None));
        assert_eq!(read[2].name, "bare");
    }
}
