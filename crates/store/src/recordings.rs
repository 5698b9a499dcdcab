//! Recordings: their heads, how they come in load by load, and how they go.

use crate::loads::add_load;
use crate::pack::{from_json, json, of_word, packed_json, unpacked, word};
use crate::packed::{PackedBodies, PackedLoad};
use crate::summary::set_summary;
use crate::{Store, StoreError, now};
use phainon_core::{Conditions, RecordingSummary, Source, Visit};
use phainon_formats::{Detail, Machine};
use rusqlite::types::Value;
use rusqlite::{Connection, OptionalExtension, Row, params, params_from_iter};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use ts_rs::TS;

/// How a recording came to its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Ended {
    /// Its loads are still being made.
    Recording,
    /// All loads that were asked for were made.
    Done,
    /// Cancelled by the user; the loads made until then are kept.
    Cancelled,
    /// The program ended, or something failed, before all were made.
    BrokenOff,
}

/// A recording as lists show it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct RecordingHead {
    #[ts(type = "number")]
    pub id: i64,
    /// The site's registrable domain.
    pub site: String,
    /// What kind of page it is.
    pub page: String,
    pub url: String,
    pub source: Source,
    pub conditions: Option<Conditions>,
    pub browser: Option<String>,
    /// RFC 3339.
    pub recorded_at: String,
    /// The file it came in, where it was imported.
    pub imported_from: Option<String>,
    /// What its loads say together; `None` where none counts.
    pub summary: Option<RecordingSummary>,
    pub loads: Vec<LoadHead>,
    /// First visits that were asked for; `None` for imports.
    pub wanted_loads: Option<u32>,
    /// How it came to its end.
    pub ended: Ended,
    /// Hosts and addresses that were blocked while it was made.
    pub blocked: Vec<String>,
    /// The machine that recorded, and how busy it was before the first load.
    #[ts(type = "{ cores: number, load_average: number | null, calibration_ms: number | null } | null")]
    pub machine: Option<Machine>,
    /// When its traces and bodies were dropped to make room (RFC 3339); its figures are of before.
    pub thinned_at: Option<String>,
    /// The recording of which this is a replay, with or without edits.
    #[ts(type = "number | null")]
    pub trial_of: Option<i64>,
}

/// One load of a recording as lists show it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct LoadHead {
    /// From 1.
    pub number: u32,
    pub visit: Visit,
    /// Why it failed, if it did. A failed load may still have data.
    pub failed: Option<String>,
    pub has_data: bool,
}

/// Part of the list of recordings.
#[derive(Debug, Clone, Default)]
pub struct Page {
    /// Words that all must occur in a recording's site, page, address or conditions.
    pub filter: String,
    /// Of this site only.
    pub site: Option<String>,
    /// So many at most.
    pub limit: u32,
    /// Leaving so many out.
    pub offset: u32,
}

/// Recordings of one page of the list, and how many there are in all.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Recordings {
    /// Newest first.
    pub rows: Vec<RecordingHead>,
    /// How many the filter lets through.
    pub matching: u32,
    /// How many there are.
    pub all: u32,
}

/// A recording to be kept.
#[derive(Clone)]
pub struct NewRecording<'a> {
    /// The site's registrable domain.
    pub site: &'a str,
    /// What kind of page it is.
    pub page: &'a str,
    /// The URL that was recorded.
    pub url: &'a str,
    /// What it was read from.
    pub source: Source,
    /// Whose load it is.
    pub conditions: Option<&'a Conditions>,
    /// Product and version.
    pub browser: Option<&'a str>,
    /// What recorded it.
    pub machine: Option<&'a Machine>,
    /// RFC 3339.
    pub recorded_at: &'a str,
    /// File name, for imports.
    pub imported_from: Option<&'a str>,
    /// First visits that were asked for.
    pub wanted_loads: Option<u32>,
    /// What was blocked.
    pub blocked: &'a [String],
    /// How it came to its end, or that it goes on.
    pub ended: Ended,
    /// The recording of which it is a replay.
    pub trial_of: Option<i64>,
}

/// A recording to be kept whole.
pub struct WholeRecording<'a> {
    /// What it is.
    pub head: NewRecording<'a>,
    /// In order.
    pub loads: &'a [PackedLoad],
    /// The bodies that its loads name, and maybe those of others.
    pub bodies: &'a PackedBodies,
    /// Which of them are its own.
    pub named: &'a [String],
    /// What the load for used code told.
    pub detail: Option<&'a Detail>,
    /// What the loads say together.
    pub summary: Option<&'a RecordingSummary>,
}

const COLUMNS: &str = "id, site, page, url, source, conditions, browser, recorded_at, imported_from, summary, machine, wanted_loads, ended, blocked, thinned_at, trial_of";

impl Store {
    /// Keeps whole recordings, all of them or nothing, and gives their ids.
    pub fn add_recordings(&self, all: &[WholeRecording<'_>]) -> Result<Vec<i64>, StoreError> {
        let loads: usize = all.iter().flat_map(|whole| whole.loads).map(PackedLoad::size).sum();
        // Several may be of the same bodies; those count once.
        let bodies = all.iter().map(|whole| (std::ptr::from_ref(whole.bodies), whole.bodies.size()));
        self.check_room(loads + bodies.collect::<HashMap<_, _>>().values().sum::<usize>())?;
        let mut db = self.write();
        let change = db.transaction()?;
        let mut ids = Vec::with_capacity(all.len());
        for whole in all {
            let id = add_head(&change, &whole.head)?;
            for (number, load) in (1u32..).zip(whole.loads) {
                add_load(&change, id, number, load)?;
            }
            add_bodies(&change, id, whole.bodies, whole.named.iter().map(String::as_str))?;
            if let Some(detail) = whole.detail {
                add_detail(&change, id, detail)?;
            }
            set_summary(&change, id, whole.summary)?;
            if let Some(name) = whole.head.imported_from {
                change.execute("insert or ignore into imported (name) values (?1)", [name])?;
            }
            ids.push(id);
        }
        change.commit()?;
        Ok(ids)
    }

    /// Begins a recording whose loads come one by one.
    pub fn begin_recording(&self, new: &NewRecording<'_>) -> Result<i64, StoreError> {
        add_head(&self.write(), new)
    }

    /// Keeps one more load of a recording that was begun, with its bodies and what all loads so far
    /// say together.
    pub fn add_load(
        &self,
        id: i64,
        number: u32,
        load: &PackedLoad,
        bodies: &PackedBodies,
        browser: Option<&str>,
        summary: Option<&RecordingSummary>,
    ) -> Result<(), StoreError> {
        self.check_room(load.size() + bodies.size())?;
        let mut db = self.write();
        let change = db.transaction()?;
        add_load(&change, id, number, load)?;
        add_bodies(&change, id, bodies, bodies.names().iter().map(String::as_str))?;
        set_summary(&change, id, summary)?;
        change.execute("update recordings set browser = coalesce(browser, ?2) where id = ?1", params![id, browser])?;
        change.commit()?;
        Ok(())
    }

    /// Keeps what the load for used code told.
    pub fn set_detail(&self, id: i64, detail: &Detail) -> Result<(), StoreError> {
        let mut db = self.write();
        let change = db.transaction()?;
        add_detail(&change, id, detail)?;
        // Its loads were read without it.
        change.execute("update load_rows set analysis_version = 0 where recording = ?1", [id])?;
        change.commit()?;
        Ok(())
    }

    /// Says how a recording came to its end.
    pub fn end_recording(&self, id: i64, ended: Ended) -> Result<(), StoreError> {
        self.write().execute("update recordings set ended = ?2 where id = ?1", params![id, word(ended)?])?;
        Ok(())
    }

    /// Recordings that an earlier run of the program left unfinished; gives how many there were.
    pub fn break_off_unfinished(&self) -> Result<usize, StoreError> {
        Ok(self.write().execute("update recordings set ended = 'broken_off' where ended = 'recording'", [])?)
    }

    /// Part of the list, newest first.
    pub fn recordings(&self, page: &Page) -> Result<Recordings, StoreError> {
        let db = self.read()?;
        let mut wheres = vec!["deleted_at is null and trial_of is null".to_owned()];
        let mut values: Vec<Value> = Vec::new();
        if let Some(site) = &page.site {
            values.push(site.clone().into());
            wheres.push(format!("site = ?{}", values.len()));
        }
        for part in page.filter.split_whitespace().take(10) {
            let literal = part.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_");
            values.push(format!("%{literal}%").into());
            let n = values.len();
            wheres.push(format!(
                "(site || ' ' || page || ' ' || url || ' ' || coalesce(conditions ->> 'name', '')) like ?{n} escape '\\'"
            ));
        }
        let wheres = wheres.join(" and ");
        let all =
            db.query_row("select count(*) from recordings where deleted_at is null and trial_of is null", [], |r| {
                r.get(0)
            })?;
        let matching = db
            .prepare_cached(&format!("select count(*) from recordings where {wheres}"))?
            .query_row(params_from_iter(&values), |r| r.get(0))?;
        let limit = page.limit.clamp(1, 5_000);
        let text = format!(
            "select {COLUMNS} from recordings where {wheres} order by recorded_at desc, id desc limit {limit} offset {}",
            page.offset
        );
        let mut query = db.prepare_cached(&text)?;
        let rows: Vec<HeadRow> = query.query_map(params_from_iter(&values), head_row)?.collect::<Result<_, _>>()?;
        let rows = rows.into_iter().map(|row| head(&db, row)).collect::<Result<_, _>>()?;
        Ok(Recordings { rows, matching, all })
    }

    /// One recording.
    pub fn recording(&self, id: i64) -> Result<RecordingHead, StoreError> {
        let db = self.read()?;
        let row = db
            .prepare_cached(&format!("select {COLUMNS} from recordings where id = ?1 and deleted_at is null"))?
            .query_row([id], head_row)
            .optional()?
            .ok_or_else(|| StoreError::NotFound("recording", id.to_string()))?;
        head(&db, row)
    }

    /// The recordings of a recording's page under its conditions, itself among them, the newest first.
    pub fn recordings_alike(&self, head: &RecordingHead) -> Result<Vec<i64>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(
            "select id from recordings where site = ?1 and url = ?2 and coalesce(conditions, '') = coalesce(?3, '')
             and deleted_at is null and trial_of is null order by recorded_at desc, id desc limit 200",
        )?;
        let conditions = head.conditions.as_ref().map(json).transpose()?;
        let rows = query.query_map(params![head.site, head.url, conditions], |r| r.get(0))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// The loads of a recording for which a server told of its work.
    pub fn loads_with_spans(&self, id: i64) -> Result<Vec<u32>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(
            "select number from load_rows l where recording = ?1
             and exists (select 1 from span_batches s where s.load = l.id)",
        )?;
        let rows = query.query_map([id], |r| r.get(0))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Whether a file of this name was ever imported, even if what it became was deleted since.
    pub fn was_imported(&self, name: &str) -> Result<bool, StoreError> {
        let db = self.read()?;
        Ok(db.prepare_cached("select 1 from imported where name = ?1")?.exists([name])?)
    }

    /// Notes that a file of this name was imported.
    pub fn note_imported(&self, name: &str) -> Result<(), StoreError> {
        self.write().execute("insert or ignore into imported (name) values (?1)", [name])?;
        Ok(())
    }

    /// What the load for used code told, with its picture.
    pub fn detail(&self, id: i64) -> Result<Option<Detail>, StoreError> {
        self.recording(id)?;
        let db = self.read()?;
        let part = |name: &str| -> Result<Option<Vec<u8>>, StoreError> {
            let row = db
                .prepare_cached("select codec, bytes from recording_parts where recording = ?1 and part = ?2")?
                .query_row(params![id, name], |r| Ok((r.get(0)?, r.get::<_, Vec<u8>>(1)?)))
                .optional()?;
            row.map(|(codec, bytes)| unpacked(bytes, codec)).transpose()
        };
        let Some(text) = part("detail")? else { return Ok(None) };
        let mut detail: Detail = serde_json::from_slice(&text).map_err(|e| StoreError::Damaged(e.to_string()))?;
        detail.inline_only = part("inline-only")?;
        Ok(Some(detail))
    }

    /// Takes a recording out of sight; it can be restored.
    pub fn delete_recording(&self, id: i64) -> Result<(), StoreError> {
        let changed = self.with_reserve(|db| {
            let mark = "update recordings set deleted_at = ?2 where (id = ?1 or trial_of = ?1) and deleted_at is null";
            Ok(db.execute(mark, params![id, now()])?)
        })?;
        if changed == 0 { Err(StoreError::NotFound("recording", id.to_string())) } else { Ok(()) }
    }

    /// Brings a deleted recording back.
    pub fn restore_recording(&self, id: i64) -> Result<(), StoreError> {
        let changed = self.write().execute(
            // Of its trials, those that went with it: what was forgotten before stays forgotten.
            "update recordings set deleted_at = null where (id = ?1 or trial_of = ?1)
               and deleted_at = (select deleted_at from recordings where id = ?1)",
            params![id],
        )?;
        if changed == 0 { Err(StoreError::NotFound("deleted recording", id.to_string())) } else { Ok(()) }
    }

    /// Removes for good what was deleted more than a day ago, and bodies whose last user went with it.
    pub fn sweep(&self) -> Result<usize, StoreError> {
        let limit =
            (chrono::Utc::now() - chrono::Duration::days(1)).to_rfc3339_opts(chrono::SecondsFormat::Millis, true);
        self.purge(&limit)
    }
}

fn add_head(change: &Connection, new: &NewRecording<'_>) -> Result<i64, StoreError> {
    change.execute(
        "insert into recordings
         (site, page, url, source, conditions, browser, machine, recorded_at, imported_from, wanted_loads, ended, blocked, trial_of)
         values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13)",
        params![
            new.site,
            new.page,
            new.url,
            json(&new.source)?,
            new.conditions.map(json).transpose()?,
            new.browser,
            new.machine.map(json).transpose()?,
            new.recorded_at,
            new.imported_from,
            new.wanted_loads,
            word(new.ended)?,
            (!new.blocked.is_empty()).then(|| json(&new.blocked)).transpose()?,
            new.trial_of,
        ],
    )?;
    Ok(change.last_insert_rowid())
}

fn add_bodies<'a>(
    change: &Connection,
    id: i64,
    bodies: &PackedBodies,
    named: impl IntoIterator<Item = &'a str>,
) -> Result<(), StoreError> {
    let mut insert =
        change.prepare_cached("insert or ignore into body_rows (hash, codec, bytes) values (?1, ?2, ?3)")?;
    let mut use_of = change.prepare_cached("insert or ignore into body_uses (recording, hash) values (?1, ?2)")?;
    for hash in named {
        let Some((codec, bytes)) = bodies.get(hash) else { continue };
        insert.execute(params![hash, codec, bytes])?;
        use_of.execute(params![id, hash])?;
    }
    Ok(())
}

fn add_detail(change: &Connection, id: i64, detail: &Detail) -> Result<(), StoreError> {
    let mut insert = change.prepare_cached(
        "insert or replace into recording_parts (recording, part, codec, bytes) values (?1, ?2, ?3, ?4)",
    )?;
    insert.execute(params![id, "detail", "zstd", packed_json(detail)?])?;
    if let Some(picture) = &detail.inline_only {
        insert.execute(params![id, "inline-only", "plain", picture])?;
    }
    Ok(())
}

struct HeadRow {
    id: i64,
    site: String,
    page: String,
    url: String,
    source: String,
    conditions: Option<String>,
    browser: Option<String>,
    recorded_at: String,
    imported_from: Option<String>,
    summary: Option<String>,
    machine: Option<String>,
    wanted_loads: Option<u32>,
    ended: String,
    blocked: Option<String>,
    thinned_at: Option<String>,
    trial_of: Option<i64>,
}

fn head_row(r: &Row<'_>) -> rusqlite::Result<HeadRow> {
    Ok(HeadRow {
        id: r.get(0)?,
        site: r.get(1)?,
        page: r.get(2)?,
        url: r.get(3)?,
        source: r.get(4)?,
        conditions: r.get(5)?,
        browser: r.get(6)?,
        recorded_at: r.get(7)?,
        imported_from: r.get(8)?,
        summary: r.get(9)?,
        machine: r.get(10)?,
        wanted_loads: r.get(11)?,
        ended: r.get(12)?,
        blocked: r.get(13)?,
        thinned_at: r.get(14)?,
        trial_of: r.get(15)?,
    })
}

fn head(db: &Connection, row: HeadRow) -> Result<RecordingHead, StoreError> {
    let mut query = db.prepare_cached(
        "select number, visit, coalesce(failed, unread), has_data from load_rows where recording = ?1 order by number",
    )?;
    let loads = query
        .query_map([row.id], |r| Ok((r.get::<_, u32>(0)?, r.get::<_, String>(1)?, r.get(2)?, r.get(3)?)))?
        .map(|r| {
            let (number, visit, failed, has_data) = r?;
            // Migrated rows hold the word with its quotes, as JSON.
            Ok(LoadHead { number, visit: of_word(visit.trim_matches('"'))?, failed, has_data })
        })
        .collect::<Result<_, StoreError>>()?;
    Ok(RecordingHead {
        id: row.id,
        site: row.site,
        page: row.page,
        url: row.url,
        source: from_json(&row.source)?,
        conditions: row.conditions.as_deref().map(from_json).transpose()?,
        browser: row.browser,
        recorded_at: row.recorded_at,
        imported_from: row.imported_from,
        // A summary of an earlier version is made anew with its loads.
        summary: row.summary.as_deref().and_then(|text| serde_json::from_str(text).ok()),
        loads,
        wanted_loads: row.wanted_loads,
        ended: of_word(&row.ended)?,
        blocked: row.blocked.as_deref().map(from_json).transpose()?.unwrap_or_default(),
        machine: row.machine.as_deref().map(from_json).transpose()?,
        thinned_at: row.thinned_at,
        trial_of: row.trial_of,
    })
}
