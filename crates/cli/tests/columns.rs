//! Tables and JSON Lines through every verb, on files and in pipes.

use crate::support::{Sandbox, said};

const BERTH: &str =
    "'^(?:[Bb]erth|[Bb])[ _-]?[O0]?(\\d+)$' --columns berth --with 'B-${1 | pad 2}'";

/// Rows of a table in memory.
fn rows(text: &str) -> Vec<Vec<String>> {
    let reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .from_reader(text.as_bytes());
    let rows = reader.into_records().map(Result::unwrap);
    rows.map(|row| row.iter().map(str::to_owned).collect())
        .collect()
}

/// Look, check, correct, check again, go back: every byte but those of the berths stays.
#[test]
fn the_loop_on_a_column() {
    let sandbox = Sandbox::larkmoor();
    let before = sandbox.text("berths.csv");
    let shapes = sandbox.run("shapes --columns berth berths.csv").ok().out;
    assert!(
        shapes.contains("47   49.0%   A-9{2}") && shapes.contains("A{2}9        BO3"),
        "{shapes}"
    );
    let check = "check '^B-\\d\\d$' --columns berth berths.csv";
    let got = sandbox.run(check);
    assert!(
        got.status == 1 && got.out.contains("49 offenders in 96 cells"),
        "{got:#?}"
    );
    assert!(got.out.contains("\n   4  berth  BO3\n"));
    let preview = sandbox.run(&format!("preview {BERTH} berths.csv")).ok();
    assert_eq!(
        (preview.count("matches"), preview.count("changes")),
        (Some(96), Some(49))
    );
    assert!(
        preview
            .out
            .contains("   5  was  berth  ‹B 04›\n      now         ‹B-04›\n")
    );
    sandbox
        .run(&format!("apply {BERTH} berths.csv --expect 49 --yes"))
        .ok();
    let after = sandbox.text("berths.csv");
    for (was, now) in before.lines().zip(after.lines()).skip(1) {
        let (was, now) = (was.split_once(',').unwrap(), now.split_once(',').unwrap());
        assert!(
            was.1 == now.1 && now.0.starts_with("B-") && now.0.len() == 4,
            "{now:?}"
        );
    }
    assert_eq!(sandbox.run(check).status, 0);
    sandbox.run("undo --yes").ok();
    assert_eq!(sandbox.text("berths.csv"), before);
}

/// The outcome of requests on a small table, as a filter: request, table, outcome.
#[test]
fn tables_rewritten() {
    let harbour = "berth,name,depth\r\n7,\"Old Quay, north\",\"3,5\"\r\n8,Pier,4\r\n";
    for (request, input, wanted) in [
        (
            "Old --columns name --with New",
            harbour,
            "berth,name,depth\r\n7,\"New Quay, north\",\"3,5\"\r\n8,Pier,4\r\n",
        ),
        // Quotes come where they must be, and stay where they were.
        (
            ", --columns name,depth --remove",
            harbour,
            "berth,name,depth\r\n7,\"Old Quay north\",\"35\"\r\n8,Pier,4\r\n",
        ),
        (
            "Pier --columns 2 --with 'a \"b\",\\n'",
            harbour,
            "berth,name,depth\r\n7,\"Old Quay, north\",\"3,5\"\r\n8,\"a \"\"b\"\",\n\",4\r\n",
        ),
        (
            "$ --columns 1..2 --with ! --where-in depth ^4",
            harbour,
            "berth,name,depth\r\n7,\"Old Quay, north\",\"3,5\"\r\n8!,Pier!,4\r\n",
        ),
        (
            "$ --columns berth --with ! --unless-in depth ^4",
            harbour,
            "berth,name,depth\r\n7!,\"Old Quay, north\",\"3,5\"\r\n8,Pier,4\r\n",
        ),
        (
            "8 --columns berth --set depth '${@row}. ${@cell name | upper}'",
            harbour,
            "berth,name,depth\r\n7,\"Old Quay, north\",\"3,5\"\r\n8,Pier,2. PIER\r\n",
        ),
        (
            "(\\d) --columns berth --add-column 'no, x' '$1;' --where Pier",
            harbour,
            "berth,name,depth,\"no, x\"\r\n7,\"Old Quay, north\",\"3,5\",\r\n8,Pier,4,8;\r\n",
        ),
        (
            "[7a] --pick 2 --per row --unit cell --with A",
            harbour,
            "berth,name,depth\r\n7,\"Old QuAy, north\",\"3,5\"\r\n8,Pier,4\r\n",
        ),
        (
            "r --pick last --per row --unit cell --with R --lines 2",
            harbour,
            "berth,name,depth\r\n7,\"Old Quay, noRth\",\"3,5\"\r\n8,Pier,4\r\n",
        ),
        (
            "\\d --columns 1 --no-header --with 0",
            "7,a\n8,b",
            "0,a\n0,b",
        ),
        (
            "a --columns x --with 'b|' --delimiter '|'",
            "x|y\na|a\n",
            "x|y\n\"b|\"|a\n",
        ),
        ("a --columns x --remove", "x\na\nb\n", "x\n\"\"\nb\n"),
        (
            "a --columns 2 --ragged --with b",
            "x,y\na\na,a,a\n",
            "x,y\na\na,b,a\n",
        ),
        (
            "b --columns y --with c --format spaced",
            "x  y\n a\tb \n",
            "x  y\n a\tc \n",
        ),
        (
            "^ --columns name --lead '> ' --format tsv",
            "berth\tname\n7\tPier\n",
            "berth\tname\n7\t> Pier\n",
        ),
        (
            "b --columns y --with c --then c --columns y --with d",
            "x,y\nb,b\n",
            "x,y\nb,d\n",
        ),
        (
            "o --columns /a,/b/- --with 0 --format jsonl",
            "{\"a\" : \"\\u00e9o\",\"b\":[\"o\",{\"o\":\"o\"},1]}\n",
            "{\"a\" : \"\\u00e90\",\"b\":[\"0\",{\"o\":\"o\"},1]}\n",
        ),
        (
            "\\d+ --columns n --with 42 --format jsonl",
            "{\"n\": 7e0}\n",
            "{\"n\": 42e42}\n",
        ),
        (
            "a --columns /s --add-column t '$0\"' --format jsonl",
            "{\"s\":\"a\" }\n{\"s\":\"b\"}\n",
            "{\"s\":\"a\", \"t\": \"a\\\"\" }\n{\"s\":\"b\"}\n",
        ),
    ] {
        let format = if request.contains("--format") || request.contains("--delimiter") {
            ""
        } else {
            " --format csv"
        };
        let got = Sandbox::new().pipe(input, &format!("apply {request}{format} --expect 0.."));
        assert_eq!(
            (got.status, got.out.as_str()),
            (0, wanted),
            "{request}: {}",
            got.err
        );
    }
}

/// Requests that are refused: status, request, table, and the message.
#[test]
fn tables_refused() {
    let table = "berth,name,name\n7,Pier,x\n";
    let json = "{\"a\":\"x\",\"n\":7}\n";
    for (status, request, input, said) in [
        (
            2,
            "x --columns brth --remove",
            table,
            "no column `brth`: did you mean `berth`?",
        ),
        (
            2,
            "x --columns name --remove",
            table,
            "columns 2 and 3 share the name `name`: pick one by its number",
        ),
        (
            2,
            "x --columns 2..9 --remove",
            table,
            "no column 9: the first row has 3",
        ),
        (
            2,
            "x --columns 1 --where-in depth 7 --remove",
            table,
            "no column `depth`",
        ),
        (2, "7 --columns 1 --set x y", table, "no column `x`"),
        (
            2,
            "7 --columns 1 --with '${@cell x}'",
            table,
            "no column `x`",
        ),
        (
            2,
            "7 --columns 1 --add-column berth y",
            table,
            "there is a column `berth` already",
        ),
        (
            2,
            "x --columns 1,,2 --remove",
            table,
            "a column is missing here",
        ),
        (
            2,
            "x --columns berth --remove --no-header",
            table,
            "`berth` names no column",
        ),
        (2, "x --with '${@cell name}'", table, "needs columns"),
        (
            2,
            "x --remove --per row --pick 1",
            table,
            "only where there are columns",
        ),
        (
            2,
            "x --columns 1 --above y",
            table,
            "while the unit is a cell",
        ),
        (
            2,
            "x --columns 1 --unit line --remove",
            table,
            "a cell is a unit of its own",
        ),
        (
            2,
            "x --remove --delimiter ';'",
            table,
            "no column is looked at",
        ),
        (
            2,
            "x --columns 1 --remove --delimiter ';;'",
            table,
            "one ASCII character",
        ),
        (
            2,
            "x --columns 1 --remove --format xls",
            table,
            "no format `xls`",
        ),
        (
            3,
            "7 --columns 1 --remove",
            "a,b\n7,\"x\n",
            "line 2: the quote that opens this cell is never closed",
        ),
        (
            3,
            "7 --columns 1 --remove",
            "a,b\n7,\"x\"y\n",
            "line 2: text follows a closing quote",
        ),
        (
            3,
            "7 --columns 1 --remove",
            "a,b\n7\n",
            "line 2: this row has 1 cell, and the first one 2",
        ),
        (
            3,
            "7 --columns 1 --with , --quote none",
            "a,b\n7,1\n",
            "`,` cannot stand in a",
        ),
        (
            3,
            "7 --columns a --with '8 9' --format spaced",
            "a b\n7 1\n",
            "`8 9` cannot stand in a",
        ),
        (
            3,
            "7 --columns /n --with x --format jsonl",
            json,
            "`x` is not a number, and /n holds one",
        ),
        (
            3,
            "x --columns /a --remove --format jsonl",
            "7\n",
            "not a JSON object",
        ),
        (
            2,
            "x --columns /b --remove --format jsonl",
            json,
            "/b leads to no text in any row; there is `a`, `n`",
        ),
        (
            3,
            "x --columns /a --set /b y --format jsonl",
            json,
            "no /b to write",
        ),
        (2, "x --columns /a --remove", "a\n", "unknown table format"),
    ] {
        let format = if request.contains("--format")
            || said.contains("unknown table")
            || !request.contains("--columns")
        {
            ""
        } else {
            " --format csv"
        };
        let got = Sandbox::new().pipe(input, &format!("apply {request}{format}"));
        assert_eq!(
            (got.status, got.out.as_str()),
            (status, ""),
            "{request}: {got:#?}"
        );
        assert!(got.err.contains(said), "{request}: {}", got.err);
    }
}

/// Files without columns are passed over when met, and refused when named; where rows lack a
/// pointer or hold numbers, a note says so.
#[test]
fn what_is_passed_over_is_told() {
    let sandbox = Sandbox::larkmoor();
    let got = sandbox.run("find Quay --columns name --count notices berths.csv --format csv");
    assert_eq!(got.status, 2, "notices have no such column: {got:#?}");
    let got = sandbox
        .run("find . --columns 1 --exclude rewrites --exclude '*.jsonl' --exclude '*.json' --exclude '*.xlsx' --exclude '*.db' --show 0 .")
        .ok();
    assert!(got.out.contains("without columns"), "{}", got.out);
    let got = sandbox.run("find Quay --columns name notices/01-dredging.md");
    assert!(got.status == 2 && got.err.contains("unknown table format"));
    let rows = "{\"a\":\"x\"}\n{\"b\":1,\"a\":7}\n";
    let got = Sandbox::new().pipe(rows, "find . --columns /a,/b --format jsonl");
    assert!(
        got.out
            .contains("line 1: /b leads to no text in 1 of 2 rows"),
        "{}",
        got.out
    );
    assert!(
        got.out
            .contains("line 2: 2 numbers, such as /b here, taken as text"),
        "{}",
        got.out
    );
}

#[test]
fn records_name_the_column() {
    let sandbox = Sandbox::with("a.csv", "x,y\n\"a \"\"b\"\"\",b\n");
    let got = sandbox
        .run("preview b --columns 1..2 --with c a.csv --json")
        .ok();
    let units = got.of_kind("unit");
    assert_eq!(
        (&units[0]["cell"], &units[0]["was"], &units[0]["now"]),
        (&"x".into(), &"a \"b\"".into(), &"a \"c\"".into())
    );
    let changes = got.of_kind("change");
    assert_eq!(
        (&changes[0]["cell"], &changes[0]["before"]),
        (&"x".into(), &"\"a \"\"b\"\"\"".into())
    );
    assert_eq!(
        (&changes[0]["from"], &changes[0]["to"], &changes[1]["from"]),
        (&4.into(), &13.into(), &14.into())
    );
    let found = sandbox
        .run("find b --columns 1..2 a.csv --json")
        .ok()
        .of_kind("match");
    assert_eq!(
        (&found[0]["cell"], &found[0]["from"], &found[0]["to"]),
        (&"x".into(), &9.into(), &10.into())
    );
    // Keeping a rewrite of columns keeps examples that are small tables.
    sandbox
        .run("preview b --columns x --with c a.csv --save-rewrite r.toml")
        .ok();
    let kept = sandbox.text("r.toml");
    assert!(
        kept.contains("x,y") && kept.contains("columns = \"x\""),
        "{kept}"
    );
    sandbox.run("test r.toml").ok();
}

/// Groups as columns: request, and the first lines that come.
#[test]
fn extracted() {
    let sandbox = Sandbox::larkmoor();
    let beside = "berth,name,depth_m,length_m,status,pilot,remark";
    for (request, lines) in [
        (
            "'(?<quay>\\w+) Quay(?:, (?<end>\\w+) end)?' --columns name berths.csv",
            vec![
                "file,record,quay,end",
                "berths.csv,3,Old,south",
                "berths.csv,4,Old,",
            ],
        ),
        (
            "'(\\d\\d)(\\d\\d) hours' --every notices/01-dredging.md",
            vec![
                "file,record,match,group_1,group_2",
                "notices/01-dredging.md,5,1,16,45",
            ],
        ),
        (
            "'[,;] *' --columns remark --yes-no --select berth,matches berths.csv",
            vec!["berth,matches", "B-01,true", "B-02,false"],
        ),
        (
            "'[,;] *' --columns remark --yes-no --name many --select berth,many berths.csv",
            vec!["berth,many", "B-01,true", "B-02,false"],
        ),
        (
            "'[,;] *' --columns remark --counts --select berth,count berths.csv",
            vec!["berth,count", "B-01,2", "B-02,0"],
        ),
        (
            "'[,;] *' --columns remark --counts --name marks --as jsonl berths.csv",
            vec!["{\"file\":\"berths.csv\",\"record\":1,\"marks\":2}"],
        ),
        (
            "'[,;] *' --columns 7 --no-header --counts --beside berths.csv",
            vec!["berth,name,depth_m,length_m,status,pilot,remark,0"],
        ),
        (
            "e --counts --no-header-out notices/01-dredging.md",
            vec!["notices/01-dredging.md,1,5", "notices/01-dredging.md,2,0"],
        ),
        (
            "e --counts --select record,count berths.csv",
            vec!["record,count", "1,7"],
        ),
        (
            "'' --select 5,berth berths.csv --as tsv",
            vec!["status\tberth", "closed\tB-01"],
        ),
        (
            "'' --select berth,depth_m --as jsonl berths.csv",
            vec!["{\"berth\":\"B-01\",\"depth_m\":\"4.8\"}"],
        ),
        (
            "--split '; *' --columns remark --select berth,part_1,part_2 berths.csv",
            vec![
                "berth,part_1,part_2",
                "B-01,\"power 3,5 kV\",no bunkering",
                "B-02,ask the harbour master,",
            ],
        ),
        (
            "--split '; *' --every --columns remark --select record,match,part berths.csv",
            vec![
                "record,match,part",
                "1,1,\"power 3,5 kV\"",
                "1,2,no bunkering",
                "2,1,ask the harbour master",
            ],
        ),
        (
            "'\\d+' --wide --columns length_m,depth_m --select whole_match_1,whole_match_3 berths.csv",
            vec!["whole_match_1,whole_match_3", "4,111", "13,295"],
        ),
        (
            "'(?<no>\\d+)' --columns /berth --select /ship/name,no,/crew moorings.jsonl",
            vec![
                "/ship/name,no,/crew",
                "Brisling,19,\"[{\"\"name\"\": \"\"Søren Quill\"\"}]\"",
            ],
        ),
        (
            "'gauge (?<id>\\w+)' --beside gauge.log",
            vec!["text,id", "2026-06-01 00:00 gauge L2 level 1.85 m.,L2"],
        ),
        (
            "'(?<berth>\\d)' --columns berth --whole-match --select berth,berth_2,whole_match berths.csv",
            vec!["berth,berth_2,whole_match", "B-01,0,0"],
        ),
    ] {
        let got = sandbox.run(&format!("extract {request}")).ok();
        let found: Vec<&str> = got.out.lines().take(lines.len()).collect();
        assert_eq!(found, lines, "{request}");
    }
    // Beside the columns there are, every row stays what it was.
    let got = sandbox
        .run("extract 'crane, (\\d+)' --columns remark --beside berths.csv")
        .ok();
    let (old, new) = (rows(&sandbox.text("berths.csv")), rows(&got.out));
    assert!(got.out.starts_with(&format!("{beside},group_1\n")) && old.len() == new.len());
    assert!(old.iter().zip(&new).all(|(old, new)| *old == new[..7]));
    let objects = sandbox
        .run("extract 'B-(\\d+)' --columns berth --beside --as jsonl moorings.jsonl")
        .ok();
    let line: serde_json::Value =
        serde_json::from_str(objects.out.lines().next().unwrap()).unwrap();
    assert_eq!(
        (&line["ship"]["name"], &line["group_1"]),
        (&"Brisling".into(), &"19".into())
    );
    let table = sandbox
        .run("extract '(\\d+)' --columns berth --as table --show 2 berths.csv")
        .ok();
    assert!(
        table.out.contains("94 more rows not shown")
            && table.out.contains("  berths.csv   1        01\n"),
        "{}",
        table.out
    );
    for (status, request, said) in [
        (1, "zzz --columns berth berths.csv", ""),
        (2, "x --select brth berths.csv", "no column `brth`"),
        (
            2,
            "'' --beside berths.csv other.csv",
            "other columns than the files before it",
        ),
        (
            3,
            "'' --beside --format jsonl rows.txt",
            "1 row with keys that the first one lacks",
        ),
    ] {
        sandbox.write("other.csv", "a,b\n1,2\n");
        sandbox.write("rows.txt", "{\"a\":1}\n{\"b\":2}\n");
        let got = sandbox.run(&format!("extract {request}"));
        assert!(
            got.status == status && got.err.contains(said),
            "{request}: {got:#?}"
        );
    }
}

/// The verbs that count: request, status, and what is said.
#[test]
fn counted() {
    let sandbox = Sandbox::larkmoor();
    for (request, status, said) in [
        (
            "tally '.+' --columns status berths.csv",
            0,
            "     59   61.5%   open\n     25   26.0%   closed\n",
        ),
        (
            "tally '^(?:berth |B-)0*(\\d+)$' --group 1 --columns /berth moorings.jsonl --show 1",
            0,
            "      7    2.9%   80\n\n85 more values (233 matches); add",
        ),
        (
            "tally '(?<what>\\w+)\\s+([\\d.,]+) ?m' --group what --sum 2 gauge.log",
            0,
            "    587   97.3%   2095.25   level\n",
        ),
        (
            "tally '(\\w+) (\\w+)' --sum 2 --columns name berths.csv --limit 1",
            3,
            "1 text in that group are not numbers",
        ),
        (
            "tally Quay --by file notices/01-dredging.md berths.csv --columns name --format csv",
            2,
            "no column `name`",
        ),
        ("tally Quay --group 2 berths.csv", 2, "no group `2`"),
        ("tally zzz berths.csv", 1, "0 values in 0 matches"),
        (
            "tally 'berth' -i --by file notices --show 1",
            0,
            "notices/01-dredging.md   ",
        ),
        (
            "check '\\t| $' --forbid notices",
            0,
            "All is as it must be: 231 lines in 16 files.",
        ),
        (
            "check '^open' --columns status --where-in name Coal berths.csv --show 1",
            1,
            "5 more offenders not shown",
        ),
        ("check x empty.txt", 1, "There is no line to check"),
        (
            "shapes --columns berth,status --show 4 berths.csv",
            0,
            "berth    A{2}9    BO3          line 4\n",
        ),
        (
            "shapes --columns berth --pattern berths.csv",
            0,
            "^\\p{Lu}[\\p{L}--\\p{Lu}]{4} \\d{2}$",
        ),
        (
            "shapes --match '\\d[\\d.,]*' gauge.log",
            0,
            "9,9{2}   2,39    line 8\n",
        ),
        (
            "shapes --chars --columns pilot berths.csv",
            0,
            "Ț      U+021A   LATIN CAPITAL LETTER T WITH COMMA BELOW   line 2\n",
        ),
        ("shapes --pick 1 berths.csv", 2, "`--pick` is about matches"),
        ("shapes empty.txt", 1, "0 shapes in 0 values"),
    ] {
        sandbox.write("empty.txt", "");
        let got = sandbox.run(request);
        assert_eq!(got.status, status, "{request}: {got:#?}");
        assert!(
            got.out.contains(said) || got.err.contains(said),
            "{request}: {}\n{}",
            got.out,
            got.err
        );
    }
    let got = sandbox.pipe("quay 7\nquay 12\n", "shapes --json").ok();
    let shapes = got.of_kind("shape");
    assert_eq!(
        (&shapes[0]["shape"], &shapes[0]["pattern"]),
        (&"a{4} 9".into(), &"^[\\p{L}--\\p{Lu}]{4} \\d$".into())
    );
    let got = sandbox
        .pipe("quay 7\nquay 12\n", "tally '\\w+' --pick 1 --json")
        .ok();
    assert_eq!(
        (
            &got.of_kind("value")[0]["value"],
            &got.of_kind("totals")[0]["matches"]
        ),
        (&"quay".into(), &2.into())
    );
    let got = sandbox.pipe("quay 7\npier\n", "check \\d --json");
    assert_eq!(
        (
            got.status,
            &got.of_kind("offender")[0]["line"],
            &got.of_kind("totals")[0]["checked"]
        ),
        (1, &2.into(), &2.into())
    );
}

/// Sentences about requests on columns.
#[test]
fn sentences_about_columns() {
    let sandbox = Sandbox::with("a.csv", "berth,status\n7,open\n");
    for (request, sentence) in [
        (
            "find 7 --columns berth a.csv",
            "every match of `7`, in the column berth.",
        ),
        (
            "find 7 --columns berth,2 a.csv",
            "every match of `7`, in the columns berth,2.",
        ),
        (
            "find 7 --unit cell a.csv",
            "every match of `7`, in every cell.",
        ),
        (
            "find 7 --columns 1.. --lines 2 a.csv",
            "every match of `7`, in every cell, in line 2.",
        ),
        (
            "find 7 --unit cell --where-in status open --unless-in berth x a.csv",
            "every match of `7`, in every cell, where status holds `open`, where berth does not hold `x`.",
        ),
        (
            "find 7 --columns berth --where , --unless x a.csv",
            "every match of `7`, in the column berth of each row that holds `,` and that does not hold `x`.",
        ),
        (
            "find 7 --columns 1..2 --pick 1 --per row a.csv",
            "the first match of `7`, counted through each row, in the columns 1..2.",
        ),
        (
            "find 7 --columns berth --pick last --per file a.csv",
            "the last match of `7`, counted through each file, in the column berth.",
        ),
        (
            "find x --columns berth --missing a.csv",
            "every cell without a match of `x`, in the column berth.",
        ),
        (
            "preview 7 --columns berth --lead B a.csv",
            "`B` is inserted at the start of each cell with a match of `7`, in the column berth.",
        ),
        (
            "preview 7 --columns berth --set status '$0' a.csv",
            "the column status becomes `$0` in each row with a match of `7`, in the column berth.",
        ),
        (
            "preview 7 --columns berth --add-column no '$0' a.csv",
            "a column `no` is added, with `$0` in each row with a match of `7`, in the column berth.",
        ),
        (
            "check 7 --columns berth a.csv",
            "every cell must hold a match of `7`, in the column berth.",
        ),
        (
            "check 8 --forbid a.csv",
            "no line may hold a match of `8`, in every line.",
        ),
        (
            "tally 7 --columns berth a.csv",
            "the values of every match of `7`, in the column berth.",
        ),
        (
            "tally '(?<n>7)' --group n a.csv",
            "the values of the group n in every match of `(?<n>7)`, in every line.",
        ),
        (
            "tally '(7)' --group 1 a.csv",
            "the values of group 1 in every match of `(7)`, in every line.",
        ),
        ("shapes a.csv", "the shapes of every line."),
        (
            "shapes --columns berth a.csv",
            "the shapes of every cell, in the column berth.",
        ),
        (
            "shapes --match 7 a.csv",
            "the shapes of every match of `7`, in every line.",
        ),
        (
            "shapes --chars --lines 2.. a.csv",
            "the unusual characters of every line, in lines `2..`",
        ),
        (
            "extract 7 --as table a.csv",
            "the groups of every match of `7`, in every line.",
        ),
        (
            "extract --split , --as table a.csv",
            "the text between the matches of `,`, in every line.",
        ),
    ] {
        let got = sandbox.run(request);
        let first = got.out.lines().next().unwrap_or_default();
        let said = first.strip_prefix("In a.csv: ").unwrap_or(first);
        assert_eq!(
            said.trim_end_matches('.'),
            sentence.trim_end_matches('.'),
            "{request}: {}",
            got.err
        );
    }
}

/// Changed cells among their neighbours, between steps, as a diff, and as they are kept.
#[test]
fn changed_cells_are_shown() {
    let sandbox = Sandbox::with("a.csv", "x,y\n1,ab\n2,\"a,\nb\"\n3,\n4,c\n");
    for (request, shown) in [
        (
            "preview '[ab]' --columns y --with '<$0>' a.csv --context 1",
            "   1       x,y\n   2  was  y  ‹a›‹b›\n      now     ‹<a>›‹<b>›\n   3  was  y  ‹a›,\n              ‹b›\n      now     ‹<a>›,\n              ‹<b>›\n   5       3,\n",
        ),
        (
            "preview '^$' --columns y --with none a.csv",
            "   5  was  y  ‹›\n      now     ‹none›\n",
        ),
        (
            "preview c --columns y --remove a.csv",
            "   6  was  y  ‹c›\n      now     ‹›\n",
        ),
        (
            "preview c --columns y --with d a.csv --then d --columns y --with e --then 4 --columns x --with 5 --steps",
            "   6  was  x  ‹4›\n      now     ‹5›   [step 3]\n   6  was  y  ‹c›\n        1     d\n      now     ‹e›   [steps 1, 2]\n",
        ),
        (
            "preview c --columns y --with d a.csv --diff",
            "@@ -3,4 +3,4 @@\n 2,\"a,\n b\"\n 3,\n-4,c\n+4,d\n",
        ),
        (
            "preview c --columns y --add-column z '$0!' a.csv",
            "   6  was  4,c‹›\n      now  4,c‹,c!›\n",
        ),
        ("find a --columns y a.csv", "   2  y  ‹a›b\n   3  y  ‹a›,\n"),
        (
            "find a --columns y a.csv --context 1",
            "   1  x,y\n   2  y  ‹a›b\n",
        ),
        (
            "find '(?<l>a)' --columns y a.csv",
            "   2  y  ‹a›b\n         $1 l ‹a›\n",
        ),
        (
            "find . --columns y --count --each a.csv",
            "       2  a.csv, line 2, y\n",
        ),
        ("find a --columns y --bare a.csv", "ab\na,\nb\n"),
        (
            "find a --columns y --missing a.csv",
            "   5  y  (empty)\n   6  y  c\n",
        ),
    ] {
        let got = sandbox.run(request).ok();
        assert!(got.out.contains(shown), "{request}: {shown}\n{}", got.out);
    }
    sandbox.write(
        "r.toml",
        "[[step]]\nmatch = 'c'\nset = ['x', '${@cell y}$0']\nwhere-in = ['x', '4']\n\
         [[step.example]]\nbefore = \"x,y\\n4,c\\n\"\nafter = \"x,y\\ncc,c\\n\"\n\
         [[step.example]]\nuntouched = \"x,y\\n5,c\\n\"\n\
         [[step]]\nmatch = 'o'\nwith = 'a'\ncolumns = '/k'\n\
         [[step.example]]\nbefore = '{\"k\": \"o\"}'\nafter = '{\"k\": \"a\"}'\n",
    );
    let got = sandbox.run("test r.toml").ok();
    assert!(got.out.contains("3 of 3 examples"), "{}", got.out);
    let got = sandbox.run("explain --rewrite r.toml").ok();
    assert!(
        got.out
            .contains("The column x becomes `${@cell y}$0` in each row"),
        "{}",
        got.out
    );
    assert!(got.out.contains("the column y of the row"), "{}", got.out);
}

/// Columns in every encoding, and behind a byte-order mark: what is not changed stays.
#[test]
fn columns_of_every_encoding() {
    let utf16 = |text: &str| -> Vec<u8> {
        let units = std::iter::once(0xFEFF).chain(text.encode_utf16());
        units.flat_map(u16::to_le_bytes).collect()
    };
    let latin = |text: &str| -> Vec<u8> { text.chars().map(|c| c as u8).collect() };
    let (was, now) = (
        "k,é\r\n1,\"ü \"\"é\"\"\"\r\n2,é",
        "k,é\r\n1,\"ü \"\"ö,\"\"\"\r\n2,\"ö,\"",
    );
    for (name, options, before, after) in [
        (
            "a.csv",
            "",
            was.as_bytes().to_vec(),
            now.as_bytes().to_vec(),
        ),
        (
            "b.csv",
            "",
            [b"\xEF\xBB\xBF", was.as_bytes()].concat(),
            [b"\xEF\xBB\xBF", now.as_bytes()].concat(),
        ),
        ("c.csv", "", utf16(was), utf16(now)),
        ("d.csv", "--encoding latin1", latin(was), latin(now)),
    ] {
        let sandbox = Sandbox::with(name, &before);
        sandbox
            .run(&format!(
                "apply é --columns é --with ö, {name} {options} --yes"
            ))
            .ok();
        assert_eq!(sandbox.read(name), after, "{name}");
        sandbox.run("undo --yes").ok();
        assert_eq!(sandbox.read(name), before, "{name}");
        sandbox
            .run(&format!(
                "preview é --columns é --with ö, {name} {options} --save-plan p.plan"
            ))
            .ok();
        sandbox.run("review --plan p.plan --accept 1.2").ok();
        sandbox.run("apply --plan p.plan --yes").ok();
        assert_ne!(sandbox.read(name), after, "{name}");
        sandbox.run("undo --yes").ok();
        assert_eq!(sandbox.read(name), before, "{name}");
    }
}

/// Rows go as a whole, whatever lines they span; the header stays.
#[test]
fn rows_are_deleted() {
    let table = "berth,status,note\r\n4,open,\"two\r\nlines\"\r\n5,closed,x\r\n6,open,y";
    for (options, wanted) in [
        (
            "open --columns status --drop-lines",
            "berth,status,note\r\n5,closed,x\r\n",
        ),
        (
            "closed --columns status --keep-lines",
            "berth,status,note\r\n5,closed,x\r\n",
        ),
        (
            "open --columns status --drop-lines --pick 2 --per file",
            "berth,status,note\r\n4,open,\"two\r\nlines\"\r\n5,closed,x\r\n",
        ),
        (
            ". --columns berth --drop-lines --where-in note lines",
            "berth,status,note\r\n5,closed,x\r\n6,open,y",
        ),
        (
            "9 --columns berth --keep-lines --where-in status open",
            "berth,status,note\r\n5,closed,x\r\n",
        ),
    ] {
        let sandbox = Sandbox::with("t.csv", table);
        sandbox.run(&format!("apply {options} t.csv --yes")).ok();
        assert_eq!(
            String::from_utf8_lossy(&sandbox.read("t.csv")),
            wanted,
            "{options}"
        );
        sandbox.run("undo --yes").ok();
        assert_eq!(
            String::from_utf8_lossy(&sandbox.read("t.csv")),
            table,
            "{options}"
        );
    }
    let sandbox = Sandbox::with("t.csv", table);
    for (request, said) in [
        (
            "preview open --columns status --above x t.csv",
            "lines cannot be inserted",
        ),
        (
            "preview open --columns status --drop-lines --with x t.csv",
            "cannot be combined",
        ),
    ] {
        let got = sandbox.run(request);
        assert!(
            got.status == 2 && got.err.contains(said),
            "{request}: {got:?}"
        );
    }
}

/// The new text beside the old: the table before, the request, and the table afterwards.
#[test]
fn into_another_column() {
    let csv = "berth,code,note\nBerth 4,B-1,x\nB-9,B-9,\n";
    let jsonl = "{\"b\": \"Berth 4\", \"n\": 7}\n{\"b\": \"B-9\", \"c\": \"k\"}\n";
    let cases = [
        (
            "t.csv",
            csv,
            "--into new",
            "berth,code,note,new\nBerth 4,B-1,x,B-4\nB-9,B-9,,B-9\n",
        ),
        (
            "t.csv",
            csv,
            "--into new --into-empty",
            "berth,code,note,new\nBerth 4,B-1,x,B-4\nB-9,B-9,,\n",
        ),
        (
            "t.csv",
            csv,
            "--into code",
            "berth,code,note\nBerth 4,B-4,x\nB-9,B-9,\n",
        ),
        (
            "t.csv",
            csv,
            "--into new --where-in note nothing",
            "berth,code,note\nBerth 4,B-1,x\nB-9,B-9,\n",
        ),
        (
            "t.jsonl",
            jsonl,
            "--into c",
            "{\"b\": \"Berth 4\", \"n\": 7, \"c\": \"B-4\"}\n{\"b\": \"B-9\", \"c\": \"k\"}\n",
        ),
    ];
    for (name, before, options, after) in cases {
        let sandbox = Sandbox::with(name, before);
        let column = if name == "t.csv" { "berth" } else { "b" };
        let request = format!("'^Berth (\\d)$' --with 'B-$1' --columns {column} {options} {name}");
        sandbox.run(&format!("preview {request}"));
        if before != after {
            sandbox.run("apply --yes").ok();
            assert_eq!(sandbox.text(name), after, "{options}");
            sandbox.run("undo --yes").ok();
        }
        assert_eq!(sandbox.text(name), before, "{options}");
    }
    let sandbox = Sandbox::with("t.csv", csv);
    sandbox.write("twice.csv", "b,c,c\n1,2,3\n");
    for (request, said) in [
        (
            "preview B --with b --columns 1 --into berth t.csv",
            "berth is the column that is matched",
        ),
        (
            "preview B --with b --columns 1 --into 5 t.csv",
            "there is no column 5",
        ),
        (
            "preview 1 --with b --columns b --into c twice.csv",
            "share the name `c`",
        ),
        (
            "preview B --with b --columns 1,2 --into x t.csv",
            "takes the new text of one column",
        ),
        (
            "preview B --columns 1 --drop-lines --into x t.csv",
            "this step gives none",
        ),
        (
            "preview B --with b --columns 1 --into-empty t.csv",
            "belongs to `--into`",
        ),
    ] {
        let got = sandbox.run(request);
        assert!(
            got.status == 2 && got.err.contains(said),
            "{request}: {}",
            got.err
        );
        assert_eq!(sandbox.text("t.csv"), csv);
    }
}

/// Rows of a list: the list, the options, and the rows that are found.
#[test]
fn rows_of_a_list() {
    let sandbox = Sandbox::with("t.csv", "berth,name\nB-1,a\nb-2,b\nB-3 ,c\n,d\n");
    sandbox.write("keys.txt", "B-1\r\nB-2\n\nB-3\n");
    sandbox.write("keys.csv", "name,berth\nz,B-1\ny,B-3\n");
    sandbox.write("one.csv", "B-1\n");
    for (options, rows) in [
        ("--where-listed berth keys.txt", vec!["a"]),
        ("--where-listed berth keys.txt -i", vec!["a", "b"]),
        ("--where-listed berth keys.txt --trimmed", vec!["a", "c"]),
        ("--unless-listed berth keys.txt --trimmed -i", vec!["d"]),
        ("--where-listed 1 one.csv", vec!["a"]),
        ("--where-listed berth keys.csv --trimmed", vec!["a", "c"]),
    ] {
        let request =
            format!("extract . --columns name --select name --no-header-out t.csv {options}");
        let got = sandbox.run(&request).ok();
        assert_eq!(got.out.lines().collect::<Vec<_>>(), rows, "{options}");
    }
    let got = sandbox.run("find . --columns name --where-listed berth keys.txt t.csv");
    assert!(
        got.out
            .contains("2 of 3 listed values occur in no row: `B-2`, `B-3`"),
        "{}",
        got.out
    );
    sandbox.write("empty.txt", "\n\n");
    for (request, said) in [
        (
            "find . --columns name --where-listed berth none.txt t.csv",
            "no such file",
        ),
        (
            "find . --columns name --where-listed berth empty.txt t.csv",
            "it is empty",
        ),
        (
            "find . --columns name --where-listed note keys.csv t.csv",
            "no column `note`",
        ),
        (
            "find . --columns name --trimmed t.csv",
            "belongs to `--where-listed`",
        ),
    ] {
        let got = sandbox.run(request);
        assert!(
            got.status == 2 && got.err.contains(said),
            "{request}: {}",
            got.err
        );
    }
}

#[test]
fn json_documents() {
    let sandbox = Sandbox::larkmoor();
    let old = sandbox.text("ships.json");
    let change =
        r"preview '[Bb](?:er)?th[ -](\d+)' --with 'B-$1' --columns /-/lines/-/to ships.json";
    let got = sandbox.run(&format!("{change} --label name")).ok();
    said(
        &got,
        "   2  Brisling      was  /-/lines/0/to  ‹berth 11›\n                    now                 ‹B-11›\n",
    );
    sandbox.run("apply --yes").ok();
    let new = sandbox.text("ships.json");
    let read = |text: &str| serde_json::from_str::<serde_json::Value>(text).unwrap();
    assert_eq!(read(&new)[0]["lines"][0]["to"], "B-11");
    // What is not changed is written as it was.
    assert!(new.contains("T\\u00f8ndel") && new.contains("\"Tøndel\""));
    sandbox.run("undo --yes").ok();
    assert_eq!(sandbox.text("ships.json"), old);
    // A count for each record, and a new key in each.
    let got = sandbox.run("extract Bth --counts ships.json --as csv").ok();
    assert_eq!(got.out.lines().count(), 11);
    sandbox
        .run("preview '^Sable' --with Stable --columns name --into old ships.json")
        .ok();
    sandbox.run("apply --yes").ok();
    let new = read(&sandbox.text("ships.json"));
    assert_eq!(
        (&new[7]["old"], &new[0]["old"]),
        (&"Stable Tern".into(), &"Brisling".into())
    );
    // Inner lists are named element by element, and what is an object is one row.
    sandbox.write(
        "port.json",
        "{\"berths\": [\n{\"id\": \"a\", \"n\": \"x\"},\n{\"id\": \"b\", \"n\": \"x\"}]}\n",
    );
    let got = sandbox
        .run("find x --columns /berths/-/n --label /berths/-/id port.json")
        .ok();
    said(
        &got,
        "   2  a  /berths/0/n  ‹x›\n   3  b  /berths/1/n  ‹x›\n",
    );
    let refused: &[(&str, &str, &str)] = &[
        (
            "find x --columns n --drop-lines port.json",
            "{\"n\": 1",
            "cut off",
        ),
        (
            "find x --columns n port.json",
            "[{\"n\": 1},\n{\"n\": x}]",
            "port.json, line 2: the document is not JSON: byte 7",
        ),
        (
            "find x --columns n port.json",
            "{\"n\":1}\n{\"n\":2}",
            "say `--format jsonl`",
        ),
        (
            "preview x --drop-lines --columns n port.json",
            "[{\"n\":\"x\"}]",
            "cannot be dropped",
        ),
        (
            "find x --columns m port.json",
            "[{\"n\":\"x\"}]",
            "there is `n`",
        ),
    ];
    for (words, text, wanted) in refused {
        sandbox.write("port.json", text);
        let got = sandbox.run(words);
        assert!(
            got.status > 1 && got.err.contains(wanted),
            "{words}: {got:#?}"
        );
    }
    let deep = format!(
        "[{{\"n\":\"x\",\"d\":{}{}}}]",
        "[".repeat(10_000),
        "]".repeat(10_000)
    );
    sandbox.write("port.json", &deep);
    let got = sandbox.run("find x --columns n port.json --count").ok();
    said(&got, "1  in all");
}

#[test]
fn rows_by_name() {
    let sandbox = Sandbox::larkmoor();
    let shut = "closed --columns status --label berth";
    let got = sandbox.run(&format!("find {shut} berths.csv")).ok();
    said(&got, "   2  B-01  status  ‹closed›\n");
    let got = sandbox.run(&format!("check --forbid {shut} berths.csv"));
    said(&got, "   2  B-01  status  ‹closed›\n");
    let got = sandbox
        .run(&format!(
            "preview {shut} --with shut berths.csv --context row --show 1"
        ))
        .ok();
    said(
        &got,
        "   2  B-01  was  status    ‹closed›\n            now            ‹shut›\n                 berth     B-01\n                 name      Ferry Slip, north end\n",
    );
    let got = sandbox
        .run(&format!("preview {shut} --with shut berths.csv --json"))
        .ok();
    for kind in ["unit", "change"] {
        assert_eq!(got.of_kind(kind)[0]["label"], "B-01");
    }
    let got = sandbox
        .run(&format!("preview {shut} --drop-lines berths.csv --show 1"))
        .ok();
    said(&got, "   2  B-01  was  ‹B-01,");
    sandbox.write(
        "shut.toml",
        "[[step]]\nmatch = 'closed'\nwith = 'shut'\ncolumns = 'status'\nlabel = 'name,berth'\n",
    );
    let got = sandbox
        .run("preview --rewrite shut.toml berths.csv --show 1 --report page.html")
        .ok();
    said(&got, "   2  Ferry Slip, north end B-01  was  status");
    let page = sandbox.text("page.html");
    assert!(page.contains("of <bdi>Ferry Slip, north end B-01</bdi>"));
    assert!(page.contains("<bdi>pilot</bdi></dt><dd>Țar, Wenzel</dd>"));
    for (words, wanted) in [
        ("find x --label nme berths.csv", "did you mean `name`?"),
        ("find x --label 1.. berths.csv", "not a range"),
        (
            "find x --columns name --label berth --no-header berths.csv",
            "names no column",
        ),
    ] {
        let got = sandbox.run(words);
        assert!(
            got.status == 2 && got.err.contains(wanted),
            "{words}: {got:#?}"
        );
    }
    let got = sandbox
        .run("tally closed --columns status --label berth berths.csv")
        .ok();
    assert!(got.err.contains("--label"), "{}", got.err);
}

#[test]
fn databases() {
    let sandbox = Sandbox::larkmoor();
    let old = sandbox.read("harbour.db");
    let got = sandbox
        .run("extract '' --select berth,status --table berths harbour.db --as csv")
        .ok();
    assert!(
        got.out.starts_with("berth,status\nB-01,closed\n"),
        "{}",
        got.out
    );
    let change =
        r"preview '^[Bb]erth (\d+)$' --with 'B-$1' --columns berth --table moorings harbour.db";
    let got = sandbox.run(change).ok();
    said(&got, "  26  moorings 2   was  /berth  ‹berth 62›\n");
    sandbox.run("apply --yes").ok();
    let got = sandbox.run("find '^B-62$' --columns berth harbour.db").ok();
    said(&got, "moorings 2   /berth  ‹B-62›");
    sandbox.run("undo --yes").ok();
    assert_eq!(sandbox.read("harbour.db"), old);
    // Another program that has it open would go on with the old file.
    let path = sandbox.file("harbour.db");
    let mut other = std::process::Command::new("sleep");
    other.arg("60").stdin(std::fs::File::open(&path).unwrap());
    let mut other = other.spawn().unwrap();
    let got = sandbox.run(&format!("{} --yes", change.replacen("preview", "apply", 1)));
    other.kill().unwrap();
    other.wait().unwrap();
    assert!(
        got.status > 1 && got.err.contains("has it open: close that program first"),
        "{got:#?}"
    );
    assert_eq!(sandbox.read("harbour.db"), old);
    // A part of it lies elsewhere.
    sandbox.write("harbour.db-wal", "frames");
    let got = sandbox.run("find B --columns berth harbour.db");
    let wanted = "a part of it is still in harbour.db-wal: close the program that uses it";
    assert!(got.status > 1 && got.err.contains(wanted), "{got:#?}");
}

#[test]
fn workbooks() {
    let sandbox = Sandbox::larkmoor();
    let old = sandbox.read("berths.xlsx");
    let got = sandbox.run("shapes --columns berth berths.xlsx").ok();
    said(&got, "7 shapes in 24 values.");
    let got = sandbox
        .run("extract '' --select berth,status --table Berths berths.xlsx --as csv")
        .ok();
    assert!(
        got.out.starts_with("berth,status\nB-01,closed\n"),
        "{}",
        got.out
    );
    let change = r"preview '^[Bb]erth (\d+)$' --with 'B-$1' --columns berth berths.xlsx";
    let got = sandbox.run(change).ok();
    // A row is named by its place in the sheet.
    said(&got, "  14  Berths 15  was  /berth  ‹Berth 14›\n");
    sandbox.run("apply --yes").ok();
    let got = sandbox
        .run("find '^B-14$' --columns berth berths.xlsx")
        .ok();
    said(&got, "Berths 15  /berth  ‹B-14›");
    sandbox.run("undo --yes").ok();
    assert_eq!(sandbox.read("berths.xlsx"), old);
    let got = sandbox.run("find Berth --table Pilots berths.xlsx").ok();
    said(&got, "Pilots 3  /berths  ‹Berth› 12");
    // Among texts it is passed over.
    let got = sandbox.run("find quay --count .").ok();
    assert!(!got.out.contains("xlsx"), "{}", got.out);
    let plain = "berths.xlsx";
    for (words, wanted) in [
        (
            format!("find Berth {plain}"),
            "of which only cells are looked at: berths.xlsx\n  Add `--columns LIST`",
        ),
        (
            format!("find B --table Quays {plain}"),
            "there is no table `Quays`; there is `Berths`, `Pilots`",
        ),
        (
            format!("preview closed --drop-lines --columns status {plain}"),
            "cannot be dropped",
        ),
        (
            format!("preview x --add-column new y --columns name {plain}"),
            "no column can be added",
        ),
        (
            format!("preview 4 --with x --columns depth_m {plain}"),
            "is not a number",
        ),
    ] {
        let got = sandbox.run(&words);
        assert!(
            got.status > 1 && got.err.contains(wanted),
            "{words}: {got:#?}"
        );
    }
}
