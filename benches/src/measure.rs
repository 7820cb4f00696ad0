//! Time and memory that programs take, and ratios of them.

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use std::{fmt, fs};

/// The time that `work` takes.
pub fn timed(work: impl FnOnce()) -> Duration {
    let start = Instant::now();
    work();
    start.elapsed()
}

/// The time a program takes; its output goes nowhere.
///
/// # Panics
///
/// When it cannot be run, or cannot do what it is asked. That there is nothing to find is no
/// failure.
pub fn time_of(command: &mut Command) -> Duration {
    let start = Instant::now();
    let mut child = started(command);
    let status = child.wait().expect("a child");
    let time = start.elapsed();
    assert!(
        matches!(status.code(), Some(0 | 1)),
        "{command:?} ended with {status}"
    );
    time
}

/// The same for one that writes to `out`, which is not there yet.
pub fn time_afresh(command: &mut Command, out: &Path) -> Duration {
    remove(out);
    // What is still to be written of the round before is not this one's to wait for.
    rustix::fs::sync();
    time_of(command)
}

/// Removes a file, or a folder with all in it, where it is there.
pub fn remove(out: &Path) {
    let _ = match out.is_dir() {
        true => fs::remove_dir_all(out),
        false => fs::remove_file(out),
    };
}

/// The most memory a program held, in KiB, as far as that was seen.
pub fn peak_of(command: &mut Command) -> u64 {
    let mut child = started(command);
    let status = format!("/proc/{}/status", child.id());
    let mut peak = 0;
    while child.try_wait().expect("a child").is_none() {
        let text = fs::read_to_string(&status).unwrap_or_default();
        let line = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
        let kib = line.and_then(|line| line.split_whitespace().next()?.parse().ok());
        peak = peak.max(kib.unwrap_or(0));
        std::thread::sleep(Duration::from_millis(2));
    }
    peak
}

fn started(command: &mut Command) -> Child {
    command
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .spawn()
        .expect("a program")
}

/// The program of the product, which must have been built. Its state is kept out of the way.
pub fn bquill() -> Command {
    let own = std::env::current_exe().expect("a path of its own");
    let path: PathBuf = own.with_file_name("bquill");
    assert!(path.exists(), "build it first: cargo build --profile dist");
    let mut command = Command::new(path);
    command.env("XDG_STATE_HOME", crate::corpus::folder().join("state"));
    command
}

/// This program, doing what a floor does.
pub fn floor(name: &str) -> Command {
    let mut command = Command::new(std::env::current_exe().expect("a path of its own"));
    command.args(["floor", name]);
    command
}

/// Runs floor and ours in turn, so that both meet the same machine; a first round warms up.
pub fn rounds(
    rounds: usize,
    mut floor: impl FnMut() -> Duration,
    mut ours: impl FnMut() -> Duration,
) -> Vec<(Duration, Duration)> {
    let mut pairs: Vec<_> = (0..=rounds).map(|_| (floor(), ours())).collect();
    pairs.remove(0);
    pairs
}

/// Ratios of pairs that were measured one after the other: the middle one, and the ends.
#[derive(Clone)]
pub struct Ratio {
    ratios: Vec<f64>,
}

impl Ratio {
    /// Of (floor, ours).
    pub fn of(pairs: &[(Duration, Duration)]) -> Self {
        let ratio = |(floor, ours): &(Duration, Duration)| ours.as_secs_f64() / floor.as_secs_f64();
        let mut ratios: Vec<f64> = pairs.iter().map(ratio).collect();
        ratios.sort_by(f64::total_cmp);
        Self { ratios }
    }

    /// The middle one.
    pub fn median(&self) -> f64 {
        self.ratios[self.ratios.len() / 2]
    }
}

/// The table of what was measured. A row is printed as soon as it is known.
pub struct Table;

impl Table {
    /// Prints the head.
    pub fn begin() -> Self {
        println!("| work | median | from … to | at most | memory |");
        println!("|---|---:|---:|---:|---:|");
        Self
    }

    /// Adds a row; `peak` in KiB.
    pub fn add(&mut self, work: impl fmt::Display, ratio: &Ratio, goal: f64, peak: Option<u64>) {
        let (least, most) = (ratio.ratios[0], ratio.ratios[ratio.ratios.len() - 1]);
        let median = ratio.median();
        let missed = if median > goal { " (missed)" } else { "" };
        let peak = peak.map_or(String::new(), |kib| {
            format!("{} MiB", kib.div_ceil(1 << 10))
        });
        println!("| {work} | {median:.2}{missed} | {least:.2} … {most:.2} | {goal} | {peak} |");
    }
}
