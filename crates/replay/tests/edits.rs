//! What each edit does to the answers of a small page.

use phainon_core::Http;
use phainon_core::metrics::Coverage;
use phainon_core::server_work::ServerPart;
use phainon_core::{
    BodyRef, Bytes, Edit, Header, LcpCandidate, Load, Millis, Owner, PageFacts, PageImage, PaintKind, Prepared, Rect,
    Request, ResourceKey, ResourceKind, Scope, preset,
};
use phainon_replay::edits::{Known, apply, by_hand};
use phainon_replay::{Answer, Becomes, Book, CannotReplay, Encoding, archive, changes, unified};
use std::collections::HashMap;
use std::io::Read;

const PAGE: &str = r#"<!doctype html><html><head><title>Ferries</title>
<script src="/lib/pier.js"></script>
<link rel="stylesheet" href="/css/site.css">
<style>p{margin:0}@font-face{font-family:"Pier Deck";src:url(/quay.woff2)}</style>
<script src="/plugins/deck/slider.js"></script>
<script>Pier.start();</script>
</head><body><img src="/hero.jpg" loading="lazy"><img data-src="/late.jpg" alt="">
<script async src="https://tags.other.test/tag.js"></script>
<script>window.queue=["https:\/\/tags.other.test\/tag.js"];</script>
<p>Island text</p></body></html>"#;

const SHEET: &str = "@import \"base.css\";@font-face{font-family:Quay;src:url(../quay.woff2)}a{color:red}b{color:blue}";

struct Small {
    load: Load,
    bodies: HashMap<String, Vec<u8>>,
}

impl Small {
    fn new() -> Self {
        let mut small = Self { load: Load::empty("http://www.pier.test/"), bodies: HashMap::new() };
        small.load.conditions = preset("phone-on-the-move");
        small.load.started_at = Some("2026-11-24T09:00:00Z".into());
        small.add("http://www.pier.test/", ResourceKind::Document, PAGE.as_bytes(), "text/html; charset=utf-8");
        small.add(
            "http://www.pier.test/lib/pier.js",
            ResourceKind::Script,
            b"window.Pier = { start() {} };",
            "text/javascript",
        );
        small.add("http://www.pier.test/css/site.css", ResourceKind::Style, SHEET.as_bytes(), "text/css");
        small.add("http://www.pier.test/css/base.css", ResourceKind::Style, b"html{margin:0}", "text/css");
        small.add(
            "http://www.pier.test/plugins/deck/slider.js",
            ResourceKind::Script,
            b"Pier.slide();\n// a remark\n",
            "text/javascript",
        );
        small.add("http://www.pier.test/hero.jpg", ResourceKind::Image, &picture(), "image/jpeg");
        small.add("http://www.pier.test/late.jpg", ResourceKind::Image, &picture(), "image/jpeg");
        small.add("http://www.pier.test/quay.woff2", ResourceKind::Font, b"font", "font/woff2");
        small.add("https://tags.other.test/tag.js", ResourceKind::Script, b"go()", "text/javascript");
        let image = |url: &str| PageImage {
            url: url.into(),
            rect: Rect { x: 0.0, y: 0.0, width: 100.0, height: 50.0 },
            ..PageImage::default()
        };
        small.load.page =
            Some(PageFacts { images: vec![image("http://www.pier.test/hero.jpg")], ..PageFacts::default() });
        small
    }

    fn add(&mut self, url: &str, kind: ResourceKind, body: &[u8], mime: &str) -> &mut Request {
        let id = u32::try_from(self.load.requests.len()).expect("few");
        let mut request = Request::new(id, url, kind);
        request.status = Some(200);
        (request.sent, request.first_byte) = (Some(Millis(10.0)), Some(Millis(430.0)));
        request.body = Some(BodyRef { hash: format!("{id}"), size: Bytes(body.len() as u64) });
        request.unpacked = Some(Bytes(body.len() as u64));
        request.response_headers.push(Header { name: "Content-Type".into(), value: mime.into() });
        self.bodies.insert(format!("{id}"), body.to_vec());
        self.load.requests.push(request);
        self.load.requests.last_mut().expect("just pushed")
    }

    fn book(&self) -> Result<Book, CannotReplay> {
        Book::of(&self.load, &|hash: &str| self.bodies.get(hash).cloned())
    }

    fn tried(&self, edit: &Edit) -> (Book, Result<Vec<String>, String>) {
        let mut book = self.book().expect("a page");
        let prepared = Prepared::plain(self.load.clone());
        let coverage = [Coverage {
            url: "http://www.pier.test/css/site.css".into(),
            used: used(SHEET, "a{color:red}"),
            length: u32::try_from(SHEET.len()).expect("short"),
        }];
        let told = apply(edit, &mut book, &Known { prepared: &prepared, coverage: &coverage });
        (book, told.map_err(|why| why.to_string()))
    }
}

fn used(text: &str, part: &str) -> Vec<(u32, u32)> {
    let at = text.find(part).expect("part of it");
    let units = |n: usize| u32::try_from(n).expect("short");
    vec![(units(at), units(at + part.len()))]
}

fn picture() -> Vec<u8> {
    let picture = image::RgbImage::from_fn(400, 200, |x, y| {
        image::Rgb([(x * 7 % 256) as u8, (y * 13 % 256) as u8, ((x * y) % 256) as u8])
    });
    let mut bytes = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut bytes, image::ImageFormat::Jpeg).expect("memory");
    bytes.into_inner()
}

fn key(url: &str) -> ResourceKey {
    ResourceKey::of(url)
}

fn file(path: &str) -> ResourceKey {
    key(&format!("http://www.pier.test{path}"))
}

fn at<'a>(book: &'a Book, url: &str) -> &'a Answer {
    book.answers.iter().find(|a| a.url.ends_with(url)).unwrap_or_else(|| panic!("{url}"))
}

fn page(book: &Book) -> String {
    book.document().and_then(Answer::text).expect("the document")
}

fn done(small: &Small, edit: Edit) -> Book {
    let (book, told) = small.tried(&edit);
    told.unwrap_or_else(|why| panic!("{edit:?}: {why}"));
    book
}

fn refused(edit: Edit) -> String {
    let small = Small::new();
    let (book, told) = small.tried(&edit);
    let before = small.book().expect("a page");
    assert!(changes(&before, &book).is_empty(), "what cannot be tried changes nothing: {edit:?}");
    told.expect_err("cannot be tried")
}

#[test]
fn a_file_taken_off_is_named_nowhere_and_asked_for_by_nobody() {
    let small = Small::new();
    let book = done(&small, Edit::Remove { file: file("/plugins/deck/slider.js") });
    assert!(!page(&book).contains("slider.js") && page(&book).contains("pier.js"));
    assert!(book.taken_off.contains("http://www.pier.test/plugins/deck/slider.js"));
    let book = done(&small, Edit::Remove { file: file("/css/base.css") });
    assert!(!at(&book, "site.css").text().expect("text").contains("@import"));
    let book = done(&small, Edit::Remove { file: file("/quay.woff2") });
    assert!(at(&book, "site.css").text().expect("text").starts_with("@import \"base.css\";a{color:red}"));
    assert!(!page(&book).contains("Pier Deck") && page(&book).contains("<style>p{margin:0}</style>"));
    assert!(refused(Edit::Remove { file: file("/") }).contains("own document"));
    assert!(refused(Edit::Remove { file: file("/gone.js") }).contains("did not ask for gone.js"));
}

#[test]
fn an_owner_goes_with_the_inline_code_that_names_it() {
    let small = Small::new();
    let owner = Owner::named("other.test");
    let (book, told) = small.tried(&Edit::RemoveOwner { owner });
    assert_eq!(told.expect("tried"), ["1 inline scripts that name its files went with it."]);
    let page = page(&book);
    assert!(!page.contains("tags.other.test") && !page.contains("window.queue") && page.contains("Pier.start"));
}

#[test]
fn a_deferred_script_takes_those_along_that_use_what_it_defines() {
    let small = Small::new();
    let (book, told) = small.tried(&Edit::DeferScript { file: file("/lib/pier.js") });
    assert_eq!(told.expect("tried"), ["2 scripts after it that use what it defines wait with it, in their order."]);
    let page = page(&book);
    assert!(page.contains(r#"<script src="/lib/pier.js" defer="""#), "{page}");
    assert!(page.contains(r#"<script src="/plugins/deck/slider.js" defer="""#), "{page}");
    assert!(page.contains("data:text/javascript;charset=utf-8,Pier.start();"), "{page}");
    assert!(page.contains(r#"<script async src="https://tags.other.test/tag.js">"#), "it does not use it");
    // The slider alone takes nobody along.
    let (book, told) = small.tried(&Edit::DeferScript { file: file("/plugins/deck/slider.js") });
    assert!(told.expect("tried").is_empty());
    assert!(self::page(&book).contains("<script>Pier.start();</script>"));
}

#[test]
fn scripts_are_made_async_and_moved_to_the_end() {
    let small = Small::new();
    let book = done(&small, Edit::AsyncScript { file: file("/plugins/deck/slider.js") });
    assert!(page(&book).contains(r#"slider.js" async="""#));
    let book = done(&small, Edit::ScriptToEnd { file: file("/plugins/deck/slider.js") });
    assert!(page(&book).ends_with(r#"<script src="/plugins/deck/slider.js"></script></body></html>"#));
    let again = refused(Edit::AsyncScript { file: key("https://tags.other.test/tag.js") });
    assert!(again.contains("has that already"), "{again}");
}

#[test]
fn held_scripts_are_not_fetched_and_the_loader_comes_first() {
    let small = Small::new();
    let book = done(&small, Edit::DelayScript { scope: Scope::Owner { owner: Owner::named("other.test") } });
    let page = page(&book);
    assert!(
        page.contains(r#"data-held-src="https://tags.other.test/tag.js""#) && !page.contains(r#" src="https://tags"#)
    );
    assert!(page.contains(r#"<script type="text/held">window.queue"#), "{page}");
    assert!(page.find("text/held").expect("the loader names it") < page.find("pier.js").expect("there"));
}

#[test]
fn a_reduced_sheet_keeps_what_was_used_and_blocks_nothing() {
    let small = Small::new();
    let book = done(&small, Edit::ReduceStyle { file: file("/css/site.css") });
    let page = page(&book);
    // What it imports goes with it: the imported sheet counts before it, as it did.
    let used = r#"<style>@import "http://www.pier.test/css/base.css";a{color:red}</style>"#;
    assert!(page.contains(used), "{page}");
    assert!(
        page.contains(r#"media="print" onload="this.media=&quot;all&quot;""#) || page.contains("this.media='all'"),
        "{page}"
    );
    let book = done(&small, Edit::DropUnused { file: file("/css/site.css") });
    assert_eq!(at(&book, "site.css").text().as_deref(), Some("@import \"base.css\";a{color:red}"));
    assert!(refused(Edit::ReduceStyle { file: file("/css/base.css") }).contains("was not looked at"));
    assert!(refused(Edit::DropUnused { file: file("/lib/pier.js") }).contains("was not looked at"));
}

#[test]
fn an_import_is_lifted_before_the_sheet_that_imports_it() {
    let book = done(&Small::new(), Edit::LiftImport { file: file("/css/base.css") });
    let page = page(&book);
    let (base, site) = (page.find("css/base.css").expect("linked"), page.find("css/site.css").expect("linked"));
    assert!(base < site && !at(&book, "site.css").text().expect("text").contains("@import"));
}

#[test]
fn what_is_asked_for_earlier_stands_at_the_heads_beginning() {
    let small = Small::new();
    let begins = |edit: Edit, with: &str| {
        let page = page(&done(&small, edit.clone()));
        let head = page.find("<head>").expect("a head") + "<head>".len();
        assert!(page[head..].starts_with(with), "{edit:?}: {}", &page[head..head + 140]);
    };
    begins(
        Edit::Preload { file: file("/hero.jpg") },
        r#"<link rel="preload" href="http://www.pier.test/hero.jpg" as="image">"#,
    );
    begins(
        Edit::PreloadFont { file: file("/quay.woff2") },
        r#"<link rel="preload" href="http://www.pier.test/quay.woff2" as="font" crossorigin>"#,
    );
    let page = page(&done(&small, Edit::PutInHtml { file: file("/late.jpg") }));
    assert!(page.contains(r#"src="http://www.pier.test/late.jpg" fetchpriority="high""#), "{page}");
    // Where a script made the element, it is put where the document keeps its address.
    let mut inserted = Small::new();
    inserted.bodies.values_mut().filter(|b| b.starts_with(b"<!doctype")).for_each(|b| {
        *b = String::from_utf8_lossy(b).replace("<img data-src", "<div id=deck data-hero").into_bytes();
    });
    inserted.load.lcp_candidates.push(LcpCandidate {
        fonts: None,
        animated: Vec::new(),
        words: None,
        at: Millis(900.0),
        kind: PaintKind::Image,
        size: 20_000.0,
        node: None,
        url: Some("http://www.pier.test/late.jpg".into()),
        tag: None,
        selector: None,
        snippet: Some(r#"<img class="hero" src="/late.jpg">"#.into()),
        rect: None,
    });
    let page = self::page(&done(&inserted, Edit::PutInHtml { file: file("/late.jpg") }));
    assert!(page.contains(r#"alt=""><img fetchpriority="high" class="hero" src="/late.jpg">"#), "{page}");
    assert!(
        self::page(&done(&small, Edit::RaisePriority { file: file("/hero.jpg") }))
            .contains(r#"loading="lazy" fetchpriority="high""#)
    );
    assert!(refused(Edit::Preconnect { host: "nowhere.test".into() }).contains("for nothing"));
    assert!(refused(Edit::Preconnect { host: "tags.other.test".into() }).contains("no connection on a hint"));
}

#[test]
fn pictures_become_smaller_and_say_their_size() {
    let small = Small::new();
    let before = picture().len();
    let (book, told) = small.tried(&Edit::Shrink { file: file("/hero.jpg"), to: Some(Bytes(before as u64 / 4)) });
    let after = at(&book, "hero.jpg").body.len();
    assert!(after <= before / 4, "{before} → {after}");
    assert!(told.expect("tried")[0].contains("JPEG of quality"));
    // Shown 100 wide on a screen of three pixels each: 300 of its 400.
    let book = done(&small, Edit::Resize { scope: Scope::File { file: file("/hero.jpg") } });
    let size = image::load_from_memory(&at(&book, "hero.jpg").body).expect("a picture");
    assert_eq!((size.width(), size.height()), (300, 150));
    let book = done(&small, Edit::SetDimensions { scope: Scope::File { file: file("/hero.jpg") } });
    assert!(page(&book).contains(r#"width="400" height="200""#));
    let book = done(&small, Edit::Eager { file: file("/hero.jpg") });
    assert!(page(&book).contains(r#"loading="eager""#));
    assert!(refused(Edit::Shrink { file: file("/lib/pier.js"), to: None }).contains("Only pictures"));
}

/// A picture of 400 by 200 that covers a box as tall as it is wide, on a screen of three pixels each.
#[test]
fn a_picture_that_covers_its_box_still_does_so_once_it_is_smaller() {
    let mut small = Small::new();
    let image = |small: &mut Small| small.load.page.as_mut().map(|p| p.images.remove(0)).expect("a picture");
    let own = image(&mut small);
    let shown = |small: &mut Small, changed: PageImage| small.load.page.as_mut().expect("a page").images.push(changed);
    let rect = Rect { x: 0.0, y: 0.0, width: 50.0, height: 50.0 };
    shown(&mut small, PageImage { rect, fit: "cover".into(), ..own.clone() });
    let resize = Edit::Resize { scope: Scope::File { file: file("/hero.jpg") } };
    let size = image::load_from_memory(&at(&done(&small, resize.clone()), "hero.jpg").body).expect("a picture");
    assert_eq!((size.width(), size.height()), (300, 150), "of its height 150 pixels are shown");
    image(&mut small);
    shown(&mut small, PageImage { background: true, ..own });
    let (_, told) = small.tried(&resize);
    assert!(told.is_err(), "how much of a background is shown is not told: {told:?}");
}

#[test]
fn text_is_packed_and_code_is_minified() {
    let mut small = Small::new();
    small.add(
        "http://www.pier.test/long.js",
        ResourceKind::Script,
        "var harbour = 1; // tide\n".repeat(80).as_bytes(),
        "text/javascript",
    );
    let book = done(&small, Edit::Compress { scope: Scope::File { file: file("/long.js") } });
    let answer = at(&book, "long.js");
    assert_eq!(answer.encoding, Some(Encoding::Gzip));
    assert!(answer.packed().len() < answer.body.len() / 4);
    let book = done(&small, Edit::Minify { scope: Scope::File { file: file("/plugins/deck/slider.js") } });
    assert!(!at(&book, "slider.js").text().expect("text").contains("remark"));
}

#[test]
fn the_server_and_the_way_to_it_are_changed_by_the_line() {
    let mut small = Small::new();
    small.load.requests[0].first_byte = Some(Millis(930.0));
    small.load.requests[0].response_headers.push(Header { name: "Server-Timing".into(), value: "deck;dur=300".into() });
    let wait = |book: &Book| book.document().expect("there").wait.as_millis();
    assert_eq!(wait(&small.book().expect("a page")), 800);
    let document = || file("/");
    assert_eq!(wait(&done(&small, Edit::FasterResponse { file: document(), to: Some(Millis(60.0)) })), 60);
    assert_eq!(wait(&done(&small, Edit::PageCache { file: document() })), 300, "as the server's own files");
    assert_eq!(
        wait(&done(&small, Edit::ServerFaster { part: ServerPart::Owner { owner: Owner::named("deck") }, share: 0.5 })),
        650
    );
    let book = done(&small, Edit::Nearer { host: "www.pier.test".into(), round_trip: Millis(40.0) });
    assert_eq!(book.round_trips["www.pier.test"].as_millis(), 40);
    let book = done(&small, Edit::Http2 { host: "tags.other.test".into() });
    assert_eq!(book.http_of("tags.other.test"), Http::Second);
    assert!(refused(Edit::Http2 { host: "www.pier.test".into() }).contains("over TLS alone"));
    assert!(refused(Edit::Nearer { host: "www.pier.test".into(), round_trip: Millis(500.0) }).contains("no farther"));
    assert!(
        refused(Edit::ServerRemove { part: ServerPart::Owner { owner: Owner::named("deck") } })
            .contains("No response tells")
    );
    let book = done(&small, Edit::CacheLonger { scope: Scope::File { file: file("/hero.jpg") } });
    assert_eq!(at(&book, "hero.jpg").header("cache-control"), Some("public, max-age=31536000, immutable"));
}

#[test]
fn files_of_others_are_served_from_the_site_and_redirects_are_left_out() {
    let mut small = Small::new();
    let book = done(&small, Edit::SelfHost { file: key("https://tags.other.test/tag.js") });
    let page = page(&book);
    assert!(page.contains(r#"src="http://www.pier.test/own/tags.other.test/tag.js""#), "{page}");
    assert!(page.contains(r"http:\/\/www.pier.test\/own\/tags.other.test\/tag.js"), "escaped ones too");
    assert_eq!(at(&book, "/own/tags.other.test/tag.js").text().as_deref(), Some("go()"));
    let hop = small.add("http://www.pier.test/lib/pier.js?old", ResourceKind::Script, b"", "text/plain");
    hop.status = Some(302);
    hop.response_headers.push(Header { name: "Location".into(), value: "/lib/pier.js".into() });
    small.bodies.insert("0".into(), PAGE.replace("/lib/pier.js", "/lib/pier.js?old").into_bytes());
    let book = done(&small, Edit::DropRedirect { file: file("/lib/pier.js?old") });
    assert!(self::page(&book).contains(r#"src="http://www.pier.test/lib/pier.js""#));
    assert!(refused(Edit::DropRedirect { file: file("/hero.jpg") }).contains("does not redirect"));
}

#[test]
fn the_site_answers_for_a_file_of_its_own_as_it_does_for_its_others() {
    let waits = |other_comes: f64| {
        let mut small = Small::new();
        let other = small.load.requests.iter_mut().find(|r| r.url.ends_with("/tag.js")).expect("there");
        other.first_byte = Some(Millis(other_comes));
        let book = done(&small, Edit::SelfHost { file: key("https://tags.other.test/tag.js") });
        let [own, site] = ["/own/tags.other.test/tag.js", "/lib/pier.js"].map(|path| at(&book, path).wait.as_millis());
        (own, site)
    };
    let (own, site) = waits(2_430.0);
    assert!(own == site && own > 100, "one that comes late from elsewhere: {own}, {site}");
    let (own, site) = waits(330.0);
    assert!(own + 100 == site, "a quicker one stays so: {own}, {site}");
}

#[test]
fn text_is_shown_before_its_font() {
    let book = done(&Small::new(), Edit::ShowText { file: file("/quay.woff2") });
    assert!(at(&book, "site.css").text().expect("text").contains("font-display:swap"));
}

#[test]
fn what_a_replay_cannot_do_is_said() {
    assert!(refused(Edit::SplitTask { file: file("/lib/pier.js") }).contains("by hand"));
    assert!(refused(Edit::SubsetFont { file: file("/quay.woff2") }).contains("could not be read as a font"));
}

#[test]
fn a_file_of_ones_own_takes_the_place_and_keeps_the_encoding_of_the_text() {
    let mut small = Small::new();
    small.load.requests[0].response_headers[0].value = "text/html; charset=windows-1252".into();
    let mut book = small.book().expect("a page");
    by_hand::replace(&mut book, "http://www.pier.test/", "<p>Möwe".as_bytes()).expect("there");
    assert_eq!(&*book.document().expect("there").body, b"<p>M\xf6we");
    assert!(by_hand::replace(&mut book, "http://www.pier.test/none", b"").is_err());
}

#[test]
fn the_change_comes_as_files_and_as_a_diff() {
    let small = Small::new();
    let before = small.book().expect("a page");
    let (mut after, _) = small.tried(&Edit::DeferScript { file: file("/plugins/deck/slider.js") });
    after.taken_off.insert("http://www.pier.test/hero.jpg".into());
    let found = changes(&before, &after);
    let told: Vec<(&str, Becomes)> = found.iter().map(|c| (c.path.as_str(), c.becomes)).collect();
    assert_eq!(told, [("www.pier.test/index.html", Becomes::Changed), ("", Becomes::TakenOff)]);
    let diff = unified(&before, &after);
    assert!(diff.contains("--- a/www.pier.test/index.html\n+++ b/www.pier.test/index.html\n"), "{diff}");
    assert!(diff.contains("-<script src=\"/plugins/deck/slider.js\"></script>\n+<script src=\"/plugins/deck/slider.js\" defer=\"\"></script>"), "{diff}");
    let bytes = archive(&before, &after, &["As was asked.".into()]).expect("memory");
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).expect("a zip");
    let mut text = String::new();
    zip.by_name("READ-ME.txt").expect("there").read_to_string(&mut text).expect("text");
    assert!(text.contains("As was asked.") && text.contains("hero.jpg: not asked for any more"), "{text}");
    assert!(zip.by_name("www.pier.test/index.html").is_ok());
}

#[test]
fn loads_that_cannot_be_replayed_say_why() {
    let empty = Load::empty("http://a.test/");
    assert_eq!(Book::of(&empty, &phainon_core::NoBodies).expect_err("nothing there"), CannotReplay::NoRequests);
    let small = Small::new();
    let without = Book::of(&small.load, &phainon_core::NoBodies).expect_err("no document");
    assert!(without.to_string().contains("http://www.pier.test/"), "{without}");
    let mut some = Small::new();
    some.bodies.remove("5");
    let book = some.book().expect("a page");
    assert!(book.shortfalls[0].sentence().contains("bodies of 1 responses"), "{:?}", book.shortfalls);
    assert_eq!(at(&book, "hero.jpg").body.len(), picture().len(), "as many bytes");
    // How large it was may not be known either; that it is missing is.
    some.load.requests[5].unpacked = None;
    let book = some.book().expect("a page");
    assert!(!book.shortfalls.is_empty() && !at(&book, "hero.jpg").exact);
}
