//! `phainon compare`.

use super::file::RecordingFile;
use super::{BAD, FINE, MISSED, memory_size, texts};
use clap::Args;
use phainon_core::compare::{Compared, Unlikeness, Verdict, compare, unlikenesses};
use phainon_core::words::unlikeness_sentence;
use serde_json::{Map, Value, json};
use std::path::PathBuf;
use std::sync::Arc;

#[derive(Args)]
pub struct CompareArguments {
    /// A: recording archive, HAR or trace.
    a: PathBuf,
    /// B, which is better or worse than A.
    b: PathBuf,
    /// Print everything as JSON.
    #[arg(long)]
    json: bool,
    /// How much memory reading a file may take, such as 500MB or 2GB.
    #[arg(long, default_value = "1GB", value_parser = memory_size)]
    import_memory: u64,
}

/// Holds two recordings against each other; exit code 1 where a metric is worse.
pub fn compare_files(given: &CompareArguments) -> Result<u8, String> {
    let settings = Arc::default();
    let read = |path: &PathBuf| RecordingFile::read(std::slice::from_ref(path), given.import_memory, &settings);
    let (a, b) = (read(&given.a)?, read(&given.b)?);
    let unlike = unlikenesses(&a.circumstances(), &b.circumstances());
    let no_verdict = unlike.iter().any(Unlikeness::forbids_verdict);
    let mut compared = compare(&a.metrics(), &b.metrics());
    if no_verdict {
        for metric in &mut compared {
            (metric.verdict, metric.loads_needed) = (Verdict::CannotTell, None);
        }
    }
    let differs: Vec<String> = unlike.iter().map(unlikeness_sentence).collect();
    let (loads_a, loads_b) = (a.metrics().len(), b.metrics().len());
    if given.json {
        let metrics: Map<String, Value> =
            compared.iter().map(|c| (c.metric.json_name().to_owned(), printed(c))).collect();
        let said = json!({ "loads": { "a": loads_a, "b": loads_b }, "metrics": metrics, "differs": differs });
        texts::print(&format!("{}\n", serde_json::to_string_pretty(&said).map_err(|e| e.to_string())?))?;
    } else {
        let mut text = String::new();
        for sentence in &differs {
            text += &format!("{sentence}\n");
        }
        if no_verdict {
            text += "So no verdict is given.\n";
        }
        text += &format!("A: {} ({loads_a} loads), B: {} ({loads_b} loads)\n", a.name, b.name);
        for c in &compared {
            let verdict = if no_verdict { String::new() } else { texts::verdict(c.verdict, c.loads_needed) };
            let (a, b) = (texts::figure(c.metric, c.a), texts::figure(c.metric, c.b));
            let name = texts::named(c.metric);
            text += &format!("  {name:<12} {a:>10} → {b:>10}  {:>28}  {verdict}\n", texts::interval(c));
        }
        texts::print(&text)?;
    }
    if compared.is_empty() {
        return Ok(BAD);
    }
    Ok(if compared.iter().any(|c| c.verdict == Verdict::Worse) { MISSED } else { FINE })
}

fn printed(c: &Compared) -> Value {
    json!({
        "a": c.a, "b": c.b, "difference": c.difference, "low": c.low, "high": c.high,
        "verdict": c.verdict, "loads_needed": c.loads_needed,
    })
}
