//! What blocked no rendering. A browser's scanner tells of each file that it finds ahead whether it blocks rendering, by
//! where it has come to itself: a document that has text where its head should stand, or tags of another document in its
//! body, has files in its body of which it says so. Nothing is painted before what blocks rendering is done (HTML,
//! section 3.1.5), so what was still under way after that did not; the parser stops at it instead (HTML, sections
//! 4.2.4.4 and 13.2.6.4.8).

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
        if request.end.is_none_or(|end| end > painted + TOLD_LATER) {
            request.render_blocking = RenderBlocking::InBodyParserBlocking;
        }
    }
}
