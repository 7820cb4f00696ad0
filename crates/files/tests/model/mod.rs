//! A file system in memory that keeps what is visible apart from what is on the disk, and can
//! be stopped at any operation.

use brisk_quill_files::fs::{
    Confinement, FileId, Folder, Fs, LeadsElsewhere, Place, ReadFile, Removal, Replacing, Stat,
};
use std::collections::{BTreeMap, BTreeSet};
use std::ffi::{OsStr, OsString};
use std::io::{self, Cursor, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard};

/// A small generator, so that every case can be made again from its seed.
pub struct Dice(pub u64);

impl Dice {
    pub fn below(&mut self, n: u64) -> u64 {
        self.0 = self
            .0
            .wrapping_mul(6364136223846793005)
            .wrapping_add(1442695040888963407);
        (self.0 >> 33) % n.max(1)
    }
}

/// The part of the unsynced state that survives a crash.
#[derive(Clone, Copy, Debug)]
pub enum Survives {
    Nothing,
    Everything,
    Some(u64),
}

#[derive(Clone, Default)]
struct Inode {
    visible: Vec<u8>,
    durable: Vec<u8>,
    written: i64,
    changed: i64,
    mode: u32,
}

#[derive(Clone)]
enum Change {
    Link(PathBuf, u64),
    Unlink(PathBuf),
    Exchange(PathBuf, PathBuf),
}

#[derive(Default)]
struct State {
    inodes: BTreeMap<u64, Inode>,
    visible: BTreeMap<PathBuf, u64>,
    durable: BTreeMap<PathBuf, u64>,
    /// The folders there are by their paths, and where those that were opened are now.
    folders: BTreeMap<PathBuf, u64>,
    moved: BTreeMap<u64, PathBuf>,
    /// Folders that a run has made: what lies in them is lost where they are.
    made: BTreeSet<PathBuf>,
    random: u128,
    /// The bytes of a file when its folder was swapped.
    noted: String,
    pending: Vec<Change>,
    clock: i64,
    operations: u64,
    /// Stop at this operation.
    stop_at: u64,
    stopped: bool,
    /// Interferences at operations.
    hooks: Vec<(u64, Hook)>,
}

type Hook = Box<dyn FnOnce(&ModelFs) + Send>;

#[derive(Clone, Default)]
pub struct ModelFs(Arc<Mutex<State>>);

/// The name of the `n`th copy that is made on a model, from 0.
pub fn copy_name(n: u128) -> String {
    format!(".bquill-{:032x}", n + 1)
}

fn parent(path: &Path) -> PathBuf {
    path.parent().unwrap().to_owned()
}

fn missing() -> io::Error {
    io::ErrorKind::NotFound.into()
}

impl State {
    fn apply(names: &mut BTreeMap<PathBuf, u64>, change: &Change) {
        match change {
            Change::Link(path, inode) => drop(names.insert(path.clone(), *inode)),
            Change::Unlink(path) => drop(names.remove(path)),
            Change::Exchange(one, other) => {
                let (a, b) = (names.remove(one), names.remove(other));
                names.extend(a.map(|inode| (other.clone(), inode)));
                names.extend(b.map(|inode| (one.clone(), inode)));
            }
        }
    }

    fn change(&mut self, change: Change) {
        Self::apply(&mut self.visible, &change);
        self.pending.push(change);
    }

    fn inode(&self, path: &Path) -> io::Result<u64> {
        self.visible.get(path).copied().ok_or_else(missing)
    }

    fn write(&mut self, inode: u64, bytes: Vec<u8>) {
        self.clock += 1;
        let written = self.clock;
        let inode = self.inodes.entry(inode).or_default();
        (inode.visible, inode.written, inode.changed) = (bytes, written, written);
    }

    /// Renaming a file sets the time of its last change, and not that of its bytes.
    fn renamed(&mut self, path: &Path) {
        self.clock += 1;
        let changed = self.clock;
        if let Some(inode) = self.visible.get(path).and_then(|i| self.inodes.get_mut(i)) {
            inode.changed = changed;
        }
    }

    fn folder_id(&mut self, path: &Path) -> u64 {
        let next = 1000 + (self.folders.len() + self.moved.len()) as u64;
        *self.folders.entry(path.to_owned()).or_insert(next)
    }

    /// The current place of an opened folder.
    fn now(&self, folder: &ModelFolder) -> PathBuf {
        let moved = self.moved.get(&folder.id);
        moved.cloned().unwrap_or_else(|| folder.path.clone())
    }
}

impl Change {
    fn folder(&self) -> PathBuf {
        match self {
            Self::Link(path, _) | Self::Unlink(path) | Self::Exchange(path, _) => parent(path),
        }
    }
}

impl ModelFs {
    /// A disk with these files on it, and a folder for the journal.
    pub fn with(files: &[(&str, &str)]) -> Self {
        let model = Self::default();
        for (name, text) in files {
            let mut state = model.0.lock().unwrap();
            let inode = state.inodes.len() as u64 + 1;
            state.write(inode, text.as_bytes().to_vec());
            let durable = text.as_bytes().to_vec();
            state.inodes.get_mut(&inode).unwrap().durable = durable;
            state.visible.insert(name.into(), inode);
            state.durable.insert(name.into(), inode);
            state.folder_id(&parent(Path::new(name)));
        }
        model
    }

    /// A file of another program, which is on the disk at once.
    pub fn foreign(&self, path: &str, text: &str) {
        self.put(path, text.as_bytes());
        let mut state = self.0.lock().unwrap();
        let inode = state.visible[Path::new(path)];
        state.durable.insert(path.into(), inode);
        let durable = text.as_bytes().to_vec();
        state.inodes.get_mut(&inode).unwrap().durable = durable;
    }

    /// True if some file holds this.
    pub fn holds(&self, text: &str) -> bool {
        let state = self.0.lock().unwrap();
        let mut files = state.visible.values();
        files.any(|inode| state.inodes[inode].visible == text.as_bytes())
    }

    /// Writes to a file as another program would.
    pub fn edit(&self, path: &str, text: &str) {
        let mut state = self.0.lock().unwrap();
        if let Some(inode) = state.visible.get(Path::new(path)).copied() {
            state.write(inode, text.as_bytes().to_vec());
        }
    }

    /// Writes bytes to a file, which are on the disk at once.
    pub fn edit_bytes(&self, path: &str, bytes: &[u8]) {
        let mut state = self.0.lock().unwrap();
        if let Some(inode) = state.visible.get(Path::new(path)).copied() {
            state.write(inode, bytes.to_vec());
            state.inodes.get_mut(&inode).unwrap().durable = bytes.to_vec();
        }
    }

    pub fn bytes(&self, path: &str) -> Vec<u8> {
        let state = self.0.lock().unwrap();
        let inode = state.visible.get(Path::new(path));
        inode.map_or(Vec::new(), |inode| state.inodes[inode].visible.clone())
    }

    /// Puts another file in the place of one.
    pub fn replace(&self, path: &str, text: &str) {
        let mut state = self.0.lock().unwrap();
        let inode = state.inodes.len() as u64 + 1;
        state.write(inode, text.as_bytes().to_vec());
        state.change(Change::Link(path.into(), inode));
    }

    pub fn delete(&self, path: &str) {
        self.0.lock().unwrap().change(Change::Unlink(path.into()));
    }

    /// Gives a file another mode.
    pub fn set_mode(&self, path: &str, mode: u32) {
        let mut state = self.0.lock().unwrap();
        state.clock += 1;
        let changed = state.clock;
        if let Some(inode) = state.visible.get(Path::new(path)).copied() {
            let inode = state.inodes.get_mut(&inode).unwrap();
            (inode.mode, inode.changed) = (mode, changed);
        }
    }

    pub fn mode(&self, path: &str) -> u32 {
        let state = self.0.lock().unwrap();
        let inode = state.visible.get(Path::new(path));
        inode.map_or(0, |inode| state.inodes[inode].mode)
    }

    /// Moves a folder away, and puts another in its place with copies of its files.
    pub fn swap_folder(&self, path: &str) {
        let mut state = self.0.lock().unwrap();
        let away = PathBuf::from(format!("{path}-moved"));
        let id = state.folder_id(Path::new(path));
        let below: Vec<_> = (state.visible.iter())
            .filter(|(name, _)| parent(name) == Path::new(path))
            .map(|(name, inode)| (name.clone(), *inode))
            .collect();
        for (name, inode) in below {
            let moved = away.join(name.file_name().unwrap());
            let bytes = state.inodes[&inode].visible.clone();
            for names in [true, false] {
                let names = if names {
                    &mut state.visible
                } else {
                    &mut state.durable
                };
                names.remove(&name);
                names.insert(moved.clone(), inode);
            }
            let copy = state.inodes.len() as u64 + 1;
            state.write(copy, bytes.clone());
            state.inodes.get_mut(&copy).unwrap().durable = bytes;
            state.visible.insert(name.clone(), copy);
            state.durable.insert(name, copy);
        }
        for change in &mut state.pending {
            let moved = |at: &PathBuf| match at.strip_prefix(path) {
                Ok(name) => away.join(name),
                Err(_) => at.clone(),
            };
            *change = match change {
                Change::Link(at, inode) => Change::Link(moved(at), *inode),
                Change::Unlink(at) => Change::Unlink(moved(at)),
                Change::Exchange(one, other) => Change::Exchange(moved(one), moved(other)),
            };
        }
        state.folders.remove(Path::new(path));
        state.moved.insert(id, away);
        state.noted = state
            .visible
            .get(&Path::new(path).join("c.txt"))
            .map_or("(missing)".into(), |inode| {
                String::from_utf8_lossy(&state.inodes[inode].visible).into_owned()
            });
        let fresh = 5000 + state.operations;
        state.folders.insert(path.into(), fresh);
    }

    /// The bytes of `c.txt` when its folder was swapped.
    pub fn noted(&self) -> String {
        self.0.lock().unwrap().noted.clone()
    }

    /// Removes a folder and all in it.
    pub fn remove_tree(&self, path: &str) {
        let mut state = self.0.lock().unwrap();
        state.visible.retain(|name, _| !name.starts_with(path));
        state.durable.retain(|name, _| !name.starts_with(path));
        state.folders.remove(Path::new(path));
    }

    /// Does something at the `n`th operation from now on.
    pub fn at(&self, n: u64, hook: impl FnOnce(&ModelFs) + Send + 'static) {
        let mut state = self.0.lock().unwrap();
        state.operations = 0;
        state.hooks.push((n, Box::new(hook)));
    }

    /// True if all that was to be done at some operation has been done.
    pub fn is_through_hooks(&self) -> bool {
        self.0.lock().unwrap().hooks.is_empty()
    }

    /// Gives a file another name.
    pub fn rename(&self, from: &str, to: &str) {
        let mut state = self.0.lock().unwrap();
        if let Some(inode) = state.visible.get(Path::new(from)).copied() {
            state.change(Change::Link(to.into(), inode));
            state.change(Change::Unlink(from.into()));
        }
    }

    /// Another model in the same state.
    pub fn fork(&self) -> Self {
        let state = self.0.lock().unwrap();
        Self(Arc::new(Mutex::new(State {
            inodes: state.inodes.clone(),
            visible: state.visible.clone(),
            durable: state.durable.clone(),
            folders: state.folders.clone(),
            moved: state.moved.clone(),
            made: state.made.clone(),
            random: state.random,
            noted: state.noted.clone(),
            pending: state.pending.clone(),
            clock: state.clock,
            operations: state.operations,
            stop_at: state.stop_at,
            stopped: state.stopped,
            hooks: Vec::new(),
        })))
    }

    /// Puts a file on the disk.
    pub fn put(&self, path: &str, bytes: &[u8]) {
        let mut state = self.0.lock().unwrap();
        let inode = state.inodes.len() as u64 + 1;
        state.write(inode, bytes.to_vec());
        state.visible.insert(path.into(), inode);
    }

    /// Every operation may fail from now on: the `n`th does, and all after it. 0 is never.
    pub fn stop_at(&self, n: u64) {
        let mut state = self.0.lock().unwrap();
        (state.operations, state.stop_at, state.stopped) = (0, n, false);
    }

    /// As [`ModelFs::stop_at`], counted on.
    pub fn stop_later(&self, n: u64) {
        self.0.lock().unwrap().stop_at = n;
    }

    /// A folder that is there although no file was put into it at the start.
    pub fn make_known(&self, path: &str) {
        self.0.lock().unwrap().folder_id(Path::new(path));
    }

    pub fn operations(&self) -> u64 {
        self.0.lock().unwrap().operations
    }

    pub fn stopped(&self) -> bool {
        self.0.lock().unwrap().stopped
    }

    /// The machine starts again: what was not synced is lost, or not, or in part.
    pub fn reboot(&self, survives: Survives) {
        let mut state = self.0.lock().unwrap();
        let state = &mut *state;
        let mut dice = Dice(match survives {
            Survives::Some(seed) => seed,
            _ => 0,
        });
        let mut cut = BTreeSet::new();
        for change in std::mem::take(&mut state.pending) {
            // Within one folder names change in order; between folders there is none.
            let kept = match survives {
                Survives::Nothing => false,
                Survives::Everything => true,
                Survives::Some(_) => !cut.contains(&change.folder()) && dice.below(4) > 0,
            };
            match kept {
                true => State::apply(&mut state.durable, &change),
                false => drop(cut.insert(change.folder())),
            }
        }
        for inode in state.inodes.values_mut() {
            let whole = inode.visible.len() as u64;
            match survives {
                Survives::Nothing => {}
                Survives::Everything => inode.durable.clone_from(&inode.visible),
                Survives::Some(_) if inode.durable != inode.visible => match dice.below(3) {
                    0 => inode.durable.clone_from(&inode.visible),
                    // A file that was cut has its old length or its new one.
                    1 if !inode.durable.starts_with(&inode.visible) => {
                        // What is only added to does not lose what it had.
                        let added = inode.visible.starts_with(&inode.durable);
                        let least = if added { inode.durable.len() as u64 } else { 0 };
                        let kept = least + dice.below(whole + 1 - least);
                        inode.durable = inode.visible[..kept as usize].to_vec();
                    }
                    _ => {}
                },
                Survives::Some(_) => {}
            }
            inode.visible.clone_from(&inode.durable);
        }
        // What lies in a folder that was lost is lost.
        let lost: Vec<_> = (state.made.iter())
            .filter(|folder| !state.durable.contains_key(*folder))
            .cloned()
            .collect();
        for folder in lost {
            state.durable.retain(|name, _| !name.starts_with(&folder));
            state.made.remove(&folder);
        }
        state.visible.clone_from(&state.durable);
        (state.stopped, state.stop_at) = (false, 0);
    }

    pub fn text(&self, path: &str) -> String {
        let state = self.0.lock().unwrap();
        let inode = state.visible.get(Path::new(path));
        inode.map_or("(missing)".into(), |i| {
            String::from_utf8_lossy(&state.inodes[i].visible).into_owned()
        })
    }

    pub fn names(&self) -> Vec<String> {
        let state = self.0.lock().unwrap();
        state
            .visible
            .keys()
            .map(|path| path.display().to_string())
            .collect()
    }

    /// Counts an operation; fails where the machine stops.
    fn tick(&self) -> io::Result<MutexGuard<'_, State>> {
        let mut state = self.0.lock().unwrap();
        state.operations += 1;
        let now = state.operations;
        while let Some(due) = state.hooks.iter().position(|(n, _)| *n == now) {
            let (_, hook) = state.hooks.remove(due);
            drop(state);
            hook(self);
            state = self.0.lock().unwrap();
        }
        if state.stop_at > 0 && state.operations >= state.stop_at {
            state.stopped = true;
        }
        match state.stopped {
            true => Err(io::Error::other("the machine has stopped")),
            false => Ok(state),
        }
    }

    fn new_name(&self, path: &Path) -> io::Result<u64> {
        let mut state = self.tick()?;
        if state.visible.contains_key(path) {
            return Err(io::ErrorKind::AlreadyExists.into());
        }
        let inode = state.inodes.len() as u64 + 1;
        state.write(inode, Vec::new());
        state.change(Change::Link(path.to_owned(), inode));
        Ok(inode)
    }
}

struct Writer {
    model: ModelFs,
    inode: u64,
}

impl Write for Writer {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let mut state = self.model.tick()?;
        let mut new = state.inodes[&self.inode].visible.clone();
        new.extend_from_slice(bytes);
        state.write(self.inode, new);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// A file that was opened, as it is now.
struct Reading<'m> {
    model: &'m ModelFs,
    inode: u64,
    bytes: Cursor<Vec<u8>>,
}

impl Read for Reading<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.bytes.read(buffer)
    }
}

impl ReadFile for Reading<'_> {
    fn stat(&self) -> io::Result<Stat> {
        Ok(stat(&*self.model.tick()?, self.inode))
    }
}

fn stat(state: &State, inode: u64) -> Stat {
    let found = &state.inodes[&inode];
    Stat {
        id: FileId { device: 1, inode },
        bytes: found.visible.len() as u64,
        written: (found.written, 0),
        changed: (found.changed, 0),
        mode: found.mode,
        owner: (0, 0),
        names: 1,
    }
}

impl Fs for ModelFs {
    fn sync_threads(&self, _: usize) -> usize {
        // One, so that every run is the same.
        1
    }

    fn random(&self) -> io::Result<u128> {
        let mut state = self.0.lock().unwrap();
        state.random += 1;
        Ok(state.random)
    }

    fn folder(&self, path: &Path) -> io::Result<Arc<dyn Folder>> {
        let state = self.tick()?;
        let id = *state.folders.get(path).ok_or_else(missing)?;
        Ok(Arc::new(ModelFolder {
            model: self.clone(),
            path: path.to_owned(),
            id,
        }))
    }

    fn locate(&self, path: &Path, _: &Confinement) -> io::Result<Place> {
        Ok(Place {
            folder: self.folder(&parent(path))?,
            name: path.file_name().unwrap().to_owned(),
        })
    }

    fn read(&self, path: &Path) -> io::Result<Box<dyn Read + '_>> {
        let state = self.tick()?;
        let inode = state.inode(path)?;
        Ok(Box::new(Cursor::new(state.inodes[&inode].visible.clone())))
    }

    fn create(&self, path: &Path) -> io::Result<Box<dyn Write + '_>> {
        let inode = self.new_name(path)?;
        Ok(Box::new(Writer {
            model: self.clone(),
            inode,
        }))
    }

    fn append(&self, path: &Path) -> io::Result<Box<dyn Write + '_>> {
        let inode = self.tick()?.inode(path)?;
        Ok(Box::new(Writer {
            model: self.clone(),
            inode,
        }))
    }

    fn truncate(&self, path: &Path, length: u64) -> io::Result<()> {
        let mut state = self.tick()?;
        let inode = state.inode(path)?;
        let cut = state.inodes[&inode].visible[..length as usize].to_vec();
        state.write(inode, cut);
        drop(state);
        self.sync(path)
    }

    fn sync(&self, path: &Path) -> io::Result<()> {
        let mut state = self.tick()?;
        let inode = state.inode(path)?;
        let inode = state.inodes.get_mut(&inode).unwrap();
        inode.durable.clone_from(&inode.visible);
        Ok(())
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        let mut state = self.tick()?;
        let state = &mut *state;
        let pending = std::mem::take(&mut state.pending);
        let (ours, others): (Vec<_>, Vec<_>) =
            pending.into_iter().partition(|c| c.folder() == path);
        ours.iter()
            .for_each(|change| State::apply(&mut state.durable, change));
        state.pending = others;
        Ok(())
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        let mut state = self.tick()?;
        state.inode(path)?;
        state.change(Change::Unlink(path.to_owned()));
        Ok(())
    }

    fn make_folder(&self, path: &Path) -> io::Result<()> {
        self.new_name(path)?;
        self.0.lock().unwrap().made.insert(path.to_owned());
        Ok(())
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        if !self.list(path)?.is_empty() {
            return Err(io::ErrorKind::DirectoryNotEmpty.into());
        }
        self.remove(path)
    }

    fn list(&self, path: &Path) -> io::Result<Vec<String>> {
        let state = self.tick()?;
        let below = state.visible.keys().filter(|name| parent(name) == path);
        let name = |path: &PathBuf| path.file_name().unwrap().to_string_lossy().into_owned();
        Ok(below.map(name).collect())
    }
}

struct ModelFolder {
    model: ModelFs,
    path: PathBuf,
    id: u64,
}

impl ModelFolder {
    /// Counts an operation on a name, and gives where it is now.
    fn tick(&self, name: &OsStr) -> io::Result<(MutexGuard<'_, State>, PathBuf)> {
        let state = self.model.tick()?;
        let path = state.now(self).join(name);
        Ok((state, path))
    }
}

impl Folder for ModelFolder {
    fn path(&self) -> &Path {
        &self.path
    }

    fn id(&self) -> FileId {
        FileId {
            device: 1,
            inode: self.id,
        }
    }

    fn is_at_its_path(&self) -> bool {
        let state = self.model.0.lock().unwrap();
        state.folders.get(&self.path) == Some(&self.id)
    }

    fn stat(&self, name: &OsStr) -> io::Result<Stat> {
        let (state, path) = self.tick(name)?;
        Ok(stat(&state, state.inode(&path)?))
    }

    fn read(&self, name: &OsStr) -> io::Result<Box<dyn ReadFile + '_>> {
        let (state, path) = self.tick(name)?;
        let inode = state.inode(&path)?;
        let bytes = Cursor::new(state.inodes[&inode].visible.clone());
        Ok(Box::new(Reading {
            model: &self.model,
            inode,
            bytes,
        }))
    }

    fn create(&self, name: &OsStr) -> io::Result<FileId> {
        let path = self.tick(name)?.1;
        let inode = self.model.new_name(&path)?;
        Ok(FileId { device: 1, inode })
    }

    fn write(&self, name: &OsStr, id: FileId) -> io::Result<Box<dyn Write + '_>> {
        let (state, path) = self.tick(name)?;
        match state.inode(&path)? == id.inode {
            true => Ok(Box::new(Writer {
                model: self.model.clone(),
                inode: id.inode,
            })),
            false => Err(LeadsElsewhere::error()),
        }
    }

    fn copy_attributes(&self, from: &OsStr, to: &OsStr, id: FileId) -> io::Result<blake3::Hash> {
        let (mut state, from) = self.tick(from)?;
        // What is called so cannot be made like another.
        if from.extension().is_some_and(|kind| kind == "strange") {
            return Err(io::ErrorKind::PermissionDenied.into());
        }
        let to = state.now(self).join(to);
        let mode = state.inodes[&state.inode(&from)?].mode;
        let inode = state.inode(&to)?;
        if inode != id.inode {
            return Err(LeadsElsewhere::error());
        }
        state.inodes.get_mut(&inode).unwrap().mode = mode;
        Ok(blake3::hash(&mode.to_le_bytes()))
    }

    fn attributes(&self, name: &OsStr) -> io::Result<blake3::Hash> {
        let (state, path) = self.tick(name)?;
        let mode = state.inodes[&state.inode(&path)?].mode;
        Ok(blake3::hash(&mode.to_le_bytes()))
    }

    fn sync_file(&self, name: &OsStr) -> io::Result<()> {
        let path = self.tick(name)?.1;
        self.model.sync(&path)
    }

    fn sync(&self) -> io::Result<()> {
        let path = self.tick(OsStr::new(""))?.1;
        self.model.sync_folder(&parent(&path.join("x")))
    }

    fn overwrite(&self, name: &OsStr, id: FileId, with: &mut dyn Read) -> io::Result<()> {
        let (state, path) = self.tick(name)?;
        let target = state.inode(&path)?;
        drop(state);
        if target != id.inode {
            return Err(LeadsElsewhere::error());
        }
        let mut bytes = Vec::new();
        with.read_to_end(&mut bytes)?;
        // In two strokes, so that a crash may fall between them.
        let half = bytes[..bytes.len() / 2].to_vec();
        self.model.tick()?.write(target, half);
        self.model.tick()?.write(target, bytes);
        self.model.sync(&path)
    }

    fn exchange(&self, one: &OsStr, other: &OsStr) -> io::Result<()> {
        let (mut state, one) = self.tick(one)?;
        let other = state.now(self).join(other);
        state.inode(&one).and_then(|_| state.inode(&other))?;
        state.change(Change::Exchange(one.clone(), other.clone()));
        state.renamed(&one);
        state.renamed(&other);
        Ok(())
    }

    fn remove(&self, name: &OsStr, ours: &dyn Fn(&Stat) -> bool) -> io::Result<Removal> {
        let (mut state, path) = self.tick(name)?;
        let Ok(inode) = state.inode(&path) else {
            return Ok(Removal::Missing);
        };
        if !ours(&stat(&state, inode)) {
            return Ok(Removal::NotOurs);
        }
        state.change(Change::Unlink(path));
        Ok(Removal::Removed)
    }

    fn list(&self) -> io::Result<Vec<OsString>> {
        let path = self.tick(OsStr::new("x"))?.1;
        let names = self.model.list(&parent(&path))?;
        Ok(names.into_iter().map(OsString::from).collect())
    }

    fn replacing(&self, name: &OsStr) -> io::Result<Replacing> {
        let path = self.tick(name)?.1;
        Ok(match path.extension().is_some_and(|kind| kind == "hard") {
            true => Replacing::InPlace,
            false => Replacing::Exchange,
        })
    }

    fn check_writable(&self, name: &OsStr) -> io::Result<()> {
        self.tick(name).map(drop)
    }
}
