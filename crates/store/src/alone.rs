//! One program at a time on a data directory: two would record at once and measure each other.

use crate::StoreError;
use std::fs::{File, TryLockError};
use std::path::Path;

/// Held by the one program that works on a data directory. The system lets go of it when the program ends,
/// however it ends.
#[must_use]
pub struct Alone {
    _lock: File,
}

impl Alone {
    /// Takes a directory, which is made if need be.
    ///
    /// # Errors
    /// Where another program has it, or it cannot be used.
    pub fn on(directory: &Path) -> Result<Self, StoreError> {
        let unusable = |e: &dyn std::fmt::Display| StoreError::Directory(format!("{}: {e}", directory.display()));
        std::fs::create_dir_all(directory).map_err(|e| unusable(&e))?;
        let options = File::options().create(true).truncate(false).write(true).clone();
        let lock = options.open(directory.join("phainon.lock")).map_err(|e| unusable(&e))?;
        match lock.try_lock() {
            Ok(()) => Ok(Self { _lock: lock }),
            Err(TryLockError::WouldBlock) => Err(StoreError::InUse(directory.display().to_string())),
            Err(TryLockError::Error(e)) => Err(unusable(&e)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_directory_has_one_program_and_then_the_next() {
        let directory = tempfile::tempdir().expect("a folder");
        let first = Alone::on(directory.path()).expect("free");
        let why = Alone::on(directory.path()).err().expect("taken").to_string();
        assert!(why.starts_with("Another Phainon is at work on "), "{why}");
        drop(first);
        assert!(Alone::on(directory.path()).is_ok());
        assert!(Alone::on(&directory.path().join("new/one")).is_ok());
    }
}
