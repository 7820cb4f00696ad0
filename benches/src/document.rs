//! A JSON document: one array of many records.
//!
//! The floor reads the array record by record with the same library, and runs the same search on the
//! same member of each.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, floor, peak_of, rounds, time_of};
use regex_automata::meta::Regex;
use serde::de::{DeserializeSeed, Deserializer as _, IgnoredAny, MapAccess, SeqAccess, Visitor};
use std::fmt;
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

const PATTERN: &str = r"^berth (\d+)$";
const MEMBER: &str = "berth";

/// Measures a document of this many bytes.
pub fn run(table: &mut Table, count: usize, bytes: u64) {
    let file = corpus::document(bytes);
    let mut add = |work: &str, words: &[&str]| {
        let mut ours = bquill();
        ours.args(words).arg("--columns").arg("/-/berth").arg(&file);
        let mut bare = floor("document");
        bare.arg(&file);
        let pairs = rounds(count, || time_of(&mut bare), || time_of(&mut ours));
        let peak = peak_of(&mut ours);
        table.add(work, &Ratio::of(&pairs), 1.8, Some(peak));
    };
    add(
        "`find --count` in a JSON document",
        &["find", PATTERN, "--count"],
    );
    add(
        "`preview` of a JSON document, one record in four",
        &["preview", PATTERN, "--with", "B-$1", "--show", "0"],
    );
}

/// The work of the bare program.
pub fn bare(file: &Path) {
    let mut search = Search {
        regex: Regex::new(PATTERN).expect("a pattern"),
        found: 0,
    };
    let input = BufReader::with_capacity(1 << 16, File::open(file).expect("a document"));
    let mut reader = serde_json::Deserializer::from_reader(input);
    reader
        .deserialize_seq(&mut search)
        .expect("an array of records");
    println!("{}", search.found);
}

struct Search {
    regex: Regex,
    found: u64,
}

/// The array.
impl<'de> Visitor<'de> for &mut Search {
    type Value = ();

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("an array of records")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut records: A) -> Result<(), A::Error> {
        while records.next_element_seed(Record(self))?.is_some() {}
        Ok(())
    }
}

struct Record<'s>(&'s mut Search);

impl<'de> DeserializeSeed<'de> for Record<'_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(self, record: D) -> Result<(), D::Error> {
        record.deserialize_map(self)
    }
}

impl<'de> Visitor<'de> for Record<'_> {
    type Value = ();

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("a record")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut members: A) -> Result<(), A::Error> {
        while let Some(key) = members.next_key::<String>()? {
            if key == MEMBER {
                let value = members.next_value::<String>()?;
                self.0.found += u64::from(self.0.regex.is_match(value.as_bytes()));
            } else {
                members.next_value::<IgnoredAny>()?;
            }
        }
        Ok(())
    }
}
