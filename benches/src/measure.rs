//! Times and memory of programs, and ratios of them.

use std::fmt;
use std::fs;
use std::path::PathBuf;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// How long `work` takes.
pub fn timed(work: impl FnOnce()) -> Duration {
    let start = Instant::now();
    work();
    start.elapsed()
}

/// What running a program took.
#[derive(Clone, Copy, Debug)]
pub struct Cost {
    pub time: Duration,
    /// The most memory it held, in KiB, as far as that was seen.
    pub peak: u64,
}

/// Runs a program to its end; its output goes nowhere.
///
/// # Panics
///
/// When it cannot be run, or fails.
pub fn run(command: &mut Command) -> Cost {
    let start = Instant::now();
    let mut child = command
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .spawn()
        .expect("a program");
    let status = format!("/proc/{}/status", child.id());
    let mut peak = 0;
    loop {
        let text = fs::read_to_string(&status).unwrap_or_default();
        let line = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
        let kib = line.and_then(|line| line.split_whitespace().next()?.parse().ok());
        peak = peak.max(kib.unwrap_or(0));
        if let Some(status) = child.try_wait().expect("a child") {
            assert!(status.success(), "{command:?} ended with {status}");
            let time = start.elapsed();
            return Cost { time, peak };
        }
        std::thread::sleep(Duration::from_millis(2));
    }
}

/// The program of the product, which must have been built.
pub fn bquill() -> Command {
    let own = std::env::current_exe().expect("a path of its own");
    let path: PathBuf = own.with_file_name("bquill");
    assert!(path.exists(), "build it first: cargo build --release");
    Command::new(path)
}

/// This program, doing what a floor does.
pub fn floor(name: &str) -> Command {
    let mut command = Command::new(std::env::current_exe().expect("a path of its own"));
    command.args(["floor", name]);
    command
}

/// Ratios of pairs that were measured one after the other: the middle one, and the ends.
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

impl fmt::Display for Ratio {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (least, most) = (self.ratios[0], self.ratios[self.ratios.len() - 1]);
        write!(
            f,
            "ratio {:.2} (from {least:.2} to {most:.2})",
            self.median()
        )
    }
}
