//! Profiles as profilers write them that are not ours, and ones made up in the same form. `profiles/make.sh` has the
//! real ones written; what they wrote is kept.

#![allow(clippy::unwrap_used)]

use phainon_core::Owners;
use phainon_core::call_profile::{CallProfile, FunctionRow, MeasureUnit, ProfileReading, TreeIs};
use phainon_formats::callgrind::{is_profile, read};
use phainon_formats::{FormatError, MemoryBudget};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::fmt::Write;

fn profile(file: &[u8]) -> CallProfile {
    read(file, "a profile", &MemoryBudget::default()).unwrap()
}

fn refusal(file: &str) -> String {
    read(file.as_bytes(), "a profile", &MemoryBudget::default()).unwrap_err().to_string()
}

fn told(profile: &CallProfile, measure: usize) -> ProfileReading {
    let reading = profile.reading(&Owners::by_rules(&[]), measure);
    let close = |sum: f64| (sum - reading.total).abs() <= 1e-6 * reading.total.abs().max(1.0);
    assert!(close(reading.owners.iter().map(|o| o.own).sum()), "the owners' parts are the whole");
    assert!(close(reading.files.iter().map(|f| f.own).sum()), "so are the files' lines");
    reading
}

fn function<'a>(reading: &'a ProfileReading, name: &str) -> &'a FunctionRow {
    reading.functions.iter().find(|f| f.name.ends_with(name)).unwrap_or_else(|| panic!("{name} is missing"))
}

/// What the last line of the kept profile of PHP says.
const SUMMARY: [i64; 2] = [1_228_062, 449_056];

#[test]
fn a_profile_of_php_is_read_call_by_call() {
    let profile = profile(include_bytes!("profiles/php.callgrind.gz"));
    assert!(profile.creator.as_deref().unwrap().starts_with("xdebug"));
    assert_eq!(profile.command.as_deref(), Some("/srv/harbour/harbour.php"));
    let stated: Vec<f64> = [0, 1].map(|place| told(&profile, place).stated.unwrap()).to_vec();
    assert_eq!(profile.stated.as_deref(), Some(&SUMMARY[..]), "as the file's last line says");
    let units: Vec<MeasureUnit> = profile.measures.iter().map(|m| m.unit).collect();
    assert_eq!(units, [MeasureUnit::Ms, MeasureUnit::Bytes]);

    let reading = told(&profile, 0);
    let main = function(&reading, "{main}");
    // Every call's time is rounded to 10 ns.
    assert!((main.inclusive - reading.total).abs() < 0.001, "everything is in the outermost call");
    assert!((0.0..0.1).contains(&(1.0 - reading.total / stated[0])), "PHP itself takes the rest, in no function");
    let memory = told(&profile, 1);
    assert!(function(&memory, "{main}").inclusive < stated[1], "what PHP held before is no function's");
    assert_eq!(function(&reading, "Tides\\levels").called, 24);
    let crossing = function(&reading, "Curve->crossing");
    assert_eq!((crossing.called, crossing.again), (24 * 14, true));
    assert!(crossing.inclusive < function(&reading, "Harbour\\row").inclusive, "a call in its own call counts once");
    let names: Vec<&str> = reading.owners.iter().map(|o| o.owner.name.as_str()).collect();
    assert!(["tide-table", "quay", "site"].iter().all(|name| names.contains(name)), "{names:?}");
    let tides = reading.owners.iter().find(|o| o.owner.name == "tide-table").unwrap();
    let theme = reading.owners.iter().find(|o| o.owner.name == "quay").unwrap();
    assert!(tides.own > function(&reading, "Tides\\levels").own, "its queries are its own, though PHP runs them");
    assert!(theme.inclusive > tides.inclusive, "the theme's page calls all of the plugin's");

    assert_eq!(reading.tree_is, TreeIs::Told);
    let step = |name: &str| reading.tree.iter().position(|s| s.name.ends_with(name)).unwrap();
    let levels = &reading.tree[step("Tides\\levels")];
    assert_eq!(levels.parent, u32::try_from(step("Harbour\\page")).ok());
    assert_eq!(levels.count, Some(24));
    let neighbours =
        profile.neighbours(&Owners::by_rules(&[]), 0, function(&reading, "Tides\\levels").function).unwrap();
    let callers: Vec<&str> = neighbours.callers.iter().map(|n| n.name.as_str()).collect();
    assert_eq!(callers, ["Harbour\\page"]);
    let fetched = neighbours.called.iter().find(|n| n.name.ends_with("PDOStatement->execute")).unwrap();
    assert_eq!(fetched.count, 24);
}

#[test]
fn a_profile_of_a_program_in_c_is_read_as_sums_of_calls() {
    let profile = profile(include_bytes!("profiles/c.callgrind.gz"));
    assert_eq!(profile.stated.as_ref(), Some(&profile.total()), "the lines add up to the file's own totals");
    let reading = told(&profile, 0);
    assert_eq!((reading.tree_is, reading.measures[0].unit), (TreeIs::SharedOut, MeasureUnit::Count));
    let of = |name: &str| reading.functions.iter().find(|f| f.name == name && f.file.ends_with("tides.c")).unwrap();
    let (main, crossing, even, odd) = (of("main"), of("crossing"), of("even"), of("odd"));
    assert!(main.inclusive < reading.total && main.inclusive > reading.total * 0.8);
    // 365 calls from main, the rest of itself: calls of oneself are calls.
    assert!(crossing.again && crossing.inclusive < main.inclusive);
    assert!(even.again && odd.again && even.inclusive < main.inclusive / 2.0, "each instant of the circle once");
    assert!((even.inclusive - (even.own + odd.own)).abs() < 1e-6, "they call nothing but each other");
    let ours = reading.owners.iter().find(|o| o.owner.name == "site").unwrap();
    assert!(ours.own > main.own + crossing.own, "the sines are for who asked for them");
    // What the system did before the program began is nobody else's.
    assert!((ours.own - reading.total).abs() < 1e-3);
}

#[test]
fn parts_of_a_file_are_added_up() {
    let parts = profile(include_bytes!("profiles/parts.callgrind.gz"));
    assert_eq!(parts.parts, 2);
    assert_eq!(parts.stated.as_ref(), Some(&parts.total()));
    let once = told(&profile(include_bytes!("profiles/c.callgrind.gz")), 0);
    let twice = told(&parts, 0);
    for name in ["crossing", "even"] {
        let of = |reading: &ProfileReading| {
            let row = reading.functions.iter().find(|f| f.name == name && f.file.ends_with("tides.c")).unwrap();
            (row.own, row.called)
        };
        assert_eq!(of(&once), of(&twice), "{name} is the same, however often it was written down");
    }
}

/// Positions relative to the line before, lines of other files within a function, names with and without numbers, a
/// jump, costs that are left out, memory that is given back.
const BY_HAND: &str = "version: 1
creator: by hand
positions: line
events: Time_(10ns) Memory_(bytes)
event: Time_(10ns) : time on the clock
summary: 1700 -20

fl=(1) /srv/app/index.php
fn=(1) page
3 100 20
+2 200
fi=/srv/app/plugins/berths/part.php
9 300 -60
fe=(1)
* 400
jump=3 +4
8
cfl=/srv/app/plugins/berths/part.php
cfn=draw
calls=4 2
-1 600 20

fl=/srv/app/plugins/berths/part.php
fn=draw
2 600 20
";

#[test]
fn what_a_line_means_is_what_the_format_says() {
    let profile = profile(BY_HAND.as_bytes());
    assert_eq!(profile.total(), [1_600, -20]);
    let reading = told(&profile, 0);
    assert_eq!(reading.measures[0].long_name.as_deref(), Some("time on the clock"));
    let close = |a: f64, b: f64| (a - b).abs() < 1e-9;
    assert!(close(reading.total, 0.016) && close(reading.stated.unwrap(), 0.017), "what differs is told");
    let (page, draw) = (function(&reading, "page"), function(&reading, "draw"));
    assert!(close(page.own, 0.010) && close(page.inclusive, 0.016) && close(draw.own, 0.006));
    assert_eq!((draw.called, page.called), (4, 0));
    let lines: BTreeMap<&str, f64> = reading.files.iter().map(|f| (f.file.as_str(), f.own)).collect();
    assert!(close(lines["/srv/app/plugins/berths/part.php"], 0.009), "{lines:?}");
    let owners: BTreeMap<&str, f64> = reading.owners.iter().map(|o| (o.owner.name.as_str(), o.own)).collect();
    assert!(close(owners["berths"], 0.006) && close(owners["site"], 0.010));
    let memory = told(&profile, 1);
    assert!(close(memory.total, -20.0) && close(function(&memory, "page").own, -40.0));
}

#[test]
fn what_is_wrong_is_told_with_its_line() {
    let head = "events: Ir\n";
    for (file, why) in [
        ("".into(), "a profile is empty."),
        (
            "creator: x\n".into(),
            "a profile is no profile in the callgrind format: no line “events:” tells what is counted.",
        ),
        (format!("{head}fn=a\n1 x\n"), "a profile cannot be read as a profile, from line 3 on: “x” is no cost."),
        (
            format!("{head}fn=(4)\n"),
            "a profile cannot be read as a profile, from line 2 on: (4) is not told before it is used.",
        ),
        (
            format!("{head}1 2\n"),
            "a profile cannot be read as a profile, from line 2 on: costs stand before any fn= that tells whose they are.",
        ),
        (
            format!("{head}fn=a\n1 2 3\n"),
            "a profile cannot be read as a profile, from line 3 on: there are more costs than measures.",
        ),
        (
            format!("{head}fn=a\ncalls=1 1\n"),
            "a profile cannot be read as a profile, from line 3 on: calls= stands before any cfn= that tells what is called.",
        ),
        (
            format!("{head}fn=a\ncfn=b\ncalls=1 1\n"),
            "a profile holds nothing that can be shown: it ends within a call.",
        ),
        (head.into(), "a profile holds nothing that can be shown: it names no function."),
        (
            format!("{head}fn=a\n1 1\nevents: Dr\n"),
            "a profile cannot be read as a profile, from line 4 on: this part counts other things than the one before; their sums would mean nothing.",
        ),
        (
            format!("{head}fn=a\n\u{1}\n"),
            "a profile cannot be read as a profile, from line 3 on: “\u{1}” is no line of this format.",
        ),
        (
            format!("fn=a\n{head}"),
            "a profile cannot be read as a profile, from line 1 on: names stand before the line “events:”, which tells what is counted.",
        ),
    ] {
        assert_eq!(refusal(&file), why, "{file:?}");
    }
    let long = format!("{head}fn={}\n", "x".repeat(2 << 20));
    assert_eq!(refusal(&long), "a profile cannot be read as a profile, from line 2 on: the line is longer than 1 MB.");
}

#[test]
fn a_profile_is_told_from_other_files_by_its_beginning() {
    assert!(is_profile(b"# callgrind format\nversion: 1\n"));
    assert!(is_profile(BY_HAND.as_bytes()));
    assert!(!is_profile(b"version: 3\nservices:\n  web:\n"));
    assert!(!is_profile(b"{\"resourceSpans\":[]}"));
    assert!(!is_profile(b""));
}

#[test]
fn as_a_recording_a_profile_is_told_where_it_belongs() {
    let php: &[u8] = include_bytes!("profiles/php.callgrind.gz");
    for file in [BY_HAND.as_bytes(), php] {
        let refused = phainon_formats::open(file, "x.callgrind").err().unwrap();
        assert!(refused.to_string().starts_with("x.callgrind is a profile of a server"), "{refused}");
    }
}

#[test]
fn a_file_that_takes_more_memory_than_there_is_for_it_is_refused() {
    let mut file = String::from("events: Ir\n");
    for place in 0..20_000 {
        writeln!(file, "fn=f{place}\n1 1").unwrap();
    }
    let refused = read(file.as_bytes(), "a profile", &MemoryBudget::new(100_000)).unwrap_err();
    assert!(matches!(refused, FormatError::OverBudget { .. }), "{refused}");
    assert_eq!(profile(file.as_bytes()).total(), [20_000]);
}

/// A call and what it calls.
#[derive(Debug, Clone)]
struct Called {
    function: u8,
    own: i64,
    calls: Vec<Called>,
}

impl Called {
    fn inclusive(&self) -> i64 {
        self.own + self.calls.iter().map(Called::inclusive).sum::<i64>()
    }

    /// What each function took with what it called, calls in its own calls left out.
    fn once(&self, within: &mut Vec<u8>, sums: &mut BTreeMap<u8, i64>) {
        if !within.contains(&self.function) {
            *sums.entry(self.function).or_default() += self.inclusive();
        }
        within.push(self.function);
        self.calls.iter().for_each(|call| call.once(within, sums));
        within.pop();
    }

    /// A record for every call, the called before the caller.
    fn one_by_one(&self, file: &mut String) {
        self.calls.iter().for_each(|call| call.one_by_one(file));
        writeln!(file, "fl=/srv/plugins/p{}/f.php\nfn=f{}\n1 {}", self.function % 3, self.function, self.own).unwrap();
        for call in &self.calls {
            let (to, cost) = (call.function, call.inclusive());
            writeln!(file, "cfl=/srv/plugins/p{}/f.php\ncfn=f{to}\ncalls=1 1\n1 {cost}", to % 3).unwrap();
        }
    }

    fn own_of(&self, sums: &mut BTreeMap<u8, i64>) {
        *sums.entry(self.function).or_default() += self.own;
        self.calls.iter().for_each(|call| call.own_of(sums));
    }

    fn between(&self, sums: &mut BTreeMap<(u8, u8), (u64, i64)>) {
        for call in &self.calls {
            let sum = sums.entry((self.function, call.function)).or_default();
            *sum = (sum.0 + 1, sum.1 + call.inclusive());
            call.between(sums);
        }
    }
}

fn call() -> impl Strategy<Value = Called> {
    let leaf = (0u8..9, 0i64..1_000).prop_map(|(function, own)| Called { function, own, calls: Vec::new() });
    leaf.prop_recursive(5, 60, 4, |inner| {
        (0u8..9, 0i64..1_000, prop::collection::vec(inner, 0..4)).prop_map(|(function, own, calls)| Called {
            function,
            own,
            calls,
        })
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn calls_told_one_by_one_come_back_exactly(root in call()) {
        let mut file = "events: Ir\n".to_owned();
        root.one_by_one(&mut file);
        writeln!(file, "summary: {}", root.inclusive()).unwrap();
        let profile = profile(file.as_bytes());
        prop_assert_eq!(profile.stated.clone(), Some(profile.total()));
        let mut once = BTreeMap::new();
        root.once(&mut Vec::new(), &mut once);
        for function in &profile.functions {
            let number: u8 = function.name[1..].parse().unwrap();
            prop_assert_eq!(function.inclusive[0], once[&number]);
        }
        let reading = told(&profile, 0);
        prop_assert_eq!(reading.tree_is, TreeIs::Told);
        for (place, step) in reading.tree.iter().enumerate() {
            let below: f64 = reading.tree.iter().filter(|s| s.parent == u32::try_from(place).ok()).map(|s| s.inclusive).sum();
            prop_assert!(step.own + below <= step.inclusive + 1e-9, "a step holds what it called");
        }
    }

    #[test]
    fn sums_of_calls_never_make_a_function_take_more_than_it_can(root in call()) {
        let (mut own, mut between) = (BTreeMap::new(), BTreeMap::new());
        root.own_of(&mut own);
        root.between(&mut between);
        let mut file = "events: Ir\n".to_owned();
        for (function, cost) in &own {
            writeln!(file, "fl=/srv/plugins/p{}/f.php\nfn=f{function}\n1 {cost}", function % 3).unwrap();
            for ((_, to), (count, cost)) in between.range((*function, 0)..=(*function, u8::MAX)) {
                writeln!(file, "cfl=/srv/plugins/p{}/f.php\ncfn=f{to}\ncalls={count} 1\n1 {cost}", to % 3).unwrap();
            }
        }
        let profile = profile(file.as_bytes());
        let reading = told(&profile, 0);
        let mut once = BTreeMap::new();
        root.once(&mut Vec::new(), &mut once);
        for function in &profile.functions {
            let number: u8 = function.name[1..].parse().unwrap();
            prop_assert!(function.inclusive[0] >= function.own[0]);
            prop_assert!(function.inclusive[0] <= root.inclusive());
            if !function.again {
                prop_assert_eq!(function.inclusive[0], once[&number], "{}", function.name);
            }
        }
        prop_assert!(reading.tree.iter().all(|s| s.inclusive <= reading.total + 1e-6));
    }

    #[test]
    fn a_damaged_profile_is_refused_or_read_and_its_sums_stay_whole(
        changes in prop::collection::vec((0usize..4_000, any::<u8>()), 1..6), cut in 0usize..4_000
    ) {
        let mut file = "positions: line\nevents: Ir Dr\n".repeat(2).into_bytes();
        file.extend_from_slice(&BY_HAND.as_bytes()[BY_HAND.find("fl=").unwrap()..]);
        for (at, byte) in changes {
            let at = at % file.len();
            file[at] = byte;
        }
        if cut % 3 == 0 {
            file.truncate(cut % file.len());
        }
        if let Ok(profile) = read(&file[..], "damaged", &MemoryBudget::default()) {
            for measure in 0..profile.measures.len() {
                told(&profile, measure);
            }
            for place in 0..profile.functions.len() {
                prop_assert!(profile.neighbours(&Owners::by_rules(&[]), 0, u32::try_from(place).unwrap()).is_some());
            }
        }
    }
}
