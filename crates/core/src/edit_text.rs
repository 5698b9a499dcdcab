//! Edits as the command line writes them: `KIND:TARGET[=VALUE]`.

use crate::server_work::{ServerPart, folded};
use crate::{Bytes, Edit, EditKind, Millis, Owner, OwnerKind, Prepared, Request, ResourceKey, Scope, server_timing};
use std::collections::BTreeSet;

/// Every kind, to find one by its word and to say which there are.
const KINDS: [EditKind; 34] = {
    use EditKind as K;
    [
        K::Remove,
        K::RemoveOwner,
        K::DeferScript,
        K::AsyncScript,
        K::DelayScript,
        K::ScriptToEnd,
        K::ReduceStyle,
        K::LiftImport,
        K::Preload,
        K::RaisePriority,
        K::PutInHtml,
        K::Lazy,
        K::Eager,
        K::Compress,
        K::Minify,
        K::Shrink,
        K::Resize,
        K::DropUnused,
        K::FasterResponse,
        K::PageCache,
        K::ServerRemove,
        K::ServerFaster,
        K::Nearer,
        K::Preconnect,
        K::SelfHost,
        K::DropRedirect,
        K::Http2,
        K::SetDimensions,
        K::ShowText,
        K::PreloadFont,
        K::SubsetFont,
        K::CacheLonger,
        K::SplitTask,
        K::StopForcedLayout,
    ]
};

impl Edit {
    /// Reads an edit of a load: TARGET is an address, or its end where only one file ends so, a host, or an
    /// owner's name. What is wrong is said in a sentence.
    pub fn parse(text: &str, prepared: &Prepared) -> Result<Self, String> {
        let (kind, rest) = text.split_once(':').unwrap_or((text, ""));
        let Some(kind) = KINDS.into_iter().find(|k| k.word() == kind) else {
            let known: Vec<String> = KINDS.iter().map(|k| k.word()).collect();
            return Err(format!("there is no edit “{kind}”; there are {}.", known.join(", ")));
        };
        if rest.is_empty() {
            return Err(format!("`{}` needs a target: `{}:ADDRESS`.", kind.word(), kind.word()));
        }
        let (target, value) = split_value(kind, rest);
        let file = || file(prepared, target).map(|url| ResourceKey::of(&url));
        let wants_none = |edit: Self| match value {
            Some(_) => Err(format!("`{}` takes no value.", kind.word())),
            None => Ok(edit),
        };
        match kind {
            EditKind::Remove => wants_none(Self::Remove { file: file()? }),
            EditKind::RemoveOwner => wants_none(Self::RemoveOwner { owner: owner(prepared, target)? }),
            EditKind::DeferScript => wants_none(Self::DeferScript { file: file()? }),
            EditKind::AsyncScript => wants_none(Self::AsyncScript { file: file()? }),
            EditKind::DelayScript => wants_none(Self::DelayScript { scope: scope(prepared, target)? }),
            EditKind::ScriptToEnd => wants_none(Self::ScriptToEnd { file: file()? }),
            EditKind::ReduceStyle => wants_none(Self::ReduceStyle { file: file()? }),
            EditKind::LiftImport => wants_none(Self::LiftImport { file: file()? }),
            EditKind::Preload => wants_none(Self::Preload { file: file()? }),
            EditKind::RaisePriority => wants_none(Self::RaisePriority { file: file()? }),
            EditKind::PutInHtml => wants_none(Self::PutInHtml { file: file()? }),
            EditKind::Lazy => wants_none(Self::Lazy { file: file()? }),
            EditKind::Eager => wants_none(Self::Eager { file: file()? }),
            EditKind::Compress => wants_none(Self::Compress { scope: scope(prepared, target)? }),
            EditKind::Minify => wants_none(Self::Minify { scope: scope(prepared, target)? }),
            EditKind::Shrink => {
                let url = self::file(prepared, target)?;
                let to = value.map(|v| size(v, weight(prepared, &url))).transpose()?;
                Ok(Self::Shrink { file: ResourceKey::of(&url), to })
            }
            EditKind::Resize => wants_none(Self::Resize { scope: scope(prepared, target)? }),
            EditKind::DropUnused => wants_none(Self::DropUnused { file: file()? }),
            EditKind::FasterResponse => {
                Ok(Self::FasterResponse { file: file()?, to: value.map(milliseconds).transpose()? })
            }
            EditKind::PageCache => wants_none(Self::PageCache { file: file()? }),
            EditKind::ServerRemove => wants_none(Self::ServerRemove { part: server_part(prepared, target)? }),
            EditKind::ServerFaster => {
                let share = value.and_then(|v| v.parse::<f64>().ok()).filter(|s| (0.0..=1.0).contains(s));
                let share = share.ok_or("`server_faster` needs the share of its time that is left, such as `=0.5`.")?;
                Ok(Self::ServerFaster { part: server_part(prepared, target)?, share })
            }
            EditKind::Nearer => {
                let value = value.ok_or("`nearer` needs a round trip, such as `=40ms`.")?;
                Ok(Self::Nearer { host: host(prepared, target)?, round_trip: milliseconds(value)? })
            }
            EditKind::Preconnect => wants_none(Self::Preconnect { host: host(prepared, target)? }),
            EditKind::SelfHost => wants_none(Self::SelfHost { file: file()? }),
            EditKind::DropRedirect => wants_none(Self::DropRedirect { file: file()? }),
            EditKind::Http2 => wants_none(Self::Http2 { host: host(prepared, target)? }),
            EditKind::SetDimensions => wants_none(Self::SetDimensions { scope: scope(prepared, target)? }),
            EditKind::ShowText => wants_none(Self::ShowText { file: file()? }),
            EditKind::PreloadFont => wants_none(Self::PreloadFont { file: file()? }),
            EditKind::SubsetFont => wants_none(Self::SubsetFont { file: file()? }),
            EditKind::CacheLonger => wants_none(Self::CacheLonger { scope: scope(prepared, target)? }),
            EditKind::SplitTask => wants_none(Self::SplitTask { file: file()? }),
            EditKind::StopForcedLayout => wants_none(Self::StopForcedLayout { file: file()? }),
        }
    }
}

/// A target may hold `=` itself, in a query: only what looks like the kind's value is one.
fn split_value(kind: EditKind, rest: &str) -> (&str, Option<&str>) {
    if kind == EditKind::ServerRemove {
        return (rest, None);
    }
    let takes = matches!(kind, EditKind::Shrink | EditKind::FasterResponse | EditKind::ServerFaster | EditKind::Nearer);
    match rest.rsplit_once('=') {
        Some((target, value)) if takes && value.starts_with(|c: char| c.is_ascii_digit() || c == '.') => {
            (target, Some(value))
        }
        Some((target, value)) if !takes && !rest.contains('?') => (target, Some(value)),
        _ => (rest, None),
    }
}

fn milliseconds(value: &str) -> Result<Millis, String> {
    let (number, factor) = match value.strip_suffix("ms") {
        Some(number) => (number, 1.0),
        None => (value.strip_suffix('s').unwrap_or(value), if value.ends_with('s') { 1000.0 } else { 1.0 }),
    };
    let ms = number.trim().parse::<f64>().ok().map(|n| n * factor).filter(|ms| (0.0..=600_000.0).contains(ms));
    ms.map(Millis).ok_or_else(|| format!("“{value}” is no time; write for example 60ms."))
}

/// `140906B`, `140kB`, `1.2MB`, or a share of what it is, such as `0.3`.
#[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, clippy::cast_precision_loss)]
fn size(value: &str, now: Option<u64>) -> Result<Bytes, String> {
    let wrong = || format!("“{value}” is no size; write for example 140906B, 140kB or, for a share of it, 0.3.");
    let unit =
        [("MB", 1e6), ("kB", 1e3), ("B", 1.0)].into_iter().find_map(|(unit, f)| Some((value.strip_suffix(unit)?, f)));
    let bytes = match unit {
        Some((number, factor)) => number.trim().parse::<f64>().map_err(|_| wrong())? * factor,
        None => {
            let share = value.parse::<f64>().ok().filter(|s| *s > 0.0 && *s < 1.0).ok_or_else(wrong)?;
            share * now.ok_or("how large it is was not recorded, so a share of it is not known.")? as f64
        }
    };
    (bytes.is_finite() && (1.0..1e10).contains(&bytes)).then_some(Bytes(bytes as u64)).ok_or_else(wrong)
}

fn weight(prepared: &Prepared, url: &str) -> Option<u64> {
    prepared.load.requests.iter().filter(|r| *r.url == *url).find_map(|r| r.unpacked.or(r.transferred)).map(|b| b.0)
}

/// The address of the one file that a target means.
fn file(prepared: &Prepared, target: &str) -> Result<String, String> {
    let network: Vec<&Request> = prepared.load.requests.iter().filter(|r| r.is_network()).collect();
    let key = ResourceKey::of(target);
    let exact =
        network.iter().find(|r| *r.url == *target).or_else(|| network.iter().find(|r| ResourceKey::of(&r.url) == key));
    if let Some(found) = exact {
        return Ok(found.url.to_string());
    }
    let bare = |r: &Request| r.url.split(['?', '#']).next().unwrap_or(&r.url).to_owned();
    let ends: Vec<&&Request> =
        network.iter().filter(|r| r.url.ends_with(target) || bare(r).ends_with(target)).collect();
    let files: BTreeSet<ResourceKey> = ends.iter().map(|r| ResourceKey::of(&r.url)).collect();
    match files.len() {
        1 => Ok(ends[0].url.to_string()),
        0 => Err(format!("this load asked for nothing that ends in “{target}”.")),
        several => {
            let some: Vec<&str> = files.iter().take(3).map(ResourceKey::as_str).collect();
            Err(format!(
                "{several} files of this load end in “{target}”: {}{}",
                some.join(", "),
                if several > 3 { " …" } else { "." }
            ))
        }
    }
}

fn host(prepared: &Prepared, target: &str) -> Result<String, String> {
    let bare =
        url::Url::parse(target).ok().and_then(|u| u.host_str().map(str::to_owned)).unwrap_or_else(|| target.to_owned());
    let asked = prepared.load.requests.iter().filter_map(Request::host).any(|h| h == bare);
    asked.then_some(bare).ok_or_else(|| format!("this load asked {target} for nothing."))
}

/// Owners that a response names in `Server-Timing`.
fn told_by_timing(prepared: &Prepared) -> impl Iterator<Item = Owner> {
    let timings = prepared.load.requests.iter().flat_map(|r| server_timing(&r.response_headers));
    timings.filter_map(|timing| prepared.owners.of_server_timing(&timing))
}

fn owner(prepared: &Prepared, target: &str) -> Result<Owner, String> {
    let owners: BTreeSet<Owner> = prepared
        .load
        .requests
        .iter()
        .map(|r| prepared.owners.request(r.id).clone())
        .chain(prepared.server.owners.iter().cloned())
        .chain(told_by_timing(prepared))
        .filter(|o| o.kind != OwnerKind::Browser)
        .collect();
    let found: Vec<&Owner> = owners.iter().filter(|o| o.key() == target || o.name == target).collect();
    match found.as_slice() {
        [one] => Ok((*one).clone()),
        [] => {
            let names: Vec<String> = owners.iter().map(|o| format!("“{}”", o.name)).collect();
            Err(format!("nobody in this load is called “{target}”; there are {}.", names.join(", ")))
        }
        _ => Err(format!("several owners are called “{target}”; write the kind before it, such as `plugin {target}`.")),
    }
}

/// An owner, or else a query by its text or the beginning of it, where only one begins so.
fn server_part(prepared: &Prepared, target: &str) -> Result<ServerPart, String> {
    let no_owner = match owner(prepared, target) {
        Ok(owner) => return Ok(ServerPart::Owner { owner }),
        Err(why) => why,
    };
    let wanted = folded(target);
    let statements: BTreeSet<&str> = prepared.server.statements.iter().filter_map(|s| s.as_deref()).collect();
    if statements.contains(wanted.as_str()) {
        return Ok(ServerPart::Query { query: wanted });
    }
    let begin: Vec<&str> = statements.into_iter().filter(|s| s.starts_with(&wanted)).collect();
    match begin.as_slice() {
        [one] => Ok(ServerPart::Query { query: (*one).to_owned() }),
        [] => Err(no_owner),
        several => Err(format!("{} queries of this load begin with “{target}”.", several.len())),
    }
}

/// A file, or else an owner.
fn scope(prepared: &Prepared, target: &str) -> Result<Scope, String> {
    match (file(prepared, target), owner(prepared, target)) {
        (Ok(url), _) => Ok(Scope::file(&url)),
        (Err(_), Ok(owner)) => Ok(Scope::Owner { owner }),
        (Err(why), Err(_)) => Err(why),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Load, ResourceKind};

    fn prepared() -> Prepared {
        let mut load = Load::empty("http://www.a.test/");
        for (id, url, kind) in [
            (0, "http://www.a.test/", ResourceKind::Document),
            (1, "http://www.a.test/plugins/deck/slider.js?v=3", ResourceKind::Script),
            (2, "http://www.a.test/theme/base.css", ResourceKind::Style),
            (3, "http://www.a.test/other/base.css", ResourceKind::Style),
            (4, "http://cdn.b.test/x.js?id=a=b", ResourceKind::Script),
            (5, "http://www.a.test/hero.jpg", ResourceKind::Image),
        ] {
            let mut request = Request::new(id, url, kind);
            request.unpacked = Some(Bytes(1_000));
            load.requests.push(request);
        }
        Prepared::plain(load)
    }

    #[test]
    fn files_hosts_and_owners_are_found_by_what_tells_them_apart() {
        let prepared = prepared();
        let key = |text: &str| Edit::parse(text, &prepared).map(|e| e.key());
        assert_eq!(key("defer_script:slider.js").as_deref(), Ok("defer_script www.a.test/plugins/deck/slider.js"));
        assert_eq!(key("remove:http://cdn.b.test/x.js?id=a=b").as_deref(), Ok("remove cdn.b.test/x.js?id=a=b"));
        assert_eq!(key("remove_owner:deck").as_deref(), Ok("remove_owner plugin deck"));
        assert_eq!(key("delay_script:b.test").as_deref(), Ok("delay_script third_party b.test"));
        assert_eq!(key("preconnect:cdn.b.test").as_deref(), Ok("preconnect cdn.b.test"));
        let to = |text: &str| match Edit::parse(text, &prepared) {
            Ok(Edit::Shrink { to, .. }) => to,
            other => panic!("{other:?}"),
        };
        assert_eq!(to("shrink:hero.jpg=0.3"), Some(Bytes(300)));
        assert_eq!(to("shrink:hero.jpg=140906B"), Some(Bytes(140_906)));
        assert_eq!(to("shrink:hero.jpg"), None);
        assert!(
            matches!(Edit::parse("nearer:www.a.test=40ms", &prepared), Ok(Edit::Nearer { round_trip: Millis(ms), .. }) if ms == 40.0)
        );
    }

    #[test]
    fn what_is_wrong_is_said() {
        let prepared = prepared();
        let wrong = |text: &str| Edit::parse(text, &prepared).expect_err(text);
        assert!(wrong("paint:x").contains("there is no edit “paint”"));
        assert!(wrong("remove").contains("needs a target"));
        assert!(wrong("remove:base.css").contains("2 files"));
        assert!(wrong("remove:none.css").contains("nothing that ends in"));
        assert!(wrong("remove_owner:gull").contains("“deck”"));
        assert!(wrong("faster_response:hero.jpg=soon").contains("nothing that ends in"));
        assert!(wrong("nearer:www.a.test").contains("needs a round trip"));
        assert!(wrong("shrink:hero.jpg=0kB").contains("no size"));
    }

    #[test]
    fn every_kind_has_a_word_of_its_own() {
        let words: BTreeSet<String> = KINDS.iter().map(|k| k.word()).collect();
        assert_eq!(words.len(), KINDS.len());
    }
}
