//! Booking: chat and tag manager fill the main thread, and the passenger count answers late.

use super::{HEADER, Page, SHEETS, begin, end, scripts, sheets};
use crate::plugins::Made;
use crate::switches::{Switch, Switches};

pub const PAGE: Page =
    Page { name: "Booking", path: "/book/", steps: "click #more\nwait 400\nclick #more\nwait 400\nclick #fewer", make };

fn make(made: &Made, on: &Switches) -> String {
    let mut page = String::with_capacity(16_000);
    begin(&mut page, "Book a crossing", &made.meta);
    sheets(&mut page, &SHEETS, on);
    page.push_str("\n<style>.berths{display:grid;grid-template-columns:repeat(auto-fill,minmax(64px,1fr));gap:6px;margin:16px 0}.berths span{border:1px solid #c9c2b0;padding:6px;text-align:center;background:#fff}.berths .taken{background:#d8dee2}.count button{font-size:20px;padding:6px 18px}.count output{font-size:24px;padding:0 14px}</style>");
    scripts(&mut page, &["themes/tidemark/vendor.js"], on);
    page.push_str("\n</head>\n<body>\n");
    page.push_str(HEADER);
    page.push_str("<main>\n<h1>Book a crossing</h1>\n<p>Choose how many of you there are; berths are kept for an hour.</p>\n<p class=\"count\"><button id=\"fewer\">−</button><output id=\"passengers\">2</output><button id=\"more\">+</button></p>\n<div class=\"berths\" id=\"berths\"></div>\n<p>Total <strong id=\"total\">28</strong></p>\n");
    page.push_str(&made.form);
    page.push_str("\n</main>\n");
    let book = if on.has(Switch::AnswerSplit) { "berth-booking/book-split.js" } else { "berth-booking/book.js" };
    end(&mut page, &["consent-bar/bar.js", "gull-stats/stats.js", "berth-booking/berths.js", book], on);
    page
}
