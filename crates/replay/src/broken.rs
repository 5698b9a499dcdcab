//! What a trial broke: what its loads have of trouble that the unedited replay's had not.

use phainon_core::{Load, ResourceKey};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use ts_rs::TS;

/// Side of the squares by which two screens are compared, in pixels of the pictures that were kept.
const SQUARE: u32 = 8;
/// From this mean difference of a colour (of 255) on, a square looks different.
const DIFFERENT: f64 = 20.0;
/// So large a share of the screen has to look different, over what differs between loads of one kind.
const SHARE: f64 = 0.04;

/// So many handlers are named in a sentence.
const NAMED: usize = 6;

/// A load as far as judging it goes.
pub struct Seen<'a> {
    /// What was observed.
    pub load: &'a Load,
    /// The last picture of the screen (JPEG).
    pub last: Option<&'a [u8]>,
    /// Why it failed, if it did.
    pub failed: Option<&'a str>,
}

/// One thing that is broken.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "what", rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Broken {
    /// Loads that failed, or painted nothing.
    Failed {
        /// Why.
        why: String,
    },
    /// An error in the console.
    Error {
        /// What it says.
        said: String,
    },
    /// A request that fails now.
    Request {
        /// Its address.
        url: String,
        /// Its status, where it had an answer.
        status: Option<u16>,
    },
    /// Elements that listened to something and do not any more when the load is over.
    Handlers {
        /// What they listened to, each as “click on nav > button”.
        lost: Vec<String>,
    },
    /// The screen at the end looks different.
    Screen {
        /// Share of it, 0 to 1.
        share: f64,
    },
}

impl Broken {
    /// In words.
    #[must_use]
    pub fn sentence(&self) -> String {
        match self {
            Self::Failed { why } => format!("The page does not load any more: {why}"),
            Self::Error { said } => format!("A script fails that did not before: {said}"),
            Self::Request { url, status: Some(status) } => {
                format!("{url} is answered with {status}, which it was not before.")
            }
            Self::Request { url, status: None } => format!("{url} fails, which it did not before."),
            Self::Handlers { lost } => {
                let more = lost.len().saturating_sub(NAMED);
                let named = lost.iter().take(NAMED).cloned().collect::<Vec<_>>().join(", ");
                let rest = if more > 0 { format!(", and {more} more") } else { String::new() };
                format!("Not listened to any more when the load is over: {named}{rest}.")
            }
            Self::Screen { share } => {
                format!("{:.0} % of the first screen look different at the end of the load.", share * 100.0)
            }
        }
    }
}

/// What of `b`'s loads is broken that is not in `a`'s. What was taken off the page on purpose is no failure.
#[must_use]
pub fn broken(a: &[Seen<'_>], b: &[Seen<'_>], taken_off: &BTreeSet<String>) -> Vec<Broken> {
    let mut found = Vec::new();
    let fine = |s: &&Seen<'_>| s.failed.is_none() && s.load.fcp.is_some();
    if let Some(bad) = b.iter().find(|s| !fine(s)).filter(|_| a.iter().any(|s| fine(&s))) {
        let why = bad.failed.map_or_else(|| "it paints nothing.".to_owned(), str::to_owned);
        found.push(Broken::Failed { why });
    }
    let known: BTreeSet<&str> = a.iter().flat_map(|s| s.load.errors.iter().map(|e| told_apart(e))).collect();
    let mut seen = BTreeSet::new();
    for error in b.iter().flat_map(|s| &s.load.errors) {
        if !known.contains(told_apart(error)) && seen.insert(told_apart(error)) {
            found.push(Broken::Error { said: error.clone() });
        }
    }
    let off: BTreeSet<ResourceKey> = taken_off.iter().map(|url| ResourceKey::of(url)).collect();
    let before: BTreeSet<ResourceKey> = a.iter().flat_map(|s| failures(s.load).into_keys()).collect();
    let mut now: BTreeMap<ResourceKey, (String, Option<u16>, usize)> = BTreeMap::new();
    for seen in b {
        for (key, (url, status)) in failures(seen.load) {
            now.entry(key).or_insert((url, status, 0)).2 += 1;
        }
    }
    for (key, (url, status, times)) in now {
        // A request that is cut off by the load's end in one of five loads is chance.
        if !before.contains(&key) && !off.contains(&key) && times * 2 > b.len() {
            found.push(Broken::Request { url, status });
        }
    }
    let lost = lost_handlers(a, b);
    if !lost.is_empty() {
        found.push(Broken::Handlers { lost });
    }
    let screens = |loads: &[Seen<'_>]| loads.iter().filter_map(|s| screen(s.last?)).collect::<Vec<_>>();
    let (old, new) = (screens(a), screens(b));
    let own = pairs(&old, &old).into_iter().chain(pairs(&new, &new)).fold(0.0, f64::max);
    let between = pairs(&old, &new);
    // Every load has to differ: what moves by itself is somewhere else each time.
    let share = between.iter().copied().fold(f64::INFINITY, f64::min);
    if share.is_finite() && share > SHARE + own {
        found.push(Broken::Screen { share });
    }
    found
}

/// What every load of A listened to and none of B does. A load that does not tell what it listened to tells
/// nothing of what was lost either.
fn lost_handlers(a: &[Seen<'_>], b: &[Seen<'_>]) -> Vec<String> {
    let told = |seen: &Seen<'_>| Some(seen.load.listened.as_ref()?.iter().cloned().collect::<BTreeSet<String>>());
    let all = |loads: &[Seen<'_>]| loads.iter().map(told).collect::<Option<Vec<BTreeSet<String>>>>();
    let (Some(a), Some(b)) = (all(a), all(b)) else { return Vec::new() };
    let in_all = a.into_iter().reduce(|all, one| all.intersection(&one).cloned().collect()).unwrap_or_default();
    let in_any: BTreeSet<String> = b.iter().flatten().cloned().collect();
    if b.is_empty() { Vec::new() } else { in_all.difference(&in_any).cloned().collect() }
}

/// What of an error tells it from others: no addresses and places, which carry hashes and lines.
fn told_apart(error: &str) -> &str {
    error.split(" at ").next().unwrap_or(error)
}

fn failures(load: &Load) -> BTreeMap<ResourceKey, (String, Option<u16>)> {
    let failed = load.requests.iter().filter(|r| r.is_network() && !r.url.ends_with("/favicon.ico")).filter(|r| {
        let aborted = r.failed.as_deref().is_some_and(|f| f.contains("ABORTED"));
        !aborted && (r.status.is_some_and(|s| s >= 400) || (r.status.is_none() && r.failed.is_some()))
    });
    failed.map(|r| (ResourceKey::of(&r.url), (r.url.to_string(), r.status))).collect()
}

/// Mean colours of the squares of a screen.
struct Screen {
    across: u32,
    squares: Vec<[f64; 3]>,
}

fn screen(jpeg: &[u8]) -> Option<Screen> {
    let picture = image::load_from_memory(jpeg).ok()?.to_rgb8();
    let (across, down) = (picture.width().div_ceil(SQUARE), picture.height().div_ceil(SQUARE));
    let mut squares = Vec::with_capacity((across * down) as usize);
    for y in 0..down {
        for x in 0..across {
            let mut sum = [0.0; 3];
            let mut count = 0.0;
            for (px, py) in (0..SQUARE).flat_map(|dy| (0..SQUARE).map(move |dx| (x * SQUARE + dx, y * SQUARE + dy))) {
                if let Some(pixel) = picture.get_pixel_checked(px, py) {
                    (0..3).for_each(|c| sum[c] += f64::from(pixel.0[c]));
                    count += 1.0;
                }
            }
            squares.push(sum.map(|s| s / f64::max(count, 1.0)));
        }
    }
    Some(Screen { across, squares })
}

/// Share of the squares that look different.
#[allow(clippy::cast_precision_loss)]
fn apart(a: &Screen, b: &Screen) -> f64 {
    if a.across != b.across || a.squares.len() != b.squares.len() {
        return 1.0;
    }
    let differ = a
        .squares
        .iter()
        .zip(&b.squares)
        .filter(|(a, b)| (0..3).map(|c| (a[c] - b[c]).abs()).fold(0.0, f64::max) > DIFFERENT);
    differ.count() as f64 / a.squares.len().max(1) as f64
}

fn pairs(a: &[Screen], b: &[Screen]) -> Vec<f64> {
    a.iter().flat_map(|one| b.iter().map(move |other| apart(one, other))).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::{Rgb, RgbImage};
    use phainon_core::{Millis, Request, ResourceKind};
    use std::io::Cursor;

    fn load(errors: &[&str], failing: &[(&str, u16)]) -> Load {
        let mut load = Load::empty("http://a.test/");
        load.fcp = Some(Millis(100.0));
        load.errors = errors.iter().map(|e| (*e).to_owned()).collect();
        for (id, (url, status)) in (0u32..).zip(failing) {
            let mut request = Request::new(id, url, ResourceKind::Script);
            request.status = Some(*status);
            load.requests.push(request);
        }
        load
    }

    fn seen(load: &Load) -> Seen<'_> {
        Seen { load, last: None, failed: None }
    }

    fn picture(marked: u32) -> Vec<u8> {
        let picture =
            RgbImage::from_fn(160, 160, |_, y| if y < marked { Rgb([10, 10, 10]) } else { Rgb([240, 240, 240]) });
        let mut bytes = Cursor::new(Vec::new());
        picture.write_to(&mut bytes, image::ImageFormat::Jpeg).expect("memory");
        bytes.into_inner()
    }

    #[test]
    fn only_what_is_new_and_not_meant_is_broken() {
        let before = load(&["TypeError: x at http://a.test/a.js:1"], &[("http://a.test/gone.js", 404)]);
        let after = load(
            &["TypeError: x at http://a.test/a.js:7", "ReferenceError: $ is not defined"],
            &[("http://a.test/gone.js", 404), ("http://a.test/lost.js", 404), ("http://a.test/off.js", 404)],
        );
        let off = BTreeSet::from(["http://a.test/off.js".to_owned()]);
        let found = broken(&[seen(&before)], &[seen(&after)], &off);
        assert_eq!(
            found,
            [
                Broken::Error { said: "ReferenceError: $ is not defined".into() },
                Broken::Request { url: "http://a.test/lost.js".into(), status: Some(404) },
            ]
        );
        assert!(broken(&[seen(&before)], &[seen(&before)], &off).is_empty());
    }

    #[test]
    fn handlers_are_lost_where_all_had_them_and_none_has() {
        let listening = |to: &[&str]| {
            let mut load = load(&[], &[]);
            load.listened = Some(to.iter().map(|l| (*l).to_owned()).collect());
            load
        };
        let (menu, more) = ("click on nav > button", "scroll on the window");
        let (both, one) = (listening(&[menu, more]), listening(&[more]));
        let lost = |a: &[&Load], b: &[&Load]| {
            let (a, b): (Vec<_>, Vec<_>) = (a.iter().map(|l| seen(l)).collect(), b.iter().map(|l| seen(l)).collect());
            broken(&a, &b, &BTreeSet::new())
        };
        assert_eq!(lost(&[&both, &both], &[&one, &one]), [Broken::Handlers { lost: vec![menu.into()] }]);
        assert!(lost(&[&both, &one], &[&one]).is_empty(), "it came and went before");
        assert!(lost(&[&both], &[&one, &both]).is_empty(), "it comes and goes now");
        assert!(lost(&[&both], &[&load(&[], &[])]).is_empty(), "nothing is told of them");
    }

    #[test]
    fn a_page_that_paints_nothing_is_broken() {
        let (before, mut after) = (load(&[], &[]), load(&[], &[]));
        after.fcp = None;
        assert!(matches!(broken(&[seen(&before)], &[seen(&after)], &BTreeSet::new())[..], [Broken::Failed { .. }]));
    }

    #[test]
    fn screens_differ_where_they_do_and_not_by_what_moves_by_itself() {
        let load = load(&[], &[]);
        let (plain, marked, moved) = (picture(0), picture(40), picture(80));
        let with =
            |last: &'static [u8]| Seen { load: Box::leak(Box::new(load.clone())), last: Some(last), failed: None };
        let leak = |p: &Vec<u8>| -> &'static [u8] { Box::leak(p.clone().into_boxed_slice()) };
        let found = broken(&[with(leak(&plain)), with(leak(&plain))], &[with(leak(&marked))], &BTreeSet::new());
        assert!(matches!(found[..], [Broken::Screen { share }] if (share - 0.25).abs() < 0.06), "{found:?}");
        // A slider that stands elsewhere in each load shows nothing.
        assert!(broken(&[with(leak(&plain)), with(leak(&moved))], &[with(leak(&marked))], &BTreeSet::new()).is_empty());
    }
}
