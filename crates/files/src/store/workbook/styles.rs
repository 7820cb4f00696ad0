//! Looks of cells, as far as they say that a number is a day or a time.

use super::xml::{Met, Xml, attribute};
use brisk_quill_core::calendar::{clock, date};
use std::collections::HashMap;
use std::io;

/// For each style of a cell, true if its number is shown as a date.
pub fn date_styles(xml: &[u8], name: &str) -> io::Result<Vec<bool>> {
    let mut reader = Xml::new(xml, name);
    let (mut formats, mut dates) = (HashMap::new(), Vec::new());
    let mut in_cells = false;
    loop {
        match reader.next()? {
            Met::Eof => return Ok(dates),
            Met::Start {
                name: "numFmt",
                tag,
                ..
            } => {
                let id = attribute(&tag, "numFmtId");
                let code = attribute(&tag, "formatCode").unwrap_or_default();
                formats.extend(id.map(|id| (id, is_date(&code))));
            }
            Met::Start {
                name: "cellXfs",
                is_empty,
                ..
            } => in_cells = !is_empty,
            Met::End {
                name: "cellXfs", ..
            } => in_cells = false,
            Met::Start {
                name: "xf", tag, ..
            } if in_cells => {
                let id = attribute(&tag, "numFmtId").unwrap_or_default();
                let known = matches!(id.parse::<u32>(), Ok(14..=22 | 45..=47));
                dates.push(formats.get(&id).copied().unwrap_or(known));
            }
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
}

/// True if a number format shows parts of a date or of a time.
fn is_date(code: &str) -> bool {
    let (mut quoted, mut bracketed) = (false, false);
    let mut signs = code.chars();
    while let Some(sign) = signs.next() {
        match sign {
            '\\' | '_' | '*' => drop(signs.next()),
            '"' => quoted = !quoted,
            '[' => bracketed = true,
            ']' => bracketed = false,
            'y' | 'm' | 'd' | 'h' | 's' | 'Y' | 'D' | 'H' | 'S' if !quoted && !bracketed => {
                return true;
            }
            _ => {}
        }
    }
    false
}

/// A day and time as ISO 8601 writes it, for a number of days; `from_1904` says where the count begins.
pub fn date_of(number: f64, from_1904: bool) -> Option<String> {
    if !(0.0..2_958_466.0).contains(&number) {
        return None;
    }
    let seconds = (number.fract() * 86_400.0).round() as i64;
    let whole = number.trunc() as i64 + seconds / 86_400;
    // The day 60 of the count from 1900 was never there.
    let days = match from_1904 {
        true => whole - 24_107,
        false => whole - 25_569 + i64::from(whole < 60),
    };
    let seconds = seconds % 86_400;
    let (date, time) = (date(days), clock(seconds));
    Some(match (number < 1.0, seconds) {
        (true, _) => time,
        (false, 0) => date,
        (false, _) => format!("{date}T{time}"),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn days_and_times() {
        for (number, from_1904, wanted) in [
            (45_413.0, false, "2024-05-01"),
            (45_413.75, false, "2024-05-01T18:00:00"),
            (0.5, false, "12:00:00"),
            (1.0, false, "1900-01-01"),
            (61.0, false, "1900-03-01"),
            (43_951.0, true, "2024-05-01"),
        ] {
            assert_eq!(
                date_of(number, from_1904).as_deref(),
                Some(wanted),
                "{number}"
            );
        }
        for (code, wanted) in [
            ("yyyy\\-mm\\-dd", true),
            ("0.00\" days\"", false),
            ("[Red]0", false),
        ] {
            assert_eq!(is_date(code), wanted, "{code}");
        }
    }
}
