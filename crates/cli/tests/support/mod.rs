//! Drives the built program on files in a temporary folder.

pub mod browser;
pub mod term;

use serde_json::Value;
use std::io::Write;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// A folder with files, and the program in it.
pub struct Sandbox {
    folder: tempfile::TempDir,
    /// The place of the journal.
    state: tempfile::TempDir,
}

/// The output of the program.
pub struct Got {
    pub status: i32,
    pub out: String,
    pub raw: Vec<u8>,
    pub err: String,
}

impl Sandbox {
    pub fn new() -> Self {
        Self {
            folder: tempfile::tempdir().unwrap(),
            state: tempfile::tempdir().unwrap(),
        }
    }

    /// A sandbox with one file.
    pub fn with(name: &str, bytes: impl AsRef<[u8]>) -> Self {
        let sandbox = Self::new();
        sandbox.write(name, bytes);
        sandbox
    }

    /// A sandbox with the sample files of the Port of Larkmoor.
    pub fn larkmoor() -> Self {
        let sandbox = Self::new();
        copy_tree(
            &Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo"),
            sandbox.path(),
        );
        sandbox
    }

    pub fn path(&self) -> &Path {
        self.folder.path()
    }

    /// The folder that holds the journal's.
    pub fn state(&self) -> &Path {
        self.state.path()
    }

    pub fn file(&self, name: &str) -> PathBuf {
        self.path().join(name)
    }

    pub fn write(&self, name: &str, bytes: impl AsRef<[u8]>) {
        let path = self.file(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, bytes).unwrap();
    }

    pub fn read(&self, name: &str) -> Vec<u8> {
        std::fs::read(self.file(name)).unwrap()
    }

    pub fn text(&self, name: &str) -> String {
        String::from_utf8(self.read(name)).unwrap()
    }

    /// Every file below the folder, with its bytes.
    pub fn snapshot(&self) -> Vec<(PathBuf, Vec<u8>)> {
        let mut files = Vec::new();
        collect(self.path(), self.path(), &mut files);
        files.sort();
        files
    }

    /// Runs the program with words split at blanks; a word may stand between single quotes.
    pub fn run(&self, line: &str) -> Got {
        self.args(&words(line))
    }

    pub fn args(&self, args: &[impl AsRef<std::ffi::OsStr>]) -> Got {
        finish(self.command().args(args).stdin(Stdio::null()))
    }

    /// Runs the program with `input` on its standard input.
    pub fn pipe(&self, input: impl AsRef<[u8]> + Send, line: &str) -> Got {
        let mut command = self.command();
        command.args(words(line)).stdin(Stdio::piped());
        command.stdout(Stdio::piped()).stderr(Stdio::piped());
        let mut child = command.spawn().unwrap();
        let mut stdin = child.stdin.take().unwrap();
        // What comes out must be read while more goes in.
        std::thread::scope(|scope| {
            scope.spawn(move || {
                // The program may end before it has read everything.
                let _ = stdin.write_all(input.as_ref());
            });
            got(child.wait_with_output().unwrap())
        })
    }

    /// Runs the program as a user whom permissions bind, even where the tests run as root.
    pub fn run_bound(&self, line: &str) -> Got {
        if !rustix::process::geteuid().is_root() {
            return self.run(line);
        }
        // The build folder may lie where such a user cannot go.
        let program = self.state().join("bquill");
        if !program.exists() {
            std::fs::copy(env!("CARGO_BIN_EXE_bquill"), &program).unwrap();
        }
        let owned = Command::new("chown")
            .args(["-R", "65534:65534"])
            .args([self.path(), self.state()])
            .status();
        assert!(owned.unwrap().success());
        let mut command = self.command_of(&program);
        command.args(words(line)).stdin(Stdio::null());
        finish(command.uid(65534).gid(65534))
    }

    /// Runs the program so that no file may grow over this many bytes.
    pub fn run_limited(&self, bytes: u64, line: &str) -> Got {
        let mut command = self.command();
        command.args(words(line)).stdin(Stdio::null());
        let limit = rustix::process::Rlimit {
            current: Some(bytes),
            maximum: Some(bytes),
        };
        // SAFETY: setrlimit is safe to call between fork and exec.
        #[expect(unsafe_code, reason = "a limit must be set in the child")]
        unsafe {
            command.pre_exec(move || {
                Ok(rustix::process::setrlimit(
                    rustix::process::Resource::Fsize,
                    limit,
                )?)
            });
        }
        finish(&mut command)
    }

    pub fn command(&self) -> Command {
        self.command_of(Path::new(env!("CARGO_BIN_EXE_bquill")))
    }

    fn command_of(&self, program: &Path) -> Command {
        let mut command = Command::new(program);
        command.current_dir(self.path()).env_remove("NO_COLOR");
        command.env("XDG_STATE_HOME", self.state());
        command.env("XDG_CONFIG_HOME", self.state().join("config"));
        command
    }
}

/// The number of cases of a law, which has this many as a rule.
pub fn cases(usual: u32) -> u32 {
    let asked = std::env::var("LAW_CASES").ok();
    asked.and_then(|n| n.parse().ok()).unwrap_or(usual)
}

impl std::fmt::Debug for Got {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "status {}\n{}\n{}", self.status, self.out, self.err)
    }
}

/// One of the outputs of a run has a part.
#[track_caller]
pub fn said(got: &Got, part: &str) {
    assert!(
        got.out.contains(part) || got.err.contains(part),
        "no {part:?} in {got:#?}"
    );
}

impl Got {
    /// The records of `--json` output.
    pub fn records(&self) -> Vec<Value> {
        let lines = self.out.lines();
        lines
            .map(|line| serde_json::from_str(line).unwrap())
            .collect()
    }

    pub fn of_kind(&self, kind: &str) -> Vec<Value> {
        let all = self.records().into_iter();
        all.filter(|record| record["record"] == kind).collect()
    }

    /// The number beside a name in the table of counts.
    pub fn count(&self, name: &str) -> Option<u64> {
        let row = self
            .out
            .lines()
            .rev()
            .find_map(|l| l.trim().strip_prefix(name))?;
        row.split_whitespace().next()?.replace(',', "").parse().ok()
    }

    pub fn ok(self) -> Self {
        assert_eq!(self.status, 0, "{self:#?}");
        self
    }
}

pub fn finish(command: &mut Command) -> Got {
    got(command.output().unwrap())
}

fn got(output: std::process::Output) -> Got {
    Got {
        status: output.status.code().unwrap_or(-1),
        out: String::from_utf8_lossy(&output.stdout).into_owned(),
        raw: output.stdout,
        err: String::from_utf8_lossy(&output.stderr).into_owned(),
    }
}

/// Words at blanks, but for what stands between single quotes.
pub fn words(line: &str) -> Vec<String> {
    let mut words = Vec::new();
    let mut word: Option<String> = None;
    let mut quoted = false;
    for c in line.chars() {
        match c {
            '\'' => {
                quoted = !quoted;
                word.get_or_insert_default();
            }
            ' ' if !quoted => words.extend(word.take()),
            c => word.get_or_insert_default().push(c),
        }
    }
    words.extend(word);
    words
}

fn copy_tree(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).unwrap();
    for entry in std::fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let target = to.join(entry.file_name());
        if entry.file_type().unwrap().is_dir() {
            copy_tree(&entry.path(), &target);
        } else {
            std::fs::copy(entry.path(), target).unwrap();
        }
    }
}

fn collect(root: &Path, folder: &Path, files: &mut Vec<(PathBuf, Vec<u8>)>) {
    // A folder that may not be read holds nothing that a test compares.
    for entry in std::fs::read_dir(folder).into_iter().flatten() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            collect(root, &path, files);
        } else {
            let name = path.strip_prefix(root).unwrap().to_owned();
            files.push((name, std::fs::read(&path).unwrap_or_default()));
        }
    }
}
