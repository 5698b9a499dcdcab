//! A crossing, the site's product: its largest element is a block of text that waits for sheets and
//! a font; stars come late and push; pictures have ten times the pixels that are shown.

use super::{HEADER, Page, STATIC, begin, end, scripts, sheets};
use crate::plugins::Made;
use crate::switches::{Switch, Switches};
use std::fmt::Write;

pub const PAGE: Page = Page { name: "Crossing", path: "/crossing/anvil-gull/", steps: "", make };

const WORDS: &str = "From the pier at Anvil Skerry the boat keeps close under the light tower, where seals lie on the north rocks most mornings, and then stands out across the sound. For twenty minutes there is nothing but water, gannets and whatever the wind has in mind. Gull Island comes up first as a line of surf, then as the white gable of the harbour office. Bring a coat, and something to hold on to your hat with.";

fn make(made: &Made, on: &Switches) -> String {
    let mut page = String::with_capacity(16_000);
    begin(&mut page, "Anvil Skerry to Gull Island", &made.meta);
    sheets(
        &mut page,
        &[
            "//static.skerryline.test/themes/tidemark/base.css",
            "//static.skerryline.test/themes/tidemark/layout.css",
            "//static.skerryline.test/plugins/review-stars/stars.css",
            "//fonts.typequay.test/quay.css",
        ],
        on,
    );
    page.push_str("\n<style>.lead{font-size:27px;line-height:1.42;margin:14px 0 22px}.strip{display:flex;gap:14px}.strip img{width:31%;height:auto}</style>");
    scripts(&mut page, &["themes/tidemark/vendor.js"], on);
    page.push_str("\n</head>\n<body>\n");
    page.push_str(HEADER);
    page.push_str(
        "<main>\n<h1>Anvil Skerry to Gull Island</h1>\n<div id=\"stars\" data-crossing=\"anvil-gull\"></div>\n",
    );
    let _ = writeln!(page, "<p class=\"lead\">{WORDS}</p>");
    page.push_str("<div class=\"strip\">");
    for (n, name) in ["the light tower", "the sound", "the harbour office"].iter().enumerate() {
        let n = n + 1;
        if on.has(Switch::PicturesSized) {
            let _ = write!(
                page,
                "<img src=\"{STATIC}/media/sound-{n}-small.jpg\" width=\"480\" height=\"320\" loading=\"lazy\" alt=\"{name}\">"
            );
        } else {
            let _ = write!(page, "<img src=\"{STATIC}/media/sound-{n}.jpg\" alt=\"{name}\">");
        }
    }
    page.push_str("</div>\n<h2>Fares</h2>\n<table><tbody><tr><td>Grown</td><td>14</td></tr><tr><td>Half-grown</td><td>6</td></tr><tr><td>Dog</td><td>free</td></tr></tbody></table>\n");
    page.push_str(&made.form);
    page.push_str("\n</main>\n");
    end(&mut page, &["consent-bar/bar.js", "gull-stats/stats.js", "review-stars/stars.js", "share-buoys/share.js"], on);
    page
}
