#![allow(clippy::unwrap_used)]
use phainon_core::forecast::{Figures, Model};
use phainon_core::*;
use phainon_formats::open;
#[test]
fn zz() {
    let file = std::env::var("ZIP").unwrap();
    let opened = open(&std::fs::read(&file).unwrap(), &file).unwrap();
    let bodies = |hash: &str| opened.bodies.get(hash).cloned();
    for raw in opened.loads.iter().take(1) {
        let prepared = Prepared::plain(raw.assemble().unwrap());
        let t = std::time::Instant::now();
        let model = Model::of(&prepared);
        let built = t.elapsed();
        let t = std::time::Instant::now();
        for _ in 0..100 { model.forecast(&[], &NoBodies); }
        eprintln!("built {:?} run {:?} requests {} work {}", built, t.elapsed()/100, prepared.load.requests.len(), prepared.load.work.len());
        let a = analyse(&prepared, &bodies);
        for f in &a.findings {
            let t = std::time::Instant::now();
            let fc = model.forecast(&[f.edit.clone()], &bodies);
            let d: Vec<String> = Figures::METRICS.iter().map(|m| format!("{:?} {:.0}→{:.0}", m, fc.before.value(*m).unwrap_or(-1.0), fc.after.value(*m).unwrap_or(-1.0))).collect();
            eprintln!("{} | {:?} {:?} {:?}", f.edit.key(), d, fc.left_out, t.elapsed());
        }
        if let Ok(pick) = std::env::var("PICK") {
            let f = a.findings.iter().find(|f| f.edit.key().contains(&pick)).unwrap();
            let fc = model.forecast(&[f.edit.clone()], &bodies);
            for r in &prepared.load.requests {
                let m = fc.moved.iter().find(|m| m.request == r.id);
                eprintln!("{:3} c{:?} {:30} {:7} asked {:6.0} sent {:6.0} first {:6.0} end {:6.0} → {:?}", r.id.0, r.connection.unwrap_or(0), r.short_name(), r.transferred.unwrap_or_default().0, r.start.0, r.sent.unwrap_or_default().0, r.first_byte.unwrap_or_default().0, r.end.unwrap_or_default().0, m.map(|m| (m.start_ms.unwrap_or_default().0.round(), m.first_byte_ms.unwrap_or_default().0.round(), m.end_ms.unwrap_or_default().0.round())));
            }
            return;
        }
        for r in &prepared.load.requests {
            let fc = model.forecast(&[Edit::Remove{file: ResourceKey::of(&r.url)}], &bodies);
            let d: Vec<String> = Figures::METRICS.iter().map(|m| format!("{:?} {:.0}→{:.0}", m, fc.before.value(*m).unwrap_or(-1.0), fc.after.value(*m).unwrap_or(-1.0))).collect();
            eprintln!("remove {} | {:?} {:?} moved {}", r.url, d, fc.left_out, fc.moved.len());
        }
    }
}
