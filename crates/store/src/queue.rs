//! Recordings that wait in line: they are there again after a restart.

use crate::{Store, StoreError};
use rusqlite::params;

impl Store {
    /// Puts a request in line and gives its id. It must hold nothing that may not be stored.
    pub fn enqueue(&self, request: &str) -> Result<i64, StoreError> {
        let db = self.write();
        db.execute("insert into waiting_jobs (request) values (?1)", [request])?;
        Ok(db.last_insert_rowid())
    }

    /// Takes a request out of line, where it is there.
    pub fn dequeue(&self, id: i64) -> Result<(), StoreError> {
        self.write().execute("delete from waiting_jobs where id = ?1", params![id])?;
        Ok(())
    }

    /// What waits, first come first.
    pub fn waiting(&self) -> Result<Vec<(i64, String)>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached("select id, request from waiting_jobs order by id")?;
        Ok(query.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?.collect::<Result<_, _>>()?)
    }
}
