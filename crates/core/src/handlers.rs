//! Timers and event handlers: which ran, how often, how long, and who set them.

use crate::profile::CodePlace;
use crate::{Millis, Owner, Prepared, TimerInstall, Work, WorkName};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap};
use ts_rs::TS;

/// All runs of one timer's line, or of one event's handler.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct HandlerRow {
    /// `timer` or the event's type.
    pub what: String,
    /// For timers the time they were set to, where all of them were set to the same.
    pub timeout_ms: Option<Millis>,
    /// For timers the line that set them; for events the handler itself. Not always told.
    pub by: Option<CodePlace>,
    /// Whose it is.
    pub owner: Owner,
    /// How often it ran.
    pub runs: u32,
    /// All its runs together, with what they called but for handlers that have rows of their own.
    pub total_ms: Millis,
    /// Its longest run.
    pub longest_ms: Millis,
    /// When it first ran.
    pub first_ms: Millis,
}

/// Every timer and handler that ran, heaviest first.
#[must_use]
pub fn handlers(prepared: &Prepared) -> Vec<HandlerRow> {
    let (load, owners, parents) = (&prepared.load, &prepared.owners, &prepared.index.parents);
    // The first call inside each piece of work: the handler, for an event.
    let mut first_call: BTreeMap<usize, usize> = BTreeMap::new();
    for (index, piece) in load.work.iter().enumerate() {
        if piece.name == WorkName::Call
            && let Some(parent) = parents[index]
        {
            first_call.entry(parent).or_insert(index);
        }
    }
    let mut set_at: HashMap<i64, Vec<&TimerInstall>> = HashMap::new();
    for timer in &load.timers {
        set_at.entry(timer.timer).or_default().push(timer);
    }
    set_at.values_mut().for_each(|times| times.sort_by(|a, b| a.at.order(&b.at)));
    let mut rows: BTreeMap<(String, Option<String>), HandlerRow> = BTreeMap::new();
    for (index, piece) in load.work.iter().enumerate() {
        let call = first_call.get(&index).map(|i| &load.work[*i]);
        let called = call.and_then(|c| {
            Some(CodePlace {
                function: c.function.clone().unwrap_or_default(),
                url: Some(c.url.clone().filter(|u| !u.is_empty())?),
                line: c.line,
            })
        });
        let (what, timeout, by) = match piece.name {
            WorkName::Timer => {
                let set = piece.timer.and_then(|timer| {
                    let times = set_at.get(&timer)?;
                    // A number may be given again; the last one set before it fired is the one.
                    times.get(times.partition_point(|t| t.at <= piece.start).checked_sub(1)?)
                });
                ("timer".to_owned(), set.map(|s| s.timeout), set.and_then(|s| s.by.clone()).or(called))
            }
            WorkName::Event => match &piece.event {
                // An event that nobody listened to is no handler.
                Some(event) if called.is_some() => (event.to_string(), None, called),
                _ => continue,
            },
            _ => continue,
        };
        let mut add = |by: Option<CodePlace>, start: Millis, took: Millis| {
            let key = by.as_ref().map(|b| format!("{:?} {:?} {}", b.url, b.line, b.function));
            let owner = by.as_ref().and_then(|b| b.url.as_deref()).map_or_else(Owner::page, |u| owners.of_url(u));
            let row = rows.entry((what.clone(), key)).or_insert_with(|| HandlerRow {
                what: what.clone(),
                timeout_ms: timeout,
                by,
                owner,
                runs: 0,
                total_ms: Millis::ZERO,
                longest_ms: Millis::ZERO,
                first_ms: start,
            });
            if row.timeout_ms != timeout {
                row.timeout_ms = None;
            }
            row.runs += 1;
            row.total_ms += took;
            row.longest_ms = row.longest_ms.max(took);
        };
        let mut rest = piece.duration;
        if piece.name == WorkName::Event {
            for (place, start, took) in called_back(prepared, piece) {
                add(Some(place), start, took);
                rest = rest - took;
            }
        }
        add(by, piece.start, rest);
    }
    let mut rows: Vec<_> = rows.into_values().collect();
    rows.sort_by(|a, b| b.total_ms.order(&a.total_ms));
    rows.truncate(300);
    rows
}

/// The handlers that a library called back within an event's: when each first ran, and for how long.
fn called_back(prepared: &Prepared, event: &Work) -> Vec<(CodePlace, Millis, Millis)> {
    let places = prepared.load.profile.as_ref().map_or(&[][..], |profile| &profile.places);
    let mut found: Vec<(u32, Millis, Millis)> = Vec::new();
    for called in prepared.called_back(event.start, event.end()) {
        let took = called.end - called.start;
        match found.iter_mut().find(|(place, ..)| *place == called.place) {
            Some((_, _, sum)) => *sum += took,
            None => found.push((called.place, called.start, took)),
        }
    }
    found.into_iter().filter_map(|(at, start, took)| Some((places.get(at as usize)?.clone(), start, took))).collect()
}

/// All style and layout that one line forced.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct ForcedRow {
    /// The line that asked for a box or a style while changes were pending.
    pub by: CodePlace,
    /// Whose it is.
    pub owner: Owner,
    /// How often.
    pub times: u32,
    /// Style, all of it together.
    pub style_ms: Millis,
    /// Layout, all of it together.
    pub layout_ms: Millis,
    /// When it first happened.
    pub first_ms: Millis,
}

/// Forced style and layout by the line that forced it, heaviest first.
#[must_use]
pub fn forced(prepared: &Prepared) -> Vec<ForcedRow> {
    let (load, owners) = (&prepared.load, &prepared.owners);
    let mut rows: Vec<ForcedRow> = Vec::new();
    let mut places = HashMap::new();
    for piece in &load.forced {
        let index = *places.entry(&piece.by).or_insert_with(|| {
            rows.push(ForcedRow {
                by: piece.by.clone(),
                owner: piece.by.url.as_deref().map_or_else(Owner::page, |u| owners.of_url(u)),
                times: 0,
                style_ms: Millis::ZERO,
                layout_ms: Millis::ZERO,
                first_ms: piece.at,
            });
            rows.len() - 1
        });
        let row = &mut rows[index];
        row.times += 1;
        row.first_ms = row.first_ms.min(piece.at);
        match piece.kind {
            crate::WorkKind::Layout => row.layout_ms += piece.duration,
            _ => row.style_ms += piece.duration,
        }
    }
    rows.sort_by(|a, b| (b.style_ms + b.layout_ms).order(&(a.style_ms + a.layout_ms)));
    rows.truncate(300);
    rows
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Forced, Load, Work, WorkKind};

    const CHAT: &str = "http://www.skerryline.test/plugins/share-buoys/share.js";

    fn place(line: u32) -> CodePlace {
        CodePlace { function: "tick".into(), url: Some(CHAT.into()), line: Some(line) }
    }

    #[test]
    fn runs_of_one_lines_timer_are_one_row_and_events_need_a_handler() {
        let mut load = Load::empty("http://www.skerryline.test/");
        let piece = |name, start: f64, depth, timer| Work {
            start: Millis(start),
            duration: Millis(10.0),
            depth,
            timer,
            ..Work::new(WorkKind::ScriptRun, name)
        };
        let click = Work { event: Some("click".into()), ..piece(WorkName::Event, 50.0, 0, None) };
        load.work = vec![
            piece(WorkName::Timer, 20.0, 0, Some(1)),
            piece(WorkName::Timer, 35.0, 0, Some(2)),
            click.clone(),
            Work { start: Millis(70.0), ..click },
            Work { url: Some(CHAT.into()), line: Some(9), ..piece(WorkName::Call, 70.0, 1, None) },
        ];
        load.timers = (1..3)
            .map(|timer| TimerInstall { timer, at: Millis(5.0), timeout: Millis(12.0), by: Some(place(4)) })
            .collect();
        let rows = handlers(&Prepared::plain(load));
        assert_eq!(rows.len(), 2);
        assert_eq!((&*rows[0].what, rows[0].runs, rows[0].timeout_ms), ("timer", 2, Some(Millis(12.0))));
        assert_eq!(rows[0].owner.name, "share-buoys");
        assert_eq!((&*rows[1].what, rows[1].by.as_ref().and_then(|b| b.line)), ("click", Some(9)));
    }

    #[test]
    fn forced_layout_is_summed_by_its_line() {
        let mut load = Load::empty("http://www.skerryline.test/");
        let forced = |line, kind, ms| Forced { at: Millis(1.0), duration: Millis(ms), kind, by: place(line) };
        load.forced =
            vec![forced(3, WorkKind::Style, 2.0), forced(3, WorkKind::Layout, 5.0), forced(8, WorkKind::Layout, 4.0)];
        let rows = super::forced(&Prepared::plain(load));
        let seen: Vec<_> = rows.iter().map(|r| (r.by.line, r.times, r.style_ms.0, r.layout_ms.0)).collect();
        assert_eq!(seen, [(Some(3), 2, 2.0, 5.0), (Some(8), 1, 0.0, 4.0)]);
    }
}
