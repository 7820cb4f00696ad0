//! A file system in memory that keeps what is visible apart from what is on the disk, and can
//! be stopped at any operation.

use brisk_quill_files::{Fs, Stat};
use std::collections::{BTreeMap, BTreeSet};
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

/// What of the unsynced state survives a crash.
#[derive(Clone, Copy, Debug)]
pub enum Survives {
    Nothing,
    Everything,
    Some(u64),
}

/// What somebody else does to a file.
#[derive(Clone, Copy, Debug)]
pub enum Meddle {
    Edit,
    Replace,
    Delete,
}

#[derive(Clone, Default)]
struct Inode {
    visible: Vec<u8>,
    durable: Vec<u8>,
    written: i64,
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
    folders: BTreeSet<PathBuf>,
    pending: Vec<Change>,
    clock: i64,
    operations: u64,
    /// Stop at this operation.
    stop_at: u64,
    stopped: bool,
    /// At this operation somebody else writes to a file.
    meddle: Option<(u64, PathBuf, Meddle)>,
}

#[derive(Clone, Default)]
pub struct ModelFs(Arc<Mutex<State>>);

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
        (inode.visible, inode.written) = (bytes, written);
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
        }
        model
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

    pub fn meddle_at(&self, n: u64, path: &str, how: Meddle) {
        self.0.lock().unwrap().meddle = Some((n, path.into(), how));
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
                    1 => {
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
        if state
            .meddle
            .as_ref()
            .is_some_and(|(n, ..)| *n == state.operations)
        {
            let (_, path, how) = state.meddle.take().unwrap();
            let inode = match how {
                Meddle::Edit => state.inode(&path)?,
                Meddle::Replace => state.inodes.len() as u64 + 1,
                Meddle::Delete => 0,
            };
            match how {
                Meddle::Delete => state.change(Change::Unlink(path)),
                _ => {
                    state.write(inode, b"edited".to_vec());
                    state.change(Change::Link(path, inode));
                }
            }
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

impl Fs for ModelFs {
    fn sync_threads(&self, _: usize) -> usize {
        // One, so that every run is the same.
        1
    }

    fn stat(&self, path: &Path) -> io::Result<Stat> {
        let state = self.tick()?;
        let inode = state.inode(path)?;
        let found = &state.inodes[&inode];
        Ok(Stat {
            device: 1,
            inode,
            bytes: found.visible.len() as u64,
            written: (found.written, 0),
            names: 1,
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

    fn overwrite(&self, path: &Path, with: &Path) -> io::Result<()> {
        let (source, target) = {
            let state = self.tick()?;
            (state.inode(with)?, state.inode(path)?)
        };
        let bytes = self.0.lock().unwrap().inodes[&source].visible.clone();
        // In two strokes, so that a crash may fall between them.
        let half = bytes[..bytes.len() / 2].to_vec();
        self.tick()?.write(target, half);
        self.tick()?.write(target, bytes);
        self.sync(path)
    }

    fn dress(&self, copy: &Path, like: &Path) -> io::Result<()> {
        let state = self.tick()?;
        state.inode(copy).and_then(|_| state.inode(like)).map(drop)
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

    fn exchange(&self, one: &Path, other: &Path) -> io::Result<()> {
        let mut state = self.tick()?;
        state.inode(one).and_then(|_| state.inode(other))?;
        state.change(Change::Exchange(one.to_owned(), other.to_owned()));
        Ok(())
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        let mut state = self.tick()?;
        state.inode(path)?;
        state.change(Change::Unlink(path.to_owned()));
        Ok(())
    }

    fn make_folder(&self, path: &Path) -> io::Result<()> {
        self.new_name(&path.join("."))?;
        self.0.lock().unwrap().folders.insert(path.to_owned());
        Ok(())
    }

    fn list(&self, path: &Path) -> io::Result<Vec<String>> {
        let state = self.tick()?;
        let below = state
            .visible
            .keys()
            .filter_map(|name| name.strip_prefix(path).ok());
        let first = below.filter_map(|name| name.components().next());
        let names: BTreeSet<String> = first
            .map(|c| c.as_os_str().to_string_lossy().into_owned())
            .collect();
        Ok(names.into_iter().collect())
    }

    fn must_stand(&self, path: &Path) -> io::Result<bool> {
        drop(self.tick()?);
        Ok(path.extension().is_some_and(|kind| kind == "hard"))
    }

    fn check_writable(&self, _: &Path) -> io::Result<()> {
        self.tick().map(drop)
    }
}
