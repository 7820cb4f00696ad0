//! The pattern that the values of a column have in common.

use crate::form::{Class, Piece, source};
use crate::slots::{Setting, choices};
use crate::tokens::shape;
use std::collections::BTreeMap;

/// The most distinct values that are looked at.
pub const VALUES_MOST: usize = 100_000;
/// The most values of one form that its pattern is made of.
const OF_FORM_MOST: usize = 60;
/// The share of the values under which a form is not common, in hundredths.
const COMMON: u64 = 5;

/// A form that many values have.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CommonForm {
    /// The pattern, without bounds.
    pub pattern: String,
    /// Values that have it.
    pub count: u64,
}

/// The forms that values commonly have.
///
/// ```
/// use brisk_quill_infer::values::CommonForms;
/// let values = ["B-04", "B-12", "B-07", "B-11", "berth 4"];
/// let forms = CommonForms::of(values.map(|value| (value, if value == "berth 4" { 1 } else { 9 })));
/// assert_eq!(forms.pattern().as_deref(), Some(r"^B-\d{2}$"));
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CommonForms {
    /// The forms, the commonest first.
    pub forms: Vec<CommonForm>,
}

impl CommonForms {
    /// The forms of some distinct values, each with how often it is there.
    pub fn of<'v>(values: impl IntoIterator<Item = (&'v str, u64)>) -> Self {
        let mut by_shape: BTreeMap<String, (u64, Vec<Vec<char>>)> = BTreeMap::new();
        let (mut all, mut ascii) = (0, true);
        for (value, count) in values {
            let chars: Vec<char> = value.chars().collect();
            if chars.is_empty() {
                continue;
            }
            all += count;
            ascii &= value.is_ascii();
            let (total, kept) = by_shape.entry(shape(&chars)).or_default();
            *total += count;
            kept.push(chars);
        }
        let mut shapes: Vec<_> = by_shape.into_values().collect();
        shapes.sort_by(|a, b| b.0.cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
        let is_common = |(count, _): &&(u64, Vec<Vec<char>>)| count * 100 >= all * COMMON;
        let common = shapes.iter().filter(is_common);
        let form = |(count, values): &(u64, Vec<Vec<char>>)| CommonForm {
            pattern: source(&pieces(values), ascii),
            count: *count,
        };
        Self {
            forms: common.map(form).collect(),
        }
    }

    /// One pattern for all of them; `None` where there is no form.
    pub fn pattern(&self) -> Option<String> {
        let patterns: Vec<&str> = self.forms.iter().map(|form| &form.pattern[..]).collect();
        match &patterns[..] {
            [] => None,
            [only] => Some(format!("^{only}$")),
            several => Some(format!("^(?:{})$", several.join("|"))),
        }
    }
}

/// The pieces of the pattern of some values of one shape.
fn pieces(values: &[Vec<char>]) -> Vec<Piece> {
    // Spread over all of them, so that no part of the data speaks alone.
    let every = values.len().div_ceil(OF_FORM_MOST).max(1);
    let texts: Vec<&[char]> = values
        .iter()
        .step_by(every)
        .map(|value| &value[..])
        .collect();
    let setting = Setting {
        cell: true,
        group: false,
        next: None,
        previous: None,
        alone: false,
        cut: (false, false),
        depth: 0,
    };
    let fits = |pieces: &[Piece]| {
        let loose = |piece: &Piece| match piece {
            Piece::Run { class, .. } => matches!(
                class,
                Class::Any | Class::Dense | Class::Not(_) | Class::WordAnd(_) | Class::DigitAnd(_)
            ),
            // Words may be all that there are; numbers hardly ever.
            Piece::OneOf(texts, _) => texts
                .iter()
                .any(|text| text.contains(|c: char| c.is_ascii_digit())),
            _ => false,
        };
        !pieces.iter().any(loose)
    };
    let mut all = choices(&texts, setting).into_iter();
    all.find(|choice| fits(&choice.pieces)).map_or_else(
        || vec![Piece::run(Class::Any, 1, None)],
        |choice| choice.pieces,
    )
}
