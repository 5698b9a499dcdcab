//! `phainon plan`.

use super::budget::BudgetFile;
use super::file::RecordingFile;
use super::{FINE, MISSED, memory_size, texts};
use crate::plan_pages::medians;
use clap::Args;
use indicatif::{ProgressBar, ProgressStyle};
use phainon_core::forecast::Model;
use phainon_core::metrics::Metric;
use phainon_core::plan::{Aims, Candidate, Outlook, PlanPage, PlanStep, Question, Search, Way, line, points};
use phainon_core::words::{edit_title, left_sentence};
use phainon_core::{Edit, Settings};
use serde_json::{Map, Value, json};
use std::io::IsTerminal;
use std::path::PathBuf;
use std::sync::Arc;

#[derive(Args)]
pub struct PlanArguments {
    /// Recordings: each a page of the site under conditions.
    #[arg(required = true)]
    file: Vec<PathBuf>,
    /// The least effort that brings every page within its targets; this is what is asked where nothing else is.
    #[arg(long, conflicts_with = "effort")]
    least_effort: bool,
    /// The best that can be had with so many points of effort (small 1, medium 3, large 8).
    #[arg(long)]
    effort: Option<f64>,
    /// A file with budgets, which are the targets then; see `docs/budgets.md`.
    #[arg(long)]
    budgets: Option<PathBuf>,
    /// Print everything as JSON.
    #[arg(long)]
    json: bool,
    /// How much memory reading a file may take, such as 500MB or 2GB.
    #[arg(long, default_value = "1GB", value_parser = memory_size)]
    import_memory: u64,
}

fn way(way: Way) -> &'static str {
    match way {
        Way::EverySet => "every set of fixes was run",
        Way::Bounded => "all sets that could be better were run, given that no fix undoes another",
        Way::Greedy => "fix by fix, then exchanged as long as that helped",
    }
}

/// Searches for a plan; exit code 1 where its aims are not reached.
pub fn plan(given: &PlanArguments) -> Result<u8, String> {
    let budgets = given.budgets.as_deref().map(BudgetFile::read).transpose()?.unwrap_or_default();
    let settings = Arc::new(budgets.settings(Settings::default()));
    let mut files = Vec::new();
    for path in &given.file {
        files.push(RecordingFile::read(std::slice::from_ref(path), given.import_memory, &settings)?);
    }
    let mut pages = Vec::new();
    let mut edits: Vec<Edit> = Vec::new();
    for file in &files {
        let (_, standing) = file.reading.representative().ok_or_else(|| format!("no load of {} counts.", file.name))?;
        let outlook = Arc::new(Outlook::of(Model::of(&file.loads()?[0])));
        let recorded = file.reading.summary.as_ref().map_or_else(|| outlook.model().figures(), medians);
        pages.push(PlanPage { share: 1.0, recorded, outlook });
        for finding in standing.analysis().into_iter().flat_map(|a| &a.findings) {
            if !edits.iter().any(|e| e.key() == finding.edit.key()) {
                edits.push(finding.edit.clone());
            }
        }
    }
    let candidates: Vec<Candidate> =
        edits.into_iter().map(|edit| Candidate { effort: points(edit.kind().usual().0), edit }).collect();
    // What has a budget counts too, where it can be forecast.
    let counted: Vec<Metric> = Aims::USUAL.into_iter().chain(settings.targets.keys().copied()).collect();
    let aims = Aims::of(&counted, &settings);
    let question = match given.effort {
        Some(effort) if effort > 0.0 && effort.is_finite() => Question::Best { effort },
        Some(_) => return Err("effort is a number of points above 0.".into()),
        None => Question::LeastEffort,
    };
    let body = |hash: &str| files.iter().find_map(|f| f.bodies.get(hash).cloned());
    let bar = if std::io::stderr().is_terminal() { ProgressBar::new_spinner() } else { ProgressBar::hidden() };
    if let Ok(style) = ProgressStyle::with_template("{spinner} {msg} {elapsed}") {
        bar.set_style(style);
    }
    let watch = |sets: u64| {
        if sets.is_multiple_of(50) {
            bar.set_message(format!("{sets} sets run"));
            bar.tick();
        }
        true
    };
    let answer =
        Search { pages: &pages, candidates: &candidates, aims: &aims, bodies: &body, watch: &watch }.answer(question);
    bar.finish_and_clear();
    let chosen: Vec<&Edit> = answer.order.iter().map(|place| &candidates[*place].edit).collect();
    let steps = line(&pages, &chosen, 0..=chosen.len(), &body);
    if given.json {
        let fixes: Vec<Value> = chosen.iter().zip(&answer.order).zip(&steps[1..]).map(|((edit, place), step)| {
            json!({
                "edit": edit, "title": edit_title(edit), "effort": candidates[*place].effort, "metrics": metrics(step),
            })
        }).collect();
        let left_out: Vec<Value> = answer.left_out.iter().map(|(place, left)| {
            json!({ "edit": candidates[*place].edit, "title": edit_title(&candidates[*place].edit), "why": left_sentence(left) })
        }).collect();
        let after: Vec<Value> = files.iter().zip(&answer.after).map(|(file, figures)| {
            json!({ "file": file.name, "page": file.page(), "after": figures, "beyond": aims.beyond(figures) })
        }).collect();
        let said = json!({
            "question": question, "reached": answer.reached, "effort": answer.effort, "fixes": fixes, "pages": after,
            "left_out": left_out, "way": answer.way, "sets": answer.sets,
        });
        texts::print(&format!("{}\n", serde_json::to_string_pretty(&said).map_err(|e| e.to_string())?))?;
    } else {
        let mut text = format!(
            "{} {} points of effort; {} ({}).\n",
            if answer.reached { "Within all targets with" } else { "Not within all targets; as near as it gets with" },
            answer.effort,
            way(answer.way),
            answer.sets
        );
        for (number, (edit, step)) in (1..).zip(chosen.iter().zip(&steps[1..])) {
            text += &format!("{number:>3}. {}\n", edit_title(edit));
            for b in step.brings.iter().filter(|b| (b.after - b.before).abs() > 0.5 || b.metric == Metric::Lcp) {
                text += &format!("    {}\n", texts::brings(b));
            }
        }
        for (file, figures) in files.iter().zip(&answer.after) {
            let beyond: Vec<String> = aims.beyond(figures).into_iter().map(texts::named).collect();
            let said = if beyond.is_empty() {
                "within its targets".into()
            } else {
                format!("beyond its target in {}", beyond.join(", "))
            };
            text += &format!("{} ({}): {said}\n", file.page(), file.name);
        }
        for (place, left) in &answer.left_out {
            text += &format!("Left out: {}: {}\n", edit_title(&candidates[*place].edit), left_sentence(left));
        }
        texts::print(&text)?;
    }
    Ok(if answer.reached || matches!(question, Question::Best { .. }) { FINE } else { MISSED })
}

fn metrics(step: &PlanStep) -> Map<String, Value> {
    let of = |b: &phainon_core::forecast::Brings| {
        let said = json!({ "before": b.before, "after": b.after, "low": b.before + b.low, "high": b.before + b.high });
        (b.metric.json_name().to_owned(), said)
    };
    step.brings.iter().map(of).collect()
}
