//! Whether an edit brings in a trial what the repair brings on the site: the stand-in's switches.

use crate::measure::{base, median, of_site, record, replayed};
use crate::repairs::REPAIRS;
use phainon_core::compare::difference_of_medians;
use phainon_core::metrics::Metrics;
use phainon_core::preset;
use phainon_server::trial::Base;
use phainon_standin::StandIn;
use std::collections::BTreeMap;

pub async fn edits(loads: usize, only: Option<&str>) {
    let site = StandIn::start().await.expect("the stand-in starts");
    let conditions = preset("phone-on-the-move").expect("a preset");
    println!("{loads} loads each; what the repair brings on the site, and what the edit brings in a trial");
    let mut held = (0, 0);
    let mut bases: BTreeMap<&str, Base> = BTreeMap::new();
    for repair in REPAIRS.iter().filter(|r| only.is_none_or(|only| only.split(',').any(|o| r.on == o))) {
        let asked =
            |fix: &str, loads: usize| of_site(&site, &format!("{}{fix}", repair.path), conditions.clone(), loads);
        let fix = repair.query();
        if !bases.contains_key(repair.path) {
            let mut request = asked("", 3);
            request.detail = true;
            let Ok((recording, _)) = record(&request).await else { continue };
            let Ok(base) = base(&recording) else { continue };
            bases.insert(repair.path, base);
        }
        let Some(base) = bases.get(repair.path) else { continue };
        let Ok((_, first)) = record(&asked(&fix, 1)).await else { continue };
        let edits = repair.edits(base, &first);
        let (book, told) = match base.with(&edits, &[]) {
            Ok(made) => made,
            Err(refused) => {
                println!("{} {}: {}", repair.on, repair.path, refused.sentence());
                continue;
            }
        };
        // Turn by turn, so that what drifts on the machine hits all four.
        let (mut recorded, mut repaired, mut plain, mut tried) = (vec![], vec![], vec![], vec![]);
        for _ in 0..loads {
            let Ok((_, made)) = record(&asked("", 1)).await else { continue };
            recorded.extend(made);
            let Ok((_, made)) = record(&asked(&fix, 1)).await else { continue };
            repaired.extend(made);
            let Ok(made) = replayed(base, &base.book).await else { continue };
            plain.extend(made);
            let Ok(made) = replayed(base, &book).await else { continue };
            tried.extend(made);
        }
        let (recorded, repaired, plain, tried) = (&recorded, &repaired, &plain, &tried);
        println!("{} {}", repair.on, repair.path);
        for metric in repair.metrics {
            let values = |of: &[Metrics]| of.iter().filter_map(|m| m.value(*metric)).collect::<Vec<f64>>();
            let of_site = difference_of_medians(&values(recorded), &values(repaired));
            let of_trial = difference_of_medians(&values(plain), &values(tried));
            let m = |of: &[Metrics]| median(of, *metric).unwrap_or(f64::NAN);
            let (site_gain, trial_gain) = (m(repaired) - m(recorded), m(tried) - m(plain));
            let near = (site_gain - trial_gain).abs() <= 0.1 * m(recorded);
            let overlap = of_site.zip(of_trial).is_some_and(|(a, b)| {
                a.low <= trial_gain && trial_gain <= a.high && b.low <= site_gain && site_gain <= b.high
            });
            held.0 += usize::from(near || overlap);
            held.1 += 1;
            println!(
                "    {metric:?}: on the site {site_gain:+.0}, tried {trial_gain:+.0}, of {:.0} recorded and {:.0} replayed{}",
                m(recorded),
                m(plain),
                if near || overlap { "" } else { "  ← off" }
            );
        }
        for line in told {
            println!("    {line}");
        }
    }
    println!("\n{} of {} gains are within 10 % of the metric, or in each other's intervals", held.0, held.1);
}
