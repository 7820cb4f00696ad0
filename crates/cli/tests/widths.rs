//! On a terminal of any width, no line runs over its edge, where a word would be broken.

use crate::support::term::Term;
use crate::support::{Sandbox, words};
use unicode_width::UnicodeWidthStr;

/// Commands in the sample files, whose output fits in 60 columns and more.
const FIT: &[&str] = &[
    r"find 'berth\s+(?<number>\d+)' -i notices --show 12",
    "find berth -i --missing --why notices --show 5",
    "find berth --unit text notices --show 4",
    "find berth --unit paragraph notices --show 4",
    "find berth -i --columns berth,remark berths.csv",
    "find berth -i --columns /berth moorings.jsonl --show 5",
    "find nowhere notices",
    r"preview 'berth[\s#-]*(?:no\. )?(\d+)' -i --with 'B-$1' notices --show 15",
    "preview berth -i --with 'a much longer name of a berth in the port' notices --show 9",
    "preview berth -i --with pier notices --kinds",
    r"preview 'berth (\d+)' -i --with 'B-$1' notices --against last --show 3",
    "preview berth --with pier --context 2 notices --show 3",
    "preview berth --with pier --where closed --unless '^>' --between Notice '^$' --lines 2..40 notices --show 1",
    r"preview '^[Bb]erth (\d+)$' --with 'B-$1' --columns berth berths.xlsx --context row --show 2",
    "preview Ferry --with F --columns name --table berths harbour.db",
    "shapes --columns berth,status berths.csv",
    "shapes notices --show 12",
    "shapes --chars notices --show 8",
    r"tally '(?<a>berth|quay) (\d+)' -i notices",
    "tally '.+' --columns remark berths.csv",
    r"check '^B-\d\d$' --columns berth berths.csv --show 12",
    r"check '^B-\d\d$' --columns berth --label name,pilot berths.csv --show 5",
    "infer --example BO3 B-03 --example 'Berth 14' B-14 --columns berth berths.csv",
    r"explain '(?<berth>[Bb]erth)[\s#-]*(?:no\. )?(\d+)(?!\d)' --with '${berth | upper}-${2 | pad 2}'",
    "explain --rewrite rewrites/iso-dates.toml",
    r"explain 'berth (\d+)' -i --on 'the approach to Berth-8 is closed'",
    "test rewrites/berth-codes.toml",
    r"apply 'berth (\d+)' --with 'B-$1' notices --yes",
    "history",
    "history 1",
    "undo --yes",
    "recover",
    "find '(' notices",
    "preview berth --with '$2' notices",
    "find berth --columns brth berths.csv",
    "find berth --lines x notices",
    "apply berth --with pier --expect 3 notices --yes",
];

/// The same for 80 columns: tables of many columns, and pages of help.
const FIT_IN_80: &[&str] = &[
    "preview 'berth (\\d)' -i --with 'B-$1' notices --kinds shape",
    "find crane --columns remark --label name,pilot berths.csv",
    "help columns",
    "help places",
    "help templates",
    "help dialect",
    "help multi-line",
    "help undo",
    "help limits",
    "help settings",
    "find -h",
    "preview -h",
    "review -h",
    "history -h",
    "split-plan -h",
];

#[test]
fn no_line_runs_over_the_edge() {
    let mut over = Vec::new();
    for (width, commands) in [(60, FIT), (80, FIT), (80, FIT_IN_80), (140, FIT)] {
        let sandbox = Sandbox::larkmoor();
        for command in commands {
            let args = words(command);
            let args: Vec<&str> = args.iter().map(String::as_str).collect();
            let (_, shown) = Term::new(&sandbox, width, 200, &args).end();
            // A command is one line, which may be copied; what is one word cannot be broken.
            let is_over = |line: &&str| {
                line.width() > usize::from(width)
                    && !line.trim_start().starts_with("bquill ")
                    && line.trim().contains(' ')
            };
            over.extend(
                shown
                    .lines()
                    .find(is_over)
                    .map(|line| format!("{width} {command}: {line}")),
            );
        }
    }
    assert!(over.is_empty(), "{over:#?}");
}
