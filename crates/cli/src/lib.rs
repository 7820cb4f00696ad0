//! The program `bquill`, as a library so that its parts can be tested.
//!
//! [`run`] goes from arguments to an exit status: [`args`] says what can be written on the
//! command line, `options` turns that into the core's own types, `commands` holds one file for
//! each verb, and `render` turns what they found into bytes.

mod args;
mod commands;
mod diagnostic;
mod draft;
mod full_screen;
mod host;
mod options;
mod output;
mod page;
mod progress;
mod reference;
mod render;
mod review;
mod settings;
mod signals;
mod status;
mod theme;

use crate::args::definitions::When;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::status::Status;
use crate::theme::Theme;
use std::ffi::OsString;
use std::process::ExitCode;

/// True if arguments, the program's own name first, can be understood. Nothing is done.
pub fn understands(argv: &[OsString]) -> bool {
    args::parse(argv).is_ok()
}

/// The arguments of this process, the program's own name first.
pub fn arguments() -> Vec<OsString> {
    host::arguments()
}

/// The files of the reference that are written from the definitions: their names in `docs`, and
/// their texts.
pub fn reference() -> Vec<(&'static str, String)> {
    reference::files()
}

/// Runs the program on its arguments, the program's own name first.
pub fn run(argv: &[OsString]) -> ExitCode {
    host::stop_where_wanted();
    signals::outlive_size_limit();
    let parsed = match args::parse(argv) {
        Ok(parsed) => parsed,
        Err(stopped) => {
            let mut output = Output::new(When::Auto, Theme::Auto);
            let status = stopped.print(&mut output);
            return output.close(status).into();
        }
    };
    let mut output = Output::new(parsed.color, parsed.theme);
    if let Some(fault) = &settings::settings().fault {
        output.note(&format!("note: {fault}\n"));
    }
    let status = commands::run(parsed, &mut output).unwrap_or_else(|diagnostic: Diagnostic| {
        match output.is_deserted() {
            // That the reader went away is not a failure.
            true => Status::Fine,
            false => output.complain(&diagnostic),
        }
    });
    let status = output.close(status);
    signals::end_by_signal();
    status.into()
}
