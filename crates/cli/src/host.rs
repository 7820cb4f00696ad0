//! The one room that knows the process: its environment, its folder, its clock and its arguments.

use crate::diagnostic::Diagnostic;
use brisk_quill_core::escape::visible_path;
use brisk_quill_engine::host::Host;
use brisk_quill_files::cancel::CancelToken;
use brisk_quill_files::error::system_words;
use std::ffi::OsString;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::{SystemTime, UNIX_EPOCH};

/// The host that this process is; made once it is needed.
static HOST: Mutex<Option<Arc<Host>>> = Mutex::new(None);

/// Watches every reader of the program.
pub fn cancel_token() -> Arc<CancelToken> {
    static WATCH: OnceLock<Arc<CancelToken>> = OnceLock::new();
    Arc::clone(WATCH.get_or_init(Arc::default))
}

/// The host that this process is. Its folder is empty where that cannot be read.
pub fn host() -> Arc<Host> {
    let mut known = locked();
    let host = known.get_or_insert_with(|| {
        let folder = std::env::current_dir().unwrap_or_default();
        Arc::new(of_folder(folder))
    });
    Arc::clone(host)
}

/// The current folder.
///
/// # Errors
///
/// When it cannot be read.
pub fn current_folder() -> Result<PathBuf, Diagnostic> {
    let host = host();
    match host.folder().as_os_str().is_empty() {
        false => Ok(host.folder().to_owned()),
        true => Err(Diagnostic::trouble(
            "the current folder cannot be read: it was removed, or permission is missing",
        )),
    }
}

fn of_folder(folder: PathBuf) -> Host {
    let host = Host::new(folder)
        .of_process()
        .with_clock(Arc::new(now))
        .with_token(cancel_token());
    match state() {
        Some(state) => host.with_state(state),
        None => host,
    }
}

fn locked() -> MutexGuard<'static, Option<Arc<Host>>> {
    HOST.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Goes to another folder: from here on relative paths are meant there.
///
/// # Errors
///
/// When there is no such folder, or it cannot be entered.
pub fn go_to(folder: &Path) -> Result<(), Diagnostic> {
    let gone = std::env::set_current_dir(folder).and_then(|()| std::env::current_dir());
    let folder = gone.map_err(|error: io::Error| {
        Diagnostic::trouble(format!(
            "cannot go to {}: {}",
            visible_path(folder),
            system_words(&error)
        ))
    })?;
    let mut known = locked();
    *known = Some(Arc::new(match &*known {
        Some(host) => host.within(folder),
        None => of_folder(folder),
    }));
    Ok(())
}

/// The place of what this user keeps: `$XDG_STATE_HOME/brisk-quill`, else `~/.local/state/brisk-quill`;
/// `None` where neither is known.
fn state() -> Option<PathBuf> {
    of_user("XDG_STATE_HOME", ".local/state")
}

/// The place of what this user has set: `$XDG_CONFIG_HOME/brisk-quill`, else `~/.config/brisk-quill`; `None` where neither
/// is known.
pub fn config_folder() -> Option<PathBuf> {
    of_user("XDG_CONFIG_HOME", ".config")
}

/// Our folder in the one that a variable names, else in `below` the home of the user.
fn of_user(name: &str, below: &str) -> Option<PathBuf> {
    let absolute = |name| {
        let path = PathBuf::from(variable(name)?);
        path.is_absolute().then_some(path)
    };
    let folder = absolute(name).or_else(|| absolute("HOME").map(|home| home.join(below)));
    Some(folder?.join("brisk-quill"))
}

/// Seconds since 1970.
fn now() -> u64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH);
    since.map_or(0, |since| since.as_secs())
}

/// A variable of the environment.
pub fn variable(name: &str) -> Option<OsString> {
    std::env::var_os(name)
}

/// The arguments, the program's own name first.
pub fn arguments() -> Vec<OsString> {
    std::env::args_os().collect()
}

/// Makes the program end at the operation of a run that the environment names, as a power cut would.
/// Only the program that is tested does.
pub fn stop_where_wanted() {
    if let Some(operation) = variable("BQUILL_STOP_AT").and_then(|n| n.to_str()?.parse().ok()) {
        brisk_quill_files::fs::real::stop_at(operation);
    }
}

/// The program itself.
///
/// # Errors
///
/// When its place is not known.
pub fn program() -> io::Result<PathBuf> {
    std::env::current_exe()
}
