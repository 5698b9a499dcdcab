//! How much room the data takes, by what, and how it is given back: on a full disk too.

use crate::{Store, StoreError};
use phainon_core::Bytes;
use rusqlite::{Connection, ErrorCode, Row, params};
use serde::Serialize;
use std::fs::File;
use std::path::PathBuf;
use ts_rs::TS;

/// A file that is there to be removed: deleting needs room for its own records, and on a full disk this
/// is it.
const RESERVE: u64 = 4 << 20;
/// So many pages are given back in one go: others write between two of them, and the log stays short.
const PAGES: u32 = 250;
/// A data file of an earlier version that is smaller is brought to give room back when it is opened.
const QUICK: u64 = 256 << 20;

/// Bytes that something takes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct RoomOf {
    /// What.
    pub what: Kept,
    /// How many rows.
    #[ts(type = "number")]
    pub count: u64,
    /// How much, packed as it lies in the file.
    #[ts(type = "number")]
    pub bytes: u64,
}

/// Kinds of things that are kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Kept {
    /// The browser's traces.
    Traces,
    /// Response bodies.
    Bodies,
    /// Pictures of the screen.
    Frames,
    /// Network events, page facts and requests of HARs.
    Events,
    /// What servers told of their work.
    Spans,
    /// What profilers of servers counted.
    Profiles,
    /// What was computed.
    Results,
}

/// What recordings of more than some days take.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct RoomOfOlder {
    /// Recorded more than so many days ago.
    pub days: u32,
    /// How many there are.
    #[ts(type = "number")]
    pub recordings: u64,
    /// What all of it takes.
    #[ts(type = "number")]
    pub bytes: u64,
    /// What traces and bodies take, which may go while the figures stay. Bodies that newer recordings use as
    /// well are not counted.
    #[ts(type = "number")]
    pub droppable_bytes: u64,
}

/// What the data takes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Room {
    /// Where it lies.
    pub directory: String,
    /// The data file with its log.
    #[ts(type = "number")]
    pub file_bytes: u64,
    /// Free within the file: it will be used again.
    #[ts(type = "number")]
    pub unused_bytes: u64,
    /// Free on the disk; `null` where the system does not tell.
    #[ts(type = "number | null")]
    pub disk_free_bytes: Option<u64>,
    /// By kind, largest first.
    pub by_kind: Vec<RoomOf>,
    /// Of several ages.
    pub older: Vec<RoomOfOlder>,
    /// Deleted recordings that can still be brought back.
    #[ts(type = "number")]
    pub deleted_recordings: u64,
    /// What they take.
    #[ts(type = "number")]
    pub deleted_bytes: u64,
}

/// What is done with recordings of more than some days.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Thinning {
    /// All of each goes, for good.
    Delete,
    /// Traces and bodies go; figures, events, pictures and results stay.
    DropRaw,
}

/// What each recording takes besides bodies, and how much of it is traces.
const EACH: &str = "
    select r.recorded_at, r.deleted_at is not null,
        coalesce((select sum(length(p.bytes)) from load_parts p join load_rows l on l.id = p.load where l.recording = r.id), 0)
      + coalesce((select sum(length(f.picture)) from frame_rows f join load_rows l on l.id = f.load where l.recording = r.id), 0)
      + coalesce((select sum(length(b.bytes)) from span_batches b join load_rows l on l.id = b.load where l.recording = r.id), 0)
      + coalesce((select sum(length(p.bytes)) from recording_parts p where p.recording = r.id), 0),
        coalesce((select sum(length(p.bytes)) from load_parts p join load_rows l on l.id = p.load where l.recording = r.id and p.part = 'trace'), 0)
    from recordings r";

/// What each body takes, and when the newest recording that has it was made: one that can be brought back
/// has it for good.
const BODIES: &str = "
    select max(case when r.deleted_at is null then r.recorded_at else '9999' end), length(b.bytes)
    from body_rows b join body_uses u on u.hash = b.hash join recordings r on r.id = u.recording group by b.id";

/// A recording, as room sees it.
struct Taken {
    recorded_at: String,
    deleted: bool,
    bytes: u64,
    traces: u64,
}

impl Store {
    /// What the data takes, by kind and by age.
    pub fn room(&self) -> Result<Room, StoreError> {
        let db = self.read()?;
        let pages = |pragma: &str| db.pragma_query_value(None, pragma, |r| count(r, 0));
        let unused_bytes = pages("freelist_count")? * pages("page_size")?;
        let of = |what, sql: &str| -> Result<RoomOf, StoreError> {
            Ok(db.query_row(sql, [], |r| Ok(RoomOf { what, count: count(r, 0)?, bytes: count(r, 1)? }))?)
        };
        let parts = |names: &str| {
            format!("select count(*), coalesce(sum(length(bytes)), 0) from load_parts where part in ({names})")
        };
        let mut by_kind = vec![
            of(Kept::Traces, &parts("'trace'"))?,
            of(Kept::Bodies, "select count(*), coalesce(sum(length(bytes)), 0) from body_rows")?,
            of(Kept::Frames, "select count(*), coalesce(sum(length(picture)), 0) from frame_rows")?,
            of(Kept::Events, &parts("'network', 'kept-bodies', 'requests', 'page'"))?,
            of(Kept::Spans, "select count(*), coalesce(sum(length(bytes)), 0) from span_batches")?,
            of(Kept::Profiles, "select count(*), coalesce(sum(length(bytes)), 0) from server_profiles")?,
            of(Kept::Results, &parts("'load', 'overview', 'request-rows', 'thread', 'server', 'tracks'"))?,
        ];
        by_kind.sort_by_key(|kind| std::cmp::Reverse(kind.bytes));
        let taken: Vec<Taken> = db
            .prepare_cached(EACH)?
            .query_map([], |r| {
                Ok(Taken { recorded_at: r.get(0)?, deleted: r.get(1)?, bytes: count(r, 2)?, traces: count(r, 3)? })
            })?
            .collect::<Result<_, _>>()?;
        let bodies: Vec<(String, u64)> =
            db.prepare_cached(BODIES)?.query_map([], |r| Ok((r.get(0)?, count(r, 1)?)))?.collect::<Result<_, _>>()?;
        let older = [0, 7, 30, 90, 365].into_iter().map(|days| older(days, &taken, &bodies)).collect();
        let deleted = || taken.iter().filter(|t| t.deleted);
        Ok(Room {
            directory: self.directory().display().to_string(),
            file_bytes: self.files().iter().filter_map(|f| f.metadata().ok()).map(|m| m.len()).sum(),
            unused_bytes,
            disk_free_bytes: self.disk_free(),
            by_kind,
            older,
            deleted_recordings: deleted().count() as u64,
            deleted_bytes: deleted().map(|t| t.bytes).sum(),
        })
    }

    /// Makes room among recordings of more than `days` days, one after the other; gives how many there were.
    pub fn thin(&self, days: u32, how: Thinning) -> Result<usize, StoreError> {
        let only = if how == Thinning::DropRaw { " and thinned_at is null" } else { "" };
        // What is being recorded is not old, whatever its date.
        let which = format!("deleted_at is null and ended <> 'recording' and recorded_at < ?1{only}");
        let ids = self.ids(&which, &days_ago(days))?;
        for id in &ids {
            self.with_reserve(|db| match how {
                Thinning::Delete => remove(db, *id),
                Thinning::DropRaw => drop_raw(db, *id),
            })?;
        }
        self.give_back()?;
        Ok(ids.len())
    }

    /// Removes for good what was deleted before a moment (RFC 3339); gives how many recordings that were.
    pub fn purge(&self, deleted_before: &str) -> Result<usize, StoreError> {
        let ids = self.ids("deleted_at <= ?1", deleted_before)?;
        for id in &ids {
            self.with_reserve(|db| remove(db, *id))?;
        }
        if !ids.is_empty() {
            self.give_back()?;
        }
        Ok(ids.len())
    }

    fn ids(&self, which: &str, limit: &str) -> Result<Vec<i64>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare(&format!("select id from recordings where {which} order by recorded_at"))?;
        Ok(query.query_map([limit], |r| r.get(0))?.collect::<Result<_, _>>()?)
    }

    /// Makes a change that gives room; where the disk is too full for it, with the reserve.
    pub(crate) fn with_reserve<T>(
        &self,
        change: impl Fn(&Connection) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        let attempt = || {
            let mut db = self.write();
            let transaction = db.transaction()?;
            let made = change(&transaction)?;
            transaction.commit()?;
            Ok(made)
        };
        match attempt() {
            Err(StoreError::Sqlite(error)) if is_full(&error) => {
                // What the log holds already may go into the file's own free pages.
                let _ = std::fs::remove_file(self.reserve());
                let _ = self.write().query_row("pragma wal_checkpoint(truncate)", [], |_| Ok(()));
                attempt()
            }
            made => made,
        }
    }

    /// Refuses what the disk has no room for. It is written twice, to the log and to the data file, and there
    /// is room to be left for deleting something.
    pub(crate) fn check_room(&self, bytes: usize) -> Result<(), StoreError> {
        let needed = 2 * bytes as u64 + RESERVE;
        match self.disk_free() {
            Some(free) if free < needed => {
                Err(StoreError::NoRoom { needed: Bytes(needed).text(), free: Bytes(free).text() })
            }
            _ => Ok(()),
        }
    }

    /// Gives the file's unused pages back to the disk, a few at a time.
    pub fn give_back(&self) -> Result<(), StoreError> {
        loop {
            let left: u64 = {
                let db = self.write();
                let before: u64 = db.pragma_query_value(None, "freelist_count", |r| count(r, 0))?;
                let step = db
                    .execute_batch(&format!("pragma incremental_vacuum({PAGES})"))
                    .and_then(|()| db.query_row("pragma wal_checkpoint(truncate)", [], |_| Ok(())));
                match step {
                    // What is left is used again for what comes.
                    Err(error) if error.sqlite_error_code() == Some(ErrorCode::DiskFull) => break,
                    done => done?,
                }
                let after: u64 = db.pragma_query_value(None, "freelist_count", |r| count(r, 0))?;
                // A file that cannot give anything back keeps its pages for what comes.
                if after >= before { 0 } else { after }
            };
            if left == 0 {
                break;
            }
        }
        self.keep_reserve();
        Ok(())
    }

    /// Has the reserve lie there, where there is room for it and to spare.
    pub(crate) fn keep_reserve(&self) {
        let reserve = self.reserve();
        let is_there = reserve.metadata().is_ok_and(|m| m.len() == RESERVE);
        if is_there || self.disk_free().is_none_or(|free| free < 4 * RESERVE) {
            return;
        }
        // Really taken, not only long: a file of holes takes no room.
        let taken = File::create(&reserve)
            .is_ok_and(|file| rustix::fs::fallocate(&file, rustix::fs::FallocateFlags::empty(), 0, RESERVE).is_ok());
        if !taken {
            let _ = std::fs::remove_file(&reserve);
        }
    }

    fn reserve(&self) -> PathBuf {
        self.directory().join("phainon.reserve")
    }

    fn files(&self) -> Vec<PathBuf> {
        ["phainon.sqlite", "phainon.sqlite-wal"].map(|name| self.directory().join(name)).into()
    }

    fn disk_free(&self) -> Option<u64> {
        let disk = rustix::fs::statvfs(self.directory()).ok()?;
        Some(disk.f_bavail * disk.f_frsize)
    }
}

fn older(days: u32, taken: &[Taken], bodies: &[(String, u64)]) -> RoomOfOlder {
    let limit = days_ago(days);
    let of_it = || taken.iter().filter(|t| !t.deleted && t.recorded_at < limit);
    let bodies: u64 = bodies.iter().filter(|(newest, _)| *newest < limit).map(|(_, bytes)| bytes).sum();
    RoomOfOlder {
        days,
        recordings: of_it().count() as u64,
        bytes: of_it().map(|t| t.bytes).sum::<u64>() + bodies,
        droppable_bytes: of_it().map(|t| t.traces).sum::<u64>() + bodies,
    }
}

/// Has a data file give unused pages back: a new one from its beginning, one of an earlier version where
/// that is quickly done. Larger ones go on as they are; their unused pages are used again.
pub(crate) fn make_shrinkable(db: &Connection) -> Result<(), StoreError> {
    let mode: u64 = db.pragma_query_value(None, "auto_vacuum", |r| count(r, 0))?;
    let pages: u64 = db.pragma_query_value(None, "page_count", |r| count(r, 0))?;
    let size: u64 = pages * db.pragma_query_value(None, "page_size", |r| count(r, 0))?;
    if mode != 0 || size > QUICK {
        return Ok(());
    }
    db.pragma_update(None, "auto_vacuum", "incremental")?;
    if pages > 0 {
        // Without room for it everything stays as it is.
        let _ = db.execute_batch("vacuum");
    }
    Ok(())
}

/// A count or a size, which is never under nothing.
fn count(row: &Row<'_>, place: usize) -> rusqlite::Result<u64> {
    row.get::<_, i64>(place).map(i64::unsigned_abs)
}

fn is_full(error: &rusqlite::Error) -> bool {
    let full = [ErrorCode::DiskFull, ErrorCode::SystemIoFailure, ErrorCode::CannotOpen];
    matches!(error, rusqlite::Error::SqliteFailure(e, _) if full.contains(&e.code))
}

fn days_ago(days: u32) -> String {
    (chrono::Utc::now() - chrono::Duration::days(days.into())).to_rfc3339_opts(chrono::SecondsFormat::Secs, true)
}

fn remove(db: &Connection, id: i64) -> Result<(), StoreError> {
    let bodies = bodies_of(db, id)?;
    db.execute("delete from recordings where id = ?1", [id])?;
    drop_unused(db, &bodies)
}

fn drop_raw(db: &Connection, id: i64) -> Result<(), StoreError> {
    let bodies = bodies_of(db, id)?;
    db.execute(
        "delete from load_parts where part = 'trace' and load in (select id from load_rows where recording = ?1)",
        [id],
    )?;
    db.execute("delete from body_uses where recording = ?1", [id])?;
    db.execute("update recordings set thinned_at = ?2 where id = ?1", params![id, days_ago(0)])?;
    drop_unused(db, &bodies)
}

fn bodies_of(db: &Connection, id: i64) -> Result<Vec<String>, StoreError> {
    let mut query = db.prepare_cached("select hash from body_uses where recording = ?1 or recording in (select id from recordings where trial_of = ?1)")?;
    Ok(query.query_map([id], |r| r.get(0))?.collect::<Result<_, _>>()?)
}

/// Bodies go with their last user.
fn drop_unused(db: &Connection, hashes: &[String]) -> Result<(), StoreError> {
    let mut delete = db.prepare_cached(
        "delete from body_rows where hash = ?1 and not exists (select 1 from body_uses u where u.hash = ?1)",
    )?;
    for hash in hashes {
        delete.execute([hash])?;
    }
    Ok(())
}
