//! A site's plan: its fixes, their order and their state.

use crate::pack::{from_json, json, of_word, word};
use crate::{Store, StoreError, now};
use phainon_core::plan::{OwnerNote, points, shaped};
use phainon_core::words::SaidEdit;
use phainon_core::{Edit, Millis, Owner, Risk};
use rusqlite::{Connection, OptionalExtension, Row, params};
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
    /// What the user says of it.
    #[serde(default)]
    #[ts(optional = nullable)]
    pub about: Option<AboutFix>,
}

/// What the user says of a fix, rather than what its kind usually is.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, TS)]
#[serde(default)]
#[ts(export_to = "types.ts")]
pub struct AboutFix {
    /// Points of effort; `None` is what this kind of fix usually takes.
    pub effort: Option<f64>,
    /// What can go wrong; `None` is what usually can.
    pub risk: Option<Risk>,
    /// Who does it.
    pub who: String,
    /// Anything else.
    pub note: String,
    /// When it was made on the site (RFC 3339), for those that are done.
    pub done_at: Option<String>,
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
    /// What the user says of it.
    pub about: AboutFix,
    /// Points of effort: the user's, else what its kind and its owner make of it.
    pub effort: f64,
    /// What can go wrong, likewise.
    pub risk: Risk,
    /// Why effort or risk are not what its kind usually takes.
    pub because: Vec<String>,
}

/// A page under one set of conditions, as a plan counts it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct PlanPageChoice {
    /// What it is called.
    pub page: String,
    /// Its conditions' name; empty where they are not known.
    pub conditions: String,
    /// Its share of the site's visits, on any scale; `None` is as much as any other.
    pub share: Option<f64>,
    /// Whether the plan leaves it out.
    pub left_out: bool,
    /// The recording that stands for it; `None` is the newest.
    #[ts(type = "number | null")]
    pub recording: Option<i64>,
}

/// What is known of an owner of a site.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
pub struct NotedOwner {
    /// Whom it is about.
    pub owner: Owner,
    /// What is known.
    pub note: OwnerNote,
}

/// A site's plan.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Plan {
    /// The site's registrable domain.
    pub site: String,
    /// Whether the order is the user's own; else it is by milliseconds on the path.
    pub own_order: bool,
    /// In order: those to be made, those that are, those set aside.
    pub fixes: Vec<PlannedFix>,
}

const COLUMNS: &str = "id, edit, owner_kind, owner_name, state, reason, on_path_ms, finding_key, finding_title, recording, load_number, added_at, effort, risk, who, note, done_at";

fn fix_row(r: &Row<'_>) -> rusqlite::Result<(FixRowParts, String)> {
    let texts = [r.get(1)?, r.get(2)?, r.get(3)?, r.get(4)?, r.get(7)?, r.get(8)?];
    let about = (r.get(12)?, r.get(13)?, r.get(14)?, r.get(15)?, r.get(16)?);
    Ok(((r.get(0)?, texts, r.get(5)?, r.get(6)?, r.get(9)?, r.get(10)?, about), r.get(11)?))
}

/// Effort, risk, who, note, when it was done.
type AboutParts = (Option<f64>, Option<String>, String, String, Option<String>);
type FixRowParts = (i64, [String; 6], Option<String>, f64, Option<i64>, Option<u32>, AboutParts);

fn planned((row, added_at): (FixRowParts, String), notes: &[NotedOwner]) -> Result<PlannedFix, StoreError> {
    let (id, texts, reason, on_path, recording, load, (effort, risk, who, note, done_at)) = row;
    let [edit, owner_kind, owner_name, state, finding_key, finding_title] = texts;
    let edit: Edit = from_json(&edit)?;
    let owner = Owner { kind: of_word(&owner_kind)?, name: owner_name };
    let known = notes.iter().find(|n| n.owner == owner).map(|n| &n.note);
    let usual = shaped(&edit, &owner, known);
    let risk = risk.map(|r| of_word(&r)).transpose()?;
    let about = AboutFix { effort, risk, who, note, done_at };
    Ok(PlannedFix {
        id,
        fix: SaidEdit::of(&edit),
        effort: about.effort.unwrap_or_else(|| points(usual.effort)),
        risk: about.risk.unwrap_or(usual.risk),
        because: usual.because,
        about,
        owner,
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
        let text = format!(
            "select {COLUMNS} from fixes where site = ?1 order by state = 'set_aside', state = 'done', {order}"
        );
        let mut query = db.prepare_cached(&text)?;
        let rows: Vec<_> = query.query_map([site], fix_row)?.collect::<Result<_, _>>()?;
        let notes = notes_of(&db, site)?;
        let fixes = rows.into_iter().map(|row| planned(row, &notes)).collect::<Result<_, _>>()?;
        Ok(Plan { site: site.to_owned(), own_order, fixes })
    }

    /// Puts a fix into a site's plan. The same fix again renews what it was found from.
    pub fn add_fix(&self, site: &str, new: &NewFix) -> Result<i64, StoreError> {
        let state = new.state.unwrap_or(FixState::Open);
        let about = new.about.clone().unwrap_or_default();
        let mut db = self.write();
        let change = db.transaction()?;
        change.execute("insert or ignore into plans (site) values (?1)", [site])?;
        let id = change.query_row(
            "insert into fixes (site, edit_key, edit, owner_kind, owner_name, state, reason, on_path_ms, finding_key, finding_title, recording, load_number, added_at, effort, risk, who, note, done_at, place)
             values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16, ?17, ?18, (select coalesce(max(place), 0) + 1 from fixes where site = ?1))
             on conflict (site, edit_key) do update set edit = excluded.edit, on_path_ms = excluded.on_path_ms, finding_key = excluded.finding_key,
                finding_title = excluded.finding_title, recording = excluded.recording, load_number = excluded.load_number
             returning id",
            params![
                site, new.edit.key(), json(&new.edit)?, word(new.owner.kind)?, new.owner.name, word(state)?, new.reason,
                new.on_path_ms.0, new.finding_key, new.finding_title, new.recording, new.load, now(),
                about.effort, about.risk.map(word).transpose()?, about.who, about.note, about.done_at,
            ],
            |r| r.get(0),
        )?;
        change.commit()?;
        Ok(id)
    }

    /// Sets what has become of a fix; a reason is kept only for one set aside.
    pub fn set_fix_state(&self, site: &str, id: i64, state: FixState, reason: Option<&str>) -> Result<(), StoreError> {
        let reason = reason.filter(|_| state == FixState::SetAside);
        let done = (state == FixState::Done).then(now);
        let changed = self.write().execute(
            "update fixes set state = ?3, reason = ?4,
                done_at = case when ?5 is null then null else coalesce(done_at, ?5) end where site = ?1 and id = ?2",
            params![site, id, word(state)?, reason, done],
        )?;
        if changed == 0 { Err(StoreError::NotFound("fix", id.to_string())) } else { Ok(()) }
    }

    /// Keeps what the user says of a fix.
    pub fn set_about_fix(&self, site: &str, id: i64, about: &AboutFix) -> Result<(), StoreError> {
        let changed = self.write().execute(
            "update fixes set effort = ?3, risk = ?4, who = ?5, note = ?6, done_at = ?7 where site = ?1 and id = ?2",
            params![site, id, about.effort, about.risk.map(word).transpose()?, about.who, about.note, about.done_at],
        )?;
        if changed == 0 { Err(StoreError::NotFound("fix", id.to_string())) } else { Ok(()) }
    }

    /// What is known of a site's owners.
    pub fn owner_notes(&self, site: &str) -> Result<Vec<NotedOwner>, StoreError> {
        notes_of(&*self.read()?, site)
    }

    /// The sites of which owners something is noted.
    pub fn sites_with_notes(&self) -> Result<Vec<String>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached("select distinct site from owner_notes")?;
        let rows = query.query_map([], |r| r.get(0))?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Notes what is known of an owner; nothing takes the note away.
    pub fn note_owner(&self, site: &str, noted: &NotedOwner) -> Result<(), StoreError> {
        let (kind, name) = (word(noted.owner.kind)?, &noted.owner.name);
        let db = self.write();
        if noted.note == OwnerNote::default() {
            db.execute(
                "delete from owner_notes where site = ?1 and kind = ?2 and name = ?3",
                params![site, kind, name],
            )?;
        } else {
            db.execute(
                "insert or replace into owner_notes (site, kind, name, note) values (?1, ?2, ?3, ?4)",
                params![site, kind, name, json(&noted.note)?],
            )?;
        }
        Ok(())
    }

    /// How a site's plan counts its pages, as far as the user has said.
    pub fn plan_pages(&self, site: &str) -> Result<Vec<PlanPageChoice>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(
            "select page, conditions, share, left_out, recording from plan_pages where site = ?1 order by page, conditions",
        )?;
        let row = |r: &Row<'_>| {
            let (page, conditions, share) = (r.get(0)?, r.get(1)?, r.get(2)?);
            Ok(PlanPageChoice { page, conditions, share, left_out: r.get(3)?, recording: r.get(4)? })
        };
        Ok(query.query_map([site], row)?.collect::<Result<_, _>>()?)
    }

    /// Says how a site's plan counts a page.
    pub fn set_plan_page(&self, site: &str, choice: &PlanPageChoice) -> Result<(), StoreError> {
        let PlanPageChoice { page, conditions, share, left_out, recording } = choice;
        self.write().execute(
            "insert or replace into plan_pages (site, page, conditions, share, left_out, recording) values (?1, ?2, ?3, ?4, ?5, ?6)",
            params![site, page, conditions, share, left_out, recording],
        )?;
        Ok(())
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

fn notes_of(db: &Connection, site: &str) -> Result<Vec<NotedOwner>, StoreError> {
    let mut query =
        db.prepare_cached("select kind, name, note from owner_notes where site = ?1 order by kind, name")?;
    let rows = query.query_map([site], |r| Ok((r.get::<_, String>(0)?, r.get(1)?, r.get::<_, String>(2)?)))?;
    rows.map(|row| {
        let (kind, name, note) = row?;
        Ok(NotedOwner { owner: Owner { kind: of_word(&kind)?, name }, note: from_json(&note)? })
    })
    .collect()
}
