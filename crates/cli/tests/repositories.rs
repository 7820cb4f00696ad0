//! `--changed`, and the word about what is not committed, in repositories made here.

use crate::support::{Sandbox, said};
use git2::{IndexAddOption, Repository, Signature};
use std::path::Path;

fn commit_all(repository: &Repository) {
    let mut index = repository.index().unwrap();
    let all = ["*"].iter();
    let mut skips = |path: &Path, _: &[u8]| i32::from(path.starts_with("within"));
    let skips = Some(&mut skips as &mut git2::IndexMatchedPath<'_>);
    index.add_all(all, IndexAddOption::DEFAULT, skips).unwrap();
    index.write().unwrap();
    let tree = repository.find_tree(index.write_tree().unwrap()).unwrap();
    let pilot = Signature::now("Pilot", "pilot@larkmoor.example").unwrap();
    let parent = repository.head().ok();
    let parent = parent.map(|head| head.peel_to_commit().unwrap());
    let parents: Vec<_> = parent.iter().collect();
    let head = Some("HEAD");
    repository
        .commit(head, &pilot, &pilot, "As it was", &tree, &parents)
        .unwrap();
}

/// Files in every state that a repository knows, and another repository within.
fn harbour() -> (Sandbox, Repository) {
    let sandbox = Sandbox::new();
    let repository = Repository::init(sandbox.path()).unwrap();
    for (name, text) in [
        (".gitignore", "*.tmp\n"),
        ("same.txt", "quay\n"),
        ("notices/edited.txt", "quay\n"),
        ("staged.txt", "quay\n"),
        ("back.txt", "quay\n"),
    ] {
        sandbox.write(name, text);
    }
    commit_all(&repository);
    for (name, text) in [
        ("notices/edited.txt", "quay 2\n"),
        ("staged.txt", "quay 3\n"),
        ("back.txt", "quay\n"),
        ("new/é.txt", "quay 4\n"),
        ("ignored.tmp", "quay\n"),
    ] {
        sandbox.write(name, text);
    }
    let mut index = repository.index().unwrap();
    index.add_path(Path::new("staged.txt")).unwrap();
    index.write().unwrap();
    let within = Repository::init(sandbox.file("within")).unwrap();
    sandbox.write("within/a.txt", "quay\n");
    sandbox.write("within/b.txt", "quay\n");
    commit_all(&within);
    sandbox.write("within/b.txt", "quay 5\n");
    (sandbox, repository)
}

#[test]
fn only_what_differs_from_the_last_commit() {
    let (sandbox, repository) = harbour();
    let files = |words: &str| -> Vec<String> {
        let records = sandbox.run(words).of_kind("match");
        let path = |record: &serde_json::Value| record["path"].as_str().unwrap().to_owned();
        records.iter().map(path).collect()
    };
    let differing = [
        "new/é.txt",
        "notices/edited.txt",
        "staged.txt",
        "within/b.txt",
    ];
    assert_eq!(files("find quay --changed --json"), differing);
    assert_eq!(
        files("find quay --changed --json notices same.txt"),
        differing[1..2]
    );
    assert_eq!(files("find quay --changed --json --ignored"), differing);
    // Through a link to a folder, and to a file.
    std::os::unix::fs::symlink("notices", sandbox.file("link")).unwrap();
    std::os::unix::fs::symlink("same.txt", sandbox.file("same-link.txt")).unwrap();
    let linked = "find quay --changed --json link same-link.txt";
    assert_eq!(files(linked), ["link/edited.txt"]);
    // More files than are looked at one by one.
    for n in 0..300 {
        sandbox.write(&format!("many/{n:03}.txt"), "quay\n");
    }
    assert_eq!(files("find quay --changed --json").len(), 4 + 300);
    commit_all(&repository);
    assert_eq!(files("find quay --changed --json"), differing[3..]);
    let got = sandbox.run("preview quay --with pier --changed same.txt back.txt");
    assert_eq!(got.status, 1);
    said(
        &got,
        "2 files left out by `--changed`, as in the last commit",
    );
    let piped = sandbox
        .pipe("quay\n", "apply quay --with pier --changed -")
        .ok();
    assert_eq!(piped.out, "pier\n");
    let state = sandbox.file(".git/index");
    let before = std::fs::read(&state).unwrap();
    sandbox.run("find quay --changed").ok();
    assert_eq!(std::fs::read(&state).unwrap(), before);
}

#[test]
fn no_repository() {
    let sandbox = Sandbox::with("a.txt", "quay\n");
    let got = sandbox.run("find quay --changed a.txt");
    assert_eq!(got.status, 2);
    said(
        &got,
        "`--changed`: a.txt: it lies in no repository of version control",
    );
    // One without a commit: everything is new in it. One that is damaged.
    Repository::init(sandbox.path()).unwrap();
    sandbox.run("find quay --changed a.txt").ok();
    sandbox.write(".git/HEAD", "nonsense");
    let got = sandbox.run("find quay --changed a.txt");
    assert_eq!(got.status, 2, "{got:#?}");
    let got = sandbox.run("apply quay --with pier --yes a.txt").ok();
    assert!(!got.err.contains("committed"), "{got:#?}");
}

#[test]
fn apply_names_what_is_not_committed() {
    let (sandbox, repository) = harbour();
    let got = sandbox.run("apply quay --with pier --yes same.txt back.txt");
    assert!(!got.ok().err.contains("committed"));
    let got = sandbox.run("apply quay --with pier --yes").ok();
    said(
        &got,
        "note: not committed as they are now: new/é.txt, notices/edited.txt, staged.txt, 1 more file; \
         `bquill undo` would bring them back",
    );
    sandbox.run("undo --yes").ok();
    assert_eq!(sandbox.text("staged.txt"), "quay 3\n");
    commit_all(&repository);
    sandbox
        .run("preview quay --with pier staged.txt within")
        .ok();
    let got = sandbox.run("apply --yes").ok();
    said(&got, "as they are now: within/b.txt; `bquill");
}
