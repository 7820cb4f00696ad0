//! Families of everyday texts: addresses, sizes, logs, queries, lists. Written after all others had been tried.

use super::{FIRST, LAST, PLACE, Rule, STATE, THING, stays};

const LEVEL: &[&str] = &["INFO", "WARN", "ERROR", "DEBUG"];
const MONTH: &[&str] = &["Jan", "Feb", "Mar", "Apr", "Jun", "Sep", "Oct", "Dec"];

pub const EVERYDAY: &[(&str, Rule)] = &[
    ("a street and its number", |dice| {
        let (street, number) = (dice.of(LAST), dice.from(1, 140));
        (
            format!("{number} {street} Street"),
            format!("{street} Street {number}"),
        )
    }),
    ("a town behind its code", |dice| {
        let (code, town) = (dice.from(1000, 9899), dice.of(LAST));
        (format!("{code} {town}"), format!("{town} ({code})"))
    }),
    ("sizes with a blank", |dice| {
        let (thing, size) = (dice.of(THING), dice.from(1, 900));
        let unit = dice.of(&["kB", "MB", "GB"]);
        (
            format!("{thing}.csv {size}{unit}"),
            format!("{thing}.csv {size} {unit}"),
        )
    }),
    ("a level in brackets", |dice| {
        let (level, thing, number) = (dice.of(LEVEL), dice.of(THING), dice.from(1, 60));
        (
            format!("{level} {thing} {number} checked"),
            format!("[{level}] {thing} {number} checked"),
        )
    }),
    ("days of a month in words", |dice| {
        let (day, month, year) = (dice.from(1, 28), dice.of(MONTH), dice.from(2019, 2032));
        (
            format!("{month} {day}, {year}"),
            format!("{day} {month} {year}"),
        )
    }),
    ("a join with a name of its own", |dice| {
        let (table, other) = (dice.of(PLACE), dice.of(THING));
        (
            format!("JOIN {table} ON {table}.id = {other}.id"),
            format!("INNER JOIN {table} ON {table}.id = {other}.id"),
        )
    }),
    ("an import of one name", |dice| {
        let (module, name) = (dice.of(PLACE), dice.of(THING));
        match dice.below(4) {
            0 => stays(format!("import {module}")),
            _ => (
                format!("import {module}.{name}"),
                format!("from {module} import {name}"),
            ),
        }
    }),
    ("feet with their unit", |dice| {
        let (place, number) = (dice.of(PLACE), dice.from(3, 60));
        match dice.below(3) {
            0 => stays(format!("{place} {number} m")),
            _ => (format!("{place} {number}'"), format!("{place} {number} ft")),
        }
    }),
    ("a phone number in groups", |dice| {
        let (area, first, second) = (
            dice.from(20, 89),
            dice.from(100, 999),
            dice.from(1000, 9999),
        );
        (
            format!("0{area}{first}{second}"),
            format!("0{area} {first} {second}"),
        )
    }),
    ("keys without quotes", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 99));
        (
            format!("\"{thing}\": {number},"),
            format!("{thing}: {number},"),
        )
    }),
    ("a status behind a dash", |dice| {
        let (place, number, state) = (dice.of(PLACE), dice.from(1, 40), dice.of(STATE));
        match dice.below(4) {
            0 => stays(format!("{place} {number}")),
            _ => (
                format!("{place} {number} - {state}"),
                format!("{place} {number} ({state})"),
            ),
        }
    }),
    ("hours on a clock of twelve", |dice| {
        let (hour, minute) = (dice.from(1, 11), dice.from(10, 59));
        let half = dice.of(&["am", "pm"]);
        (
            format!("{hour}:{minute}{half}"),
            format!("{hour}:{minute} {}", half.to_uppercase()),
        )
    }),
    ("numbers of berths with three digits", |dice| {
        let (place, number) = (dice.of(PLACE), dice.from(1, 99));
        (format!("{place}-{number}"), format!("{place}-{number:03}"))
    }),
    ("a comment of another language", |dice| {
        let (thing, number) = (dice.of(THING), dice.from(1, 30));
        match dice.below(3) {
            0 => stays(format!("set {thing} {number}")),
            _ => (
                format!("# {thing} {number} is new"),
                format!("// {thing} {number} is new"),
            ),
        }
    }),
    ("a list of two with and", |dice| {
        let (one, other) = (dice.of(FIRST), dice.of(LAST));
        (format!("{one}, {other}"), format!("{one} and {other}"))
    }),
    ("an old table name", |dice| {
        let (column, number) = (dice.of(THING), dice.from(1, 90));
        let table = dice.of(&["mooring", "tide", "notice"]);
        (
            format!("UPDATE tbl_{table} SET {column} = {number}"),
            format!("UPDATE {table}s SET {column} = {number}"),
        )
    }),
    ("a tag for what is bold", |dice| {
        let (thing, state) = (dice.of(THING), dice.of(STATE));
        match dice.below(4) {
            0 => stays(format!("the {thing} is {state}")),
            _ => (
                format!("the **{thing}** is {state}"),
                format!("the <b>{thing}</b> is {state}"),
            ),
        }
    }),
    ("decimals with a comma", |dice| {
        let (place, whole, part) = (dice.of(PLACE), dice.from(1, 40), dice.from(0, 99));
        match dice.below(4) {
            0 => stays(format!("{place}, v{whole}.{part}.1")),
            _ => (
                format!("{place} {whole}.{part:02} m"),
                format!("{place} {whole},{part:02} m"),
            ),
        }
    }),
    ("a ratio of two", |dice| {
        let (one, all) = (dice.from(1, 30), dice.from(31, 90));
        (format!("{one} of {all}"), format!("{one}/{all}"))
    }),
    ("a suffix of a version", |dice| {
        let (thing, major, minor) = (dice.of(THING), dice.from(0, 9), dice.from(0, 30));
        match dice.below(3) {
            0 => stays(format!("{thing}-{major}.{minor}")),
            _ => (
                format!("{thing}-{major}.{minor}-rc{}", dice.from(1, 4)),
                format!("{thing}-{major}.{minor}"),
            ),
        }
    }),
];
