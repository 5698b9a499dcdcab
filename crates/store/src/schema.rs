//! The schema and how it came to be. A step that has been released is never changed.

use crate::pack::{Codec, packed_json, unpacked};
use rusqlite::{Transaction, params};
use rusqlite_migration::{HookResult, M, Migrations};
use serde_json::Value;

pub fn migrations() -> Migrations<'static> {
    Migrations::new(vec![
        M::up(
            "create table recordings (
            id integer primary key autoincrement,
            site text not null,
            page text not null,
            url text not null,
            source text not null,
            conditions text,
            browser text,
            machine text,
            recorded_at text not null,
            imported_from text,
            summary text,
            deleted_at text
        ) strict;
        create table loads (
            recording integer not null references recordings(id) on delete cascade,
            number integer not null,
            visit text not null,
            failed text,
            load blob,
            page blob,
            trace blob,
            analysis blob,
            analysis_version integer,
            primary key (recording, number)
        ) strict, without rowid;
        create table frames (
            recording integer not null,
            number integer not null,
            file text not null,
            at_ms real not null,
            picture blob not null,
            primary key (recording, number, file),
            foreign key (recording, number) references loads(recording, number) on delete cascade
        ) strict;
        create table bodies (
            hash text primary key,
            packed integer not null,
            bytes blob not null
        ) strict;
        create table recording_bodies (
            recording integer not null references recordings(id) on delete cascade,
            hash text not null references bodies(hash),
            primary key (recording, hash)
        ) strict, without rowid;
        create table plans (
            site text primary key,
            own_order integer not null default 0
        ) strict;
        create table fixes (
            id integer primary key autoincrement,
            site text not null,
            kind text not null,
            target text not null,
            title text not null,
            owner text not null,
            effort text not null,
            risk text not null,
            state text not null default 'open',
            reason text,
            place integer,
            on_path_ms real not null,
            finding_key text not null,
            finding_title text not null,
            recording integer,
            load_number integer,
            added_at text not null,
            unique (site, kind, target)
        ) strict;",
        ),
        // The main thread to be drawn, and what the load for used code told.
        M::up(
            "alter table loads add column tracks blob;
            alter table recordings add column detail blob;
            alter table recordings add column inline_only blob;",
        ),
        // A row a part, small columns apart from blobs; tables for what is asked over all recordings.
        M::up_with_hook(
            "create table load_rows (
            id integer primary key,
            recording integer not null references recordings(id) on delete cascade,
            number integer not null,
            visit text not null,
            failed text,
            has_data integer not null,
            assembly_version integer not null default 0,
            analysis_version integer not null default 0,
            settings text not null default '',
            lcp_ms real,
            unique (recording, number)
        ) strict;
        create table load_parts (
            id integer primary key,
            load integer not null references load_rows(id) on delete cascade,
            part text not null,
            codec text not null,
            bytes blob not null,
            unique (load, part)
        ) strict;
        create table recording_parts (
            id integer primary key,
            recording integer not null references recordings(id) on delete cascade,
            part text not null,
            codec text not null,
            bytes blob not null,
            unique (recording, part)
        ) strict;
        create table frame_rows (
            id integer primary key,
            load integer not null references load_rows(id) on delete cascade,
            place integer not null,
            file text not null,
            hash text not null,
            picture blob not null,
            unique (load, file)
        ) strict;
        create table body_rows (
            id integer primary key,
            hash text not null unique,
            codec text not null,
            bytes blob not null
        ) strict;
        create table body_uses (
            recording integer not null references recordings(id) on delete cascade,
            hash text not null,
            primary key (recording, hash)
        ) strict, without rowid;
        create index body_uses_by_hash on body_uses (hash);
        create table load_metrics (
            load integer not null references load_rows(id) on delete cascade,
            metric text not null,
            value real not null,
            primary key (load, metric)
        ) strict, without rowid;
        create table owner_costs (
            load integer not null references load_rows(id) on delete cascade,
            kind text not null,
            name text not null,
            requests integer not null,
            transferred_bytes integer not null,
            main_thread_ms real,
            server_ms real,
            path_ms real,
            primary key (load, kind, name)
        ) strict, without rowid;
        create table load_requests (
            load integer not null references load_rows(id) on delete cascade,
            resource text not null,
            kind text not null,
            owner_kind text not null,
            owner_name text not null,
            requests integer not null,
            transferred_bytes integer not null,
            primary key (load, resource)
        ) strict, without rowid;
        create table load_findings (
            load integer not null references load_rows(id) on delete cascade,
            key text not null,
            check_id text not null,
            edit text not null,
            on_path_ms real not null,
            primary key (load, key)
        ) strict, without rowid;
        create table imported (name text primary key) strict, without rowid;
        create table own_conditions (name text primary key, conditions text not null) strict, without rowid;
        create table waiting_jobs (id integer primary key autoincrement, request text not null) strict;
        alter table recordings add column wanted_loads integer;
        alter table recordings add column ended text not null default 'done';
        alter table recordings add column blocked text;
        create index recordings_by_date on recordings (deleted_at, recorded_at desc, id desc);",
            move_parts,
        ),
        // Why a load could not be read anew; `failed` is the load's own.
        M::up("alter table load_rows add column unread text;"),
        M::up("alter table recordings add column thinned_at text;"),
        // A trial of a load: what was to be tried, what came of it, and the two recordings that it made.
        M::up(
            "alter table recordings add column trial_of integer references recordings(id) on delete cascade;
             create index recordings_of_trials on recordings (trial_of) where trial_of is not null;
             create table trials (
                id integer primary key autoincrement,
                recording integer not null references recordings(id) on delete cascade,
                load_number integer not null,
                wanted text not null,
                state text not null,
                error text,
                result text,
                replay integer references recordings(id) on delete set null,
                tried integer references recordings(id) on delete set null,
                made_at text not null
             ) strict;
             create index trials_of_recordings on trials (recording);",
        ),
        // What a plan knows of its fixes, of the owners that they touch, and of the pages that it is for.
        M::up(
            "alter table fixes add column effort real;
             alter table fixes add column risk text;
             alter table fixes add column who text not null default '';
             alter table fixes add column note text not null default '';
             alter table fixes add column done_at text;
             create table owner_notes (
                site text not null,
                kind text not null,
                name text not null,
                note text not null,
                primary key (site, kind, name)
             ) strict, without rowid;
             create table plan_pages (
                site text not null,
                page text not null,
                conditions text not null,
                share real,
                left_out integer not null default 0,
                recording integer references recordings(id) on delete set null,
                primary key (site, page, conditions)
             ) strict, without rowid;",
        ),
        // Spans that servers sent, what sites set for themselves, and queries among an owner's costs.
        M::up(
            "create table span_batches (
                id integer primary key,
                trace text not null,
                load integer references load_rows(id) on delete cascade,
                received_at text not null,
                imported_from text,
                spans integer not null,
                codec text not null,
                bytes blob not null
             ) strict;
             create index span_batches_by_trace on span_batches (trace);
             create index span_batches_by_load on span_batches (load) where load is not null;
             alter table load_rows add column trace text;
             create index load_rows_by_trace on load_rows (trace) where trace is not null;
             create table site_settings (
                site text primary key,
                settings text not null,
                hash text not null
             ) strict, without rowid;
             alter table owner_costs add column queries integer;
             alter table owner_costs add column blocking_ms real;",
        ),
        // Profiles of servers.
        M::up(
            "create table server_profiles (
                id integer primary key autoincrement,
                site text not null,
                url text not null,
                load integer references load_rows(id) on delete set null,
                file text not null,
                written_at text,
                received_at text not null,
                creator text,
                codec text not null,
                bytes blob not null
             ) strict;
             create index server_profiles_by_page on server_profiles (site, url);
             create index server_profiles_by_load on server_profiles (load) where load is not null;",
        ),
    ])
}

/// Moves what earlier versions kept into the tables of today: loads and their parts, frames, bodies,
/// and the fixes of plans, which had a word and an address for what is an edit now.
fn move_parts(change: &Transaction<'_>) -> HookResult {
    let broken = |e: crate::StoreError| rusqlite_migration::HookError::Hook(e.to_string());
    let mut query = change
        .prepare("select recording, number, visit, failed, load, page, trace from loads order by recording, number")?;
    let mut rows = query.query([])?;
    while let Some(row) = rows.next()? {
        let (recording, number): (i64, i64) = (row.get(0)?, row.get(1)?);
        let load: Option<Vec<u8>> = row.get(4)?;
        change.execute(
            "insert into load_rows (recording, number, visit, failed, has_data) values (?1, ?2, ?3, ?4, ?5)",
            params![recording, number, row.get::<_, String>(2)?, row.get::<_, Option<String>>(3)?, load.is_some()],
        )?;
        let id = change.last_insert_rowid();
        let part = |name: &str, bytes: &[u8]| {
            change.execute(
                "insert into load_parts (load, part, codec, bytes) values (?1, ?2, 'zstd', ?3)",
                params![id, name, bytes],
            )
        };
        if let Some(page) = row.get::<_, Option<Vec<u8>>>(5)? {
            part("page", &page)?;
        }
        if let Some(trace) = row.get::<_, Option<Vec<u8>>>(6)? {
            part("trace", &trace)?;
        }
        // The assembled load held the only copy of its requests.
        if let Some(packed) = load {
            let text = unpacked(packed, Codec::Zstd).map_err(broken)?;
            let load: Value = serde_json::from_slice(&text).unwrap_or_default();
            let requests = serde_json::json!({"requests": load["requests"], "page": {
                "title": load["title"], "started_at": load["started_at"], "browser": load["browser"],
                "dom_content_loaded": load["dom_content_loaded"], "load_event": load["load_event"], "notes": [],
            }});
            part("requests", &packed_json(&requests).map_err(broken)?)?;
        }
        let mut frames = change.prepare_cached(
            "select file, picture from frames where recording = ?1 and number = ?2 order by at_ms, file",
        )?;
        let mut pictures = frames.query(params![recording, number])?;
        let mut place = 0;
        while let Some(frame) = pictures.next()? {
            let picture: Vec<u8> = frame.get(1)?;
            change.execute(
                "insert into frame_rows (load, place, file, hash, picture) values (?1, ?2, ?3, ?4, ?5)",
                params![id, place, frame.get::<_, String>(0)?, phainon_formats::body_hash(&picture), picture],
            )?;
            place += 1;
        }
    }
    drop(rows);
    drop(query);
    change.execute_batch(
        "insert into recording_parts (recording, part, codec, bytes)
            select id, 'detail', 'zstd', detail from recordings where detail is not null;
         insert into recording_parts (recording, part, codec, bytes)
            select id, 'inline-only', 'plain', inline_only from recordings where inline_only is not null;
         insert into body_rows (hash, codec, bytes) select hash, case packed when 0 then 'plain' else 'zstd' end, bytes from bodies;
         insert or ignore into body_uses (recording, hash) select recording, hash from recording_bodies;
         insert or ignore into imported (name) select imported_from from recordings where imported_from is not null;
         drop table frames; drop table loads; drop table recording_bodies; drop table bodies;
         alter table recordings drop column detail; alter table recordings drop column inline_only;
         alter table fixes rename to earlier_fixes;
         create table fixes (
            id integer primary key autoincrement,
            site text not null,
            edit_key text not null,
            edit text not null,
            owner_kind text not null,
            owner_name text not null,
            state text not null default 'open',
            reason text,
            place integer,
            on_path_ms real not null,
            finding_key text not null,
            finding_title text not null,
            recording integer,
            load_number integer,
            added_at text not null,
            unique (site, edit_key)
         ) strict;",
    )?;
    let mut query = change.prepare("select id, site, kind, target, owner, state, reason, place, on_path_ms, finding_title, recording, load_number, added_at from earlier_fixes")?;
    let mut rows = query.query([])?;
    while let Some(row) = rows.next()? {
        let (kind, target): (String, String) = (row.get(2)?, row.get(3)?);
        let Some(edit) = phainon_core::Edit::from_earlier(&kind, &target) else { continue };
        let owner = phainon_core::Owner::named(&row.get::<_, String>(4)?);
        let owner_kind =
            serde_json::to_value(owner.kind).ok().and_then(|v| v.as_str().map(str::to_owned)).unwrap_or_default();
        change.execute(
            "insert or ignore into fixes (id, site, edit_key, edit, owner_kind, owner_name, state, reason, place, on_path_ms, finding_key, finding_title, recording, load_number, added_at)
             values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15)",
            params![
                row.get::<_, i64>(0)?, row.get::<_, String>(1)?, edit.key(),
                serde_json::to_string(&edit).unwrap_or_default(), owner_kind, owner.name,
                row.get::<_, String>(5)?, row.get::<_, Option<String>>(6)?, row.get::<_, Option<i64>>(7)?,
                row.get::<_, f64>(8)?, edit.key(), row.get::<_, String>(9)?,
                row.get::<_, Option<i64>>(10)?, row.get::<_, Option<i64>>(11)?, row.get::<_, String>(12)?,
            ],
        )?;
    }
    drop(rows);
    drop(query);
    change.execute_batch("drop table earlier_fixes;")?;
    Ok(())
}
