//! Families that were written after the others had been tried, and before inference was tried on them.

use super::{Dice, FIRST, LAST, PLACE, Rule, STATE, THING, stays};

/// A number in hexadecimal with this many digits, as hashes are written.
fn hash(dice: &mut Dice, digits: usize) -> String {
    (0..digits)
        .map(|_| {
            dice.of(&[
                "0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "a", "b", "c", "d", "e", "f",
            ])
        })
        .collect()
}

pub const LATEST: &[(&str, Rule)] = &[
    ("a hash is cut short", |dice| {
        let (hash, pilot) = (hash(dice, 40), dice.from(1, 40));
        let short = &hash[..8];
        (
            format!("log {hash} by pilot {pilot}"),
            format!("log {short} by pilot {pilot}"),
        )
    }),
    ("a remark in brackets goes", |dice| {
        let (number, depth) = (dice.from(1, 40), dice.from(3, 19));
        let after = format!("berth {number}, depth {depth}");
        match dice.below(4) {
            0 => stays(after),
            _ => {
                let remark = dice.of(STATE);
                let before = format!("berth {number} ({remark}), depth {depth}");
                (before, after)
            }
        }
    }),
    ("a duration as on a clock", |dice| {
        let (hours, minutes) = (dice.from(0, 14), dice.from(0, 59));
        (
            format!("{hours}h{minutes:02}m"),
            format!("{hours:02}:{minutes:02}"),
        )
    }),
    ("pairs of keys and values", |dice| {
        let (pilot, number) = (dice.of(FIRST), dice.from(1, 60));
        (
            format!("pilot={pilot};berth={number}"),
            format!("pilot: {pilot}, berth: {number}"),
        )
    }),
    ("settings become names of the surroundings", |dice| {
        let (place, thing) = (dice.of(PLACE), dice.of(THING));
        let state = dice.of(&["max", "min", "mean"]);
        let before = format!("{place}.{thing}.{state}");
        let after = before.replace('.', "_").to_uppercase();
        (before, after)
    }),
    ("a currency moves behind", |dice| {
        let (whole, part) = (dice.from(1, 990), dice.from(10, 99));
        (format!("EUR {whole}.{part}"), format!("{whole}.{part} EUR"))
    }),
    ("a remark at the end of a line goes", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 90));
        let after = format!("set_{thing}({number});");
        match dice.below(3) {
            0 => stays(after),
            _ => (format!("{after} // {}", dice.of(STATE)), after),
        }
    }),
    ("an address that no machine reads", |dice| {
        let (first, last) = (dice.of(FIRST).to_lowercase(), dice.of(LAST).to_lowercase());
        (
            format!("{first}.{last}@port.example"),
            format!("{first}.{last} (at) port.example"),
        )
    }),
    ("links that are not safe yet", |dice| {
        let (place, number) = (dice.of(PLACE), dice.from(1, 90));
        match dice.below(3) {
            0 => stays(format!("https://port.example/{place}/{number}")),
            1 if dice.below(2) == 0 => stays(format!("ftp://port.example/{place}/{number}")),
            _ => (
                format!("http://port.example/{place}/{number}"),
                format!("https://port.example/{place}/{number}"),
            ),
        }
    }),
    ("one version of two", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 90));
        match dice.below(3) {
            0 => stays(format!("{thing}-{number}-v1.1.csv")),
            _ => (
                format!("{thing}-{number}-v1.2.csv"),
                format!("{thing}-{number}-v1.3.csv"),
            ),
        }
    }),
    ("a number in words of old", |dice| {
        let (place, number) = (dice.of(PLACE), dice.from(1, 90));
        (
            format!("{place} No. {number}"),
            format!("{place} #{number}"),
        )
    }),
    ("texts in quotes, numbers not", |dice| {
        let (thing, state, number) = (dice.of(THING), dice.of(STATE), dice.from(1, 90));
        match dice.below(3) {
            0 => stays(format!("{thing}: {number}")),
            _ => (format!("{thing}: {state}"), format!("{thing}: \"{state}\"")),
        }
    }),
    ("a sign between thousands", |dice| {
        let (thousands, rest) = (dice.from(1, 90), dice.from(100, 999));
        match dice.below(4) {
            0 => stays(format!("{rest} t")),
            _ => (
                format!("{thousands}{rest} t"),
                format!("{thousands},{rest} t"),
            ),
        }
    }),
    ("more than one", |dice| {
        let thing = dice.of(&["gauge", "buoy", "crane", "pump", "lamp", "anchor"]);
        match dice.below(4) {
            0 => stays(format!("1 {thing}")),
            _ => {
                let number = dice.from(2, 40);
                (format!("{number} {thing}"), format!("{number} {thing}s"))
            }
        }
    }),
    ("a position without signs", |dice| {
        let (degrees, minutes) = (dice.from(10, 70), dice.from(10, 59));
        let side = dice.of(&["N", "S"]);
        (
            format!("{degrees}°{minutes}'{side}"),
            format!("{degrees} {minutes} {side}"),
        )
    }),
    ("a field that is empty", |dice| {
        let (thing, number, state) = (dice.of(THING), dice.from(1, 99), dice.of(STATE));
        match dice.below(2) {
            0 => stays(format!("{thing};{number};{state}")),
            _ => (format!("{thing};;{state}"), format!("{thing};none;{state}")),
        }
    }),
];
