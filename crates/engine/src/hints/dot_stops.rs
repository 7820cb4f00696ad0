//! `dot-stops`: a dot takes no line end, not even in a whole text.

use crate::hints::hint::{Hint, Remedy, shown};
use crate::hints::rule::Example;
use crate::hints::second_look::{SecondLook, spot_of};
use crate::hints::spot::Spot;
use crate::hints::study::StepStudy;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::outline::{Leaf, OutlinePart, RepeatOf};
use brisk_quill_core::query::Query;
use brisk_quill_core::rewrite::options::RunOptions;
use brisk_quill_core::unit::UnitKind;
use brisk_quill_files::read::Reader;
use brisk_quill_files::source::Source;
use std::ops::ControlFlow;

/// The name of the hint.
pub const NAME: &str = "dot-stops";
/// When it speaks.
pub const SPEAKS: &str = "the unit is longer than a line, nothing matches, and the pattern would if `.` took line ends too";
/// A request for which it speaks.
pub const EXAMPLE: Example = Example {
    words: &["BEGIN.*?END", "--remove", "--unit", "text"],
    file: "notice.txt",
    text: b"BEGIN\nberth 4\nEND\n",
};

/// The hint about a step that matched nothing, after a second look with dots that take line ends.
pub fn judge(reader: &Reader, study: &StepStudy<'_>, sources: &[Source]) -> Option<Hint> {
    let query = study.plan.query;
    let holds_lines = matches!(query.unit, UnitKind::Text | UnitKind::Paragraph);
    let parts = &study.plan.outline.as_ref()?.parts;
    if !holds_lines || study.counts.matches > 0 || !parts.iter().any(is_dot) {
        return None;
    }
    let source = format!("(?s){}", query.pattern.source());
    let wider = Query {
        pattern: Pattern::new(&source, query.pattern.options()).ok()?,
        ..query.clone()
    };
    let mut found: Option<(u64, Spot)> = None;
    SecondLook::new(reader, &wider, sources).run(RunOptions::default(), &mut |source, unit| {
        let (count, _) = found.get_or_insert_with(|| (0, spot_of(source, unit)));
        *count += unit.taken;
        ControlFlow::Continue(())
    });
    let (count, first) = found?;
    let message = format!(
        "`.` takes no line end; if it did, the pattern would match {}: {}",
        counted(count, "text"),
        shown(first.text()),
    );
    Some(Hint::at(NAME, (count, &first), message).cured_by(Remedy::Pattern(source)))
}

fn is_dot(part: &OutlinePart) -> bool {
    let of_dots = |of: &RepeatOf| *of == RepeatOf::AnyChar;
    match &part.leaf {
        Leaf::AnyChar => true,
        Leaf::Repeat { of, .. } => of_dots(of),
        _ => false,
    }
}
