//! Tasks that are made up anew for each seed: families of texts that a person rewrites by a rule, with texts in between that stay.
//! The rules were written before inference was tried on them.

mod everyday;
mod fresh;
mod latest;

use crate::infer::breaks_no_example;
use brisk_quill_core::rewrite::{Rewrite, rewrite_text};
use brisk_quill_core::template::tables::NoTables;
use brisk_quill_infer::inference::Inference;
use brisk_quill_infer::proposal::Proposal;
use brisk_quill_infer::task::{Pair, Task};

/// A sequence of numbers that looks random, and is the same for each seed.
struct Dice(u64);

impl Dice {
    /// A number below `many`.
    fn below(&mut self, many: usize) -> usize {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % many
    }

    fn of<'t>(&mut self, all: &[&'t str]) -> &'t str {
        all[self.below(all.len())]
    }

    /// A number from `least` to `most`.
    fn from(&mut self, least: usize, most: usize) -> usize {
        least + self.below(most - least + 1)
    }
}

const FIRST: &[&str] = &[
    "Orla", "Bram", "Ines", "Rufus", "Tamsin", "Wenzel", "Signe", "Ebbe",
];
const LAST: &[&str] = &[
    "Fenn", "Skarn", "Holm", "Quist", "Marr", "Brandt", "Larkin", "Dufour",
];
const PLACE: &[&str] = &[
    "quay", "pier", "basin", "lock", "slip", "mole", "jetty", "roads",
];
const STATE: &[&str] = &["open", "closed", "damaged", "restricted", "dredged"];
const THING: &[&str] = &["gauge", "buoy", "crane", "pump", "lamp", "winch"];

/// A text before and after.
type Made = (String, String);

/// A rule: a text that it makes another one of, or one that stays.
type Rule = fn(&mut Dice) -> Made;

fn stays(text: String) -> Made {
    (text.clone(), text)
}

const FAMILIES: &[(&str, Rule)] = &[
    ("a blank before a unit", |dice| {
        let (whole, part) = (dice.from(2, 19), dice.from(0, 9));
        let after = format!("{} {whole}.{part} m", dice.of(PLACE));
        (after.replace(" m", "m"), after)
    }),
    ("a title moves behind a name", |dice| {
        let (first, last) = (dice.of(FIRST), dice.of(LAST));
        (
            format!("Capt. {first} {last}"),
            format!("{last}, {first} (Capt.)"),
        )
    }),
    ("a table gets its schema", |dice| {
        let (column, table) = (dice.of(THING), dice.of(PLACE));
        let number = dice.from(1, 90);
        let query = |table: String| format!("SELECT {column} FROM {table} WHERE id = {number}");
        (query(table.into()), query(format!("port.{table}")))
    }),
    ("imports of one crate", |dice| {
        let (module, item) = (dice.of(PLACE), dice.of(THING));
        match dice.below(3) {
            0 => stays(format!("use std::{module}::{item};")),
            _ => (
                format!("use port::{module}::{item};"),
                format!("use larkmoor::{module}::{item};"),
            ),
        }
    }),
    ("a log line without its time", |dice| {
        let rest = format!("{} L{} {}", dice.of(THING), dice.from(1, 9), dice.of(STATE));
        let level = dice.of(&["WARN", "INFO", "ERROR"]);
        let (day, hour, minute) = (dice.from(10, 28), dice.from(10, 23), dice.from(10, 59));
        (
            format!("2031-04-{day} {hour}:{minute} {level} {rest}"),
            format!("[{level}] {rest}"),
        )
    }),
    ("citations", |dice| {
        let (name, year, page) = (dice.of(LAST), dice.from(1990, 2030), dice.from(3, 240));
        (
            format!("see {name} ({year}, p. {page})"),
            format!("see {name} {year}:{page}"),
        )
    }),
    ("dates with zeros before", |dice| {
        let (day, month, year) = (dice.from(1, 28), dice.from(1, 12), dice.from(2019, 2031));
        (
            format!("{day}.{month}.{year}"),
            format!("{year}-{month:02}-{day:02}"),
        )
    }),
    ("times get a colon", |dice| {
        let (hour, minute) = (dice.from(0, 23), dice.from(0, 59));
        let place = dice.of(PLACE);
        (
            format!("{hour:02}{minute:02} hours at the {place}"),
            format!("{hour:02}:{minute:02} hours at the {place}"),
        )
    }),
    ("names of files", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 240));
        match dice.below(4) {
            0 => stays(format!("{thing}_{number}.csv")),
            _ => (
                format!("{thing}_{number}.txt"),
                format!("{thing}-{number}.log"),
            ),
        }
    }),
    ("quotes go", |dice| {
        let (place, state) = (dice.of(PLACE), dice.of(STATE));
        (format!("{place}: \"{state}\""), format!("{place}: {state}"))
    }),
    ("a colon for an equals sign", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 99));
        match dice.below(4) {
            0 => stays(format!("# {thing} of the port")),
            _ => (format!("{thing} = {number}"), format!("{thing}: {number}")),
        }
    }),
    ("versions without v", |dice| {
        let version = format!(
            "{}.{}.{}",
            dice.from(0, 9),
            dice.from(0, 30),
            dice.from(0, 12)
        );
        let thing = dice.of(THING);
        (format!("{thing} v{version}"), format!("{thing} {version}"))
    }),
    ("a currency goes behind", |dice| {
        let amount = format!("{}.{:02}", dice.from(1, 900), dice.from(0, 99));
        let currency = dice.of(&["EUR", "NOK", "DKK"]);
        (
            format!("fee {currency} {amount}"),
            format!("fee {amount} {currency}"),
        )
    }),
    ("marks of another language", |dice| {
        let (place, state) = (dice.of(PLACE), dice.of(STATE));
        (
            format!("the {place} is <b>{state}</b> today"),
            format!("the {place} is **{state}** today"),
        )
    }),
    ("levels in capitals", |dice| {
        let (level, thing) = (dice.of(&["warn", "info", "error", "debug"]), dice.of(THING));
        let number = dice.from(1, 30);
        (
            format!("{level}: {thing} {number} is low"),
            format!("{}: {thing} {number} is low", level.to_uppercase()),
        )
    }),
    ("a path is cut", |dice| {
        let (place, number, thing) = (dice.of(PLACE), dice.from(1, 60), dice.of(THING));
        (
            format!("/port/{place}/{number}/{thing}"),
            format!("/{place}/{number}"),
        )
    }),
    ("hemispheres are signs", |dice| {
        let degrees = dice.from(2, 89);
        match dice.below(2) {
            0 => (format!("{degrees}N"), format!("{degrees}")),
            _ => (format!("{degrees}S"), format!("-{degrees}")),
        }
    }),
    ("ranges with a dash", |dice| {
        let (from, to, place) = (dice.from(1, 9), dice.from(10, 40), dice.of(PLACE));
        match dice.below(4) {
            0 => stays(format!("to the {place} at {from}")),
            _ => (
                format!("{place} {from} to {to}"),
                format!("{place} {from}–{to}"),
            ),
        }
    }),
    ("a number sign", |dice| {
        let (number, state) = (dice.from(1, 120), dice.of(STATE));
        (
            format!("Berth no. {number} is {state}"),
            format!("Berth #{number} is {state}"),
        )
    }),
    ("per cent", |dice| {
        let (number, thing) = (dice.from(1, 100), dice.of(THING));
        (
            format!("{thing} at {number} per cent"),
            format!("{thing} at {number} %"),
        )
    }),
    ("initials", |dice| {
        let (first, last) = (dice.of(FIRST), dice.of(LAST));
        (
            format!("{first} {last}"),
            format!("{}. {last}", &first[..1]),
        )
    }),
    ("pairs turn round", |dice| {
        let (one, other) = (dice.of(LAST), dice.of(PLACE));
        (format!("{one}/{other}"), format!("{other}/{one}"))
    }),
    ("addresses are secure", |dice| {
        let (place, number) = (dice.of(PLACE), dice.from(1, 99));
        match dice.below(3) {
            0 => stays(format!("https://{place}.larkmoor.example/{number}")),
            _ => (
                format!("http://{place}.larkmoor.example/{number}"),
                format!("https://{place}.larkmoor.example/{number}"),
            ),
        }
    }),
    ("one function has another name", |dice| {
        let (place, number) = (dice.of(PLACE), dice.from(1, 99));
        match dice.below(3) {
            0 => stays(format!("saved({place}, {number})")),
            _ => (
                format!("save({place}, {number})"),
                format!("store({place}, {number})"),
            ),
        }
    }),
    ("another separator", |dice| {
        let (number, state, depth) = (dice.from(1, 99), dice.of(STATE), dice.from(20, 99));
        let row = |sign: &str| [number.to_string(), state.to_owned(), depth.to_string()].join(sign);
        (row(";"), row(" | "))
    }),
    ("what stands in brackets goes", |dice| {
        let (place, state, number) = (dice.of(PLACE), dice.of(STATE), dice.from(1, 20));
        (
            format!("{place} {number} ({state})"),
            format!("{place} {number}"),
        )
    }),
    ("words of a name are joined", |dice| {
        let (one, other) = (dice.of(THING), dice.of(PLACE));
        match dice.below(2) {
            0 => (format!("{one} {other}"), format!("{one}_{other}")),
            _ => {
                let third = dice.of(STATE);
                (
                    format!("{third} {one} {other}"),
                    format!("{third}_{one}_{other}"),
                )
            }
        }
    }),
    ("the unit is spelled out", |dice| {
        let (number, place) = (dice.from(2, 400), dice.of(PLACE));
        match dice.below(3) {
            0 => stays(format!("{place}: {number} kg")),
            _ => (
                format!("{place}: {number} t"),
                format!("{place}: {number} tonnes"),
            ),
        }
    }),
    ("only the last field", |dice| {
        let (first, last, number) = (dice.of(FIRST), dice.of(LAST), dice.from(100, 999));
        (format!("pilot;{first};{last};{number}"), number.to_string())
    }),
    ("a remark gets a mark", |dice| {
        let (thing, state) = (dice.of(THING), dice.of(STATE));
        match dice.below(3) {
            0 => stays(format!("{thing} is {state}")),
            _ => (
                format!("TODO {thing} is {state}"),
                format!("TODO(port): {thing} is {state}"),
            ),
        }
    }),
];

/// Families written after the costs were set by those above, and before they were tried.
const LATER: &[(&str, Rule)] = &[
    ("a unit in full, another stays", |dice| {
        let (number, thing) = (dice.from(2, 90), dice.of(THING));
        match dice.below(3) {
            0 => stays(format!("{thing} {number} min")),
            _ => (
                format!("{thing} {number} h"),
                format!("{thing} {number} hours"),
            ),
        }
    }),
    ("one attribute is renamed", |dice| {
        let (number, place) = (dice.from(2, 90), dice.of(PLACE));
        match dice.below(3) {
            0 => stays(format!("<berth idx=\"{number}\" at=\"{place}\"/>")),
            _ => (
                format!("<berth id=\"{number}\" at=\"{place}\"/>"),
                format!("<berth key=\"{number}\" at=\"{place}\"/>"),
            ),
        }
    }),
    ("a level of a log is another", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 60));
        match dice.below(4) {
            0 => stays(format!("log.error(\"{thing} {number}\")")),
            1 => stays(format!("log.info(\"{thing} {number}\")")),
            _ => (
                format!("log.warn(\"{thing} {number}\")"),
                format!("log.warning(\"{thing} {number}\")"),
            ),
        }
    }),
    ("names of columns with a prefix", |dice| {
        let (thing, place) = (dice.of(THING), dice.of(PLACE));
        (format!("{thing}_{place}"), format!("port_{thing}_{place}"))
    }),
    ("a thousands sign goes", |dice| {
        let (thousands, rest) = (dice.from(1, 90), dice.from(100, 999));
        match dice.below(4) {
            0 => stays(format!("{rest} t")),
            _ => (
                format!("{thousands},{rest} t"),
                format!("{thousands}{rest} t"),
            ),
        }
    }),
    ("remarks become another language's", |dice| {
        let (thing, state) = (dice.of(THING), dice.of(STATE));
        match dice.below(4) {
            0 => stays(format!("let {thing} = 4;")),
            _ => (
                format!("# {thing} is {state}"),
                format!("// {thing} is {state}"),
            ),
        }
    }),
    ("a key in quotes", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 300));
        (
            format!("{thing}: {number},"),
            format!("\"{thing}\": {number},"),
        )
    }),
    ("the domain of an address", |dice| {
        let (first, last) = (dice.of(FIRST).to_lowercase(), dice.of(LAST).to_lowercase());
        match dice.below(3) {
            0 => stays(format!("{first}@{last}.example")),
            _ => (
                format!("{first}.{last}@port.example"),
                format!("{first}.{last}@larkmoor.example"),
            ),
        }
    }),
    ("the year in front", |dice| {
        let (number, year) = (dice.from(1, 99), dice.from(2019, 2031));
        (
            format!("notice {number:02}/{year}"),
            format!("notice {year}-{number:02}"),
        )
    }),
    ("a letter and a number, with zeros", |dice| {
        let (letter, number) = (dice.of(&["A", "B", "C", "D"]), dice.from(1, 60));
        (format!("{letter}{number}"), format!("{letter}-{number:03}"))
    }),
    ("a reading without its unit", |dice| {
        let (place, whole, part) = (dice.of(PLACE), dice.from(1, 14), dice.from(0, 9));
        match dice.below(4) {
            0 => stays(format!("{place};{whole}.{part};ok")),
            _ => (
                format!("{place};{whole}.{part} m;ok"),
                format!("{place};{whole}.{part};ok"),
            ),
        }
    }),
    ("calls become methods", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 60));
        match dice.below(3) {
            0 => stays(format!("lengthen({thing}, {number})")),
            _ => (format!("length({thing})"), format!("{thing}.length()")),
        }
    }),
];

/// Texts of a family, all different.
fn texts(rule: Rule, dice: &mut Dice) -> Vec<Made> {
    let mut all: Vec<Made> = Vec::new();
    for _ in 0..400 {
        let made = rule(dice);
        if !all.contains(&made) && all.len() < 45 {
            all.push(made);
        }
    }
    all
}

fn is_right(texts: &[Made], proposal: &Proposal) -> bool {
    let steps = proposal
        .steps
        .iter()
        .map(|step| step.build(&mut NoTables).unwrap());
    let rewrite = Rewrite::new(steps.collect());
    texts
        .iter()
        .all(|(before, after)| rewrite_text(&rewrite, before.as_bytes()).text == after.as_bytes())
}

/// Right first with two, three and four examples, and among the first three, in hundredths of all draws; for each right answer that a
/// further example loses, this many are kept.
fn found(families: &[(&str, Rule)], least: [usize; 3], kept_for_one: usize) {
    let draws = std::env::var("LAW_CASES")
        .ok()
        .and_then(|n| n.parse().ok())
        .unwrap_or(1);
    let (mut first, mut among_three, mut all) = ([0; 3], [0; 3], 0);
    let (mut kept, mut lost) = (0, Vec::new());
    for (family, rule) in families {
        let mut missed = [0; 3];
        let mut shown = String::new();
        for seed in 0..draws {
            let mut dice = Dice(seed * 977 + 5);
            let texts = texts(*rule, &mut dice);
            let changed: Vec<&Made> = texts
                .iter()
                .filter(|(before, after)| before != after)
                .collect();
            let mut examples: Vec<&Made> = Vec::new();
            while examples.len() < 4 {
                let one = changed[dice.below(changed.len())];
                if !examples.contains(&one) {
                    examples.push(one);
                }
            }
            all += 1;
            let mut was_right = false;
            for at in 0..3 {
                let mut task = Task {
                    cells: true,
                    ..Task::default()
                };
                for (line, (before, _)) in (1..).zip(&texts) {
                    task.data.add(before, line, false);
                }
                let pairs = examples.iter().take(at + 2);
                task.examples = pairs
                    .map(|(before, after)| Pair::new(before.clone(), after.clone()))
                    .collect();
                let proposals = Inference::of(&task)
                    .map(|found| found.proposals)
                    .unwrap_or_default();
                proposals
                    .iter()
                    .for_each(|proposal| breaks_no_example(&task, proposal));
                let right: Vec<bool> = proposals
                    .iter()
                    .take(3)
                    .map(|one| is_right(&texts, one))
                    .collect();
                let is_first = right.first() == Some(&true);
                first[at] += usize::from(is_first);
                among_three[at] += usize::from(right.contains(&true));
                missed[at] += usize::from(!is_first);
                if !is_first {
                    let step: Vec<_> = proposals
                        .iter()
                        .take(4)
                        .map(|one| {
                            let step = &one.steps[0];
                            let words = (step.pattern.as_deref(), step.with.as_deref());
                            format!("{words:?} {:.2} {}", one.weight, is_right(&texts, one))
                        })
                        .collect();
                    shown += &format!(
                        "\n    {} examples {:?}: {step:?}",
                        at + 2,
                        &examples[..at + 2]
                    );
                }
                match (was_right, is_first) {
                    (true, true) => kept += 1,
                    (true, false) => lost.push((*family, seed, at + 2)),
                    (false, _) => {}
                }
                was_right = is_first;
            }
        }
        if missed != [0; 3] {
            println!("{family}: {missed:?} of {draws}{shown}");
        }
    }
    let in_hundredths = |counts: [usize; 3]| counts.map(|count| 100 * count / all);
    let (first, among_three) = (in_hundredths(first), in_hundredths(among_three));
    println!("right first {first:?}, among three {among_three:?}, {kept} kept, lost {lost:?}");
    assert!(
        (0..3).all(|at| first[at] >= least[at] && among_three[at] >= least[at]),
        "{first:?}, among three {among_three:?}"
    );
    assert!(
        kept_for_one * lost.len() <= kept,
        "{kept} kept, lost: {lost:?}"
    );
}

#[test]
fn rules_are_found() {
    found(FAMILIES, [86, 90, 94], 30);
}

#[test]
fn later_rules_are_found() {
    found(LATER, [92, 94, 98], 30);
}

/// The hardest: what must stay is shown nowhere, and only the data makes the difference.
#[test]
fn latest_rules_are_found() {
    found(latest::LATEST, [70, 75, 75], 20);
}

#[test]
fn everyday_rules_are_found() {
    found(everyday::EVERYDAY, [90, 94, 92], 30);
}

#[test]
fn fresh_rules_are_found() {
    found(fresh::FRESH, [85, 92, 96], 25);
}
