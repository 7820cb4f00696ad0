//! Rewritten files in another place, the sources left alone.

use crate::collector::{Collector, Events, FileHunk};
use crate::host::Host;
use brisk_quill_core::problem::Problem;
use brisk_quill_core::rewrite::sink::Unmet;
use brisk_quill_files::error::FileError;
use brisk_quill_files::plan::Plan;
use brisk_quill_files::source::Source;
use brisk_quill_files::staging::destination::Destination;
use brisk_quill_files::staging::{Copying, Staged, Staging, stage_all};
use brisk_quill_files::store::store_of::Packing;
use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, BTreeSet};
use std::os::unix::fs::MetadataExt;
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

/// The place of each source, as it is named, and where that is.
type Places = BTreeMap<Source, (PathBuf, Destination)>;

/// The destinations of copies of the sources.
///
/// ```
/// use brisk_quill_engine::copy_out::Targets;
/// use brisk_quill_engine::host::Host;
/// use brisk_quill_files::source::Source;
/// let folder = tempfile::tempdir()?;
/// let host = Host::new(folder.path().to_owned());
/// let to = folder.path().join("new.md");
/// let sources = [Source::file(folder.path().join("01.md"))];
/// assert!(Targets::new(&host, &to, sources.iter(), false).is_ok());
/// // What is there already is not overwritten unasked.
/// std::fs::write(&to, "a result of yesterday")?;
/// assert!(Targets::new(&host, &to, sources.iter(), false).is_err());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Targets {
    places: Places,
    /// The copies written until all are complete.
    pub staging: Staging,
}

/// Why files cannot go where they should. Nothing has been written.
///
/// ```
/// use brisk_quill_engine::copy_out::Targets;
/// use brisk_quill_engine::host::Host;
/// use brisk_quill_files::source::Source;
/// let folder = tempfile::tempdir()?;
/// let host = Host::new(folder.path().to_owned());
/// let to = folder.path().join("new.md");
/// let sources = [Source::file(folder.path().join("01.md"))];
/// assert!(Targets::new(&host, &to, sources.iter(), false).is_ok());
/// // What is there already is not overwritten unasked.
/// std::fs::write(&to, "a result of yesterday")?;
/// assert!(Targets::new(&host, &to, sources.iter(), false).is_err());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, thiserror::Error)]
pub enum TargetError {
    /// Several files do not fit on one stream.
    #[error("only one file fits on standard output")]
    SeveralOnStdout,
    /// A place cannot be written.
    #[error(transparent)]
    File(#[from] FileError),
    /// A copy would overwrite a source.
    #[error("a copy would overwrite a source: {}", .0.display())]
    OnSource(PathBuf),
    /// Two sources would be written to one place.
    #[error("two sources would be written to one place: {}", place.display())]
    SamePlace {
        /// The place.
        place: PathBuf,
        /// The sources.
        sources: Box<[Source; 2]>,
    },
    /// There are files already that are not to be overwritten.
    #[error("there is already a file: {}", first.display())]
    AlreadyThere {
        /// The first file.
        first: PathBuf,
        /// The number of further ones.
        more: u64,
    },
}

impl Targets {
    /// Copies of `sources` go to `to`. No two may come to lie in one place, and none on a source;
    /// files that are there are refused unless they are to be overwritten.
    ///
    /// # Errors
    ///
    /// When that is not so.
    pub fn new<'s>(
        host: &Host,
        to: &Path,
        sources: impl ExactSizeIterator<Item = &'s Source>,
        overwrite: bool,
    ) -> Result<Self, TargetError> {
        let several = sources.len() != 1;
        let is_stream = to.as_os_str() == "-";
        if is_stream && several {
            return Err(TargetError::SeveralOnStdout);
        }
        let folder = !is_stream && (several || host.path(to).is_dir() || ends_in_slash(to));
        let mut places = BTreeMap::new();
        for source in sources {
            let path = match folder {
                true => to.join(below(source.path())),
                false => to.to_owned(),
            };
            let destination = Destination::of(&host.path(&path))?;
            places.insert(source.clone(), (path, destination));
        }
        check_apart(&places)?;
        if !overwrite {
            check_new(&places)?;
        }
        Ok(Self {
            places,
            staging: Staging::new(Arc::clone(host.temporaries())),
        })
    }

    /// The place of a source.
    fn place(&self, source: &Source) -> Destination {
        // Every source has been given one.
        let place = self.places.get(source);
        place.map_or(Destination::Stdout, |(_, destination)| destination.clone())
    }

    /// True if something is written to standard output.
    pub fn use_stdout(&self) -> bool {
        let mut places = self.places.values();
        places.any(|(_, destination)| *destination == Destination::Stdout)
    }

    /// A collector that copies `source` while it is evaluated, so that it is read only once.
    pub fn copy(&self, source: &Source) -> CopyCollector<'_> {
        CopyCollector {
            copy: Copying::new(&self.staging, source, self.place(source)),
            problems: Vec::new(),
            unmet: Vec::new(),
        }
    }

    /// Copies the files of a plan.
    ///
    /// # Errors
    ///
    /// When one cannot be read or its copy not be written.
    pub fn copy_plan(&self, plan: &Plan) -> Result<Vec<Staged>, FileError> {
        stage_all(&self.staging, plan, &|source| self.place(source))
    }
}

/// Every source needs a place of its own, which no source lies in.
fn check_apart(places: &Places) -> Result<(), TargetError> {
    let taken: BTreeSet<PathBuf> = (places.keys())
        .filter_map(|source| source.place().canonicalize().ok())
        .collect();
    // A source may have several names.
    let number = |path: &Path| path.metadata().ok().map(|found| (found.dev(), found.ino()));
    let numbers: BTreeSet<(u64, u64)> = places.keys().filter_map(|s| number(&s.place())).collect();
    let mut seen = BTreeMap::new();
    for (source, (path, destination)) in places {
        let is_source = match destination {
            Destination::Existing(place) => number(place).is_some_and(|one| numbers.contains(&one)),
            Destination::New(_) | Destination::Stream(_) | Destination::Stdout => false,
        };
        if is_source || taken.contains(destination.path()) {
            return Err(TargetError::OnSource(path.clone()));
        }
        match seen.entry(destination) {
            Entry::Vacant(free) => free.insert(source),
            Entry::Occupied(taken) => {
                let taken: &Source = taken.get();
                return Err(TargetError::SamePlace {
                    place: path.clone(),
                    sources: Box::new([taken.clone(), source.clone()]),
                });
            }
        };
    }
    Ok(())
}

/// Files that are there are not overwritten without being asked to.
fn check_new(places: &Places) -> Result<(), TargetError> {
    let mut all = (places.values())
        .filter(|(_, destination)| matches!(destination, Destination::Existing(_)));
    let Some((first, _)) = all.next() else {
        return Ok(());
    };
    Err(TargetError::AlreadyThere {
        first: first.clone(),
        more: all.count() as u64,
    })
}

/// Copies one file with its changes.
pub struct CopyCollector<'s> {
    copy: Copying<'s>,
    /// All problems.
    pub problems: Vec<Problem>,
    /// All units that do not match what they must.
    pub unmet: Vec<Unmet>,
}

impl CopyCollector<'_> {
    /// Ends the copy.
    ///
    /// # Errors
    ///
    /// When it could not be written.
    pub fn finish(self) -> Result<Option<Staged>, FileError> {
        self.copy.end()
    }
}

impl Events for CopyCollector<'_> {
    fn hunk(&mut self, hunk: &FileHunk<'_>) {
        hunk.edits.iter().for_each(|edit| self.copy.change(edit));
    }

    fn problem(&mut self, problem: Problem) {
        self.problems.push(problem);
    }

    fn unmet(&mut self, unmet: Unmet) {
        self.unmet.push(unmet);
    }

    fn wants_bytes(&self) -> bool {
        true
    }

    fn packed(&mut self, packing: &Packing) {
        self.copy.packed(packing);
    }

    fn bytes(&mut self, raw: &[u8]) {
        self.copy.bytes(raw);
    }
}

impl Collector for CopyCollector<'_> {
    fn join(&mut self, part: Self) {
        // It is shown all bytes of a file, so no part of one is copied.
        self.problems.extend(part.problems);
        self.unmet.extend(part.unmet);
    }
}

/// The path as it lies below another folder: without its root and without `..`.
fn below(path: &Path) -> PathBuf {
    path.components()
        .filter(|part| matches!(part, Component::Normal(_)))
        .collect()
}

fn ends_in_slash(path: &Path) -> bool {
    path.as_os_str().as_encoded_bytes().ends_with(b"/")
}
