//! From what was found to bytes. Nothing here decides where they go.

mod complaint;
mod diff;
mod examples;
mod explain;
mod find;
mod history;
mod json;
mod marks;
mod numbers;
mod paint;
mod preview;
mod report;
mod sentence;
mod table;

pub use complaint::complaint;
pub use diff::{CONTEXT as DIFF_CONTEXT, diff_of_file};
pub use examples::{ExampleView, json_example, json_example_totals};
pub use explain::ExplainView;
pub use find::{FindView, FoundUnit};
pub use history::{history_row, history_was_now};
pub use json::{JsonFind, JsonPlan, json_line, json_note};
pub use marks::one_line_of;
pub use numbers::{counted, number};
pub use paint::Paint;
pub use preview::{PreviewView, file_name};
pub use report::{Collector, FileReport, Keep, ShownPassage};
pub use sentence::{find_sentence, rewrite_sentence, step_sentence};
pub use table::{FileCounts, FindTotals, RewriteTotals};
