//! The fleet: forty PNGs, far larger than shown, without dimensions, kept for a minute, and asked
//! for with cookies.

use super::{HEADER, Page, SHEETS, STATIC, begin, end, scripts, sheets};
use crate::plugins::Made;
use crate::switches::{Switch, Switches};
use std::fmt::Write;

pub const PAGE: Page = Page { name: "Fleet", path: "/fleet/", steps: "", make };

/// How many pictures the gallery has.
pub const PICTURES: usize = 40;

fn make(made: &Made, on: &Switches) -> String {
    let mut page = String::with_capacity(24_000);
    begin(&mut page, "The fleet since 1921", &made.meta);
    sheets(&mut page, &SHEETS, on);
    page.push_str("\n<style>.fleet{display:grid;grid-template-columns:repeat(auto-fill,minmax(150px,1fr));gap:12px}.fleet figure{margin:0}.fleet img{width:100%;height:auto;display:block}.fleet figcaption{font-size:14px}</style>");
    scripts(&mut page, &["themes/tidemark/vendor.js"], on);
    page.push_str("\n</head>\n<body>\n");
    page.push_str(HEADER);
    page.push_str("<main>\n<h1>The fleet since 1921</h1>\n<div class=\"fleet\">\n");
    for n in 0..PICTURES {
        let year = 1921 + n * 2;
        let picture = if on.has(Switch::PicturesSized) {
            let lazy = if n > 5 { " loading=\"lazy\"" } else { "" };
            format!(
                "<img src=\"{STATIC}/media/fleet/{n:02}-small.jpg\" width=\"150\" height=\"100\"{lazy} alt=\"A ferry of {year}\">"
            )
        } else {
            format!("<img src=\"{STATIC}/media/fleet/{n:02}.png\" alt=\"A ferry of {year}\">")
        };
        let _ = writeln!(page, "<figure>{picture}<figcaption>Hull {}, {year}</figcaption></figure>", n + 1);
    }
    page.push_str("</div>\n</main>\n");
    end(&mut page, &["consent-bar/bar.js", "gull-stats/stats.js"], on);
    page
}
