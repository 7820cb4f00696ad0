//! From what was found to bytes. Nothing here decides where they go.

mod diagnostic;
mod diff;
mod examples;
mod explain;
mod find;
mod grid;
mod highlight;
mod history;
mod json;
mod numbers;
mod paint;
mod preview;
mod report;
mod row_writer;
mod sentence;
mod table;

pub use diagnostic::diagnostic;
pub use diff::{CONTEXT as DIFF_CONTEXT, diff_of_file};
pub use examples::{ExampleView, json_example, json_example_totals};
pub use explain::ExplainView;
pub use find::{FindView, FoundUnit};
pub use grid::{Align, Grid};
pub use highlight::one_line_of;
pub use history::{history_row, history_was_now};
pub use json::{
    CHANGE_ID, JsonFind, JsonPath, JsonPlan, json_line, json_missing, json_note, json_offender,
    json_problem, put_bytes,
};
pub use numbers::{counted, number, share};
pub use paint::Paint;
pub use preview::{PreviewView, file_name, path_name};
pub use report::{Collector, FileReport, Keep, ShownHunk};
pub use row_writer::{RowWriter, Value};
pub use sentence::{
    check_sentence, extract_sentence, find_sentence, rewrite_sentence, shapes_sentence,
    step_sentence, tally_sentence,
};
pub use table::{FileCounts, FindTotals, RewriteTotals};
