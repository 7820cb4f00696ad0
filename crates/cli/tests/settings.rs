//! Settings: they change what is shown, and nothing else.

use crate::support::Sandbox;

fn with_settings(settings: &str) -> Sandbox {
    let sandbox = Sandbox::with("a.txt", "a quay\nquays\nquay\n");
    let folder = sandbox.state().join("config/brisk-quill");
    std::fs::create_dir_all(&folder).unwrap();
    std::fs::write(folder.join("settings.toml"), settings).unwrap();
    sandbox
}

#[test]
fn looks_alone() {
    let sandbox =
        with_settings("show = 1\ncontext = 1\nthreads = 2\nhints-off = ['inside-word']\n");
    let shown = sandbox.run("find quay a.txt").ok().out;
    assert!(shown.contains("2 more matches not shown"), "{shown}");
    assert!(shown.contains("2  quays"), "{shown}");
    assert!(!shown.contains("inside-word"), "{shown}");
    let all = sandbox.run("find quay a.txt --show all --context 0").ok();
    assert!(!all.out.contains("not shown"), "{}", all.out);
    let records = sandbox.run("find quay a.txt --json").ok();
    assert_eq!(records.of_kind("match").len(), 3);
    let rows = sandbox.run("extract quay a.txt").ok().out;
    assert_eq!(rows.lines().count(), 4, "{rows}");
    let page = sandbox.run("help settings").ok().out;
    for held in [
        "show       1 (settings.toml)",
        "theme      auto (default)",
        "inside-word",
    ] {
        assert!(page.contains(held), "{page}");
    }
}

/// A file with a fault is not used; what was asked is done none the less.
#[test]
fn faults() {
    for (settings, fault) in [
        (
            "show = 1\ncontexts = 2\n",
            "line 2: there is no setting `contexts`: did you mean `context`?",
        ),
        (
            "show = 'few'\n",
            "line 1: `show` must be a number, or `all`",
        ),
        (
            "\nhints-off = ['inside']\n",
            "line 2: `hints-off` must be a list of kinds",
        ),
        ("theme = \n", "line 1: "),
        (
            "threads = 0\n",
            "line 1: `threads` must be a number, at least 1",
        ),
    ] {
        let sandbox = with_settings(settings);
        let found = sandbox.run("find quay a.txt").ok();
        assert!(
            found.err.contains("settings.toml is not used: "),
            "{}",
            found.err
        );
        assert!(found.err.contains(fault), "{}", found.err);
        assert!(!found.out.contains("not shown"), "{}", found.out);
    }
}
