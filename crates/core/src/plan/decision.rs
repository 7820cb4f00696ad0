//! Decisions about changes.

/// The decision about a change.
///
/// ```
/// use brisk_quill_core::plan::decision::Decision;
/// assert!(Decision::Modified.writes() && !Decision::Refused.writes());
/// assert_eq!(Decision::Open.name(), "open");
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Decision {
    /// Nothing yet.
    #[default]
    Open,
    /// The change is to be written.
    Accepted,
    /// The change is not.
    Refused,
    /// Other text is to be written in its place.
    Modified,
}

impl Decision {
    /// Every decision.
    pub const ALL: [Self; 4] = [Self::Open, Self::Accepted, Self::Refused, Self::Modified];

    /// The name in records.
    pub fn name(self) -> &'static str {
        match self {
            Self::Open => "open",
            Self::Accepted => "accepted",
            Self::Refused => "refused",
            Self::Modified => "modified",
        }
    }

    /// The sign for it.
    pub fn sign(self) -> char {
        match self {
            Self::Open => '·',
            Self::Accepted => '✓',
            Self::Refused => '✗',
            Self::Modified => '≠',
        }
    }

    /// The sign for it in ASCII letters, but for what is open.
    pub fn letter(self) -> char {
        match self {
            Self::Open => '·',
            Self::Accepted => 'A',
            Self::Refused => 'R',
            Self::Modified => 'M',
        }
    }

    /// True if something is to be written.
    pub fn writes(self) -> bool {
        matches!(self, Self::Accepted | Self::Modified)
    }
}

/// The number of changes of each decision.
///
/// ```
/// use brisk_quill_core::plan::decision::{Decision, DecisionCounts};
/// let mut counts = DecisionCounts::default();
/// counts.add(Decision::Accepted);
/// counts.add(Decision::Open);
/// counts.change(Decision::Open, Decision::Refused);
/// assert_eq!((counts.written(), counts.total()), (1, 2));
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct DecisionCounts {
    /// Not decided.
    pub open: u64,
    /// To be written.
    pub accepted: u64,
    /// Not to be written.
    pub refused: u64,
    /// Other text is to be written.
    pub modified: u64,
}

impl DecisionCounts {
    /// The changes for which something is written.
    pub fn written(self) -> u64 {
        self.accepted + self.modified
    }

    /// All of them.
    pub fn total(self) -> u64 {
        self.open + self.refused + self.written()
    }

    fn of(&mut self, decision: Decision) -> &mut u64 {
        match decision {
            Decision::Open => &mut self.open,
            Decision::Accepted => &mut self.accepted,
            Decision::Refused => &mut self.refused,
            Decision::Modified => &mut self.modified,
        }
    }

    /// The sum of both.
    #[must_use]
    pub fn plus(self, other: Self) -> Self {
        Self {
            open: self.open + other.open,
            accepted: self.accepted + other.accepted,
            refused: self.refused + other.refused,
            modified: self.modified + other.modified,
        }
    }

    /// Counts a change of this decision.
    pub fn add(&mut self, decision: Decision) {
        *self.of(decision) += 1;
    }

    /// A change has another decision now.
    pub fn change(&mut self, from: Decision, to: Decision) {
        *self.of(from) -= 1;
        *self.of(to) += 1;
    }
}
