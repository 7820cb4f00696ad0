//! Means to read and to rewrite files whose text is the rows of tables.

use brisk_quill_files::change::Change;
use brisk_quill_files::plan::PlannedFile;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::source::Source;
use brisk_quill_files::splice::{SpliceError, splice_into};
use brisk_quill_files::store::store_of::StoreOf;
use brisk_quill_files::store::unpacked::Unpacked;
use proptest::prelude::*;
use std::io::{self, Read};

/// The rows of a container, as text.
pub fn unpack(bytes: &[u8]) -> io::Result<String> {
    let store = StoreOf::head(bytes).packed().expect("a container");
    let mut text = String::new();
    Unpacked::new(store, bytes, false)?.read_to_string(&mut text)?;
    Ok(text)
}

/// A container with each `from` of its text made `to`.
pub fn rewritten(bytes: &[u8], from: &str, to: &str) -> Result<Vec<u8>, SpliceError> {
    rewritten_as(StoreOf::head(bytes), bytes, (from, to))
}

/// The same, written as `store` does.
pub fn rewritten_as(
    store: StoreOf,
    bytes: &[u8],
    (from, to): (&str, &str),
) -> Result<Vec<u8>, SpliceError> {
    let text = unpack(bytes).expect("a sound container");
    let changes = text.match_indices(from).map(|(at, _)| Change {
        line: 1,
        from: at as u64,
        to: (at + from.len()) as u64,
        before: from.as_bytes().to_vec(),
        after: to.as_bytes().to_vec(),
    });
    let facts = Facts {
        store,
        text_bytes: text.len() as u64,
        ..Facts::of_bytes(blake3::hash(bytes), bytes.len() as u64)
    };
    let file = PlannedFile::evaluated(Source::STDIN, facts, changes.collect());
    let mut out = Vec::new();
    splice_into(bytes, &file, &mut out).map(|()| out)
}

fn is_container(bytes: &[u8]) -> bool {
    let store = StoreOf::head(bytes).packed();
    store.is_some_and(|store| store.is_table())
}

/// The container with every 97th byte damaged, one at a time: the place, and what is read then, where it is still one.
pub fn damaged(whole: &[u8]) -> impl Iterator<Item = (usize, io::Result<String>)> {
    (0..whole.len()).step_by(97).filter_map(|at| {
        let mut bytes = whole.to_vec();
        bytes[at] ^= 0x55;
        is_container(&bytes).then(|| (at, unpack(&bytes)))
    })
}

/// The same for one that ends early.
pub fn cut_off(whole: &[u8]) -> impl Iterator<Item = (usize, io::Result<String>)> {
    (0..whole.len()).step_by(97).filter_map(|at| {
        let cut = &whole[..at];
        is_container(cut).then(|| (at, unpack(cut)))
    })
}

/// Texts that are easily written wrongly.
pub fn hostile() -> impl Strategy<Value = String> {
    let bits = [
        "quay", "é", "&", "<", "\n", "_x0041_", " ", "\"", "\\", "日", "]]>", "7",
    ];
    prop::collection::vec(prop::sample::select(bits.to_vec()), 1..6).prop_map(|bits| bits.concat())
}
