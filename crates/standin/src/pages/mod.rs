//! The site's pages, one file each, and what they share.

mod book;
mod crossing;
mod fleet;
mod home;
mod notice;
mod timetable;

use crate::plugins::Made;
use crate::styles;
use crate::switches::{Switch, Switches};
use std::fmt::Write;

pub use fleet::PICTURES;

/// Where files lie.
pub const STATIC: &str = "//static.skerryline.test";

/// A page of the site.
pub struct Page {
    /// What people call it.
    pub name: &'static str,
    /// Where it is.
    pub path: &'static str,
    /// What a visitor does there once it is quiet, one step a line.
    pub steps: &'static str,
    /// Its markup.
    pub make: fn(&Made, &Switches) -> String,
}

/// All pages, the home page first.
pub const ALL: [Page; 6] = [home::PAGE, timetable::PAGE, crossing::PAGE, book::PAGE, notice::PAGE, fleet::PAGE];

/// An old address and where it leads now.
pub const MOVED: [(&str, &str); 1] = [("/notices/2026/winter-refit.html", "/notices/winter-refit/")];

const HEADER: &str = "<header class=\"site\"><strong>Skerry Line</strong><nav><a href=\"/\">Home</a><a href=\"/timetable/\">Timetable</a><a href=\"/book/\">Book</a><a href=\"/fleet/\">Fleet</a></nav></header>\n";
const FOOTER: &str = "<footer>Skerry Line, The Pier, Low Haven. Made with Mooring.</footer>\n";

/// The theme's sheets and the font host's.
const SHEETS: [&str; 3] = [
    "//static.skerryline.test/themes/tidemark/base.css",
    "//static.skerryline.test/themes/tidemark/layout.css",
    "//fonts.typequay.test/quay.css",
];

fn begin(page: &mut String, title: &str, meta: &str) {
    let _ = write!(
        page,
        "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>{title}</title>\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<link rel=\"icon\" href=\"data:,\">\n{meta}"
    );
}

/// Sheets as they are, or with what the first screen needs inline and the files late.
fn sheets(page: &mut String, sheets: &[&str], on: &Switches) {
    if on.has(Switch::FontSwap) {
        // The same fonts, asked for at once and without hiding text meanwhile.
        let _ = write!(
            page,
            "\n<link rel=\"preload\" as=\"font\" type=\"font/woff2\" crossorigin href=\"//fonts.typequay.test/quay-400.woff2\">\n<style>{}</style>",
            styles::fonts("swap")
        );
    }
    if on.has(Switch::SheetsReduced) {
        let _ = write!(page, "\n<style>{}</style>", styles::first_screen());
    }
    for sheet in sheets {
        if (on.has(Switch::FontSwap) && sheet.contains("typequay")) || !on.has_file(sheet) {
            continue;
        }
        let late = if on.has(Switch::SheetsReduced) { " media=\"print\" onload=\"this.media='all'\"" } else { "" };
        let _ = write!(page, "\n<link rel=\"stylesheet\" href=\"{sheet}\"{late}>");
    }
}

fn scripts(page: &mut String, files: &[&str], on: &Switches) {
    let defer = if on.has(Switch::ScriptsDeferred) { " defer" } else { "" };
    for file in files.iter().filter(|file| on.has_file(file)) {
        let _ = write!(page, "\n<script src=\"{STATIC}/{file}\"{defer}></script>");
    }
}

/// Scripts at the foot, and the third parties that every page has.
fn end(page: &mut String, plugins: &[&str], on: &Switches) {
    page.push_str(FOOTER);
    for script in plugins.iter().filter(|file| on.has_file(file)) {
        let _ = writeln!(page, "<script src=\"{STATIC}/plugins/{script}\"></script>");
    }
    third_parties(page, on);
    page.push_str("</body>\n</html>\n");
}

fn third_parties(page: &mut String, on: &Switches) {
    if on.has(Switch::TagsDelayed) {
        page.push_str("<script>addEventListener('load', function () { setTimeout(function () { var s = document.createElement('script'); s.src = '//tags.driftmetric.test/tag.js'; document.head.appendChild(s); }, 3000); });</script>\n");
    } else {
        page.push_str("<script async src=\"//tags.driftmetric.test/tag.js\"></script>\n");
    }
    if on.has(Switch::ChatDelayed) {
        page.push_str("<script>['pointerdown', 'keydown'].forEach(function (kind) { addEventListener(kind, function first() { removeEventListener(kind, first); if (window.parley) return; window.parley = 1; setTimeout(function () { var s = document.createElement('script'); s.src = '//chat.parleydock.test/chat.js'; document.head.appendChild(s); }, 800); }); });</script>\n");
    } else {
        page.push_str("<script async src=\"//chat.parleydock.test/chat.js\"></script>\n");
    }
}
