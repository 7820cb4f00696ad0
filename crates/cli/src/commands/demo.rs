use crate::args::DemoArgs;
use crate::complaint::Complaint;
use crate::output::Output;
use crate::status::Status;

pub fn run(_args: &DemoArgs, _output: &mut Output) -> Result<Status, Complaint> {
    Ok(Status::Fine)
}
