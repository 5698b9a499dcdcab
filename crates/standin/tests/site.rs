//! The stand-in is wrong in truth, and each switch repairs it in truth.

#![allow(clippy::unwrap_used)]

use phainon_standin::{HOSTS, StandIn, Switch};
use std::io::{Read, Write};
use std::net::TcpStream;

struct Answer {
    head: String,
    body: Vec<u8>,
}

impl Answer {
    fn header(&self, name: &str) -> Option<&str> {
        self.head.lines().find_map(|l| l.split_once(": ").filter(|(n, _)| n.eq_ignore_ascii_case(name)).map(|(_, v)| v))
    }
    fn text(&self) -> String {
        String::from_utf8_lossy(&self.body).into_owned()
    }
}

fn get(stand_in: &StandIn, host: &str, path: &str, more: &str) -> Answer {
    let mut stream = TcpStream::connect(stand_in.address()).unwrap();
    write!(stream, "GET {path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n{more}\r\n").unwrap();
    let mut all = Vec::new();
    stream.read_to_end(&mut all).unwrap();
    let at = all.windows(4).position(|w| w == b"\r\n\r\n").unwrap();
    Answer { head: String::from_utf8_lossy(&all[..at]).into_owned(), body: all[at + 4..].to_vec() }
}

#[tokio::test(flavor = "multi_thread")]
async fn every_fault_is_there_and_every_switch_mends_it() {
    let stand_in = StandIn::start().await.unwrap();
    assert_eq!(stand_in.hosts().len(), HOSTS.len());
    let home = |query: &str, more: &str| get(&stand_in, "www.skerryline.test", &format!("/{query}"), more).text();
    let plain = home("", "");
    let hero = "<img class=\"deck-hero\"";
    assert!(!plain.contains(hero) && plain.contains("data-hero="));
    assert_eq!(plain.matches("<link rel=\"stylesheet\"").count(), 4);
    assert!(!plain.contains(" defer>") && plain.contains("advert.jpg") && !plain.contains("id=\"consent\""));

    assert!(home("?fix=hero-in-html", "").contains(hero));
    assert!(home("?fix=hero-in-html", "").contains("rel=\"preload\""));
    assert_eq!(home("?fix=scripts-deferred", "").matches(" defer>").count(), 2);
    assert_eq!(home("?fix=sheets-reduced", "").matches("media=\"print\"").count(), 4);
    assert!(home("?fix=advert-reencoded", "").contains("advert-small.jpg"));
    assert!(home("", "Cookie: fix=consent-reserved\r\n").contains("id=\"consent\""));
    let all: Vec<&str> = Switch::ALL.iter().map(|(_, id, _)| *id).collect();
    let mended = home(&format!("?fix={}", all.join(",")), "");
    assert!(mended.contains(hero) && mended.contains(" defer>") && mended.contains("id=\"consent\""));
}

#[tokio::test(flavor = "multi_thread")]
async fn files_weigh_and_are_sent_as_the_scenario_says() {
    let stand_in = StandIn::start().await.unwrap();
    let gzip = "Accept-Encoding: gzip\r\n";
    let page = get(&stand_in, "www.skerryline.test", "/", gzip);
    assert_eq!(page.header("content-encoding"), Some("gzip"));
    let timing = page.header("server-timing").unwrap();
    for plugin in ["harbour-guard;dur=", "tide-table;dur=", "night-vault;dur="] {
        assert!(timing.contains(plugin), "{timing}");
    }
    let vendor = get(&stand_in, "static.skerryline.test", "/themes/tidemark/vendor.js", gzip);
    assert_eq!(vendor.header("content-encoding"), None, "text sent uncompressed is one of the faults");
    assert!((140_000..160_000).contains(&vendor.body.len()));
    assert_eq!(vendor.header("cache-control"), Some("max-age=600"));
    let advert = get(&stand_in, "ads.islandmedia.test", "/advert.jpg", "").body.len();
    let small = get(&stand_in, "ads.islandmedia.test", "/advert-small.jpg", "").body.len();
    assert!((500_000..700_000).contains(&advert), "{advert}");
    assert!(small * 5 < advert, "{small} of {advert}");
    assert!(
        get(&stand_in, "www.skerryline.test", "/themes/tidemark/vendor.js", "").head.starts_with("HTTP/1.1 404"),
        "each host has its own files"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn every_page_has_its_faults_and_their_repairs() {
    let stand_in = StandIn::start().await.unwrap();
    let page = |path: &str| get(&stand_in, "www.skerryline.test", path, "");
    let file = |host: &str, path: &str, more: &str| get(&stand_in, host, path, more);
    const STATIC: &str = "static.skerryline.test";

    let timetable = page("/timetable/").text();
    assert!(timetable.contains("id=\"rows\"") && timetable.matches("<tr>").count() == 1, "a script builds the rows");
    let rows = page("/timetable/?fix=rows-in-html").text();
    assert_eq!(rows.matches("<tr><td>").count(), 1_500);
    let row = |text: &str| text.split("<tr><td>").nth(700).unwrap().split("</tr>").next().unwrap().to_owned();
    assert_eq!(row(&rows), row(&page("/timetable/?fix=rows-in-html,query-batched").text()), "one query says the same");
    assert!(page("/timetable/?fix=layout-batched").text().contains("table-batched.js"));
    let measures = |path| file(STATIC, path, "").text().contains("line.offsetWidth");
    assert!(measures("/plugins/tide-table/table.js") && !measures("/plugins/tide-table/table-batched.js"));

    let crossing = page("/crossing/anvil-gull/").text();
    assert!(
        crossing.contains("class=\"lead\"") && crossing.contains("sound-1.jpg\" alt"),
        "pictures without dimensions"
    );
    assert!(
        page("/?fix=pictures-sized")
            .text()
            .contains("data-hero=\"//static.skerryline.test/media/hero-marlin-bay-phone.jpg\"")
    );
    assert!(page("/crossing/anvil-gull/?fix=pictures-sized").text().contains("sound-1-small.jpg\" width=\"480\""));
    let weight = |path| file(STATIC, path, "").body.len();
    assert!(weight("/media/sound-1.jpg") > 6 * weight("/media/sound-1-small.jpg"));
    assert!(file("fonts.typequay.test", "/quay.css", "").text().contains("font-display: block"));
    assert!(page("/crossing/anvil-gull/?fix=font-swap").text().contains("font-display: swap"));

    let book = page("/book/").text();
    assert!(book.contains("src=\"//chat.parleydock.test/chat.js\"") && book.contains("book.js"));
    let mended = page("/book/?fix=chat-delayed,tags-delayed,answer-split").text();
    assert!(
        !mended.contains("async src=\"//chat")
            && !mended.contains("async src=\"//tags")
            && mended.contains("book-split.js")
    );

    let notice = page("/notices/winter-refit/");
    assert!(notice.body.len() > 165_000 && notice.text().contains("player.js"));
    let light = page("/notices/winter-refit/?fix=style-in-file,player-on-demand,imports-flat");
    assert!(light.body.len() < 12_000 && light.text().contains("notices-flat.css"), "{}", light.body.len());
    assert!(file(STATIC, "/themes/tidemark/notices.css", "").text().starts_with("@import"));
    assert!(file(STATIC, "/themes/tidemark/notices-type.css", "").text().starts_with("@import"));
    let moved = page("/notices/2026/winter-refit.html");
    assert!(moved.head.starts_with("HTTP/1.1 301") && moved.header("location") == Some("/notices/winter-refit/"));

    let fleet = page("/fleet/").text();
    assert_eq!(fleet.matches(".png\" alt").count(), 40);
    assert_eq!(page("/fleet/?fix=pictures-sized").text().matches("loading=\"lazy\"").count(), 34);
    let png = file(STATIC, "/media/fleet/07.png", "");
    assert!(png.body.starts_with(b"\x89PNG") && png.body.len() > 150_000, "{}", png.body.len());
    assert_eq!(png.header("cache-control"), Some("max-age=60"));
    assert!(png.header("set-cookie").is_some());
    let mended = file(STATIC, "/media/fleet/07.png", "Cookie: fix=cookies-off+cache-long\r\n");
    assert!(mended.header("set-cookie").is_none() && mended.header("cache-control").unwrap().contains("31536000"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_hands_its_repairs_to_its_files_and_the_page_cache_saves_the_work() {
    let stand_in = StandIn::start().await.unwrap();
    let page = |query: &str| get(&stand_in, "www.skerryline.test", &format!("/{query}"), "");
    let answer = page("?fix=text-packed,page-cache");
    let cookie = answer.header("set-cookie").unwrap().split(';').next().unwrap().to_owned();
    let vendor = get(
        &stand_in,
        "static.skerryline.test",
        "/themes/tidemark/vendor.js",
        &format!("Accept-Encoding: gzip\r\nCookie: {cookie}\r\n"),
    );
    assert_eq!(vendor.header("content-encoding"), Some("gzip"));
    assert!(answer.header("server-timing").is_some(), "the first is made");
    let again = page("?fix=text-packed,page-cache");
    assert!(again.header("server-timing").is_none() && again.body == answer.body, "the second is kept");
    assert!(page("?fix=text-packed").header("server-timing").is_some());
    // A kept copy can be asked about.
    let rules = get(&stand_in, "tags.driftmetric.test", "/rules.js", "");
    let tag = rules.header("etag").unwrap();
    let asked = get(&stand_in, "tags.driftmetric.test", "/rules.js", &format!("If-None-Match: {tag}\r\n"));
    assert!(asked.head.starts_with("HTTP/1.1 304") && asked.body.is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn no_switch_is_idle() {
    let stand_in = StandIn::start().await.unwrap();
    // Plugins really work for a page, and the timetable's longest: it comes last.
    let places = [
        ("www.skerryline.test", "/"),
        ("static.skerryline.test", "/themes/tidemark/vendor.js"),
        ("static.skerryline.test", "/media/fleet/07.png"),
        ("www.skerryline.test", "/fleet/"),
        ("www.skerryline.test", "/notices/winter-refit/"),
        ("www.skerryline.test", "/crossing/anvil-gull/"),
        ("www.skerryline.test", "/book/"),
        ("www.skerryline.test", "/timetable/"),
    ];
    // What a place answers, without what differs from one answer to the next by itself.
    let seen = |(host, path): (&str, &str), fixes: &str| {
        let more = format!("Accept-Encoding: gzip\r\nCookie: fix={fixes}\r\n");
        let answer = get(&stand_in, host, path, &more);
        let kept = ["content-encoding", "cache-control"].map(|name| answer.header(name).unwrap_or("-").to_owned());
        let [made, cookies] = ["server-timing", "set-cookie"].map(|name| answer.header(name).is_some());
        format!("{host}{path} {kept:?} made {made} cookies {cookies} {}", answer.body.len())
    };
    let plain = places.map(|place| seen(place, ""));
    let same = places.map(|place| seen(place, "no-such-repair"));
    assert_eq!(same, plain, "the site is the same every time, and what is no repair is passed over");
    for (switch, id, words) in Switch::ALL {
        let differs = |(place, plain): (&(&str, &str), &String)| {
            let mut now = seen(*place, id);
            if switch == Switch::PageCache {
                // The first answer is made; the second is the kept one.
                now = seen(*place, id);
            }
            now != *plain
        };
        assert!(places.iter().zip(&plain).any(differs), "{id} ({words}) changes nothing");
    }
}
