//! What is asked over all recordings of a site: metrics, owners' costs, requests and findings by load,
//! written when a load is kept, so that such questions are SQL and open no load.

use crate::pack::{of_word, word};
use crate::{Store, StoreError};
use phainon_core::metrics::{SiteFile, SiteWeight};
use phainon_core::{Analysis, Bytes, Owner, ResourceKey};
use rusqlite::{Connection, OptionalExtension, params};
use std::collections::BTreeMap;

/// An owner's row: kind, name, requests, bytes, then milliseconds of main thread, server and path, queries, and what it blocks.
type OwnerRow = (String, String, u32, i64, Option<f64>, Option<f64>, Option<f64>, Option<u32>, Option<f64>);

/// A load's rows in the site-wide tables.
pub(crate) struct Rows {
    pub lcp_ms: Option<f64>,
    metrics: Vec<(String, f64)>,
    owners: Vec<OwnerRow>,
    requests: Vec<(String, String, String, String, u32, i64)>,
    findings: Vec<(String, String, String, f64)>,
}

fn whole(bytes: Bytes) -> i64 {
    i64::try_from(bytes.0).unwrap_or(i64::MAX)
}

impl Rows {
    pub fn of(analysis: &Analysis) -> Result<Self, StoreError> {
        let metrics =
            analysis.rulers.iter().map(|r| Ok((word(r.metric)?, r.value))).collect::<Result<_, StoreError>>()?;
        let owners = analysis
            .owners
            .iter()
            .map(|o| {
                let ms = |v: Option<phainon_core::Millis>| v.map(|m| m.0);
                Ok((
                    word(o.kind)?,
                    o.name.clone(),
                    o.requests,
                    whole(o.transferred_bytes),
                    ms(o.main_thread_ms),
                    ms(o.server_ms),
                    ms(o.path_ms),
                    o.queries,
                    ms(o.blocking_ms),
                ))
            })
            .collect::<Result<_, StoreError>>()?;
        let mut requests: BTreeMap<ResourceKey, (String, &Owner, u32, Bytes)> = BTreeMap::new();
        let of_network = |url: &str| url.starts_with("http://") || url.starts_with("https://");
        for row in analysis.requests.iter().filter(|r| of_network(&r.url)) {
            let kind = word(row.kind)?;
            let sum = requests.entry(ResourceKey::of(&row.url)).or_insert_with(|| (kind, &row.owner, 0, Bytes(0)));
            sum.2 += 1;
            sum.3 += row.transferred_bytes.unwrap_or_default();
        }
        let requests = requests
            .into_iter()
            .map(|(key, (kind, owner, count, bytes))| {
                Ok((key.to_string(), kind, word(owner.kind)?, owner.name.clone(), count, whole(bytes)))
            })
            .collect::<Result<_, StoreError>>()?;
        let findings =
            analysis.findings.iter().map(|f| (f.key.clone(), f.check.clone(), f.edit.key(), f.on_path_ms.0)).collect();
        Ok(Self { lcp_ms: analysis.metrics.lcp_ms.map(|m| m.0), metrics, owners, requests, findings })
    }

    pub fn write(&self, change: &Connection, load: i64) -> Result<(), StoreError> {
        for table in ["load_metrics", "owner_costs", "load_requests", "load_findings"] {
            change.execute(&format!("delete from {table} where load = ?1"), [load])?;
        }
        let mut insert = change.prepare_cached("insert into load_metrics (load, metric, value) values (?1, ?2, ?3)")?;
        for (metric, value) in &self.metrics {
            insert.execute(params![load, metric, value])?;
        }
        let mut insert = change.prepare_cached(
            "insert into owner_costs (load, kind, name, requests, transferred_bytes, main_thread_ms, server_ms, path_ms, queries, blocking_ms) values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
        )?;
        for (kind, name, requests, bytes, thread, server, path, queries, blocking) in &self.owners {
            insert.execute(params![load, kind, name, requests, bytes, thread, server, path, queries, blocking])?;
        }
        let mut insert = change.prepare_cached(
            "insert into load_requests (load, resource, kind, owner_kind, owner_name, requests, transferred_bytes) values (?1, ?2, ?3, ?4, ?5, ?6, ?7)",
        )?;
        for (key, kind, owner_kind, owner, requests, bytes) in &self.requests {
            insert.execute(params![load, key, kind, owner_kind, owner, requests, bytes])?;
        }
        let mut insert = change.prepare_cached(
            "insert or ignore into load_findings (load, key, check_id, edit, on_path_ms) values (?1, ?2, ?3, ?4, ?5)",
        )?;
        for (key, check, edit, on_path) in &self.findings {
            insert.execute(params![load, key, check, edit, on_path])?;
        }
        Ok(())
    }
}

/// What an owner costs in one load, as it is kept.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub struct OwnerCost {
    pub owner: Owner,
    pub requests: u32,
    pub transferred: Bytes,
    pub main_thread_ms: Option<f64>,
    pub blocking_ms: Option<f64>,
    pub server_ms: Option<f64>,
    pub queries: Option<u32>,
    pub path_ms: Option<f64>,
}

impl Store {
    /// What each owner costs in a load.
    pub fn owner_costs(&self, recording: i64, number: u32) -> Result<Vec<OwnerCost>, StoreError> {
        let db = self.read()?;
        let load = Self::load_id(&db, recording, number)?;
        let mut query = db.prepare_cached(
            "select kind, name, requests, transferred_bytes, main_thread_ms, blocking_ms, server_ms, queries, path_ms
             from owner_costs where load = ?1 order by kind, name",
        )?;
        let mut rows = query.query([load])?;
        let mut costs = Vec::new();
        while let Some(row) = rows.next()? {
            costs.push(OwnerCost {
                owner: Owner { kind: of_word(&row.get::<_, String>(0)?)?, name: row.get(1)? },
                requests: row.get(2)?,
                transferred: Bytes(u64::try_from(row.get::<_, i64>(3)?).unwrap_or(0)),
                main_thread_ms: row.get(4)?,
                blocking_ms: row.get(5)?,
                server_ms: row.get(6)?,
                queries: row.get(7)?,
                path_ms: row.get(8)?,
            });
        }
        Ok(costs)
    }

    /// What the loads of several pages brought, side by side, in the order asked for: recordings and
    /// the numbers of the loads that stand for them.
    pub fn site_weight(&self, loads: &[(i64, u32)]) -> Result<SiteWeight, StoreError> {
        let db = self.read()?;
        let mut files: BTreeMap<String, SiteFile> = BTreeMap::new();
        let mut pages = Vec::with_capacity(loads.len());
        for (place, (recording, number)) in loads.iter().enumerate() {
            let load: i64 = db
                .prepare_cached("select l.id from load_rows l join recordings r on r.id = l.recording where l.recording = ?1 and l.number = ?2 and r.deleted_at is null")?
                .query_row(params![recording, number], |r| r.get(0))
                .optional()?
                .ok_or_else(|| StoreError::NotFound("recording", recording.to_string()))?;
            let mut query = db.prepare_cached(
                "select resource, kind, owner_kind, owner_name, transferred_bytes from load_requests where load = ?1",
            )?;
            let mut rows = query.query([load])?;
            let mut weight = Bytes(0);
            while let Some(row) = rows.next()? {
                let key: String = row.get(0)?;
                let bytes = Bytes(u64::try_from(row.get::<_, i64>(4)?).unwrap_or(0));
                weight += bytes;
                if !files.contains_key(&key) {
                    let owner = Owner { kind: of_word(&row.get::<_, String>(2)?)?, name: row.get(3)? };
                    let file = SiteFile {
                        file: ResourceKey::of(&format!("http://{key}")),
                        kind: of_word(&row.get::<_, String>(1)?)?,
                        owner,
                        on: vec![None; loads.len()],
                        pages: 0,
                        together: Bytes(0),
                    };
                    files.insert(key.clone(), file);
                }
                if let Some(file) = files.get_mut(&key) {
                    file.on[place] = Some(bytes);
                    file.together += bytes;
                }
            }
            pages.push(weight);
        }
        Ok(SiteWeight::of(pages, files.into_values().collect()))
    }
}
