//! The files of a request.

use crate::host::Host;
use crate::summary::{FileCounts, Summary};
use brisk_quill_files::discover::{GlobError, Listing, PassedOver, Search, discover, passed_over};
use brisk_quill_files::error::FileError;
use brisk_quill_files::repository::{RepositoryError, differ};
use brisk_quill_files::source::Source;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The files of a request, in order of path.
///
/// ```
/// use brisk_quill_engine::host::Host;
/// use brisk_quill_engine::sources::Sources;
/// use brisk_quill_files::discover::Search;
///
/// let folder = tempfile::tempdir()?;
/// std::fs::write(folder.path().join("notice.txt"), "closed\n")?;
/// let search = Search::new(&["*.txt".into()], &[], false)?;
/// let host = Host::new(folder.path().to_owned());
/// let sources = Sources::find(&host, vec![".".into()], search)?;
/// assert_eq!(sources.listing.sources.len(), 1);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Sources {
    /// The files, and the paths that cannot be read.
    pub listing: Listing,
    /// Files met on the way that have no columns.
    pub no_table: u64,
    /// Files that are left out because they are as they were committed.
    pub unchanged: Vec<Source>,
    folder: Option<Arc<Path>>,
    paths: Vec<PathBuf>,
    search: Search,
}

/// Why the files of a request cannot be had.
///
/// ```
/// use brisk_quill_engine::host::Host;
/// use brisk_quill_engine::sources::{Sources, SourcesError};
/// use brisk_quill_files::discover::Search;
/// let found = Sources::find(&Host::new("/port".into()), vec!["no/such/berth".into()], Search::default());
/// assert!(matches!(found, Err(SourcesError::Unreadable(_))));
/// ```
#[derive(Debug, thiserror::Error)]
pub enum SourcesError {
    /// A glob does not parse.
    #[error(transparent)]
    Glob(#[from] GlobError),
    /// Nothing of what is named can be read.
    #[error("none of the given paths can be read")]
    Unreadable(Vec<FileError>),
    /// A file that is named is of no form whose columns are known.
    #[error("the columns of a file are of no known form")]
    NoColumns(Source),
    /// A file cannot be compared with a last commit.
    #[error("{0:?} cannot be compared with the last commit: {1}")]
    NoCommit(Source, RepositoryError),
}

impl Sources {
    /// Files that are known, below no folder.
    pub fn of(listing: Listing) -> Self {
        Self {
            listing,
            no_table: 0,
            unchanged: Vec::new(),
            folder: None,
            paths: Vec::new(),
            search: Search::default(),
        }
    }

    /// The files at and below some paths, which are meant in the folder of a host.
    ///
    /// # Errors
    ///
    /// [`SourcesError::Unreadable`] when none of the paths can be read.
    pub fn find(host: &Host, paths: Vec<PathBuf>, search: Search) -> Result<Self, SourcesError> {
        let folder = host.base();
        let listing = discover(&paths, folder.as_ref(), &search);
        if listing.sources.is_empty() && !listing.problems.is_empty() {
            return Err(SourcesError::Unreadable(listing.problems));
        }
        Ok(Self {
            no_table: 0,
            unchanged: Vec::new(),
            listing,
            folder,
            paths,
            search,
        })
    }

    /// Keeps the files with columns, as `is_table` says. A file that is named must have them;
    /// those met on the way are passed over.
    ///
    /// # Errors
    ///
    /// [`SourcesError::NoColumns`] with the first named file without columns.
    pub fn only_tables(mut self, is_table: &dyn Fn(&Source) -> bool) -> Result<Self, SourcesError> {
        let all = self.listing.sources.len();
        let without = |source: &&Source| !is_table(source) && self.is_named(source);
        if let Some(source) = self.listing.sources.iter().find(without) {
            return Err(SourcesError::NoColumns(source.clone()));
        }
        self.listing.sources.retain(|source| is_table(source));
        self.no_table = (all - self.listing.sources.len()) as u64;
        Ok(self)
    }

    /// Keeps the files that differ from the last commit of the repository that they lie in, and standard input.
    ///
    /// # Errors
    ///
    /// [`SourcesError::NoCommit`] with the first file that lies in no repository, or in one that cannot be read.
    pub fn only_changed(mut self) -> Result<Self, SourcesError> {
        let sources = std::mem::take(&mut self.listing.sources);
        let differing = differ(sources.iter().map(Source::place));
        for (source, differs) in sources.into_iter().zip(differing) {
            match differs {
                _ if source.is_stdin() => self.listing.sources.push(source),
                Ok(true) => self.listing.sources.push(source),
                Ok(false) => self.unchanged.push(source),
                Err(error) => return Err(SourcesError::NoCommit(source, error)),
            }
        }
        Ok(self)
    }

    /// True if the current folder as a whole is meant.
    pub fn is_current_folder(&self) -> bool {
        matches!(&self.paths[..], [only] if only.as_os_str() == ".")
    }

    /// True if a source was named, and not met below a folder.
    pub fn is_named(&self, source: &Source) -> bool {
        self.paths.iter().any(|path| path == source.path())
    }

    /// The files that were left out below the paths.
    pub fn passed_over(&self) -> PassedOver {
        passed_over(
            &self.paths,
            self.folder.as_ref(),
            &self.search,
            &self.listing,
        )
    }

    /// True if a source is among the first this many; they are in order.
    pub(crate) fn is_among_first(&self, source: &Source, most: usize) -> bool {
        let next = self.listing.sources.get(most);
        next.is_none_or(|next| source < next)
    }

    /// Files below the paths that are hidden, or that version control ignores, where those are left
    /// out; at most this many.
    pub(crate) fn left_out(&self, most: usize) -> Vec<Source> {
        let mut all = discover(&self.paths, self.folder.as_ref(), &self.search.of_all()).sources;
        let taken = self.listing.sources.iter().chain(&self.unchanged);
        let taken: std::collections::HashSet<&Source> = taken.collect();
        let in_git = |source: &Source| source.path().iter().any(|name| name == ".git");
        all.retain(|source| !taken.contains(source) && !in_git(source));
        all.truncate(most);
        all
    }

    /// A summary in which nothing has been read yet.
    pub(crate) fn summary(&self) -> Summary {
        Summary {
            files: FileCounts {
                unreadable: self.listing.problems.len() as u64,
                no_table: self.no_table,
                ..FileCounts::default()
            },
            ..Summary::default()
        }
    }
}
