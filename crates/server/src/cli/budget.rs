//! Budgets: what a recording's medians must not be over.

use super::texts::figure;
use crate::reading::RecordingReading;
use phainon_core::metrics::Metric;
use phainon_core::{PRESETS, Settings, Target};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::path::Path;

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

    /// What it is about.
    pub fn metric(&self) -> Metric {
        self.metric
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

/// Pages and budgets in a file (`phainon.toml`): budgets for all pages, and for pages and conditions of their own;
/// a page with an address can be recorded from it.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BudgetFile {
    /// For every page.
    #[serde(default)]
    budgets: BTreeMap<String, String>,
    /// For some.
    #[serde(default)]
    pages: Vec<PageOfFile>,
}

/// A page: its budgets stand before those of all.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct PageOfFile {
    /// What the page is called.
    page: String,
    /// Where it is, for `record --pages`.
    #[serde(default)]
    url: Option<String>,
    /// Under these conditions only: a preset by its id or name, or conditions as the command line writes them.
    #[serde(default)]
    conditions: Option<String>,
    #[serde(default)]
    budgets: BTreeMap<String, String>,
}

/// A page to be recorded.
#[derive(Debug, Clone, PartialEq)]
pub struct PageToRecord {
    /// Where it is.
    pub url: String,
    /// What it is called.
    pub page: String,
    /// Under which conditions, as the command line writes them; those that it gives where this is nothing.
    pub conditions: Option<String>,
}

/// The preset that a text means, by id or name.
fn preset_named(text: &str) -> Option<&'static phainon_core::Preset> {
    PRESETS.iter().find(|p| p.id == text || p.name.eq_ignore_ascii_case(text))
}

impl BudgetFile {
    /// Reads it; every budget in it must be one.
    pub fn read(path: &Path) -> Result<Self, String> {
        let name = path.display();
        let text = std::fs::read_to_string(path).map_err(|e| format!("{name} could not be read: {e}"))?;
        let file: Self = toml::from_str(&text).map_err(|e| format!("{name}: {}", e.to_string().trim_end()))?;
        let all = file.pages.iter().map(|p| &p.budgets).chain([&file.budgets]);
        for (metric, value) in all.flatten() {
            Budget::parse(&format!("{metric}={value}")).map_err(|e| format!("{name}: {e}"))?;
        }
        Ok(file)
    }

    /// The budgets of a page: its own, and for the metrics that it says nothing of, those of all.
    pub fn of(&self, page: &str, conditions: Option<&str>) -> Vec<Budget> {
        let own = self.pages.iter().filter(|p| {
            let fits = |c: &str| conditions == Some(preset_named(c).map_or(c, |preset| preset.name));
            p.page.eq_ignore_ascii_case(page) && p.conditions.as_deref().is_none_or(fits)
        });
        let mut all = self.budgets.clone();
        for page in own {
            all.extend(page.budgets.clone());
        }
        all.iter().filter_map(|(metric, value)| Budget::parse(&format!("{metric}={value}")).ok()).collect()
    }

    /// The pages that have an address.
    pub fn to_record(&self) -> Vec<PageToRecord> {
        let page = |p: &PageOfFile| {
            let conditions = p.conditions.as_deref().map(|c| preset_named(c).map_or(c, |preset| preset.id).to_owned());
            Some(PageToRecord { url: p.url.clone()?, page: p.page.clone(), conditions })
        };
        self.pages.iter().filter_map(page).collect()
    }

    /// Settings in which the budgets of all pages are the targets.
    pub fn settings(&self, mut settings: Settings) -> Settings {
        for budget in self.of("", None) {
            let limit = budget.metric.published().limit.max(budget.most * 1.6);
            settings.targets.insert(budget.metric, Target { target: budget.most, limit });
        }
        settings
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const FILE: &str = r#"
[budgets]
lcp = "2500ms"
weight = "1MB"

[[pages]]
page = "Home"
conditions = "Home laptop"
budgets = { lcp = "1.5s", cls = "0.1" }
"#;

    #[test]
    fn a_pages_own_budgets_stand_before_those_of_all() {
        let folder = tempfile::tempdir().expect("a folder");
        let place = folder.path().join("phainon.toml");
        std::fs::write(&place, FILE).expect("written");
        let file = BudgetFile::read(&place).expect("budgets");
        let told =
            |page, conditions| file.of(page, conditions).iter().map(|b| (b.metric, b.most)).collect::<BTreeMap<_, _>>();
        assert_eq!(told("Fleet", Some("Home laptop")), [(Metric::Lcp, 2500.0), (Metric::Weight, 1e6)].into());
        assert_eq!(told("Home", None).len(), 2);
        let home = told("home", Some("Home laptop"));
        assert_eq!((home[&Metric::Lcp], home[&Metric::Cls], home.len()), (1500.0, 0.1, 3));
        assert_eq!(file.settings(Settings::default()).target(Metric::Lcp).target, 2500.0);
        assert_eq!(file.to_record(), []);
        let pages = "[[pages]]\npage = \"Fleet\"\nurl = \"https://a.test/fleet/\"\nconditions = \"Home laptop\"";
        std::fs::write(&place, pages).expect("written");
        let page = PageToRecord {
            url: "https://a.test/fleet/".into(),
            page: "Fleet".into(),
            conditions: Some("home-laptop".into()),
        };
        assert_eq!(BudgetFile::read(&place).expect("pages").to_record(), [page]);
        for bad in ["[budgets]\nlcp = \"soon\"", "[budget]\nlcp = \"1s\"", "lcp"] {
            std::fs::write(&place, bad).expect("written");
            assert!(BudgetFile::read(&place).is_err(), "{bad}");
        }
    }
}
