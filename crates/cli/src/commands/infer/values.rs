//! `infer --values`: a pattern for the values themselves.

use crate::args::definitions::InferArgs;
use crate::commands::infer::shown::{Counts, print_totals};
use crate::commands::infer::units;
use crate::diagnostic::Diagnostic;
use crate::output::Output;
use crate::render::grid::{Align, Grid};
use crate::render::labelled::Labelled;
use crate::status::Status;
use brisk_quill_core::escape::visible;
use brisk_quill_core::numbers::{counted, number};
use brisk_quill_core::pattern::Pattern;
use brisk_quill_core::pattern::options::MatchOptions;
use brisk_quill_core::query::Query;
use brisk_quill_core::records::field::{Ordinal, line as record_line};
use brisk_quill_core::records::infer::{OddValueRecord, ValuesPatternRecord};
use brisk_quill_infer::data::units::Distinct;
use brisk_quill_infer::values::CommonForms;
use std::path::PathBuf;

pub fn run(
    args: &InferArgs,
    data: (&Query, Vec<PathBuf>),
    show: usize,
    output: &mut Output,
) -> Result<Status, Diagnostic> {
    let (units, searched, _) = units::read(data, &args.files, args.json, output)?;
    let distinct = units.distinct();
    let forms = CommonForms::of(distinct.iter().map(|one| (one.text, one.count)));
    let Some(pattern) = forms.pattern() else {
        return Err(Diagnostic::no("no form is common among these values")
            .remedy("look at them with `shapes`"));
    };
    let compiled = Pattern::new(&pattern, &MatchOptions::default())
        .map_err(|error| Diagnostic::trouble(format!("{pattern}: {error}")))?;
    let mut finder = compiled.finder();
    let mut fits = |text: &str| finder.is_match(text.as_bytes()).unwrap_or(false);
    let (matching, mut others): (Vec<_>, Vec<_>) =
        distinct.into_iter().partition(|one| fits(one.text));
    let sum = |values: &[Distinct<'_>]| values.iter().map(|one| one.count).sum::<u64>();
    let (matching, odd) = (sum(&matching), sum(&others));
    others.sort_by(|a, b| b.count.cmp(&a.count).then(a.line.cmp(&b.line)));
    if args.json {
        output.data(&record_line(&ValuesPatternRecord {
            pattern: pattern.as_str().into(),
            matching,
            others: odd,
        }));
        for one in others.iter().take(show) {
            output.data(&record_line(&OddValueRecord {
                text: one.text.into(),
                line: Ordinal(one.line),
                count: one.count,
            }));
        }
        print_totals((&units, &searched), Counts::default(), output);
        return Ok(searched.status(true));
    }
    let mut out = Labelled::default();
    out.push_str(&format!("  {pattern}\n\n"));
    let values = counted(matching + odd, "value");
    out.push_str(&format!("{} of {values} match", number(matching)));
    if others.is_empty() {
        out.push_str(".\n");
    } else {
        out.push_str(&format!(
            "; {} not:\n",
            if odd == 1 {
                "1 does".to_owned()
            } else {
                format!("{} do", number(odd))
            }
        ));
        let heads = [
            ("line", Align::Right),
            ("count", Align::Right),
            ("value", Align::Left),
        ];
        let mut grid = Grid::new(heads);
        for one in others.iter().take(show) {
            grid.add(vec![
                number(one.line),
                number(one.count),
                match one.text {
                    "" => "(empty)".to_owned(),
                    text => visible(text.as_bytes()),
                },
            ]);
        }
        out.append(&grid.text(output.width()));
        if others.len() > show {
            out.push_str(&format!(
                "  and {}\n",
                counted((others.len() - show) as u64, "more value")
            ));
        }
    }
    output.draw(&out);
    Ok(searched.status(true))
}
