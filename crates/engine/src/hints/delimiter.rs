//! `delimiter`: a named column is not there, and another delimiter would give it.

use crate::hints::hint::{Hint, HintPlace, Remedy};
use crate::hints::rule::Example;
use brisk_quill_core::columns::fault::ColumnFault;
use brisk_quill_files::source::Source;

/// The name of the hint.
pub const NAME: &str = "delimiter";
/// When it speaks.
pub const SPEAKS: &str = "a named column is not there, and another delimiter would give it";
/// A request for which it speaks.
pub const EXAMPLE: Example = Example {
    words: &["closed", "--with", "shut", "--columns", "status"],
    file: "berths.csv",
    text: b"berth;status\n4;closed\n",
};

/// The hint about a file whose columns another delimiter would give.
pub fn judge(source: &Source, fault: &ColumnFault) -> Option<Hint> {
    let ColumnFault::OtherDelimiter {
        fault,
        delimiter,
        width,
    } = fault
    else {
        return None;
    };
    let message = format!("{fault}; with another delimiter there are {width} columns");
    Some(Hint {
        place: Some(HintPlace {
            source: source.clone(),
            line: 1,
        }),
        count: 1,
        ..Hint::new(NAME, message).cured_by(Remedy::Delimiter((*delimiter).to_owned()))
    })
}
