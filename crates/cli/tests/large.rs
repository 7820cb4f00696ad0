//! Files larger than what is read at a time: numbers and offsets go on over the borders.

use crate::support::Sandbox;

/// Bytes read at a time.
const PIECE: usize = 1 << 20;

/// A log of three pieces and a bit, with its lines; one in 97 reports a level.
fn log() -> (String, Vec<(u64, usize)>) {
    let mut text = String::new();
    let mut levels = Vec::new();
    for n in 0.. {
        if text.len() > 3 * PIECE + 1000 {
            break;
        }
        if n % 97 == 5 {
            levels.push((n as u64 + 1, text.len() + "gauge ".len()));
            text.push_str("gauge level 2.10\r\n");
        } else {
            text.push_str(&"wind and swell ".repeat(n % 5));
            text.push('\n');
        }
    }
    (text, levels)
}

#[test]
fn matches_are_where_they_are() {
    let (text, levels) = log();
    let port = Sandbox::with("gauge.log", &text);
    let of = |record: &serde_json::Value| {
        let number = |key: &str| record[key].as_u64().unwrap();
        (number("line"), number("from") as usize)
    };
    // Conditions that see every line, that see the line's number, and none.
    let half = levels.len() / 2;
    let border = levels[half].0;
    let cases = [
        (String::new(), &levels[..]),
        (format!("--lines {border}.."), &levels[half..]),
        ("--between '^gauge level' '^gauge level'".into(), &levels),
        ("--near '^gauge' 0".into(), &levels),
        ("--where gauge --unless swell".into(), &levels),
        ("--pick 3.. --per file".into(), &levels[2..]),
    ];
    for (options, wanted) in cases {
        let found = port.run(&format!("find level {options} --json gauge.log"));
        let found: Vec<_> = found.of_kind("match").iter().map(of).collect();
        assert_eq!(found, wanted, "{options}");
        let seen = port.run(&format!(
            "preview level --with mark {options} --json gauge.log"
        ));
        let seen: Vec<_> = seen.of_kind("change").iter().map(of).collect();
        assert_eq!(seen, wanted, "{options}");
    }
    // Lines that are added and removed move no number of the original.
    let steps = "preview '^$' --drop-lines --then level --with mark --json gauge.log";
    let seen = port.run(steps);
    let marks: Vec<_> = seen
        .of_kind("change")
        .iter()
        .filter(|change| change["after"] == "mark")
        .map(of)
        .collect();
    assert_eq!(marks, levels);
}

#[test]
fn cells_lie_across_the_borders() {
    // Quoted cells of many lines, so that most borders lie within one.
    let remark = "berth 7, \"\"fresh\"\" water\n".repeat(2_000);
    let row = |n: usize| format!("{n},berth {},\"{remark}\"\n", n % 9);
    let rows: String = (0..70).map(row).collect();
    assert!(rows.len() > 3 * PIECE);
    let port = Sandbox::with("moorings.csv", format!("id,berth,remark\n{rows}"));
    port.run("apply 'berth (\\d)' --with 'B-$1' --columns berth moorings.csv --to new.csv")
        .ok();
    let wanted: String = (0..70)
        .map(|n| format!("{n},B-{},\"{remark}\"\n", n % 9))
        .collect();
    assert!(port.text("new.csv") == format!("id,berth,remark\n{wanted}"));
    let found = port.run("find 'berth (\\d)' --columns berth --json moorings.csv");
    let found = found.of_kind("match");
    assert_eq!(found.len(), 70);
    for (n, record) in found.iter().enumerate() {
        // Each row has 2,001 lines.
        assert_eq!(record["line"], 2 + n * 2_001);
    }
}

#[test]
fn sums_keep_their_digits() {
    let cases = [
        (&["1,5", "2,25"][..], "3,75"),
        (&["-1.5", "1.5"], "0.0"),
        (&["2,5", "2,5", "-3", "-3", "1", "-3"], "-3,0"),
        (&["0", "0,10"], "0,10"),
        (&["7"], "7"),
        (&["0.1", "0.2"], "0.3"),
        (&["99999999999999999999", "1"], "100000000000000000000"),
    ];
    for (numbers, sum) in cases {
        let port = Sandbox::new();
        for (n, number) in numbers.iter().enumerate() {
            port.write(&format!("{n}.log"), format!("level {number}\n"));
        }
        let line = "tally '(level) (\\S+)' --group 1 --sum 2 --json .";
        for threads in ["", " --threads 1", " --threads 3"] {
            let got = port.run(&format!("{line}{threads}")).ok();
            assert_eq!(got.of_kind("value")[0]["sum"], sum, "{numbers:?}{threads}");
        }
    }
}
