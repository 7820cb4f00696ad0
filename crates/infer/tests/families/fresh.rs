//! Families that were written once the costs of all others had been set, to see how far these hold.

use super::{FIRST, LAST, PLACE, Rule, STATE, THING, stays};

pub const FRESH: &[(&str, Rule)] = &[
    ("a box that is ticked", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 90));
        match dice.below(4) {
            0 => stays(format!("[ ] check {thing} {number}")),
            _ => (
                format!("[x] check {thing} {number}"),
                format!("done: check {thing} {number}"),
            ),
        }
    }),
    ("a column with its type", |dice| {
        let (thing, place) = (dice.of(THING), dice.of(PLACE));
        let kind = dice.of(&["INT", "TEXT", "REAL"]);
        (
            format!("{place}_{thing} {kind},"),
            format!("{place}_{thing} {kind} NOT NULL,"),
        )
    }),
    ("an answer code goes first", |dice| {
        let (code, place, number) = (dice.from(200, 504), dice.of(PLACE), dice.from(1, 80));
        (
            format!("GET /{place}/{number} {code}"),
            format!("{code} GET /{place}/{number}"),
        )
    }),
    ("a name becomes an account", |dice| {
        let (first, last) = (dice.of(FIRST), dice.of(LAST));
        (
            format!("{first} {last}"),
            format!("{}.{}", first.to_lowercase(), last.to_lowercase()),
        )
    }),
    ("an old ending of files", |dice| {
        let (thing, day) = (dice.of(THING), dice.from(1, 28));
        let ending = dice.of(&["jpeg", "jpeg", "png"]);
        (
            format!("{thing}_{day}.{ending}"),
            format!("{thing}_{day}.{}", ending.replace("jpeg", "jpg")),
        )
    }),
    ("an assignment with a type", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 99));
        match dice.below(4) {
            0 => stays(format!("return {thing};")),
            _ => (
                format!("var {thing} = {number};"),
                format!("let {thing}: u32 = {number};"),
            ),
        }
    }),
    ("degrees in words", |dice| {
        let (place, degrees) = (dice.of(PLACE), dice.from(1, 30));
        (
            format!("{place}: {degrees}°C"),
            format!("{place}: {degrees} degrees"),
        )
    }),
    ("a range of years in short", |dice| {
        let from = dice.from(2001, 2040);
        let to = from + dice.from(1, 9);
        (format!("{from}-{to}"), format!("{from}/{:02}", to % 100))
    }),
    ("a key of the settings is renamed", |dice| {
        let number = dice.from(1, 600);
        match dice.below(3) {
            0 => stays(format!("retries = {number}")),
            1 => stays(format!("depth = {number}")),
            _ => (
                format!("timeout = {number}"),
                format!("timeout_seconds = {number}"),
            ),
        }
    }),
    ("a state without its brackets", |dice| {
        let (place, number, state) = (dice.of(PLACE), dice.from(1, 60), dice.of(STATE));
        (
            format!("<{state}> {place} {number}"),
            format!("{state}: {place} {number}"),
        )
    }),
    ("names in a table of three", |dice| {
        let (first, last, number) = (dice.of(FIRST), dice.of(LAST), dice.from(10, 99));
        (
            format!("{last},{first},{number}"),
            format!("{first},{last},{number}"),
        )
    }),
    ("a plural in brackets", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(2, 60));
        (format!("{number} {thing}(s)"), format!("{number} {thing}s"))
    }),
    ("seconds with their fraction cut", |dice| {
        let (minute, second, part) = (dice.from(10, 59), dice.from(10, 59), dice.from(100, 999));
        let thing = dice.of(THING);
        (
            format!("10:{minute}:{second}.{part} {thing}"),
            format!("10:{minute}:{second} {thing}"),
        )
    }),
    ("a link in another markup", |dice| {
        let (place, thing) = (dice.of(PLACE), dice.of(THING));
        match dice.below(4) {
            0 => stays(format!("see the {thing} of the {place}")),
            _ => (
                format!("see [{thing}](/{place})"),
                format!("see <a href=\"/{place}\">{thing}</a>"),
            ),
        }
    }),
];
