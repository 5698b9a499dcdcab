//! Pages whose largest paint waits for one file each, loaded in the real browser: that file must carry the
//! wait on the path, and no other. Each is loaded once more with the file there at once, which must bring
//! what the path promised.

#![allow(clippy::unwrap_used)]

mod classes;
mod picture;
mod steady;

use classes::{CLASSES, Class, LATE, site};
use phainon_core::path::{Cause, Leg, LegFact};
use phainon_core::{Load, NoBodies, Prepared, analyse, preset};
use phainon_recorder::{RecordRequest, record_whole};
use std::net::SocketAddr;
use std::time::Duration;
use steady::wrong_each_time;
use tokio::sync::{Mutex, mpsc};

async fn recorded(address: SocketAddr, name: &str) -> (Load, Vec<Leg>) {
    let mut request = RecordRequest::new(&format!("http://{address}/{name}"), preset("unshaped").unwrap(), 1);
    request.limits.quiet = Duration::from_millis(900);
    request.detail = false;
    let (sender, _receiver) = mpsc::unbounded_channel();
    let recording = record_whole(&request, sender).await.unwrap();
    assert_eq!(recording.loads[0].failed, None, "{name}");
    let load = recording.loads[0].assemble().unwrap();
    let path = analyse(&Prepared::plain(load.clone()), &NoBodies).lcp.map(|l| l.path).unwrap_or_default();
    (load, path)
}

/// What the path gives to a file, in ms.
fn given(path: &[Leg], file: &str) -> f64 {
    path.iter().filter(|leg| leg.url.as_deref().is_some_and(|url| url.ends_with(file))).map(|l| l.length().0).sum()
}

fn told(path: &[Leg]) -> String {
    let line = |leg: &Leg| {
        let url = leg.url.as_deref().map_or("", |u| u.rsplit('/').next().unwrap_or(u));
        format!("  {:6.0} to {:6.0}  {:?} {url}  {:?}\n", leg.from_ms.0, leg.to_ms.0, leg.cause, leg.fact)
    };
    path.iter().map(line).collect()
}

/// What is wrong with the path of a class, if anything is.
async fn judge(class: &Class) -> Option<String> {
    let (slow, fast) = (site(None).await, site(Some(class.file)).await);
    let (load, path) = recorded(slow, class.page).await;
    let (without, _) = recorded(fast, class.page).await;
    let lcp = |load: &Load| load.largest().map_or(f64::NAN, |l| l.at.0);
    let gain = lcp(&load) - lcp(&without);
    let own = given(&path, class.file);
    let late = LATE.as_secs_f64() * 1000.0;
    let mut wrong = Vec::new();
    if (gain > late * 0.6) != class.culprit {
        wrong.push(format!("really gains {gain:.0} ms"));
    }
    if (own > late * 0.7) != class.culprit {
        wrong.push(format!("{} is given {own:.0} ms", class.file));
    }
    let others = path.iter().filter(|l| {
        l.length().0 > 150.0
            && l.url.as_deref().is_some_and(|u| !u.ends_with(class.file) && !class.also.iter().any(|a| u.ends_with(a)))
    });
    wrong.extend(others.map(|l| format!("{:?} is given {:.0} ms", l.url, l.length().0)));
    (!wrong.is_empty()).then(|| format!("{}: {}\n{}", class.page, wrong.join("; "), told(&path)))
}

/// What is wrong with so many loads in a row is wrong.
const TIMES: usize = 5;

/// Browsers measure each other when two run at once; these tests take turns.
static TURN: Mutex<()> = Mutex::const_new(());

#[tokio::test]
async fn the_file_that_each_page_waits_for_carries_the_wait() {
    let _turn = TURN.lock().await;
    let only = std::env::var("PHAINON_ONLY").unwrap_or_default();
    let mut wrong = Vec::new();
    for class in CLASSES.iter().filter(|c| only.is_empty() || only.split(',').any(|o| o == c.page)) {
        wrong.extend(wrong_each_time(TIMES, async || judge(class).await).await);
    }
    assert!(wrong.is_empty(), "{} of {} wrong:\n{}", wrong.len(), CLASSES.len(), wrong.join("\n"));
}

#[tokio::test]
async fn what_an_animation_shows_waits_for_it() {
    let _turn = TURN.lock().await;
    let (_, path) = recorded(site(None).await, "animated").await;
    let long = |l: &&Leg| l.cause == Cause::Animation && l.length().0 > 500.0;
    let animated: Vec<&Leg> = path.iter().filter(long).collect();
    assert_eq!(animated.len(), 1, "{}", told(&path));
    assert!(matches!(&animated[0].fact, LegFact::Animates { name } if name == "appear"), "{:?}", animated[0].fact);
}
