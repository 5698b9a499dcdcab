//! Repairs: each fault of the site can be mended, singly or together.

/// One repair.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Switch {
    /// The slider's hero stands in the HTML and is fetched first.
    HeroInHtml,
    /// The two scripts of the head are deferred.
    ScriptsDeferred,
    /// What the first screen needs is inline; the four sheets load late.
    SheetsReduced,
    /// The advert's picture is a tenth of its weight.
    AdvertReencoded,
    /// The consent bar has its space reserved.
    ConsentReserved,
}

impl Switch {
    /// All repairs, with the name they have in `?fix=` and in words.
    pub const ALL: [(Self, &'static str, &'static str); 5] = [
        (Self::HeroInHtml, "hero-in-html", "Hero in the HTML, fetched first"),
        (Self::ScriptsDeferred, "scripts-deferred", "Scripts of the head deferred"),
        (Self::SheetsReduced, "sheets-reduced", "First screen's styles inline, sheets late"),
        (Self::AdvertReencoded, "advert-reencoded", "Advert's picture re-encoded"),
        (Self::ConsentReserved, "consent-reserved", "Space reserved for the consent bar"),
    ];
}

/// The repairs that a visit has on.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Switches(Vec<Switch>);

impl Switches {
    /// Reads a comma-separated list of names; unknown ones are passed over.
    #[must_use]
    pub fn parse(list: &str) -> Self {
        Self(
            list.split([',', '+', ' '])
                .filter_map(|name| {
                    Switch::ALL.iter().find(|(_, id, _)| *id == name.trim()).map(|(switch, _, _)| *switch)
                })
                .collect(),
        )
    }

    /// From a query string or, where that names none, from the `Cookie` header.
    #[must_use]
    pub fn of(query: Option<&str>, cookie: Option<&str>) -> Self {
        let named = |text: &str, separator: char| {
            text.split(separator).find_map(|pair| pair.trim().strip_prefix("fix=").map(|v| v.replace("%2C", ",")))
        };
        let list = query.and_then(|q| named(q, '&')).or_else(|| cookie.and_then(|c| named(c, ';')));
        Self::parse(&list.unwrap_or_default())
    }

    /// Whether a repair is on.
    #[must_use]
    pub fn has(&self, switch: Switch) -> bool {
        self.0.contains(&switch)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_query_goes_before_the_cookie() {
        let both = Switches::of(Some("a=1&fix=hero-in-html%2Cno-such"), Some("x=y; fix=scripts-deferred"));
        assert!(both.has(Switch::HeroInHtml) && !both.has(Switch::ScriptsDeferred));
        assert!(Switches::of(None, Some("x=y; fix=scripts-deferred")).has(Switch::ScriptsDeferred));
        assert_eq!(Switches::of(Some("q=1"), None), Switches::default());
    }
}
