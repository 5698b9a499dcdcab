//! How main-thread work is kept: as columns with each text once, a tenth of what rows would take.

use crate::{Millis, Work, WorkKind, WorkName};
use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Error};
use std::collections::HashMap;
use std::sync::Arc;

#[derive(Serialize, Deserialize, Default)]
struct Columns {
    texts: Vec<Arc<str>>,
    kind: Vec<WorkKind>,
    name: Vec<WorkName>,
    start: Vec<Millis>,
    duration: Vec<Millis>,
    depth: Vec<u16>,
    /// Sparse columns: a row and its value.
    url: Vec<(u32, u32)>,
    function: Vec<(u32, u32)>,
    event: Vec<(u32, u32)>,
    timer: Vec<(u32, i64)>,
    line: Vec<(u32, u32)>,
}

/// For `#[serde(serialize_with)]`.
pub fn serialize<S: Serializer>(work: &[Work], serializer: S) -> Result<S::Ok, S::Error> {
    let mut columns = Columns::default();
    let mut known: HashMap<Arc<str>, u32> = HashMap::new();
    for (row, piece) in (0u32..).zip(work) {
        columns.kind.push(piece.kind);
        columns.name.push(piece.name);
        columns.start.push(piece.start);
        columns.duration.push(piece.duration);
        columns.depth.push(piece.depth);
        let texts = [
            (&piece.url, &mut columns.url),
            (&piece.function, &mut columns.function),
            (&piece.event, &mut columns.event),
        ];
        for (text, column) in texts {
            let Some(text) = text else { continue };
            let index = *known.entry(text.clone()).or_insert_with(|| {
                columns.texts.push(text.clone());
                u32::try_from(columns.texts.len() - 1).unwrap_or(u32::MAX)
            });
            column.push((row, index));
        }
        columns.timer.extend(piece.timer.map(|t| (row, t)));
        columns.line.extend(piece.line.map(|l| (row, l)));
    }
    columns.serialize(serializer)
}

/// For `#[serde(deserialize_with)]`.
pub fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Vec<Work>, D::Error> {
    let columns = Columns::deserialize(deserializer)?;
    let rows = columns.kind.len();
    if [columns.name.len(), columns.start.len(), columns.duration.len(), columns.depth.len()] != [rows; 4] {
        return Err(D::Error::custom("columns of different lengths"));
    }
    let mut work: Vec<Work> = Vec::with_capacity(rows);
    for row in 0..rows {
        work.push(Work {
            start: columns.start[row],
            duration: columns.duration[row],
            depth: columns.depth[row],
            ..Work::new(columns.kind[row], columns.name[row])
        });
    }
    let text =
        |index: u32| columns.texts.get(index as usize).cloned().ok_or_else(|| D::Error::custom("a text is missing"));
    let missing = || D::Error::custom("a row is missing");
    for (row, index) in columns.url {
        work.get_mut(row as usize).ok_or_else(missing)?.url = Some(text(index)?);
    }
    for (row, index) in columns.function {
        work.get_mut(row as usize).ok_or_else(missing)?.function = Some(text(index)?);
    }
    for (row, index) in columns.event {
        work.get_mut(row as usize).ok_or_else(missing)?.event = Some(text(index)?);
    }
    for (row, timer) in columns.timer {
        work.get_mut(row as usize).ok_or_else(missing)?.timer = Some(timer);
    }
    for (row, line) in columns.line {
        work.get_mut(row as usize).ok_or_else(missing)?.line = Some(line);
    }
    Ok(work)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(Serialize, Deserialize, PartialEq, Debug)]
    struct Kept(#[serde(with = "super")] Vec<Work>);

    #[test]
    fn work_comes_back_as_it_was() {
        let kept = Kept(vec![
            Work::new(WorkKind::Other, WorkName::Task),
            Work {
                start: Millis(1.5),
                duration: Millis(2.25),
                depth: 1,
                url: Some("http://a.test/a.js".into()),
                event: Some("click".into()),
                timer: Some(-4),
                line: Some(7),
                ..Work::new(WorkKind::Input, WorkName::Event)
            },
            Work { function: Some("go".into()), ..Work::new(WorkKind::ScriptRun, WorkName::Call) },
        ]);
        let text = serde_json::to_string(&kept).expect("written");
        assert_eq!(serde_json::from_str::<Kept>(&text).expect("read"), kept);
        let cut = text.replace("\"depth\":[0,1,0]", "\"depth\":[0,1]");
        assert!(serde_json::from_str::<Kept>(&cut).is_err());
    }
}
