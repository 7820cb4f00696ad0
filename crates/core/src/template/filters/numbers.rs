//! Filters that calculate with decimal numbers.

use crate::decimal::{NumberFault, Written};
use crate::template::filters::filter::{Effect, Filter, Unfit, Value};

/// The most digits behind the point to which a number is rounded.
const ROUND_MOST: u32 = 20;

pub(super) const FILTERS: &[Filter] = &[
    Filter {
        name: "add",
        arguments: "N",
        does: "plus N",
        examples: &[("4,2", "add 1", "5,2"), ("10", "add -0.5", "9.5")],
        read: |arguments| {
            let n = arguments.number()?;
            let words = match n.is_negative() {
                true => format!("minus {}", n.text().trim_start_matches('-')),
                false => format!("plus {}", n.text().trim_start_matches('+')),
            };
            Ok(calculation(move |number| number.add(n)).worded(words))
        },
    },
    Filter {
        name: "multiply",
        arguments: "N",
        does: "multiplied by N",
        examples: &[
            ("4.20", "multiply 2", "8.40"),
            ("0.00", "multiply 2", "0.00"),
        ],
        read: |arguments| {
            let n = arguments.number()?;
            let words = format!("multiplied by {}", n.text());
            Ok(calculation(move |number| number.multiply(n)).worded(words))
        },
    },
    Filter {
        name: "round",
        arguments: "N",
        does: "rounded to N digits after the point",
        examples: &[("2,345", "round 2", "2,35"), ("6.5", "round 0", "7")],
        read: |arguments| {
            let n = arguments.read(|text| text.parse().ok().filter(|n| *n <= ROUND_MOST))?;
            let words = match n {
                0 => "rounded to a whole number".into(),
                1 => "rounded to 1 digit after the point".into(),
                n => format!("rounded to {n} digits after the point"),
            };
            Ok(calculation(move |number| number.round(n)).worded(words))
        },
    },
];

/// Calculates with the number that a value is; `sum` gives none where it has too many digits.
fn calculation(sum: impl Fn(Written) -> Option<Written> + Send + Sync + 'static) -> Effect {
    let apply = move |value: &Value<'_>| {
        let number = Written::read(value.text).map_err(|fault| match fault {
            NumberFault::NoNumber => Unfit::from("is not a number"),
            NumberFault::TooLong => {
                let most = Written::DIGITS_MOST;
                format!("has too many digits: at most {most} can be calculated with").into()
            }
        })?;
        if number.maybe_thousands() {
            value.setting.thousands.set(true);
        }
        let sum = sum(number).ok_or("gives too many digits")?;
        Ok(sum.text())
    };
    Effect::new(apply).fallible()
}
