//! The texts that cells share, and texts made of runs of different looks.

use super::xml::{Met, Xml, decoded, encoded, prefix};
use std::collections::HashMap;
use std::io;
use std::ops::Range;

/// The longest texts whose characters are aligned one by one.
const ALIGNED_MOST: usize = 2000;

/// A text that is shared by cells.
#[derive(Default)]
pub struct Shared {
    pub text: String,
    /// The runs that it is made of, where it has some.
    pub runs: Vec<Run>,
}

/// A part of a text with a look of its own.
#[derive(Clone)]
pub struct Run {
    /// The element that says the look, as it is written; it may be empty.
    look: String,
    text: String,
}

/// The shared texts of a workbook, and the place where more can be added.
#[derive(Default)]
pub struct Strings {
    /// One behind the other, and where each ends: there may be millions.
    texts: String,
    ends: Vec<usize>,
    /// The runs of those that have some.
    runs: HashMap<usize, Vec<Run>>,
    /// The place of the tag that ends the list.
    pub end: usize,
    /// The prefix of the names of its elements, with its colon.
    pub prefix: String,
    /// The place of the number of distinct texts.
    pub unique: Option<Range<usize>>,
}

impl Strings {
    /// Reads the member.
    pub fn new(xml: &[u8], name: &str) -> io::Result<Self> {
        let mut found = Self::default();
        let mut reader = Xml::new(xml, name);
        loop {
            match reader.next()? {
                Met::Eof => return Ok(found),
                Met::Start {
                    name: "sst",
                    tag,
                    place,
                    ..
                } => {
                    found.prefix = prefix(&tag);
                    found.unique = unique_count(&xml[place.clone()], place.start);
                    found.end = place.end;
                }
                Met::Start {
                    name: "si",
                    is_empty,
                    ..
                } => {
                    found.push(match is_empty {
                        true => Shared::default(),
                        false => text_of(&mut reader, xml, "si")?,
                    });
                }
                Met::End { name: "sst", place } => found.end = place.start,
                Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
            }
        }
    }
}

impl Strings {
    fn push(&mut self, shared: Shared) {
        if !shared.runs.is_empty() {
            self.runs.insert(self.ends.len(), shared.runs);
        }
        self.texts.push_str(&shared.text);
        self.ends.push(self.texts.len());
    }

    /// The number of them.
    pub fn len(&self) -> usize {
        self.ends.len()
    }

    /// The text with a number, from 0; `None` where there is none.
    pub fn text(&self, number: usize) -> Option<&str> {
        let end = *self.ends.get(number)?;
        let start = number.checked_sub(1).map_or(0, |before| self.ends[before]);
        Some(&self.texts[start..end])
    }

    /// The same, with the runs that it is made of.
    pub fn shared(&self, number: usize) -> Shared {
        Shared {
            text: self.text(number).unwrap_or_default().to_owned(),
            runs: self.runs.get(&number).cloned().unwrap_or_default(),
        }
    }
}

/// The place of the value of `uniqueCount` in a tag that begins at `start`.
fn unique_count(tag: &[u8], start: usize) -> Option<Range<usize>> {
    let key = b"uniqueCount=";
    let from = memchr::memmem::find(tag, key)? + key.len();
    let quote = *tag.get(from)?;
    let length = memchr::memchr(quote, tag.get(from + 1..)?)?;
    Some(start + from + 1..start + from + 1 + length)
}

/// The text of the element `within` whose start has been read; what says how it is pronounced is left out.
pub fn text_of(reader: &mut Xml<'_>, xml: &[u8], within: &str) -> io::Result<Shared> {
    let mut found = Shared::default();
    let (mut look, mut in_text, mut skipped) = (None, false, 0usize);
    let mut in_run: Option<Run> = None;
    loop {
        match reader.next()? {
            Met::Eof => return Ok(found),
            Met::Start {
                name: "rPh",
                is_empty,
                ..
            } => {
                skipped += usize::from(!is_empty);
            }
            Met::End { name: "rPh", .. } => skipped -= 1,
            Met::Start {
                name: "t",
                is_empty,
                ..
            } => in_text = !is_empty && skipped == 0,
            Met::End { name: "t", .. } => in_text = false,
            Met::Start {
                name: "r",
                is_empty,
                ..
            } if !is_empty => {
                in_run = Some(Run {
                    look: String::new(),
                    text: String::new(),
                });
            }
            Met::End { name: "r", .. } => found.runs.extend(in_run.take()),
            Met::Start {
                name: "rPr",
                place,
                is_empty,
                ..
            } => {
                look = Some(place.start);
                if let (true, Some(run)) = (is_empty, &mut in_run) {
                    run.look = String::from_utf8_lossy(&xml[place]).into_owned();
                }
            }
            Met::End { name: "rPr", place } => {
                if let (Some(from), Some(run)) = (look.take(), &mut in_run) {
                    run.look = String::from_utf8_lossy(&xml[from..place.end]).into_owned();
                }
            }
            Met::End { name, .. } if name == within => {
                found.text = decoded(&found.text);
                for run in &mut found.runs {
                    run.text = decoded(&run.text);
                }
                return Ok(found);
            }
            Met::Text(text) if in_text => {
                found.text.push_str(&text);
                if let Some(run) = &mut in_run {
                    run.text.push_str(&text);
                }
            }
            Met::Start { .. } | Met::End { .. } | Met::Text(_) => {}
        }
    }
}

/// The inside of an element with a new text in the place of an old one. Characters that stay keep their look.
pub fn inner_xml(old: &Shared, new: &str, prefix: &str) -> String {
    let element = |text: &str| {
        let (p, text) = (prefix, encoded(text));
        format!("<{p}t xml:space=\"preserve\">{text}</{p}t>")
    };
    if old.runs.len() < 2 {
        return match old.runs.first() {
            Some(run) => format!("<{prefix}r>{}{}</{prefix}r>", run.look, element(new)),
            None => element(new),
        };
    }
    let mut looks: Vec<usize> = Vec::new();
    for (number, run) in old.runs.iter().enumerate() {
        looks.extend(std::iter::repeat_n(number, run.text.chars().count()));
    }
    let (before, after): (Vec<char>, Vec<char>) = (
        old.runs.iter().flat_map(|run| run.text.chars()).collect(),
        new.chars().collect(),
    );
    let kept = aligned(&before, &after);
    let mut out = String::new();
    let (mut look, mut text) = (looks.first().copied().unwrap_or_default(), String::new());
    let put = |out: &mut String, look: usize, text: &str| {
        if !text.is_empty() {
            let of = &old.runs[look].look;
            out.push_str(&format!("<{prefix}r>{of}{}</{prefix}r>", element(text)));
        }
    };
    for (sign, from) in after.iter().zip(kept) {
        // A new character looks like the one before it.
        let own = from.map_or(look, |from| looks[from]);
        if own != look {
            put(&mut out, look, &text);
            text.clear();
            look = own;
        }
        text.push(*sign);
    }
    put(&mut out, look, &text);
    out
}

/// For each new character the old one that it is, by their longest common subsequence; of long texts, only what both
/// begin and end with.
fn aligned(old: &[char], new: &[char]) -> Vec<Option<usize>> {
    let head = old.iter().zip(new).take_while(|(a, b)| a == b).count();
    let rest = old.len().min(new.len()) - head;
    let ends = old.iter().rev().zip(new.iter().rev());
    let tail = ends.take(rest).take_while(|(a, b)| a == b).count();
    let (a, b) = (&old[head..old.len() - tail], &new[head..new.len() - tail]);
    let mut kept: Vec<Option<usize>> = (0..head).map(Some).collect();
    kept.extend(match a.len() <= ALIGNED_MOST && b.len() <= ALIGNED_MOST {
        true => common(a, b)
            .into_iter()
            .map(|at| at.map(|at| at + head))
            .collect(),
        false => vec![None; b.len()],
    });
    kept.extend((old.len() - tail..old.len()).map(Some));
    kept
}

fn common(a: &[char], b: &[char]) -> Vec<Option<usize>> {
    let width = b.len() + 1;
    // Lengths of the common subsequences of what is left of both.
    let mut lengths = vec![0u16; (a.len() + 1) * width];
    for i in (0..a.len()).rev() {
        for j in (0..b.len()).rev() {
            lengths[i * width + j] = match a[i] == b[j] {
                true => lengths[(i + 1) * width + j + 1] + 1,
                false => lengths[(i + 1) * width + j].max(lengths[i * width + j + 1]),
            };
        }
    }
    let (mut i, mut kept) = (0, Vec::with_capacity(b.len()));
    for j in 0..b.len() {
        while i < a.len()
            && a[i] != b[j]
            && lengths[(i + 1) * width + j] > lengths[i * width + j + 1]
        {
            i += 1;
        }
        let is_kept = i < a.len() && a[i] == b[j];
        kept.push(is_kept.then_some(i));
        i += usize::from(is_kept);
    }
    kept
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn characters_that_stay_keep_their_look() {
        let run = |look: &str, text: &str| Run {
            look: look.to_owned(),
            text: text.to_owned(),
        };
        let old = Shared {
            text: "Berth 4 and Berth 7".to_owned(),
            runs: vec![
                run("<b/>", "Berth 4"),
                run("", " and "),
                run("<b/>", "Berth 7"),
            ],
        };
        let got = inner_xml(&old, "B-4 and B-7", "");
        let plain = got.replace(" xml:space=\"preserve\"", "");
        assert_eq!(
            plain,
            "<r><b/><t>B-4</t></r><r><t> and </t></r><r><b/><t>B-7</t></r>"
        );
        assert_eq!(
            decoded(&encoded("a\u{1}_x0041_<&")),
            "a\u{1}_x0041_&lt;&amp;"
        );
    }
}
