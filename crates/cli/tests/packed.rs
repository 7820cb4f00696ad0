//! Compressed texts: everything goes as on plain ones, and comes back to the byte.

use crate::support::Sandbox;
use flate2::{Compression, GzBuilder};
use std::io::{Read, Write};

const NOTICE: &str = "Berth 7 is closed.\nBerth 12 opens at 0430.\nVessels for Berth 7 wait.\n";
const TABLE: &str = "berth,depth\nB7,\"4,9\"\nB12,\"8,4\"\n";

/// The extensions of compressed texts.
const ENDINGS: [&str; 2] = ["gz", "zst"];

fn pack(ending: &str, text: &str) -> Vec<u8> {
    if ending == "zst" {
        return zstd::encode_all(text.as_bytes(), 3).unwrap();
    }
    let builder = GzBuilder::new().filename("notice").mtime(1_700_000_000);
    let mut out = builder.write(Vec::new(), Compression::best());
    out.write_all(text.as_bytes()).unwrap();
    out.finish().unwrap()
}

fn unpack(packed: &[u8]) -> String {
    let mut text = String::new();
    if packed.starts_with(b"\x1f\x8b") {
        let mut all = flate2::read::MultiGzDecoder::new(packed);
        all.read_to_string(&mut text).unwrap();
    } else {
        let bytes = zstd::decode_all(packed).unwrap();
        text = String::from_utf8(bytes).unwrap();
    }
    text
}

fn port(pack: &dyn Fn(&str, &str, &Sandbox)) -> Sandbox {
    let sandbox = Sandbox::new();
    pack("notice.txt", NOTICE, &sandbox);
    pack("berths.csv", TABLE, &sandbox);
    sandbox
}

/// A folder of texts packed in one way.
fn packed_port(ending: &str) -> Sandbox {
    port(&|name, text, sandbox| sandbox.write(&format!("{name}.{ending}"), pack(ending, text)))
}

/// Each verb says the same of a packed text as of a plain one.
#[test]
fn as_on_plain_texts() {
    let plain = port(&|name, text, sandbox| sandbox.write(name, text));
    for ending in ENDINGS {
        let packed = packed_port(ending);
        for request in [
            r"find 'Berth (\d+)' --context 1",
            "find --missing Berth notice.txt",
            r"find 'Berth \d+' --files",
            r"tally 'Berth \d+'",
            "shapes --columns berth berths.csv",
            r"extract 'Berth (\d+)' notice.txt",
            r"check 'B\d\d' --columns berth --entire",
            r"preview 'Berth (\d+)' --with 'B-$1'",
            r"preview 'Berth (\d+)' --with 'B-$1' --diff",
            "preview '^B' --with 'Berth ' --columns berth",
            r"preview '\d+' --with X --pick last --whole notice.txt",
            "find X --after last",
            "review --report - --report-form markdown",
        ] {
            let wanted = plain.run(request);
            let packed_name = |name: &str| format!("{name}.{ending}");
            let asked = ["notice.txt", "berths.csv"]
                .iter()
                .fold(request.to_owned(), |text, name| {
                    text.replace(name, &packed_name(name))
                });
            let got = packed.run(&asked);
            let shown = |text: &str| text.replace(&format!(".{ending}"), "");
            assert_eq!(
                (
                    got.status,
                    words_of(&shown(&got.out)),
                    words_of(&shown(&got.err))
                ),
                (wanted.status, words_of(&wanted.out), words_of(&wanted.err)),
                "{asked}"
            );
        }
    }
}

/// The words of an output, for names of other lengths move columns.
fn words_of(text: &str) -> Vec<String> {
    text.split_whitespace().map(str::to_owned).collect()
}

/// One accepted change is written, in the store of its file, and reverted to the byte.
#[test]
fn reviewed_applied_and_undone() {
    for ending in ENDINGS {
        let sandbox = packed_port(ending);
        let (notice, before) = (format!("notice.txt.{ending}"), sandbox.snapshot());
        sandbox
            .run(r"preview 'Berth (\d+)' --with 'B-$1' --save-plan p.plan")
            .ok();
        let plan = sandbox.text("p.plan");
        let store = if ending == "gz" { "gzip" } else { "zstd" };
        let fields = format!(r#""store":"{store}","text_bytes":{}"#, NOTICE.len());
        assert!(plan.contains(&fields), "{plan}");
        let got = sandbox.run("review --plan p.plan --accept 1.2").ok();
        assert!(got.out.contains("1 accepted"), "{}", got.out);
        let done = sandbox.run("apply --plan p.plan --yes").ok();
        assert!(
            done.out.contains("Wrote 1 change in 1 file"),
            "{}",
            done.out
        );
        let wanted = NOTICE.replace("Berth 12", "B-12");
        assert_eq!(unpack(&sandbox.read(&notice)), wanted);
        if ending == "gz" {
            // The time, the name and the effort of the header.
            assert_eq!(sandbox.read(&notice)[..17], pack("gz", NOTICE)[..17]);
        }
        let history = sandbox.run("history").ok().out;
        assert!(history.contains(" 1      1  "), "{history}");
        // The plan has been made from other bytes.
        let stale = sandbox.run("apply --plan p.plan --yes");
        assert!(
            stale.status == 3 && stale.err.contains("has changed"),
            "{stale:?}"
        );
        let undone = sandbox.run("undo --yes").ok();
        assert!(undone.out.contains("1 change in 1 file"), "{}", undone.out);
        std::fs::remove_file(sandbox.file("p.plan")).unwrap();
        assert_eq!(sandbox.snapshot(), before);
    }
}

/// A plan is renewed after its file was written by others, and a run is reverted around their edit as far as it can be.
#[test]
fn files_that_others_write() {
    for ending in ENDINGS {
        let sandbox = packed_port(ending);
        let notice = format!("notice.txt.{ending}");
        sandbox
            .run(&format!(r"preview 'Berth (\d+)' --with 'B-$1' {notice}"))
            .ok();
        sandbox.run("review --accept 1.2").ok();
        let edited = NOTICE.replace("closed", "shut");
        sandbox.write(&notice, pack(ending, &edited));
        sandbox.run("apply --renew --yes").ok();
        assert_eq!(
            unpack(&sandbox.read(&notice)),
            edited.replace("Berth 12", "B-12")
        );
        sandbox.write(&notice, pack(ending, "B-12 is gone.\n"));
        let got = sandbox.run("undo --review");
        assert!(
            got.out.contains("is compressed") && got.out.contains("0 of 1"),
            "{got:?}"
        );
    }
}

/// Copies and filters keep the store.
#[test]
fn copied_and_filtered() {
    for ending in ENDINGS {
        let sandbox = packed_port(ending);
        let (notice, wanted) = (
            format!("notice.txt.{ending}"),
            NOTICE.replace("Berth", "Quay"),
        );
        sandbox
            .run(&format!(
                "apply Berth --with Quay {notice} --to new.{ending}"
            ))
            .ok();
        assert_eq!(unpack(&sandbox.read(&format!("new.{ending}"))), wanted);
        sandbox
            .run(&format!("preview Berth --with Quay {notice}"))
            .ok();
        sandbox.run(&format!("apply --to planned.{ending}")).ok();
        assert_eq!(unpack(&sandbox.read(&format!("planned.{ending}"))), wanted);
        let input = sandbox.read(&notice);
        // As it comes, and as a whole.
        for guard in ["", "--expect 3"] {
            let got = sandbox.pipe(&input, &format!("apply Berth --with Quay {guard}"));
            assert_eq!(
                (got.status, unpack(&got.raw)),
                (0, wanted.clone()),
                "{guard}"
            );
        }
        let got = sandbox.pipe(&input, "find Berth --count").ok();
        assert!(got.out.contains("3  standard input"), "{}", got.out);
    }
}

/// A text that cannot be read, or not be written again, is an error at its place, and nothing is written.
#[test]
fn refused() {
    let whole = pack("gz", &NOTICE.repeat(40));
    let mut flipped = whole.clone();
    flipped[whole.len() - 6] ^= 1;
    let mut blocks = GzBuilder::new()
        .extra(b"BC\x02\0\x1b\0".to_vec())
        .write(Vec::new(), Compression::fast());
    blocks.write_all(NOTICE.as_bytes()).unwrap();
    let cases: [(&str, Vec<u8>, &str, &str); 4] = [
        (
            "cut.gz",
            whole[..whole.len() - 9].to_vec(),
            "find Berth",
            "cut off: they end at byte",
        ),
        (
            "bad.gz",
            flipped,
            "find Berth",
            "damaged, at or before byte",
        ),
        (
            "tar.gz",
            pack("gz", &format!("{}ustar", "\0".repeat(257))),
            "find Berth",
            "a tar archive",
        ),
        (
            "blocks.gz",
            blocks.finish().unwrap(),
            "preview Berth --with Quay",
            "which would be lost",
        ),
    ];
    for (name, bytes, request, said) in cases {
        let sandbox = Sandbox::with(name, bytes);
        let before = sandbox.snapshot();
        for request in [request, "apply Berth --with Quay --yes"] {
            let got = sandbox.run(&format!("{request} {name}"));
            assert!(
                got.status == 3 && got.err.contains(said),
                "{name} {request}: {got:?}"
            );
        }
        assert_eq!(sandbox.snapshot(), before);
    }
    // A plan that names a store of another version.
    let sandbox = packed_port("gz");
    sandbox
        .run("preview Berth --with Quay --save-plan p.plan")
        .ok();
    let plan = sandbox
        .text("p.plan")
        .replace(r#""store":"gzip""#, r#""store":"stone""#);
    sandbox.write("p.plan", plan);
    let got = sandbox.run("apply --plan p.plan --yes");
    assert!(got.status != 0 && got.err.contains("stone"), "{got:?}");
}
