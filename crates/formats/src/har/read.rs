//! Reads a HAR, leniently: what others write differs.

use super::dates::rfc3339;
use super::entry::{Entry, Page, begin_at};
use super::stream::read_log;
use crate::assemble::{HarPage, RawLoad};
use crate::memory::MemoryBudget;
use crate::renumber::renumber;
use crate::{BodyMap, FormatError};
use phainon_core::{Initiator, InitiatorKind, Millis, Note, Request, RequestId, ResourceKind};
use std::collections::HashMap;
use std::io::Read;

/// Reads a HAR: one load for each of its pages, at least one. It is read entry by entry, so that what lies
/// in memory is what is kept and the entry in hand; that is charged to the budget.
///
/// # Errors
/// Where it is no HAR, or too much for the limits.
pub fn read(text: impl Read, name: &str, budget: &MemoryBudget) -> Result<(Vec<RawLoad>, BodyMap), FormatError> {
    let log = read_log(text, name, budget)?;
    let entries = log.entries.unwrap_or_default();
    if entries.is_empty() {
        return Err(FormatError::Nothing { name: name.to_owned(), why: "log.entries is empty".into() });
    }
    let not_utf8 = (log.not_utf8 > 0).then_some(Note::HarNotUtf8 { places: log.not_utf8 });
    // Entries of a page that is not listed, and those of none, go to the first page.
    let numbers: HashMap<&str, usize> =
        log.pages.iter().enumerate().rev().filter_map(|(number, page)| Some((page.id.as_deref()?, number))).collect();
    let mut by_page: Vec<Vec<Entry>> = Vec::new();
    by_page.resize_with(log.pages.len().max(1), Vec::new);
    for entry in entries {
        let number = entry.page.as_deref().and_then(|id| numbers.get(id)).copied().unwrap_or(0);
        by_page[number].push(entry);
    }
    let filled = by_page.iter().filter(|e| !e.is_empty()).count();
    let mut loads = Vec::new();
    for (number, entries) in by_page.into_iter().enumerate().filter(|(_, e)| !e.is_empty()) {
        let mut notes: Vec<Note> = not_utf8.iter().cloned().collect();
        if filled > 1 {
            notes.push(Note::PageOf { number: loads.len() + 1, of: filled });
        }
        if let Some((requests, mut har_page)) = read_page(log.pages.get(number), entries, notes) {
            har_page.browser.clone_from(&log.browser);
            loads.push(RawLoad {
                name: name.to_owned(),
                requests: Some(renumber(requests)),
                har_page,
                ..RawLoad::default()
            });
        }
    }
    if loads.is_empty() {
        return Err(FormatError::Nothing { name: name.to_owned(), why: "no entry has a request with a URL".into() });
    }
    Ok((loads, log.bodies))
}

/// One page's requests; `None` where no entry has a request.
fn read_page(page: Option<&Page>, entries: Vec<Entry>, mut notes: Vec<Note>) -> Option<(Vec<Request>, HarPage)> {
    let first = entries.iter().filter_map(|entry| entry.at).fold(f64::INFINITY, f64::min);
    // A page that claims to start after its first request, or hours before it, is not believed.
    let zero = match page.and_then(|page| page.started) {
        Some(start) if start <= first && first - start < 60_000.0 => start,
        _ if first.is_finite() => first,
        _ => 0.0,
    };
    let (mut requests, mut passed_over, mut undated) = (Vec::new(), 0usize, 0usize);
    for entry in entries {
        let Some(mut request) = entry.request else {
            passed_over += 1;
            continue;
        };
        undated += usize::from(entry.at.is_none());
        request.id = RequestId(u32::try_from(requests.len()).unwrap_or(u32::MAX));
        if !entry.is_own {
            begin_at(&mut request, Millis(entry.at.map_or(0.0, |at| at - zero)));
        }
        requests.push(request);
    }
    if requests.is_empty() {
        return None;
    }
    if passed_over > 0 {
        notes.push(Note::EntriesPassedOver { count: passed_over });
    }
    if undated > 0 {
        notes.push(Note::EntriesUndated { count: undated });
    }
    link_redirects(&mut requests);
    let har_page = HarPage {
        title: page.and_then(|page| page.title.clone()),
        started_at: (zero > 0.0).then(|| rfc3339(zero)).flatten(),
        dom_content_loaded: page.and_then(|page| page.dom_content_loaded),
        load_event: page.and_then(|page| page.load_event),
        browser: None,
        notes,
    };
    Some((requests, har_page))
}

/// Joins a request to the redirect that led to it: the last 3xx before it whose Location is its URL.
fn link_redirects(requests: &mut [Request]) {
    let mut pending: HashMap<String, RequestId> = HashMap::new();
    for request in requests.iter_mut() {
        if request.redirected_from.is_none()
            && let Some(from) = pending.remove(&*request.url)
        {
            request.redirected_from = Some(from);
            request.initiator = Initiator { kind: InitiatorKind::Redirect, ..Initiator::default() };
        }
        if matches!(request.status, Some(301 | 302 | 303 | 307 | 308))
            && let Some(location) = request.header("location")
            && let Ok(target) = url::Url::parse(&request.url).and_then(|base| base.join(location))
        {
            // The hop before a document is a document too, whatever its own media type.
            pending.insert(target.to_string(), request.id);
            if request.kind == ResourceKind::Other {
                request.kind = ResourceKind::Document;
            }
        }
    }
}
