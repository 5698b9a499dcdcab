//! Whether two recordings were made alike: what differs beside the page itself.

use crate::Conditions;
use serde::Serialize;
use ts_rs::TS;

/// How a recording was made.
#[derive(Debug, Clone, Default)]
pub struct Circumstances<'a> {
    /// What kind of page it is.
    pub page: &'a str,
    /// The site's registrable domain.
    pub site: &'a str,
    /// Whose load it is; `None` where that is not known.
    pub conditions: Option<&'a Conditions>,
    /// Product and version of the browser.
    pub browser: Option<&'a str>,
    /// Processors of the machine.
    pub cores: Option<u32>,
    /// Milliseconds that a fixed calculation took on it.
    pub calibration_ms: Option<f64>,
    /// How busy it was before the first load, as a load average.
    pub load_average: Option<f64>,
    /// Hosts and addresses that were blocked.
    pub blocked: &'a [String],
}

/// Something in which two recordings differ.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[serde(rename_all = "snake_case", tag = "what")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum Unlikeness {
    Site {
        a: String,
        b: String,
    },
    Page {
        a: String,
        b: String,
    },
    Conditions {
        a: String,
        b: String,
    },
    ConditionsUnknown,
    Browser {
        a: String,
        b: String,
    },
    Machine {
        a: String,
        b: String,
    },
    /// Load averages for a core.
    Busy {
        a: f64,
        b: f64,
    },
    Blocked {
        a: Vec<String>,
        b: Vec<String>,
    },
}

impl Unlikeness {
    /// Whether figures of the two cannot be held against each other at all.
    #[must_use]
    pub fn forbids_verdict(&self) -> bool {
        matches!(self, Self::Site { .. } | Self::Page { .. } | Self::Conditions { .. })
    }
}

/// A machine as quick as another takes as long for the same calculation to within this share.
const SAME_MACHINE: f64 = 0.15;
/// More than so many processes wait for each core: it was busy.
const BUSY: f64 = 0.7;

/// In what two recordings differ, the gravest first.
#[must_use]
pub fn unlikenesses(a: &Circumstances<'_>, b: &Circumstances<'_>) -> Vec<Unlikeness> {
    let mut found = Vec::new();
    if a.site != b.site {
        found.push(Unlikeness::Site { a: a.site.into(), b: b.site.into() });
    } else if a.page != b.page {
        found.push(Unlikeness::Page { a: a.page.into(), b: b.page.into() });
    }
    match (a.conditions, b.conditions) {
        (Some(of_a), Some(of_b)) if !same(of_a, of_b) => {
            found.push(Unlikeness::Conditions { a: of_a.name.clone(), b: of_b.name.clone() });
        }
        (Some(_), Some(_)) => {}
        _ => found.push(Unlikeness::ConditionsUnknown),
    }
    if let (Some(of_a), Some(of_b)) = (a.browser, b.browser)
        && of_a != of_b
    {
        found.push(Unlikeness::Browser { a: of_a.into(), b: of_b.into() });
    }
    if let (Some(of_a), Some(of_b)) = (a.calibration_ms, b.calibration_ms)
        && (of_b / of_a.max(1e-9) - 1.0).abs() > SAME_MACHINE
    {
        let said =
            |cores: Option<u32>, ms: f64| format!("{} cores, {ms:.0} ms", cores.map_or("?".into(), |c| c.to_string()));
        found.push(Unlikeness::Machine { a: said(a.cores, of_a), b: said(b.cores, of_b) });
    }
    let busy = |of: &Circumstances<'_>| Some(of.load_average? / f64::from(of.cores?.max(1)));
    if let (Some(of_a), Some(of_b)) = (busy(a), busy(b))
        && (of_a > BUSY) != (of_b > BUSY)
    {
        found.push(Unlikeness::Busy { a: of_a, b: of_b });
    }
    if a.blocked != b.blocked {
        found.push(Unlikeness::Blocked { a: a.blocked.to_vec(), b: b.blocked.to_vec() });
    }
    found
}

/// Conditions that differ in nothing but their names are the same.
fn same(a: &Conditions, b: &Conditions) -> bool {
    Conditions { name: String::new(), ..a.clone() } == Conditions { name: String::new(), ..b.clone() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::preset;

    #[test]
    fn what_was_made_otherwise_is_told_and_only_the_grave_forbids_a_verdict() {
        let (phone, laptop) = (preset("phone-on-the-move"), preset("home-laptop"));
        let a = Circumstances {
            page: "Home",
            site: "skerryline.test",
            conditions: phone.as_ref(),
            browser: Some("Browser 1"),
            cores: Some(2),
            calibration_ms: Some(100.0),
            load_average: Some(0.2),
            blocked: &[],
        };
        let renamed = Conditions { name: "Mine".into(), ..phone.clone().expect("a preset") };
        let same = Circumstances { conditions: Some(&renamed), calibration_ms: Some(110.0), ..a.clone() };
        assert_eq!(unlikenesses(&a, &same), []);
        let unlike = Circumstances { conditions: laptop.as_ref(), browser: Some("Browser 2"), ..a.clone() };
        let found = unlikenesses(&a, &unlike);
        assert_eq!(found.iter().map(Unlikeness::forbids_verdict).collect::<Vec<_>>(), [true, false]);
        let busy = Circumstances { load_average: Some(3.0), calibration_ms: Some(150.0), ..a.clone() };
        assert!(matches!(&unlikenesses(&a, &busy)[..], [Unlikeness::Machine { .. }, Unlikeness::Busy { .. }]));
        let imported = Circumstances { conditions: None, ..a.clone() };
        assert_eq!(unlikenesses(&a, &imported), [Unlikeness::ConditionsUnknown]);
    }
}
