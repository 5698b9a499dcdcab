//! What each plugin does on the server while a page is made. All of it is real work.

use crate::spans::Tracer;
use crate::switches::{Switch, Switches};
use rusqlite::{Connection, params};
use sha2::{Digest, Sha256};
use std::cell::RefCell;
use std::fmt::Write;
use std::time::Instant;

/// The site's database: tides without the index that they need, and a list of visits.
pub fn database() -> rusqlite::Result<Connection> {
    let db = Connection::open_in_memory()?;
    db.execute_batch(
        "create table tides (harbour text, minute integer, height real);
         create table levels (day integer, height real);
         create table visits (id integer primary key, address text, page text);
         create table sailings (id integer primary key, harbour text, departs text, vessel text);
         create table forms (id integer primary key, label text, kind text);",
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
    let mut insert = db.prepare("insert into forms (label, kind) values (?1, ?2)")?;
    for field in 0..2_000 {
        insert.execute(params![format!("Field {field}"), if field % 3 == 0 { "email" } else { "text" }])?;
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
fn timetable(db: &Connection, batched: bool, tracer: &Tracer) -> rusqlite::Result<Vec<Row>> {
    let harbours = ["Anvil Skerry", "Gull Island", "Low Haven", "Tern Rock"];
    let vessels = ["Marlin Bay", "Petrel", "Sandlance"];
    let mut highest = std::collections::HashMap::new();
    if batched {
        let sql = "select day, max(height) from levels group by day";
        let all: Vec<(u32, f64)> =
            tracer.query(sql, count, || db.prepare(sql)?.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?.collect())?;
        highest.extend(all);
    }
    (0..ROWS)
        .map(|n| {
            let day = n / 10;
            let height = match highest.get(&day) {
                Some(height) => *height,
                None => {
                    let sql = format!("select max(height) from levels where day = {day}");
                    tracer.query(&sql, |_| 1, || db.query_row(&sql, [], |r| r.get(0)))?
                }
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

#[allow(clippy::ptr_arg)]
fn count<T>(rows: &Vec<T>) -> i64 {
    i64::try_from(rows.len()).unwrap_or(i64::MAX)
}

/// What plugins took, in the order of work.
type Took = RefCell<Vec<(&'static str, f64)>>;

/// Runs a plugin's hook, where it is active, within a span of its own; gives what it made.
fn hook<T: Default>(
    took: &Took,
    (on, tracer): (&Switches, &Tracer),
    (plugin, function): (&'static str, &str),
    work: impl FnOnce() -> rusqlite::Result<T>,
) -> rusqlite::Result<T> {
    if !on.is_active(plugin) {
        return Ok(T::default());
    }
    let start = Instant::now();
    let made = tracer.hook(plugin, function, work);
    took.borrow_mut().push((plugin, start.elapsed().as_secs_f64() * 1000.0));
    made
}

/// Weighs a request against a chain of digests.
fn ticket(path: &str) -> String {
    let mut chain = Sha256::digest(path.as_bytes());
    for _ in 0..500_000 {
        chain = Sha256::digest(chain);
    }
    chain.iter().take(4).fold(String::new(), |mut text, byte| {
        let _ = write!(text, "{byte:02x}");
        text
    })
}

/// The next departures with the high water of each: asked once per sailing and hour, without an index.
fn departures(db: &Connection, tracer: &Tracer) -> rusqlite::Result<String> {
    let sql = "select harbour, departs, vessel from sailings order by departs";
    let next: Vec<(String, String, String)> = tracer.query(sql, count, || {
        db.prepare(sql)?.query_map([], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?.collect()
    })?;
    let mut rows = String::new();
    for (n, (harbour, departs, vessel)) in next.iter().enumerate() {
        let mut highest = f64::MIN;
        for hour in 0..6 {
            let at = i64::try_from(n).unwrap_or(0) * 400 + hour * 60;
            let sql = format!(
                "select coalesce(max(height), 0) from tides where harbour = 'harbour-{n}' and minute between {at} and {}",
                at + 60
            );
            let height: f64 = tracer.query(&sql, |_| 1, || db.query_row(&sql, [], |row| row.get(0)))?;
            highest = highest.max(height);
        }
        let _ = write!(rows, "<tr><td>{departs}</td><td>{harbour}</td><td>{vessel}</td><td>{highest:.1} m</td></tr>");
    }
    Ok(rows)
}

/// All fields that forms can have: both plugins for forms ask for them.
fn fields(db: &Connection, tracer: &Tracer) -> rusqlite::Result<Vec<(String, String)>> {
    let sql = "select label, kind from forms order by label";
    tracer.query(sql, count, || db.prepare(sql)?.query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?.collect())
}

/// Runs every active plugin for one page.
pub fn make(db: &Connection, path: &str, on: &Switches, tracer: &Tracer) -> rusqlite::Result<Made> {
    let took = Took::default();
    let of = (on, tracer);
    let ticket = hook(&took, of, ("harbour-guard", "weigh_request"), || Ok(ticket(path)))?;
    let (departures, rows) = hook(&took, of, ("tide-table", "high_water"), || {
        let departures = departures(db, tracer)?;
        let rows =
            if path == "/timetable/" { timetable(db, on.has(Switch::QueryBatched), tracer)? } else { Vec::new() };
        Ok((departures, rows))
    })?;
    hook(&took, of, ("gull-stats", "count_visit"), || {
        let sql = "insert into visits (address, page) values (?1, ?2)";
        tracer.query(sql, |_| 0, || db.execute(sql, params![ticket, path]))?;
        let sql = "select count(distinct address) from visits";
        let _: i64 = tracer.query(sql, |_| 1, || db.query_row(sql, [], |row| row.get(0)))?;
        Ok(())
    })?;
    let meta = hook(&took, of, ("search-beacon", "meta_tags"), || {
        let mut meta = String::new();
        for word in ["ferry", "islands", "timetable", "Anvil Skerry", "Gull Island"] {
            let _ = write!(meta, "<meta name=\"keywords\" content=\"{word}\">");
        }
        Ok(meta)
    })?;
    // Two form plugins render the same form; the page uses the first.
    let form = hook(&took, of, ("easy-forms", "render_form"), || {
        std::hint::black_box(fields(db, tracer)?);
        Ok("<form data-easy><label>Your e-mail <input type=\"email\" name=\"mail\"></label> <button>Send me notices</button></form>".to_owned())
    })?;
    hook(&took, of, ("form-builder", "build_all"), || {
        let mut built = String::new();
        for (label, kind) in fields(db, tracer)? {
            let _ = write!(built, "<label>{label}<input type=\"{kind}\"></label>");
        }
        std::hint::black_box(built);
        Ok(())
    })?;
    // It looks at everything that it will save tonight.
    hook(&took, of, ("night-vault", "look_through"), || {
        let sql = "select sum(height) from tides";
        let weight: f64 = tracer.query(sql, |_| 1, || db.query_row(sql, [], |row| row.get(0)))?;
        std::hint::black_box(weight);
        Ok(())
    })?;
    Ok(Made { departures, meta, form, rows, took: took.into_inner() })
}
