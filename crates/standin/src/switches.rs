//! Repairs: each fault of the site can be mended, singly or together; and each plugin can be switched off.

use std::collections::BTreeSet;

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
    /// Pages come from a page cache: made once, then handed out.
    PageCache,
    /// Text is shown in another font until its own is there, which is asked for at once.
    FontSwap,
    /// Pictures below the fold load when they are near the screen.
    PicturesLazy,
    /// Pictures in the size at which they are shown.
    PicturesSized,
    /// The timetable's tides are asked for in one query.
    QueryBatched,
    /// The timetable's rows stand in the HTML.
    RowsInHtml,
    /// The timetable's script measures once, not after every row.
    LayoutBatched,
    /// The chat loads at the first input.
    ChatDelayed,
    /// The tag manager loads three seconds after the load event.
    TagsDelayed,
    /// The booking answers first and counts berths afterwards, in pieces.
    AnswerSplit,
    /// The notice's inline style is what the first screen needs.
    StyleInFile,
    /// The film's player loads when it is started.
    PlayerOnDemand,
    /// The notice's sheets do not import each other.
    ImportsFlat,
    /// Files of the site may be kept for a year.
    CacheLong,
    /// Text of the site is sent packed.
    TextPacked,
    /// Files of the site are asked for without cookies.
    CookiesOff,
}

impl Switch {
    /// All repairs, with the name they have in `?fix=` and in words.
    pub const ALL: [(Self, &'static str, &'static str); 21] = [
        (Self::HeroInHtml, "hero-in-html", "Hero in the HTML, fetched first"),
        (Self::ScriptsDeferred, "scripts-deferred", "Scripts of the head deferred"),
        (Self::SheetsReduced, "sheets-reduced", "First screen's styles inline, sheets late"),
        (Self::AdvertReencoded, "advert-reencoded", "Advert's picture re-encoded"),
        (Self::ConsentReserved, "consent-reserved", "Space reserved for the consent bar"),
        (Self::PageCache, "page-cache", "Pages from a page cache"),
        (Self::FontSwap, "font-swap", "Text shown while its font loads"),
        (Self::PicturesLazy, "pictures-lazy", "Pictures below the fold load late"),
        (Self::PicturesSized, "pictures-sized", "Pictures in the size shown"),
        (Self::QueryBatched, "query-batched", "Tides in one query"),
        (Self::RowsInHtml, "rows-in-html", "Timetable's rows in the HTML"),
        (Self::LayoutBatched, "layout-batched", "Timetable measured once"),
        (Self::ChatDelayed, "chat-delayed", "Chat at the first input"),
        (Self::TagsDelayed, "tags-delayed", "Tag manager after the load"),
        (Self::AnswerSplit, "answer-split", "Booking answers first, counts afterwards"),
        (Self::StyleInFile, "style-in-file", "Notice with little inline style"),
        (Self::PlayerOnDemand, "player-on-demand", "Film's player when started"),
        (Self::ImportsFlat, "imports-flat", "Notice's sheets without imports"),
        (Self::CacheLong, "cache-long", "Site's files kept for a year"),
        (Self::TextPacked, "text-packed", "Site's text sent packed"),
        (Self::CookiesOff, "cookies-off", "Site's files without cookies"),
    ];
}

/// Plugins that can be switched off, as the content system's own page of plugins lists them.
pub const PLUGINS: [&str; 13] = [
    "berth-booking",
    "consent-bar",
    "deck-slider",
    "easy-forms",
    "form-builder",
    "gull-stats",
    "harbour-guard",
    "night-vault",
    "picture-press",
    "review-stars",
    "search-beacon",
    "share-buoys",
    "tide-table",
];

/// What a visit has on: repairs, and plugins that it is without.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Switches {
    repairs: Vec<Switch>,
    without: BTreeSet<&'static str>,
}

impl Switches {
    /// Reads a comma-separated list of names; unknown ones are passed over.
    #[must_use]
    pub fn parse(list: &str) -> Self {
        let repairs = list
            .split([',', '+', ' '])
            .filter_map(|name| Switch::ALL.iter().find(|(_, id, _)| *id == name.trim()).map(|(switch, _, _)| *switch))
            .collect();
        Self { repairs, without: BTreeSet::new() }
    }

    /// The same without these plugins as well.
    #[must_use]
    pub fn without<'a>(mut self, names: impl IntoIterator<Item = &'a str>) -> Self {
        for name in names {
            self.without.extend(PLUGINS.iter().find(|plugin| **plugin == name.trim()));
        }
        self
    }

    /// Whether a plugin is active.
    #[must_use]
    pub fn is_active(&self, plugin: &str) -> bool {
        !self.without.contains(plugin)
    }

    /// Whether a file is there: those of plugins that are off are not.
    #[must_use]
    pub fn has_file(&self, path: &str) -> bool {
        let plugin = path.split_once("plugins/").map_or(path, |(_, rest)| rest).split('/').next().unwrap_or("");
        self.is_active(plugin)
    }

    /// From a query string or, where that names none, from the `Cookie` header; `without=` names plugins.
    #[must_use]
    pub fn of(query: Option<&str>, cookie: Option<&str>) -> Self {
        let named = |text: &str, separator: char, name: &str| {
            text.split(separator).find_map(|pair| pair.trim().strip_prefix(name).map(|v| v.replace("%2C", ",")))
        };
        let list = |name| query.and_then(|q| named(q, '&', name)).or_else(|| cookie.and_then(|c| named(c, ';', name)));
        let without = list("without=").unwrap_or_default();
        Self::parse(&list("fix=").unwrap_or_default()).without(without.split([',', '+', ' ']))
    }

    /// As they stand in a cookie.
    #[must_use]
    pub fn names(&self) -> String {
        let names = Switch::ALL.iter().filter(|(switch, _, _)| self.has(*switch)).map(|(_, id, _)| *id);
        names.collect::<Vec<_>>().join("+")
    }

    /// Whether a repair is on.
    #[must_use]
    pub fn has(&self, switch: Switch) -> bool {
        self.repairs.contains(&switch)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_query_goes_before_the_cookie() {
        let both = Switches::of(Some("a=1&fix=hero-in-html%2Cno-such"), Some("x=y; fix=scripts-deferred"));
        assert!(both.has(Switch::HeroInHtml) && !both.has(Switch::ScriptsDeferred));
        let again = Switches::of(None, Some(&format!("fix={}", both.names())));
        assert_eq!(again, both, "a page hands its repairs on to its files in a cookie");
        assert!(Switches::of(None, Some("x=y; fix=scripts-deferred")).has(Switch::ScriptsDeferred));
        assert_eq!(Switches::of(Some("q=1"), None), Switches::default());
        let off = Switches::of(Some("without=tide-table,no-such&fix=page-cache"), None);
        assert!(!off.is_active("tide-table") && off.is_active("gull-stats") && off.has(Switch::PageCache));
        assert!(!off.has_file("plugins/tide-table/table.js") && off.has_file("gull-stats/stats.js"));
    }
}
