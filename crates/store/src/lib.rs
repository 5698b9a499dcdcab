//! The store: recordings, their raw parts, bodies by content hash, and plans, in one SQLite file.
//!
//! [`Store`] is opened on a data directory and shared by reference: it has one connection that
//! writes, behind a lock, and a pool of those that read, which WAL lets go on beside it. Every change
//! is one transaction with full synchronisation, so what was acknowledged is there after a crash.
//! Packing, unpacking and analysing are done outside the lock ([`PackedLoad`], [`PackedPart`]).
//!
//! Raw parts are the truth. What is derived from them carries the versions of what made it and the
//! hash of the settings that went in; [`Store::stale`] tells which loads are to be read anew.

mod alone;
mod conditions;
mod loads;
mod pack;
mod packed;
mod part;
mod plan;
mod profiles;
mod queue;
mod recordings;
mod room;
mod schema;
mod site;
mod site_settings;
mod spans;
mod summary;
mod trials;

pub use alone::Alone;
pub use loads::{PackedPart, StoredLoad};
pub use packed::{Derived, NewLoad, PackedBodies, PackedLoad};
pub use part::Part;
pub use plan::{AboutFix, FixState, NewFix, NotedOwner, Plan, PlanPageChoice, PlannedFix};
pub use profiles::{LoadOf, NewProfile, PackedProfile, ProfileHead};
pub use recordings::{Ended, LoadHead, NewRecording, Page, RecordingHead, Recordings, WholeRecording};
pub use room::{Kept, Room, RoomOf, RoomOfOlder, Thinning};
pub use site::OwnerCost;
pub use spans::{PackedBatch, ServerRecord, SpanRoom};
pub use trials::{StoredTrial, TrialState};

use rusqlite::{Connection, OpenFlags};
use std::ops::{Deref, DerefMut};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// What can go wrong with the store.
#[derive(Debug, thiserror::Error)]
#[allow(missing_docs)]
pub enum StoreError {
    #[error("The data file could not be used: {0}.")]
    Sqlite(#[from] rusqlite::Error),
    #[error("The data file could not be brought up to date: {0}.")]
    Migration(#[from] rusqlite_migration::Error),
    #[error("There is no {0} {1}.")]
    NotFound(&'static str, String),
    #[error("Stored data could not be read: {0}.")]
    Damaged(String),
    #[error("The data directory could not be used: {0}.")]
    Directory(String),
    #[error(
        "The disk is full: {needed} are needed for this and {free} are free. Under Storage, recordings can be deleted or thinned."
    )]
    NoRoom { needed: String, free: String },
    #[error("Another Phainon is at work on {0}; one at a time. Name another directory with --data, or end the other.")]
    InUse(String),
}

/// So many connections that read are kept open; more are made where all are in use.
const READERS: usize = 4;

/// An open data file.
pub struct Store {
    file: PathBuf,
    writer: Mutex<Connection>,
    readers: Mutex<Vec<Connection>>,
    /// Of a store that lives as long as its value.
    _temporary: Option<tempfile::TempDir>,
}

/// A connection that reads, lent from the pool.
struct Reader<'a> {
    store: &'a Store,
    db: Option<Connection>,
}

impl Deref for Reader<'_> {
    type Target = Connection;
    fn deref(&self) -> &Connection {
        self.db.as_ref().unwrap_or_else(|| unreachable!("it is taken when it is dropped"))
    }
}

impl Drop for Reader<'_> {
    fn drop(&mut self) {
        let mut readers = self.store.readers.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(db) = self.db.take().filter(|_| readers.len() < READERS) {
            readers.push(db);
        }
    }
}

/// The connection that writes, lent to one at a time.
struct Writer<'a>(MutexGuard<'a, Connection>);

impl Deref for Writer<'_> {
    type Target = Connection;
    fn deref(&self) -> &Connection {
        &self.0
    }
}

impl DerefMut for Writer<'_> {
    fn deref_mut(&mut self) -> &mut Connection {
        &mut self.0
    }
}

impl Store {
    /// Opens (and if need be makes) `phainon.sqlite` in a directory.
    pub fn open(directory: &Path) -> Result<Self, StoreError> {
        std::fs::create_dir_all(directory)
            .map_err(|e| StoreError::Directory(format!("{}: {e}", directory.display())))?;
        let file = directory.join("phainon.sqlite");
        let mut db = Connection::open(&file)?;
        db.busy_timeout(Duration::from_secs(10))?;
        // Before the first page is written: later it takes writing all of them anew.
        room::make_shrinkable(&db)?;
        db.pragma_update(None, "journal_mode", "wal")?;
        db.pragma_update(None, "synchronous", "full")?;
        db.pragma_update(None, "foreign_keys", "on")?;
        schema::migrations().to_latest(&mut db)?;
        let store = Self { file, writer: Mutex::new(db), readers: Mutex::default(), _temporary: None };
        store.keep_reserve();
        Ok(store)
    }

    /// A store that is gone with its value.
    pub fn temporary() -> Result<Self, StoreError> {
        let directory = tempfile::tempdir().map_err(|e| StoreError::Directory(e.to_string()))?;
        let mut store = Self::open(directory.path())?;
        store._temporary = Some(directory);
        Ok(store)
    }

    /// Where its files are.
    #[must_use]
    pub fn directory(&self) -> &Path {
        self.file.parent().unwrap_or(Path::new("."))
    }

    fn read(&self) -> Result<Reader<'_>, StoreError> {
        let pooled = self.readers.lock().unwrap_or_else(PoisonError::into_inner).pop();
        let db = match pooled {
            Some(db) => db,
            None => {
                let db = Connection::open_with_flags(
                    &self.file,
                    OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX,
                )?;
                db.busy_timeout(Duration::from_secs(10))?;
                db
            }
        };
        Ok(Reader { store: self, db: Some(db) })
    }

    fn write(&self) -> Writer<'_> {
        Writer(self.writer.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

fn now() -> String {
    chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Millis, true)
}
