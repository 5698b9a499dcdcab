//! Recordings and their loads.

use crate::{Store, StoreError, now, pack, unpack};
use phainon_core::{
    ANALYSIS_VERSION, Analysis, Conditions, Load, Millis, RecordingSummary, ScreenFrame, Source, Visit,
};
use phainon_formats::{BodyMap, Detail, Machine, PageRecord, RawLoad};
use rusqlite::{Connection, OptionalExtension, Row, params};
use serde::{Deserialize, Serialize, de::DeserializeOwned};
use ts_rs::TS;

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
    /// What its loads say together; `None` where none has data.
    pub summary: Option<RecordingSummary>,
    pub loads: Vec<LoadHead>,
    /// Load average before the first load, to judge its figures by.
    pub load_average: Option<f64>,
    pub cores: Option<u32>,
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

/// A recording to be kept.
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
    /// What its loads say together.
    pub summary: Option<&'a RecordingSummary>,
    /// In order.
    pub loads: &'a [PackedLoad],
    /// Bodies that the loads name.
    pub bodies: &'a PackedBodies,
    /// What the load for used code told.
    pub detail: Option<&'a Detail>,
}

/// A load to be kept.
pub struct NewLoad<'a> {
    /// Its parts.
    pub raw: &'a RawLoad,
    /// Put together.
    pub load: Option<&'a Load>,
    /// Computed from it.
    pub analysis: Option<&'a Analysis>,
    /// The main thread to be drawn.
    pub tracks: Option<&'a [u8]>,
}

/// A load as its row will hold it. Packing takes long for large traces and needs no store: it is done
/// before the store is locked.
pub struct PackedLoad {
    visit: String,
    failed: Option<String>,
    load: Option<Vec<u8>>,
    page: Option<Vec<u8>>,
    trace: Option<Vec<u8>>,
    analysis: Option<Vec<u8>>,
    tracks: Option<Vec<u8>>,
    frames: Vec<(ScreenFrame, Vec<u8>)>,
}

impl PackedLoad {
    /// Packs a load's parts.
    pub fn of(new: &NewLoad<'_>) -> Result<Self, StoreError> {
        let pack_whole = |bytes: &[u8]| zstd::bulk::compress(bytes, 3).map_err(|e| StoreError::Damaged(e.to_string()));
        Ok(Self {
            visit: json(&new.raw.visit)?,
            failed: new.raw.failed.clone(),
            load: new.load.map(packed_json).transpose()?,
            page: new.raw.page.as_ref().map(packed_json).transpose()?,
            trace: new.raw.trace.as_deref().map(pack_whole).transpose()?,
            analysis: new.analysis.map(packed_json).transpose()?,
            tracks: new.tracks.map(pack_whole).transpose()?,
            frames: new.raw.frames.clone(),
        })
    }
}

/// Bodies as their rows will hold them: hash, whether packed, bytes.
pub struct PackedBodies(Vec<(String, bool, Vec<u8>)>);

impl PackedBodies {
    /// Packs each where that makes it smaller.
    #[must_use]
    pub fn of(bodies: &BodyMap) -> Self {
        let packed = bodies.iter().map(|(hash, body)| {
            let (bytes, packed) = pack(body);
            (hash.clone(), packed, bytes)
        });
        Self(packed.collect())
    }
}

/// A load with everything that was kept of it.
pub struct StoredLoad {
    /// Its parts; requests are those of the load.
    pub raw: RawLoad,
    /// Put together.
    pub load: Option<Load>,
}

fn json<T: Serialize>(value: &T) -> Result<String, StoreError> {
    serde_json::to_string(value).map_err(|e| StoreError::Damaged(e.to_string()))
}

fn from_json<T: DeserializeOwned>(text: &str) -> Result<T, StoreError> {
    serde_json::from_str(text).map_err(|e| StoreError::Damaged(e.to_string()))
}

/// JSON, always packed: these columns hold nothing else.
fn packed_json<T: Serialize>(value: &T) -> Result<Vec<u8>, StoreError> {
    let text = serde_json::to_vec(value).map_err(|e| StoreError::Damaged(e.to_string()))?;
    zstd::bulk::compress(&text, 3).map_err(|e| StoreError::Damaged(e.to_string()))
}

impl Store {
    /// Keeps a recording, whole or not at all, and gives its id.
    pub fn add_recording(&mut self, new: &NewRecording<'_>) -> Result<i64, StoreError> {
        let change = self.db.transaction()?;
        change.execute(
            "insert into recordings
             (site, page, url, source, conditions, browser, machine, recorded_at, imported_from, summary, detail, inline_only)
             values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12)",
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
                new.summary.map(json).transpose()?,
                new.detail.map(packed_json).transpose()?,
                new.detail.and_then(|d| d.inline_only.as_deref()),
            ],
        )?;
        let id = change.last_insert_rowid();
        for (number, new_load) in (1i64..).zip(new.loads) {
            add_load(&change, id, number, new_load)?;
        }
        for (hash, packed, bytes) in &new.bodies.0 {
            change.execute(
                "insert or ignore into bodies (hash, packed, bytes) values (?1, ?2, ?3)",
                params![hash, packed, bytes],
            )?;
            change.execute(
                "insert or ignore into recording_bodies (recording, hash) values (?1, ?2)",
                params![id, hash],
            )?;
        }
        change.commit()?;
        Ok(id)
    }

    /// Every recording that is not deleted, newest first.
    pub fn recordings(&self) -> Result<Vec<RecordingHead>, StoreError> {
        let mut query = self.db.prepare_cached(
            "select id, site, page, url, source, conditions, browser, recorded_at, imported_from, summary, machine
             from recordings where deleted_at is null order by recorded_at desc, id desc",
        )?;
        let rows: Vec<HeadRow> = query.query_map([], head_row)?.collect::<Result<_, _>>()?;
        rows.into_iter().map(|row| self.head(row)).collect()
    }

    /// One recording.
    pub fn recording(&self, id: i64) -> Result<RecordingHead, StoreError> {
        let row = self
            .db
            .prepare_cached(
                "select id, site, page, url, source, conditions, browser, recorded_at, imported_from, summary, machine
                 from recordings where id = ?1 and deleted_at is null",
            )?
            .query_row([id], head_row)
            .optional()?
            .ok_or_else(|| StoreError::NotFound("recording", id.to_string()))?;
        self.head(row)
    }

    fn head(&self, row: HeadRow) -> Result<RecordingHead, StoreError> {
        let machine: Option<Machine> = row.machine.as_deref().map(from_json).transpose()?;
        let mut query = self.db.prepare_cached(
            "select number, visit, failed, load is not null from loads where recording = ?1 order by number",
        )?;
        let loads = query
            .query_map([row.id], |r| Ok((r.get::<_, u32>(0)?, r.get::<_, String>(1)?, r.get(2)?, r.get(3)?)))?
            .map(|r| {
                let (number, visit, failed, has_data) = r?;
                Ok(LoadHead { number, visit: from_json(&visit)?, failed, has_data })
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
            summary: row.summary.as_deref().map(from_json).transpose()?,
            loads,
            load_average: machine.as_ref().and_then(|m| m.load_average),
            cores: machine.map(|m| m.cores),
        })
    }

    /// A load's analysis as JSON text; made again where it is of an older version.
    pub fn analysis(&mut self, id: i64, number: u32) -> Result<String, StoreError> {
        self.recording(id)?;
        let (kept, version): (Option<Vec<u8>>, Option<u32>) = self
            .db
            .prepare_cached("select analysis, analysis_version from loads where recording = ?1 and number = ?2")?
            .query_row(params![id, number], |r| Ok((r.get(0)?, r.get(1)?)))
            .optional()?
            .ok_or_else(|| StoreError::NotFound("load", number.to_string()))?;
        if let (Some(kept), Some(ANALYSIS_VERSION)) = (kept, version) {
            let text = unpack(kept, true)?;
            return String::from_utf8(text).map_err(|e| StoreError::Damaged(e.to_string()));
        }
        let stored = self.load(id, number)?;
        let load = stored.load.ok_or_else(|| StoreError::NotFound("data of load", number.to_string()))?;
        let analysis = phainon_core::analyse(&load, &|hash: &str| self.body(hash).ok().flatten());
        self.db.execute(
            "update loads set analysis = ?3, analysis_version = ?4 where recording = ?1 and number = ?2",
            params![id, number, packed_json(&analysis)?, ANALYSIS_VERSION],
        )?;
        json(&analysis)
    }

    /// A load with its raw parts, frames included.
    pub fn load(&self, id: i64, number: u32) -> Result<StoredLoad, StoreError> {
        let (visit, failed, load, page, trace): LoadColumns = self
            .db
            .prepare_cached("select visit, failed, load, page, trace from loads where recording = ?1 and number = ?2")?
            .query_row(params![id, number], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?)))
            .optional()?
            .ok_or_else(|| StoreError::NotFound("load", number.to_string()))?;
        let unpacked = |bytes: Option<Vec<u8>>| bytes.map(|b| unpack(b, true)).transpose();
        let damaged = |e: serde_json::Error| StoreError::Damaged(e.to_string());
        let load: Option<Load> = unpacked(load)?.map(|b| serde_json::from_slice(&b)).transpose().map_err(damaged)?;
        let page: Option<PageRecord> =
            unpacked(page)?.map(|b| serde_json::from_slice(&b)).transpose().map_err(damaged)?;
        let mut query = self.db.prepare_cached(
            "select file, at_ms, picture from frames where recording = ?1 and number = ?2 order by at_ms, file",
        )?;
        let frames = query
            .query_map(params![id, number], |r| {
                let frame = ScreenFrame { file: r.get(0)?, at_ms: Millis(r.get(1)?), ..ScreenFrame::default() };
                Ok((frame, r.get(2)?))
            })?
            .collect::<Result<_, _>>()?;
        let raw = RawLoad {
            name: format!("load {number}"),
            visit: from_json::<Visit>(&visit)?,
            conditions: load.as_ref().and_then(|l| l.conditions.clone()),
            requests: load.as_ref().map(|l| l.requests.clone()),
            trace: unpacked(trace)?,
            page,
            frames,
            failed,
            ..RawLoad::default()
        };
        Ok(StoredLoad { raw, load })
    }

    /// A load as it was packed, without its raw parts: to be unpacked by [`Store::unpacked_load`] once
    /// the store is free for others again.
    pub fn packed_load(&self, id: i64, number: u32) -> Result<Vec<u8>, StoreError> {
        self.recording(id)?;
        self.db
            .prepare_cached("select load from loads where recording = ?1 and number = ?2")?
            .query_row(params![id, number], |r| r.get::<_, Option<Vec<u8>>>(0))
            .optional()?
            .flatten()
            .ok_or_else(|| StoreError::NotFound("data of load", number.to_string()))
    }

    /// What [`Store::packed_load`] gave, read.
    pub fn unpacked_load(packed: Vec<u8>) -> Result<Load, StoreError> {
        serde_json::from_slice(&unpack(packed, true)?).map_err(|e| StoreError::Damaged(e.to_string()))
    }

    /// The main thread to be drawn, packed by zstd; `None` where it was not kept.
    pub fn packed_tracks(&self, id: i64, number: u32) -> Result<Option<Vec<u8>>, StoreError> {
        self.recording(id)?;
        let row = self
            .db
            .prepare_cached("select tracks from loads where recording = ?1 and number = ?2")?
            .query_row(params![id, number], |r| r.get::<_, Option<Vec<u8>>>(0))
            .optional()?;
        row.ok_or_else(|| StoreError::NotFound("load", number.to_string()))
    }

    /// What [`Store::packed_tracks`] gave, unpacked.
    pub fn unpacked_tracks(packed: Vec<u8>) -> Result<Vec<u8>, StoreError> {
        unpack(packed, true)
    }

    /// What the load for used code told, with its picture.
    pub fn detail(&self, id: i64) -> Result<Option<Detail>, StoreError> {
        self.recording(id)?;
        let (detail, picture): (Option<Vec<u8>>, Option<Vec<u8>>) = self
            .db
            .prepare_cached("select detail, inline_only from recordings where id = ?1")?
            .query_row([id], |r| Ok((r.get(0)?, r.get(1)?)))?;
        let Some(packed) = detail else { return Ok(None) };
        let mut detail: Detail =
            serde_json::from_slice(&unpack(packed, true)?).map_err(|e| StoreError::Damaged(e.to_string()))?;
        detail.inline_only = picture;
        Ok(Some(detail))
    }

    /// One picture of the screen.
    pub fn frame(&self, id: i64, number: u32, file: &str) -> Result<Vec<u8>, StoreError> {
        self.db
            .prepare_cached("select picture from frames where recording = ?1 and number = ?2 and file = ?3")?
            .query_row(params![id, number, file], |r| r.get(0))
            .optional()?
            .ok_or_else(|| StoreError::NotFound("frame", file.to_owned()))
    }

    /// A body by its hash.
    pub fn body(&self, hash: &str) -> Result<Option<Vec<u8>>, StoreError> {
        let row: Option<(Vec<u8>, bool)> = self
            .db
            .prepare_cached("select bytes, packed from bodies where hash = ?1")?
            .query_row([hash], |r| Ok((r.get(0)?, r.get(1)?)))
            .optional()?;
        row.map(|(bytes, packed)| unpack(bytes, packed)).transpose()
    }

    /// All bodies of a recording.
    pub fn bodies(&self, id: i64) -> Result<BodyMap, StoreError> {
        let mut query = self
            .db
            .prepare_cached("select b.hash, b.bytes, b.packed from bodies b join recording_bodies r on r.hash = b.hash where r.recording = ?1")?;
        let rows =
            query.query_map([id], |r| Ok((r.get::<_, String>(0)?, r.get::<_, Vec<u8>>(1)?, r.get::<_, bool>(2)?)))?;
        rows.map(|row| {
            let (hash, bytes, packed) = row?;
            Ok((hash, unpack(bytes, packed)?))
        })
        .collect()
    }

    /// Takes a recording out of sight; it can be restored.
    pub fn delete_recording(&mut self, id: i64) -> Result<(), StoreError> {
        let changed = self.db.execute(
            "update recordings set deleted_at = ?2 where id = ?1 and deleted_at is null",
            params![id, now()],
        )?;
        if changed == 0 { Err(StoreError::NotFound("recording", id.to_string())) } else { Ok(()) }
    }

    /// Brings a deleted recording back.
    pub fn restore_recording(&mut self, id: i64) -> Result<(), StoreError> {
        let changed = self
            .db
            .execute("update recordings set deleted_at = null where id = ?1 and deleted_at is not null", params![id])?;
        if changed == 0 { Err(StoreError::NotFound("deleted recording", id.to_string())) } else { Ok(()) }
    }

    /// Removes for good what was deleted more than a day ago, and bodies that nothing names any more.
    pub fn sweep(&mut self) -> Result<usize, StoreError> {
        let limit =
            (chrono::Utc::now() - chrono::Duration::days(1)).to_rfc3339_opts(chrono::SecondsFormat::Millis, true);
        let change = self.db.transaction()?;
        let removed = change.execute("delete from recordings where deleted_at < ?1", [limit])?;
        change.execute("delete from bodies where hash not in (select hash from recording_bodies)", [])?;
        change.commit()?;
        Ok(removed)
    }
}

fn add_load(change: &Connection, id: i64, number: i64, new: &PackedLoad) -> Result<(), StoreError> {
    change.execute(
        "insert into loads (recording, number, visit, failed, load, page, trace, analysis, analysis_version, tracks)
         values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
        params![
            id,
            number,
            new.visit,
            new.failed,
            new.load,
            new.page,
            new.trace,
            new.analysis,
            new.analysis.as_ref().map(|_| ANALYSIS_VERSION),
            new.tracks,
        ],
    )?;
    for (frame, picture) in &new.frames {
        change.execute(
            "insert or replace into frames (recording, number, file, at_ms, picture) values (?1, ?2, ?3, ?4, ?5)",
            params![id, number, frame.file, frame.at_ms.0, picture],
        )?;
    }
    Ok(())
}

/// Visit, reason of failure, and the packed load, page and trace.
type LoadColumns = (String, Option<String>, Option<Vec<u8>>, Option<Vec<u8>>, Option<Vec<u8>>);

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
    })
}
