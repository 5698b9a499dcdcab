//! What the loads of a recording say together, as its row holds it.

use crate::StoreError;
use crate::pack::json;
use phainon_core::RecordingSummary;
use rusqlite::{Connection, params};

/// Writes it, within a change of the loads that it is about.
pub(crate) fn set_summary(change: &Connection, id: i64, summary: Option<&RecordingSummary>) -> Result<(), StoreError> {
    change.execute("update recordings set summary = ?2 where id = ?1", params![id, summary.map(json).transpose()?])?;
    Ok(())
}
