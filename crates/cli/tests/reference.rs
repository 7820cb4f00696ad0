//! The pages of the reference that are written from the definitions.

use crate::support::Sandbox;
use serde_json::Value;
use std::path::Path;

/// A page that is not what the definitions say is written anew, and the test fails once.
#[test]
fn pages_are_what_the_definitions_say() {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    let mut stale = Vec::new();
    for (name, text) in brisk_quill::reference() {
        let path = docs.join(name);
        if std::fs::read_to_string(&path).unwrap_or_default() != text {
            std::fs::write(&path, text).unwrap();
            stale.push(name);
        }
    }
    assert!(
        stale.is_empty(),
        "written anew: {stale:?}; read and commit them"
    );
}

/// Every record that a verb prints fits the schema of the reference, and no two of them at once.
#[test]
fn results_fit_the_schema() {
    let (_, schema) = (brisk_quill::reference().into_iter())
        .find(|(name, _)| *name == "records.schema.json")
        .unwrap();
    let schema: Value = serde_json::from_str(&schema).unwrap();
    let schema = jsonschema::validator_for(&schema).unwrap();
    let sandbox = Sandbox::larkmoor();
    sandbox.write("odd.txt", b"berth 7 \xE9 berth 1,000\r\n");
    sandbox.write(
        "a.toml",
        "[[step]]\nmatch = 'quay'\nwith = 'Q'\nexample = { before = 'quay', after = 'q' }\n",
    );
    sandbox.run("apply quay --with Q odd.txt notices --yes");
    sandbox.run("apply berth --with pier odd.txt --yes").ok();
    sandbox.run("undo --yes").ok();
    let mut kinds = std::collections::BTreeSet::new();
    for request in [
        "find '(berth)|(?<x>zz)' . --json",
        "find berth --missing odd.txt --json",
        "check berth . --json",
        "tally 'berth' . --by file --json",
        "tally '(berth) ([\\d,]+)' --sum 2 odd.txt --json",
        "shapes odd.txt --json",
        "shapes --chars . --json",
        "infer --example quay Quay --example pier Pier notices --json",
        "infer --values notices --json",
        "test a.toml --json",
        "history --json",
        "history 1 --json",
        "preview berth --with pier odd.txt",
        "review --accept 1.1 --json",
    ] {
        let got = sandbox.run(request);
        if request.starts_with("preview") {
            continue;
        }
        assert!(!got.out.is_empty(), "{request}: {got:?}");
        for line in got.out.lines() {
            let value: Value = serde_json::from_str(line).unwrap();
            assert!(schema.is_valid(&value), "{request}: {line}");
            kinds.insert(value["record"].as_str().unwrap().to_owned());
        }
    }
    assert!(kinds.len() >= 9, "{kinds:?}");
}

/// A recalled command may change its verb: options that say nothing to it are named in a note.
#[test]
fn a_recalled_command_changes_its_verb() {
    let sandbox = Sandbox::larkmoor();
    let recalled = "'berth (\\d+)' -i --with 'B-$1' --kinds --show 5 --save-plan x.plan notices";
    for (verb, expect, noted) in [
        ("find", "", "--kinds, --save-plan, --with"),
        ("tally", "", "--kinds, --save-plan, --with"),
        ("check", "", "--kinds, --save-plan, --with"),
        ("extract", "", "--kinds, --save-plan, --with"),
        ("explain", "", "--kinds, --save-plan, --show"),
        (
            "apply --yes",
            "--expect 1..",
            "--kinds, --save-plan, --show",
        ),
    ] {
        let got = sandbox.run(&format!("{verb} {expect} {recalled}"));
        assert_ne!(got.status, 2, "{verb}: {got:?}");
        let noted = noted.replace("--", "`--").replace(',', "`,");
        let note = format!("note: not used by this verb: {noted}`\n");
        assert!(got.err.contains(&note), "{verb}: {got:?}");
        assert!(!sandbox.path().join("x.plan").exists());
    }
    let got = sandbox.run("preview berth --with pier --count --paths notices");
    assert!(
        got.err
            .contains("not used by this verb: `--count`, `--paths`\n"),
        "{got:?}"
    );
    // What would write other changes than were shown is refused.
    for request in [
        "apply berth --with pier --through 1 --yes notices",
        "preview berth --with pier --missing notices",
        "explain --pattern-file p.txt notices",
    ] {
        assert_eq!(sandbox.run(request).status, 2, "{request}");
    }
}

#[test]
fn help_for_a_verb() {
    let sandbox = Sandbox::larkmoor();
    // The page of a verb takes the same words as all of its help.
    for verb in [
        "apply", "check", "draft", "extract", "find", "infer", "preview", "review", "shapes",
        "tally", "undo",
    ] {
        let usage = |option: &str| {
            let help = sandbox.args(&[verb, option]).ok().out;
            let line = help
                .lines()
                .find_map(|line| line.strip_prefix("Usage: "))
                .unwrap()
                .to_owned();
            line.replace(" [--then PATTERN …]", "")
        };
        assert_eq!(usage("-h"), usage("--help"));
    }
    let verb = sandbox.run("help preview").ok();
    assert_eq!(verb.out, sandbox.run("preview --help").ok().out);
    assert_eq!(sandbox.run("help").ok().out, sandbox.run("-h").ok().out);
    let got = sandbox.run("help nowhere");
    assert!(
        got.status == 2 && got.err.contains("no verb `nowhere`"),
        "{got:?}"
    );
}
