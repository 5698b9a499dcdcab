//! Loads and their parts.

use crate::pack::{Codec, from_json, of_word, unpacked};
use crate::packed::{PackedDerived, PackedLoad};
use crate::part::Part;
use crate::spans::{add_batch, adopt};
use crate::summary::set_summary;
use crate::{Store, StoreError, now};
use phainon_core::{ANALYSIS_VERSION, Conditions, Load, RecordingSummary, Visit};
use phainon_formats::{
    ASSEMBLY_VERSION, BodyMap, FrameRecord, HarRequests, NetworkLog, PageRecord, RawLoad, TraceText,
};
use rusqlite::{Connection, OptionalExtension, params};
use serde::de::DeserializeOwned;

/// A part as its row holds it: unpacked by whoever asked, outside the store.
pub struct PackedPart {
    codec: Codec,
    bytes: Vec<u8>,
}

impl PackedPart {
    /// Its bytes.
    pub fn bytes(self) -> Result<Vec<u8>, StoreError> {
        unpacked(self.bytes, self.codec)
    }

    /// As a trace, which stays packed.
    fn trace(self) -> TraceText {
        match self.codec {
            Codec::Zstd => TraceText::from_packed(self.bytes),
            Codec::Plain => TraceText::of(&self.bytes),
        }
    }

    /// What it holds.
    pub fn value<T: DeserializeOwned>(self) -> Result<T, StoreError> {
        serde_json::from_slice(&self.bytes()?).map_err(|e| StoreError::Damaged(e.to_string()))
    }
}

/// A load's raw parts, packed: to be unpacked by [`StoredLoad::raw`] once the store is free for others.
pub struct StoredLoad {
    number: u32,
    visit: Visit,
    /// Those of its recording.
    conditions: Option<Conditions>,
    failed: Option<String>,
    parts: Vec<(String, PackedPart)>,
    frames: Vec<(String, Vec<u8>)>,
    spans: Vec<PackedPart>,
}

impl StoredLoad {
    /// The raw parts.
    pub fn raw(self) -> Result<RawLoad, StoreError> {
        let mut raw = RawLoad {
            name: format!("load {}", self.number),
            visit: self.visit,
            conditions: self.conditions,
            failed: self.failed,
            ..RawLoad::default()
        };
        let mut log: Option<NetworkLog> = None;
        for (name, part) in self.parts {
            match name.as_str() {
                "network" => log.get_or_insert_default().events = part.bytes()?,
                "kept-bodies" => log.get_or_insert_default().bodies = part.value()?,
                "requests" => {
                    let HarRequests { requests, page } = part.value()?;
                    (raw.requests, raw.har_page) = (Some(requests), page);
                }
                "trace" => raw.trace = Some(part.trace()),
                "page" => raw.page = Some(part.value::<PageRecord>()?),
                _ => {}
            }
        }
        raw.network = log;
        raw.spans = self.spans.into_iter().map(PackedPart::bytes).collect::<Result<_, _>>()?;
        let known = raw.page.as_ref().map(|p| p.frames.clone()).unwrap_or_default();
        raw.frames = self
            .frames
            .into_iter()
            .map(|(file, picture)| {
                let record = known.iter().find(|f| f.file == file).cloned();
                (record.unwrap_or(FrameRecord { file, ..FrameRecord::default() }), picture)
            })
            .collect();
        Ok(raw)
    }
}

impl Store {
    pub(crate) fn load_id(db: &Connection, recording: i64, number: u32) -> Result<i64, StoreError> {
        let there: Option<bool> = db
            .prepare_cached("select 1 from recordings where id = ?1 and deleted_at is null")?
            .query_row([recording], |_| Ok(true))
            .optional()?;
        there.ok_or_else(|| StoreError::NotFound("recording", recording.to_string()))?;
        db.prepare_cached("select id from load_rows where recording = ?1 and number = ?2")?
            .query_row(params![recording, number], |r| r.get(0))
            .optional()?
            .ok_or_else(|| StoreError::NotFound("load", number.to_string()))
    }

    /// One part of a load; `None` where it was not kept.
    pub fn part(&self, recording: i64, number: u32, part: Part) -> Result<Option<PackedPart>, StoreError> {
        let db = self.read()?;
        let load = Self::load_id(&db, recording, number)?;
        Ok(db
            .prepare_cached("select codec, bytes from load_parts where load = ?1 and part = ?2")?
            .query_row(params![load, part.name()], |r| Ok(PackedPart { codec: r.get(0)?, bytes: r.get(1)? }))
            .optional()?)
    }

    /// A load's raw parts, frames included.
    pub fn stored_load(&self, recording: i64, number: u32) -> Result<StoredLoad, StoreError> {
        let db = self.read()?;
        let load = Self::load_id(&db, recording, number)?;
        let (visit, failed): (String, Option<String>) = db
            .prepare_cached("select visit, failed from load_rows where id = ?1")?
            .query_row([load], |r| Ok((r.get(0)?, r.get(1)?)))?;
        let parts = db
            .prepare_cached(&format!(
                "select part, codec, bytes from load_parts where load = ?1 and part not in {}",
                Part::DERIVED
            ))?
            .query_map([load], |r| Ok((r.get(0)?, PackedPart { codec: r.get(1)?, bytes: r.get(2)? })))?
            .collect::<Result<_, _>>()?;
        let frames = db
            .prepare_cached("select file, picture from frame_rows where load = ?1 order by place")?
            .query_map([load], |r| Ok((r.get(0)?, r.get(1)?)))?
            .collect::<Result<_, _>>()?;
        let spans = db
            .prepare_cached("select codec, bytes from span_batches where load = ?1 order by id")?
            .query_map([load], |r| Ok(PackedPart { codec: r.get(0)?, bytes: r.get(1)? }))?
            .collect::<Result<_, _>>()?;
        let conditions: Option<String> = db
            .prepare_cached("select conditions from recordings where id = ?1")?
            .query_row([recording], |r| r.get(0))?;
        let conditions = conditions.as_deref().map(from_json).transpose()?;
        // Migrated rows hold the word with its quotes, as JSON.
        let visit = of_word(visit.trim_matches('"'))?;
        Ok(StoredLoad { number, visit, conditions, failed, parts, frames, spans })
    }

    /// A load, put together; for several questions about one it is unpacked once and held by the caller.
    pub fn load(&self, recording: i64, number: u32) -> Result<Load, StoreError> {
        let part = self.part(recording, number, Part::Load)?;
        part.ok_or_else(|| StoreError::NotFound("data of load", number.to_string()))?.value()
    }

    /// One picture of the screen, and the hash of its bytes.
    pub fn frame(&self, recording: i64, number: u32, file: &str) -> Result<Vec<u8>, StoreError> {
        let db = self.read()?;
        let load = Self::load_id(&db, recording, number)?;
        db.prepare_cached("select picture from frame_rows where load = ?1 and file = ?2")?
            .query_row(params![load, file], |r| r.get(0))
            .optional()?
            .ok_or_else(|| StoreError::NotFound("frame", file.to_owned()))
    }

    /// A body by its hash.
    pub fn body(&self, hash: &str) -> Result<Option<Vec<u8>>, StoreError> {
        let row: Option<(Codec, Vec<u8>)> = self
            .read()?
            .prepare_cached("select codec, bytes from body_rows where hash = ?1")?
            .query_row([hash], |r| Ok((r.get(0)?, r.get(1)?)))
            .optional()?;
        row.map(|(codec, bytes)| unpacked(bytes, codec)).transpose()
    }

    /// The hashes of a recording's bodies, in order.
    pub fn body_names(&self, recording: i64) -> Result<Vec<String>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached("select hash from body_uses where recording = ?1 order by hash")?;
        let names = query.query_map([recording], |r| r.get(0))?.collect::<Result<_, _>>()?;
        Ok(names)
    }

    /// All bodies of a recording.
    pub fn bodies(&self, recording: i64) -> Result<BodyMap, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(
            "select b.hash, b.codec, b.bytes from body_rows b join body_uses u on u.hash = b.hash where u.recording = ?1",
        )?;
        let rows =
            query.query_map([recording], |r| Ok((r.get::<_, String>(0)?, r.get(1)?, r.get::<_, Vec<u8>>(2)?)))?;
        rows.map(|row| {
            let (hash, codec, bytes) = row?;
            Ok((hash, unpacked(bytes, codec)?))
        })
        .collect()
    }

    /// Loads whose derived parts were made by another version of the program, or with other settings:
    /// recording and number, newest recording first.
    pub fn stale(&self, settings: &str) -> Result<Vec<(i64, u32)>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(
            "select l.recording, l.number from load_rows l join recordings r on r.id = l.recording
             where (l.has_data or l.unread is not null) and r.deleted_at is null and r.thinned_at is null
               and (l.assembly_version <> ?1 or l.analysis_version <> ?2
                 or l.settings <> coalesce((select s.hash from site_settings s where s.site = r.site), ?3))
             order by r.recorded_at desc, r.id desc, l.number",
        )?;
        let rows =
            query.query_map(params![ASSEMBLY_VERSION, ANALYSIS_VERSION, settings], |r| Ok((r.get(0)?, r.get(1)?)))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Whether a load can be made anew no more, though this version of the program reads otherwise: its trace and
    /// bodies were dropped. Other settings alone leave it as it was read.
    pub fn is_past_reading(&self, recording: i64, number: u32) -> Result<bool, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(
            "select count(*) from load_rows l join recordings r on r.id = l.recording
             where l.recording = ?1 and l.number = ?2 and r.thinned_at is not null
               and (l.assembly_version <> ?3 or l.analysis_version <> ?4)",
        )?;
        let versions = params![recording, number, ASSEMBLY_VERSION, ANALYSIS_VERSION];
        Ok(query.query_row(versions, |r| r.get::<_, i64>(0))? > 0)
    }

    /// Puts what was made anew of a load in the place of what was there, with what all loads of its
    /// recording say together now. Raw parts stay as they are. Where nothing could be made, the reason
    /// is kept with the load, and it is not tried again before another version or other settings.
    pub fn renew(
        &self,
        recording: i64,
        number: u32,
        anew: Result<&PackedLoad, &str>,
        settings: &str,
        summary: Option<&RecordingSummary>,
    ) -> Result<(), StoreError> {
        let mut db = self.write();
        let change = db.transaction()?;
        let load = Self::load_id(&change, recording, number)?;
        change.execute(&format!("delete from load_parts where load = ?1 and part in {}", Part::DERIVED), [load])?;
        match anew {
            Ok(packed) => {
                if let Some(derived) = &packed.derived {
                    add_derived(&change, load, derived)?;
                }
            }
            Err(why) => {
                change.execute(
                    "update load_rows set has_data = 0, unread = ?2, assembly_version = ?3, analysis_version = ?4, settings = ?5 where id = ?1",
                    params![load, why, ASSEMBLY_VERSION, ANALYSIS_VERSION, settings],
                )?;
            }
        }
        set_summary(&change, recording, summary)?;
        change.commit()?;
        Ok(())
    }
}

pub(crate) fn add_load(change: &Connection, recording: i64, number: u32, new: &PackedLoad) -> Result<(), StoreError> {
    change.execute(
        "insert into load_rows (recording, number, visit, failed, has_data, trace) values (?1, ?2, ?3, ?4, ?5, ?6)",
        params![recording, number, new.visit_word()?, new.failed, new.derived.is_some(), new.trace],
    )?;
    let load = change.last_insert_rowid();
    add_parts(change, load, &new.raw)?;
    for (place, (file, hash, picture)) in (0i64..).zip(&new.frames) {
        change.execute(
            "insert or replace into frame_rows (load, place, file, hash, picture) values (?1, ?2, ?3, ?4, ?5)",
            params![load, place, file, hash, picture],
        )?;
    }
    if let Some(derived) = &new.derived {
        add_derived(change, load, derived)?;
    }
    let received_at = now();
    for batch in &new.spans {
        add_batch(change, Some(load), batch, &received_at, None)?;
    }
    if let (Some(trace), Some(read_with)) = (&new.trace, new.adopts) {
        adopt(change, load, trace, read_with)?;
    }
    Ok(())
}

fn add_parts(change: &Connection, load: i64, parts: &[(Part, Codec, Vec<u8>)]) -> Result<(), StoreError> {
    let mut insert = change
        .prepare_cached("insert or replace into load_parts (load, part, codec, bytes) values (?1, ?2, ?3, ?4)")?;
    for (part, codec, bytes) in parts {
        insert.execute(params![load, part.name(), codec, bytes])?;
    }
    Ok(())
}

fn add_derived(change: &Connection, load: i64, derived: &PackedDerived) -> Result<(), StoreError> {
    add_parts(change, load, &derived.parts)?;
    derived.rows.write(change, load)?;
    change.execute(
        "update load_rows set has_data = 1, unread = null, assembly_version = ?2, analysis_version = ?3, settings = ?4, lcp_ms = ?5 where id = ?1",
        params![load, derived.assembly_version, derived.analysis_version, derived.settings, derived.rows.lcp_ms],
    )?;
    Ok(())
}
