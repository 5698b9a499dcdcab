//! When a script's or sheet's bytes were there. A browser tells the end of a request by another way than it hands the
//! bytes to the page, and may do so when the page has taken them already; over HTTP/2 the frame that ends a response
//! often comes behind the last byte of its body (RFC 9113, section 8.1). The thread does one task at a time: what it
//! takes up in a task was there when that began.

use crate::{Load, Millis, ResourceKind, WorkName};
use std::collections::HashMap;
use std::sync::Arc;

/// An end is told so long at most after the bytes were taken: 0.1 to 1.2 ms later in the four cases of twenty pages
/// that were looked at, all of them sheets.
const TOLD_LATER: Millis = Millis(5.0);

/// When something was taken up, and when the task around that began.
type Taken = (Millis, Millis);

/// Has what the main thread took up end no later than the task began in which it did so.
pub fn end_as_taken(load: &mut Load) {
    let mut task = Millis::ZERO;
    let mut uses: HashMap<(WorkName, Arc<str>), Vec<Taken>> = HashMap::new();
    for work in &load.work {
        if work.depth == 0 {
            task = work.start;
        }
        if let (WorkName::Evaluate | WorkName::ParseSheet, Some(url)) = (work.name, &work.url) {
            uses.entry((work.name, url.clone())).or_default().push((work.start, task));
        }
    }
    for request in &mut load.requests {
        let name = match request.kind {
            ResourceKind::Script => WorkName::Evaluate,
            ResourceKind::Style => WorkName::ParseSheet,
            _ => continue,
        };
        let taken = uses.get(&(name, request.url.clone())).and_then(|uses| {
            let first = uses.partition_point(|(start, _)| *start < request.start);
            uses.get(first)
        });
        if let (Some((taken, task)), Some(end)) = (taken, request.end)
            && end > *task
            && end <= *taken + TOLD_LATER
        {
            request.end = Some(request.first_byte.map_or(*task, |first| first.max(*task)));
        }
    }
}
