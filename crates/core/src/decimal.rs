//! Numbers in text, calculated with in decimal: nothing is rounded unless that is asked for.

use rust_decimal::prelude::{Decimal, RoundingStrategy};

/// A number as it is in a text.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Written {
    value: Decimal,
    /// True if it has a decimal comma.
    comma: bool,
    /// True if it is written with a `+`.
    plus: bool,
    /// True if it has a comma that may stand between thousands: `1,000`.
    maybe_thousands: bool,
}

/// Why a text cannot be calculated with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum NumberFault {
    /// The text is not a number.
    NoNumber,
    /// The text is one with more digits than there is room for.
    TooLong,
}

impl Written {
    /// The digits that every number may have, zeros at the start not counted.
    pub const DIGITS_MOST: usize = 28;

    /// Reads `-4,20`, `+7` or `0.5`; blanks around it do not matter, nor do zeros at the start.
    ///
    /// # Errors
    ///
    /// When it is not a number, or one with too many digits.
    pub fn read(text: &str) -> Result<Self, NumberFault> {
        let text = text.trim();
        let digits = text.strip_prefix(['+', '-']).unwrap_or(text);
        let (whole, part) = digits.split_once(['.', ',']).unwrap_or((digits, "0"));
        let plain = |part: &str| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit());
        if !plain(whole) || !plain(part) {
            return Err(NumberFault::NoNumber);
        }
        let exact = Decimal::from_str_exact(&text.replace(',', ".").replace('+', ""));
        let comma = text.contains(',');
        Ok(Self {
            value: exact.map_err(|_| NumberFault::TooLong)?,
            comma,
            plus: text.starts_with('+'),
            maybe_thousands: comma
                && part.len() == 3
                && whole.len() <= 3
                && !whole.starts_with('0'),
        })
    }

    /// True if its comma may stand between thousands, as in `1,000`.
    pub fn maybe_thousands(self) -> bool {
        self.maybe_thousands
    }

    /// True if it is below zero.
    pub fn is_negative(self) -> bool {
        self.value.is_sign_negative()
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
        self.with(value, scale, other)
    }

    /// The exact product, with as many digits after the point as both together, and the point of
    /// the first that has one; `None` where it has too many digits.
    pub fn multiply(self, other: Self) -> Option<Self> {
        let mut value = self.value.checked_mul(other.value)?;
        let scale = self.value.scale() + other.value.scale();
        if value.is_zero() {
            value.rescale(scale);
        }
        self.with(value, scale, other)
    }

    /// The result of this and `other`; `None` where it has not `scale` digits after the point.
    fn with(self, value: Decimal, scale: u32, other: Self) -> Option<Self> {
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
