//! Tests of drafts.
