//! When the parts of bodies came. A browser tells of them from the page's process, once the main thread there is free:
//! behind a frame of half a second all that came meanwhile is told at once, later than the ends of the requests, which
//! the process of the network tells. No part came after the end of its request, nor faster than the line carries.

use crate::{Load, Millis, Request};

/// Has the parts of bodies have come as late as they can have, and no later.
#[allow(clippy::cast_precision_loss)]
pub fn parts_as_came(load: &mut Load) {
    // Bytes a millisecond; 0 is unlimited or not known.
    let rate = load.conditions.as_ref().map_or(0.0, |c| c.down_bits as f64 / 8_000.0);
    for request in load.requests.iter_mut().filter(|r| r.is_network()) {
        came(request, rate);
    }
}

#[allow(clippy::cast_precision_loss)]
fn came(request: &mut Request, rate: f64) {
    let first = request.final_headers.or(request.first_byte).unwrap_or_default();
    let mut latest = request.end.unwrap_or(Millis(f64::INFINITY));
    for part in request.parts.iter_mut().rev() {
        part.at = part.at.min(latest).max(first);
        let takes = if rate > 0.0 { part.bytes.0 as f64 / rate } else { 0.0 };
        latest = part.at - Millis(takes);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{BodyPart, Bytes, preset};

    fn told(parts: &[(f64, u64)], first: f64, end: Option<f64>, shaped: bool) -> Vec<f64> {
        let part = |(at, bytes): &(f64, u64)| BodyPart { at: Millis(*at), bytes: Bytes(*bytes) };
        let parts = parts.iter().map(part).collect();
        let (first_byte, end) = (Some(Millis(first)), end.map(Millis));
        let mut conditions = preset("phone-on-the-move").expect("a preset");
        conditions.down_bits = 8_000_000;
        let mut load = Load {
            requests: vec![Request { parts, first_byte, end, transferred: Some(Bytes(1)), ..Request::default() }],
            conditions: shaped.then_some(conditions),
            ..Load::default()
        };
        parts_as_came(&mut load);
        load.requests[0].parts.iter().map(|p| p.at.0).collect()
    }

    #[test]
    fn what_is_told_behind_a_long_task_came_before_the_end_and_at_the_lines_rate() {
        // 1,000 bytes a millisecond. All is told at 2,000, after a frame; the request was over at 1,500.
        let parts = [(2_000.0, 100_000), (2_001.0, 200_000), (2_002.0, 50_000)];
        assert_eq!(told(&parts, 1_100.0, Some(1_500.0), true), [1_250.0, 1_450.0, 1_500.0]);
        // It cannot have come before the headers.
        assert_eq!(told(&parts, 1_300.0, Some(1_500.0), true), [1_300.0, 1_450.0, 1_500.0]);
        // Of a line without a rate nothing more is known than the end.
        assert_eq!(told(&parts, 1_100.0, Some(1_500.0), false), [1_500.0, 1_500.0, 1_500.0]);
    }

    #[test]
    fn what_can_have_come_as_it_is_told_did() {
        let parts = [(1_110.0, 10_000), (1_300.0, 10_000), (1_310.0, 10_000)];
        assert_eq!(told(&parts, 1_100.0, Some(1_311.0), true), [1_110.0, 1_300.0, 1_310.0]);
        assert_eq!(told(&parts, 1_100.0, None, true), [1_110.0, 1_300.0, 1_310.0], "of a body that did not end");
    }
}
