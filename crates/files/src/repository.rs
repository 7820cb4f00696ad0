//! Files beside the last commit of the repository that they lie in, which is only read.

use git2::{ErrorCode, Repository, StatusOptions};
use std::collections::{HashMap, HashSet};
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// Files that are looked at one by one; beyond that, the whole of their repository is.
const ONE_BY_ONE: usize = 200;

/// Why it cannot be said whether a file differs from the last commit.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RepositoryError {
    /// The file lies in no repository.
    #[error("it lies in no repository of version control")]
    InNone,
    /// The repository belongs to another user, so what it says is not believed.
    #[error("its repository belongs to another user, so it is not read")]
    OfAnother,
    /// The repository cannot be read: the words of the library.
    #[error("its repository cannot be read: {0}")]
    Unreadable(String),
}

impl From<git2::Error> for RepositoryError {
    fn from(error: git2::Error) -> Self {
        match error.code() {
            ErrorCode::NotFound => Self::InNone,
            ErrorCode::Owner => Self::OfAnother,
            _ => Self::Unreadable(error.message().to_owned()),
        }
    }
}

/// For each of `places`, in order: true if the file differs from the last commit of the repository that it lies
/// in, or is not part of it. A file that the repository ignores is not.
///
/// Symbolic links are followed. Nothing is written, not even what a repository keeps to be faster.
pub fn differ(
    places: impl Iterator<Item = impl AsRef<Path>>,
) -> Vec<Result<bool, RepositoryError>> {
    let mut repositories = Repositories::default();
    let found: Vec<_> = places
        .map(|place| repositories.holding(place.as_ref()))
        .collect();
    let differing: Vec<_> = (repositories.opened.iter().enumerate())
        .map(|(number, opened)| {
            let theirs = found.iter().flatten().filter(|(of, _)| *of == number);
            opened.differing(theirs.map(|(_, below)| &**below).collect())
        })
        .collect();
    let one = |found: Result<(usize, PathBuf), RepositoryError>| {
        let (number, below) = found?;
        let differing = differing[number].as_ref().map_err(Clone::clone)?;
        Ok(differing.contains(&below))
    };
    found.into_iter().map(one).collect()
}

/// The repositories met so far.
#[derive(Default)]
struct Repositories {
    opened: Vec<Opened>,
    /// The repository that each folder lies in.
    of_folder: HashMap<PathBuf, Result<usize, RepositoryError>>,
}

/// A repository, and the folder that its files lie in, without links.
struct Opened {
    repository: Repository,
    root: PathBuf,
}

impl Repositories {
    /// The number of the repository of a file, and the file's path below its root.
    fn holding(&mut self, place: &Path) -> Result<(usize, PathBuf), RepositoryError> {
        let place = place.canonicalize();
        let place = place.map_err(|error| RepositoryError::Unreadable(error.to_string()))?;
        let folder = place.parent().unwrap_or(&place);
        let number = match self.of_folder.get(folder) {
            Some(known) => known.clone(),
            None => {
                let number = self.open(folder);
                self.of_folder.insert(folder.to_owned(), number.clone());
                number
            }
        }?;
        let below = place.strip_prefix(&self.opened[number].root);
        let below = below.map_err(|_| RepositoryError::InNone)?;
        Ok((number, below.to_owned()))
    }

    /// The number of the repository that a folder lies in.
    fn open(&mut self, folder: &Path) -> Result<usize, RepositoryError> {
        let repository = Repository::discover(folder)?;
        let root = repository.workdir().ok_or(RepositoryError::InNone)?;
        let root = root.canonicalize();
        let root = root.map_err(|error| RepositoryError::Unreadable(error.to_string()))?;
        let known = self.opened.iter().position(|opened| opened.root == root);
        Ok(known.unwrap_or_else(|| {
            self.opened.push(Opened { repository, root });
            self.opened.len() - 1
        }))
    }
}

impl Opened {
    /// The files that differ from the last commit; of `wanted` at least, which are paths below the root.
    fn differing(&self, wanted: Vec<&Path>) -> Result<HashSet<PathBuf>, RepositoryError> {
        let mut options = StatusOptions::new();
        options
            .include_untracked(true)
            .recurse_untracked_dirs(true)
            .exclude_submodules(true)
            .disable_pathspec_match(true);
        if wanted.len() <= ONE_BY_ONE {
            for path in wanted {
                options.pathspec(path);
            }
        }
        let statuses = self.repository.statuses(Some(&mut options))?;
        let paths = statuses.iter();
        let paths = paths.map(|entry| Path::new(OsStr::from_bytes(entry.path_bytes())).to_owned());
        Ok(paths.collect())
    }
}
