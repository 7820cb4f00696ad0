//! Filters that write another text instead.

use crate::template::filters::argument::{Operand, Quoted};
use crate::template::filters::filter::{Effect, Filter};

pub(super) const FILTERS: &[Filter] = &[
    Filter {
        name: "swap",
        arguments: "A B",
        does: "with every A replaced by B",
        examples: &[("4,2", "swap , .", "4.2")],
        read: |arguments| {
            let a = arguments.read(|text| (!text.is_empty()).then(|| text.to_owned()))?;
            let b = arguments.text()?.to_owned();
            let words = match b.is_empty() {
                true => format!("without any {}", Quoted(&a)),
                false => format!("with every {} replaced by {}", Quoted(&a), Quoted(&b)),
            };
            // What is replaced by something longer may become too long.
            let more = b.len().saturating_sub(a.len());
            let counted = a.clone();
            let effect = Effect::plain(move |text| text.replace(&a, &b)).worded(words);
            Ok(match more {
                0 => effect,
                _ => effect.fallible().growing(move |text| {
                    let times = text.matches(counted.as_str()).count();
                    times.saturating_mul(more)
                }),
            })
        },
    },
    Filter {
        name: "map",
        arguments: "TABLE [else TEXT]",
        does: "looked up in the two-column file TABLE",
        examples: &[
            ("L4", "map places.tsv", "North quay"),
            ("L9", "map places.tsv else $0", "L9"),
        ],
        read: |arguments| {
            let table = arguments.table()?;
            let otherwise = arguments.otherwise()?;
            let words = match &otherwise {
                Some(text) => format!(", else {}", text.words()),
                None => String::new(),
            };
            let can_fail = otherwise.is_none();
            let effect = Effect::new(move |value| match (table.get(value.text), &otherwise) {
                (Some(new), _) => Ok(new.to_owned()),
                (None, Some(otherwise)) => Ok(value.write(otherwise)),
                (None, None) => Err("is not in the table".into()),
            });
            let effect = effect.worded(words).of_table();
            Ok(match can_fail {
                true => effect.fallible(),
                false => effect,
            })
        },
    },
    Filter {
        name: "default",
        arguments: "TEXT",
        does: "where it is empty, TEXT",
        examples: &[("", "default none", "none"), ("2", "default none", "2")],
        read: |arguments| {
            let other = arguments.operand()?;
            let words = format!("where it is empty, {}", other.words());
            let effect = Effect::new(move |value| match value.text {
                "" => Ok(value.write(&other)),
                text => Ok(text.to_owned()),
            });
            Ok(effect.worded(words))
        },
    },
    Filter {
        name: "if",
        arguments: "TEXT [else TEXT]",
        does: "TEXT where the group took part, else the other TEXT or nothing",
        examples: &[("2", "if yes else no", "yes")],
        read: |arguments| {
            let yes = arguments.operand()?;
            let no = arguments.otherwise()?;
            let words = format!(
                "{} where the group took part, else {}",
                yes.words(),
                no.as_ref().map_or("nothing".into(), Operand::words)
            );
            let effect = Effect::new(move |value| {
                let chosen = if value.took_part {
                    Some(&yes)
                } else {
                    no.as_ref()
                };
                Ok(chosen.map(|text| value.write(text)).unwrap_or_default())
            });
            Ok(effect.worded(words))
        },
    },
];
