//! What each plugin does on the server while a page is made. All of it is real work.

use crate::switches::{Switch, Switches};
use rusqlite::{Connection, params};
use sha2::{Digest, Sha256};
use std::fmt::Write;
use std::time::Instant;

/// The site's database: tides without the index that they need, and a list of visits.
pub fn database() -> rusqlite::Result<Connection> {
    let db = Connection::open_in_memory()?;
    db.execute_batch(
        "create table tides (harbour text, minute integer, height real);
         create table levels (day integer, height real);
         create table visits (id integer primary key, address text, page text);
         create table sailings (id integer primary key, harbour text, departs text, vessel text);",
    )?;
    let mut insert = db.prepare("insert into tides values (?1, ?2, ?3)")?;
    for harbour in 0..24 {
        for step in 0..1_500 {
            let minute = step * 10;
            let height = 2.4 + 2.1 * (f64::from(minute) / 118.6 + f64::from(harbour)).sin();
            insert.execute(params![format!("harbour-{harbour}"), minute, height])?;
        }
    }
    drop(insert);
    let mut insert = db.prepare("insert into levels values (?1, ?2)")?;
    for day in 0..150 {
        for hour in 0..24 {
            let height = 2.4 + 2.1 * (f64::from(day * 24 + hour) / 1.977).sin();
            insert.execute(params![day, height])?;
        }
    }
    drop(insert);
    let mut insert = db.prepare("insert into sailings (harbour, departs, vessel) values (?1, ?2, ?3)")?;
    for (n, (harbour, vessel)) in [
        ("Anvil Skerry", "Marlin Bay"),
        ("Gull Island", "Petrel"),
        ("Low Haven", "Marlin Bay"),
        ("Tern Rock", "Sandlance"),
        ("Anvil Skerry", "Petrel"),
        ("Gull Island", "Sandlance"),
    ]
    .into_iter()
    .enumerate()
    {
        insert.execute(params![harbour, format!("{:02}:{:02}", 7 + n * 2, (n * 25) % 60), vessel])?;
    }
    drop(insert);
    Ok(db)
}

/// One sailing of the timetable.
pub struct Row {
    /// Day of the season.
    pub day: u32,
    /// Departure.
    pub at: String,
    pub harbour: &'static str,
    pub vessel: &'static str,
    /// High water at the harbour that day, in metres.
    pub height: f64,
}

/// How many rows the timetable has.
const ROWS: u32 = 1_500;

/// tide-table on the timetable's page: the high water of each sailing, one query a row and no index,
/// or one query for all of them.
fn timetable(db: &Connection, batched: bool) -> rusqlite::Result<Vec<Row>> {
    let harbours = ["Anvil Skerry", "Gull Island", "Low Haven", "Tern Rock"];
    let vessels = ["Marlin Bay", "Petrel", "Sandlance"];
    let mut highest = std::collections::HashMap::new();
    if batched {
        let mut all = db.prepare("select day, max(height) from levels group by day")?;
        for row in all.query_map([], |r| Ok((r.get::<_, u32>(0)?, r.get::<_, f64>(1)?)))? {
            let (day, height) = row?;
            highest.insert(day, height);
        }
    }
    (0..ROWS)
        .map(|n| {
            let day = n / 10;
            let height = match highest.get(&day) {
                Some(height) => *height,
                None => db.query_row("select max(height) from levels where day = ?1", [day], |r| r.get(0))?,
            };
            Ok(Row {
                day: day + 1,
                at: format!("{:02}:{:02}", 6 + (n * 7) % 15, (n * 25) % 60),
                harbour: harbours[(n % 4) as usize],
                vessel: vessels[(n % 3) as usize],
                height,
            })
        })
        .collect()
}

/// The pieces of a page that plugins make, and how long each took.
pub struct Made {
    /// Markup of the departures table.
    pub departures: String,
    /// Meta tags.
    pub meta: String,
    /// A form.
    pub form: String,
    /// The timetable's rows, on its own page.
    pub rows: Vec<Row>,
    /// Plugin and milliseconds, in the order of work.
    pub took: Vec<(&'static str, f64)>,
}

/// Runs every active plugin for one page.
pub fn make(db: &Connection, path: &str, on: &Switches) -> rusqlite::Result<Made> {
    let mut took = Vec::new();
    let mut timed = |name: &'static str, start: Instant| took.push((name, start.elapsed().as_secs_f64() * 1000.0));

    // harbour-guard: weighs every request against a chain of digests.
    let start = Instant::now();
    let mut chain = Sha256::digest(path.as_bytes());
    for _ in 0..500_000 {
        chain = Sha256::digest(chain);
    }
    let ticket = chain.iter().take(4).fold(String::new(), |mut text, byte| {
        let _ = write!(text, "{byte:02x}");
        text
    });
    timed("harbour-guard", start);

    // tide-table: asks once per sailing and hour, without an index.
    let start = Instant::now();
    let mut departures = String::new();
    let mut sailings = db.prepare("select harbour, departs, vessel from sailings order by departs")?;
    let next: Vec<(String, String, String)> =
        sailings.query_map([], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?.collect::<Result<_, _>>()?;
    for (n, (harbour, departs, vessel)) in next.iter().enumerate() {
        let mut highest = f64::MIN;
        for hour in 0..6 {
            let at = i64::try_from(n).unwrap_or(0) * 400 + hour * 60;
            let height: f64 = db.query_row(
                "select coalesce(max(height), 0) from tides where harbour = ?1 and minute between ?2 and ?3",
                params![format!("harbour-{n}"), at, at + 60],
                |row| row.get(0),
            )?;
            highest = highest.max(height);
        }
        let _ =
            write!(departures, "<tr><td>{departs}</td><td>{harbour}</td><td>{vessel}</td><td>{highest:.1} m</td></tr>");
    }
    let rows = if path == "/timetable/" { timetable(db, on.has(Switch::QueryBatched))? } else { Vec::new() };
    timed("tide-table", start);

    let start = Instant::now();
    db.execute("insert into visits (address, page) values (?1, ?2)", params![ticket, path])?;
    let _: i64 = db.query_row("select count(distinct address) from visits", [], |row| row.get(0))?;
    timed("gull-stats", start);

    let start = Instant::now();
    let mut meta = String::new();
    for word in ["ferry", "islands", "timetable", "Anvil Skerry", "Gull Island"] {
        let _ = write!(meta, "<meta name=\"keywords\" content=\"{word}\">");
    }
    timed("search-beacon", start);

    // Two form plugins render the same form; the page uses the first.
    let start = Instant::now();
    let form = "<form data-easy><label>Your e-mail <input type=\"email\" name=\"mail\"></label> <button>Send me notices</button></form>".to_owned();
    timed("easy-forms", start);
    let start = Instant::now();
    let mut built = String::new();
    for field in 0..4_000 {
        let _ = write!(built, "<label>{field}<input name=\"f{field}\"></label>");
    }
    std::hint::black_box(built);
    timed("form-builder", start);

    // night-vault: looks at everything that it will save tonight.
    let start = Instant::now();
    let weight: f64 = db.query_row("select sum(height) from tides", [], |row| row.get(0))?;
    std::hint::black_box(weight);
    timed("night-vault", start);

    Ok(Made { departures, meta, form, rows, took })
}
