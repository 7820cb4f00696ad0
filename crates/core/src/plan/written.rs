//! Edits that are made for changes.

use crate::plan::fault::PlanFault;
use crate::plan::modified::{Modified, Wider};
use crate::records::plan::{ChangeRecord, DecisionRecord};
use std::borrow::Cow;

/// The text in a decision.
///
/// # Errors
///
/// When there is none, or it is not written as it must be.
pub fn modified_in(record: &DecisionRecord<'_>) -> Result<Modified, PlanFault> {
    let text = record.after_bytes().ok_or(PlanFault::Field("after"))?;
    let wider = match record.left.0 {
        None => None,
        Some(left) => Some(Wider {
            left,
            before: (record.before_bytes().ok_or(PlanFault::Field("before"))?).into_owned(),
        }),
    };
    Ok(Modified {
        text: text.into_owned(),
        wider,
    })
}

/// The edit that is made for a change, where one is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Written<'w> {
    /// The first byte, from 0.
    pub from: u64,
    /// One past the last byte.
    pub to: u64,
    /// The old bytes.
    pub before: Cow<'w, [u8]>,
    /// The new bytes.
    pub after: Cow<'w, [u8]>,
}

impl<'w> Written<'w> {
    /// The edit for a change that is written as it was made, or with other text.
    ///
    /// # Errors
    ///
    /// When its bytes are not written as they must be, or a wider range does not hold the change.
    pub fn new(
        change: &'w ChangeRecord<'_>,
        modified: Option<&'w Modified>,
    ) -> Result<Self, PlanFault> {
        let before = (change.before_bytes()).ok_or(PlanFault::Field("before_b64"))?;
        let (from, to) = (change.from, change.to);
        let Some(Modified { text, wider }) = modified else {
            let after = change.after_bytes().ok_or(PlanFault::Field("after_b64"))?;
            return Ok(Self {
                from,
                to,
                before,
                after,
            });
        };
        let after = Cow::Borrowed(&text[..]);
        let Some(Wider { left, before: all }) = wider else {
            return Ok(Self {
                from,
                to,
                before,
                after,
            });
        };
        let beyond = || PlanFault::Field("before");
        let start = usize::try_from(*left).map_err(|_| beyond())?;
        let own = start
            .checked_add(before.len())
            .and_then(|end| all.get(start..end));
        if own != Some(&before[..]) {
            return Err(beyond());
        }
        let from = from.checked_sub(*left).ok_or_else(beyond)?;
        Ok(Self {
            from,
            // The bytes are in memory, so their number is an offset.
            to: from + all.len() as u64,
            before: Cow::Borrowed(all),
            after,
        })
    }
}
