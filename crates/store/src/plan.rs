//! A site's plan: its fixes, their order and their state.

use crate::pack::{from_json, json, of_word, word};
use crate::{Store, StoreError, now};
use phainon_core::words::SaidEdit;
use phainon_core::{Edit, Millis, Owner};
use rusqlite::{OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What has become of a fix.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum FixState {
    Open,
    Doing,
    Done,
    SetAside,
}

/// A fix to be put into a plan, with the finding that called for it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct NewFix {
    pub edit: Edit,
    pub owner: Owner,
    /// Milliseconds of the path that the finding is about.
    pub on_path_ms: Millis,
    pub finding_key: String,
    pub finding_title: String,
    #[ts(type = "number | null")]
    pub recording: Option<i64>,
    pub load: Option<u32>,
    /// To put a removed fix back as it was.
    #[serde(default)]
    #[ts(optional = nullable)]
    pub state: Option<FixState>,
    #[serde(default)]
    #[ts(optional = nullable)]
    pub reason: Option<String>,
}

/// A fix in a plan.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct PlannedFix {
    #[ts(type = "number")]
    pub id: i64,
    /// What it does, in words.
    pub fix: SaidEdit,
    pub owner: Owner,
    pub state: FixState,
    /// Why it was set aside.
    pub reason: Option<String>,
    pub on_path_ms: Millis,
    pub finding_key: String,
    pub finding_title: String,
    #[ts(type = "number | null")]
    pub recording: Option<i64>,
    pub load: Option<u32>,
    pub added_at: String,
}

/// A site's plan.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Plan {
    /// The site's registrable domain.
    pub site: String,
    /// Whether the order is the user's own; else it is by milliseconds on the path.
    pub own_order: bool,
    /// In order; those set aside come last.
    pub fixes: Vec<PlannedFix>,
}

const COLUMNS: &str = "id, edit, owner_kind, owner_name, state, reason, on_path_ms, finding_key, finding_title, recording, load_number, added_at";

fn fix_row(r: &Row<'_>) -> rusqlite::Result<(FixRowParts, String)> {
    let texts = [r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?, r.get(7)?, r.get(8)?];
    Ok(((r.get(0)?, texts, r.get(5)?, r.get(6)?, r.get(9)?, r.get(10)?), r.get(11)?))
}

type FixRowParts = (i64, [String; 6], Option<String>, f64, Option<i64>, Option<u32>);

fn planned((row, added_at): (FixRowParts, String)) -> Result<PlannedFix, StoreError> {
    let (id, [edit, owner_kind, owner_name, state, finding_key, finding_title], reason, on_path, recording, load) = row;
    Ok(PlannedFix {
        id,
        fix: SaidEdit::of(&from_json(&edit)?),
        owner: Owner { kind: of_word(&owner_kind)?, name: owner_name },
        state: of_word(&state)?,
        reason,
        on_path_ms: Millis(on_path),
        finding_key,
        finding_title,
        recording,
        load,
        added_at,
    })
}

impl Store {
    /// A site's plan, in order.
    pub fn plan(&self, site: &str) -> Result<Plan, StoreError> {
        let db = self.read()?;
        let own_order: bool = db
            .query_row("select own_order from plans where site = ?1", [site], |r| r.get(0))
            .optional()?
            .unwrap_or(false);
        let order = if own_order { "coalesce(place, 1000000), on_path_ms desc, id" } else { "on_path_ms desc, id" };
        let text = format!("select {COLUMNS} from fixes where site = ?1 order by state = 'set_aside', {order}");
        let mut query = db.prepare_cached(&text)?;
        let rows: Vec<_> = query.query_map([site], fix_row)?.collect::<Result<_, _>>()?;
        let fixes = rows.into_iter().map(planned).collect::<Result<_, _>>()?;
        Ok(Plan { site: site.to_owned(), own_order, fixes })
    }

    /// Puts a fix into a site's plan. The same fix again renews what it was found from.
    pub fn add_fix(&self, site: &str, new: &NewFix) -> Result<i64, StoreError> {
        let state = new.state.unwrap_or(FixState::Open);
        let mut db = self.write();
        let change = db.transaction()?;
        change.execute("insert or ignore into plans (site) values (?1)", [site])?;
        let id = change.query_row(
            "insert into fixes (site, edit_key, edit, owner_kind, owner_name, state, reason, on_path_ms, finding_key, finding_title, recording, load_number, added_at, place)
             values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, (select coalesce(max(place), 0) + 1 from fixes where site = ?1))
             on conflict (site, edit_key) do update set edit = excluded.edit, on_path_ms = excluded.on_path_ms, finding_key = excluded.finding_key,
                finding_title = excluded.finding_title, recording = excluded.recording, load_number = excluded.load_number
             returning id",
            params![
                site, new.edit.key(), json(&new.edit)?, word(new.owner.kind)?, new.owner.name, word(state)?, new.reason,
                new.on_path_ms.0, new.finding_key, new.finding_title, new.recording, new.load, now(),
            ],
            |r| r.get(0),
        )?;
        change.commit()?;
        Ok(id)
    }

    /// Sets what has become of a fix; a reason is kept only for one set aside.
    pub fn set_fix_state(&self, site: &str, id: i64, state: FixState, reason: Option<&str>) -> Result<(), StoreError> {
        let reason = reason.filter(|_| state == FixState::SetAside);
        let changed = self.write().execute(
            "update fixes set state = ?3, reason = ?4 where site = ?1 and id = ?2",
            params![site, id, word(state)?, reason],
        )?;
        if changed == 0 { Err(StoreError::NotFound("fix", id.to_string())) } else { Ok(()) }
    }

    /// Takes a fix out of a plan.
    pub fn remove_fix(&self, site: &str, id: i64) -> Result<(), StoreError> {
        let changed = self.write().execute("delete from fixes where site = ?1 and id = ?2", params![site, id])?;
        if changed == 0 { Err(StoreError::NotFound("fix", id.to_string())) } else { Ok(()) }
    }

    /// Sets the user's own order, or with `None` goes back to that by milliseconds on the path.
    pub fn order_plan(&self, site: &str, ids: Option<&[i64]>) -> Result<(), StoreError> {
        let mut db = self.write();
        let change = db.transaction()?;
        change.execute(
            "insert into plans (site, own_order) values (?1, ?2) on conflict (site) do update set own_order = excluded.own_order",
            params![site, ids.is_some()],
        )?;
        for (place, id) in (1i64..).zip(ids.unwrap_or_default()) {
            change.execute("update fixes set place = ?3 where site = ?1 and id = ?2", params![site, id, place])?;
        }
        change.commit()?;
        Ok(())
    }
}
