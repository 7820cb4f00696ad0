//! Filters in words.

use crate::template::filters::{Call, Filter, NAMES, Operand, Quoted};

impl Call {
    /// A clause that says what it does with its arguments.
    pub(crate) fn words(&self) -> String {
        let otherwise = |nothing: &str| match &self.otherwise {
            Some(text) => format!(", else {}", operand(text)),
            None => nothing.to_owned(),
        };
        let characters = |n: &usize| match n {
            1 => "character".to_owned(),
            n => format!("{n} characters"),
        };
        match &self.filter {
            Filter::Upper
            | Filter::Lower
            | Filter::Title
            | Filter::Capital
            | Filter::Plain
            | Filter::Trim
            | Filter::Collapse
            | Filter::Code => self.does().to_owned(),
            Filter::Take(n) => format!("only the first {}", characters(n)),
            Filter::Drop(n) => format!("without the first {}", characters(n)),
            Filter::TakeLast(n) => format!("only the last {}", characters(n)),
            Filter::DropLast(n) => format!("without the last {}", characters(n)),
            Filter::Pad(n, fill) => format!(
                "filled on the left to {}, with {}",
                characters(n),
                sign(fill)
            ),
            Filter::PadRight(n, fill) => {
                format!(
                    "filled on the right to {}, with {}",
                    characters(n),
                    sign(fill)
                )
            }
            Filter::Swap(a, b) if b.is_empty() => format!("without any {}", Quoted(a)),
            Filter::Swap(a, b) => format!("with every {} replaced by {}", Quoted(a), Quoted(b)),
            Filter::Map(_) => {
                let table = Quoted(&self.arguments[0]).to_string();
                format!("looked up in the table {table}{}", otherwise(""))
            }
            Filter::Default(text) => format!("where it is empty, {}", operand(text)),
            Filter::If(text) => {
                let text = operand(text);
                format!(
                    "{text} where the group took part{}",
                    otherwise(", else nothing")
                )
            }
            Filter::Add(n) if n.is_negative() => {
                format!("minus {}", n.text().trim_start_matches('-'))
            }
            Filter::Add(n) => format!("plus {}", n.text().trim_start_matches('+')),
            Filter::Multiply(n) => format!("multiplied by {}", n.text()),
            Filter::Round(0) => "rounded to a whole number".into(),
            Filter::Round(1) => "rounded to 1 digit after the point".into(),
            Filter::Round(n) => format!("rounded to {n} digits after the point"),
            Filter::Date(from, to) => {
                format!("read as the date or time {from} and written as {to}")
            }
        }
    }

    /// The clause of a filter without arguments, as the table of filters has it.
    fn does(&self) -> &'static str {
        let known = NAMES.iter().find(|(name, ..)| *name == self.name);
        known.map_or("", |(_, _, does)| does)
    }
}

fn operand(operand: &Operand) -> String {
    match operand {
        Operand::Text(text) => Quoted(text).to_string(),
        Operand::Group(0) => "the whole match".into(),
        Operand::Group(number) => format!("group {number}"),
    }
}

/// The bits that a text is filled with.
fn sign(fill: &str) -> String {
    match fill {
        "0" => "zeros".into(),
        " " => "spaces".into(),
        other => Quoted(other).to_string(),
    }
}
