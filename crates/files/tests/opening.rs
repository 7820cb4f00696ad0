//! Files are opened below a folder and nowhere else, without waiting for anything.

use brisk_quill_files::fs::open::{links_on_the_way, open_below, open_regular, read_all};
use brisk_quill_files::fs::{LeadsElsewhere, NotRegular};
use std::io::{self, ErrorKind, Read, Write};
use std::os::unix::fs::symlink;
use std::path::Path;

fn is<E: std::error::Error + 'static>(error: &io::Error) -> bool {
    error.get_ref().is_some_and(|inner| inner.is::<E>())
}

/// The outcome of an opening, as a user sees it.
fn outcome<T>(opened: io::Result<T>, text: impl Fn(T) -> String) -> String {
    match opened {
        Ok(opened) => text(opened),
        Err(error) if is::<LeadsElsewhere>(&error) => "elsewhere".into(),
        Err(error) if is::<NotRegular>(&error) => "not regular".into(),
        Err(error) if error.kind() == ErrorKind::NotFound => "not there".into(),
        Err(error) => format!("{error}"),
    }
}

fn all_of(mut file: std::fs::File) -> String {
    let mut text = String::new();
    file.read_to_string(&mut text).unwrap();
    text
}

#[test]
fn below_a_folder() {
    let outside = tempfile::tempdir().unwrap();
    let outside = outside.path().canonicalize().unwrap();
    std::fs::write(outside.join("secret"), "secret").unwrap();
    let root = outside.join("notices");
    std::fs::create_dir_all(root.join("deep/er")).unwrap();
    std::fs::write(root.join("a.md"), "a").unwrap();
    std::fs::write(root.join("deep/b.md"), "b").unwrap();
    for (link, target) in [
        ("to_a", "a.md"),
        ("deep/up_to_a", "../a.md"),
        ("in", "deep"),
        ("out", "../secret"),
        ("far", "/etc/hostname"),
        ("deep/out", "../../secret"),
        ("out_and_in", "../notices/a.md"),
        ("loop", "loop"),
        ("ring_1", "ring_2"),
        ("ring_2", "ring_1"),
        ("nowhere", "none.md"),
        ("above", ".."),
    ] {
        symlink(target, root.join(link)).unwrap();
    }
    rustix::fs::mknodat(
        rustix::fs::CWD,
        root.join("pipe"),
        rustix::fs::FileType::Fifo,
        rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR,
        0,
    )
    .unwrap();
    let inside = root.join("deep/b.md");
    let secret = outside.join("secret");
    let cases: &[(&Path, &str)] = &[
        (Path::new("a.md"), "a"),
        (Path::new("./deep/./b.md"), "b"),
        (Path::new("deep/../a.md"), "a"),
        (&inside, "b"),
        // Links are followed while they stay below.
        (Path::new("to_a"), "a"),
        (Path::new("deep/up_to_a"), "a"),
        (Path::new("in/b.md"), "b"),
        (Path::new("in/er/../../a.md"), "a"),
        // What leaves it is refused, though it may come back.
        (Path::new("../secret"), "elsewhere"),
        (Path::new("deep/../../secret"), "elsewhere"),
        (Path::new("../notices/a.md"), "elsewhere"),
        (&secret, "elsewhere"),
        (Path::new("/etc/hostname"), "elsewhere"),
        (Path::new("out"), "elsewhere"),
        (Path::new("far"), "elsewhere"),
        (Path::new("deep/out"), "elsewhere"),
        (Path::new("out_and_in"), "elsewhere"),
        (Path::new("above/secret"), "elsewhere"),
        (Path::new("loop"), "elsewhere"),
        (Path::new("ring_1"), "elsewhere"),
        (Path::new("none.md"), "not there"),
        (Path::new("nowhere"), "not there"),
        (Path::new("deep"), "not regular"),
        (Path::new("pipe"), "not regular"),
    ];
    for (path, wanted) in cases {
        assert_eq!(
            outcome(open_below(&root, path), all_of),
            *wanted,
            "{}",
            path.display()
        );
    }
    // Without a root, links lead anywhere.
    for (path, wanted) in [
        ("to_a", "a"),
        ("out", "secret"),
        ("deep", "not regular"),
        ("pipe", "not regular"),
    ] {
        assert_eq!(
            outcome(open_regular(&root.join(path)), all_of),
            wanted,
            "{path}"
        );
    }
    for (path, wanted) in [
        ("a.md", None),
        ("deep/b.md", None),
        ("none.md", None),
        ("in/b.md", Some(root.join("deep/b.md"))),
        ("out", Some(secret.clone())),
        ("loop", None),
    ] {
        assert_eq!(links_on_the_way(&root.join(path)), wanted, "{path}");
    }
}

/// A file, or a pipe with a writer, is read up to a limit; what would be waited for is refused.
#[test]
fn read_as_a_whole() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    std::fs::write(path("table"), "L4,North quay\n").unwrap();
    let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
    assert_eq!(
        outcome(read_all(&path("table"), 14), text),
        "L4,North quay\n"
    );
    assert!(outcome(read_all(&path("table"), 13), text).starts_with("it is larger than 0 MiB"));
    assert_eq!(outcome(read_all(folder.path(), 99), text), "not regular");
    assert_eq!(
        outcome(read_all(Path::new("/dev/zero"), 99), text),
        "not regular"
    );
    assert_eq!(outcome(read_all(&path("none"), 99), text), "not there");
    rustix::fs::mknodat(
        rustix::fs::CWD,
        path("pipe"),
        rustix::fs::FileType::Fifo,
        rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR,
        0,
    )
    .unwrap();
    assert_eq!(
        outcome(read_all(&path("pipe"), 99), text),
        "it is a pipe that nobody writes to"
    );
    let (pipe, writes) = (path("pipe"), path("pipe"));
    let writer = std::thread::spawn(move || {
        // Opening waits for the reader below.
        let mut pipe = std::fs::OpenOptions::new()
            .write(true)
            .open(writes)
            .unwrap();
        for part in ["L4,", "North ", "quay\n"] {
            pipe.write_all(part.as_bytes()).unwrap();
        }
    });
    // Until there is a writer, the pipe is refused.
    let read = loop {
        match read_all(&pipe, 99) {
            Err(error) if error.kind() == ErrorKind::InvalidInput => std::thread::yield_now(),
            read => break read,
        }
    };
    writer.join().unwrap();
    assert_eq!(outcome(read, text), "L4,North quay\n");
}
