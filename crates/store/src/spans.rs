//! Spans that servers sent: batches of a trace, of a load's or of nobody's yet.

use crate::pack::{Codec, packed, unpacked};
use crate::{Store, StoreError, now};
use phainon_formats::otlp::SpanBatch;
use rusqlite::{Connection, OptionalExtension, params};
use serde::Serialize;
use ts_rs::TS;

/// A batch, packed: that takes long for large ones, and is done before the store is locked.
pub struct PackedBatch {
    pub(crate) trace: String,
    pub(crate) spans: i64,
    pub(crate) codec: Codec,
    pub(crate) bytes: Vec<u8>,
}

impl PackedBatch {
    /// Packs a batch.
    #[must_use]
    pub fn of(batch: &SpanBatch) -> Self {
        let (codec, bytes) = packed(&batch.json);
        Self { trace: batch.trace.clone(), spans: i64::try_from(batch.spans).unwrap_or(i64::MAX), codec, bytes }
    }
}

/// A trace that belongs to no recorded load: what one answer of a server took, without a browser.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct ServerRecord {
    /// The trace's id, in hexadecimal.
    pub trace: String,
    /// How many spans came of it.
    #[ts(type = "number")]
    pub spans: u64,
    /// When the first of them came (RFC 3339).
    pub received_at: String,
    /// The name of the file that it came in, where it was a file.
    pub imported_from: Option<String>,
}

/// How much is kept of spans that belong to no load. What comes beyond takes the place of the oldest; what was
/// imported as a file stays.
#[derive(Debug, Clone, Copy)]
pub struct SpanRoom {
    /// Packed bytes.
    pub bytes: u64,
    /// Days.
    pub days: u32,
}

impl Default for SpanRoom {
    fn default() -> Self {
        Self { bytes: 256 << 20, days: 7 }
    }
}

pub(crate) fn add_batch(
    change: &Connection,
    load: Option<i64>,
    batch: &PackedBatch,
    received_at: &str,
    imported_from: Option<&str>,
) -> Result<(), StoreError> {
    change
        .prepare_cached(
            "insert into span_batches (trace, load, received_at, imported_from, spans, codec, bytes) values (?1, ?2, ?3, ?4, ?5, ?6, ?7)",
        )?
        .execute(params![batch.trace, load, received_at, imported_from, batch.spans, batch.codec, batch.bytes])?;
    Ok(())
}

/// Gives a load the batches of its trace that wait for it. Whether more were there than it was read with: then it is
/// to be read anew.
pub(crate) fn adopt(change: &Connection, load: i64, trace: &str, read_with: usize) -> Result<bool, StoreError> {
    let adopted =
        change.execute("update span_batches set load = ?1 where trace = ?2 and load is null", params![load, trace])?;
    let more = adopted > read_with;
    if more {
        mark_stale(change, load)?;
    }
    Ok(more)
}

fn mark_stale(change: &Connection, load: i64) -> Result<(), StoreError> {
    change.execute("update load_rows set analysis_version = 0 where id = ?1", [load])?;
    Ok(())
}

impl Store {
    /// Keeps batches, all of them or none, each with its load where one names its trace. Gives those loads by
    /// recording and number: they are to be read anew. A load whose trace and bodies were dropped cannot be, and keeps
    /// the figures that it has.
    pub fn keep_spans(
        &self,
        batches: &[PackedBatch],
        imported_from: Option<&str>,
    ) -> Result<Vec<(i64, u32)>, StoreError> {
        self.check_room(batches.iter().map(|b| b.bytes.len()).sum())?;
        let received_at = now();
        let mut late = Vec::new();
        let mut db = self.write();
        let change = db.transaction()?;
        for batch in batches {
            let load: Option<(i64, i64, u32)> = change
                .prepare_cached(
                    "select l.id, l.recording, l.number from load_rows l join recordings r on r.id = l.recording
                     where l.trace = ?1 and r.deleted_at is null and r.thinned_at is null",
                )?
                .query_row([&batch.trace], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))
                .optional()?;
            add_batch(&change, load.map(|l| l.0), batch, &received_at, imported_from)?;
            if let Some((load, recording, number)) = load {
                mark_stale(&change, load)?;
                late.push((recording, number));
            }
        }
        change.commit()?;
        late.sort_unstable();
        late.dedup();
        Ok(late)
    }

    /// How many batches of a trace wait for their load, and how many spans are in them.
    pub fn waiting_spans(&self, trace: &str) -> Result<(usize, u64), StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(
            "select count(*), coalesce(sum(spans), 0) from span_batches where trace = ?1 and load is null",
        )?;
        Ok(query.query_row([trace], |r| {
            Ok((r.get::<_, i64>(0)?.unsigned_abs() as usize, r.get::<_, i64>(1)?.unsigned_abs()))
        })?)
    }

    /// Batches of a trace that belongs to no load, as they came.
    pub fn spans_of_trace(&self, trace: &str) -> Result<Vec<Vec<u8>>, StoreError> {
        let db = self.read()?;
        let mut query =
            db.prepare_cached("select codec, bytes from span_batches where trace = ?1 and load is null order by id")?;
        let rows = query.query_map([trace], |r| Ok((r.get::<_, Codec>(0)?, r.get::<_, Vec<u8>>(1)?)))?;
        rows.map(|row| {
            let (codec, bytes) = row?;
            unpacked(bytes, codec)
        })
        .collect()
    }

    /// Traces that belong to no load, the newest first.
    pub fn server_records(&self, limit: u32) -> Result<Vec<ServerRecord>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(
            "select trace, sum(spans), min(received_at), max(imported_from) from span_batches where load is null
             group by trace order by max(id) desc limit ?1",
        )?;
        let rows = query.query_map([limit], |r| {
            let spans = r.get::<_, i64>(1)?.unsigned_abs();
            Ok(ServerRecord { trace: r.get(0)?, spans, received_at: r.get(2)?, imported_from: r.get(3)? })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Takes a trace of no load away.
    pub fn drop_server_record(&self, trace: &str) -> Result<(), StoreError> {
        let gone = self.write().execute("delete from span_batches where trace = ?1 and load is null", [trace])?;
        if gone == 0 { Err(StoreError::NotFound("server record", trace.to_owned())) } else { Ok(()) }
    }

    /// Takes away what is more than there is room for of what servers sent for nobody, oldest first.
    pub fn thin_spans(&self, room: SpanRoom) -> Result<usize, StoreError> {
        let limit = (chrono::Utc::now() - chrono::Duration::days(room.days.into()))
            .to_rfc3339_opts(chrono::SecondsFormat::Millis, true);
        let db = self.write();
        let old = db.execute(
            "delete from span_batches where load is null and imported_from is null and received_at < ?1",
            [limit],
        )?;
        let beyond = db.execute(
            "delete from span_batches where id in (
                select id from (
                    select id, sum(length(bytes)) over (order by id desc) as taken from span_batches
                    where load is null and imported_from is null
                ) where taken > ?1)",
            [i64::try_from(room.bytes).unwrap_or(i64::MAX)],
        )?;
        Ok(old + beyond)
    }
}
