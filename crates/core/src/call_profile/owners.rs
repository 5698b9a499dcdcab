//! Whose the functions of a profile are.

use super::{CallProfile, CodeFunction};
use crate::Owner;
use crate::owners::Owners;
use std::collections::{BTreeMap, HashMap};

/// Shares are followed up through so many calls of code that is nobody's own.
const ROUNDS: usize = 64;
/// What is left of a share below this is not followed further.
const ENOUGH: f64 = 1e-9;

/// Where systems keep libraries (Filesystem Hierarchy Standard 3.0).
const SYSTEM: [&str; 6] = ["/usr/lib", "/usr/local/lib/", "/usr/include/", "/usr/share/php/", "/lib/", "/lib64/"];

/// Whether a function is the language's or the system's own: what it does, it does for who calls it.
fn is_runtime(function: &CodeFunction, file: &str) -> bool {
    // Libraries; a site may well lie under /usr/share or /usr/local/www.
    let of_system = |path: &str| SYSTEM.iter().any(|folder| path.starts_with(folder));
    matches!(file, "" | "php:internal" | "???" | "~")
        || file.starts_with('<')
        || of_system(file)
        || function.object.as_deref().is_some_and(|object| of_system(object) || object == "???")
}

/// How an owner's part of one measure comes about.
#[derive(Debug, Default, Clone)]
pub struct Part {
    /// Of the whole, in the file's units: what its functions took, and what the language's own took for them.
    pub own: f64,
    /// Functions that are its own.
    pub functions: u32,
    /// Calls of them.
    pub calls: u64,
}

/// Whose each function is; `None` of the language's and the system's own.
pub(super) fn owners_of(profile: &CallProfile, owners: &Owners) -> Vec<Option<Owner>> {
    let of = |function: &CodeFunction| {
        let file = profile.files.get(function.file as usize).map_or("", String::as_str);
        let named = owners.of_code(&function.name, file);
        named.or_else(|| (!is_runtime(function, file)).then(|| owners.of_server()))
    };
    profile.functions.iter().map(of).collect()
}

/// What each owner took of a measure. What the language's own functions took goes to who called them, in the share of
/// the calls' cost; where nobody did, to the site. The parts are the whole.
#[allow(clippy::cast_precision_loss)]
pub(super) fn parts(
    profile: &CallProfile,
    of_functions: &[Option<Owner>],
    measure: usize,
    server: Owner,
) -> BTreeMap<Owner, Part> {
    let mut parts: BTreeMap<Owner, Part> = BTreeMap::new();
    // What is to be handed on, by function that is nobody's.
    let mut waiting: HashMap<u32, f64> = HashMap::new();
    for (place, (function, owner)) in profile.functions.iter().zip(of_functions).enumerate() {
        let own = function.own.get(measure).copied().unwrap_or(0) as f64;
        match owner {
            Some(owner) => {
                let part = parts.entry(owner.clone()).or_default();
                part.own += own;
                part.functions += 1;
            }
            None => {
                waiting.insert(u32::try_from(place).unwrap_or(u32::MAX), own);
            }
        }
    }
    let mut callers: HashMap<u32, Vec<(u32, f64)>> = HashMap::new();
    for call in &profile.calls {
        if let Some(Some(owner)) = of_functions.get(call.to as usize) {
            parts.entry(owner.clone()).or_default().calls += call.count;
        } else if call.from != call.to {
            let cost = call.cost.get(measure).copied().unwrap_or(0).unsigned_abs() as f64;
            // Calls that cost nothing still tell who called, where all did.
            callers.entry(call.to).or_default().push((call.from, cost + call.count as f64 * 1e-6));
        }
    }
    let mut nobodys = 0.0;
    for round in 0..=ROUNDS {
        let mut next: HashMap<u32, f64> = HashMap::new();
        let mut places: Vec<(u32, f64)> = waiting.drain().collect();
        places.sort_unstable_by_key(|(place, _)| *place);
        for (place, cost) in places {
            let all: &[(u32, f64)] = callers.get(&place).map_or(&[], Vec::as_slice);
            let sum: f64 = all.iter().map(|(_, share)| share).sum();
            if all.is_empty() || sum <= 0.0 || round == ROUNDS || cost.abs() < ENOUGH {
                nobodys += cost;
                continue;
            }
            for (caller, share) in all {
                let handed = cost * share / sum;
                match &of_functions[*caller as usize] {
                    Some(owner) => parts.entry(owner.clone()).or_default().own += handed,
                    None => *next.entry(*caller).or_default() += handed,
                }
            }
        }
        waiting = next;
    }
    if nobodys != 0.0 {
        parts.entry(server).or_default().own += nobodys;
    }
    parts
}
