//! Every example of the help and the reference, run on the sample files: it does what it claims.

use crate::support::{self, Got, Sandbox};
use std::collections::BTreeSet;
use std::path::Path;
use std::process::{Command, Stdio};

/// A draft needs a terminal.
const NO_DRAFT: &[&str] = &["there is no terminal to draft on"];

/// An example, its status, and what must come back, on standard output or standard error.
const CLAIMS: &[(&str, i32, &[&str])] = &[
    (
        "bquill merge-plans one.plan two.plan --save-plan all.plan",
        0,
        &["of 2 plans, saved in all.plan."],
    ),
    (
        "bquill split-plan berths.plan --to parts",
        0,
        &["55 changes in 15 parts, saved in parts:"],
    ),
    (
        "bquill explain --rewrite berths.toml --reach",
        0,
        &["1. line\n", "Each line can be rewritten by itself."],
    ),
    // find
    (
        r"bquill find 'Berth \d+' --positions notices/",
        0,
        &["notices/06-fireworks.md:14:22: > Lady Orrin lies at Berth 12."],
    ),
    (
        r"bquill preview 'Berth (\d+)' --with 'B-$1' --positions notices/",
        0,
        &["notices/06-fireworks.md:14:22: Berth 12 → B-12"],
    ),
    (
        r"bquill check '^B-\d\d$' --columns berth --label name berths.csv",
        1,
        &["   4  Old Quay, south end      berth  BO3"],
    ),
    (
        "bquill check --rewrite rewrites/iso-dates.toml notices/",
        1,
        &["left to make in 16 files."],
    ),
    (
        r"bquill check '  +' --forbid --annotate workflow notices/",
        1,
        &["::error file=notices/"],
    ),
    (
        "bquill check --rewrite rewrites/iso-dates.toml --annotate sarif notices/",
        1,
        &["\"version\": \"2.1.0\"", "\"startColumn\": "],
    ),
    (
        "bquill check --rewrite rewrites/iso-dates.toml --annotate workflow notices/",
        1,
        &["::error file=notices/"],
    ),
    (
        r"bquill preview '^[Bb]erth (\d+)$' --with 'B-$1' --columns berth berths.xlsx",
        0,
        &["Berths 15  was  /berth  ‹Berth 14›"],
    ),
    (
        "bquill shapes  --columns berth berths.xlsx",
        0,
        &["7 shapes in 24 values."],
    ),
    (
        "bquill extract '' --select berth,status --table Berths berths.xlsx --as csv",
        0,
        &["B-01,closed"],
    ),
    // No editor is there.
    ("bquill serve", 3, &["the editor"]),
    (
        r"bquill apply 'berth (\d+)' --with 'B-$1' --stdin-name 01.md --totals 01.totals.jsonl < notices/01-dredging.md",
        0,
        &["B-"],
    ),
    (
        r"bquill preview '^[Bb]erth (\d+)$' --with 'B-$1' --columns berth --table moorings harbour.db",
        0,
        &["moorings 2   was  /berth  ‹berth 62›", "changes        10"],
    ),
    (
        r"bquill find berth -i --columns /-/lines/-/to --label name ships.json",
        0,
        &["Brisling      /-/lines/0/to  ‹berth› 11"],
    ),
    (
        r"bquill preview closed --with shut --columns status --label berth berths.csv",
        0,
        &["   2  B-01  was  status  ‹closed›"],
    ),
    (
        r"bquill find 'berth\s+(\d+)' -i notices/",
        0,
        &["‹berth 7›", "matches        66"],
    ),
    (
        r"bquill find '0\d{3}' --whole-word --lines 1..10 notices/01-dredging.md",
        0,
        &["at ‹0830› hours", "matches        1"],
    ),
    (
        "bquill find 'berth' -i --where 'closed' --unless '^>' notices/ --count",
        0,
        &["1  notices/01-dredging.md", "11  in all"],
    ),
    (
        r"bquill find '\d{4}-\d\d-\d\d' --missing gauge.log",
        1,
        &["without a match    0"],
    ),
    (
        r"bquill find 'Berth (\d+)' --missing --why notices/",
        0,
        &["12 lines  expected ` `, found `-`: `Berth-8`"],
    ),
    (
        "bquill find 'berth' -i --after last notices/",
        1,
        &["there is no preview to go on with in this folder"],
    ),
    (
        r"tail -n 50 gauge.log | bquill find '\.\.'",
        0,
        &["level‹..›"],
    ),
    // shapes
    (
        "bquill shapes --columns berth berths.csv",
        0,
        &["A-9{2}", "7 shapes in 96 values"],
    ),
    (
        "bquill shapes --columns berth --pattern berths.csv",
        0,
        &[r"^\p{Lu}-\d{2}$"],
    ),
    (
        "bquill shapes --columns berth --coarse berths.csv",
        0,
        &["A+-9+", "6 shapes in 96 values"],
    ),
    (
        r"bquill shapes --match '\d[\d.,]*' gauge.log",
        0,
        &["9.9{2}", "9,9{2}"],
    ),
    (
        "bquill shapes --chars notices/",
        0,
        &["U+021A   LATIN CAPITAL LETTER T WITH COMMA BELOW"],
    ),
    // tally
    (
        "bquill tally '.+' --columns status berths.csv",
        0,
        &["closed", "open"],
    ),
    (
        r"bquill tally '^(?:berth |B-)0*(\d+)$' --group 1 --columns /berth moorings.jsonl --show 10",
        0,
        &["86 values in 240 matches"],
    ),
    (
        r"bquill tally 'gauge (\w+) level ([\d.,]+)' --group 1 --sum 2 gauge.log",
        0,
        &["644.55   L3", "4 values in 564 matches"],
    ),
    (
        "bquill tally crane --columns remark --by status berths.csv",
        0,
        &["  count   share   status   value\n", "open     crane\n"],
    ),
    (
        "bquill tally '(?i)closed|open' --by file notices/",
        0,
        &["notices/14-survey.md"],
    ),
    // extract
    (
        r"bquill extract '(?<quay>\w+) Quay(?:, (?<end>\w+) end)?' --columns name --beside berths.csv",
        0,
        &["pilot,remark,quay,end", "Old,south", "West,\n"],
    ),
    (
        r"bquill extract '(\d\d)(\d\d) hours' --every notices/ --as csv",
        0,
        &[
            "file,record,match,group_1,group_2\n",
            "notices/01-dredging.md,8,1,08,30\n",
        ],
    ),
    (
        "bquill extract '' --select berth,status --as jsonl berths.csv",
        0,
        &["{\"berth\":\"B-01\",\"status\":\"closed\"}\n"],
    ),
    (
        "bquill extract --split '; *' --columns remark --beside berths.csv",
        0,
        &[
            "remark,part_1,part_2\n",
            "\"power 3,5 kV; no bunkering\",\"power 3,5 kV\",no bunkering\n",
        ],
    ),
    (
        "bquill extract '[Cc]rane' --columns remark --counts --beside berths.csv",
        0,
        &["\"crane, 40 t\",1\n", ",0\n"],
    ),
    (
        "bquill extract 'crane' --columns remark --yes-no --beside berths.csv",
        0,
        &["\"crane, 40 t\",true\n", ",false\n"],
    ),
    // check
    (
        r"bquill check '^B-\d\d$' --columns berth berths.csv",
        1,
        &["49 offenders in 96 cells"],
    ),
    (
        r"bquill check '^\d{4}-\d\d-\d\d' gauge.log",
        0,
        &["All is as it must be: 640 lines"],
    ),
    (
        r"bquill check '\t| $' --forbid notices/",
        0,
        &["All is as it must be: 231 lines"],
    ),
    // infer
    (
        "bquill infer --example 'berth 7' B-07 --example 'Berth 12' B-12 notices/",
        0,
        &[
            "proposal 1",
            "--with 'B-${1 | pad 2}'",
            "is the last preview now",
        ],
    ),
    (
        "bquill infer --example 'Larkin, Ebbe' 'Ebbe Larkin' --columns pilot berths.csv",
        0,
        &[
            "these are guesses",
            "Țar, Wenzel",
            "Wenzel Țar",
            "They differ on",
        ],
    ),
    (
        "bquill infer --edited gauge-edited.log gauge.log --ask",
        2,
        &["there is no terminal to ask on"],
    ),
    (
        "bquill infer --examples rewrites/iso-dates.toml notices/",
        0,
        &["| date %d.%m.%Y %F}"],
    ),
    (
        "bquill infer --values --columns berth berths.csv",
        0,
        &["95 of 96 values match; 1 does not", "BO3"],
    ),
    // draft, where there is no terminal
    (r"bquill draft 'berth' -i notices/", 2, NO_DRAFT),
    (r"bquill draft   'berth\s+(\d+)' -i notices/", 2, NO_DRAFT),
    (
        r"bquill draft 'berth (\d+)' -i --with 'B-$1' notices/",
        2,
        NO_DRAFT,
    ),
    ("bquill draft '' --columns status berths.csv", 2, NO_DRAFT),
    (
        "bquill draft --rewrite rewrites/iso-dates.toml notices/",
        2,
        NO_DRAFT,
    ),
    (r"tail -n 200 gauge.log | bquill draft '\.\.+'", 2, NO_DRAFT),
    ("bquill draft", 2, NO_DRAFT),
    // preview
    (
        r"bquill preview 'berth\s+(\d+)' -i --with 'B-$1' notices/",
        0,
        &["was", "changes        66"],
    ),
    (
        r"bquill preview '(\d\d)(\d\d) hours' --with '$1:$2 hours' notices/ --context 1",
        0,
        &["‹0830 hours›", "‹08:30 hours›", "changes        20"],
    ),
    (
        "bquill preview 'metres?' --with 'm' gauge.log --then '  +' --with ' ' --steps",
        0,
        &[
            "‹metres›",
            "level 2.73 ‹m›   [step 1]",
            "step 2 matches   53",
        ],
    ),
    (
        r"bquill preview 'berth (\d+)' --with 'B-${1 | pad 2}' notices/ --save-rewrite berths.toml",
        0,
        &["‹B-07›", "changes        25"],
    ),
    (
        "bquill preview --rewrite berths.toml notices/",
        0,
        &["changes        25"],
    ),
    (
        r"bquill preview 'berth (\d+)' -i --with 'B-$1' notices/ --kinds",
        0,
        &["6 kinds in 55 changes"],
    ),
    (
        r"bquill preview 'berth (\d+)' -i --with 'B-$1' --whole notices/01-dredging.md",
        0,
        &["▌    6  ‹B-7› or ‹B-7› wait"],
    ),
    (
        r"bquill preview 'berth (\d+)' -i --with 'B-$1' notices/ --report berths.html",
        0,
        &["The page is saved as berths.html"],
    ),
    (
        r"bquill preview 'berth *(\d+)' -i --with 'B-$1' notices/ --against last",
        0,
        &["the same             55", "only this time       11"],
    ),
    (
        "bquill preview '^> ' --remove --between '^> Notice' '^$' --pick 1 notices/",
        0,
        &["was  ‹> ›Notice 08/2025 said:", "changes        12"],
    ),
    // apply and review; where there is no terminal, `--yes` answers.
    (
        r"bquill apply 'berth\s+(\d+)' -i --with 'B-$1' notices/",
        0,
        &["Wrote 66 changes in 16 files"],
    ),
    (
        r"bquill apply 'berth\s+(\d+)' -i --with 'B-$1' notices/ --expect 60..70 --yes",
        0,
        &["Wrote 66 changes in 16 files"],
    ),
    (
        "bquill apply 'metres?' --with 'm' gauge.log --to gauge-short.log",
        0,
        &["Wrote 1 file with 258 changes to gauge-short.log."],
    ),
    (
        "bquill apply",
        0,
        &[
            "The last preview.",
            "No change has been reviewed: all ",
            "Wrote ",
        ],
    ),
    (
        "bquill apply --plan berths.plan --yes",
        0,
        &["The plan berths.plan.", "Wrote 55 changes"],
    ),
    (
        "bquill apply   --plan berths.plan",
        0,
        &["Wrote 44 changes"],
    ),
    (
        r"printf 'quay 7\n' | bquill apply 'quay (\d+)' --with 'Q$1'",
        0,
        &["Q7\n"],
    ),
    (
        r"bquill review 'berth\s+(\d+)' -i --with 'B-$1' notices/",
        2,
        &["there is no terminal to review on"],
    ),
    ("bquill review", 2, &["there is no terminal to review on"]),
    (
        "bquill review  --plan berths.plan",
        2,
        &["there is no terminal to review on"],
    ),
    (
        "bquill review --plan berths.plan --refuse 'file:notices/0*.md&line:1..5' --accept rest",
        0,
        &["accepted", "refused"],
    ),
    (
        "bquill review --plan berths.plan --report berths.html",
        0,
        &["The page is saved as berths.html"],
    ),
    (
        "bquill review  --plan berths.plan --report berths.html",
        0,
        &["The page is saved as berths.html"],
    ),
    (
        "bquill review --plan berths.plan --decisions signe.jsonl renee.jsonl",
        3,
        &["cannot read the decisions in signe.jsonl"],
    ),
    (
        "bquill review  --plan berths.plan --refuse kind:3 --accept rest",
        0,
        &["44 accepted; 11 refused stay as they are."],
    ),
    // history, undo, recover: seven runs have been made.
    ("bquill history", 0, &["    7  ", "done"]),
    ("bquill history 7", 0, &["notices/01-dredging.md"]),
    (
        "bquill history --forget --older-than 30",
        1,
        &["There is nothing to forget."],
    ),
    ("bquill undo", 0, &["Reverted run 7: 1 change in 1 file."]),
    (
        "bquill undo 7 --only notices/01-dredging.md",
        0,
        &["Reverted run 7: 1 change in 1 file."],
    ),
    (
        "bquill undo 7 --review",
        0,
        &["1 of 1 change can be reverted."],
    ),
    ("bquill recover", 0, &["No run was interrupted."]),
    ("bquill recover --back", 0, &["No run was interrupted."]),
    ("bquill recover --abandon 7", 1, &["run 7"]),
    // explain, test, demo, completions
    ("bquill explain", 0, &["In a template"]),
    (
        r"bquill explain 'Berth (\d+)' --on 'at Berth-8 until noon'",
        0,
        &["expected ` `, found `-`, in `Berth-8`"],
    ),
    (
        r"bquill explain '(?<berth>[Bb]erth)\s+(\d+)' --with '${berth | upper}-${2 | pad 2}'",
        0,
        &[
            "group 1, called berth",
            "filled on the left to 2 characters",
        ],
    ),
    ("bquill explain --rewrite berths.toml", 0, &["1. "]),
    ("bquill test rewrites/*.toml", 0, &["31 examples held."]),
    ("bquill help", 0, &["Usage: bquill", "preview"]),
    ("bquill help preview", 0, &["Usage: bquill preview"]),
    ("bquill demo", 0, &["bquill find"]),
    ("bquill demo --all", 0, &["bquill find"]),
    ("bquill demo --to larkmoor", 0, &["larkmoor"]),
    (
        "bquill completions bash > ~/.local/share/bash-completion/completions/bquill",
        0,
        &[],
    ),
    // The reference, where it has others.
    (
        r"bquill find    'berth\s+(\d+)' -i notices/",
        0,
        &["matches        66"],
    ),
    (
        r"bquill shapes  --columns berth berths.csv",
        0,
        &["7 shapes in 96 values"],
    ),
    (
        r"bquill check   '^B-\d\d$' --columns berth berths.csv",
        1,
        &["49 offenders in 96 cells"],
    ),
    (
        r"bquill preview '^(?:Berth|[Bb])[ _-]?[O0]?(\d+)$' --columns berth --with 'B-${1 | pad 2}' berths.csv",
        0,
        &["‹b11›", "‹B-11›"],
    ),
    (
        "bquill preview 'closed' --columns status --with 'shut' --where-in name 'Old Quay' berths.csv",
        0,
        &["closed", "shut"],
    ),
    (
        r"bquill preview '^berth (\d+)$' --columns /berth --with 'B-$1' moorings.jsonl",
        0,
        &["‹berth 62›", "‹B-62›"],
    ),
    (
        r"bquill preview 'berth (\d+)' -i --with 'B-$1' notices/ --save-plan berths.plan",
        0,
        &["changes        55"],
    ),
];

/// The lines of the help of each verb that are examples.
fn of_help(sandbox: &Sandbox) -> Vec<(String, Vec<String>)> {
    let help = sandbox.run("--help").ok().out;
    let commands = help
        .split("Commands:")
        .nth(1)
        .unwrap()
        .split("\n\n")
        .next()
        .unwrap();
    let verbs = commands
        .lines()
        .filter_map(|line| line.split_whitespace().next());
    let verbs: Vec<String> = verbs.map(str::to_owned).collect();
    assert!(verbs.len() > 10, "{help}");
    let examples = |verb: &String| {
        let help = sandbox.run(&format!("{verb} --help")).ok().out;
        let examples = help.split_once("Example").map_or("", |(_, rest)| rest);
        let examples = examples
            .lines()
            .filter(|line| line.starts_with("  ") && line.contains("bquill "));
        (
            verb.clone(),
            examples.map(|line| line.trim().to_owned()).collect(),
        )
    };
    verbs.iter().map(examples).collect()
}

/// The commands in the code blocks of the reference, file by file.
fn of_docs() -> Vec<(String, Vec<String>)> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let docs = std::fs::read_dir(root.join("docs")).unwrap();
    let mut files: Vec<_> = docs.map(|entry| entry.unwrap().path()).collect();
    files.push(root.join("README.md"));
    files.retain(|path| path.extension().is_some_and(|kind| kind == "md"));
    // Its examples are run, and the page made of what they print, by the test of hints.
    files.retain(|path| !path.ends_with("hints.md"));
    files.sort();
    let commands = |path: &std::path::PathBuf| {
        let text = std::fs::read_to_string(path).unwrap();
        let lines = text
            .lines()
            .filter_map(|line| line.strip_prefix("    bquill "));
        let lines = lines.map(|line| line.split(" #").next().unwrap().trim());
        (
            path.display().to_string(),
            lines.map(|line| format!("bquill {line}")).collect(),
        )
    };
    files.iter().map(commands).collect()
}

/// Runs an example as it is typed, but that nothing is asked.
fn typed(sandbox: &Sandbox, line: &str) -> Got {
    let program = Path::new(env!("CARGO_BIN_EXE_bquill"));
    let asks = ["bquill apply", "bquill undo"]
        .iter()
        .any(|verb| line.starts_with(verb));
    let answered = ["--yes", "--to", "--review"];
    let yes = if asks && !answered.iter().any(|option| line.contains(option)) {
        " --yes"
    } else {
        ""
    };
    let folder = program.parent().unwrap().display();
    let path = format!("{folder}:{}", std::env::var("PATH").unwrap());
    let mut shell = Command::new("sh");
    shell
        .arg("-c")
        .arg(format!("{line}{yes}"))
        .current_dir(sandbox.path());
    shell
        .env("PATH", path)
        .env("HOME", sandbox.state())
        .env("XDG_STATE_HOME", sandbox.state());
    support::finish(shell.stdin(Stdio::null()))
}

/// The set-up that the examples of a verb, or of a page, go on from.
fn prepare(sandbox: &Sandbox, page: &str) {
    let completions = sandbox
        .state()
        .join(".local/share/bash-completion/completions");
    std::fs::create_dir_all(completions).unwrap();
    let preview = r"bquill preview 'berth (\d+)' -i --with 'B-$1' notices/ --save-plan berths.plan";
    match page {
        "history" | "undo" | "recover" => {
            let lead = "bquill apply '^' --lead x --lines 1 notices/01-dredging.md";
            for run in 1..=7 {
                assert!(typed(sandbox, lead).out.contains(&format!("run {run}.")));
            }
        }
        "merge-plans" => {
            for (name, which) in [("one", "--include"), ("two", "--exclude")] {
                let plan = format!("{} {which} '0*'", preview.replace("berths", name));
                assert_eq!(typed(sandbox, &plan).status, 0);
            }
        }
        "review" | "split-plan" => assert_eq!(typed(sandbox, preview).status, 0),
        "explain" => {
            let keep = "bquill preview berth --with B notices/ --save-rewrite berths.toml";
            assert_eq!(typed(sandbox, keep).status, 0);
        }
        _ => {}
    }
}

#[test]
fn every_example_does_what_it_claims() {
    let mut met = BTreeSet::new();
    let help = Sandbox::larkmoor();
    let pages = of_help(&help).into_iter().chain(of_docs());
    for (page, examples) in pages {
        let sandbox = Sandbox::larkmoor();
        prepare(&sandbox, &page);
        for example in examples {
            // What a verb writes is not what the next example is about.
            let fresh;
            let alone = matches!(&*page, "apply" | "review" | "undo");
            let sandbox = match alone {
                true => {
                    fresh = Sandbox::larkmoor();
                    prepare(&fresh, &page);
                    if page == "apply" {
                        let plan = r"bquill preview 'berth (\d+)' -i --with 'B-$1' notices/ --save-plan berths.plan";
                        assert_eq!(typed(&fresh, plan).status, 0);
                    }
                    &fresh
                }
                false => &sandbox,
            };
            let claim = CLAIMS.iter().find(|(line, ..)| line.trim() == example);
            let (line, status, parts) =
                claim.unwrap_or_else(|| panic!("{page}: nothing is claimed of {example}"));
            met.insert(*line);
            let got = typed(sandbox, &example);
            assert_eq!(got.status, *status, "{page}: {example}\n{got:?}");
            for part in *parts {
                assert!(
                    got.out.contains(part) || got.err.contains(part),
                    "{page}: {example}: {part}\n{got:?}"
                );
            }
        }
    }
    let unmet: Vec<_> = CLAIMS
        .iter()
        .filter(|(line, ..)| !met.contains(line))
        .collect();
    assert!(unmet.is_empty(), "no page has {unmet:#?}");
}

/// Help on one screen: its lines fit, each option on it is there, and every example runs on the sample files.
#[test]
fn pages_of_help() {
    let help = Sandbox::larkmoor();
    let verbs: Vec<String> = of_help(&help).into_iter().map(|(verb, _)| verb).collect();
    let short = verbs.iter().map(|verb| (format!("{verb} -h"), Some(verb)));
    let topics = [
        "columns",
        "places",
        "templates",
        "dialect",
        "multi-line",
        "undo",
        "limits",
        "settings",
    ];
    let topics = topics.map(|topic| (format!("help {topic}"), None));
    let program = [("-h".to_owned(), None)];
    let mut run = 0;
    for (words, verb) in short.chain(topics).chain(program) {
        let page = help.run(&words).ok().out;
        let wide = page.lines().find(|line| line.chars().count() > 100);
        assert!(
            page.lines().count() <= 40 && wide.is_none(),
            "{words}: {wide:?}"
        );
        let whole = verb.map(|verb| help.run(&format!("{verb} --help")).ok().out);
        for line in page.lines() {
            let option = line
                .trim_start()
                .split([' ', ',', '='])
                .next()
                .unwrap_or_default();
            if let (Some(whole), true) = (&whole, option.starts_with("--")) {
                assert!(whole.contains(option), "{words}: {option}");
            }
            let is_example = line.starts_with("  bquill ") || line.starts_with("  printf ");
            if !is_example
                // Only an editor speaks with it.
                || line.contains("bquill serve")
                || line.contains("  the run")
                || line.contains("  what ")
                || line.contains("  revert ")
                || line.contains("  complete ")
            {
                continue;
            }
            let fresh = Sandbox::larkmoor();
            prepare(&fresh, verb.map_or("", String::as_str));
            if !line.contains("notices") && line.contains("bquill review")
                || line.trim() == "bquill apply"
            {
                let preview = r"bquill preview 'berth (\d+)' -i --with 'B-$1' notices/";
                assert_eq!(typed(&fresh, preview).status, 0);
            }
            let got = typed(&fresh, line.trim());
            let asks =
                got.err.contains("there is no terminal") || got.err.contains("no terminal to");
            assert!(got.status < 2 || asks, "{words}: {line}\n{got:?}");
            run += 1;
        }
    }
    assert!(run > 40, "{run}");
}
