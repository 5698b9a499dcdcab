//! Profiles of servers, each with the page that it belongs to, or one of its loads.

use crate::pack::{Codec, unpacked};
use crate::{Store, StoreError, now};
use phainon_core::call_profile::CallProfile;
use rusqlite::{OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A load of a recording.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct LoadOf {
    #[ts(type = "number")]
    pub recording: i64,
    pub load: u32,
}

/// A profile without what it counted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct ProfileHead {
    #[ts(type = "number")]
    pub id: i64,
    pub site: String,
    /// The address of the page that it belongs to.
    pub url: String,
    /// The load that it was written for; `None` where it belongs to the page as a whole.
    pub of: Option<LoadOf>,
    /// The name of its file.
    pub file: String,
    /// When the file was written (RFC 3339), where the sender told.
    pub written_at: Option<String>,
    pub received_at: String,
    pub creator: Option<String>,
}

/// A profile, packed: that is done before the store is locked.
pub struct PackedProfile {
    creator: Option<String>,
    bytes: Vec<u8>,
}

impl PackedProfile {
    /// Packs a profile.
    pub fn of(profile: &CallProfile) -> Result<Self, StoreError> {
        Ok(Self { creator: profile.creator.clone(), bytes: crate::pack::packed_json(profile)? })
    }
}

/// What is known of a profile's file.
#[derive(Debug, Clone, Copy)]
#[allow(missing_docs)]
pub struct NewProfile<'a> {
    pub site: &'a str,
    pub url: &'a str,
    pub of: Option<LoadOf>,
    pub file: &'a str,
    pub written_at: Option<&'a str>,
}

const COLUMNS: &str = "p.id, p.site, p.url, l.recording, l.number, p.file, p.written_at, p.received_at, p.creator";
/// A load of a recording that was deleted is none: the profile is the page's then.
const FROM: &str = "server_profiles p left join load_rows l on l.id = p.load
    and exists (select 1 from recordings r where r.id = l.recording and r.deleted_at is null)";

fn head(r: &Row<'_>) -> rusqlite::Result<ProfileHead> {
    let recording: Option<i64> = r.get(3)?;
    let load: Option<u32> = r.get(4)?;
    Ok(ProfileHead {
        id: r.get(0)?,
        site: r.get(1)?,
        url: r.get(2)?,
        of: recording.zip(load).map(|(recording, load)| LoadOf { recording, load }),
        file: r.get(5)?,
        written_at: r.get(6)?,
        received_at: r.get(7)?,
        creator: r.get(8)?,
    })
}

fn missing(id: i64) -> StoreError {
    StoreError::NotFound("profile", id.to_string())
}

impl Store {
    /// Keeps a profile.
    pub fn keep_profile(&self, new: &NewProfile<'_>, profile: &PackedProfile) -> Result<i64, StoreError> {
        self.check_room(profile.bytes.len())?;
        let db = self.write();
        db.execute(
            "insert into server_profiles (site, url, load, file, written_at, received_at, creator, codec, bytes)
             values (?1, ?2, (select id from load_rows where recording = ?3 and number = ?4), ?5, ?6, ?7, ?8, ?9, ?10)",
            params![
                new.site,
                new.url,
                new.of.map(|of| of.recording),
                new.of.map(|of| of.load),
                new.file,
                new.written_at,
                now(),
                profile.creator,
                Codec::Zstd,
                profile.bytes
            ],
        )?;
        Ok(db.last_insert_rowid())
    }

    /// The profiles of a page and of its loads, the newest first.
    pub fn profiles_of_page(&self, site: &str, url: &str) -> Result<Vec<ProfileHead>, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(&format!(
            "select {COLUMNS} from {FROM} where p.site = ?1 and p.url = ?2 order by p.id desc"
        ))?;
        let rows = query.query_map([site, url], head)?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// What is known of a profile.
    pub fn profile_head(&self, id: i64) -> Result<ProfileHead, StoreError> {
        let db = self.read()?;
        let mut query = db.prepare_cached(&format!("select {COLUMNS} from {FROM} where p.id = ?1"))?;
        query.query_row([id], head).optional()?.ok_or_else(|| missing(id))
    }

    /// A profile.
    pub fn profile(&self, id: i64) -> Result<CallProfile, StoreError> {
        let (codec, bytes) = {
            let db = self.read()?;
            let mut query = db.prepare_cached("select codec, bytes from server_profiles where id = ?1")?;
            let packed = query.query_row([id], |r| Ok((r.get::<_, Codec>(0)?, r.get::<_, Vec<u8>>(1)?))).optional()?;
            packed.ok_or_else(|| missing(id))?
        };
        serde_json::from_slice(&unpacked(bytes, codec)?).map_err(|e| StoreError::Damaged(e.to_string()))
    }

    /// Gives a profile to a load of its page, or to the page as a whole.
    pub fn give_profile_to(&self, id: i64, of: Option<LoadOf>) -> Result<(), StoreError> {
        let db = self.write();
        let load: Option<i64> = match of {
            None => None,
            Some(of) => Some(
                db.query_row(
                    "select id from load_rows where recording = ?1 and number = ?2",
                    params![of.recording, of.load],
                    |r| r.get(0),
                )
                .optional()?
                .ok_or_else(|| StoreError::NotFound("load", format!("{} of recording {}", of.load, of.recording)))?,
            ),
        };
        let changed = db.execute("update server_profiles set load = ?1 where id = ?2", params![load, id])?;
        if changed == 0 { Err(missing(id)) } else { Ok(()) }
    }

    /// Takes a profile away.
    pub fn drop_profile(&self, id: i64) -> Result<(), StoreError> {
        let gone = self.write().execute("delete from server_profiles where id = ?1", [id])?;
        if gone == 0 { Err(missing(id)) } else { Ok(()) }
    }
}
