//! Plans saved as pages, which a browser shows.

use crate::args::definitions::LetterArgs;
use crate::commands::journal_run::day;
use crate::commands::plans::Meant;
use crate::diagnostic::Diagnostic;
use crate::host::host;
use crate::output::Output;
use crate::page::document::Letter;
use crate::page::{CHANGES_MOST, Page};
use brisk_quill_core::escape::visible_path;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_files::error::system_words;
use std::io::{self, BufWriter, Write};
use std::path::Path;

/// Saves a plan as a page, and says so.
pub fn save(
    meant: &Meant,
    (file, letter): (&Path, &LetterArgs),
    output: &mut Output,
) -> Result<(), Diagnostic> {
    let changes = meant.plan.doc.index.entries.len();
    if changes > CHANGES_MOST {
        let (found, most) = (
            counted(changes as u64, "change"),
            number(CHANGES_MOST as u64),
        );
        return Err(Diagnostic::trouble(format!(
            "a page shows at most {most} changes, and these are {found}"
        ))
        .remedy("narrow the request, or save pages for some of the files"));
    }
    // Where the plan may not write, it may not be read for a page either.
    meant.check_places()?;
    let shown = visible_path(file);
    let written = write(meant, file, letter);
    written.map_err(|error| {
        Diagnostic::trouble(format!(
            "cannot save the page {shown}: {}",
            system_words(&error)
        ))
    })?;
    output.note(&format!(
        "The page is saved as {shown}; open it in a browser.\n"
    ));
    Ok(())
}

fn write(meant: &Meant, file: &Path, letter: &LetterArgs) -> io::Result<()> {
    let request = meant.request();
    let page = Page {
        doc: &meant.plan.doc,
        request: &request,
        letter: Letter {
            title: letter.title.clone(),
            note: letter.note.clone(),
            date: day(host().now()),
        },
    };
    let mut out = BufWriter::new(host().temporaries().beside(file)?);
    page.write(&mut out)?;
    out.flush()?;
    let written = out.into_inner()?;
    written.keep_as(file).map(drop)
}
