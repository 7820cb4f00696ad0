//! Values of columns as they are written in a line, and read out of one.

use super::schema::{Kind, NANOS};
use brisk_quill_core::calendar::{clock, date};
use parquet::data_type::{ByteArray, FixedLenByteArray, Int96};
use serde::Serialize;

/// Days from the beginning of Julian days to 1970.
const JULIAN_1970: i64 = 2_440_588;
/// Seconds of a day.
const DAY: i64 = 86_400;

/// A value of a column.
pub trait Cell: Sized {
    /// Adds it to a line; false where it cannot be written anew.
    fn show(&self, kind: Kind, line: &mut Vec<u8>) -> bool;

    /// The value that `json` means in a column of this kind; `None` where it is none.
    fn read(json: &[u8], kind: Kind) -> Option<Self>;
}

fn object(line: &mut Vec<u8>, kind: &str, shown: &str) {
    line.extend_from_slice(format!("{{\"{kind}\":{}}}", serde_json::Value::from(shown)).as_bytes());
}

/// Bytes that are left alone, by their number.
fn counted(line: &mut Vec<u8>, kind: &str, length: usize) {
    line.extend_from_slice(format!("{{\"{kind}\":{length}}}").as_bytes());
}

impl Cell for bool {
    fn show(&self, _: Kind, line: &mut Vec<u8>) -> bool {
        line.extend_from_slice(if *self { b"true" } else { b"false" });
        false
    }

    fn read(_: &[u8], _: Kind) -> Option<Self> {
        None
    }
}

impl Cell for i32 {
    fn show(&self, kind: Kind, line: &mut Vec<u8>) -> bool {
        let value = match kind {
            Kind::Whole {
                is_signed: false, ..
            } => i64::from(self.cast_unsigned()),
            _ => i64::from(*self),
        };
        show_whole(value.into(), kind, line)
    }

    fn read(json: &[u8], kind: Kind) -> Option<Self> {
        let value = read_whole(json, kind)?;
        let unsigned = || u32::try_from(value).ok().map(u32::cast_signed);
        Self::try_from(value).ok().or_else(unsigned)
    }
}

impl Cell for i64 {
    fn show(&self, kind: Kind, line: &mut Vec<u8>) -> bool {
        let value = match kind {
            Kind::Whole {
                is_signed: false, ..
            } => i128::from(self.cast_unsigned()),
            _ => i128::from(*self),
        };
        show_whole(value, kind, line)
    }

    fn read(json: &[u8], kind: Kind) -> Option<Self> {
        let value = read_whole(json, kind)?;
        let unsigned = || u64::try_from(value).ok().map(u64::cast_signed);
        Self::try_from(value).ok().or_else(unsigned)
    }
}

impl Cell for Int96 {
    fn show(&self, kind: Kind, line: &mut Vec<u8>) -> bool {
        let [low, high, day] = *self.data() else {
            return false;
        };
        let nanos = i128::from(u64::from(high) << 32 | u64::from(low));
        let days = i128::from(i64::from(day) - JULIAN_1970);
        show_whole(days * i128::from(DAY * NANOS) + nanos, kind, line)
    }

    fn read(_: &[u8], _: Kind) -> Option<Self> {
        None
    }
}

impl Cell for f32 {
    fn show(&self, _: Kind, line: &mut Vec<u8>) -> bool {
        show_real(self, self.is_finite(), line)
    }

    fn read(json: &[u8], _: Kind) -> Option<Self> {
        let value: f64 = serde_json::from_slice(json).ok()?;
        Some(value as Self).filter(|value| value.is_finite())
    }
}

impl Cell for f64 {
    fn show(&self, _: Kind, line: &mut Vec<u8>) -> bool {
        show_real(self, self.is_finite(), line)
    }

    fn read(json: &[u8], _: Kind) -> Option<Self> {
        // What is beyond the greatest one is refused as JSON.
        serde_json::from_slice(json).ok()
    }
}

impl Cell for ByteArray {
    fn show(&self, kind: Kind, line: &mut Vec<u8>) -> bool {
        show_bytes(self.data(), kind, line)
    }

    fn read(json: &[u8], kind: Kind) -> Option<Self> {
        let text: String = serde_json::from_slice(json).ok()?;
        (kind == Kind::Text).then(|| Self::from(text.into_bytes()))
    }
}

impl Cell for FixedLenByteArray {
    fn show(&self, kind: Kind, line: &mut Vec<u8>) -> bool {
        // Bytes of a fixed length cannot become longer or shorter, so they are left alone, whatever they mean.
        show_bytes(self.data(), kind, line);
        false
    }

    fn read(_: &[u8], _: Kind) -> Option<Self> {
        None
    }
}

fn show_real(value: &(impl ToString + Serialize), is_finite: bool, line: &mut Vec<u8>) -> bool {
    match is_finite {
        // Memory takes all that is written.
        true => serde_json::to_writer(line, value).unwrap_or_default(),
        false => object(line, "real", &value.to_string()),
    }
    is_finite
}

fn show_whole(value: i128, kind: Kind, line: &mut Vec<u8>) -> bool {
    match kind {
        Kind::Date => match i64::try_from(value) {
            Ok(days) => object(line, "date", &date(days)),
            Err(_) => counted(line, "blob", size_of::<i64>()),
        },
        Kind::Time { parts } => {
            let (second, part) = seconds(value, parts);
            object(line, "time", &(clock(second) + &part));
        }
        Kind::Moment { parts, is_utc } => {
            let (second, part) = seconds(value, parts);
            let (date, clock) = (date(second.div_euclid(DAY)), clock(second.rem_euclid(DAY)));
            let zone = if is_utc { "Z" } else { "" };
            object(line, "timestamp", &format!("{date}T{clock}{part}{zone}"));
        }
        Kind::Decimal { scale } => object(line, "decimal", &decimal(value, scale)),
        _ => {
            line.extend_from_slice(itoa::Buffer::new().format(value).as_bytes());
            return true;
        }
    }
    false
}

/// Seconds, and the part of one with its point, which is nothing where there is none.
fn seconds(value: i128, parts: i64) -> (i64, String) {
    let (second, part) = (
        value.div_euclid(parts.into()),
        value.rem_euclid(parts.into()),
    );
    let part = match part {
        0 => String::new(),
        part => format!(".{part:0width$}", width = parts.ilog10() as usize),
    };
    (second as i64, part)
}

fn decimal(value: i128, scale: i32) -> String {
    let scale = usize::try_from(scale).unwrap_or(0);
    let sign = if value < 0 { "-" } else { "" };
    let digits = format!("{:0width$}", value.unsigned_abs(), width = scale + 1);
    let (whole, part) = digits.split_at(digits.len() - scale);
    match part {
        "" => format!("{sign}{whole}"),
        part => format!("{sign}{whole}.{part}"),
    }
}

fn show_bytes(bytes: &[u8], kind: Kind, line: &mut Vec<u8>) -> bool {
    match (kind, std::str::from_utf8(bytes)) {
        (Kind::Text, Ok(text)) => {
            // Memory takes all that is written.
            serde_json::to_writer(line, text).unwrap_or_default();
            return true;
        }
        (Kind::Text, Err(_)) => counted(line, "text", bytes.len()),
        (Kind::Decimal { scale }, _) if bytes.len() <= size_of::<i128>() => {
            let is_negative = bytes.first().is_some_and(|byte| byte & 0x80 != 0);
            let begin = if is_negative { -1 } else { 0 };
            let value = bytes
                .iter()
                .fold(begin, |value: i128, byte| value << 8 | i128::from(*byte));
            object(line, "decimal", &decimal(value, scale));
        }
        _ => counted(line, "blob", bytes.len()),
    }
    false
}

/// A whole number that a column of this kind can hold.
fn read_whole(json: &[u8], kind: Kind) -> Option<i128> {
    let Kind::Whole { bits, is_signed } = kind else {
        return None;
    };
    let value: i128 = std::str::from_utf8(json).ok()?.parse().ok()?;
    let most = 1i128 << (bits - u8::from(is_signed)).min(64);
    let least = if is_signed { -most } else { 0 };
    (least..most).contains(&value).then_some(value)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shown(cell: &impl Cell, kind: Kind) -> (String, bool) {
        let mut line = Vec::new();
        let can_be_written = cell.show(kind, &mut line);
        (String::from_utf8(line).unwrap_or_default(), can_be_written)
    }

    #[test]
    fn values_as_they_are_written() {
        let whole = |bits, is_signed| Kind::Whole { bits, is_signed };
        let moment = Kind::Moment {
            parts: 1000,
            is_utc: true,
        };
        for (value, kind, wanted) in [
            (-7i64, whole(64, true), "-7"),
            (-1, whole(64, false), "18446744073709551615"),
            (22_399, Kind::Date, r#"{"date":"2031-04-30"}"#),
            (
                61_250,
                Kind::Time { parts: 1000 },
                r#"{"time":"00:01:01.250"}"#,
            ),
            (-1, moment, r#"{"timestamp":"1969-12-31T23:59:59.999Z"}"#),
            (-1230, Kind::Decimal { scale: 2 }, r#"{"decimal":"-12.30"}"#),
            (5, Kind::Decimal { scale: 3 }, r#"{"decimal":"0.005"}"#),
        ] {
            assert_eq!(shown(&value, kind).0, wanted, "{value} {kind:?}");
        }
        let bytes = ByteArray::from(vec![0xff, 0x38]);
        assert_eq!(
            shown(&bytes, Kind::Decimal { scale: 1 }).0,
            r#"{"decimal":"-20.0"}"#
        );
        assert_eq!(shown(&bytes, Kind::Text).0, r#"{"text":2}"#);
        assert_eq!(
            shown(&f64::NAN, Kind::Real),
            (r#"{"real":"NaN"}"#.to_owned(), false)
        );
        assert_eq!(shown(&4.5f32, Kind::Real), ("4.5".to_owned(), true));
    }

    #[test]
    fn numbers_must_fit_their_column() {
        let whole = |bits, is_signed| Kind::Whole { bits, is_signed };
        for (json, kind, wanted) in [
            ("127", whole(8, true), Some(127)),
            ("128", whole(8, true), None),
            ("255", whole(8, false), Some(255)),
            ("-1", whole(8, false), None),
            ("4294967295", whole(32, false), Some(-1)),
            ("1.5", whole(32, true), None),
            ("\"7\"", whole(32, true), None),
            ("7", Kind::Date, None),
        ] {
            assert_eq!(i32::read(json.as_bytes(), kind), wanted, "{json} {kind:?}");
        }
    }
}
