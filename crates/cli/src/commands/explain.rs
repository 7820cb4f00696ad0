use crate::args::ExplainArgs;
use crate::complaint::Complaint;
use crate::output::Output;
use crate::status::Status;
pub fn run(_args: &ExplainArgs, _output: &mut Output) -> Result<Status, Complaint> {
    Ok(Status::Fine)
}
