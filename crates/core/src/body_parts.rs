//! When the parts of bodies came. A browser tells of them from the page's process, once the main thread there is free:
//! behind a frame of half a second all that came meanwhile is told at once, later than the ends of the requests, which
//! the process of the network tells. No part came after the end of its request, nor faster than the line carries.

use crate::{Conditions, Load, Millis};

/// Has the parts of bodies have come as late as they can have, and no later: what came later leaves so much less of the
/// line's time to what came before it. Where the line's rate is known, that is the last of all orders of coming in which
/// each part is there when it is told.
#[allow(clippy::cast_precision_loss)]
pub fn parts_as_came(load: &mut Load) {
    // 0 is unlimited or not known.
    let rate = load.conditions.as_ref().map_or(0.0, Conditions::down_bytes_per_ms);
    let mut told: Vec<(Millis, usize, usize)> = Vec::new();
    for (place, request) in load.requests.iter().enumerate().filter(|(_, r)| r.is_network()) {
        let end = request.end.unwrap_or(Millis(f64::INFINITY));
        told.extend(request.parts.iter().enumerate().map(|(part, p)| (p.at.min(end), place, part)));
    }
    told.sort_by(|a, b| a.0.order(&b.0).then((a.1, a.2).cmp(&(b.1, b.2))));
    let mut latest = Millis(f64::INFINITY);
    for (at, place, part) in told.into_iter().rev() {
        let request = &mut load.requests[place];
        let first = request.final_headers.or(request.first_byte).unwrap_or_default();
        let part = &mut request.parts[part];
        part.at = at.min(latest).max(first);
        if rate > 0.0 {
            latest = part.at - Millis(part.bytes.0 as f64 / rate);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{BodyPart, Bytes, Request, ResourceKind, preset};

    fn request(parts: &[(f64, u64)], first: f64, end: Option<f64>) -> Request {
        let mut request = Request::new(0, "http://a.test/", ResourceKind::Image);
        request.parts = parts.iter().map(|(at, bytes)| BodyPart { at: Millis(*at), bytes: Bytes(*bytes) }).collect();
        (request.first_byte, request.end) = (Some(Millis(first)), end.map(Millis));
        request.transferred = Some(Bytes(1));
        request
    }

    /// When the parts of each came, over a line of 1,000 bytes a millisecond, or of no rate.
    fn came(requests: Vec<Request>, shaped: bool) -> Vec<Vec<f64>> {
        let mut conditions = preset("phone-on-the-move").expect("a preset");
        conditions.down_bits = 8_000_000;
        let mut load = Load::empty("http://a.test/");
        (load.requests, load.conditions) = (requests, shaped.then_some(conditions));
        parts_as_came(&mut load);
        load.requests.iter().map(|r| r.parts.iter().map(|p| p.at.0).collect()).collect()
    }

    fn told(parts: &[(f64, u64)], first: f64, end: Option<f64>, shaped: bool) -> Vec<f64> {
        came(vec![request(parts, first, end)], shaped).remove(0)
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
    fn what_two_share_the_line_for_is_not_told_of_each_alone() {
        // Both are told of at 2,000, and end soon after it.
        let one = request(&[(2_000.0, 100_000), (2_010.0, 1_000)], 1_000.0, Some(2_010.0));
        let other = request(&[(2_001.0, 300_000)], 1_000.0, Some(2_020.0));
        assert_eq!(came(vec![one, other], true), [vec![1_701.0, 2_010.0], vec![2_001.0]]);
    }

    #[test]
    fn what_can_have_come_as_it_is_told_did() {
        let parts = [(1_110.0, 10_000), (1_300.0, 10_000), (1_310.0, 10_000)];
        assert_eq!(told(&parts, 1_100.0, Some(1_311.0), true), [1_110.0, 1_300.0, 1_310.0]);
        assert_eq!(told(&parts, 1_100.0, None, true), [1_110.0, 1_300.0, 1_310.0], "of a body that did not end");
    }
}
