//! Texts that are packed into their files: read, and written again in the same manner.

use brisk_quill_files::change::Change;
use brisk_quill_files::plan::PlannedFile;
use brisk_quill_files::read::facts::Facts;
use brisk_quill_files::source::Source;
use brisk_quill_files::splice::{SpliceError, splice_into};
use brisk_quill_files::store::store_of::StoreOf;
use brisk_quill_files::store::text_file::TextFile;
use brisk_quill_files::store::unpacked::Unpacked;
use flate2::{Compression, GzBuilder};
use proptest::prelude::*;
use std::io::{self, Read, Write};

/// The manner of a packed file.
#[derive(Clone, Debug)]
enum Manner {
    Gzip {
        level: u32,
        name: Option<Vec<u8>>,
        comment: Option<Vec<u8>>,
        time: u32,
        members: usize,
    },
    Zstd {
        level: i32,
        checksum: bool,
        size: bool,
        frames: usize,
    },
}

impl Manner {
    fn pack(&self, text: &[u8]) -> Vec<u8> {
        match self {
            Self::Gzip { members, .. } => parts(text, *members)
                .map(|part| self.member(part))
                .collect::<Vec<_>>()
                .concat(),
            Self::Zstd { frames, .. } => parts(text, *frames)
                .map(|part| self.frame(part))
                .collect::<Vec<_>>()
                .concat(),
        }
    }

    fn member(&self, text: &[u8]) -> Vec<u8> {
        let Self::Gzip {
            level,
            name,
            comment,
            time,
            ..
        } = self
        else {
            unreachable!()
        };
        let mut builder = GzBuilder::new().mtime(*time).operating_system(3);
        if let Some(name) = name {
            builder = builder.filename(name.clone());
        }
        if let Some(comment) = comment {
            builder = builder.comment(comment.clone());
        }
        let mut out = builder.write(Vec::new(), Compression::new(*level));
        out.write_all(text).unwrap();
        out.finish().unwrap()
    }

    fn frame(&self, text: &[u8]) -> Vec<u8> {
        let Self::Zstd {
            level,
            checksum,
            size,
            ..
        } = self
        else {
            unreachable!()
        };
        let mut out = zstd::stream::Encoder::new(Vec::new(), *level).unwrap();
        out.include_checksum(*checksum).unwrap();
        out.include_contentsize(*size).unwrap();
        out.set_pledged_src_size(size.then_some(text.len() as u64))
            .unwrap();
        out.write_all(text).unwrap();
        out.finish().unwrap()
    }
}

/// A text in this many parts.
fn parts(text: &[u8], many: usize) -> impl Iterator<Item = &[u8]> {
    let length = text.len().div_ceil(many).max(1);
    let empty = text.is_empty().then_some(text);
    text.chunks(length).chain(empty)
}

fn manners() -> impl Strategy<Value = Manner> {
    let word = || prop::option::of(prop::collection::vec(1..255u8, 0..20));
    prop_oneof![
        (1..10u32, word(), word(), any::<u32>(), 1..4usize).prop_map(
            |(level, name, comment, time, members)| Manner::Gzip {
                level,
                name,
                comment,
                time,
                members
            }
        ),
        (1..12i32, any::<bool>(), any::<bool>(), 1..4usize).prop_map(
            |(level, checksum, size, frames)| Manner::Zstd {
                level,
                checksum,
                size,
                frames
            }
        ),
    ]
}

fn unpack(packed: &[u8]) -> io::Result<Vec<u8>> {
    let store = StoreOf::head(packed).packed().expect("a packed file");
    let mut text = Vec::new();
    Unpacked::new(store, packed, true)?.read_to_end(&mut text)?;
    Ok(text)
}

/// The file with each `quay` made `pier`.
fn planned(packed: &[u8], text: &[u8]) -> PlannedFile {
    let places = memchr::memmem::find_iter(text, b"quay");
    let changes = places.map(|at| Change {
        line: 1,
        from: at as u64,
        to: at as u64 + 4,
        before: b"quay".to_vec(),
        after: b"the pier".to_vec(),
    });
    let facts = Facts {
        store: StoreOf::head(packed),
        text_bytes: text.len() as u64,
        ..Facts::of_bytes(blake3::hash(packed), packed.len() as u64)
    };
    PlannedFile::evaluated(Source::STDIN, facts, changes.collect())
}

fn texts() -> impl Strategy<Value = Vec<u8>> {
    let word = prop::sample::select(vec![
        "quay",
        " 7",
        "\n",
        "tide table ",
        "L4,",
        "ö",
        "\u{1F6A2}",
    ]);
    prop::collection::vec(word, 0..400).prop_map(|words| words.concat().into_bytes())
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, cases: 192, ..ProptestConfig::default() })]

    /// A packed text is read as it was, and written with its changes in the manner of its file.
    #[test]
    fn rewritten_in_the_same_manner(manner in manners(), text in texts()) {
        let packed = manner.pack(&text);
        prop_assert_eq!(&unpack(&packed).unwrap(), &text);
        let file = planned(&packed, &text);
        let mut out = Vec::new();
        splice_into(&packed[..], &file, &mut out).unwrap();
        let wanted = String::from_utf8(text.clone()).unwrap().replace("quay", "the pier");
        prop_assert_eq!(unpack(&out).unwrap(), wanted.as_bytes());
        match manner {
            // All of the header, and the flags of the text's size and checksum.
            Manner::Gzip { name, comment, .. } => {
                let length = 10 + [name, comment].iter().flatten().map(|text| text.len() + 1).sum::<usize>();
                prop_assert_eq!(&out[..length], &packed[..length]);
            }
            Manner::Zstd { .. } => {
                let flags = |head: &[u8]| (head[4] & 4 != 0, head[4] & 0xE0 != 0);
                prop_assert_eq!(flags(&out), flags(&packed));
            }
        }
        // Nothing that was not evaluated is written.
        let mut other = file;
        other.facts.hash = Some(blake3::hash(b"another"));
        let spliced = splice_into(&packed[..], &other, &mut Vec::new());
        prop_assert!(matches!(spliced, Err(SpliceError::Changed)));
    }

    /// A file that is cut off or damaged is an error, or holds what it did.
    #[test]
    fn damaged(manner in manners(), text in texts(), at in any::<prop::sample::Index>(), flip in 1..=255u8) {
        let packed = manner.pack(&text);
        let file = planned(&packed, &text);
        let is_single = matches!(manner, Manner::Gzip { members: 1, .. } | Manner::Zstd { frames: 1, .. });
        let cut = &packed[..at.index(packed.len())];
        if StoreOf::head(cut).packed().is_some() {
            prop_assert!(!is_single || unpack(cut).is_err());
            prop_assert!(splice_into(cut, &file, &mut Vec::new()).is_err());
        }
        let mut bad = packed.clone();
        bad[at.index(packed.len())] ^= flip;
        if StoreOf::head(&bad).packed().is_some() {
            let has_sum = !matches!(manner, Manner::Zstd { checksum: false, .. });
            let found = unpack(&bad);
            prop_assert!(!has_sum || found.as_ref().map_or(true, |found| *found == text), "{found:?}");
            prop_assert!(splice_into(&bad[..], &file, &mut Vec::new()).is_err());
        }
    }
}

/// A text that fills every memory is not read to its end.
#[test]
fn one_that_never_ends() {
    let mut out = zstd::stream::Encoder::new(Vec::new(), 1).unwrap();
    io::copy(&mut io::repeat(b'a').take(300 << 20), &mut out).unwrap();
    let packed = out.finish().unwrap();
    let mut text =
        Unpacked::new(StoreOf::head(&packed).packed().unwrap(), &packed[..], true).unwrap();
    let read = io::copy(&mut text, &mut io::sink());
    let error = read.expect_err("it grows beyond measure").to_string();
    assert!(error.contains("more than 1000 times its size"), "{error}");
}

/// A text is not packed again where something would be lost.
#[test]
fn what_would_be_lost() {
    let mut out = GzBuilder::new()
        .extra(b"BC\x02\0\x1b\0".to_vec())
        .write(Vec::new(), Compression::fast());
    out.write_all(b"quay 7\n").unwrap();
    let gzip = out.finish().unwrap();
    let table = [
        0x5E, 0x2A, 0x4D, 0x18, 9, 0, 0, 0, 0, 0, 0, 0, 0, 0xB1, 0xEA, 0x92, 0x8F,
    ];
    let zstd = [
        &zstd::encode_all(&b"quay 7\n"[..], 3).unwrap()[..],
        &table[..],
    ]
    .concat();
    for packed in [gzip, zstd] {
        assert_eq!(unpack(&packed).unwrap(), b"quay 7\n");
        let file = planned(&packed, b"quay 7\n");
        let spliced = splice_into(&packed[..], &file, &mut Vec::new());
        assert!(matches!(spliced, Err(SpliceError::Lossy(_))), "{spliced:?}");
    }
}

/// A text can be read at any place, packed or not.
#[test]
fn at_any_place() {
    let folder = tempfile::tempdir().unwrap();
    let text = b"berth 4\nquay 7\n";
    let packed = Manner::Zstd {
        level: 3,
        checksum: true,
        size: true,
        frames: 1,
    }
    .pack(text);
    for bytes in [text.to_vec(), packed] {
        let path = folder.path().join("notice");
        std::fs::write(&path, &bytes).unwrap();
        let file = TextFile::open(&path).unwrap();
        let mut part = [0; 4];
        file.read_exact_at(&mut part, 8).unwrap();
        assert_eq!((&part, file.bytes()), (b"quay", text.len() as u64));
        assert_eq!(file.whole().unwrap(), (text.to_vec(), blake3::hash(&bytes)));
    }
}

/// The extensions that follow that of a form are those of the stores.
#[test]
fn endings() {
    let known = brisk_quill_core::columns::layout::PACKED;
    assert_eq!(StoreOf::endings().collect::<Vec<_>>(), known);
}
