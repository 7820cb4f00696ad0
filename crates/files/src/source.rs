//! Sources of texts.

use std::borrow::Cow;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The source of a text. The order is that of the bytes of the path; standard input is first.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Source {
    /// Standard input.
    /// The name is the one that it is given, where it is.
    Stdin(Option<Arc<Path>>),
    /// A file.
    File(FilePath),
}

/// The path of a file, as it is shown and as it is opened.
///
/// ```
/// use brisk_quill_files::source::FilePath;
/// use std::path::Path;
/// let here = FilePath::new("notices/01.md".into());
/// assert_eq!(here.place(), Path::new("notices/01.md"));
/// let there = FilePath::within("notices/01.md".into(), Some(Path::new("/port").into()));
/// assert_eq!((there.path(), &*there.place()), (Path::new("notices/01.md"), Path::new("/port/notices/01.md")));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct FilePath {
    path: PathBuf,
    /// The folder that it is meant in; `None` is that of the process.
    folder: Option<Arc<Path>>,
}

impl FilePath {
    /// A path as it was named, or as it was found below a folder that was named.
    pub fn new(path: PathBuf) -> Self {
        Self::within(path, None)
    }

    /// The same, meant in a folder; without one, in that of the process.
    pub fn within(path: PathBuf, folder: Option<Arc<Path>>) -> Self {
        Self { path, folder }
    }

    /// The path as it is shown.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The folder that it is meant in; `None` is that of the process.
    pub fn folder(&self) -> Option<&Arc<Path>> {
        self.folder.as_ref()
    }

    /// The path as it is opened.
    pub fn place(&self) -> Cow<'_, Path> {
        match &self.folder {
            Some(folder) => folder.join(&self.path).into(),
            None => (&*self.path).into(),
        }
    }
}

impl Source {
    /// A file, its path meant in the folder of the process.
    pub fn file(path: impl Into<PathBuf>) -> Self {
        Self::File(FilePath::new(path.into()))
    }

    /// Standard input without a name.
    pub const STDIN: Self = Self::Stdin(None);

    /// True if it is standard input.
    pub fn is_stdin(&self) -> bool {
        matches!(self, Self::Stdin(_))
    }

    /// The path as it is shown, `-` for standard input without a name.
    pub fn path(&self) -> &Path {
        match self {
            Self::Stdin(name) => name.as_deref().unwrap_or(Path::new("-")),
            Self::File(file) => file.path(),
        }
    }

    /// The path as it is opened, `-` for standard input.
    pub fn place(&self) -> Cow<'_, Path> {
        match self {
            Self::Stdin(_) => Path::new("-").into(),
            Self::File(file) => file.place(),
        }
    }
}
