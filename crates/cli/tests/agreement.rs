//! The verbs agree with each other: what one counts, another shows, takes out, changes and writes.

use crate::support::{Got, Sandbox, cases};
use proptest::prelude::*;
use serde_json::Value;

/// A request without a verb: a pattern, options, and files.
#[derive(Clone, Debug)]
struct Request {
    pattern: &'static str,
    options: Vec<&'static str>,
}

impl Request {
    fn run(&self, port: &Sandbox, verb: &str, more: &str) -> Got {
        let Self { pattern, options } = self;
        port.run(&format!("{verb} '{pattern}' {} {more}", options.join(" ")))
    }

    /// True if it looks at each line, or cell, by itself, and takes all matches.
    fn is_plain(&self) -> bool {
        let narrows = ["--pick", "--limit", "--unit"];
        !self
            .options
            .iter()
            .any(|option| narrows.iter().any(|word| option.starts_with(word)))
    }
}

fn lines() -> impl Strategy<Value = String> {
    let words = [
        "berth",
        "berth 7",
        "Quay",
        "quay",
        "é",
        "12",
        "",
        "berth7 quay",
        "<quay>",
    ];
    let line = prop::collection::vec(prop::sample::select(words.to_vec()), 0..4);
    let ends = prop::sample::select(vec!["\n", "\n", "\n", "\r\n", "\n\n"]);
    let text = prop::collection::vec((line, ends), 0..10);
    let last = prop::sample::select(vec!["", "", "quay 7"]);
    (text, last).prop_map(|(lines, last)| {
        let lines = lines.into_iter().map(|(words, end)| words.join(" ") + end);
        lines.collect::<String>() + last
    })
}

fn table() -> impl Strategy<Value = String> {
    let cells = [
        "berth 7",
        "\"quay, é\"",
        "Quay",
        "",
        "\"a\nquay\"",
        "12",
        "\"\"\"berth\"\"\"",
    ];
    let row = prop::collection::vec(prop::sample::select(cells.to_vec()), 2);
    prop::collection::vec(row, 0..8).prop_map(|rows| {
        let rows = rows.into_iter().map(|row| row.join(",") + "\n");
        "id,note\n".to_owned() + &rows.collect::<String>()
    })
}

fn request(options: &'static [&'static str]) -> impl Strategy<Value = Request> {
    let patterns = [
        r"berth (\d+)",
        "quay|berth",
        r"\d",
        r"(\w+) (\w+)",
        "^",
        r"(?<word>\w+)$",
        "é?",
        "<(.*)>",
    ];
    let pattern = prop::sample::select(patterns.to_vec());
    let options = prop::sample::subsequence(options, 0..3);
    let name = |option: &str| option.split(' ').next().unwrap_or_default().to_owned();
    let is_once =
        move |options: &Vec<&str>| !matches!(options[..], [one, other] if name(one) == name(other));
    let options = options.prop_filter("each option once", is_once);
    (pattern, options).prop_map(|(pattern, options)| Request { pattern, options })
}

const OF_LINES: &[&str] = &[
    "-i",
    "--whole-word",
    "--lines 2..",
    "--lines ..last-1",
    "--where quay",
    "--unless '^$'",
    "--entire",
    "--between berth '^$'",
    "--outside berth quay --open-end",
    "--near quay 1",
    "--pick last",
    "--pick ..2 --per file",
    "--limit 3",
    "--unit paragraph",
    "--unit text",
    "--include '[0-2].*'",
];

const OF_CELLS: &[&str] = &[
    "-i",
    "--whole-word",
    "--lines 3..",
    "--where-in id quay",
    "--unless-in note '^$'",
    "--entire",
    "--pick first",
    "--where 7",
    "--limit 2",
    "--label id",
];

fn total(got: &Got, name: &str) -> u64 {
    let totals = got.of_kind("totals");
    totals[0][name]
        .as_u64()
        .unwrap_or_else(|| panic!("no {name} in {got:?}"))
}

fn count(got: &Got) -> u64 {
    assert!(got.status < 2, "{got:?}");
    let last = got
        .out
        .lines()
        .last()
        .and_then(|line| line.split_whitespace().next());
    last.and_then(|number| number.parse().ok())
        .unwrap_or_else(|| panic!("{got:?}"))
}

fn agree(port: &Sandbox, request: &Request) -> Result<(), TestCaseError> {
    let run = |verb: &str, more: &str| request.run(port, verb, more);
    let many = count(&run("find", "--count"));
    let found = run("find", "--json");
    let matches = found.of_kind("match");
    prop_assert_eq!(matches.len() as u64, many);
    prop_assert_eq!(total(&found, "matches"), many);
    prop_assert_eq!(
        run("find", "--positions --show all").out.lines().count() as u64,
        many
    );
    let paths: std::collections::BTreeSet<String> =
        matches.iter().map(|one| one["path"].to_string()).collect();
    prop_assert_eq!(run("find", "--paths").out.lines().count(), paths.len());

    let rows = run("extract", "--every --as jsonl");
    prop_assert!(rows.status < 2, "{rows:?}");
    prop_assert_eq!(rows.records().len() as u64, many);
    let tally = run("tally", "--json --show all");
    prop_assert_eq!(total(&tally, "matches"), many);
    let counted: u64 = tally
        .of_kind("value")
        .iter()
        .map(|row| row["count"].as_u64().unwrap())
        .sum();
    prop_assert_eq!(counted, many);

    // A template that changes each match, and one that changes none.
    let changed = run("preview", "--with '<$0é>' --json");
    prop_assert_eq!(total(&changed, "matches"), many);
    prop_assert_eq!(total(&changed, "changed"), many);
    prop_assert_eq!(total(&run("preview", "--with '$0' --json"), "changes"), 0);

    if request.is_plain() {
        let offenders = run("check", "--forbid --json");
        let missing = run("check", "--json");
        let units = total(&offenders, "checked");
        prop_assert_eq!(total(&missing, "checked"), units);
        prop_assert_eq!(
            total(&missing, "offenders"),
            count(&run("find", "--missing --count"))
        );
        let lines: std::collections::BTreeSet<_> = matches
            .iter()
            .map(|one| {
                (
                    one["path"].to_string(),
                    one["line"].as_u64(),
                    one["cell"].to_string(),
                )
            })
            .collect();
        prop_assert_eq!(units - total(&missing, "offenders"), lines.len() as u64);
    }
    Ok(())
}

/// A filter gives what is applied, and undo brings all of it back.
fn is_written(port: &Sandbox, request: &Request, files: &[&str]) -> Result<(), TestCaseError> {
    let before = port.snapshot();
    let Request { pattern, options } = request;
    let filter = format!("apply '{pattern}' --with '<$0é>' {}", options.join(" "));
    let filtered: Vec<_> = before
        .iter()
        .map(|(_, file)| port.pipe(file, &filter))
        .collect();
    let changes = total(
        &request.run(port, "preview", "--with '<$0é>' --json"),
        "changes",
    );
    // Copies elsewhere are what the files become.
    let copies = port.state().join("copies");
    let copied = request.run(
        port,
        "apply",
        &format!("--with '<$0é>' --to {}", copies.display()),
    );
    prop_assert_eq!(port.snapshot(), before.clone());
    let applied = request.run(port, "apply", "--with '<$0é>' --yes");
    prop_assert_eq!(copied.status, applied.status, "{:?}", copied);
    for file in files.iter().filter(|file| copies.join(file).exists()) {
        prop_assert_eq!(std::fs::read(copies.join(file)).unwrap(), port.read(file));
    }
    prop_assert_eq!(applied.status, i32::from(changes == 0), "{:?}", applied);
    // Numbers and limits of a request are those of all its files.
    if files.len() == 1 || request.is_plain() {
        for (file, filtered) in files.iter().zip(&filtered) {
            prop_assert_eq!(&port.text(file), &filtered.out, "{:?}", filtered);
        }
    }
    if changes > 0 {
        port.run("undo --yes").ok();
    }
    prop_assert_eq!(port.snapshot(), before);
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(12), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn about_lines(texts in prop::collection::vec(lines(), 1..4), request in request(OF_LINES)) {
        let port = Sandbox::new();
        for (number, text) in texts.iter().enumerate() {
            port.write(&format!("{number}.txt"), text);
        }
        agree(&port, &request)?;
        let names: Vec<_> = (0..texts.len()).map(|number| format!("{number}.txt")).collect();
        let names: Vec<_> = names.iter().map(String::as_str).collect();
        is_written(&port, &request, &names)?;
    }

    #[test]
    fn about_cells(text in table(), mut request in request(OF_CELLS), columns in prop::sample::select(vec!["note", "1,note", "1.."])) {
        let port = Sandbox::with("0.csv", &text);
        let columns = match columns {
            "note" => "--columns note",
            "1,note" => "--columns 1,note",
            _ => "--unit cell",
        };
        request.options.push(columns);
        agree(&port, &request)?;
        request.options.push("--format csv");
        is_written(&port, &request, &["0.csv"])?;
    }
}

/// The changes that a preview records: where, and which texts.
fn changes(got: &Got) -> std::collections::BTreeSet<String> {
    let all = got.of_kind("change").into_iter();
    all.map(|one| {
        ["path", "from", "to", "before", "after"]
            .map(|name| one[name].to_string())
            .join(" ")
    })
    .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(12), failure_persistence: None, ..ProptestConfig::default() })]

    /// Two tries compared: each change of either is the same in both, differs, or is of one alone, and the other way round.
    #[test]
    fn about_two_tries(texts in prop::collection::vec(lines(), 1..3), first in request(OF_LINES), second in request(OF_LINES)) {
        let port = Sandbox::new();
        for (number, text) in texts.iter().enumerate() {
            port.write(&format!("{number}.txt"), text);
        }
        let tries = [(&first, "one.plan"), (&second, "two.plan")];
        let seen = tries.map(|(request, plan)| {
            request.run(&port, "preview", &format!("--with '<$0>' --save-plan {plan}"));
            changes(&request.run(&port, "preview", "--with '<$0>' --json"))
        });
        let same = seen[0].intersection(&seen[1]).count() as u64;
        let sizes = [&seen[0], &seen[1]].map(|all| all.len() as u64);
        let mut compared = Vec::new();
        for ((this, _), (other, (_, plan))) in [(tries[1], (0, tries[0])), (tries[0], (1, tries[1]))] {
            if !port.file(plan).exists() {
                prop_assert_eq!(sizes[other], 0);
                return Ok(());
            }
            let got = this.run(&port, "preview", &format!("--with '<$0>' --against {plan}"));
            let count = |name| got.count(name).unwrap_or_else(|| panic!("{got:?}"));
            let (last, now, different) = (count("only last time"), count("only this time"), count("different"));
            prop_assert_eq!(last + different + same, sizes[other]);
            prop_assert_eq!(now + different + same, sizes[1 - other]);
            compared.push((last, now, different));
        }
        prop_assert_eq!(compared[0], (compared[1].1, compared[1].0, compared[1].2));
    }
}

/// A condition on changes, and the changes that it names.
#[derive(Clone, Debug)]
enum Names {
    Id(usize),
    Lines(u64, u64),
    File(usize),
}

impl Names {
    fn words(&self, changes: &[Value]) -> String {
        match self {
            Self::Id(at) => changes[at % changes.len()]["id"]
                .as_str()
                .unwrap()
                .to_owned(),
            Self::Lines(from, to) => format!("line:{from}..{to}"),
            Self::File(number) => format!("file:{number}.txt"),
        }
    }

    fn holds(&self, changes: &[Value], change: &Value) -> bool {
        match self {
            Self::Id(at) => change["id"] == changes[at % changes.len()]["id"],
            Self::Lines(from, to) => (*from..=*to).contains(&change["line"].as_u64().unwrap()),
            Self::File(number) => change["path"] == format!("{number}.txt"),
        }
    }
}

fn names() -> impl Strategy<Value = Vec<Vec<Names>>> {
    let one = prop_oneof![
        (0..40usize).prop_map(Names::Id),
        (1..8u64, 0..4u64).prop_map(|(from, more)| Names::Lines(from, from + more)),
        (0..3usize).prop_map(Names::File),
    ];
    prop::collection::vec(prop::collection::vec(one, 1..3), 1..3)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(12), failure_persistence: None, ..ProptestConfig::default() })]

    /// The changes that `--accept` and `--refuse` name are decided about, and applied; a request that names nothing decides nothing.
    #[test]
    fn about_decisions(texts in prop::collection::vec(lines(), 3), accepts in names(), refuses in prop::option::of(names()), rest in any::<bool>()) {
        let port = Sandbox::new();
        for (number, text) in texts.iter().enumerate() {
            port.write(&format!("{number}.txt"), text);
        }
        let request = r"preview '(?i)berth ?(\d?)|quay' --with '<$1>'";
        let changes = port.run(&format!("{request} --json")).of_kind("change");
        prop_assume!(!changes.is_empty());
        port.run(&format!("{request} --save-plan a.plan")).ok();
        let before = port.snapshot();
        let words = |names: &[Vec<Names>]| {
            let all = |all: &Vec<Names>| all.iter().map(|one| one.words(&changes)).collect::<Vec<_>>().join("&");
            names.iter().map(all).collect::<Vec<_>>().join(",")
        };
        let named = |names: &[Vec<Names>], change: &Value| {
            names.iter().any(|all| all.iter().all(|one| one.holds(&changes, change)))
        };
        let mut line = format!("review --plan a.plan --json --accept '{}'", words(&accepts));
        if let Some(refuses) = &refuses {
            line += &format!(" --refuse '{}'", words(refuses));
        }
        let of = |names: &[Vec<Names>]| changes.iter().filter(|change| named(names, change)).count();
        let names_nothing = of(&accepts) == 0 || refuses.as_ref().is_some_and(|refuses| of(refuses) == 0);
        let got = port.run(&if rest { line + " --accept rest" } else { line });
        if names_nothing {
            prop_assert_eq!(got.status, 2, "{:?}", got);
            prop_assert_eq!(port.snapshot(), before);
            return Ok(());
        }
        let is_refused = |change: &Value| refuses.as_ref().is_some_and(|refuses| named(refuses, change));
        let is_accepted = |change: &Value| !is_refused(change) && (rest || named(&accepts, change));
        let decided = &got.ok().of_kind("decisions")[0];
        let accepted = changes.iter().filter(|change| is_accepted(change)).count();
        let refused = changes.iter().filter(|change| is_refused(change)).count();
        prop_assert_eq!(&decided["accepted"], accepted as u64);
        prop_assert_eq!(&decided["refused"], refused as u64);
        prop_assert_eq!(&decided["open"], (changes.len() - accepted - refused) as u64);
        port.run("apply --plan a.plan --yes");
        for (number, text) in texts.iter().enumerate() {
            let mut wanted = text.clone().into_bytes();
            let own = changes.iter().filter(|change| change["path"] == format!("{number}.txt"));
            for change in own.rev().filter(|change| is_accepted(change)) {
                let [from, to] = ["from", "to"].map(|name| change[name].as_u64().unwrap() as usize);
                wanted.splice(from..to, change["after"].as_str().unwrap().bytes());
            }
            prop_assert_eq!(port.read(&format!("{number}.txt")), wanted);
        }
    }
}
