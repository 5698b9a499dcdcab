//! When a script's or sheet's bytes were there. A browser tells the end of a request by another way than it hands the
//! bytes to the page, and may do so when the page has taken them already; over HTTP/2 the frame that ends a response
//! often comes behind the last byte of its body (RFC 9113, section 8.1). The thread does one task at a time: what it
//! takes up in a task was there when that began.

use crate::uses::Uses;
use crate::{Load, Millis};

/// An end is told so long at most after the bytes were taken: 0.06 to 1.15 ms later for fifteen sheets of 47 loads of
/// pages that others made.
const TOLD_LATER: Millis = Millis(5.0);

/// Has what the main thread took up end no later than the task began in which it did so.
pub fn end_as_taken(load: &mut Load) {
    let uses = Uses::of(&load.work);
    for request in &mut load.requests {
        let (Some(end), Some(place)) = (request.end, uses.first(&load.work, request)) else { continue };
        let taken = load.work[place].start;
        let task = load.work[..=place].iter().rfind(|w| w.depth == 0).map_or(taken, |w| w.start);
        if end > task && end <= taken + TOLD_LATER {
            request.end = Some(request.first_byte.map_or(task, |first| first.max(task)));
        }
    }
}
