//! What the commands print, and how it gets out.

use crate::reading::RecordingReading;
use phainon_core::compare::{Compared, Verdict};
use phainon_core::forecast::{Brings, Helps};
use phainon_core::metrics::Metric;
use phainon_core::words::{SaidRelief, finding_title, lack_sentence, leg_title, note_sentence};
use phainon_core::{Analysis, Millis};
use std::fmt::{Arguments, Write as _};
use std::io::{ErrorKind, Write as _};

/// Prints a text. A reader that has seen enough (`head`) is no error; a disk that is full is one.
pub fn print(text: &str) -> Result<(), String> {
    let mut out = std::io::stdout().lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => {
            Err(format!("what was found could not be printed: {error}."))
        }
        _ => Ok(()),
    }
}

fn line(text: &mut String, words: Arguments<'_>) {
    // Writing to a text never fails.
    let _ = writeln!(text, "{words}");
}

/// What `analyse --json` prints: the analysis, and which load of how many it is of.
#[derive(serde::Serialize)]
pub struct Printed<'a> {
    pub load: usize,
    pub of: usize,
    pub failed: Option<&'a str>,
    pub summary: Option<&'a phainon_core::RecordingSummary>,
    #[serde(flatten)]
    pub analysis: phainon_core::SaidAnalysis,
    pub requests: &'a [phainon_core::RequestRow],
    #[serde(flatten)]
    pub thread: &'a phainon_core::ThreadDetail,
    /// What the largest paint would gain from each file of its path, were it there at once.
    pub reliefs: &'a [SaidRelief],
}

/// A metric's value with its unit.
pub fn figure(metric: Metric, value: f64) -> String {
    match metric {
        Metric::Cls => format!("{value:.3}"),
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        Metric::Weight => phainon_core::Bytes(value.max(0.0) as u64).text(),
        _ => Millis(value).text(),
    }
}

/// A metric as a table names it.
pub fn named(metric: Metric) -> String {
    match metric {
        Metric::SpeedIndex => "Speed Index".into(),
        Metric::Weight => "weight".into(),
        other => format!("{other:?}").to_uppercase(),
    }
}

/// What the loads of a recording say together.
pub fn reading(reading: &RecordingReading) -> String {
    let mut text = String::new();
    for (n, load) in reading.loads.iter().enumerate() {
        if let Some(why) = &load.failed {
            line(&mut text, format_args!("load {} failed: {why}", n + 1));
        }
    }
    let Some(summary) = &reading.summary else { return text };
    line(&mut text, format_args!("{:<12} {:>10}  rating  each load", "metric", "median"));
    for row in &summary.rows {
        let each: Vec<String> =
            row.values.iter().map(|v| v.map_or_else(|| "–".into(), |v| figure(row.metric, v))).collect();
        let rating = format!("{:?}", row.rating).to_lowercase();
        line(
            &mut text,
            format_args!(
                "{:<12} {:>10}  {rating:<6}  {}",
                named(row.metric),
                figure(row.metric, row.median),
                each.join("  ")
            ),
        );
    }
    text
}

/// What one load says: its largest element, the path to it with what each file of it would bring, findings, and
/// what is not known.
pub fn analysis(analysis: &Analysis, reliefs: &[SaidRelief]) -> String {
    let mut text = String::new();
    if let Some(lcp) = &analysis.lcp {
        line(
            &mut text,
            format_args!(
                "\nlargest element: {} {}",
                lcp.selector.as_deref().or(lcp.tag.as_deref()).unwrap_or("(not resolved)"),
                lcp.url.as_deref().unwrap_or("")
            ),
        );
        for (place, leg) in lcp.path.iter().enumerate() {
            line(
                &mut text,
                format_args!("  {:>8}  {:<48} {}", leg.length().text(), leg_title(&leg.fact), leg.owner.name),
            );
            // Once for each file, under its last leg.
            let last = lcp.path.iter().rposition(|l| l.request.is_some() && l.request == leg.request) == Some(place);
            for relief in reliefs.iter().filter(|r| last && r.helps != Helps::Beside && Some(r.request) == leg.request)
            {
                line(&mut text, format_args!("            {}", relief.sentence));
            }
        }
        for relief in reliefs.iter().filter(|r| r.helps == Helps::Beside) {
            line(&mut text, format_args!("    beside  {}", relief.sentence));
        }
    }
    if !analysis.findings.is_empty() {
        line(&mut text, format_args!("\nfindings, by milliseconds on the path"));
        for finding in &analysis.findings {
            let place = if finding.on_path { finding.on_path_ms.text() } else { "off".into() };
            line(&mut text, format_args!("  {place:>8}  {} ({})", finding_title(finding), finding.owner.name));
        }
    }
    for missing in &analysis.missing {
        line(&mut text, format_args!("not known: {}", lack_sentence(missing.lack)));
    }
    for note in &analysis.notes {
        line(&mut text, format_args!("note: {}", note_sentence(note)));
    }
    text
}

fn signed(metric: Metric, value: f64) -> String {
    let sign = if value < 0.0 { "−" } else { "+" };
    format!("{sign}{}", figure(metric, value.abs()))
}

/// What edits bring to a metric, in a line.
pub fn brings(b: &Brings) -> String {
    let change = b.after - b.before;
    let (name, before) = (named(b.metric), figure(b.metric, b.before));
    // Bytes and shifts are counted: they have no interval.
    let interval = if b.high - b.low > 0.0005 {
        format!(" ({} to {})", signed(b.metric, b.low), signed(b.metric, b.high))
    } else {
        String::new()
    };
    if change.abs() < 0.0005 {
        return format!("{name:<12} {before:>9}  stays{interval}");
    }
    let after = figure(b.metric, b.after);
    format!("{name:<12} {before:>9} → {after:>9}  {}{interval}", signed(b.metric, change))
}

/// The difference of a metric with its interval.
pub fn interval(c: &Compared) -> String {
    let signed = |value| signed(c.metric, value);
    match (c.low, c.high) {
        (Some(low), Some(high)) => format!("{} ({} … {})", signed(c.difference), signed(low), signed(high)),
        _ => signed(c.difference),
    }
}

/// A verdict in words.
pub fn verdict(verdict: Verdict, loads_needed: Option<u32>) -> String {
    match (verdict, loads_needed) {
        (Verdict::Better, _) => "better".into(),
        (Verdict::Worse, _) => "worse".into(),
        (Verdict::CannotTell, Some(loads)) => format!("can't tell; {loads} loads of each might"),
        (Verdict::CannotTell, None) => "can't tell".into(),
    }
}
