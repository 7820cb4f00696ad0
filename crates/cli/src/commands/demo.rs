//! `demo`: the sample files, and a walk through the whole loop on them.

use crate::args::definitions::{DemoArgs, When};
use crate::diagnostic::Diagnostic;
use crate::host::program;
use crate::output::Output;
use crate::status::Status;
use brisk_quill_core::escape::visible_path;
use brisk_quill_files::error::system_words;
use include_dir::{Dir, include_dir};
use std::io::{self, IsTerminal};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// The files of the fictional Port of Larkmoor.
static SAMPLES: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/../../demo");

/// One stop of the walk: what to say, and the command that shows it.
struct Stop {
    says: &'static str,
    words: &'static [&'static str],
}

/// The pattern that the walk arrives at.
const BERTH: &str = r"berth[\s#-]*(?:no\. )?(\d+)";

const WALK: &[Stop] = &[
    Stop {
        says: "1. Match. Which berths do the notices name? Try a first pattern.",
        words: &["find", r"berth (\d+)", "notices", "--show", "3"],
    },
    Stop {
        says: "2. Which lines does it nearly match, and what stands in the way?",
        words: &[
            "find",
            r"berth (\d+)",
            "-i",
            "notices",
            "--missing",
            "--why",
            "--show",
            "0",
        ],
    },
    Stop {
        says: "3. It misses `Berth no. 4`, `Berth-8`, `berth  3` and `berth #11`, and capitals. Let letter case\n   \
               not matter, and allow more between the word and the number.",
        words: &["find", BERTH, "-i", "notices", "--show", "4"],
    },
    Stop {
        says: "4. Replace. See each line before and after; nothing is written.",
        words: &[
            "preview", BERTH, "-i", "--with", "B-$1", "notices", "--show", "4",
        ],
    },
    Stop {
        says: "5. Narrow. The heading and the date stand in the first three lines of each notice:\n   \
               leave them alone, and take only the first berth of each line.",
        words: &[
            "preview", BERTH, "-i", "--with", "B-$1", "--lines", "4..", "--pick", "first",
            "notices", "--show", "4",
        ],
    },
    Stop {
        says: "6. Several steps. Each sees the text that the one before it left.",
        words: &[
            "preview",
            r"(\d\d)(\d\d) hours",
            "--with",
            "$1:$2 hours",
            "notices",
            "--show",
            "3",
            "--then",
            "  +",
            "--with",
            " ",
        ],
    },
    Stop {
        says: "7. Apply: all or nothing, and only if there are as many changes as you expect.",
        words: &[
            "apply", BERTH, "-i", "--with", "B-$1", "notices", "--yes", "--expect", "50..",
        ],
    },
    Stop {
        says: "8. Look again: the old form is gone.",
        words: &["find", r"berth[\s#-]*(?:no\. )?\d+", "-i", "notices"],
    },
    Stop {
        says: "9. Go back. Every run can be undone, and an undo too.",
        words: &["undo", "--yes"],
    },
    Stop {
        says: "10. Columns of data go round the same loop. In which forms does this one come?",
        words: &["shapes", "--columns", "berth", "berths.csv"],
    },
    Stop {
        says: "11. Only that column is rewritten; every other byte of the table stays.",
        words: &[
            "preview",
            r"^(?:[Bb]erth|[Bb])[ _-]?[O0]?(\d+)$",
            "--columns",
            "berth",
            "--with",
            "B-${1 | pad 2}",
            "berths.csv",
            "--show",
            "4",
        ],
    },
    Stop {
        says: "12. A database, or a workbook: the same words, and the same promises.",
        words: &[
            "preview",
            r"^berth (\d+)$",
            "--columns",
            "berth",
            "--table",
            "moorings",
            "--with",
            "B-${1 | pad 2}",
            "harbour.db",
            "--show",
            "3",
        ],
    },
    Stop {
        says: "13. Keep what worked: a rewrite file holds it with worked examples. `preview … --save-rewrite\n   \
               FILE` makes one; this one came with the samples.",
        words: &["test", "rewrites/berth-codes.toml"],
    },
];

pub fn run(args: &DemoArgs, color: When, output: &mut Output) -> Result<Status, Diagnostic> {
    match &args.to {
        Some(folder) => {
            unpack_fresh(folder)?;
            output.say(&format!(
                "The sample files are in {}.\n",
                visible_path(folder)
            ));
        }
        None => {
            let folder = temporary_folder()?;
            let waits = !args.all && output.is_terminal() && io::stdin().is_terminal();
            walk(&folder, (color, waits), output)?;
        }
    }
    Ok(Status::Fine)
}

fn unpack_fresh(folder: &Path) -> Result<(), Diagnostic> {
    if folder.exists() {
        return Err(
            Diagnostic::trouble(format!("{} is already there", visible_path(folder)))
                .remedy("name a folder that does not exist yet"),
        );
    }
    unpack(folder)
}

fn unpack(folder: &Path) -> Result<(), Diagnostic> {
    std::fs::create_dir_all(folder)
        .and_then(|()| SAMPLES.extract(folder))
        .map_err(|error| {
            Diagnostic::trouble(format!(
                "cannot unpack into {}: {}",
                visible_path(folder),
                system_words(&error)
            ))
        })
}

/// A folder of its own, kept for the user to go on in.
fn temporary_folder() -> Result<PathBuf, Diagnostic> {
    let made = tempfile::Builder::new().prefix("larkmoor-").tempdir();
    let folder = made
        .map_err(|error| Diagnostic::trouble(format!("cannot make a folder: {error}")))?
        .keep();
    unpack(&folder)?;
    Ok(folder)
}

/// Shows one stop after another; where it `waits`, the next comes once Enter is pressed.
fn walk(
    folder: &Path,
    (color, waits): (When, bool),
    output: &mut Output,
) -> Result<(), Diagnostic> {
    let program = program()
        .map_err(|error| Diagnostic::trouble(format!("cannot find this program: {error}")))?;
    let place = visible_path(folder);
    output.say(&format!(
        "The harbour office of Larkmoor wants its berths written in one form. Its files are now\n\
             in {place}, and this is how one goes about it.\n"
    ));
    let color = format!("--color={}", color.name());
    for (number, stop) in WALK.iter().enumerate() {
        if waits && number > 0 && !goes_on(number, output) {
            break;
        }
        let line = command_line(stop.words);
        output.say(&format!("\n── {}\n\n$ {line}\n", stop.says));
        // The command writes to the same output, behind what is printed so far.
        output.show();
        if output.flow().is_break() {
            break;
        }
        Command::new(&program)
            .args(stop.words)
            .arg(&color)
            .current_dir(folder)
            .stdin(Stdio::null())
            .status()
            .map_err(|error| Diagnostic::trouble(format!("cannot run this program: {error}")))?;
    }
    let end = format!(
        "\n── Go on yourself: the files stay in {place}.\n\n\
         $ cd {place}\n\
         $ bquill find '\\d,\\d' berths.csv\n\
         $ bquill preview --rewrite rewrites/scanned-log.toml gauge.log --steps\n\
         $ bquill explain --rewrite rewrites/times.toml\n"
    );
    output.say(&end);
    Ok(())
}

/// Asks for the next stop, of which `done` have been shown; false where the user ends the walk.
fn goes_on(done: usize, output: &mut Output) -> bool {
    output.say(&format!(
        "\n(Enter: step {} of {}, q: end) ",
        done + 1,
        WALK.len()
    ));
    output.show();
    let mut line = String::new();
    let read = io::stdin().read_line(&mut line);
    read.is_ok_and(|bytes| bytes > 0) && !line.trim_start().starts_with(['q', 'Q'])
}

/// The command as one would type it.
fn command_line(words: &[&str]) -> String {
    let plain = |word: &str| {
        word.chars()
            .all(|c| c.is_ascii_alphanumeric() || "-./".contains(c))
    };
    let quoted = words.iter().map(|word| match plain(word) {
        true => (*word).to_owned(),
        false => format!("'{word}'"),
    });
    format!("bquill {}", quoted.collect::<Vec<_>>().join(" "))
}
