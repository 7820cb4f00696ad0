//! Inference: the tasks of the tests, each over 200 units, and one over 100,000 lines.
//!
//! What is compared with is `find` over the same data, which does no more than read it.

use crate::corpus;
use crate::measure::{Ratio, Table, bquill, time_of};
use serde_json::Value;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

/// Units of the data of each task.
const UNITS: usize = 200;
/// Lines of the large data.
const LINES: u64 = 100_000;

/// Measures it.
pub fn run(table: &mut Table, count: usize) {
    let tasks = include_str!("../../crates/infer/tests/data/inference-tasks.json");
    let tasks: Vec<Value> = serde_json::from_str(tasks).expect("tasks");
    let folder = corpus::folder().join("infer");
    fs::create_dir_all(&folder).expect("a folder");
    let tasks: Vec<(PathBuf, Vec<String>)> = tasks
        .iter()
        .filter(|task| task["possible"] == true && task["doc"].is_null())
        .map(|task| prepared(task, &folder))
        .collect();
    // The median and the longest of all tasks, in each round.
    let (mut medians, mut longest) = (Vec::new(), Vec::new());
    let mut shown = (Duration::ZERO, Duration::ZERO);
    for round in 0..=count {
        let mut times: Vec<(Duration, Duration)> = tasks
            .iter()
            .map(|(data, examples)| {
                (
                    time_of(&mut find(data)),
                    time_of(&mut infer(data, examples)),
                )
            })
            .collect();
        times.sort_by_key(|(_, ours)| *ours);
        if round > 0 {
            medians.push(times[times.len() / 2]);
            longest.push(times[times.len() - 1]);
            shown = (times[times.len() / 2].1, times[times.len() - 1].1);
        }
    }
    let (median, most) = (shown.0.as_millis(), shown.1.as_millis());
    let work = format!(
        "infer: two examples, {UNITS} units, against `find`: the median task ({median} ms)"
    );
    table.add(&work, &Ratio::of(&medians), 40.0, None);
    let work = format!("infer: the longest task ({most} ms)");
    table.add(&work, &Ratio::of(&longest), 400.0, None);
    let large = folder.join("large.txt");
    let lines = (0..LINES).map(|n| format!("{n:06} berth {} is closed\n", n % 997));
    fs::write(&large, lines.collect::<String>()).expect("a file");
    let examples = [["berth 7 is", "B-007 is"], ["berth 31 is", "B-031 is"]].concat();
    let examples: Vec<String> = examples.into_iter().map(str::to_owned).collect();
    let mut of_large = Vec::new();
    for round in 0..=count {
        let pair = (
            time_of(&mut find(&large)),
            time_of(&mut infer(&large, &examples)),
        );
        if round > 0 {
            of_large.push(pair);
        }
    }
    let took = of_large.last().map_or(0, |(_, ours)| ours.as_millis());
    let work = format!("infer: 100,000 lines, against `find` ({took} ms)");
    table.add(&work, &Ratio::of(&of_large), 150.0, None);
}

/// The data of a task as a file, and its first two examples.
fn prepared(task: &Value, folder: &Path) -> (PathBuf, Vec<String>) {
    let id = task["id"].as_str().expect("an id");
    let pairs = |key: &str| task[key].as_array().expect("pairs").clone();
    let text = |value: &Value| value.as_str().expect("a text").to_owned();
    let all = [pairs("examples"), pairs("held")].concat();
    let units: Vec<String> = all
        .iter()
        .cycle()
        .take(UNITS)
        .map(|pair| text(&pair[0]))
        .collect();
    let file = folder.join(format!("{id}.txt"));
    fs::write(&file, units.join("\n") + "\n").expect("a file");
    let two = pairs("examples").into_iter().take(2);
    let words = two.flat_map(|pair| [text(&pair[0]), text(&pair[1])]);
    (file, words.collect())
}

fn find(data: &Path) -> Command {
    let mut command = bquill();
    command
        .args(["find", "berth", "--count", "--no-hints"])
        .arg(data);
    command
}

fn infer(data: &Path, examples: &[String]) -> Command {
    let mut command = bquill();
    command.args(["infer", "--no-hints"]);
    for pair in examples.chunks(2) {
        command.arg("--example").args(pair);
    }
    command.arg(data);
    command
}
