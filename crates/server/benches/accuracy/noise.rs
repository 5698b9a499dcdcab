//! What comparisons say of real pairs: recordings of one unchanged page, of a page and its repair, and of
//! a page before and after the fixes that a plan of least effort asks for.

use crate::measure::{median, of_site, record};
use phainon_core::compare::{Verdict, compare};
use phainon_core::metrics::{Metric, Metrics};
use phainon_core::{Conditions, Settings, preset};
use phainon_standin::StandIn;

/// What a verdict is counted for.
const JUDGED: [Metric; 6] = [Metric::Ttfb, Metric::Fcp, Metric::Lcp, Metric::Tbt, Metric::SpeedIndex, Metric::Cls];
/// Pairs of the unchanged page.
const SAME: usize = 20;
/// Pairs of the page and its repair.
const REPAIRED: usize = 10;
const PAGE: &str = "/notices/winter-refit/";
/// Takes some 300 ms of the server's time away.
const REPAIR: &str = "page-cache";
/// What a plan of least effort for the home page on the phone names, as far as the site has switches for it.
const LEAST_EFFORT: &str =
    "chat-delayed,tags-delayed,consent-reserved,pictures-sized,hero-in-html,text-packed,page-cache";

struct Bench {
    site: StandIn,
    conditions: Conditions,
}

impl Bench {
    async fn load(&self, path: &str, fix: &str) -> Option<Metrics> {
        let asked = if fix.is_empty() { String::new() } else { format!("?fix={fix}") };
        let request = of_site(&self.site, &format!("{path}{asked}"), self.conditions.clone(), 1);
        record(&request).await.ok()?.1.pop()
    }
}

pub async fn noise(loads: usize, only: Option<&str>) {
    let site = StandIn::start().await.expect("the stand-in starts");
    let mut bench = Bench { site, conditions: preset("home-laptop").expect("a preset") };
    if only.is_none_or(|o| o == "pairs") {
        pairs(&bench, loads).await;
    }
    if only.is_none_or(|o| o == "promise") {
        bench.conditions = preset("phone-on-the-move").expect("a preset");
        promise(&bench, loads).await;
    }
}

/// Turn by turn, A B A B, and with them for the first ten pairs the repaired page.
async fn pairs(bench: &Bench, loads: usize) {
    println!("{SAME} pairs of {PAGE}, {loads} loads each, and {REPAIRED} of it and of its repair {REPAIR}");
    // The page cache is filled, and a first start of the browser is over.
    bench.load(PAGE, "").await;
    bench.load(PAGE, REPAIR).await;
    let (mut same, mut repaired) = (Vec::new(), Vec::new());
    for pair in 0..SAME {
        let (mut a, mut b, mut c) = (Vec::new(), Vec::new(), Vec::new());
        for _ in 0..loads {
            a.extend(bench.load(PAGE, "").await);
            b.extend(bench.load(PAGE, "").await);
            if pair < REPAIRED {
                c.extend(bench.load(PAGE, REPAIR).await);
            }
        }
        same.push(said(&a, &b));
        if pair < REPAIRED {
            let gain = |m| median(&c, m).zip(median(&a, m)).map_or(f64::NAN, |(after, before)| after - before);
            println!(
                "  repair {:2}: TTFB {:+.0}, FCP {:+.0}, LCP {:+.0} ms",
                pair + 1,
                gain(Metric::Ttfb),
                gain(Metric::Fcp),
                gain(Metric::Lcp)
            );
            repaired.push(said(&a, &c));
        }
    }
    for (name, verdicts) in [("unchanged", &same), ("repaired", &repaired)] {
        println!("{name}, of {} pairs:", verdicts.len());
        for metric in JUDGED {
            let count =
                |wanted| verdicts.iter().filter(|v| v.iter().any(|(m, s)| *m == metric && *s == wanted)).count();
            println!(
                "  {metric:?}: cannot tell {}, better {}, worse {}",
                count(Verdict::CannotTell),
                count(Verdict::Better),
                count(Verdict::Worse)
            );
        }
    }
}

fn said(a: &[Metrics], b: &[Metrics]) -> Vec<(Metric, Verdict)> {
    let (a, b): (Vec<&Metrics>, Vec<&Metrics>) = (a.iter().collect(), b.iter().collect());
    compare(&a, &b).into_iter().map(|c| (c.metric, c.verdict)).collect()
}

/// Whether the fixes that were said to be enough are.
async fn promise(bench: &Bench, loads: usize) {
    println!("/ on the phone, {loads} loads as it is and with {LEAST_EFFORT}");
    let (mut before, mut after) = (Vec::new(), Vec::new());
    bench.load("/", LEAST_EFFORT).await;
    for _ in 0..loads {
        before.extend(bench.load("/", "").await);
        after.extend(bench.load("/", LEAST_EFFORT).await);
    }
    let settings = Settings::default();
    for metric in [Metric::Lcp, Metric::Fcp, Metric::Tbt, Metric::Cls, Metric::SpeedIndex, Metric::Weight] {
        let value = |of: &[Metrics]| median(of, metric).unwrap_or(f64::NAN);
        println!(
            "  {metric:?}: {:.3} → {:.3}, target {}",
            value(&before),
            value(&after),
            settings.target(metric).target
        );
    }
}
