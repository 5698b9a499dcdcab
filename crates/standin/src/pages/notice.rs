//! A notice: 170 kB of inline style, a chain of imported sheets, and a player for a video that
//! nobody has started. Its old address leads here by a redirect.

use super::{HEADER, Page, begin, end, sheets};
use crate::plugins::Made;
use crate::styles;
use crate::switches::{Switch, Switches};
use std::fmt::Write;

pub const PAGE: Page = Page { name: "Notice", path: "/notices/winter-refit/", steps: "", make };

fn make(made: &Made, on: &Switches) -> String {
    let mut page = String::with_capacity(200_000);
    begin(&mut page, "Winter refit of the Marlin Bay", &made.meta);
    let first = if on.has(Switch::ImportsFlat) { "notices-flat.css" } else { "notices.css" };
    if on.has(Switch::StyleInFile) {
        let _ = write!(page, "\n<style>{}</style>", styles::first_screen());
    } else {
        let _ = write!(page, "\n<style>{}</style>", styles::inline_notice());
    }
    let first = format!("//static.skerryline.test/themes/tidemark/{first}");
    sheets(
        &mut page,
        &["//static.skerryline.test/themes/tidemark/base.css", &first, "//fonts.typequay.test/quay.css"],
        on,
    );
    page.push_str("\n</head>\n<body>\n");
    page.push_str(HEADER);
    page.push_str("<main class=\"notice\">\n<h1>Winter refit of the Marlin Bay</h1>\n<p>From the first week of January the Marlin Bay lies on the slip at Low Haven. Her plates are sounded, her shafts drawn, and whatever the sea has eaten is replaced. The Petrel runs in her place, and the morning boat leaves ten minutes earlier.</p>\n<p>Those who want to see how a ferry is lifted may come to the slip on the first Saturday; there will be soup.</p>\n");
    page.push_str("<div id=\"player\" data-film=\"refit\"><img src=\"//video.reelharbour.test/refit-poster.jpg\" alt=\"The Marlin Bay on the slip\" width=\"960\" height=\"540\"></div>\n");
    if on.has(Switch::PlayerOnDemand) {
        page.push_str("<script>document.getElementById('player').addEventListener('click', function () { var s = document.createElement('script'); s.src = '//video.reelharbour.test/player.js'; document.head.appendChild(s); }, { once: true });</script>\n");
    } else {
        page.push_str("<script src=\"//video.reelharbour.test/player.js\"></script>\n");
    }
    page.push_str("<p>Questions go to the harbour office, which answers between tides.</p>\n</main>\n");
    end(&mut page, &["consent-bar/bar.js", "gull-stats/stats.js", "share-buoys/share.js"], on);
    page
}
