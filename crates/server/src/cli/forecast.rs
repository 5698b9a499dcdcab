//! `phainon forecast`.

use super::file::RecordingFile;
use super::{BAD, FINE, memory_size, texts};
use clap::Args;
use phainon_core::forecast::{Brings, Figures, Forecast, Model, MovedRequest, Step, StepKind, brings};
use phainon_core::metrics::Metric;
use phainon_core::{Edit, Owner, Prepared, Visit};
use serde_json::{Map, Value, json};
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
    let file = RecordingFile::read(&given.file, given.import_memory, &Arc::default())?;
    let loads = file.loads()?;
    let edits: Vec<Edit> = given.edit.iter().map(|e| Edit::parse(e, &loads[0])).collect::<Result<_, _>>()?;
    let body = |hash: &str| file.bodies.get(hash).cloned();
    let made: Vec<Forecast> = loads.iter().map(|load| Model::of(load).forecast(&edits, &body)).collect();
    let left_out = made[0].left_out.clone();
    let all = brings(&made);
    if given.json {
        let metrics: Map<String, Value> =
            Figures::METRICS.into_iter().map(|m| (m.json_name().into(), metric(&all, m))).collect();
        let said = json!({
            "edits": edits, "loads": loads.len(), "metrics": metrics, "path": path(&made[0], &loads[0]),
            "moved": moved(&made[0], &loads[0]), "not_known": left_out.iter().map(|(_, why)| why).collect::<Vec<_>>(),
        });
        texts::print(&format!("{}\n", serde_json::to_string_pretty(&said).map_err(|e| e.to_string())?))?;
    } else {
        let visits = if loads[0].load.visit == Visit::Return { "return visits" } else { "loads" };
        let mut text = format!(
            "Forecast over {} {visits}; nine in ten measured changes lay within the intervals where they were held against each other.\n",
            loads.len()
        );
        for edit in &edits {
            text += &format!("  {}\n", phainon_core::words::edit_title(edit));
        }
        for b in &all {
            text += &format!("  {}\n", texts::brings(b));
        }
        if all.iter().all(|b| !matches!(b.metric, Metric::Lcp | Metric::Fcp)) {
            text +=
                "When it is painted is not told by this file, so that of the metrics only the weight is forecast.\n";
        }
        for (edit, why) in &left_out {
            text += &format!("Left out: {edit}. {why}\n");
        }
        texts::print(&text)?;
    }
    Ok(if left_out.len() == edits.len() { BAD } else { FINE })
}

/// Before and after, and between what the latter lies; null where it is not known.
fn metric(all: &[Brings], metric: Metric) -> Value {
    let of = all.iter().find(|b| b.metric == metric);
    of.map_or(Value::Null, |b| {
        json!({ "before": b.before, "after": b.after, "low": (b.before + b.low).max(0.0), "high": b.before + b.high })
    })
}

/// The new way to the largest paint, its steps named as an analysis names causes.
fn path(made: &Forecast, load: &Prepared) -> Vec<Value> {
    let of = |step: &Step| {
        let cause = match step.kind {
            StepKind::Asked => "handover",
            StepKind::Sent => "queue",
            StepKind::Answered => "wait",
            StepKind::Received => "download",
            StepKind::Task => "script",
            StepKind::Other => "render",
        };
        let url =
            step.request.and_then(|id| load.load.request(id)).map(|r| r.url.clone()).or_else(|| step.script.clone());
        let owner = step.request.map_or_else(
            || step.script.as_deref().map_or_else(Owner::page, |u| load.owners.of_url(u)),
            |id| load.owners.request(id).clone(),
        );
        json!({ "from_ms": step.from_ms, "to_ms": step.to_ms, "cause": cause, "url": url, "owner": owner })
    };
    made.path.iter().map(of).collect()
}

/// Files whose last byte comes at another time; null where they are not asked for any more.
fn moved(made: &Forecast, load: &Prepared) -> Vec<Value> {
    let of = |moved: &MovedRequest| {
        let request = load.load.request(moved.request)?;
        Some(json!({ "url": request.url, "from_ms": request.end, "to_ms": moved.end_ms }))
    };
    made.moved.iter().filter_map(of).collect()
}
