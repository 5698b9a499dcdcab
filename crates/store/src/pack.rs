//! Bytes as rows hold them: zstd where it helps.

use crate::StoreError;
use rusqlite::types::{FromSql, FromSqlResult, ToSql, ToSqlOutput, ValueRef};
use serde::Serialize;
use serde::de::DeserializeOwned;

/// How a blob was packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Codec {
    /// As it is.
    Plain,
    /// Zstandard (RFC 8878).
    Zstd,
}

impl ToSql for Codec {
    fn to_sql(&self) -> rusqlite::Result<ToSqlOutput<'_>> {
        Ok(match self {
            Self::Plain => "plain",
            Self::Zstd => "zstd",
        }
        .into())
    }
}

impl FromSql for Codec {
    fn column_result(value: ValueRef<'_>) -> FromSqlResult<Self> {
        Ok(if value.as_str()? == "zstd" { Self::Zstd } else { Self::Plain })
    }
}

/// Packed where that makes the bytes fewer.
pub(crate) fn packed(bytes: &[u8]) -> (Codec, Vec<u8>) {
    match zstd::bulk::compress(bytes, 3) {
        Ok(smaller) if smaller.len() < bytes.len() => (Codec::Zstd, smaller),
        _ => (Codec::Plain, bytes.to_vec()),
    }
}

/// What [`packed`] was given.
pub(crate) fn unpacked(bytes: Vec<u8>, codec: Codec) -> Result<Vec<u8>, StoreError> {
    match codec {
        Codec::Plain => Ok(bytes),
        Codec::Zstd => zstd::stream::decode_all(&bytes[..]).map_err(|e| StoreError::Damaged(e.to_string())),
    }
}

/// JSON, always packed.
pub(crate) fn packed_json<T: Serialize>(value: &T) -> Result<Vec<u8>, StoreError> {
    let text = serde_json::to_vec(value).map_err(|e| StoreError::Damaged(e.to_string()))?;
    zstd::bulk::compress(&text, 3).map_err(|e| StoreError::Damaged(e.to_string()))
}

pub(crate) fn json<T: Serialize>(value: &T) -> Result<String, StoreError> {
    serde_json::to_string(value).map_err(|e| StoreError::Damaged(e.to_string()))
}

pub(crate) fn from_json<T: DeserializeOwned>(text: &str) -> Result<T, StoreError> {
    serde_json::from_str(text).map_err(|e| StoreError::Damaged(e.to_string()))
}

/// The word that a closed enum has in JSON, as columns hold it.
pub(crate) fn word<T: Serialize>(value: T) -> Result<String, StoreError> {
    match serde_json::to_value(value) {
        Ok(serde_json::Value::String(word)) => Ok(word),
        _ => Err(StoreError::Damaged("an enum without a name".into())),
    }
}

/// What [`word`] was given.
pub(crate) fn of_word<T: DeserializeOwned>(word: &str) -> Result<T, StoreError> {
    serde_json::from_value(word.into()).map_err(|e| StoreError::Damaged(e.to_string()))
}
