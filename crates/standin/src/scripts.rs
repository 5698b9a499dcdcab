//! The site's scripts: as long as they say, and at work for as long as they take.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::fmt::Write;

const WORDS: [&str; 24] = [
    "anchor", "beacon", "cleat", "draft", "eddy", "fender", "galley", "hatch", "islet", "jetty", "keel", "lantern",
    "mast", "narrows", "oar", "pier", "quay", "rudder", "skerry", "tide", "undertow", "vane", "wake", "yaw",
];

/// Functions that nobody calls on this page, up to about `size` bytes: the part of a library that
/// a page downloads and does not use.
pub fn ballast(seed: u64, size: usize) -> String {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut text = String::with_capacity(size + 400);
    let mut n = 0;
    while text.len() < size {
        let mut word = || WORDS[rng.random_range(0..WORDS.len())];
        let (a, b, c) = (word(), word(), word());
        let (x, y, z): (u32, u32, u32) = (rng.random_range(2..999), rng.random_range(2..9999), rng.random_range(2..99));
        let _ = write!(
            text,
            "\n/** Works out the {a} of a {b}, given its {c}. */\nfunction {a}{b}{n}(options, {c}) {{\n  var {b} = options.{b} || {y}, total = {x};\n  for (var i = 0; i < {b} % {z}; i++) {{\n    total += ({c} * i + {x}) % {y};\n    if (total > {y}{z}) total -= options['{a}-{b}-{z}'] || {x};\n  }}\n  return {{ {a}: total, {c}: '{b} {x} of {y}', at: [{x}, {y}, {z}] }};\n}}\n",
        );
        n += 1;
    }
    text
}

/// A computation of a fixed number of steps; what it takes depends on the machine, as it should.
const WORK: &str = "function haul(steps) {\n  var state = 7, sum = 0, seen = new Float64Array(1024);\n  for (var i = 0; i < steps; i++) {\n    state = (state * 1103515245 + 12345) % 2147483648;\n    seen[i & 1023] += Math.sqrt(state) * 0.5;\n    sum += seen[state & 1023] % 3;\n  }\n  return sum;\n}\n";

/// tidemark's library: large, blocking, mostly unused.
pub fn vendor() -> String {
    format!(
        "// tidemark vendor bundle\n(function (root) {{\n'use strict';\n{WORK}{}\nroot.tidemark = {{\n  haul: haul,\n  measure: function (node) {{ return node.getBoundingClientRect(); }},\n  ready: function (then) {{ document.readyState === 'loading' ? document.addEventListener('DOMContentLoaded', then) : then(); }},\n  table: haul(900000)\n}};\n}})(window);\n",
        ballast(11, 146_000)
    )
}

/// deck-slider: inserts the hero once the document is parsed and a timer has passed.
pub fn slider() -> String {
    format!(
        "// deck-slider\n(function () {{\n'use strict';\n{}\ntidemark.ready(function dock() {{\n  var deck = document.getElementById('deck');\n  if (!deck) return;\n  var easing = tidemark.haul(1200000);\n  if (deck.querySelector('img')) return;\n  setTimeout(function cast() {{\n    tidemark.haul(500000 + (easing & 1));\n    var hero = document.createElement('img');\n    hero.className = 'deck-hero';\n    hero.alt = 'The ferry Marlin Bay off Anvil Skerry';\n    hero.src = deck.dataset.hero;\n    deck.appendChild(hero);\n  }}, 120);\n}});\n}})();\n",
        ballast(12, 61_000)
    )
}

/// consent-bar: asks for its texts, then stands on top of the page and pushes it down.
pub fn consent() -> String {
    format!(
        "// consent-bar\n(function () {{\n'use strict';\n{}\nfetch('/plugins/consent-bar/texts.json').then(function (answer) {{ return answer.json(); }}).then(function show(texts) {{ setTimeout(function () {{ raise(texts); }}, 900); }});\nfunction raise(texts) {{\n  var place = document.getElementById('consent');\n  var bar = document.createElement('div');\n  bar.className = 'consent-bar';\n  bar.innerHTML = '<p></p><button>' + texts.yes + '</button><button>' + texts.no + '</button>';\n  bar.querySelector('p').textContent = texts.question;\n  if (place) place.appendChild(bar); else document.body.insertBefore(bar, document.body.firstChild);\n}}\n}})();\n",
        ballast(13, 20_000)
    )
}

/// gull-stats: counts, loops over every element, sends a beacon.
pub fn stats() -> String {
    format!(
        "// gull-stats\n(function () {{\n'use strict';\n{}\nvar seen = 0;\ndocument.querySelectorAll('*').forEach(function (node) {{ seen += node.offsetTop % 7; }});\nif (window.tidemark) tidemark.haul(300000);\nsetTimeout(function () {{ fetch('/plugins/gull-stats/visit?seen=' + seen, {{ method: 'POST', keepalive: true }}).catch(function () {{}}); }}, 400);\n}})();\n",
        ballast(14, 14_000)
    )
}

/// share-buoys: buttons under every card.
pub fn share() -> String {
    format!(
        "// share-buoys\n(function () {{\n'use strict';\n{}\ndocument.querySelectorAll('.crossing').forEach(function (card) {{\n  var row = document.createElement('p');\n  row.className = 'share-buoys';\n  row.innerHTML = '<a href=\"#\">Pass it on</a> <a href=\"#\">By post</a>';\n  card.appendChild(row);\n  card.offsetHeight;\n}});\n}})();\n",
        ballast(15, 34_000)
    )
}

/// Two plugins that both do forms; only the first is used.
pub fn forms(name: &str, seed: u64, size: usize, used: bool) -> String {
    let body = if used {
        "document.querySelectorAll('form[data-easy]').forEach(function (form) { form.addEventListener('submit', function (e) { e.preventDefault(); }); });"
    } else {
        "window.formBuilder = { fields: [], add: function (f) { this.fields.push(f); } };"
    };
    format!("// {name}\n(function () {{\n'use strict';\n{}\n{body}\n}})();\n", ballast(seed, size))
}

/// berth-booking: needed, and well behaved.
pub fn berths() -> String {
    format!(
        "// berth-booking\n(function () {{\n'use strict';\n{}\nwindow.berths = {{ open: true }};\n}})();\n",
        ballast(18, 9_000)
    )
}

/// The tag manager: a tenth of a second of main thread, then a second script.
pub fn tag() -> String {
    format!(
        "// driftmetric tag\n(function () {{\n'use strict';\n{WORK}{}\nhaul(1500000);\nvar next = document.createElement('script');\nnext.src = '//tags.driftmetric.test/rules.js';\nnext.async = true;\ndocument.head.appendChild(next);\n}})();\n",
        ballast(16, 70_000)
    )
}

/// The tag manager's rules.
pub fn rules() -> String {
    format!(
        "// driftmetric rules\n(function () {{\n'use strict';\n{WORK}{}\nhaul(900000);\n}})();\n",
        ballast(19, 24_000)
    )
}

/// The chat: large, and busy for a third of a second as soon as it arrives.
pub fn chat() -> String {
    format!(
        "// parleydock chat\n(function () {{\n'use strict';\n{WORK}{}\nvar box = document.createElement('div');\nbox.className = 'parley';\nbox.textContent = 'Ask the harbour office';\nbox.style.cssText = 'position:fixed;right:16px;bottom:16px;padding:10px 16px;background:#23415f;color:#fff;border-radius:18px;font:14px sans-serif';\nfor (var i = 0; i < 40; i++) {{ var line = document.createElement('i'); line.hidden = true; box.appendChild(line); }}\nhaul(4500000);\ndocument.body.appendChild(box);\nsetTimeout(function warm() {{ haul(1800000); }}, 250);\n}})();\n",
        ballast(17, 205_000)
    )
}

/// The advert's loader.
pub fn advert() -> String {
    "// islandmedia\n(function () {\n'use strict';\nvar place = document.getElementById('advert');\nif (!place) return;\nvar link = document.createElement('a');\nlink.href = '#';\nvar picture = document.createElement('img');\npicture.src = '//ads.islandmedia.test/' + (place.dataset.picture || 'advert.jpg');\npicture.alt = 'Advertisement: winter rooms on Gull Island';\nlink.appendChild(picture);\nplace.appendChild(link);\n})();\n".to_owned()
}

/// tide-table: builds 1,500 rows and sorts them; measures each row as it goes, or all at once.
pub fn table(measure_each: bool) -> String {
    let measure = if measure_each {
        "if (n % 30 === 0) widest = Math.max(widest, line.offsetWidth + line.lastChild.offsetHeight);"
    } else {
        ""
    };
    format!(
        "// tide-table\n(function () {{\n'use strict';\n{}\nvar source = document.getElementById('rows');\nif (!source) return;\nvar body = document.querySelector('#boats tbody'), widest = 0;\nfunction sortRows(rows) {{ return rows.sort(function (a, b) {{ return a[1] < b[1] ? -1 : a[1] > b[1] ? 1 : a[0] - b[0]; }}); }}\nfunction buildRow(row, n) {{\n  var line = document.createElement('tr');\n  row.forEach(function (value, i) {{ var cell = document.createElement('td'); cell.textContent = i === 4 ? value.toFixed(1) + ' m' : value; line.appendChild(cell); }});\n  body.appendChild(line);\n  {measure}\n}}\nfunction buildTable() {{ sortRows(JSON.parse(source.textContent)).forEach(buildRow); body.dataset.widest = widest || body.offsetWidth; }}\nperformance.mark('table-start');\nbuildTable();\nperformance.measure('timetable', 'table-start');\n}})();\n",
        ballast(41, 22_000)
    )
}

/// berth-booking on its own page: counts berths for every change of the passenger count.
pub fn booking(split: bool) -> String {
    let change = if split {
        "passengers = Math.max(1, passengers + by);\n  show();\n  setTimeout(function () { count(6); }, 60);"
    } else {
        "passengers = Math.max(1, passengers + by);\n  tidemark.haul(2000000);\n  layBerths();\n  show();"
    };
    format!(
        "// berth-booking, passengers\n(function () {{\n'use strict';\n{}\nvar passengers = 2, out = document.getElementById('passengers'), berths = document.getElementById('berths');\nfunction show() {{ out.textContent = passengers; document.getElementById('total').textContent = passengers * 14; }}\nfunction layBerths() {{\n  berths.textContent = '';\n  for (var i = 0; i < 120; i++) {{ var berth = document.createElement('span'); berth.textContent = i + 1; if (i % 7 < passengers) berth.className = 'taken'; berths.appendChild(berth); if (i % 20 === 0) berth.offsetTop; }}\n}}\nfunction count(left) {{ if (!left) return layBerths(); tidemark.haul(500000); setTimeout(function () {{ count(left - 1); }}, 0); }}\nfunction change(by) {{\n  {change}\n}}\ndocument.getElementById('more').addEventListener('click', function onMore() {{ change(1); }});\ndocument.getElementById('fewer').addEventListener('click', function onFewer() {{ change(-1); }});\nlayBerths();\n}})();\n",
        ballast(42, 16_000)
    )
}

/// review-stars: asks for reviews and puts them above the text when they come.
pub fn stars() -> String {
    format!(
        "// review-stars\n(function () {{\n'use strict';\n{}\nvar place = document.getElementById('stars');\nif (!place) return;\nfetch('/plugins/review-stars/reviews.json?crossing=' + place.dataset.crossing).then(function (answer) {{ return answer.json(); }}).then(function show(reviews) {{\n  reviews.slice(0, 3).forEach(function (review) {{\n    var note = document.createElement('p');\n    note.className = 'review';\n    note.textContent = new Array(review.stars + 1).join('★') + ' ' + review.words;\n    place.appendChild(note);\n  }});\n}});\n}})();\n",
        ballast(43, 52_000)
    )
}

/// Reviews of a crossing, far more than are shown.
pub fn reviews() -> String {
    let mut rng = ChaCha8Rng::seed_from_u64(44);
    let reviews: Vec<String> = (0..400)
        .map(|_| {
            let words: Vec<&str> = (0..9).map(|_| WORDS[rng.random_range(0..WORDS.len())]).collect();
            format!("{{\"stars\":{},\"words\":\"{}\"}}", rng.random_range(3..6), words.join(" "))
        })
        .collect();
    format!("[{}]", reviews.join(","))
}

/// The film host's player: everything is fetched and set up before anybody starts a film.
pub fn player() -> String {
    format!(
        "// reelharbour player\n(function () {{\n'use strict';\n{WORK}{}\nvar place = document.getElementById('player');\nif (!place) return;\nhaul(2200000);\nfetch('//video.reelharbour.test/films.json').then(function (a) {{ return a.json(); }}).then(function ready(films) {{ haul(600000); place.dataset.films = films.length; }});\n}})();\n",
        ballast(45, 310_000)
    )
}

/// Every film of the host, for a page that shows one.
pub fn films() -> String {
    let films: Vec<String> =
        (0..900).map(|n| format!("{{\"film\":\"refit-{n}\",\"minutes\":{},\"of\":\"Low Haven\"}}", n % 90)).collect();
    format!("[{}]", films.join(","))
}
