//! The labels of decisions.

use crate::full_screen::palette::Role;
use brisk_quill_core::plan::decision::Decision;

/// The label of a decision.
pub(super) fn role_of(decision: Decision) -> Role {
    match decision {
        Decision::Open => Role::Open,
        Decision::Accepted => Role::Accepted,
        Decision::Refused => Role::Refused,
        Decision::Modified => Role::Modified,
    }
}

/// The label of the sign of a decision.
pub(super) fn sign_role(decision: Decision) -> Role {
    match decision {
        Decision::Open => Role::Plain,
        decision => role_of(decision),
    }
}
