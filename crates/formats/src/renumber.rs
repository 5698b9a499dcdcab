//! Requests in the order in which they were asked for, numbered in it.

use phainon_core::{Request, RequestId};
use std::collections::HashMap;

/// Gives requests their ids again after sorting by start, and mends what pointed to them.
pub(crate) fn renumber(mut requests: Vec<Request>) -> Vec<Request> {
    requests.sort_by(|a, b| a.start.order(&b.start).then(a.id.cmp(&b.id)));
    let places: HashMap<RequestId, u32> =
        requests.iter().zip(0u32..).map(|(request, place)| (request.id, place)).collect();
    for (request, place) in requests.iter_mut().zip(0u32..) {
        request.id = RequestId(place);
        // A redirect leads forward: anything else is a mistake of the file.
        request.redirected_from = request
            .redirected_from
            .and_then(|from| places.get(&from).copied())
            .filter(|from| *from < place)
            .map(RequestId);
    }
    requests
}
