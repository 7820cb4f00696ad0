//! `man`: the manual page, one section a verb.

use crate::args;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::status::Status;

pub fn run(output: &mut Output) -> Result<Status, Diagnostic> {
    let mut command = args::definitions();
    command.build();
    let page = page(&command)
        .map_err(|error| Diagnostic::trouble(format!("cannot write the manual page: {error}")))?;
    output.data(&page);
    Ok(Status::Fine)
}

fn page(command: &clap::Command) -> std::io::Result<Vec<u8>> {
    let mut page = Vec::new();
    clap_mangen::Man::new(command.clone()).render(&mut page)?;
    for verb in command.get_subcommands() {
        let man = clap_mangen::Man::new(verb.clone());
        page.extend_from_slice(
            format!(".SH \"BQUILL {}\"\n", verb.get_name().to_uppercase()).as_bytes(),
        );
        // The sections of a verb stand one level below its own heading.
        let mut section = Vec::new();
        man.render_description_section(&mut section)?;
        man.render_synopsis_section(&mut section)?;
        man.render_options_section(&mut section)?;
        man.render_extra_section(&mut section)?;
        let section = String::from_utf8_lossy(&section).replace(".SH ", ".SS ");
        page.extend_from_slice(section.as_bytes());
    }
    Ok(page)
}
