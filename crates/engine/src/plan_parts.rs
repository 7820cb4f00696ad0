//! Plans of several machines made one, and one plan cut into a part for each file.
//!
//! Records are copied as they are, but for the numbers of files: so a plan that was merged is the same to the byte as one that was
//! made of all files at once.

use brisk_quill_core::plan::PlanIndex;
use brisk_quill_core::records::field::line as record_line;
use brisk_quill_core::records::plan::{JUDGED_LINE, LeftOutRecord, StepRecord, TotalsRecord};
use brisk_quill_files::plan_file::PlanDoc;
use std::collections::HashSet;
use std::ffi::OsStr;
use std::io::{self, BufRead, Write};
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// Why plans cannot be merged, or one not be cut. Nothing has been written.
#[derive(Debug, thiserror::Error)]
pub enum PartsError {
    /// A plan does not come to its end.
    #[error("{} was cut off", .0.display())]
    CutOff(PathBuf),
    /// A plan is of another rewrite than the first.
    #[error("{} is a plan of another rewrite", .0.display())]
    OtherRewrite(PathBuf),
    /// A plan reverts a run.
    #[error("{} reverts a run, and belongs to one machine", .0.display())]
    Reverts(PathBuf),
    /// Two plans change one file.
    #[error("{} is in {} and in {}", path.display(), plans[0].display(), plans[1].display())]
    FileTwice {
        /// The file.
        path: PathBuf,
        /// The plans.
        plans: Box<[PathBuf; 2]>,
    },
    /// A record is not one that this program has written.
    #[error("line {line} of {} is not a record of a plan", plan.display())]
    Record {
        /// The plan.
        plan: PathBuf,
        /// From 1.
        line: u64,
    },
    /// The plan cannot be read or written.
    #[error(transparent)]
    Io(#[from] io::Error),
}

/// The records of a plan, sorted out.
#[derive(Default)]
struct Records {
    head: Vec<u8>,
    /// The parts of each file.
    files: Vec<Vec<u8>>,
    /// Notes and hints, which follow the files.
    notes: Vec<Vec<u8>>,
    totals: Option<TotalsRecord>,
    /// Decisions, each with the number of its file, from 0.
    decisions: Vec<(usize, Vec<u8>)>,
}

/// A record with a place of its own in a plan: its beginning, up to the number of its file.
fn numbered(line: &[u8]) -> Option<(usize, &[u8], &[u8])> {
    let at = memchr::memmem::find(line, b"\"id\":\"")? + 6;
    let end = at + memchr::memchr(b'.', &line[at..])?;
    let number: usize = std::str::from_utf8(&line[at..end]).ok()?.parse().ok()?;
    Some((number.checked_sub(1)?, &line[..at], &line[end..]))
}

/// The name of a record.
fn kind(line: &[u8]) -> &[u8] {
    let name = line.strip_prefix(b"{\"record\":\"").unwrap_or_default();
    let end = memchr::memchr(b'"', name).unwrap_or(0);
    &name[..end]
}

impl Records {
    fn of(doc: &PlanDoc) -> Result<Self, PartsError> {
        if !doc.is_whole() {
            return Err(PartsError::CutOff(doc.path().to_owned()));
        }
        if doc.index.undoes.is_some() {
            return Err(PartsError::Reverts(doc.path().to_owned()));
        }
        let mut records = Self::default();
        let mut lines = doc.lines()?;
        let mut line = Vec::new();
        for number in 1.. {
            line.clear();
            if lines.read_until(b'\n', &mut line)? == 0 {
                break;
            }
            let unsound = || PartsError::Record {
                plan: doc.path().to_owned(),
                line: number,
            };
            match kind(&line) {
                b"plan" => records.head.clone_from(&line),
                b"file" => records.files.push(line.clone()),
                b"change" | b"unit" | b"problem" | b"unmet" => {
                    let file = records.files.last_mut().ok_or_else(unsound)?;
                    file.extend_from_slice(&line);
                }
                b"totals" => {
                    let totals = serde_json::from_slice(&line);
                    records.totals = Some(totals.map_err(|_| unsound())?);
                }
                b"judged" => {}
                _ if records.totals.is_some() => {
                    let (file, ..) = numbered(&line).ok_or_else(unsound)?;
                    records.decisions.push((file, line.clone()));
                }
                _ => records.notes.push(line.clone()),
            }
        }
        Ok(records)
    }
}

/// The records of a file, or decisions, with another number of the file, from 0.
fn renumbered(records: &[u8], number: usize) -> Vec<u8> {
    let mut out = Vec::with_capacity(records.len());
    for line in records.split_inclusive(|byte| *byte == b'\n') {
        match numbered(line).filter(|_| matches!(kind(line), b"change" | b"decision" | b"opinion"))
        {
            Some((_, before, after)) => {
                out.extend_from_slice(before);
                out.extend_from_slice((number + 1).to_string().as_bytes());
                out.extend_from_slice(after);
            }
            None => out.extend_from_slice(line),
        }
    }
    out
}

fn is_judged(index: &PlanIndex, records: &Records) -> bool {
    index.is_judged || !records.decisions.is_empty()
}

/// Writes the plans as one into `out`, which says the same as a plan of all their files.
///
/// # Errors
///
/// When one is not whole, they are of different rewrites, or two of them change one file.
pub fn merge(docs: &[PlanDoc], out: &mut dyn Write) -> Result<PlanCounts, PartsError> {
    let mut all = Vec::new();
    for doc in docs {
        all.push(Records::of(doc)?);
    }
    let mut files: Vec<(&Path, usize, usize)> = Vec::new();
    for (plan, doc) in docs.iter().enumerate() {
        if all[plan].head != all[0].head {
            return Err(PartsError::OtherRewrite(doc.path().to_owned()));
        }
        let paths = doc.index.files.iter().enumerate();
        files.extend(paths.map(|(file, of)| (path_of(&of.path), plan, file)));
    }
    files.sort();
    if let Some(twice) = files.windows(2).find(|pair| pair[0].0 == pair[1].0) {
        let plans = [twice[0].1, twice[1].1].map(|plan| docs[plan].path().to_owned());
        return Err(PartsError::FileTwice {
            path: twice[0].0.to_owned(),
            plans: Box::new(plans),
        });
    }
    out.write_all(all.first().map_or(&b""[..], |records| &records.head))?;
    let mut decisions = Vec::new();
    for (number, (_, plan, file)) in files.iter().enumerate() {
        let records = &all[*plan];
        out.write_all(&renumbered(&records.files[*file], number))?;
        for (_, line) in records.decisions.iter().filter(|(of, _)| of == file) {
            decisions.extend(renumbered(line, number));
        }
    }
    let mut seen = HashSet::new();
    for note in all.iter().flat_map(|records| &records.notes) {
        if seen.insert(note) {
            out.write_all(note)?;
        }
    }
    let totals = all.iter().filter_map(|records| records.totals.as_ref());
    let totals = totals.fold(None, |sum, next| Some(added(sum, next)));
    if let Some(totals) = &totals {
        out.write_all(&record_line(totals))?;
    }
    let judged = docs
        .iter()
        .zip(&all)
        .any(|(doc, records)| is_judged(&doc.index, records));
    if judged {
        out.write_all(JUDGED_LINE)?;
    }
    out.write_all(&decisions)?;
    Ok(PlanCounts {
        files: files.len() as u64,
        changes: docs.iter().map(|doc| doc.index.entries.len() as u64).sum(),
    })
}

/// Files and changes of a plan.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct PlanCounts {
    /// Files with changes.
    pub files: u64,
    /// All changes.
    pub changes: u64,
}

/// Cuts a plan into parts, one for each of its files, in order; each is a plan of its own. Of a plan that was
/// decided about, every part says so: what is open in it is not written.
///
/// # Errors
///
/// When it is not whole, or `take` fails.
pub fn split(
    doc: &PlanDoc,
    mut take: impl FnMut(&Path, Vec<u8>) -> io::Result<()>,
) -> Result<PlanCounts, PartsError> {
    let records = Records::of(doc)?;
    let judged = is_judged(&doc.index, &records);
    for (number, (file, of)) in records.files.iter().zip(&doc.index.files).enumerate() {
        let mut part = records.head.clone();
        part.extend(renumbered(file, 0));
        let problems = file
            .split(|byte| *byte == b'\n')
            .filter(|line| kind(line) == b"problem");
        let changes = (of.end - of.first) as u64;
        part.extend(record_line(&TotalsRecord {
            files: 1,
            files_changed: u64::from(changes > 0),
            changes,
            problems: problems.count() as u64,
            // Matches are counted for all files alone.
            ..zero_totals()
        }));
        if judged {
            part.extend_from_slice(JUDGED_LINE);
        }
        for (_, line) in records.decisions.iter().filter(|(of, _)| *of == number) {
            part.extend(renumbered(line, 0));
        }
        take(path_of(&of.path), part)?;
    }
    Ok(PlanCounts {
        files: records.files.len() as u64,
        changes: doc.index.entries.len() as u64,
    })
}

fn path_of(bytes: &[u8]) -> &Path {
    Path::new(OsStr::from_bytes(bytes))
}

fn none_left_out() -> LeftOutRecord {
    LeftOutRecord {
        pick: 0,
        limit: 0,
        scope: 0,
    }
}

fn zero_totals() -> TotalsRecord {
    TotalsRecord {
        files: 0,
        files_changed: 0,
        files_skipped: 0,
        matches: 0,
        changed: 0,
        unchanged: 0,
        failed: 0,
        left_out: none_left_out(),
        changes: 0,
        lines_added: 0,
        lines_removed: 0,
        problems: 0,
        per_step: Vec::new(),
    }
}

fn added_left_out(a: &LeftOutRecord, b: &LeftOutRecord) -> LeftOutRecord {
    LeftOutRecord {
        pick: a.pick + b.pick,
        limit: a.limit + b.limit,
        scope: a.scope + b.scope,
    }
}

/// Totals of several plans added up.
fn added(sum: Option<TotalsRecord>, next: &TotalsRecord) -> TotalsRecord {
    let a = sum.unwrap_or_else(zero_totals);
    let steps = a.per_step.len().max(next.per_step.len());
    let step = |index: usize| {
        let both = [a.per_step.get(index), next.per_step.get(index)];
        let both = both.into_iter().flatten();
        both.fold(None, |sum: Option<StepRecord>, step| {
            let zero = StepRecord {
                step: step.step,
                matches: 0,
                changed: 0,
                unchanged: 0,
                failed: 0,
                left_out: none_left_out(),
            };
            let sum = sum.unwrap_or(zero);
            Some(StepRecord {
                step: step.step,
                matches: sum.matches + step.matches,
                changed: sum.changed + step.changed,
                unchanged: sum.unchanged + step.unchanged,
                failed: sum.failed + step.failed,
                left_out: added_left_out(&sum.left_out, &step.left_out),
            })
        })
    };
    TotalsRecord {
        files: a.files + next.files,
        files_changed: a.files_changed + next.files_changed,
        files_skipped: a.files_skipped + next.files_skipped,
        matches: a.matches + next.matches,
        changed: a.changed + next.changed,
        unchanged: a.unchanged + next.unchanged,
        failed: a.failed + next.failed,
        left_out: added_left_out(&a.left_out, &next.left_out),
        changes: a.changes + next.changes,
        lines_added: a.lines_added + next.lines_added,
        lines_removed: a.lines_removed + next.lines_removed,
        problems: a.problems + next.problems,
        per_step: (0..steps).filter_map(step).collect(),
    }
}
