//! Trials of loads: what was to be tried and what came of it. What the two are in detail is the
//! server's; here they are JSON.

use crate::pack::{of_word, word};
use crate::{Store, StoreError, now};
use rusqlite::{OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What has become of a trial.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum TrialState {
    /// Its loads are being made, or wait for their turn.
    Running,
    /// It has a result.
    Done,
    /// It has none, and says why.
    Failed,
    /// The user ended it.
    Cancelled,
}

/// A trial as it is kept.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct StoredTrial {
    pub id: i64,
    pub recording: i64,
    /// Which load of it.
    pub load: u32,
    /// JSON.
    pub wanted: String,
    pub state: TrialState,
    pub error: Option<String>,
    /// JSON.
    pub result: Option<String>,
    /// The recording of the replay without edits.
    pub replay: Option<i64>,
    /// The recording with them.
    pub tried: Option<i64>,
    /// RFC 3339.
    pub made_at: String,
}

const COLUMNS: &str = "id, recording, load_number, wanted, state, error, result, replay, tried, made_at";

fn row(r: &Row<'_>) -> rusqlite::Result<(StoredTrial, String)> {
    let state: String = r.get(4)?;
    let trial = StoredTrial {
        id: r.get(0)?,
        recording: r.get(1)?,
        load: r.get(2)?,
        wanted: r.get(3)?,
        state: TrialState::Running,
        error: r.get(5)?,
        result: r.get(6)?,
        replay: r.get(7)?,
        tried: r.get(8)?,
        made_at: r.get(9)?,
    };
    Ok((trial, state))
}

fn with_state((trial, state): (StoredTrial, String)) -> Result<StoredTrial, StoreError> {
    Ok(StoredTrial { state: of_word(&state)?, ..trial })
}

impl Store {
    /// Begins a trial of a load.
    pub fn begin_trial(&self, recording: i64, load: u32, wanted: &str) -> Result<i64, StoreError> {
        let db = self.write();
        db.execute(
            "insert into trials (recording, load_number, wanted, state, made_at) values (?1, ?2, ?3, 'running', ?4)",
            params![recording, load, wanted, now()],
        )?;
        Ok(db.last_insert_rowid())
    }

    /// Writes down what came of a trial.
    pub fn end_trial(&self, trial: &StoredTrial) -> Result<(), StoreError> {
        self.write().execute(
            "update trials set state = ?2, error = ?3, result = ?4, replay = ?5, tried = ?6 where id = ?1",
            params![trial.id, word(trial.state)?, trial.error, trial.result, trial.replay, trial.tried],
        )?;
        Ok(())
    }

    /// One trial.
    pub fn trial(&self, id: i64) -> Result<StoredTrial, StoreError> {
        let db = self.read()?;
        let text = format!(
            "select {COLUMNS} from trials where id = ?1 and recording in (select id from recordings where deleted_at is null)"
        );
        let found = db.prepare_cached(&text)?.query_row([id], row).optional()?;
        with_state(found.ok_or_else(|| StoreError::NotFound("trial", id.to_string()))?)
    }

    /// The trials of a recording, newest first.
    pub fn trials(&self, recording: i64) -> Result<Vec<StoredTrial>, StoreError> {
        let db = self.read()?;
        let text = format!("select {COLUMNS} from trials where recording = ?1 order by id desc");
        let rows: Vec<_> = db.prepare_cached(&text)?.query_map([recording], row)?.collect::<Result<_, _>>()?;
        rows.into_iter().map(with_state).collect()
    }

    /// The trials of a site's recordings that have a result, newest first; at most so many.
    pub fn trials_of_site(&self, site: &str, most: u32) -> Result<Vec<StoredTrial>, StoreError> {
        let db = self.read()?;
        let text = format!(
            "select {COLUMNS} from trials where state = 'done'
             and recording in (select id from recordings where site = ?1 and deleted_at is null) order by id desc limit ?2"
        );
        let rows: Vec<_> = db.prepare_cached(&text)?.query_map(params![site, most], row)?.collect::<Result<_, _>>()?;
        rows.into_iter().map(with_state).collect()
    }

    /// Forgets a trial, and takes the recording that it made out of sight; the replay without edits goes with
    /// the last trial that has it.
    pub fn remove_trial(&self, id: i64) -> Result<(), StoreError> {
        let trial = self.trial(id)?;
        self.with_reserve(|db| {
            db.execute("delete from trials where id = ?1", [id])?;
            Ok(db.execute(
                "update recordings set deleted_at = ?3
                 where id = ?1 or (id = ?2 and not exists (select 1 from trials where replay = ?2))",
                params![trial.tried, trial.replay, now()],
            )?)
        })?;
        Ok(())
    }

    /// The newest replay without edits of a load that has at least so many first visits, each with a return
    /// visit where that is asked for.
    pub fn replay_of(&self, recording: i64, load: u32, loads: u32, returns: bool) -> Result<Option<i64>, StoreError> {
        let db = self.read()?;
        let found = db
            .prepare_cached(
                "select t.replay from trials t join recordings r on r.id = t.replay
                 where t.recording = ?1 and t.load_number = ?2 and t.state = 'done' and r.deleted_at is null
                   and r.thinned_at is null and r.ended = 'done'
                   and (select count(*) from load_rows l
                        where l.recording = r.id and l.failed is null and l.visit = 'first') >= ?3
                   and (?4 = 0 or (select count(*) from load_rows l
                        where l.recording = r.id and l.failed is null and l.visit = 'return') >= ?3)
                 order by t.id desc limit 1",
            )?
            .query_row(params![recording, load, loads, returns], |r| r.get(0))
            .optional()?;
        Ok(found)
    }

    /// Trials that an earlier run of the program left unfinished; gives how many there were.
    pub fn break_off_trials(&self) -> Result<usize, StoreError> {
        Ok(self.write().execute(
            "update trials set state = 'failed', error = 'The program ended before this trial was over.' where state = 'running'",
            [],
        )?)
    }
}
