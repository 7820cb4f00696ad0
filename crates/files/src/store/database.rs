//! Databases of SQLite, version 3 of its format: the rows of all tables as JSON Lines.
//!
//! ```text
//! {"@":{"table":"moorings","row":7},"berth":"B 4","depth":4.8,"ship":null,"photo":{"blob":5120}}
//! ```
//!
//! Text is text, a number a number; bytes that are not text are an object, and left alone. A database is read, and
//! changed, in memory: the new file is put in place as any other, so that a run is undone to the byte. What the
//! library has written is read back before it leaves memory, so that no trigger, no affinity of a column and no key
//! makes anything else of a change than what was shown.

mod dump;
mod rows;
mod update;

use crate::store::database::dump::each_row;
use crate::store::database::update::{Others, updated};
use crate::store::lines::LineReader;
use crate::store::whole::{MOST, WholePacking, read_whole};
use crate::store::{Pack, Store, Told};
use rusqlite::config::DbConfig;
use rusqlite::{Connection, ErrorCode};
use std::io::{self, BufRead, Read, Write};
use std::ops::Range;

/// The length of its head.
const HEAD: usize = 100;
const MAGIC: &[u8] = b"SQLite format 3\0";
/// The places in the head of a database of the versions that are needed to write and to read it.
const VERSIONS: Range<usize> = 18..20;
/// The version of a database with a log that is written ahead, which one in memory has not.
const WITH_LOG: u8 = 2;

/// Databases of SQLite.
pub struct Database {
    others: Others,
}

impl Database {
    /// Nothing becomes other than it was shown.
    pub const EXACT: Self = Self {
        others: Others::Stay,
    };
}

/// An error with a sentence that goes on after the name of the file.
fn told(sentence: impl Into<String>) -> io::Error {
    Told::error(sentence)
}

impl Store for Database {
    fn name(&self) -> &'static str {
        "sqlite"
    }

    fn magic(&self) -> &'static [u8] {
        MAGIC
    }

    fn is_table(&self) -> bool {
        true
    }

    fn judges_head(&self) -> bool {
        false
    }

    fn permitting_triggers(&self) -> Option<&'static dyn Store> {
        Some(&Self {
            others: Others::MayChange,
        })
    }

    fn beside(&self) -> &'static [&'static str] {
        &["-journal", "-wal"]
    }

    fn unpack<'d>(&self, disk: Box<dyn BufRead + 'd>) -> io::Result<Box<dyn Read + 'd>> {
        let database = read(disk)?;
        Ok(Box::new(LineReader::new(move |lines| {
            each_row(&database, |_, row| lines.add(row.line))
        })?))
    }

    fn pack<'o>(
        &self,
        head: &[u8],
        out: Box<dyn Write + Send + 'o>,
    ) -> io::Result<Box<dyn Pack + 'o>> {
        let others = self.others;
        Ok(Box::new(WholePacking::new(
            head,
            out,
            move |old, text: &[u8], out: &mut dyn Write| write(old, (text, others), out),
        )))
    }
}

/// Writes the database `old` with the rows of `text` in the place of its own.
fn write(old: Vec<u8>, (text, others): (&[u8], Others), out: &mut dyn Write) -> io::Result<()> {
    let versions = old.get(VERSIONS).map(<[u8]>::to_vec);
    let mut new = updated(opened(old, false)?, text, others)?;
    if let Some(versions) = versions {
        new[VERSIONS].copy_from_slice(&versions);
    }
    out.write_all(&new)
}

/// The length in bytes of a database, where its head says so: the size of a page, and how many there are, which holds
/// where two counts of changes are the same.
fn length_by_head(bytes: &[u8]) -> Option<u64> {
    let number = |place: Range<usize>| {
        bytes
            .get(place)
            .map(|four| u64::from_be_bytes([0, 0, 0, 0, four[0], four[1], four[2], four[3]]))
    };
    let size = match bytes.get(16..18)? {
        [0, 1] => 1 << 16,
        size => u64::from(u16::from_be_bytes([size[0], size[1]])),
    };
    let is_known = number(24..28) == number(92..96);
    is_known.then_some(size * number(28..32)?)
}

/// The database on `disk`, in memory, to be read. Where its head says how long it is, it is there only once.
fn read(mut disk: Box<dyn BufRead + '_>) -> io::Result<Connection> {
    let mut head = Vec::new();
    disk.by_ref().take(HEAD as u64).read_to_end(&mut head)?;
    let length = length_by_head(&head).filter(|length| (HEAD as u64..=MOST).contains(length));
    let Some(length) = length else {
        head.extend(read_whole(disk)?);
        return opened(head, true);
    };
    without_log(&mut head);
    let mut rest = disk.by_ref().take(length - HEAD as u64);
    let taken = in_memory(Read::chain(&head[..], &mut rest), length as usize, true);
    if rest.limit() > 0 {
        return Err(cut_off());
    }
    let database = taken?;
    // What follows belongs to the file, and not to the database.
    io::copy(&mut disk, &mut io::sink())?;
    // Its pages are looked at where they are, and not copied.
    database
        .pragma_update(None, "mmap_size", length as i64)
        .map_err(failed)?;
    Ok(database)
}

/// Gives a head the version of a database without a log.
fn without_log(head: &mut [u8]) {
    for version in &mut head[VERSIONS] {
        *version = (*version).min(WITH_LOG - 1);
    }
}

fn cut_off() -> io::Error {
    told("it is cut off: its last pages are missing")
}

/// The database whose file holds `bytes`, in memory.
fn opened(mut bytes: Vec<u8>, read_only: bool) -> io::Result<Connection> {
    let wanted = length_by_head(&bytes).filter(|wanted| *wanted > bytes.len() as u64);
    if bytes.len() < HEAD || wanted.is_some() {
        return Err(cut_off());
    }
    without_log(&mut bytes);
    in_memory(&bytes[..], bytes.len(), read_only)
}

/// The database of this many bytes that `bytes` gives.
fn in_memory(bytes: impl Read, length: usize, read_only: bool) -> io::Result<Connection> {
    let mut database = Connection::open_in_memory().map_err(failed)?;
    let read = database.deserialize_read_exact("main", bytes, length, read_only);
    read.map_err(failed)?;
    let sets = [
        (DbConfig::SQLITE_DBCONFIG_DEFENSIVE, true),
        (DbConfig::SQLITE_DBCONFIG_TRUSTED_SCHEMA, false),
        (DbConfig::SQLITE_DBCONFIG_ENABLE_FKEY, true),
    ];
    for (what, on) in sets {
        database.set_db_config(what, on).map_err(failed)?;
    }
    database
        .pragma_update(None, "cell_size_check", true)
        .map_err(failed)?;
    Ok(database)
}

/// The sentence for an error of the library.
#[expect(clippy::needless_pass_by_value, reason = "as `map_err` hands it over")]
fn failed(error: rusqlite::Error) -> io::Error {
    let code = error.sqlite_error_code();
    told(match code {
        Some(ErrorCode::NotADatabase) => {
            "it is not a SQLite database, or an encrypted one".to_owned()
        }
        Some(ErrorCode::DatabaseCorrupt) => "the database is damaged".to_owned(),
        _ => format!("SQLite says: {error}"),
    })
}
