//! The home page: the hero comes from a script, late; sheets and scripts block; an advert weighs more
//! than all the rest.

use super::{HEADER, Page, begin, end, scripts, sheets};
use crate::plugins::Made;
use crate::switches::{Switch, Switches};
use std::fmt::Write;

pub const PAGE: Page = Page { name: "Home", path: "/", steps: "", make };

fn make(made: &Made, on: &Switches) -> String {
    let mut page = String::with_capacity(16_000);
    let hero = if on.has(Switch::PicturesSized) {
        "//static.skerryline.test/media/hero-marlin-bay-phone.jpg"
    } else {
        "//static.skerryline.test/media/hero-marlin-bay.jpg"
    };
    let hero_tag = format!(
        "<img class=\"deck-hero\" src=\"{hero}\" width=\"1920\" height=\"1080\" fetchpriority=\"high\" alt=\"The ferry Marlin Bay off Anvil Skerry\">"
    );
    begin(&mut page, "Skerry Line: small ferries to the islands", &made.meta);
    if on.has(Switch::HeroInHtml) {
        let _ = write!(page, "\n<link rel=\"preload\" as=\"image\" href=\"{hero}\" fetchpriority=\"high\">");
    }
    sheets(
        &mut page,
        &[
            "//static.skerryline.test/themes/tidemark/base.css",
            "//static.skerryline.test/themes/tidemark/layout.css",
            "//static.skerryline.test/plugins/deck-slider/slider.css",
            "//fonts.typequay.test/quay.css",
        ],
        on,
    );
    scripts(&mut page, &["themes/tidemark/vendor.js", "plugins/deck-slider/slider.js"], on);
    page.push_str("\n</head>\n<body>\n");
    if on.has(Switch::ConsentReserved) {
        page.push_str("<div id=\"consent\" style=\"min-height:190px\"></div>\n");
    }
    page.push_str(HEADER);
    let _ = writeln!(
        page,
        "<div id=\"deck\" data-hero=\"{hero}\">{}</div>",
        if on.has(Switch::HeroInHtml) { hero_tag.as_str() } else { "" }
    );
    page.push_str("<main>\n<h1>Six islands, four harbours, one ticket</h1>\n<p>We have carried people, post, sheep and the odd piano since the pier at Low Haven was built. Boats run every day of the year but two. Dogs travel free, bicycles for the price of a bun.</p>\n");
    let _ = writeln!(
        page,
        "<h2>Leaving next</h2>\n<table><thead><tr><th>At</th><th>For</th><th>Vessel</th><th>High water</th></tr></thead><tbody>{}</tbody></table>",
        made.departures
    );
    let picture = if on.has(Switch::AdvertReencoded) { "advert-small.jpg" } else { "advert.jpg" };
    let _ = writeln!(page, "<div id=\"advert\" data-picture=\"{picture}\"></div>");
    let lazy = if on.has(Switch::PicturesLazy) {
        " width=\"1200\" height=\"800\" style=\"height:auto\" loading=\"lazy\""
    } else {
        ""
    };
    page.push_str("<h2>Crossings</h2>\n<div class=\"crossings\">\n");
    for (file, name, words) in [
        (
            "crossing-anvil",
            "Anvil Skerry",
            "Forty minutes past the light tower; seals on the north rocks most mornings.",
        ),
        ("crossing-gull", "Gull Island", "The long crossing. Take a coat, and come back for the evening boat."),
        ("crossing-low-haven", "Low Haven", "Every hour in summer. The bakery opens with the first boat."),
        ("crossing-tern", "Tern Rock", "Weather allowing, which it does on about two days in three."),
    ] {
        let _ = writeln!(
            page,
            "<article class=\"crossing\"><img src=\"//static.skerryline.test/media/{file}.jpg\"{lazy} alt=\"{name}\"><h3>{name}</h3><p>{words}</p></article>"
        );
    }
    page.push_str("</div>\n<h2>The season</h2>\n<img class=\"only-wide\" src=\"//static.skerryline.test/media/season-wide.jpg\" width=\"1400\" height=\"420\" alt=\"Autumn light over the sound\">\n<img class=\"only-phone\" src=\"//static.skerryline.test/media/season-phone.jpg\" width=\"820\" height=\"500\" alt=\"Autumn light over the sound\">\n<p>The winter timetable starts in six weeks. Until then the last boat leaves each island at a quarter to nine.</p>\n");
    page.push_str(&made.form);
    page.push_str("\n</main>\n<script async src=\"//ads.islandmedia.test/place.js\"></script>\n");
    end(
        &mut page,
        &[
            "consent-bar/bar.js",
            "gull-stats/stats.js",
            "share-buoys/share.js",
            "easy-forms/forms.js",
            "form-builder/builder.js",
            "berth-booking/berths.js",
        ],
        on,
    );
    page
}
