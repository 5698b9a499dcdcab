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
