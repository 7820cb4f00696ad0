//! Numbers in text, calculated with in decimal: nothing is rounded unless that is asked for.

use rust_decimal::prelude::{Decimal, RoundingStrategy};

/// A number as it stands in a text.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Written {
    value: Decimal,
    /// It has a decimal comma.
    comma: bool,
    /// It is written with a `+`.
    plus: bool,
}

impl Written {
    /// Reads `-4,20`, `+7` or `0.5`; blanks around it do not matter.
    pub fn read(text: &str) -> Option<Self> {
        let text = text.trim();
        let digits = text.strip_prefix(['+', '-']).unwrap_or(text);
        let (whole, part) = digits.split_once(['.', ',']).unwrap_or((digits, "0"));
        let plain = |part: &str| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit());
        if !plain(whole) || !plain(part) {
            return None;
        }
        let value = Decimal::from_str_exact(&text.replace(',', ".").replace('+', "")).ok()?;
        Some(Self {
            value,
            comma: text.contains(','),
            plus: text.starts_with('+'),
        })
    }

    /// The sum, with as many digits after the point as the longer of the two, and the point of the
    /// first that has one; `None` where it has too many digits.
    pub fn add(self, other: Self) -> Option<Self> {
        let mut value = self.value.checked_add(other.value)?;
        let scale = self.value.scale().max(other.value.scale());
        if [self.value, other.value, value]
            .iter()
            .any(Decimal::is_zero)
        {
            // Nothing is added up without a look at its digits.
            value.rescale(scale);
        }
        let comma = match self.value.scale() {
            0 => self.comma || other.comma,
            _ => self.comma,
        };
        (value.scale() == scale).then_some(Self {
            value,
            comma,
            ..self
        })
    }

    /// The exact product; `None` where it has too many digits.
    pub fn times(self, other: Self) -> Option<Self> {
        let value = self.value.checked_mul(other.value)?;
        let scale = self.value.scale() + other.value.scale();
        (value.scale() == scale || value.is_zero()).then_some(Self { value, ..self })
    }

    /// Exactly `digits` digits after the point, a half rounded away from zero.
    pub fn round(self, digits: u32) -> Option<Self> {
        let away = RoundingStrategy::MidpointAwayFromZero;
        let mut value = self.value.round_dp_with_strategy(digits, away);
        value.rescale(digits);
        (value.scale() == digits).then_some(Self { value, ..self })
    }

    pub fn text(self) -> String {
        let mut text = self.value.to_string();
        if self.comma {
            text = text.replace('.', ",");
        }
        if self.plus && !self.value.is_sign_negative() {
            text.insert(0, '+');
        }
        text
    }
}
