//! Plans in short form: the last preview of a folder, from which records are made on request.
//!
//! A record in JSON takes longer to write than the change took to be found, and most previews are only looked
//! at. So the changes are kept as they are in memory, one entry after another, with everything that their records
//! say. An entry is a byte for its kind, the length of the rest in 8 bytes, and the rest; numbers in it are in base
//! 128, the lowest seven bits first. The last entry is a hash of all before it.

use brisk_quill_core::edits::StepSet;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_core::plan::fault::RECORD_MOST;
use brisk_quill_core::records::field::{Base64, Coded, Optional, Ordinal, push};
use brisk_quill_core::records::json::lossy;
use brisk_quill_core::records::plan::{
    AroundRecord, ChangeId, ChangeRecord, FileRecord, GroupText,
};
use std::borrow::Cow;
use std::io::{self, Read};

/// The first bytes of a plan in short form; no record begins so.
pub const MAGIC: &[u8] = b"bquill preview 1\n";
/// The bytes before the rest of an entry: its kind and its length.
const ENTRY_HEAD: usize = 9;

/// The kind of an entry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EntryKind {
    /// A line that stays as it is.
    Line,
    /// The line of a file, to which the following changes belong.
    File,
    /// The names of the groups of each step.
    Names,
    /// The text of a unit, or of the part of it that is known, before the changes in it.
    Around,
    /// A change.
    Change,
    /// The BLAKE3 hash of all before.
    End,
}

impl EntryKind {
    const ALL: [Self; 6] = [
        Self::Line,
        Self::File,
        Self::Names,
        Self::Around,
        Self::Change,
        Self::End,
    ];

    fn byte(self) -> u8 {
        self as u8
    }
}

/// Appends an entry of which `rest` appends all but the head.
fn push_entry(out: &mut Vec<u8>, kind: EntryKind, rest: impl FnOnce(&mut Vec<u8>)) {
    let start = out.len();
    out.push(kind.byte());
    out.extend_from_slice(&[0; 8]);
    rest(out);
    let length = (out.len() - start - ENTRY_HEAD) as u64;
    out[start + 1..start + ENTRY_HEAD].copy_from_slice(&length.to_le_bytes());
}

/// Appends an entry of bytes that stay as they are: a record with its line end, the text of a unit, or the hash.
pub fn push_plain(out: &mut Vec<u8>, kind: EntryKind, rest: &[u8]) {
    push_entry(out, kind, |out| out.extend_from_slice(rest));
}

/// Appends the names of the groups of each step; of a group, from 0, or none.
pub fn push_names<'n, N>(out: &mut Vec<u8>, steps: impl Iterator<Item = N>)
where
    N: Iterator<Item = Option<&'n str>>,
{
    push_entry(out, EntryKind::Names, |out| {
        for names in steps {
            let names: Vec<_> = names.collect();
            push_number(out, names.len() as u64);
            for name in names {
                push_optional(out, name.map(str::as_bytes));
            }
        }
    });
}

/// A text, and its bytes on disk where those are others.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DiskText<'a> {
    /// In UTF-8, as far as it is text.
    pub text: &'a [u8],
    /// On disk, where that is not the text.
    pub disk: Option<&'a [u8]>,
}

impl<'a> DiskText<'a> {
    fn coded(&self) -> Coded<'a> {
        match self.disk {
            Some(disk) => Coded::beside(self.text, disk),
            None => Coded::of(self.text),
        }
    }

    fn put(&self, out: &mut Vec<u8>) {
        push_bytes(out, self.text);
        push_optional(out, self.disk);
    }

    fn take(input: &mut &'a [u8]) -> Option<Self> {
        Some(Self {
            text: bytes(input)?,
            disk: optional(input)?,
        })
    }
}

/// A change with everything that its record says, but for its id, its path and the groups of its match.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ShortChange<'a> {
    /// The line it begins in, from 1.
    pub line: u64,
    /// The column, where all of it is one cell.
    pub cell: Option<&'a str>,
    /// The name of its row.
    pub label: Option<&'a str>,
    /// The first byte, from 0.
    pub from: u64,
    /// One past the last byte.
    pub to: u64,
    /// The old text.
    pub before: DiskText<'a>,
    /// The new text.
    pub after: DiskText<'a>,
    /// The steps that made it.
    pub steps: StepSet,
}

/// The groups of a match, from 1, each with its text where it took part.
pub type Groups<'a> = Vec<Option<&'a [u8]>>;

impl<'a> ShortChange<'a> {
    /// Appends it as an entry.
    pub fn put<'g>(&self, out: &mut Vec<u8>, groups: impl Iterator<Item = Option<&'g [u8]>>) {
        push_entry(out, EntryKind::Change, |out| {
            push_number(out, self.line);
            push_number(out, self.from);
            push_number(out, self.to - self.from);
            push_optional(out, self.cell.map(str::as_bytes));
            push_optional(out, self.label.map(str::as_bytes));
            self.before.put(out);
            self.after.put(out);
            let count = out.len();
            out.push(0);
            for step in self.steps.iter() {
                // A set holds fewer than 256 steps, each below 256.
                out.push(step as u8);
                out[count] += 1;
            }
            for group in groups {
                push_optional(out, group);
            }
        });
    }

    /// Reads it from the rest of its entry; `None` where that is not one.
    fn take(mut input: &'a [u8]) -> Option<(Self, Groups<'a>)> {
        let input = &mut input;
        let (line, from, length) = (number(input)?, number(input)?, number(input)?);
        let change = Self {
            line,
            cell: text(input)?,
            label: text(input)?,
            from,
            to: from.checked_add(length)?,
            before: DiskText::take(input)?,
            after: DiskText::take(input)?,
            steps: steps(input)?,
        };
        let mut groups = Vec::new();
        while !input.is_empty() {
            groups.push(optional(input)?);
        }
        Some((change, groups))
    }

    /// Appends its record, given the names of the groups, from 0, and their texts, from 1.
    pub fn push_record<'g, 'n>(
        &self,
        out: &mut Vec<u8>,
        id: ChangeId,
        (path, path_b64): (Cow<'_, str>, Optional<Base64<'_>>),
        name: impl Fn(usize) -> Option<&'n str>,
        groups: impl Iterator<Item = Option<&'g [u8]>>,
    ) {
        let groups = (1..).zip(groups).map(|(number, text)| GroupText {
            number: Ordinal(number as u64),
            name: name(number).map(Cow::Borrowed),
            text: text.map(lossy),
        });
        let [before, after] = [self.before.coded(), self.after.coded()];
        let steps = self.steps.iter().map(|step| Ordinal(step as u64 + 1));
        push(
            out,
            &ChangeRecord {
                id,
                path,
                path_b64,
                line: Ordinal(self.line),
                cell: self.cell.map(Cow::Borrowed),
                label: Optional(self.label.map(Cow::Borrowed)),
                from: self.from,
                to: self.to,
                before: before.text,
                before_b64: before.base64,
                after: after.text,
                after_b64: after.base64,
                steps: steps.collect(),
                groups: groups.collect(),
                decision: Decision::Open,
            },
        );
    }
}

/// The records of a plan in short form, made entry by entry.
///
/// ```
/// use brisk_quill_files::short_plan::{EntryKind, Records};
/// let mut out = Vec::new();
/// Records::default().take(EntryKind::Line, b"{\"record\":\"judged\"}\n", &mut out).unwrap();
/// assert_eq!(out, b"{\"record\":\"judged\"}\n");
/// ```
#[derive(Debug, Default)]
pub struct Records {
    files: u64,
    /// Changes of the current file.
    changes: u64,
    file: Option<FileRecord<'static>>,
    /// The names of the groups of each step.
    names: Vec<Vec<Option<String>>>,
}

impl Records {
    /// Appends the records of an entry, given its kind and its rest. The hash at the end has none.
    /// `None` where it is not as it was written.
    #[must_use]
    pub fn take(&mut self, kind: EntryKind, rest: &[u8], out: &mut Vec<u8>) -> Option<()> {
        match kind {
            EntryKind::Line => out.extend_from_slice(rest),
            EntryKind::File => {
                self.file = Some(serde_json::from_slice(rest).ok()?);
                self.files += 1;
                self.changes = 0;
                out.extend_from_slice(rest);
            }
            EntryKind::Names => self.names = names(rest)?,
            EntryKind::Around => push(
                out,
                &AroundRecord {
                    hash: around_hash(&lossy(rest)).into(),
                },
            ),
            EntryKind::Change => self.change(rest, out)?,
            EntryKind::End => {}
        }
        Some(())
    }

    fn change(&mut self, rest: &[u8], out: &mut Vec<u8>) -> Option<()> {
        let (change, groups) = ShortChange::take(rest)?;
        let file = self.file.as_ref()?;
        self.changes += 1;
        let id = ChangeId::Known(format!("{}.{}", self.files, self.changes));
        let path = (Cow::Borrowed(&*file.path), file.path_b64.clone());
        let names = change
            .steps
            .iter()
            .next()
            .and_then(|step| self.names.get(step));
        let name = |number: usize| names?.get(number)?.as_deref();
        change.push_record(out, id, path, name, groups.into_iter());
        Some(())
    }
}

/// Why a plan in short form cannot be read.
#[derive(Debug)]
pub(crate) enum ShortFault {
    /// The plan is not as it was written.
    Damaged,
    /// The plan cannot be read.
    Io(io::Error),
}

impl From<io::Error> for ShortFault {
    fn from(error: io::Error) -> Self {
        match error.kind() {
            io::ErrorKind::UnexpectedEof => Self::Damaged,
            _ => Self::Io(error),
        }
    }
}

/// Reads a plan in short form from its first byte to its end, and shows each record, with its line end. What was read goes through
/// the `hasher`. Gives the number of bytes that were read.
///
/// # Errors
///
/// Where it is not as it was written, or cannot be read, or when `show` fails.
pub(crate) fn read<E: From<ShortFault>>(
    input: &mut impl Read,
    hasher: &mut blake3::Hasher,
    mut show: impl FnMut(&[u8]) -> Result<(), E>,
) -> Result<u64, E> {
    let damaged = || E::from(ShortFault::Damaged);
    let mut length = MAGIC.len() as u64;
    let mut begin = [0; MAGIC.len()];
    fill(input, &mut begin)?;
    hasher.update(&begin);
    let mut records = Records::default();
    let (mut rest, mut lines) = (Vec::new(), Vec::new());
    loop {
        let mut head = [0; ENTRY_HEAD];
        fill(input, &mut head)?;
        let (kind, bytes) = entry_head(head).ok_or_else(damaged)?;
        if bytes > RECORD_MOST as u64 {
            return Err(damaged());
        }
        rest.clear();
        // Only what is there takes memory, whatever the head says.
        let found = input.by_ref().take(bytes).read_to_end(&mut rest);
        let found = found.map_err(ShortFault::from)?;
        if found as u64 != bytes {
            return Err(damaged());
        }
        length += (ENTRY_HEAD + rest.len()) as u64;
        let hash = (kind == EntryKind::End).then(|| hasher.finalize());
        hasher.update(&head);
        hasher.update(&rest);
        if let Some(hash) = hash {
            return match hash == rest[..] {
                true => Ok(length),
                false => Err(damaged()),
            };
        }
        lines.clear();
        records.take(kind, &rest, &mut lines).ok_or_else(damaged)?;
        if !lines.is_empty() {
            show(&lines)?;
        }
    }
}

/// Fills the whole of `bytes`; a plan that ends before is damaged.
fn fill(input: &mut impl Read, bytes: &mut [u8]) -> Result<(), ShortFault> {
    Ok(input.read_exact(bytes)?)
}

/// The kind of the next entry, and the length of its rest in bytes.
fn entry_head(head: [u8; ENTRY_HEAD]) -> Option<(EntryKind, u64)> {
    let [kind, length @ ..] = head;
    let kind = EntryKind::ALL
        .into_iter()
        .find(|known| known.byte() == kind);
    Some((kind?, u64::from_le_bytes(length)))
}

/// The first half of the hash of the text of a unit, which is enough to say texts apart. Its line end does not count: a
/// record of a unit has it or not, as the new text has the same.
pub fn around_hash(was: &str) -> String {
    let was = was.strip_suffix('\n').unwrap_or(was);
    let was = was.strip_suffix('\r').unwrap_or(was);
    blake3::hash(was.as_bytes()).to_hex()[..32].to_owned()
}

fn names(mut rest: &[u8]) -> Option<Vec<Vec<Option<String>>>> {
    let mut steps = Vec::new();
    while !rest.is_empty() {
        let count = number(&mut rest)?;
        let names = (0..count).map(|_| Some(text(&mut rest)?.map(str::to_owned)));
        steps.push(names.collect::<Option<_>>()?);
    }
    Some(steps)
}

fn steps(input: &mut &[u8]) -> Option<StepSet> {
    let (count, rest) = input.split_first()?;
    let (steps, rest) = rest.split_at_checked(usize::from(*count))?;
    *input = rest;
    let one = |step: &u8| {
        let step = usize::from(*step);
        (step < StepSet::MOST).then(|| StepSet::one(step))
    };
    let mut all = steps.iter().map(one);
    all.try_fold(StepSet::default(), |all, step| Some(all.union(step?)))
}

fn push_number(out: &mut Vec<u8>, mut number: u64) {
    while number >= 0x80 {
        // The lowest seven bits.
        out.push(number as u8 | 0x80);
        number >>= 7;
    }
    out.push(number as u8);
}

fn number(input: &mut &[u8]) -> Option<u64> {
    let mut number = 0u64;
    for shift in (0..u64::BITS).step_by(7) {
        let (byte, rest) = input.split_first()?;
        *input = rest;
        number |= u64::from(byte & 0x7F) << shift;
        if byte & 0x80 == 0 {
            return Some(number);
        }
    }
    None
}

fn push_bytes(out: &mut Vec<u8>, bytes: &[u8]) {
    push_number(out, bytes.len() as u64);
    out.extend_from_slice(bytes);
}

fn bytes<'a>(input: &mut &'a [u8]) -> Option<&'a [u8]> {
    let length = usize::try_from(number(input)?).ok()?;
    let (bytes, rest) = input.split_at_checked(length)?;
    *input = rest;
    Some(bytes)
}

/// Bytes that may not be there: their number is one more, and 0 where there are none.
fn push_optional(out: &mut Vec<u8>, bytes: Option<&[u8]>) {
    match bytes {
        None => out.push(0),
        Some(bytes) => {
            push_number(out, bytes.len() as u64 + 1);
            out.extend_from_slice(bytes);
        }
    }
}

fn optional<'a>(input: &mut &'a [u8]) -> Option<Option<&'a [u8]>> {
    let Some(length) = number(input)?.checked_sub(1) else {
        return Some(None);
    };
    let (bytes, rest) = input.split_at_checked(usize::try_from(length).ok()?)?;
    *input = rest;
    Some(Some(bytes))
}

fn text<'a>(input: &mut &'a [u8]) -> Option<Option<&'a str>> {
    match optional(input)? {
        None => Some(None),
        Some(bytes) => std::str::from_utf8(bytes).ok().map(Some),
    }
}
