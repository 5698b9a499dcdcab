//! The four published parts of LCP.

use crate::{Load, Millis, PaintKind};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// LCP = TTFB + load delay + load duration + render delay.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct LcpParts {
    /// Until the document's first byte.
    pub ttfb_ms: Millis,
    /// From there until the element's file was asked for; 0 for text.
    pub load_delay_ms: Millis,
    /// While the file was fetched; 0 for text.
    pub load_duration_ms: Millis,
    /// From the file's last byte (for text, from the document's first) to the paint.
    pub render_delay_ms: Millis,
}

/// Splits LCP into its parts; they add up to it exactly. `None` without a candidate or a TTFB.
#[must_use]
pub fn lcp_parts(load: &Load) -> Option<LcpParts> {
    let candidate = load.largest()?;
    let lcp = candidate.at;
    let ttfb = load.document()?.first_byte?.min(lcp);
    let file = match (candidate.kind, &candidate.url) {
        (PaintKind::Image, Some(url)) => load.request_for(url, lcp),
        _ => None,
    };
    // A picture that was there before the document's first byte (a preload header, a cache) has no delay.
    // Its redirects are part of fetching it.
    let start = file.map_or(ttfb, |r| load.first_hop(r).start.max(ttfb).min(lcp));
    let end = file.map_or(start, |r| r.end.unwrap_or(lcp).max(start).min(lcp));
    Some(LcpParts {
        ttfb_ms: ttfb,
        load_delay_ms: start - ttfb,
        load_duration_ms: end - start,
        render_delay_ms: lcp - end,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{LcpCandidate, Request, ResourceKind};

    fn load() -> Load {
        let mut load = Load::empty("http://www.skerryline.test/");
        let mut document = Request::new(0, "http://www.skerryline.test/", ResourceKind::Document);
        document.first_byte = Some(Millis(640.0));
        let mut hero = Request::new(1, "http://www.skerryline.test/hero.jpg", ResourceKind::Image);
        hero.start = Millis(2650.0);
        hero.end = Some(Millis(4790.0));
        load.requests = vec![document, hero];
        load.lcp_candidates = vec![LcpCandidate {
            fonts: None,
            animated: Vec::new(),
            words: None,
            at: Millis(5210.0),
            kind: PaintKind::Image,
            size: 100.0,
            node: None,
            url: Some("http://www.skerryline.test/hero.jpg".into()),
            tag: None,
            selector: None,
            snippet: None,
            rect: None,
        }];
        load
    }

    #[test]
    fn the_parts_of_a_picture_follow_its_request() {
        let parts = lcp_parts(&load()).expect("has a candidate");
        assert_eq!(
            (parts.ttfb_ms.0, parts.load_delay_ms.0, parts.load_duration_ms.0, parts.render_delay_ms.0),
            (640.0, 2010.0, 2140.0, 420.0)
        );
    }

    #[test]
    fn a_redirect_before_the_picture_is_part_of_fetching_it() {
        let mut load = load();
        // The element names the address that redirects: asked for at 2,000, answered at 2,650.
        let mut file = load.requests[1].clone();
        (file.id, file.redirected_from) = (crate::RequestId(2), Some(crate::RequestId(1)));
        file.url = "http://static.skerryline.test/hero.jpg".into();
        (load.requests[1].start, load.requests[1].end) = (Millis(2000.0), Some(Millis(2650.0)));
        load.requests.push(file);
        let parts = lcp_parts(&load).expect("has a candidate");
        assert_eq!((parts.load_delay_ms.0, parts.load_duration_ms.0, parts.render_delay_ms.0), (1360.0, 2790.0, 420.0));
        assert_eq!(load.request_for("http://www.skerryline.test/hero.jpg", Millis(5210.0)).map(|r| r.id.0), Some(2));
    }
}
