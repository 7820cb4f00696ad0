//! The surroundings of the engine, provided by the program that runs it.
//!
//! Note to the maintainer. Nothing below the fronts reads the environment, the clock or the current folder: two hosts
//! with folders of their own work in one process at once.

use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::fs::real::RealFs;
use brisk_quill_files::journal::Journal;
use brisk_quill_files::temporary::Temporaries;
use std::fmt;
use std::io::Write;
use std::os::unix::fs::DirBuilderExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};
use std::{fs, io};

/// Files of one sort that are kept, each for a folder.
const KEPT_MOST: usize = 20;

/// The clock of a host: seconds since 1970.
pub type Clock = Arc<dyn Fn() -> u64 + Send + Sync>;

/// Folders, clock and cancellation, provided by the program that runs the engine.
///
/// ```
/// use brisk_quill_engine::host::Host;
/// let port = tempfile::tempdir()?;
/// let host = Host::new(port.path().join("notices")).with_state(port.path().join("state"));
/// assert_eq!(host.path("a.txt".as_ref()), port.path().join("notices/a.txt"));
/// assert!(host.last_plan().is_some_and(|place| place.starts_with(port.path())));
/// # Ok::<(), std::io::Error>(())
/// ```
#[derive(Clone)]
pub struct Host {
    folder: PathBuf,
    is_own: bool,
    state: Option<PathBuf>,
    clock: Clock,
    token: Arc<CancelToken>,
    temporaries: Arc<OnceLock<Arc<Temporaries>>>,
}

impl fmt::Debug for Host {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut out = f.debug_struct("Host");
        out.field("folder", &self.folder)
            .field("state", &self.state);
        out.finish_non_exhaustive()
    }
}

impl Host {
    /// A host whose relative paths are meant in `folder`, which is absolute, or empty where it is not
    /// known. It keeps nothing, its clock shows 1970, and no one cancels it.
    pub fn new(folder: PathBuf) -> Self {
        Self {
            folder,
            is_own: false,
            state: None,
            clock: Arc::new(|| 0),
            token: Arc::default(),
            temporaries: Arc::default(),
        }
    }

    /// The folder is that of the process: relative paths are used as they are.
    #[must_use]
    pub fn of_process(mut self) -> Self {
        self.is_own = true;
        self
    }

    /// Keeps the journal, last previews, drafts and decisions in the folder `state`, which is made
    /// once it is needed.
    #[must_use]
    pub fn with_state(mut self, state: PathBuf) -> Self {
        self.temporaries = Arc::default();
        self.state = Some(state);
        self
    }

    /// Reads the time from `clock`.
    #[must_use]
    pub fn with_clock(mut self, clock: Clock) -> Self {
        self.clock = clock;
        self
    }

    /// Is cancelled by `token`.
    #[must_use]
    pub fn with_token(mut self, token: Arc<CancelToken>) -> Self {
        self.token = token;
        self
    }

    /// The same host in another folder.
    #[must_use]
    pub fn within(&self, folder: PathBuf) -> Self {
        Self {
            folder,
            ..self.clone()
        }
    }

    /// The same host in a folder that is not that of the process.
    #[must_use]
    pub fn in_folder(&self, folder: PathBuf) -> Self {
        Self {
            is_own: false,
            ..self.within(folder)
        }
    }

    /// The folder in which relative paths are meant, absolute.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The folder that relative paths are meant in, where it is not that of the process.
    pub fn base(&self) -> Option<Arc<Path>> {
        (!self.is_own).then(|| self.folder.as_path().into())
    }

    /// A path as it is opened.
    pub fn path(&self, path: &Path) -> PathBuf {
        match self.is_own {
            true => path.to_owned(),
            false => self.folder.join(path),
        }
    }

    /// Seconds since 1970.
    pub fn now(&self) -> u64 {
        (self.clock)()
    }

    /// The token that cancels what is done.
    pub fn token(&self) -> &Arc<CancelToken> {
        &self.token
    }

    /// The list of temporary files that are removed in the end.
    pub fn temporaries(&self) -> &Arc<Temporaries> {
        // What killed programs have left is looked for only where some are made.
        self.temporaries
            .get_or_init(|| Temporaries::new(self.state.as_deref()))
    }

    /// The folder of what is kept; `None` where nothing is.
    pub fn state(&self) -> Option<&Path> {
        self.state.as_deref()
    }

    /// The journal; `None` where nothing is kept.
    pub fn journal(&self) -> Option<Journal<'static>> {
        self.state.clone().map(|state| Journal::new(&RealFs, state))
    }

    /// The place of the last preview of the folder; `None` where nothing is kept.
    pub fn last_plan(&self) -> Option<PathBuf> {
        self.place_in("last", "plan")
    }

    /// The place of the draft of the folder that was not closed; `None` where nothing is kept.
    pub fn draft(&self) -> Option<PathBuf> {
        self.place_in("drafts", "json")
    }

    /// The place of the last tries of the folder's drafts; `None` where nothing is kept.
    pub(crate) fn tries(&self) -> Option<PathBuf> {
        self.place_in("tries", "json")
    }

    /// A new place for decisions about the plan of this hash, which could not be written to it;
    /// `None` where nothing is kept.
    pub fn new_decisions(&self, hash: &str) -> Option<PathBuf> {
        let folder = self.state.as_ref()?.join("decisions");
        let name = hash.get(..12).unwrap_or(hash);
        let place = |number: u32| folder.join(format!("{name}-{number}.jsonl"));
        (1..).map(place).find(|place| !place.exists())
    }

    /// The place of what is kept for the folder among others of its sort.
    fn place_in(&self, sort: &str, extension: &str) -> Option<PathBuf> {
        if self.folder.as_os_str().is_empty() {
            return None;
        }
        let name = blake3::hash(self.folder.as_os_str().as_encoded_bytes()).to_hex();
        let name = format!("{}.{extension}", &name[..24]);
        Some(self.state.as_ref()?.join(sort).join(name))
    }
}

/// Puts a small file that is kept in its place, whole or not at all, and removes the oldest of too many beside it.
///
/// # Errors
///
/// When it cannot be written; the one that was there before stays.
pub fn put(place: &Path, bytes: &[u8], temporaries: &Arc<Temporaries>) -> io::Result<()> {
    make_room(place)?;
    let mut file = temporaries.beside(place)?;
    file.write_all(bytes)?;
    file.replace(place).map(drop)
}

/// Makes the folder of `place`, and removes the oldest of too many files in it.
///
/// # Errors
///
/// When the folder cannot be made or read.
pub fn make_room(place: &Path) -> io::Result<()> {
    let folder = place.parent().unwrap_or(Path::new("."));
    fs::DirBuilder::new()
        .recursive(true)
        .mode(0o700)
        .create(folder)?;
    let mut kept: Vec<_> = fs::read_dir(folder)?
        .filter_map(|entry| {
            let entry = entry.ok()?;
            Some((entry.metadata().ok()?.modified().ok()?, entry.path()))
        })
        .collect();
    kept.sort();
    let many = (kept.len() + 1).saturating_sub(KEPT_MOST);
    for (_, path) in kept.iter().take(many) {
        let _ = fs::remove_file(path);
    }
    Ok(())
}
