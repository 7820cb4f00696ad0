//! From paths and globs to the files that are meant.

use crate::{FileError, Trouble};
use globset::{GlobBuilder, GlobSet, GlobSetBuilder};
use ignore::WalkBuilder;
use std::collections::HashSet;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Where a text comes from. The order is that of the bytes of the path; standard input is first.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Source {
    /// Standard input.
    Stdin,
    /// A file, as it was named or as it was found below a folder that was named.
    File(PathBuf),
}

impl Source {
    /// The path, `-` for standard input.
    pub fn path(&self) -> &Path {
        match self {
            Self::Stdin => Path::new("-"),
            Self::File(path) => path,
        }
    }
}

/// Which files below a folder are meant.
#[derive(Clone, Debug, Default)]
pub struct Search {
    files: Option<GlobSet>,
    skip: Option<GlobSet>,
    hidden: bool,
}

/// A glob that does not parse.
#[derive(Debug, thiserror::Error)]
#[error("`{glob}` is no glob: {reason}")]
pub struct GlobError {
    /// As it was written.
    pub glob: String,
    reason: String,
}

impl Search {
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
        })
    }

    /// Whether a file of this path is meant.
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
            reason: error.kind().to_string(),
        })?);
    }
    let set = set.build().map_err(|error| GlobError {
        glob: globs.join(" "),
        reason: error.to_string(),
    })?;
    Ok(Some(set))
}

/// What [`discover`] found.
#[derive(Debug, Default)]
pub struct Listing {
    /// In order, each file once.
    pub sources: Vec<Source>,
    /// Paths that could not be looked at, in order of path.
    pub problems: Vec<FileError>,
}

/// Finds the files that `paths` mean: files as they are, folders with all below them.
///
/// Files that version control ignores, and hidden ones, are passed over while walking; symbolic
/// links are followed where they are named, not where they are met. A file that is named twice,
/// even under two names, is listed once, under the first name in order. `-` is standard input.
pub fn discover(paths: &[PathBuf], search: &Search) -> Listing {
    let mut listing = Listing::default();
    for path in paths {
        if path.as_os_str() == "-" {
            listing.sources.push(Source::Stdin);
            continue;
        }
        match path.metadata() {
            Ok(found) if found.is_dir() => walk(path, search, &mut listing),
            Ok(found) if is_readable_kind(&found) => {
                if search.wants(path) {
                    listing.sources.push(Source::File(path.clone()));
                }
            }
            Ok(_) => listing
                .problems
                .push(FileError::new(path, Trouble::NotAFile)),
            Err(error) => listing
                .problems
                .push(FileError::io(path, Trouble::Read, error)),
        }
    }
    listing.sources.sort();
    listing.problems.sort_by(|a, b| a.path.cmp(&b.path));
    drop_second_names(&mut listing.sources);
    listing
}

fn is_readable_kind(found: &std::fs::Metadata) -> bool {
    use std::os::unix::fs::FileTypeExt;
    found.is_file() || found.file_type().is_fifo()
}

fn walk(root: &Path, search: &Search, listing: &mut Listing) {
    let filter = Arc::new(search.clone());
    let entries = WalkBuilder::new(root)
        .hidden(!search.hidden)
        .require_git(false)
        .git_global(false)
        .follow_links(false)
        .filter_entry(move |entry| entry.depth() == 0 || !filter.skips(entry.path()))
        .build();
    for entry in entries {
        match entry {
            Ok(entry) if entry.file_type().is_some_and(|kind| kind.is_file()) => {
                let path = match entry.path().strip_prefix("./") {
                    // `bquill find x` and `bquill find x .` list `a.txt`, not `./a.txt`.
                    Ok(rest) if root == Path::new(".") => rest,
                    _ => entry.path(),
                };
                if search.wants(path) {
                    listing.sources.push(Source::File(path.to_owned()));
                }
            }
            Ok(_) => {}
            Err(error) => listing.problems.push(walk_error(root, error)),
        }
    }
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
    FileError::io(&path, Trouble::Read, reason)
}

/// Keeps each (device, inode) once. A file that cannot be looked at stays, so that reading it
/// tells why.
fn drop_second_names(sources: &mut Vec<Source>) {
    let mut seen = HashSet::new();
    sources.dedup();
    sources.retain(|source| match source {
        Source::Stdin => true,
        Source::File(path) => match path.metadata() {
            Ok(found) => seen.insert((found.dev(), found.ino())),
            Err(_) => true,
        },
    });
}
