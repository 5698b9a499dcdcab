//! The store: recordings, their raw parts, bodies by content hash, and plans, in one SQLite file.
//!
//! [`Store`] is opened on a data directory. Every change is one transaction; the file is in WAL mode
//! with full synchronisation of each commit, so what was acknowledged is there after a crash. Raw
//! parts are the truth; analyses are kept beside them for speed and made again when
//! [`phainon_core::ANALYSIS_VERSION`] has risen.

mod plan;
mod recordings;
mod schema;

pub use plan::{FixState, NewFix, Plan, PlannedFix};
pub use recordings::{LoadHead, NewLoad, NewRecording, PackedBodies, PackedLoad, RecordingHead, StoredLoad};

use rusqlite::Connection;
use std::path::Path;
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
}

/// An open data file. One writer at a time: callers share it behind a lock, since SQLite would
/// serialise writers anyway and readers here take milliseconds.
pub struct Store {
    db: Connection,
}

impl Store {
    /// Opens (and if need be makes) `phainon.sqlite` in a directory.
    pub fn open(directory: &Path) -> Result<Self, StoreError> {
        std::fs::create_dir_all(directory)
            .map_err(|e| StoreError::Directory(format!("{}: {e}", directory.display())))?;
        Self::prepare(Connection::open(directory.join("phainon.sqlite"))?)
    }

    /// A store that lives in memory.
    pub fn in_memory() -> Result<Self, StoreError> {
        Self::prepare(Connection::open_in_memory()?)
    }

    fn prepare(mut db: Connection) -> Result<Self, StoreError> {
        db.busy_timeout(Duration::from_secs(10))?;
        db.pragma_update(None, "journal_mode", "wal")?;
        db.pragma_update(None, "synchronous", "full")?;
        db.pragma_update(None, "foreign_keys", "on")?;
        schema::migrations().to_latest(&mut db)?;
        Ok(Self { db })
    }
}

fn now() -> String {
    chrono::Utc::now().to_rfc3339_opts(chrono::SecondsFormat::Millis, true)
}

/// zstd where it makes the bytes fewer; the flag says whether it did.
fn pack(bytes: &[u8]) -> (Vec<u8>, bool) {
    match zstd::bulk::compress(bytes, 3) {
        Ok(packed) if packed.len() < bytes.len() => (packed, true),
        _ => (bytes.to_vec(), false),
    }
}

/// What [`pack`] was given.
pub(crate) fn unpack(bytes: Vec<u8>, packed: bool) -> Result<Vec<u8>, StoreError> {
    if !packed {
        return Ok(bytes);
    }
    zstd::stream::decode_all(&bytes[..]).map_err(|e| StoreError::Damaged(e.to_string()))
}
