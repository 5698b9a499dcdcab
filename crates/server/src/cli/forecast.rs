//! `phainon forecast`.

use super::{BAD, FINE, memory_size, opened_files, texts};
use crate::reading::read_loads;
use clap::Args;
use phainon_core::forecast::{Brings, Forecast, Model, brings};
use phainon_core::{Edit, Prepared, Settings, Visit};
use phainon_formats::{MemoryBudget, Opened, open_together};
use serde_json::json;
use std::path::PathBuf;
use std::sync::Arc;

#[derive(Args)]
pub struct ForecastArguments {
    /// Recording archive, HAR or trace.
    #[arg(required = true, num_args = 1..=2)]
    file: Vec<PathBuf>,
    /// A fix, as KIND:TARGET[=VALUE], such as `defer_script:slider.js`; several combine.
    #[arg(long, required = true)]
    edit: Vec<String>,
    /// Print everything as JSON.
    #[arg(long)]
    json: bool,
    /// How much memory reading a file may take, such as 500MB or 2GB.
    #[arg(long, default_value = "1GB", value_parser = memory_size)]
    import_memory: u64,
}

/// Computes what edits would bring, over the first visits of a file.
pub fn forecast(given: &ForecastArguments) -> Result<u8, String> {
    let opened = open_together(opened_files(&given.file)?, &MemoryBudget::new(given.import_memory));
    let mut opened = opened.map_err(|e| e.to_string())?;
    if opened.len() > 1 {
        return Err("a forecast is of one recording.".into());
    }
    let Opened { loads, bodies, .. } = opened.swap_remove(0);
    let settings: Arc<Settings> = Arc::default();
    let read = read_loads(loads, &bodies, &settings, false).map_err(|e| e.to_string())?;
    let (place, _) = read.representative().ok_or("no load of the file has data.")?;
    let visit = read.loads[place].raw.visit;
    let loads = read.loads.iter().filter(|l| l.raw.visit == visit && l.failed.is_none());
    let loads: Vec<Prepared> =
        loads.filter_map(|l| l.reading.as_ref()).map(|r| Prepared::new(r.load.clone(), settings.clone())).collect();
    let first = loads.first().ok_or("no load of the file has data.")?;
    let edits: Vec<Edit> = given.edit.iter().map(|e| Edit::parse(e, first)).collect::<Result<_, _>>()?;
    let body = |hash: &str| bodies.get(hash).cloned();
    let made: Vec<Forecast> = loads.iter().map(|load| Model::of(load).forecast(&edits, &body)).collect();
    let left_out: Vec<(String, String)> = made.first().map(|m| m.left_out.clone()).unwrap_or_default();
    let all = brings(&made);
    if given.json {
        let left_out: Vec<_> = left_out.iter().map(|(edit, why)| json!({ "edit": edit, "why": why })).collect();
        let said = json!({ "edits": edits, "loads": loads.len(), "brings": all, "left_out": left_out });
        println!("{}", serde_json::to_string_pretty(&said).map_err(|e| e.to_string())?);
    } else {
        let visits = if visit == Visit::Return { "return visits" } else { "loads" };
        println!(
            "Forecast over {} {visits}; nine in ten measured changes lay within the intervals where they were held against each other.",
            loads.len()
        );
        for edit in &edits {
            println!("  {}", phainon_core::words::edit_title(edit));
        }
        for line in all.iter().map(said) {
            println!("{line}");
        }
        for (edit, why) in &left_out {
            println!("Left out: {edit}. {why}");
        }
    }
    Ok(if left_out.len() == edits.len() { BAD } else { FINE })
}

fn said(b: &Brings) -> String {
    let change = b.after - b.before;
    let signed = |value: f64| {
        let sign = if value < 0.0 { "−" } else { "+" };
        format!("{sign}{}", texts::figure(b.metric, value.abs()))
    };
    let (name, before) = (texts::named(b.metric), texts::figure(b.metric, b.before));
    // Bytes and shifts are counted: they have no interval.
    let interval =
        if b.high - b.low > 0.0005 { format!(" ({} to {})", signed(b.low), signed(b.high)) } else { String::new() };
    if change.abs() < 0.0005 {
        return format!("  {name:<12} {before:>9}  stays{interval}");
    }
    let after = texts::figure(b.metric, b.after);
    format!("  {name:<12} {before:>9} → {after:>9}  {}{interval}", signed(change))
}
