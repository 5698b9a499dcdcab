//! Budgets: what a recording's medians must not be over.

use super::texts::figure;
use crate::reading::RecordingReading;
use phainon_core::metrics::Metric;

/// `lcp=2500ms`, `cls=0.1`, `weight=1.2MB`.
pub struct Budget {
    metric: Metric,
    name: String,
    most: f64,
}

impl Budget {
    /// As the command line writes it.
    pub fn parse(text: &str) -> Result<Self, String> {
        let wrong = || format!("“{text}” is no budget; write for example lcp=2500ms, cls=0.1 or weight=1MB.");
        let (name, value) = text.split_once('=').ok_or_else(wrong)?;
        let metric = match name.trim().to_ascii_lowercase().as_str() {
            "lcp" => Metric::Lcp,
            "fcp" => Metric::Fcp,
            "tbt" => Metric::Tbt,
            "cls" => Metric::Cls,
            "ttfb" => Metric::Ttfb,
            "tti" => Metric::Tti,
            "weight" => Metric::Weight,
            "inp" => Metric::Inp,
            "speed-index" | "speed_index" => Metric::SpeedIndex,
            _ => return Err(wrong()),
        };
        let value = value.trim();
        let split = value.find(|c: char| !(c.is_ascii_digit() || c == '.')).unwrap_or(value.len());
        let number: f64 = value[..split].parse().map_err(|_| wrong())?;
        let factor = match (metric, value[split..].trim()) {
            (Metric::Cls, "") | (Metric::Weight, "" | "B") => 1.0,
            (Metric::Weight, "kB") => 1e3,
            (Metric::Weight, "MB") => 1e6,
            (Metric::Cls | Metric::Weight, _) => return Err(wrong()),
            (_, "" | "ms") => 1.0,
            (_, "s") => 1e3,
            _ => return Err(wrong()),
        };
        Ok(Self { metric, name: name.trim().to_owned(), most: number * factor })
    }

    /// Why it is missed: over it, or not known.
    pub fn missed(&self, reading: &RecordingReading) -> Option<String> {
        let row = reading.summary.as_ref().and_then(|s| s.rows.iter().find(|r| r.metric == self.metric));
        match row {
            None => Some(format!("budget {}: not known from this file.", self.name)),
            Some(row) if row.median > self.most => Some(format!(
                "budget {}: {} is over {}.",
                self.name,
                figure(self.metric, row.median),
                figure(self.metric, self.most)
            )),
            Some(_) => None,
        }
    }
}
