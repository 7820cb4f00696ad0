//! The store of a certain file.

use crate::store::database::Database;
use crate::store::gzip::Gzip;
#[cfg(feature = "parquet")]
use crate::store::parquet::Parquet;
use crate::store::workbook::Workbook;
use crate::store::zstandard::Zstandard;
use crate::store::{Pack, Store};
use std::fmt;
use std::io::{self, Write};

/// The kinds of stores besides the plain one.
const ALL: &[&dyn Store] = &[
    &Gzip,
    &Zstandard,
    &Workbook,
    &Database::EXACT,
    #[cfg(feature = "parquet")]
    &Parquet,
];

/// The store of a file: plain, or a packed one.
///
/// ```
/// use brisk_quill_files::store::store_of::StoreOf;
/// assert!(StoreOf::head(b"berth 4\n").is_plain());
/// assert_eq!(StoreOf::head(b"\x1f\x8b\x08\0").name(), Some("gzip"));
/// ```
#[derive(Clone, Copy, Default)]
pub struct StoreOf(Option<&'static dyn Store>);

impl StoreOf {
    /// The text is the file.
    pub const PLAIN: Self = Self(None);

    /// The store of a file that begins with `head`.
    pub fn head(head: &[u8]) -> Self {
        let holds = |store: &&&dyn Store| store.holds(head);
        Self(ALL.iter().find(holds).copied())
    }

    /// The store with this name in records; none is the plain one.
    ///
    /// # Errors
    ///
    /// The name, where it is that of no store.
    pub fn named(name: Option<&str>) -> Result<Self, String> {
        let Some(name) = name else {
            return Ok(Self::PLAIN);
        };
        let found = ALL.iter().find(|store| store.name() == name);
        found
            .map(|store| Self(Some(*store)))
            .ok_or_else(|| name.to_owned())
    }

    /// The bytes that files of each packed store begin with.
    pub fn magics() -> impl Iterator<Item = &'static [u8]> {
        ALL.iter().map(|store| store.magic())
    }

    /// The last endings of the names of packed files.
    pub fn endings() -> impl Iterator<Item = &'static str> {
        ALL.iter().filter_map(|store| store.ending())
    }

    /// The same, where what a container does on its own account may change more of it than is shown.
    #[must_use]
    pub fn permitting_triggers(self) -> Self {
        let permitting = self.0.and_then(|store| store.permitting_triggers());
        permitting.map_or(self, |store| Self(Some(store)))
    }

    /// True if the text is the file.
    pub fn is_plain(self) -> bool {
        self.0.is_none()
    }

    /// The name in records; none for the plain one.
    pub fn name(self) -> Option<&'static str> {
        self.0.map(|store| store.name())
    }

    /// The store, where the text is not the file.
    pub fn packed(self) -> Option<&'static dyn Store> {
        self.0
    }
}

/// The way in which one file is packed, to pack another text in the same way.
#[derive(Clone, Debug)]
pub struct Packing {
    store: StoreOf,
    head: Vec<u8>,
}

impl Packing {
    /// The packing of a file which begins with `head`; `None` where it is plain.
    pub fn new(store: StoreOf, head: Vec<u8>) -> Option<Self> {
        store.packed().map(|_| Self { store, head })
    }

    /// Packs a text into `out`.
    ///
    /// # Errors
    ///
    /// When nothing can be written.
    pub fn pack<'o>(&self, out: impl Write + Send + 'o) -> io::Result<Box<dyn Pack + 'o>> {
        match self.store.packed() {
            Some(store) => store.pack(&self.head, Box::new(out)),
            None => Err(io::ErrorKind::InvalidInput.into()),
        }
    }
}

impl PartialEq for StoreOf {
    fn eq(&self, other: &Self) -> bool {
        self.name() == other.name()
    }
}

impl Eq for StoreOf {}

impl fmt::Debug for StoreOf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name().unwrap_or("plain"))
    }
}
