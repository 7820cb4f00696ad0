use std::process::ExitCode;

/// The exit status. The order is that of weight: where several hold, the greatest
/// goes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub enum Status {
    /// 0: all is well.
    #[default]
    Fine,
    /// 1: the answer is no.
    No,
    /// 3: something could not be read or safely written.
    Trouble,
    /// 2: the request is wrong.
    WrongRequest,
}

impl From<Status> for ExitCode {
    fn from(status: Status) -> Self {
        Self::from(match status {
            Status::Fine => 0,
            Status::No => 1,
            Status::WrongRequest => 2,
            Status::Trouble => 3,
        })
    }
}
