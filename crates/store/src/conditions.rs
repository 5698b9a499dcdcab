//! Conditions of the user's own, saved by name.

use crate::pack::{from_json, json};
use crate::{Store, StoreError};
use phainon_core::Conditions;
use rusqlite::params;

impl Store {
    /// All of them, by name.
    pub fn own_conditions(&self) -> Result<Vec<Conditions>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached("select conditions from own_conditions order by name")?;
        let rows: Vec<String> = query.query_map([], |r| r.get(0))?.collect::<Result<_, _>>()?;
        rows.iter().map(|text| from_json(text)).collect()
    }

    /// Saves conditions under their name, in place of what had it.
    pub fn save_conditions(&self, conditions: &Conditions) -> Result<(), StoreError> {
        self.write().execute(
            "insert into own_conditions (name, conditions) values (?1, ?2) on conflict (name) do update set conditions = excluded.conditions",
            params![conditions.name, json(conditions)?],
        )?;
        Ok(())
    }

    /// Forgets saved conditions. Recordings made under them keep theirs.
    pub fn remove_conditions(&self, name: &str) -> Result<(), StoreError> {
        match self.write().execute("delete from own_conditions where name = ?1", [name])? {
            0 => Err(StoreError::NotFound("saved conditions", name.to_owned())),
            _ => Ok(()),
        }
    }
}
