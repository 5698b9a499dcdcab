//! Loads over HTTP/1.1, made by a browser of a few lines: six connections a host, opened for whoever wants one, the
//! next that is free to whoever is most urgent. A model of such a load comes back as it was, and without one of its
//! files, or with one that the server has sooner, it comes to what that browser makes of it.

#![allow(clippy::unwrap_used)]

use phainon_core::forecast::Model;
use phainon_core::{Edit, Load, Millis, NoBodies, Prepared, Request, RequestId, ResourceKey, ResourceKind};
use proptest::prelude::*;
use std::sync::Arc;

/// What a page asks for.
#[derive(Debug, Clone)]
struct Asked {
    at: f64,
    urgency: usize,
    /// From being sent to the last byte.
    takes: f64,
}

/// When a file was sent, and for which connection; when that began to be opened, where it was opened for the file.
#[derive(Debug, Clone, Copy, Default)]
struct Sent {
    at: f64,
    connection: u64,
    connecting: Option<f64>,
}

const MOST: usize = 6;
const OPENS: f64 = 60.0;
const WORDS: [&str; 4] = ["VeryHigh", "High", "Medium", "Low"];
const HOST: &str = "http://www.skerryline.test";

#[derive(Debug, Clone, Copy, PartialEq)]
enum Connection {
    Opening {
        by: usize,
        since: f64,
    },
    Busy {
        until: f64,
    },
    /// With when it began to be opened, as long as nothing has come over it.
    Idle {
        since: f64,
        new: Option<f64>,
    },
    Closed,
}

/// Goes from one thing that happens to the next, as long as anything does.
fn browse(files: &[Option<Asked>], keeps: bool) -> Vec<Option<Sent>> {
    let mut connections: Vec<Connection> = Vec::new();
    let mut sent: Vec<Option<Sent>> = vec![None; files.len()];
    let mut waiting: Vec<usize> = Vec::new();
    let mut now = -1.0;
    loop {
        let comes = files.iter().flatten().map(|f| f.at).filter(|at| *at > now);
        let happens = connections.iter().filter_map(|c| match c {
            Connection::Opening { since, .. } => Some(since + OPENS),
            Connection::Busy { until } => Some(*until),
            _ => None,
        });
        let Some(next) = comes.chain(happens).reduce(f64::min) else { break };
        now = next;
        for connection in &mut connections {
            if let Connection::Busy { until } = *connection
                && until <= now
            {
                *connection = if keeps { Connection::Idle { since: until, new: None } } else { Connection::Closed };
            }
        }
        for place in 0..connections.len() {
            let Connection::Opening { by, since } = connections[place] else { continue };
            if since + OPENS > now {
                continue;
            }
            let has_one = |file: usize, connections: &[Connection]| {
                connections.iter().any(|c| matches!(c, Connection::Opening { by, .. } if *by == file))
            };
            let urgency = |file: &usize| files[*file].as_ref().unwrap().urgency;
            let before = waiting.iter().copied().filter(|w| urgency(w) < urgency(&by) && !has_one(*w, &connections));
            let file = before.min_by_key(|w| (urgency(w), *w)).or(waiting.contains(&by).then_some(by));
            connections[place] = match file {
                Some(file) => {
                    waiting.retain(|w| *w != file);
                    let own = Sent {
                        at: now,
                        connection: place as u64 + 1,
                        connecting: Some(since.max(files[file].as_ref().unwrap().at)),
                    };
                    sent[file] = Some(own);
                    Connection::Busy { until: now + files[file].as_ref().unwrap().takes }
                }
                None => Connection::Idle { since: now, new: Some(since) },
            };
        }
        waiting.extend(files.iter().enumerate().filter_map(|(i, f)| f.as_ref().filter(|f| f.at == now).map(|_| i)));
        waiting.sort_by_key(|w| (files[*w].as_ref().unwrap().urgency, *w));
        while let Some(&file) = waiting.first() {
            let idle = connections.iter().enumerate().filter_map(|(place, c)| match c {
                Connection::Idle { since, new } => Some((place, *new, *since)),
                _ => None,
            });
            // Those that carried an answer before go first.
            let first = idle.max_by(|a, b| b.1.is_some().cmp(&a.1.is_some()).then(a.2.total_cmp(&b.2)));
            let Some((place, new, _)) = first else { break };
            waiting.remove(0);
            let connecting = new.map(|since| since.max(files[file].as_ref().unwrap().at));
            sent[file] = Some(Sent { at: now, connection: place as u64 + 1, connecting });
            connections[place] = Connection::Busy { until: now + files[file].as_ref().unwrap().takes };
        }
        for &file in &waiting {
            let open = connections.iter().filter(|c| **c != Connection::Closed).count();
            let has_one = connections.iter().any(|c| matches!(c, Connection::Opening { by, .. } if *by == file));
            if !has_one && open < MOST {
                connections.push(Connection::Opening { by: file, since: now });
            }
        }
    }
    sent
}

fn url(file: usize) -> String {
    format!("{HOST}/{file}.jpg")
}

/// The load of a page that asks for files.
fn load(files: &[Option<Asked>], keeps: bool) -> Load {
    let mut load = Load::empty(&format!("{HOST}/"));
    let mut document = Request::new(0, &load.url, ResourceKind::Document);
    document.end = Some(Millis(1.0));
    load.requests.push(document);
    for (i, (file, sent)) in files.iter().zip(browse(files, keeps)).enumerate() {
        let (Some(file), Some(sent)) = (file, sent) else { continue };
        let mut request = Request::new(u32::try_from(i).unwrap() + 1, &url(i), ResourceKind::Image);
        request.protocol = Some(if keeps { "http/1.1" } else { "http/1.0" }.into());
        request.priority = Some(WORDS[file.urgency].into());
        request.start = Millis(file.at);
        request.connection = Some(sent.connection);
        (request.connect_start, request.connect_end) =
            (sent.connecting.map(Millis), sent.connecting.map(|_| Millis(sent.at)));
        request.sent = Some(Millis(sent.at));
        request.first_byte = Some(Millis(sent.at + file.takes * 0.9));
        request.end = Some(Millis(sent.at + file.takes));
        load.requests.push(request);
    }
    load
}

fn files() -> impl Strategy<Value = Vec<Asked>> {
    // Whole milliseconds apart, and some hundredths that are each file's own: no two things happen at once by chance.
    let one = (1u32..40, 0..WORDS.len(), 4u32..30);
    prop::collection::vec(one, 1..24).prop_map(|drawn| {
        let mut at = 10.0;
        let mut files = Vec::new();
        for (i, (pause, urgency, takes)) in drawn.into_iter().enumerate() {
            let own = f64::from(u32::try_from(i).unwrap()) * 0.0113;
            at += f64::from(pause);
            files.push(Asked { at: at + own, urgency, takes: f64::from(takes) * 25.0 + own * std::f64::consts::PI });
        }
        files
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, max_global_rejects: 10_000, ..ProptestConfig::default() })]

    #[test]
    fn the_model_of_a_load_does_what_its_browser_would(files in files(), pick in any::<prop::sample::Index>(), keeps in any::<bool>()) {
        let mut files: Vec<Option<Asked>> = files.into_iter().map(Some).collect();
        let model = Model::of(&Arc::new(Prepared::plain(load(&files, keeps))));
        prop_assert!(model.astray() < 0.01, "{} ms astray", model.astray());
        let place = pick.index(files.len());
        let forecast = model.forecast(&[Edit::Remove { file: ResourceKey::of(&url(place)) }], &NoBodies);
        let before = browse(&files, keeps);
        // Who began to open a connection that another had in the end is not told.
        let begun_for_another = |s: &Sent| s.connecting.is_some_and(|at| s.at - at < OPENS - 0.001);
        prop_assume!(!before.iter().flatten().any(begun_for_another));
        files[place] = None;
        let after = browse(&files, keeps);
        for (i, (was, is)) in before.iter().zip(&after).enumerate().filter(|(i, _)| *i != place) {
            let id = RequestId(u32::try_from(i).unwrap() + 1);
            let moved = forecast.moved.iter().find(|m| m.request == id).and_then(|m| m.sent_ms);
            let told = moved.map_or(was.unwrap().at, |at| at.0);
            let really = is.unwrap().at;
            prop_assert!((told - really).abs() < 5.0, "file {i}: {told}, and {really} really; it was {}", was.unwrap().at);
        }
    }
}
