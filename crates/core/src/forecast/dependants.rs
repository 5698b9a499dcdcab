//! Runs that fail where a script has not run before them, and so come after it where it comes later.

use super::called::Called;
use super::moments::{Moments, address};
use crate::body::text_of;
use crate::inline_code::{InlineCode, inline_code};
use crate::{Bodies, Prepared, RequestId, WorkName, global_names};
use std::collections::{BTreeSet, HashMap};

/// Of the scripts that the parser runs after a script, files and code inside the document, those that use names which
/// it defines, or within which the profiler saw its functions: their runs, in order of time.
pub(super) fn dependants(
    prepared: &Prepared,
    moments: &Moments,
    called: &[Called],
    script: RequestId,
    bodies: &dyn Bodies,
) -> Vec<u32> {
    let load = &prepared.load;
    let Some(script) = load.request(script) else { return Vec::new() };
    let Some((own, _)) = prepared.first_use(script) else { return Vec::new() };
    let names = text_of(script, bodies).map(|code| global_names::defined(&code)).unwrap_or_default();
    // As in a trial: what it says again under a name of its own (`var Pier = Pier || {}`) fails without it as well.
    let uses = |code: &str| global_names::uses_any(code, &names);
    let document = load.document();
    let text = document.filter(|_| !names.is_empty()).and_then(|d| text_of(d, bodies));
    let inside: Vec<InlineCode> = text.map(|text| inline_code(&text)).unwrap_or_default();
    let within: BTreeSet<u32> = called.iter().map(|c| c.run).collect();
    // Files are read once, however often they ran.
    let mut known: HashMap<RequestId, bool> = HashMap::new();
    let parsed = moments.world.moment(moments.parser_end).at;
    let runs = moments.runs.iter().zip(0u32..);
    let later = runs.filter(|(run, _)| {
        let piece = &load.work[run.piece];
        run.piece > own && piece.name == WorkName::Evaluate && piece.start.0 < parsed
    });
    let depends = later.filter(|(run, place)| {
        let Some(url) = address(prepared, run) else { return false };
        if document.is_some_and(|d| d.url == url) {
            let line = load.work[run.piece].line;
            let code = inside.iter().find(|c| line.is_some_and(|line| (c.lines.0..=c.lines.1).contains(&line)));
            return within.contains(place) || code.is_some_and(|code| uses(&code.text));
        }
        let Some(file) = prepared.first_for(&url).filter(|r| r.main_frame && r.render_blocking.held_up()) else {
            return false;
        };
        within.contains(place)
            || *known.entry(file.id).or_insert_with(|| text_of(file, bodies).is_some_and(|code| uses(&code)))
    });
    depends.map(|(_, place)| place).collect()
}
