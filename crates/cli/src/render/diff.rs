//! Changes as a unified diff that standard patch tools accept.

use brisk_quill_core::unit::lines;
use brisk_quill_engine::kept_hunk::{FileReport, KeptHunk};
use std::path::Path;

/// Lines of context around each hunk.
pub const CONTEXT: usize = 3;

/// The diff of one file, all of whose hunks are given with [`CONTEXT`] lines around them.
pub fn diff_of_file(report: &FileReport<'_>) -> Vec<u8> {
    let mut out = Vec::new();
    if report.hunks.is_empty() {
        return out;
    }
    let name = quoted(report.source.path());
    for sign in ["---", "+++"] {
        out.extend_from_slice(sign.as_bytes());
        out.push(b' ');
        out.extend_from_slice(&name);
        out.push(b'\n');
    }
    // How many lines the new text has more, up to the current hunk.
    let mut growth = 0;
    for hunk in hunks(report.hunks) {
        write_hunk(&mut out, hunk, &mut growth);
    }
    out
}

/// Hunks whose context would touch belong to one hunk.
fn hunks(hunks: &[KeptHunk]) -> impl Iterator<Item = &[KeptHunk]> {
    hunks.chunk_by(|a, b| {
        let between = b.line - (a.line + a.height());
        between <= 2 * CONTEXT as u64
    })
}

fn write_hunk(out: &mut Vec<u8>, hunks: &[KeptHunk], growth: &mut i64) {
    let (Some(first), Some(last)) = (hunks.first(), hunks.last()) else {
        return;
    };
    let mut body = Body::default();
    for line in &first.around.before {
        body.line(b' ', line);
    }
    for (index, hunk) in hunks.iter().enumerate() {
        body.lines(b'-', &hunk.was);
        body.lines(b'+', &hunk.now().0);
        let next = hunks.get(index + 1);
        let end = hunk.line + hunk.height();
        match next {
            Some(next) => {
                // Up to twice the context lies between; the next hunk holds its own part.
                let between = (next.line - end) as usize;
                let ours = between.min(hunk.around.after.len());
                for line in &hunk.around.after[..ours] {
                    body.line(b' ', line);
                }
                let theirs = &next.around.before;
                for line in &theirs[theirs.len() - (between - ours)..] {
                    body.line(b' ', line);
                }
            }
            None => {
                for line in &last.around.after {
                    body.line(b' ', line);
                }
            }
        }
    }
    let start = first.line - first.around.before.len() as u64;
    // The number of lines of a file fits well below i64's limit.
    let new_start = start as i64 + *growth;
    let old = range(start as i64, body.old);
    let new = range(new_start, body.new);
    out.extend_from_slice(format!("@@ -{old} +{new} @@\n").as_bytes());
    out.extend_from_slice(&body.bytes);
    *growth += body.new - body.old;
}

/// An empty range names the line before it.
fn range(start: i64, length: i64) -> String {
    match length {
        0 => format!("{},0", start - 1),
        1 => format!("{start}"),
        _ => format!("{start},{length}"),
    }
}

#[derive(Default)]
struct Body {
    bytes: Vec<u8>,
    old: i64,
    new: i64,
}

impl Body {
    fn lines(&mut self, sign: u8, text: &[u8]) {
        for line in lines(text) {
            self.line(sign, &text[line.whole().range()]);
        }
    }

    fn line(&mut self, sign: u8, line: &[u8]) {
        self.old += i64::from(sign != b'+');
        self.new += i64::from(sign != b'-');
        self.bytes.push(sign);
        self.bytes.extend_from_slice(line);
        if !line.ends_with(b"\n") {
            self.bytes
                .extend_from_slice(b"\n\\ No newline at end of file\n");
        }
    }
}

/// A path as patch tools read it: quoted where it holds a quote, a backslash or a control, or a
/// blank at an end, and ended by a tab where it holds a blank within.
fn quoted(path: &Path) -> Vec<u8> {
    let bytes = path.as_os_str().as_encoded_bytes();
    let odd = |b: &u8| b.is_ascii_control() || matches!(b, b'"' | b'\\');
    let edge = bytes.first() == Some(&b' ') || bytes.last() == Some(&b' ');
    if edge || bytes.iter().any(odd) {
        let mut out = vec![b'"'];
        for &b in bytes {
            match b {
                b'"' | b'\\' => out.extend_from_slice(&[b'\\', b]),
                b if b.is_ascii_control() => out.extend_from_slice(format!("\\{b:03o}").as_bytes()),
                b => out.push(b),
            }
        }
        out.push(b'"');
        return out;
    }
    let mut out = bytes.to_vec();
    if bytes.contains(&b' ') {
        out.push(b'\t');
    }
    out
}
