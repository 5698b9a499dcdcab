//! Owners: who a cost belongs to. Each request and each piece of work has exactly one.

use crate::{InitiatorKind, Load, Request, RequestId, ServerTiming, Span, Work};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::Arc;
use ts_rs::TS;

/// What kind of owner it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum OwnerKind {
    /// The site's own code and files.
    Site,
    /// A theme of the site's content system.
    Theme,
    /// A plugin, module or package.
    Plugin,
    /// Another registrable domain.
    ThirdParty,
    /// The browser's own work for the page as a whole.
    Browser,
}

/// An owner.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct Owner {
    pub name: String,
    pub kind: OwnerKind,
}

impl Owner {
    /// By the name alone, as earlier versions wrote owners: a domain is a third party, `site` and
    /// `page` are what they say, anything else was a plugin.
    #[must_use]
    pub fn named(name: &str) -> Self {
        match name {
            "site" => Self::site(),
            "page" => Self::page(),
            _ if name.contains('.') => Self { name: name.to_owned(), kind: OwnerKind::ThirdParty },
            _ => Self { name: name.to_owned(), kind: OwnerKind::Plugin },
        }
    }

    /// Kind and name together: what tells one owner from another.
    #[must_use]
    pub fn key(&self) -> String {
        let kind = match self.kind {
            OwnerKind::Site => "site",
            OwnerKind::Theme => "theme",
            OwnerKind::Plugin => "plugin",
            OwnerKind::ThirdParty => "third_party",
            OwnerKind::Browser => "browser",
        };
        format!("{kind} {}", self.name)
    }

    fn site() -> Self {
        Self { name: "site".into(), kind: OwnerKind::Site }
    }

    /// Style, layout and paint that no script forced.
    #[must_use]
    pub fn page() -> Self {
        Self { name: "page".into(), kind: OwnerKind::Browser }
    }
}

/// What a rule's pattern is looked for in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum RuleOn {
    /// The address of a file, without its scheme.
    #[default]
    Address,
    /// The text of a query, its values folded.
    Query,
    /// The name, the function and the file of a span.
    Function,
}

/// A rule of the site's own: the first whose pattern occurs wins.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub struct OwnerRule {
    pub pattern: String,
    #[serde(default)]
    pub on: RuleOn,
    pub owner: Owner,
}

impl OwnerRule {
    /// Whether its pattern occurs; case counts, since it does in paths.
    #[must_use]
    pub fn fits(&self, on: RuleOn, text: &str) -> bool {
        self.on == on && !self.pattern.is_empty() && text.contains(&self.pattern)
    }
}

/// The registrable domain of a host by the public-suffix list; an address or a bare name is itself.
#[must_use]
pub fn registrable_domain(host: &str) -> String {
    let host = host.trim_end_matches('.').to_ascii_lowercase();
    if host.parse::<std::net::IpAddr>().is_ok() || host.starts_with('[') {
        return host;
    }
    psl::domain_str(&host).map_or_else(|| host.clone(), str::to_owned)
}

/// Path folders that many content systems and bundlers share, and what stands behind them.
const FOLDERS: [(&str, OwnerKind); 8] = [
    ("plugins", OwnerKind::Plugin),
    ("modules", OwnerKind::Plugin),
    ("extensions", OwnerKind::Plugin),
    ("addons", OwnerKind::Plugin),
    ("themes", OwnerKind::Theme),
    ("node_modules", OwnerKind::Plugin),
    ("site-packages", OwnerKind::Plugin),
    ("dist-packages", OwnerKind::Plugin),
];

fn by_path(path: &str) -> Option<Owner> {
    let parts: Vec<&str> = path.split('/').filter(|p| !p.is_empty()).collect();
    for (index, part) in parts.iter().enumerate() {
        // The last part is a file, never an owner's folder.
        let name = parts.get(index + 1).filter(|_| index + 2 < parts.len());
        if let (Some(name), Some((_, kind))) = (name, FOLDERS.iter().find(|(folder, _)| folder == part)) {
            let scoped = name.starts_with('@') && *part == "node_modules" && index + 3 < parts.len();
            let name = if scoped { format!("{name}/{}", parts[index + 2]) } else { (*name).to_owned() };
            return Some(Owner { name, kind: *kind });
        }
        if *part == "vendor" && index + 3 < parts.len() {
            return Some(Owner { name: format!("{}/{}", parts[index + 1], parts[index + 2]), kind: OwnerKind::Plugin });
        }
    }
    None
}

/// Whom a URL belongs to by rules, path conventions and host alone.
fn by_url(url: &str, site: &str, rules: &[OwnerRule]) -> Owner {
    let bare = url.split_once("://").map_or(url, |(_, rest)| rest);
    if let Some(rule) = rules.iter().find(|r| r.fits(RuleOn::Address, bare)) {
        return rule.owner.clone();
    }
    let Ok(parsed) = url::Url::parse(url) else { return Owner::site() };
    let domain = parsed.host_str().map(registrable_domain);
    if let Some(owner) = by_path(parsed.path()) {
        return owner;
    }
    match domain {
        Some(domain) if domain != site => Owner { name: domain, kind: OwnerKind::ThirdParty },
        _ => Owner::site(),
    }
}

/// An owner's place in the table of a load's owners.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct OwnerId(u32);

/// The owner of every request and piece of work of one load. Each owner stands in the table once;
/// requests and addresses point to it.
#[derive(Debug, Clone)]
pub struct Owners {
    site: String,
    rules: Vec<OwnerRule>,
    table: Vec<Owner>,
    requests: Vec<OwnerId>,
    /// Set where a request belongs to whoever inserted it rather than to where it lies.
    inserted: Vec<bool>,
    urls: HashMap<Arc<str>, OwnerId>,
}

impl Owners {
    /// Works out every request's owner, and that of every address that work names.
    #[must_use]
    pub fn of(load: &Load, rules: &[OwnerRule]) -> Self {
        let site_host = load
            .document()
            .and_then(Request::host)
            .or_else(|| url::Url::parse(&load.url).ok()?.host_str().map(str::to_owned));
        let site = site_host.as_deref().map(registrable_domain).unwrap_or_default();
        let mut owners = Self {
            site,
            rules: rules.to_vec(),
            table: vec![Owner::page()],
            requests: Vec::with_capacity(load.requests.len()),
            inserted: Vec::new(),
            urls: HashMap::new(),
        };
        let mut known: HashMap<Owner, OwnerId> = HashMap::from([(Owner::page(), OwnerId(0))]);
        for url in load.requests.iter().map(|r| &r.url).chain(load.work.iter().filter_map(|w| w.url.as_ref())) {
            if !owners.urls.contains_key(url) {
                let owner = by_url(url, &owners.site, &owners.rules);
                let id = owners.intern(owner, &mut known);
                owners.urls.insert(url.clone(), id);
            }
        }
        for request in &load.requests {
            let (owner, inserted) = owners.of_request(request);
            let id = owners.intern(owner, &mut known);
            owners.requests.push(id);
            owners.inserted.push(inserted);
        }
        owners
    }

    fn intern(&mut self, owner: Owner, known: &mut HashMap<Owner, OwnerId>) -> OwnerId {
        if let Some(id) = known.get(&owner) {
            return *id;
        }
        let id = OwnerId(u32::try_from(self.table.len()).unwrap_or(u32::MAX));
        known.insert(owner.clone(), id);
        self.table.push(owner);
        id
    }

    fn of_request(&self, request: &Request) -> (Owner, bool) {
        let own = self.of_url(&request.url);
        // The site's own file that a plugin's script asked for belongs to that plugin.
        if own.kind == OwnerKind::Site && request.initiator.kind == InitiatorKind::Script {
            let callers = request.initiator.stack.iter().chain(request.initiator.url.iter());
            for caller in callers {
                let inserter = self.of_url(caller);
                if inserter.kind != OwnerKind::Site {
                    return (inserter, true);
                }
            }
        }
        (own, false)
    }

    /// Whom a script, sheet or file with this address belongs to.
    #[must_use]
    pub fn of_url(&self, url: &str) -> Owner {
        match self.urls.get(url) {
            Some(id) => self.table[id.0 as usize].clone(),
            None => by_url(url, &self.site, &self.rules),
        }
    }

    /// Whose a span is by the site's rules, the server's own word, or the file of its code; `None` where it is
    /// whoever's the span around it is. `statement` is its query with the values folded.
    #[must_use]
    pub fn of_span(&self, span: &Span, statement: Option<&str>) -> Option<Owner> {
        let texts = [Some(&span.name), span.function.as_ref(), span.file.as_ref()];
        let by_rule = self.rules.iter().find(|rule| {
            statement.is_some_and(|text| rule.fits(RuleOn::Query, text))
                || texts.iter().flatten().any(|text| rule.fits(RuleOn::Function, text))
        });
        let told = || {
            let (name, theme) = span.told_owner.as_ref()?;
            let kind = if *theme { OwnerKind::Theme } else { OwnerKind::Plugin };
            Some(Owner { name: name.clone(), kind })
        };
        let by_file = || by_path(&span.file.as_deref()?.replace('\\', "/"));
        by_rule.map(|rule| rule.owner.clone()).or_else(told).or_else(by_file)
    }

    /// Whose a function on the server is by the site's rules or by the file that it stands in; `None` where neither
    /// names anybody.
    #[must_use]
    pub fn of_code(&self, function: &str, file: &str) -> Option<Owner> {
        let fits = |rule: &&OwnerRule| [function, file].iter().any(|text| rule.fits(RuleOn::Function, text));
        let by_rule = self.rules.iter().find(fits).map(|rule| rule.owner.clone());
        by_rule.or_else(|| by_path(&file.replace('\\', "/")))
    }

    /// Those of a site's server without a load: by the site's rules and by where files lie.
    #[must_use]
    pub fn by_rules(rules: &[OwnerRule]) -> Self {
        Self::of(&Load::empty(""), rules)
    }

    /// Whose what is on the server that nobody else claims.
    #[must_use]
    pub fn of_server(&self) -> Owner {
        Owner::site()
    }

    /// Whose an entry of `Server-Timing` is: an owner of that name that is known by its files, or a plugin where the
    /// entry says so. Others are parts of the work, or sums of it, that nobody is named for.
    #[must_use]
    pub fn of_server_timing(&self, entry: &ServerTiming) -> Option<Owner> {
        let known = self.table.iter().find(|owner| owner.name == entry.name && owner.kind != OwnerKind::Browser);
        let says_plugin = entry.description.as_deref().is_some_and(|d| d.starts_with("plugin"));
        match known {
            Some(owner) => Some(owner.clone()),
            None => says_plugin.then(|| Owner { name: entry.name.clone(), kind: OwnerKind::Plugin }),
        }
    }

    /// A request's owner.
    #[must_use]
    pub fn request(&self, id: RequestId) -> &Owner {
        &self.table[self.requests[id.0 as usize].0 as usize]
    }

    /// Whether a request is counted to its inserter.
    #[must_use]
    pub fn was_inserted(&self, id: RequestId) -> bool {
        self.inserted[id.0 as usize]
    }

    /// The site's registrable domain.
    #[must_use]
    pub fn site(&self) -> &str {
        &self.site
    }

    /// The script to blame for each piece of work: its own, else that of the nearest script around
    /// it (so a layout that a script forced is the script's), else none.
    #[must_use]
    pub fn blame(work: &[Work], parents: &[Option<usize>]) -> Vec<Option<Arc<str>>> {
        let mut blamed: Vec<Option<Arc<str>>> = Vec::with_capacity(work.len());
        for (index, piece) in work.iter().enumerate() {
            let own = piece.url.clone().filter(|u| !u.is_empty());
            let inherited = parents[index].and_then(|parent| blamed[parent].clone());
            blamed.push(own.or(inherited));
        }
        blamed
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ResourceKind;

    #[test]
    fn conventions_hosts_and_rules_name_the_owner() {
        let rules = [OwnerRule {
            pattern: "cdn.skerryline.test/widgets/".into(),
            on: RuleOn::Address,
            owner: Owner { name: "widgets".into(), kind: OwnerKind::Plugin },
        }];
        let named = |url: &str| by_url(url, "skerryline.test", &rules).name;
        assert_eq!(named("http://static.skerryline.test/plugins/deck-slider/slider.js"), "deck-slider");
        assert_eq!(named("http://www.skerryline.test/themes/tidemark/base.css"), "tidemark");
        assert_eq!(named("http://www.skerryline.test/app/node_modules/@keel/core/index.js"), "@keel/core");
        assert_eq!(named("http://www.skerryline.test/vendor/keel/rope/rope.css"), "keel/rope");
        assert_eq!(named("http://www.skerryline.test/plugins/all.js"), "site");
        assert_eq!(named("http://cdn.skerryline.test/widgets/a.js"), "widgets");
        assert_eq!(named("http://a.b.example.co.uk/x/y.js"), "example.co.uk");
        assert_eq!(named("http://127.0.0.1:99/x.js"), "127.0.0.1");
    }

    #[test]
    fn a_picture_that_a_plugin_inserts_is_the_plugins() {
        let mut load = Load::empty("http://www.skerryline.test/");
        load.requests.push(Request::new(0, "http://www.skerryline.test/", ResourceKind::Document));
        let mut hero = Request::new(1, "http://static.skerryline.test/media/hero.jpg", ResourceKind::Image);
        hero.initiator.kind = InitiatorKind::Script;
        hero.initiator.stack = vec!["http://static.skerryline.test/plugins/deck-slider/slider.js".into()];
        load.requests.push(hero);
        let owners = Owners::of(&load, &[]);
        assert_eq!(owners.request(RequestId(1)).name, "deck-slider");
        assert!(owners.was_inserted(RequestId(1)));
    }
}
