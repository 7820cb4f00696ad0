//! The signs of decisions.

use brisk_quill_core::plan::decision::Decision;

/// A sign for each decision.
pub(super) fn sign(decision: Decision) -> char {
    match decision {
        Decision::Open => '·',
        Decision::Accepted => 'A',
        Decision::Refused => 'R',
        Decision::Modified => 'M',
    }
}
