//! Many files at a time: the same output however many, and a clean end when it is stopped.

use crate::support::{Got, Sandbox};
use rustix::process::{Pid, Signal, kill_process};
use std::fs::File;
use std::io::{Read, Write};
use std::os::unix::process::ExitStatusExt;
use std::process::{Child, Stdio};

/// More than a hundred files of very different length, some of them binary or with bad rows.
fn port() -> Sandbox {
    let port = Sandbox::new();
    for n in 0..150usize {
        let lines = match n {
            // Longer than what is read at a time.
            57 => 50_000,
            n if n % 50 == 7 => 2_000,
            n => n * 7 % 90,
        };
        let line = |i: usize| match (n + i) % 9 {
            0 => format!("quay {i} has 2.{i} m at low water\r\n"),
            1 => format!("berth {} is closed\n", i % 13),
            2 => "no berth here, only a \u{1b}[31mquay\n".to_owned(),
            _ => format!("gauge L{} reads {i}\n", n % 4),
        };
        let text: String = (0..lines).map(line).collect();
        port.write(&format!("logs/part{}/log{n}.txt", n % 7), text);
        port.write(
            &format!("tables/t{n}.csv"),
            match n % 40 {
                3 => "id,berth\n1,\"berth 7\n".to_owned(),
                _ => format!("id,berth\n{n},berth {}\n{n},B-2\n", n % 9),
            },
        );
    }
    port.write("logs/image.txt", b"quay\0quay");
    port
}

#[test]
fn threads_do_not_matter() {
    let port = port();
    port.run(r"preview 'quay (\d+)' --with 'Q$1' logs --save-plan before.plan")
        .ok();
    // What is run, and how often it may differ.
    let lines = [
        r"find 'quay (\d+)' logs",
        "find quay --count --each logs",
        "find quay --json logs",
        "find quay --paths logs nowhere",
        "find --missing 'quay|berth' logs --bare",
        "find quay logs --limit 700 --count",
        "find quay logs --pick last --per run --json",
        "find 'berth ' --columns berth tables --json",
        r"check '^B-\d' --columns berth tables",
        "check --forbid quay logs --json",
        r"tally '(quay|berth) (\d+)' --group 1 --sum 2 logs",
        "tally quay logs --by file",
        "shapes logs --show all",
        "shapes --chars logs",
        "shapes --columns berth tables",
        r"extract '(\w+) (\d+)' logs --as csv",
        r"preview 'quay (\d+)' --with 'Q$1' logs",
        r"preview 'quay (\d+)' --with 'Q$1' logs --json",
        r"preview 'quay (\d+)' --with 'Q$1' logs --kinds",
        r"preview 'quay (\d)' --with 'Q$1' logs --against before.plan",
        r"preview 'quay (\d+)' --with 'Q$1' logs --diff",
        r"preview quay --with '${@number}' logs --show 70",
        "preview quay --with pier --ensure pier logs",
        "preview quay --with pier --limit 900 logs --json",
        "preview quay --with pier --pick 'last-9..' --per run logs --json",
        r"preview 'berth (\d)' --with 'B-$1' --columns berth tables",
    ];
    for line in lines {
        let run = |threads: u32| port.run(&format!("{line} --threads {threads}"));
        let seen = |got: Got| (got.status, got.out, got.err);
        let alone = seen(run(1));
        assert_ne!(alone.0, 2, "{line}: {}", alone.2);
        assert!(alone.1.len() > 20, "{line}: {}", alone.1);
        for threads in [2, 8] {
            assert_eq!(seen(run(threads)), alone, "{line}, {threads} threads");
        }
    }
    let got = port.run("find quay logs --threads 0");
    assert_eq!(got.status, 2, "{got:?}");
}

/// A large file is evaluated in parts, on several threads.
#[test]
fn parts_do_not_matter() {
    let line = |i: usize| match i % 60 {
        0 => format!("quay {} is closed\r\n", i % 7),
        1 => format!("berth {i}\n"),
        2 if i.is_multiple_of(7) => "berth x\n".to_owned(),
        n => "wind and swell ".repeat(n % 9 * 5) + "\n",
    };
    // More than four times what is read at a time, and the last line without an end.
    let text: String = (0..16_000).map(line).collect::<String>() + "quay 9";
    assert!(text.len() > 4 << 20);
    let port = Sandbox::with("gauge.log", &text);
    port.run(r"preview 'quay (\d+)' --with 'Q$1' --save-plan before.plan")
        .ok();
    let lines = [
        r"preview 'quay (\d+)' --with 'Q$1' --show 50",
        r"preview 'quay (\d+)' --with 'Q$1 in ${@line}' --json",
        r"preview 'quay (\d+)' --with 'Q$1' --kinds",
        r"preview 'quay (\d)' --with 'Q$1' --against before.plan",
        "preview quay --below 'as told' --lines 8000.. --json",
        "preview 'quay (.)' --drop-lines --then berth --with pier --lines 8000.. --json",
        r"preview 'berth (\w+)' --with 'B-${1 | add 1}' --skip-problems",
        "preview quay --with pier --ensure 'quay|swell' --where closed",
        "preview quay --with '${@number}' --pick '3..' --per file --json",
        "apply quay --with pier --expect 3 --yes",
        "find 'quay .' --show 30",
        "find 'quay .' --json",
        "find quay --count --each --lines 8000..",
        "find --missing 'swell|berth' --show 2000",
        "find --missing 'swell|berth' --bare",
        "find quay --paths",
        "find quay --pick last --per file --json",
        "check 'quay|swell|berth .'",
        "check --forbid 'berth .7' --json",
        r"tally '(quay|berth) (\d+)' --group 1 --sum 2",
        "shapes",
        r"extract 'quay (\d)' --as csv",
    ];
    for line in lines {
        same_on_threads(&port, &format!("{line} gauge.log"), &[2, 8]);
    }
    // In place, elsewhere, and through a pipe.
    let wanted = text.replace("quay", "the quay");
    let line = "apply quay --with 'the quay' --threads 3";
    assert!(port.pipe(&text, line).out == wanted);
    port.run(&format!("{line} gauge.log --to new/gauge.log"))
        .ok();
    assert!(port.text("new/gauge.log") == wanted);
    port.run(&format!("{line} gauge.log --yes")).ok();
    assert!(port.text("gauge.log") == wanted);
}

fn same_on_threads(port: &Sandbox, line: &str, several: &[u32]) {
    let run = |threads: u32| {
        let got = port.run(&format!("{line} --threads {threads}"));
        (got.status, got.out, got.err)
    };
    let alone = run(1);
    assert_ne!(alone.0, 2, "{line}: {}", alone.2);
    for threads in several {
        assert!(run(*threads) == alone, "{line}, {threads} threads");
    }
}

/// So are rows; what is said of the columns of all of them is said once.
#[test]
fn parts_of_rows_do_not_matter() {
    let line = |i: usize| match i % 50 {
        7 if i == 30_007 => "{\"berth\": \n".to_owned(),
        8 => "\n".to_owned(),
        9 => format!("{{\"berth\": {i}}}\n"),
        10 => format!("{{\"pilot\": \"Ines {i}\"}}\n"),
        n => format!(
            "{{\"berth\": \"berth {n}\", \"notes\": [\"fog\", \"{}\"]}}\n",
            "calm ".repeat(n)
        ),
    };
    let text: String = (0..32_000).map(line).collect();
    assert!(text.len() > 4 << 20);
    let port = Sandbox::with("moorings.jsonl", &text);
    let row = |i: usize| match i % 50 {
        // What is open is closed twenty rows on.
        7 if i == 30_007 => "\"berth\n".to_owned(),
        8 => "\r\n".to_owned(),
        9 => format!("{i}\n"),
        10 => format!("\"berth\n\"\"{i}\"\"\",\"fog, calm\"\r\n"),
        n => format!("berth {n},fog {}\n", "calm ".repeat(n)),
    };
    let rows: String = (0..32_000).map(row).collect();
    port.write("moorings.csv", format!("\nberth,notes\n{rows}"));
    port.write("no-names.csv", &rows);
    for line in [
        r"preview '^berth (\d)$' --with 'B-$1' --columns berth --json",
        r"preview '\d' --with 'n' --columns berth,/notes/- --show 40",
        r"preview 'calm' --with 'still' --unit cell --pick last --per row",
        r"preview '\d+' --with '${@number}' --columns berth",
        r"preview '\d' --with n --columns berth --into place",
        r"preview '\d' --drop-lines --columns berth --where-in /notes/0 fog",
        "find calm --columns /notes/1 --count --each",
        "find x --columns /nowhere",
        "check '^berth' --columns berth",
        r"tally '(\w+) \d' --columns berth --by row",
        "shapes --columns berth",
        r"extract '\d+' --columns berth",
        r"extract '\d' --columns berth --counts --as csv",
        r"extract '\d' --columns berth --as jsonl",
        r"extract '\d' --columns berth --beside --as csv",
    ] {
        let of_table = line
            .replace("/notes/-", "notes")
            .replace("/notes/0 fog", "berth 'berth 7'")
            .replace("/notes/1", "notes")
            .replace("/nowhere", "nowhere");
        let of_no_names = of_table.replace("berth --", "1 --");
        for line in [
            format!("{line} moorings.jsonl"),
            format!("{of_table} moorings.csv"),
            format!("{of_no_names} no-names.csv --no-header"),
        ] {
            match port.run(&line).status {
                2 => assert_eq!(
                    port.run(&line).err,
                    port.run(&format!("{line} --threads 1")).err
                ),
                _ => same_on_threads(&port, &line, &[3]),
            }
        }
    }
}

/// Rows are numbered in the whole file, on the other side of one that is too long to be shared out, too.
#[test]
fn rows_behind_a_very_long_one_are_numbered() {
    let row = |i: usize| format!("{i},{}\n", "calm ".repeat(40));
    let rows: String = (0..10_000).map(row).collect();
    let long = format!("\"{}\",quay\n", "calm\n".repeat(1_900_000));
    let port = Sandbox::with("berths.csv", [&*rows, &*long, &*rows].concat());
    let line = "extract '99$' --columns 1 --no-header --as csv berths.csv";
    same_on_threads(&port, line, &[2]);
    assert!(port.run(line).out.contains("berths.csv,19901,"));
    same_on_threads(
        &port,
        "extract '9{2},' --as jsonl berths.csv --unit line",
        &[2],
    );
}

/// A copy made while it is evaluated is what a filter makes of it, piece by piece.
#[test]
fn copies_are_what_a_filter_makes() {
    let port = port();
    let long = "gauge and quay 7 without an end ".repeat(40_000);
    port.write("logs/long.txt", format!("quay 1\n{long}\nquay 2"));
    port.write("logs/marked.txt", b"\xEF\xBB\xBFquay 3\nquay 4\n");
    port.write("logs/wide.txt", b"\xFF\xFEq\0u\0a\0y\0 \x007\0\n\0");
    port.write("logs/empty.txt", b"");
    let rewrites = [
        r"'quay (\d+)' --with 'the quay of number $1'",
        "quay --drop-lines",
        "quay --below 'as told' --lines last-3..",
        r"'(?m)\z' --with ' <end>' --unit text",
    ];
    for (number, rewrite) in rewrites.into_iter().enumerate() {
        let out = format!("out{number}");
        port.run(&format!("apply {rewrite} logs --to {out} --threads 2"))
            .ok();
        let names = [
            "part0/log7.txt",
            "part1/log57.txt",
            "long.txt",
            "marked.txt",
        ];
        for name in names.into_iter().chain(["wide.txt", "empty.txt"]) {
            let source = format!("logs/{name}");
            let filtered = port.pipe(port.read(&source), &format!("apply {rewrite} --expect 0.."));
            assert_eq!(filtered.status, 0, "{rewrite}: {}", filtered.err);
            let copied = port.read(&format!("{out}/{source}"));
            assert!(copied == filtered.raw, "{rewrite}, {name}");
        }
        assert!(!port.file(&format!("{out}/logs/image.txt")).exists());
    }
    // A guard that fails leaves nothing behind, nor does a file in the way.
    let before = port.snapshot();
    for line in [
        "apply quay --with pier logs --to new/deep --expect 1",
        "apply quay --with pier logs --to out0",
    ] {
        assert_ne!(port.run(line).status, 0, "{line}");
        assert!(port.snapshot() == before, "{line}");
        assert!(!port.file("new").exists(), "{line}");
    }
}

/// Starts the program on a file with many changes and, where that is asked for, on a pipe that
/// is held open.
fn stuck(port: &Sandbox, line: &str) -> (Child, Option<File>) {
    port.write("a.txt", "quay 7\n".repeat(200_000));
    let pipe = port.file("z.pipe");
    let mode = rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR;
    rustix::fs::mkfifoat(rustix::fs::CWD, &pipe, mode).unwrap();
    let mut command = port.command();
    command.args(line.split(' ')).stdin(Stdio::null());
    command.stdout(Stdio::piped()).stderr(Stdio::piped());
    let child = command.spawn().unwrap();
    // It can be opened once the program reads it.
    let writer = line.contains("z.pipe").then(|| {
        let mut writer = File::options().write(true).open(pipe).unwrap();
        writer.write_all(b"quay 8\n").unwrap();
        writer
    });
    (child, writer)
}

#[test]
fn an_interrupt_leaves_no_half_line_and_no_plan() {
    for line in [
        "preview quay --with pier --show all --threads 2 a.txt z.pipe",
        "preview quay --with pier --json --threads 2 a.txt z.pipe",
        "find quay --json --threads 1 a.txt",
        "apply quay --with pier --to out/in a.txt z.pipe",
    ] {
        let port = Sandbox::new();
        let (mut child, writer) = stuck(&port, line);
        let before = port.read("a.txt");
        let mut start = Vec::new();
        if writer.is_none() {
            // By now it waits until more of its output is read.
            start.resize(1000, 0);
            let out = child.stdout.as_mut().unwrap();
            out.read_exact(&mut start).unwrap();
        }
        kill_process(Pid::from_child(&child), Signal::INT).unwrap();
        drop(writer);
        let done = child.wait_with_output().unwrap();
        let err = String::from_utf8_lossy(&done.stderr);
        let signal = done.status.signal();
        assert_eq!(signal, Some(Signal::INT.as_raw()), "{line}: {err}");
        assert!(err.contains("Nothing has been written"), "{line}: {err}");
        let out = done.stdout;
        assert!(out.is_empty() || out.ends_with(b"\n"), "{line}");
        assert_eq!(start.is_empty(), line.contains("z.pipe"), "{line}");
        assert_eq!(port.read("a.txt"), before, "{line}");
        assert!(!port.file("out").exists(), "{line}");
        let got = port.run("apply --yes");
        assert!(
            got.err.contains("no preview to go on with"),
            "{line}: {got:?}"
        );
    }
}

#[test]
fn a_preview_outlives_its_reader() {
    let port = Sandbox::with("a.txt", "quay 7\n".repeat(40_000));
    let mut command = port.command();
    command.args([
        "preview", "quay", "--with", "pier", "--show", "all", "a.txt",
    ]);
    let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
    let mut start = [0; 1000];
    child.stdout.take().unwrap().read_exact(&mut start).unwrap();
    assert!(child.wait().unwrap().success());
    // The plan holds what was not read, too.
    let got = port.run("apply --yes").ok();
    assert!(got.out.contains("40,000 changes"), "{got:?}");
    assert_eq!(port.text("a.txt"), "pier 7\n".repeat(40_000));
}
