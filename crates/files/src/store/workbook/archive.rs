//! The zip archive that a workbook is: its members read, and some of them written anew while all others stay as
//! they are to the byte. The format is that of PKWARE's APPNOTE.

use super::damaged;
use flate2::read::DeflateDecoder;
use flate2::write::DeflateEncoder;
use flate2::{Compression, Crc};
use std::collections::{BTreeMap, HashSet};
use std::io::{self, Read, Write};
use std::ops::Range;

/// The largest member, unpacked, in bytes.
const MEMBER_MOST: u64 = 1 << 30;
/// Signatures and lengths of the fixed parts of records.
const LOCAL: &[u8] = b"PK\x03\x04";
const LOCAL_LENGTH: usize = 30;
const CENTRAL: &[u8] = b"PK\x01\x02";
const CENTRAL_LENGTH: usize = 46;
const END: &[u8] = b"PK\x05\x06";
const END_LENGTH: usize = 22;
/// Flags of a member: encrypted; its sizes follow its data.
const ENCRYPTED: u16 = 1;
const SIZES_FOLLOW: u16 = 1 << 3;

/// An archive in memory.
pub struct Archive<'a> {
    bytes: &'a [u8],
    members: Vec<Member>,
    /// The central directory.
    directory: Range<usize>,
    /// The end record, with what follows it.
    end: usize,
}

/// A member as the central directory has it.
struct Member {
    name: String,
    is_packed: bool,
    crc: u32,
    packed: usize,
    size: u64,
    /// The place of its local header.
    offset: usize,
    /// The entry in the directory.
    entry: Range<usize>,
}

fn u16_at(bytes: &[u8], at: usize) -> Option<u16> {
    let two = bytes.get(at..at + 2)?;
    Some(u16::from_le_bytes([two[0], two[1]]))
}

fn u32_at(bytes: &[u8], at: usize) -> Option<u32> {
    let four = bytes.get(at..at + 4)?;
    Some(u32::from_le_bytes([four[0], four[1], four[2], four[3]]))
}

impl<'a> Archive<'a> {
    /// Reads the directory of an archive.
    ///
    /// # Errors
    ///
    /// When it is none, is cut off, holds a member twice or an encrypted one, or needs 64-bit sizes.
    pub fn new(bytes: &'a [u8]) -> io::Result<Self> {
        let cut_off = || damaged("it is cut off: the end of its archive is missing");
        let from = bytes
            .len()
            .saturating_sub(END_LENGTH + usize::from(u16::MAX));
        let end = memchr::memmem::rfind(&bytes[from..], END).ok_or_else(cut_off)? + from;
        let field = |at: usize| u32_at(bytes, end + at).ok_or_else(cut_off);
        let (length, start) = (field(12)? as usize, field(16)? as usize);
        if length == u32::MAX as usize || start == u32::MAX as usize {
            return Err(damaged(
                "its archive needs 64-bit sizes, which are not read",
            ));
        }
        let directory = start..start.saturating_add(length);
        if directory.end > end {
            return Err(cut_off());
        }
        let mut archive = Self {
            bytes,
            members: Vec::new(),
            directory: directory.clone(),
            end,
        };
        let (mut at, mut names) = (directory.start, HashSet::new());
        while at < directory.end {
            let member = archive.member(at)?;
            if !names.insert(member.name.clone()) {
                return Err(damaged(format!(
                    "the member {} is there twice",
                    member.name
                )));
            }
            at = member.entry.end;
            archive.members.push(member);
        }
        archive.members.sort_by_key(|member| member.offset);
        archive.check_apart()?;
        Ok(archive)
    }

    fn member(&self, at: usize) -> io::Result<Member> {
        let bad = || damaged("the directory of its archive is damaged");
        let entry = self.bytes.get(at..self.directory.end).ok_or_else(bad)?;
        if !entry.starts_with(CENTRAL) || entry.len() < CENTRAL_LENGTH {
            return Err(bad());
        }
        let short = |at: usize| u16_at(entry, at).ok_or_else(bad);
        let long = |at: usize| u32_at(entry, at).ok_or_else(bad);
        let name_end = CENTRAL_LENGTH + usize::from(short(28)?);
        let length = name_end + usize::from(short(30)?) + usize::from(short(32)?);
        let name = entry.get(CENTRAL_LENGTH..name_end).ok_or_else(bad)?;
        let name = String::from_utf8_lossy(name).into_owned();
        if short(8)? & ENCRYPTED != 0 {
            return Err(damaged(format!("the member {name} is encrypted")));
        }
        let (packed, size, offset) = (long(20)?, long(24)?, long(42)?);
        if [packed, size, offset].contains(&u32::MAX) {
            return Err(damaged(
                "its archive needs 64-bit sizes, which are not read",
            ));
        }
        if length > entry.len() {
            return Err(bad());
        }
        Ok(Member {
            is_packed: match short(10)? {
                0 => false,
                8 => true,
                _ => {
                    return Err(damaged(format!(
                        "the member {name} is packed in an unknown way"
                    )));
                }
            },
            name,
            crc: long(16)?,
            packed: packed as usize,
            size: u64::from(size),
            offset: offset as usize,
            entry: at..at + length,
        })
    }

    /// Members that share bytes would be read as each other.
    fn check_apart(&self) -> io::Result<()> {
        let mut at = 0;
        for member in &self.members {
            let data = self.data(member)?;
            if member.offset < at || data.end > self.directory.start {
                return Err(damaged(format!(
                    "the member {} overlaps another",
                    member.name
                )));
            }
            at = data.end;
        }
        Ok(())
    }

    /// The place of the data of a member.
    fn data(&self, member: &Member) -> io::Result<Range<usize>> {
        let bad = || damaged(format!("the member {} is damaged", member.name));
        let header = self.bytes.get(member.offset..).ok_or_else(bad)?;
        if !header.starts_with(LOCAL) {
            return Err(bad());
        }
        let short = |at: usize| u16_at(header, at).map(usize::from).ok_or_else(bad);
        let start = member.offset + LOCAL_LENGTH + short(26)? + short(28)?;
        Ok(start..start.saturating_add(member.packed))
    }

    /// True if there is a member whose name begins so.
    pub fn has(&self, prefix: &str) -> bool {
        self.members
            .iter()
            .any(|member| member.name.starts_with(prefix))
    }

    /// A member, unpacked; `None` where it is not there.
    ///
    /// # Errors
    ///
    /// When it is damaged, or too large.
    pub fn read(&self, name: &str) -> io::Result<Option<Vec<u8>>> {
        let Some(member) = self.members.iter().find(|member| member.name == name) else {
            return Ok(None);
        };
        let bad = || damaged(format!("the member {name} is damaged"));
        if member.size > MEMBER_MOST {
            return Err(damaged(format!(
                "the member {name} is larger than 1 GiB, unpacked"
            )));
        }
        let data = self.bytes.get(self.data(member)?).ok_or_else(bad)?;
        let mut text = Vec::new();
        match member.is_packed {
            false => text.extend_from_slice(data),
            true => {
                let mut inflated = DeflateDecoder::new(data).take(member.size + 1);
                inflated.read_to_end(&mut text).map_err(|_| bad())?;
            }
        }
        match text.len() as u64 == member.size && crc_of(&text) == member.crc {
            true => Ok(Some(text)),
            false => Err(bad()),
        }
    }

    /// The same of one that must be there.
    ///
    /// # Errors
    ///
    /// When it is not, or is damaged.
    pub fn need(&self, name: &str) -> io::Result<Vec<u8>> {
        let missing = || damaged(format!("the member {name} is missing"));
        self.read(name)?.ok_or_else(missing)
    }

    /// Writes the archive with some members of another text, and all others as they are.
    ///
    /// # Errors
    ///
    /// When it grows beyond what 32-bit sizes hold, or cannot be written.
    pub fn write(&self, new: &BTreeMap<String, Vec<u8>>, out: &mut dyn Write) -> io::Result<()> {
        let too_large = |_| damaged("it would grow beyond 4 GiB");
        let mut entries: Vec<(usize, Vec<u8>)> = Vec::new();
        let (mut written, mut at) = (0usize, 0usize);
        let mut put = |bytes: &[u8], written: &mut usize| {
            *written += bytes.len();
            out.write_all(bytes)
        };
        for (number, member) in self.members.iter().enumerate() {
            let next = self.members.get(number + 1);
            let end = next.map_or(self.directory.start, |next| next.offset);
            put(&self.bytes[at..member.offset], &mut written)?;
            let mut entry = self.bytes[member.entry.clone()].to_vec();
            let offset = u32::try_from(written).map_err(too_large)?;
            entry[42..46].copy_from_slice(&offset.to_le_bytes());
            match new.get(&member.name) {
                None => put(&self.bytes[member.offset..end], &mut written)?,
                Some(text) => {
                    let packed = match member.is_packed {
                        false => text.clone(),
                        true => deflated(text)?,
                    };
                    let size = |bytes: &[u8]| u32::try_from(bytes.len()).map_err(too_large);
                    let mut sizes = crc_of(text).to_le_bytes().to_vec();
                    sizes.extend(size(&packed)?.to_le_bytes());
                    sizes.extend(size(text)?.to_le_bytes());
                    let name_end = LOCAL_LENGTH + member.name.len();
                    let mut header = self.bytes[member.offset..member.offset + name_end].to_vec();
                    for (record, flags, at) in [(&mut header, 6, 14), (&mut entry, 8, 16)] {
                        record[at..at + 12].copy_from_slice(&sizes);
                        let old = u16_at(record, flags).unwrap_or_default();
                        record[flags..flags + 2]
                            .copy_from_slice(&(old & !SIZES_FOLLOW).to_le_bytes());
                    }
                    // Its further fields may hold sizes.
                    header[28..30].copy_from_slice(&[0, 0]);
                    put(&header, &mut written)?;
                    put(&packed, &mut written)?;
                }
            }
            entries.push((member.entry.start, entry));
            at = end;
        }
        put(&self.bytes[at..self.directory.start], &mut written)?;
        let start = u32::try_from(written).map_err(too_large)?;
        entries.sort_by_key(|(place, _)| *place);
        for (_, entry) in entries {
            put(&entry, &mut written)?;
        }
        put(&self.bytes[self.directory.end..self.end], &mut written)?;
        let mut end = self.bytes[self.end..].to_vec();
        end[16..20].copy_from_slice(&start.to_le_bytes());
        put(&end, &mut written)
    }
}

fn crc_of(text: &[u8]) -> u32 {
    let mut crc = Crc::new();
    crc.update(text);
    crc.sum()
}

fn deflated(text: &[u8]) -> io::Result<Vec<u8>> {
    let mut encoder = DeflateEncoder::new(Vec::new(), Compression::default());
    encoder.write_all(text)?;
    encoder.finish()
}
