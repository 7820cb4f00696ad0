//! From paths and globs to the files that are meant.

use crate::copy_name::is_copy_name;
use crate::error::{FileError, FileErrorKind};
use crate::source::{FilePath, Source};
use globset::{GlobBuilder, GlobSet, GlobSetBuilder};
use ignore::{DirEntry, WalkBuilder, WalkState};
use std::collections::HashSet;
use std::ffi::OsStr;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// Which files below a folder are meant.
#[derive(Clone, Debug, Default)]
pub struct Search {
    files: Option<GlobSet>,
    skip: Option<GlobSet>,
    hidden: bool,
    ignored: bool,
    /// The folder with bquill's own state, without links.
    own_state: Option<PathBuf>,
    use_of: FileUse,
}

/// The use that files are meant for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum FileUse {
    /// The files are only read, so pipes will do.
    #[default]
    Read,
    /// The files are rewritten where they stand, so they must be regular files.
    Rewrite,
}

/// A glob that does not parse.
#[derive(Debug, thiserror::Error)]
#[error("`{glob}` is not a glob: {reason}")]
pub struct GlobError {
    /// As it was written.
    pub glob: String,
    reason: String,
}

impl Search {
    /// The same, of hidden files and of those that version control ignores, too.
    #[must_use]
    pub fn of_all(&self) -> Self {
        Self {
            hidden: true,
            ignored: true,
            ..self.clone()
        }
    }

    /// Files that match one of `files` (any file where there is none) and none of `skip`, hidden
    /// ones only with `hidden`.
    ///
    /// A glob without a `/` is tried on the name alone, one with a `/` on the path. `*` does not
    /// cross a `/`, `**` does. A folder that matches `skip` is not entered.
    ///
    /// # Errors
    ///
    /// When a glob does not parse.
    pub fn new(files: &[String], skip: &[String], hidden: bool) -> Result<Self, GlobError> {
        Ok(Self {
            files: glob_set(files)?,
            skip: glob_set(skip)?,
            hidden,
            ..Self::default()
        })
    }

    /// Takes in what version control ignores.
    #[must_use]
    pub fn with_ignored(mut self, ignored: bool) -> Self {
        self.ignored = ignored;
        self
    }

    /// Leaves out what lies in the folder `state`, which is bquill's own.
    #[must_use]
    pub fn without(mut self, state: Option<&Path>) -> Self {
        self.own_state = state.and_then(|state| state.canonicalize().ok());
        self
    }

    /// Says what the files are meant for.
    #[must_use]
    pub fn for_use(mut self, use_of: FileUse) -> Self {
        self.use_of = use_of;
        self
    }

    /// Why a path that was named may not be looked at.
    fn refuses(&self, path: &Path) -> Option<FileErrorKind> {
        let lies_in = |state: &PathBuf| {
            let real = path.canonicalize();
            real.is_ok_and(|real| real.starts_with(state))
        };
        if self.own_state.as_ref().is_some_and(lies_in) {
            return Some(FileErrorKind::OwnState);
        }
        let name = path.file_name().unwrap_or_default();
        is_copy_name(name).then_some(FileErrorKind::RunCopy)
    }

    /// True if a folder that is met is bquill's own.
    fn is_own(&self, entry: &DirEntry) -> bool {
        let Some(state) = &self.own_state else {
            return false;
        };
        entry.file_type().is_some_and(|kind| kind.is_dir())
            && Some(entry.file_name()) == state.file_name()
            && entry.path().canonicalize().is_ok_and(|real| real == *state)
    }

    /// True if a file of this path is meant.
    pub fn wants(&self, path: &Path) -> bool {
        self.files.as_ref().is_none_or(|set| matches(set, path)) && !self.skips(path)
    }

    fn skips(&self, path: &Path) -> bool {
        self.skip.as_ref().is_some_and(|set| matches(set, path))
    }
}

fn matches(set: &GlobSet, path: &Path) -> bool {
    set.is_match(path.strip_prefix("./").unwrap_or(path))
}

fn glob_set(globs: &[String]) -> Result<Option<GlobSet>, GlobError> {
    if globs.is_empty() {
        return Ok(None);
    }
    let mut set = GlobSetBuilder::new();
    for glob in globs {
        let bare = glob.trim_end_matches('/');
        // A glob also holds for a path that only ends in it.
        let anywhere = match bare.strip_prefix("./") {
            Some(rest) => rest.to_owned(),
            None => format!("**/{}", bare.trim_start_matches('/')),
        };
        let parsed = GlobBuilder::new(&anywhere).literal_separator(true).build();
        set.add(parsed.map_err(|error| GlobError {
            glob: glob.clone(),
            reason: reason(error.kind()),
        })?);
    }
    let set = set.build().map_err(|error| GlobError {
        glob: globs.join(" "),
        reason: error.to_string(),
    })?;
    Ok(Some(set))
}

/// Why a glob does not parse, in words.
fn reason(kind: &globset::ErrorKind) -> String {
    use globset::ErrorKind as K;
    match kind {
        K::InvalidRecursive => "`**` stands alone between two `/`".into(),
        K::UnclosedClass => "this bracket is never closed: `[`".into(),
        K::InvalidRange(from, to) => format!("the range `{from}-{to}` runs backwards"),
        K::UnopenedAlternates => "this brace closes nothing: `}`".into(),
        K::UnclosedAlternates => "this brace is never closed: `{`".into(),
        K::NestedAlternates => "braces cannot stand in braces".into(),
        K::DanglingEscape => "a backslash at the end escapes nothing".into(),
        _ => "it cannot be used".into(),
    }
}

/// The files that [`discover`] found.
#[derive(Debug, Default)]
pub struct Listing {
    /// In order, each file once.
    pub sources: Vec<Source>,
    /// Paths that could not be looked at, in order of path.
    pub problems: Vec<FileError>,
    /// Files that were met below folders, each by each of its names; not those of version
    /// control itself.
    pub met_below: u64,
}

impl Listing {
    /// True if standard input is among the sources.
    pub fn has_stdin(&self) -> bool {
        self.sources.iter().any(Source::is_stdin)
    }
}

/// Finds the files that `paths` mean: files as they are, folders with all below them.
///
/// Files that version control ignores, and hidden ones, are passed over while walking, unless the
/// search says otherwise: see [`passed_over`]. Symbolic
/// links are followed where they are named, not where they are met. The copies that a run makes
/// beside its files, and bquill's own state, are never meant. A file that is named twice,
/// even under two names, is listed once, under the first name in order. `-` is standard input.
/// Relative paths are meant in `folder`; without one, in that of the process.
pub fn discover(paths: &[PathBuf], folder: Option<&Arc<Path>>, search: &Search) -> Listing {
    let mut met = Vec::new();
    let mut problems = Vec::new();
    let mut met_below = 0;
    for path in paths {
        if path.as_os_str() == "-" {
            met.push(Met {
                source: Source::STDIN,
                inode: None,
            });
            continue;
        }
        if let Some(kind) = search.refuses(path) {
            problems.push(FileError::new(path, kind));
            continue;
        }
        let file = FilePath::within(path.clone(), folder.cloned());
        match file.place().metadata() {
            Ok(found) if found.is_dir() => {
                for entry in walk(&file, search) {
                    match entry {
                        Ok(file) => {
                            // What is version control's own is hidden.
                            let is_own =
                                search.hidden && lies_in_git(below(path, file.source.path()));
                            met_below += u64::from(!is_own);
                            met.push(file);
                        }
                        Err(error) => problems.push(error),
                    }
                }
            }
            Ok(found) if !found.is_file() && search.use_of == FileUse::Rewrite => {
                problems.push(FileError::new(path, FileErrorKind::NotRegular));
            }
            Ok(found) if is_readable_kind(&found) => {
                if search.wants(path) {
                    met.push(Met {
                        source: Source::File(file),
                        inode: Some(found.ino()),
                    });
                }
            }
            Ok(_) => problems.push(FileError::new(path, FileErrorKind::NotAFile)),
            Err(error) => problems.push(FileError::io(path, FileErrorKind::Read, error)),
        }
    }
    met.sort_by_cached_key(|met| order(&met.source));
    drop_second_names(&mut met);
    problems.sort_by(|a, b| a.path.cmp(&b.path));
    Listing {
        sources: met.into_iter().map(|met| met.source).collect(),
        problems,
        met_below,
    }
}

/// Files that are meant but for the rules of version control, or their hidden names.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct PassedOver {
    /// Files that version control ignores.
    pub ignored: u64,
    /// Files that are hidden, or lie in a hidden folder; not those of version control itself.
    pub hidden: u64,
}

/// Counts what [`discover`] passed over below the folders among `paths`. This walks through all of
/// them again.
pub fn passed_over(
    paths: &[PathBuf],
    folder: Option<&Arc<Path>>,
    search: &Search,
    listing: &Listing,
) -> PassedOver {
    let mut passed = PassedOver::default();
    if search.hidden && search.ignored {
        return passed;
    }
    let all = search.of_all();
    let mut others = 0;
    let roots = (paths.iter()).map(|path| FilePath::within(path.clone(), folder.cloned()));
    for root in roots.filter(|root| root.place().is_dir()) {
        for met in walk(&root, &all).into_iter().flatten() {
            let path = below(root.path(), met.source.path());
            if lies_in_git(path) {
                continue;
            }
            match !search.hidden && names(path).any(|name| name.starts_with(b".")) {
                true => passed.hidden += 1,
                false => others += 1,
            }
        }
    }
    passed.ignored = u64::saturating_sub(others, listing.met_below);
    passed
}

/// The part of `path` below the folder `root`.
fn below<'p>(root: &Path, path: &'p Path) -> &'p Path {
    path.strip_prefix(root).unwrap_or(path)
}

fn names(path: &Path) -> impl Iterator<Item = &[u8]> {
    path.iter().map(OsStr::as_encoded_bytes)
}

/// True if a path below a folder leads into what version control keeps for itself.
fn lies_in_git(path: &Path) -> bool {
    names(path).any(|name| name == b".git")
}

/// A file on the way, and its inode as far as the folder says it.
struct Met {
    source: Source,
    inode: Option<u64>,
}

/// By this, sources sort as they compare, and much faster: a `/` goes before all other bytes.
fn order(source: &Source) -> Option<Vec<u8>> {
    let Source::File(path) = source else {
        return None;
    };
    let mut key = path.path().as_os_str().as_encoded_bytes().to_vec();
    for byte in key.iter_mut().filter(|byte| **byte == b'/') {
        *byte = 0;
    }
    Some(key)
}

fn is_readable_kind(found: &std::fs::Metadata) -> bool {
    use std::os::unix::fs::FileTypeExt;
    found.is_file() || found.file_type().is_fifo()
}

/// The files below a folder, in any order.
fn walk(root: &FilePath, search: &Search) -> Vec<Result<Met, FileError>> {
    let filter = Arc::new(search.clone());
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let walk = WalkBuilder::new(&*root.place())
        .hidden(!search.hidden)
        .ignore(!search.ignored)
        .git_ignore(!search.ignored)
        .git_exclude(!search.ignored)
        .parents(!search.ignored)
        .require_git(false)
        .git_global(false)
        .follow_links(false)
        .threads(threads)
        .filter_entry(move |entry| {
            entry.depth() == 0 || !filter.skips(entry.path()) && !filter.is_own(entry)
        })
        .build_parallel();
    let found = Mutex::new(Vec::new());
    walk.run(|| {
        // Each thread hands on what it has found when it is done.
        let mut own = Own {
            found: &found,
            own: Vec::new(),
        };
        Box::new(move |entry| {
            own.own.extend(met(root, search, entry));
            WalkState::Continue
        })
    });
    found.into_inner().unwrap_or_else(PoisonError::into_inner)
}

/// The files that one thread of a walk has found.
struct Own<'w> {
    found: &'w Mutex<Vec<Result<Met, FileError>>>,
    own: Vec<Result<Met, FileError>>,
}

impl Drop for Own<'_> {
    fn drop(&mut self) {
        let mut found = self.found.lock().unwrap_or_else(PoisonError::into_inner);
        found.append(&mut self.own);
    }
}

/// The file of an entry, where it is one and is meant.
fn met(
    root: &FilePath,
    search: &Search,
    entry: Result<DirEntry, ignore::Error>,
) -> Option<Result<Met, FileError>> {
    let entry = match entry {
        Ok(entry) => entry,
        Err(error) => return Some(Err(walk_error(&root.place(), error))),
    };
    let is_file = entry.file_type().is_some_and(|kind| kind.is_file());
    if !is_file || is_copy_name(entry.file_name()) {
        return None;
    }
    let inode = entry.ino();
    let path = entry.into_path();
    let path = match (root.path().as_os_str() == ".", root.folder()) {
        // `bquill find x` and `bquill find x .` list `a.txt`, not `./a.txt`.
        (true, _) => below(&root.place(), &path).to_owned(),
        (false, Some(folder)) if root.path().is_relative() => below(folder, &path).to_owned(),
        (false, _) => path,
    };
    let source = Source::File(FilePath::within(path, root.folder().cloned()));
    search
        .wants(source.path())
        .then_some(Ok(Met { source, inode }))
}

fn walk_error(root: &Path, error: ignore::Error) -> FileError {
    let mut path = root.to_owned();
    let mut inner = &error;
    loop {
        inner = match inner {
            ignore::Error::WithPath { path: at, err } => {
                path.clone_from(at);
                err
            }
            ignore::Error::WithDepth { err, .. } | ignore::Error::WithLineNumber { err, .. } => err,
            _ => break,
        };
    }
    let reason = match error.into_io_error() {
        Some(reason) => reason,
        None => std::io::Error::other("its ignore rules do not parse"),
    };
    FileError::io(&path, FileErrorKind::Read, reason)
}

/// Keeps each (device, inode) once. A file that cannot be looked at stays, so that reading it
/// says why.
fn drop_second_names(all: &mut Vec<Met>) {
    all.dedup_by(|a, b| a.source == b.source);
    // Nearly always, all inodes differ, and no file must be looked at.
    let (mut once, mut twice) = (HashSet::new(), HashSet::new());
    for inode in all.iter().filter_map(|met| met.inode) {
        if !once.insert(inode) {
            twice.insert(inode);
        }
    }
    let mut seen = HashSet::new();
    all.retain(|met| match &met.source {
        Source::File(path) if met.inode.is_none_or(|inode| twice.contains(&inode)) => {
            match path.place().metadata() {
                Ok(found) => seen.insert((found.dev(), found.ino())),
                Err(_) => true,
            }
        }
        _ => true,
    });
}
