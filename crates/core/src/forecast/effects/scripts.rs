//! Scripts that run later (HTML, section 4.12.1).

use super::super::change::Change;
use super::super::world::{Bond, Phase, Place};
use super::{Effect, Unforeseen, requests, unforeseen};
use crate::{Bodies, RenderBlocking, RequestId, ResourceKey, ResourceKind, Scope};

/// The requests of a script and its first run.
fn script(change: &Change<'_>, file: &ResourceKey) -> Result<(RequestId, Option<u32>), Unforeseen> {
    let found = requests(change, file)?;
    let load = &change.ground.prepared.load;
    let is_script = |id: &&RequestId| load.request(**id).is_some_and(|r| r.kind == ResourceKind::Script);
    match found.iter().find(is_script) {
        Some(id) => Ok((*id, change.ground.first_run(*id))),
        None => unforeseen(format!("{file} is no script.")),
    }
}

/// Of tasks that are ready at a moment of the load, one of this order comes in its turn.
fn order_at(change: &Change<'_>, at: f64) -> f64 {
    let tasks = &change.ground.moments.world.tasks;
    let next = tasks.iter().position(|t| t.start >= at - 0.5).unwrap_or(tasks.len());
    #[allow(clippy::cast_precision_loss)]
    let order = next as f64 - 0.5;
    order
}

/// Runs it when the document is parsed, before DOMContentLoaded; and after it, in their order, what fails without it.
pub(super) fn defer(change: &mut Change<'_>, file: &ResourceKey, bodies: &dyn Bodies) -> Effect {
    let (id, run) = script(change, file)?;
    let parser_end = change.ground.moments.parser_end;
    if parser_end == 0 || !change.ground.moments.world.moment(parser_end).at.is_finite() {
        return unforeseen("When the parser was through the document is not told.");
    }
    change.let_go(id);
    change.less_urgent(id);
    let Some(run) = run else { return Ok(()) };
    // Another edit may have it come later already.
    let end = match change.moved(run) {
        Some(begins) => change.end_of(begins),
        None => once_parsed(change, Some(id), run, None),
    };
    let Some(mut end) = end else { return Ok(()) };
    for later in change.ground.dependants(id, bodies).iter().copied() {
        if let Some(begins) = change.moved(later) {
            change.world.need(begins, end, Bond::Gate);
            continue;
        }
        if change.is_cut(later) {
            continue;
        }
        let of = change.ground.file_of(later);
        match of {
            Some(of) => {
                change.let_go(of);
                change.less_urgent(of);
            }
            None => change.reads_on_without(later),
        }
        end = once_parsed(change, of, later, Some(end)).unwrap_or(end);
    }
    Ok(())
}

/// Has a run, of a file or of code inside the document, come once the document is parsed, and after another; when it
/// ends then.
fn once_parsed(change: &mut Change<'_>, id: Option<RequestId>, run: u32, after: Option<Place>) -> Option<Place> {
    let parser_end = change.ground.moments.parser_end;
    let order = order_at(change, change.ground.moments.world.moment(parser_end).at);
    let begins = change.move_run(run, order, 0.0);
    for before in after.into_iter().chain([parser_end]) {
        change.world.need(begins, before, Bond::Gate);
    }
    if let Some(id) = id {
        change.world.need(begins, Phase::Done.of(id), Bond::Origin);
        in_document_order(change, id, begins);
    }
    let end = change.end_of(begins)?;
    before_parsed_event(change, end);
    Some(end)
}

/// Deferred scripts run in the order in which they stand in the document.
fn in_document_order(change: &mut Change<'_>, id: RequestId, begins: Place) {
    let load = &change.ground.prepared.load;
    let deferred = |r: &&crate::Request| {
        r.kind == ResourceKind::Script && r.render_blocking == RenderBlocking::NonBlocking && r.main_frame
    };
    let place = |r: &crate::Request| r.initiator.line.map(|line| (line, r.initiator.column));
    let own = load.request(id).and_then(place);
    let before = load.requests.iter().filter(deferred).filter(|r| r.id != id && place(r) < own && place(r).is_some());
    let before: Vec<Place> = before.filter_map(|r| change.ground.moments.released.get(&r.id).copied()).collect();
    for place in before {
        change.world.need(begins, place, Bond::Gate);
    }
}

/// The event of the parsed document waits for deferred scripts.
fn before_parsed_event(change: &mut Change<'_>, end: Place) {
    for event in change.parsed_events() {
        change.world.need(event, end, Bond::Gate);
    }
    if let Some(loaded) = change.ground.moments.content_loaded {
        change.world.need(loaded, end, Bond::Gate);
    }
}

/// Runs it whenever it has come.
pub(super) fn make_async(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let (id, run) = script(change, file)?;
    change.let_go(id);
    change.less_urgent(id);
    let Some(run) = run else { return Ok(()) };
    let task = change.ground.moments.runs[run as usize].task;
    let order = change.ground.moments.world.tasks[task as usize].order;
    let begins = change.move_run(run, order - 0.5, 0.0);
    change.world.need(begins, Phase::Done.of(id), Bond::Origin);
    Ok(())
}

/// Has the parser reach it last.
pub(super) fn to_end(change: &mut Change<'_>, file: &ResourceKey) -> Effect {
    let (id, run) = script(change, file)?;
    let Some(document) = change.ground.prepared.load.document().map(|d| d.id) else {
        return unforeseen("Which request brought the document is not told.");
    };
    change.let_go(id);
    let Some(run) = run else { return Ok(()) };
    let parser_end = change.ground.moments.parser_end;
    let order = order_at(change, change.ground.moments.world.moment(parser_end).at);
    let begins = change.move_run(run, order - 0.25, 0.0);
    change.world.need(begins, Phase::Done.of(document), Bond::Gate);
    change.world.need(begins, Phase::Done.of(id), Bond::Origin);
    // The scripts above it have run.
    let others: Vec<Place> =
        change.ground.moments.released.iter().filter(|(other, _)| **other != id).map(|(_, place)| *place).collect();
    for other in others {
        let earlier = change.ground.moments.world.moment(other).at <= change.ground.moments.world.moment(parser_end).at;
        if earlier {
            change.world.need(begins, other, Bond::Gate);
        }
    }
    if let Some(end) = change.end_of(begins) {
        change.world.need(parser_end, end, Bond::Gate);
    }
    Ok(())
}

/// Keeps scripts, and all that they do, until the user does something: not in what is measured.
pub(super) fn delay(change: &mut Change<'_>, scope: &Scope) -> Effect {
    let load = change.ground.prepared.load.clone();
    let scripts: Vec<RequestId> = change
        .ground
        .scope(scope)
        .into_iter()
        .filter(|id| load.request(*id).is_some_and(|r| r.kind == ResourceKind::Script))
        .collect();
    if scripts.is_empty() {
        return unforeseen("The load has no script of it.");
    }
    change.take_off(&scripts);
    Ok(())
}
