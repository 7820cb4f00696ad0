//! Rewrite files read from the disk.

use crate::tables::{FileTables, move_tables};
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::{FaultyStep, RewriteFileError, RewriteText};
use brisk_quill_core::step_spec::StepSpec;
use brisk_quill_files::error::system_words;
use brisk_quill_files::fs::open::read_all;
use std::io;
use std::path::{Path, PathBuf};

/// The longest pattern or rewrite file, in bytes.
const TEXT_MOST: u64 = 64 << 20;

/// Why a text of a request cannot be read from its file.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// The file cannot be read.
    #[error("{}: {}", visible_path(path), system_words(source))]
    Io {
        /// The file.
        path: PathBuf,
        /// The reason.
        source: io::Error,
    },
    /// The file is not text.
    #[error("{} is not UTF-8", visible_path(.0))]
    NotUtf8(PathBuf),
}

/// Why a rewrite file cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum LoadError {
    /// The file cannot be read.
    #[error(transparent)]
    Read(ReadError),
    /// The file is not a rewrite file.
    #[error("{source}")]
    Parse {
        /// The text of the file, in which the fault has its place.
        text: String,
        /// The fault.
        #[source]
        source: RewriteFileError,
    },
    /// A pattern cannot be read from the file that a step names.
    #[error("the pattern: {0}")]
    Pattern(ReadError),
    /// A step has no meaning.
    #[error(transparent)]
    Step(FaultyStep),
}

/// A rewrite file in words and built. Paths in it are relative to it; `complete` may add to each step what the
/// file does not say.
///
/// ```
/// use brisk_quill_engine::rewrite_loading::load_rewrite;
///
/// let folder = tempfile::tempdir()?;
/// let file = folder.path().join("berths.toml");
/// std::fs::write(&file, "[[step]]\nmatch = '''berth (\\d)'''\nwith = '''B-$1'''\n")?;
/// let (text, rewrite) = load_rewrite(&file, |_| ())?;
/// assert_eq!((text.step.len(), rewrite.steps().len()), (1, 1));
/// assert!(load_rewrite(&folder.path().join("nowhere.toml"), |_| ()).is_err());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
///
/// When it, or a file that it names, cannot be read, or it is not a rewrite.
pub fn load_rewrite(
    path: &Path,
    complete: impl Fn(&mut StepSpec),
) -> Result<(RewriteText, Rewrite), LoadError> {
    let source = read_text(path).map_err(LoadError::Read)?;
    build_rewrite(source, path, complete)
}

/// The same of a text that has been read, or is not in the file yet; `path` is the one that it lies at.
///
/// # Errors
///
/// As [`load_rewrite`].
pub fn build_rewrite(
    source: String,
    path: &Path,
    complete: impl Fn(&mut StepSpec),
) -> Result<(RewriteText, Rewrite), LoadError> {
    let mut text = match RewriteText::parse(&source) {
        Ok(text) => text,
        Err(error) => {
            return Err(LoadError::Parse {
                text: source,
                source: error,
            });
        }
    };
    let base = path.parent().unwrap_or(Path::new(""));
    for step in &mut text.step {
        if let Some(file) = step.pattern_file.take() {
            let pattern = read_pattern(&base.join(file)).map_err(LoadError::Pattern)?;
            step.pattern = Some(pattern);
        }
        complete(step);
    }
    let rewrite = text
        .build(&mut FileTables::new(base))
        .map_err(LoadError::Step)?;
    for (words, step) in text.step.iter_mut().zip(rewrite.steps()) {
        move_tables(words, step, |table| {
            base.join(table).to_string_lossy().into_owned()
        });
    }
    Ok((text, rewrite))
}

/// The pattern in a file, without the line end that an editor adds.
///
/// # Errors
///
/// When it cannot be read or is not UTF-8.
pub fn read_pattern(path: &Path) -> Result<String, ReadError> {
    let text = read_text(path)?;
    let text = text.strip_suffix('\n').unwrap_or(&text);
    Ok(text.strip_suffix('\r').unwrap_or(text).to_owned())
}

/// The text of a file that is a part of a request.
///
/// # Errors
///
/// When it cannot be read or is not UTF-8.
pub fn read_text(path: &Path) -> Result<String, ReadError> {
    let bytes = read_all(path, TEXT_MOST).map_err(|source| ReadError::Io {
        path: path.to_owned(),
        source,
    })?;
    String::from_utf8(bytes).map_err(|_| ReadError::NotUtf8(path.to_owned()))
}
