//! What a site sets for itself: its rules of who owns what, its targets, its checks.

use crate::pack::{from_json, json};
use crate::{Store, StoreError};
use phainon_core::Settings;
use rusqlite::{OptionalExtension, params};

impl Store {
    /// A site's own settings; `None` where it has none.
    pub fn site_settings(&self, site: &str) -> Result<Option<Settings>, StoreError> {
        let db = self.read()?;
        let text: Option<String> = db
            .prepare_cached("select settings from site_settings where site = ?1")?
            .query_row([site], |r| r.get(0))
            .optional()?;
        text.as_deref().map(from_json).transpose()
    }

    /// Sets them. Loads of the site that were read with others are stale from then on.
    pub fn set_site_settings(&self, site: &str, settings: &Settings) -> Result<(), StoreError> {
        let db = self.write();
        if *settings == Settings::default() {
            db.execute("delete from site_settings where site = ?1", [site])?;
        } else {
            db.execute(
                "insert or replace into site_settings (site, settings, hash) values (?1, ?2, ?3)",
                params![site, json(settings)?, settings.hash()],
            )?;
        }
        Ok(())
    }
}
