//! What blocked no rendering. A browser tells of each file whether it blocks rendering when it asks for it, before it is
//! known where its tag stands: of a document that has text where its head should stand it says so of each sheet and
//! script, and paints while they are on their way. Nothing is painted before what blocks rendering is done (HTML, section
//! 3.1.5), so what was still under way after that did not; the parser stops at it instead (HTML, sections 4.2.4.4 and
//! 13.2.6.4.8).

use crate::{InitiatorKind, Load, Millis, RenderBlocking};

/// An end may be told so much after the frame was drawn that it let go.
const TOLD_LATER: Millis = Millis(20.0);

/// Has the parser's files that were under way once something was painted stop the parser, and block no rendering.
pub fn blocking_as_painted(load: &mut Load) {
    let Some(painted) = load.fcp else { return };
    let blocks = |r: &&mut crate::Request| {
        r.main_frame && r.initiator.kind == InitiatorKind::Parser && r.render_blocking == RenderBlocking::Blocking
    };
    for request in load.requests.iter_mut().filter(blocks) {
        // One that failed may have no end, and held nothing up from then on.
        if request.end.map_or(request.failed.is_none(), |end| end > painted + TOLD_LATER) {
            request.render_blocking = RenderBlocking::InBodyParserBlocking;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Request, ResourceKind};

    #[test]
    fn what_was_still_under_way_once_something_was_painted_stops_the_parser() {
        let told = |end: Option<f64>, failed: bool, by: InitiatorKind| {
            let mut load = Load::empty("http://a.test/");
            load.fcp = Some(Millis(700.0));
            let mut sheet = Request::new(0, "http://a.test/a.css", ResourceKind::Style);
            (sheet.initiator.kind, sheet.main_frame) = (by, true);
            (sheet.render_blocking, sheet.end) = (RenderBlocking::Blocking, end.map(Millis));
            sheet.failed = failed.then(|| "aborted".to_owned());
            load.requests.push(sheet);
            blocking_as_painted(&mut load);
            load.requests[0].render_blocking
        };
        let parser = InitiatorKind::Parser;
        assert_eq!(told(Some(690.0), false, parser), RenderBlocking::Blocking);
        assert_eq!(told(Some(710.0), false, parser), RenderBlocking::Blocking, "the end may be told late");
        assert_eq!(told(Some(900.0), false, parser), RenderBlocking::InBodyParserBlocking);
        assert_eq!(told(None, false, parser), RenderBlocking::InBodyParserBlocking, "it never came");
        assert_eq!(told(None, true, parser), RenderBlocking::Blocking, "it failed, when is not told");
        assert_eq!(told(Some(900.0), false, InitiatorKind::Script), RenderBlocking::Blocking, "no parser stops at it");
    }
}
