//! The JSON Schemas of what is written and read.

use crate::records::field::Record;
use crate::records::field_schema::{of_lines, of_record};
use crate::records::find::{
    CheckTotalsRecord, FindTotalsRecord, MatchRecord, MissingRecord, OffenderRecord,
    TallyTotalsRecord, ValueRecord, WhyRecord,
};
use crate::records::history::{DecisionsRecord, MadeRecord, RunChangeRecord, RunRecord};
use crate::records::infer::{
    DisputeRecord, InferTotalsRecord, OddValueRecord, ProposalRecord, ValuesPatternRecord,
};
use crate::records::plan::{
    AroundRecord, ChangeRecord, DecisionRecord, FORMAT, FileRecord, HintRecord, NoteRecord,
    PlanRecord, ProblemRecord, TotalsRecord, UnitRecord, UnmetRecord,
};
use crate::records::shapes::{CharRecord, ShapeRecord, ShapesTotalsRecord};
use crate::records::test::{ExampleRecord, TestTotalsRecord};
use serde_json::{Value, json};

fn of<R: Record>() -> Value {
    R::schema()
}

/// The records of a plan.
pub fn of_plan() -> Value {
    let mut plan = of::<PlanRecord<'_>>();
    plan["properties"]["format"]["const"] = FORMAT.into();
    let mut change = of::<ChangeRecord<'_>>();
    change["properties"]["decision"] = json!({"const": "open"});
    let mut file = of::<FileRecord<'_>>();
    file["properties"]["hash"] = json!({"type": "string", "pattern": "^[0-9a-f]{64}$"});
    file["properties"]["newline"] = json!({"enum": ["lf", "crlf", "mixed", "none"]});
    let judged = of_record(
        "The plan follows one that had been decided about: what is open is not written, even while nothing is decided.",
        Some("judged"),
        &[],
    );
    of_lines(
        "A record of a plan of bquill",
        "A plan is JSON Lines: one of these records on each line, in the order that records.md gives. A reader passes over records it does not know.",
        &[
            plan,
            file,
            of::<UnitRecord<'_>>(),
            of::<AroundRecord<'_>>(),
            change,
            of::<DecisionRecord<'_>>(),
            judged,
            of::<ProblemRecord<'_>>(),
            of::<UnmetRecord<'_>>(),
            of::<NoteRecord<'_>>(),
            of::<HintRecord<'_>>(),
            of::<TotalsRecord>(),
        ],
    )
}

/// The records that the other verbs print.
pub fn of_results() -> Value {
    of_lines(
        "A record that a verb of bquill prints",
        "JSON Lines, as records.md describes them for each verb.",
        &[
            of::<MatchRecord<'_>>(),
            of::<MissingRecord<'_>>(),
            of::<WhyRecord<'_>>(),
            of::<FindTotalsRecord>(),
            of::<OffenderRecord<'_>>(),
            of::<CheckTotalsRecord>(),
            of::<ValueRecord<'_>>(),
            of::<TallyTotalsRecord>(),
            of::<ShapeRecord<'_>>(),
            of::<CharRecord<'_>>(),
            of::<ShapesTotalsRecord>(),
            of::<ProposalRecord<'_>>(),
            of::<DisputeRecord<'_>>(),
            of::<ValuesPatternRecord<'_>>(),
            of::<OddValueRecord<'_>>(),
            of::<InferTotalsRecord<'_>>(),
            of::<ProblemRecord<'_>>(),
            of::<NoteRecord<'_>>(),
            of::<HintRecord<'_>>(),
            of::<ExampleRecord<'_>>(),
            of::<TestTotalsRecord>(),
            of::<RunRecord<'_>>(),
            of::<MadeRecord>(),
            of::<RunChangeRecord<'_>>(),
            of::<DecisionsRecord>(),
        ],
    )
}
