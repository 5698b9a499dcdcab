//! The timetable: 1,500 rows that a script builds and sorts, measuring each; on the server one
//! query a row.

use super::{HEADER, Page, SHEETS, begin, end, scripts, sheets};
use crate::plugins::Made;
use crate::switches::{Switch, Switches};
use std::fmt::Write;

pub const PAGE: Page = Page { name: "Timetable", path: "/timetable/", steps: "", make };

fn make(made: &Made, on: &Switches) -> String {
    let mut page = String::with_capacity(200_000);
    begin(&mut page, "Timetable: every boat until spring", &made.meta);
    sheets(&mut page, &SHEETS, on);
    scripts(&mut page, &["themes/tidemark/vendor.js"], on);
    page.push_str("\n</head>\n<body>\n");
    page.push_str(HEADER);
    page.push_str("<main>\n<h1>Every boat until spring</h1>\n<p>High water is worked out for each sailing, since the pier at Tern Rock dries at low springs. Sort by any column.</p>\n<table id=\"boats\"><thead><tr><th>Day</th><th>At</th><th>For</th><th>Vessel</th><th>High water</th></tr></thead><tbody>");
    if on.has(Switch::RowsInHtml) {
        for row in &made.rows {
            let _ = write!(
                page,
                "<tr><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{:.1} m</td></tr>",
                row.day, row.at, row.harbour, row.vessel, row.height
            );
        }
    }
    page.push_str("</tbody></table>\n");
    if !on.has(Switch::RowsInHtml) {
        page.push_str("<script type=\"application/json\" id=\"rows\">[");
        for (n, row) in made.rows.iter().enumerate() {
            let _ = write!(
                page,
                "{}[{},\"{}\",\"{}\",\"{}\",{:.1}]",
                if n == 0 { "" } else { "," },
                row.day,
                row.at,
                row.harbour,
                row.vessel,
                row.height
            );
        }
        page.push_str("]</script>\n");
    }
    page.push_str("</main>\n");
    let table = if on.has(Switch::LayoutBatched) { "tide-table/table-batched.js" } else { "tide-table/table.js" };
    end(&mut page, &["consent-bar/bar.js", "gull-stats/stats.js", table], on);
    page
}
