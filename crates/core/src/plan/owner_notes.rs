//! What is known of an owner beyond what a recording tells, and what that means for fixes that touch it.

use crate::server_work::ServerPart;
use crate::{Edit, Effort, Owner, Risk, Scope};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How much an owner is needed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Need {
    /// Nobody has said.
    #[default]
    Unknown,
    /// The site cannot be without it.
    Needed,
    /// Something else could take its place.
    Replaceable,
    /// Nobody would miss it.
    NotNeeded,
}

/// A note on an owner.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(default)]
#[ts(export_to = "types.ts")]
pub struct OwnerNote {
    /// How much it is needed.
    pub need: Need,
    /// Whether it holds data that would have to be moved.
    pub holds_data: bool,
    /// Whether it is under the site's own control; `None` where nobody has said.
    pub ours: Option<bool>,
    /// What it is for. Of several owners of one purpose, one may be too many.
    pub purposes: Vec<String>,
    /// Who decides about it.
    pub decides: String,
    /// Anything else.
    pub note: String,
}

/// Effort and risk of a fix, and why they are not what its kind usually takes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Shaped {
    pub effort: Effort,
    pub risk: Risk,
    /// In one sentence each.
    pub because: Vec<String>,
}

/// Points of effort: a small thing is one, what takes a few times as long three, what takes a project eight.
#[must_use]
pub fn points(effort: Effort) -> f64 {
    match effort {
        Effort::Small => 1.0,
        Effort::Medium => 3.0,
        Effort::Large => 8.0,
    }
}

/// Whether a fix takes an owner away, for good or until the first input.
fn takes_away(edit: &Edit, owner: &Owner) -> bool {
    match edit {
        Edit::RemoveOwner { owner: of } | Edit::ServerRemove { part: ServerPart::Owner { owner: of } } => of == owner,
        Edit::DelayScript { scope: Scope::Owner { owner: of } | Scope::Kind { owner: of, .. } } => of == owner,
        _ => false,
    }
}

/// Effort and risk of a fix that is about something of an owner.
#[must_use]
pub fn shaped(edit: &Edit, owner: &Owner, note: Option<&OwnerNote>) -> Shaped {
    let (effort, risk) = edit.kind().usual();
    let mut shaped = Shaped { effort, risk, because: Vec::new() };
    let Some(note) = note else { return shaped };
    let away = matches!(edit, Edit::RemoveOwner { .. } | Edit::ServerRemove { part: ServerPart::Owner { .. } });
    if takes_away(edit, owner) {
        match note.need {
            Need::Needed if away => {
                (shaped.effort, shaped.risk) = (Effort::Large, Risk::AskFirst);
                shaped.because.push(format!("{} is needed: something else would have to do its work.", owner.name));
            }
            Need::Needed => {
                shaped.because.push(format!("{} is needed: it must still work after the first input.", owner.name))
            }
            Need::Replaceable => {
                shaped.effort = shaped.effort.max(Effort::Medium);
                shaped.because.push(format!("{} can be replaced, which is work of its own.", owner.name));
            }
            Need::NotNeeded => {
                shaped.risk = Risk::Low;
                shaped.because.push(format!("Nobody needs {}.", owner.name));
            }
            Need::Unknown => {}
        }
        if note.holds_data && away {
            (shaped.effort, shaped.risk) = (Effort::Large, Risk::AskFirst);
            shaped.because.push(format!("{} holds data that would have to be moved.", owner.name));
        }
    }
    if note.ours == Some(false) && shaped.risk == Risk::MayBreak {
        shaped.risk = Risk::AskFirst;
        shaped.because.push(format!("{} is not under the site's control.", owner.name));
    }
    if !note.decides.trim().is_empty() && shaped.risk == Risk::AskFirst {
        shaped.because.push(format!("{} decides.", note.decides.trim()));
    }
    shaped
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ResourceKey;

    #[test]
    fn what_is_known_of_an_owner_shapes_what_would_take_it_away_and_nothing_else() {
        let owner = Owner::named("chart-plugin");
        let remove = Edit::RemoveOwner { owner: owner.clone() };
        let of = |edit: &Edit, need, holds_data| {
            let note = OwnerNote { need, holds_data, decides: "Runa".into(), ..OwnerNote::default() };
            let Shaped { effort, risk, because } = shaped(edit, &owner, Some(&note));
            (effort, risk, because.len())
        };
        assert_eq!(shaped(&remove, &owner, None).because, Vec::<String>::new());
        assert_eq!(of(&remove, Need::Unknown, false), (Effort::Small, Risk::AskFirst, 1), "who decides is said");
        assert_eq!(of(&remove, Need::Needed, false), (Effort::Large, Risk::AskFirst, 2));
        assert_eq!(of(&remove, Need::Replaceable, true), (Effort::Large, Risk::AskFirst, 3));
        assert_eq!(of(&remove, Need::NotNeeded, false), (Effort::Small, Risk::Low, 1));
        let defer = Edit::DeferScript { file: ResourceKey::of("http://a.test/plugins/chart-plugin/a.js") };
        assert_eq!(of(&defer, Need::Needed, true), (Effort::Medium, Risk::MayBreak, 0));
        let foreign = OwnerNote { ours: Some(false), ..OwnerNote::default() };
        assert_eq!(shaped(&defer, &owner, Some(&foreign)).risk, Risk::AskFirst, "somebody else would have to do it");
    }
}
