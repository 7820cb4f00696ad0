//! The page: what it holds, and what a browser makes of it.

use crate::support::Sandbox;
use crate::support::browser::Browser;
use serde_json::{Value, json};

const BERTHS: &str = "preview 'berth (\\d+)' -i --with 'B-$1' notices --report page.html --show 0";

/// The decisions of some reviewer, as the page saves them.
fn decisions(hash: &str, by: &str, all: &[(&str, &str)]) -> String {
    let line = |(id, decision): &(&str, &str)| {
        let record =
            json!({"record": "decision", "id": id, "decision": decision, "plan": hash, "by": by});
        format!("{record}\n")
    };
    all.iter().map(line).collect()
}

/// The hash that the page names.
fn hash_in(page: &str) -> String {
    let (_, rest) = page.split_once("data-plan=\"").unwrap();
    rest[..64].to_owned()
}

/// The sample files with a plan and its page, and the hash of the plan.
fn planned() -> (Sandbox, String) {
    let sandbox = Sandbox::larkmoor();
    let got = sandbox.run(&format!("{BERTHS} --save-plan berths.plan"));
    assert_eq!(got.status, 0, "{got:?}");
    let hash = hash_in(&sandbox.text("page.html"));
    (sandbox, hash)
}

#[test]
fn saved_by_preview_and_by_review() {
    let sandbox = Sandbox::larkmoor();
    let got = sandbox.run(BERTHS);
    assert_eq!(
        (
            got.status,
            got.err.contains("The page is saved as page.html")
        ),
        (0, true),
        "{}",
        got.err
    );
    let page = sandbox.text("page.html");
    let changes = page.matches("\n<article ").count();
    for part in [
        "<title>Review: 55 changes in ",
        "every match of `berth (\\d+)`, ignoring case, becomes `B-$1`",
        "No change has been reviewed: all 55 will be written.",
        "<del>Berth·2</del>",
        "<ins>B-2</ins>",
        "within a word",
    ] {
        assert!(page.contains(part), "{part}");
    }
    assert_eq!(changes, 55);
    // Nothing is fetched, and nothing runs but what the policy names.
    assert!(page.contains("default-src &#39;none&#39;") || page.contains("default-src 'none'"));
    for part in ["http://", "https://", "src=", " on", "style=\""] {
        let markup = page
            .split("<script>")
            .next()
            .unwrap()
            .split("</style>")
            .nth(1)
            .unwrap();
        let found = markup
            .match_indices(part)
            .find(|(at, _)| markup[..*at].rfind('<') > markup[..*at].rfind('>'));
        assert_eq!(found, None, "{part}");
    }
    // It is saved over nothing, and the plan is the same whoever saves it.
    let got = sandbox.run(BERTHS);
    assert_eq!(
        (got.status, got.err.contains("already a file: page.html")),
        (3, true),
        "{}",
        got.err
    );
    sandbox.run("review --accept 1.1");
    let got = sandbox.run("review --report again.html");
    assert_eq!((got.status, got.out.as_str()), (0, ""), "{}", got.err);
    let again = sandbox.text("again.html");
    assert_eq!(hash_in(&again), hash_in(&page));
    assert!(again.contains("1 accepted; 54 open stay as they are."));
    let got = sandbox.run("preview nowhere --with x notices --report none.html");
    assert!(
        got.err.contains("the page has not been saved"),
        "{}",
        got.err
    );
    assert!(!sandbox.file("none.html").exists());
    let got = sandbox.pipe("berth 7\n", "preview berth --with B - --report none.html");
    assert_eq!(
        (got.status, got.err.contains("Name the files")),
        (2, true),
        "{}",
        got.err
    );
}

/// Whatever the files hold, and whatever they are called, it is text on the page.
#[test]
fn hostile_texts() {
    let sandbox = Sandbox::new();
    let hostile = "7 </noscript></script><script>window.hit=1</script><img src=x onerror='window.hit=2'> \
                   \u{202e}evil\u{1b}[2J \" ' & &lt;b&gt; <article id=\"c9.9\" data-k=\"0\" data-d=\"A\">\n";
    sandbox.write("<img src=x onerror=\"window.hit=3\">.md", hostile.repeat(3));
    sandbox.write("cells.csv", "name,note\n\"<b onclick=x>7\",\"</td>\"\n");
    let got = sandbox.run("preview 7 --with '<script>window.hit=4</script>' . --report page.html");
    assert_eq!(got.status, 0, "{}", got.err);
    let page = sandbox.text("page.html");
    let (head, script) = page.rsplit_once("<script>").unwrap();
    assert!(!head.contains("<script"), "no script but the last");
    assert!(!head.contains("<img") && !head.contains("\u{202e}") && !head.contains('\u{1b}'));
    assert!(head.contains("‹U+202E›evil‹ESC›[2J"));
    assert_eq!(script.matches("</script>").count(), 1);
    assert_eq!(page.matches("\n<article ").count(), 4);
    let Some(mut browser) = Browser::open(&sandbox.file("page.html")) else {
        return;
    };
    let text = "document.querySelector('#list').innerText";
    assert_eq!(browser.value("[window.hit, document.images.length, document.querySelectorAll('#list article').length]"), json!([null, 0, 4]));
    let shown = browser.value(text);
    for part in [
        "</noscript></script><script>window.hit=1</script><img src=x",
        "<img src=x onerror=\"window.hit=3\">.md",
        "&lt;b&gt;",
    ] {
        assert!(shown.as_str().unwrap().contains(part), "{part}: {shown}");
    }
}

/// A reader filters, decides with keys and with the mouse, and saves; the file is taken in and
/// applied.
#[test]
fn decided_in_a_browser() {
    let sandbox = Sandbox::larkmoor();
    assert_eq!(sandbox.run(BERTHS).status, 0);
    let Some(mut browser) = Browser::open(&sandbox.file("page.html")) else {
        return;
    };
    let listed = "document.querySelectorAll('#list article').length";
    assert_eq!(browser.value(listed), json!(55));
    // Filters: by text, by decision, by file.
    browser.value("document.getElementById('find').value='Berth 12'; document.getElementById('find').oninput()");
    browser.until(&format!("{listed} >= 8 && {listed} < 20"));
    browser.value(
        "document.getElementById('find').value=''; document.getElementById('find').oninput()",
    );
    browser.until(&format!("{listed} === 55"));
    // Keys: two are accepted, one refused, one refused and undone.
    browser.keys("jarjaru");
    let written = "document.getElementById('written').textContent";
    assert_eq!(
        browser.value(written),
        json!("2 accepted; 1 refused and 52 open stay as they are.")
    );
    // One kind of them with its button.
    let kind = "[...document.querySelectorAll('[data-kinds]')].find(row => row.textContent.includes('Berth·12'))";
    browser.value(&format!("{kind}.querySelector('.act button').click()"));
    browser.value("document.getElementById('only-decision').value='A'; document.getElementById('only-decision').onchange()");
    let accepted = browser.value(listed).as_u64().unwrap();
    browser.value("document.getElementById('by').value='Signe, pilot'; document.querySelector('#list .choose input').value='as on the sign'; document.querySelector('#list .choose input').oninput()");
    browser.value("document.getElementById('save').click()");
    let dialog =
        "document.getElementById('saving').open && document.getElementById('stays').textContent";
    let stays = browser.value(dialog);
    assert!(
        stays
            .as_str()
            .unwrap()
            .contains(" still open: they stay as they are."),
        "{stays}"
    );
    browser.value("document.getElementById('save-now').click()");
    let said = browser.value("document.getElementById('saved').textContent");
    assert!(
        said.as_str().unwrap().contains("Now send this file back"),
        "{said}"
    );
    let file = browser.downloads().join("decisions-signe-pilot.jsonl");
    for _ in 0..600 {
        if file.exists() && browser.value("true") == json!(true) {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    let saved = std::fs::read_to_string(&file).unwrap();
    assert!(
        saved.contains("\"by\":\"Signe, pilot\",\"remark\":\"as on the sign\""),
        "{saved}"
    );
    sandbox.write("signe.jsonl", &saved);
    // Another day the file is opened on the page again; one of another plan is not.
    let take = |text: &str| {
        let lines = json!(text);
        format!(
            "(() => {{ const data = new DataTransfer(); data.items.add(new File([{lines}], 'kept.jsonl')); const input = document.getElementById('file'); input.files = data.files; input.onchange(); }})()"
        )
    };
    let Some(mut again) = Browser::open(&sandbox.file("page.html")) else {
        return;
    };
    let said = "document.getElementById('saved').textContent";
    again.value(&take(&saved.replacen("\"plan\":\"", "\"plan\":\"0", 1)));
    again.until(&format!(
        "{said} === 'kept.jsonl holds no decisions about this page; nothing is taken in.'"
    ));
    assert!(
        again
            .value(written)
            .as_str()
            .unwrap()
            .starts_with("No change has been reviewed")
    );
    again.value(&take(&saved));
    again.until(&format!("{said}.endsWith('of kept.jsonl taken in.')"));
    assert_eq!(again.value(written), browser.value(written));
    assert_eq!(
        again.value("document.getElementById('by').value"),
        json!("Signe, pilot")
    );
    // Lines of context stand once between changes that lie beside each other.
    let lines = "[...document.querySelectorAll('#list article')].slice(0, 6).flatMap(one => [...one.querySelectorAll('.row.near i')].map(i => i.textContent))";
    let lines = again.value(lines);
    let lines: Vec<&str> = lines
        .as_array()
        .unwrap()
        .iter()
        .filter_map(Value::as_str)
        .collect();
    let mut once = lines.clone();
    once.dedup();
    assert!(lines.len() > 2 && lines == once, "{lines:?}");
    let got = sandbox.run("review --decisions signe.jsonl --json");
    let counts: Value = serde_json::from_str(&got.out).unwrap();
    assert_eq!(
        (counts["accepted"].as_u64(), counts["refused"].as_u64()),
        (Some(accepted), Some(1)),
        "{}",
        got.out
    );
    assert_eq!(sandbox.run("apply --yes").status, 0);
    let files = sandbox.snapshot().into_iter();
    let notices = files.filter(|(path, _)| path.starts_with("notices"));
    let now: String = notices
        .map(|(_, bytes)| String::from_utf8_lossy(&bytes).into_owned())
        .collect();
    assert!(now.contains("B-12"));
    assert!(!now.contains("Berth 12"));
}

/// Without script, all changes can be read, and nothing says that they can be decided about.
#[test]
fn read_without_script() {
    let sandbox = Sandbox::larkmoor();
    assert_eq!(sandbox.run(BERTHS).status, 0);
    let Some(mut browser) = Browser::open_without_script(&sandbox.file("page.html")) else {
        return;
    };
    let root = browser.call("DOM.getDocument", &json!({}))["root"]["nodeId"].clone();
    let find = json!({"nodeId": root, "selector": "details.file[open] article"});
    let found = browser.call("DOM.querySelectorAll", &find);
    assert_eq!(found["nodeIds"].as_array().unwrap().len(), 55);
}

/// A page of a hundred thousand changes opens, and is turned and filtered.
#[test]
fn a_hundred_thousand_changes() {
    let sandbox = Sandbox::new();
    let line = |n: u32| format!("gauge {n:06} at berth {}\n", n % 97);
    sandbox.write("log.txt", (0..100_000).map(line).collect::<String>());
    let got =
        sandbox.run("preview 'berth (\\d+)' --with 'B-$1' log.txt --report page.html --show 0");
    assert_eq!(got.status, 0, "{}", got.err);
    let Some(mut browser) = Browser::open(&sandbox.file("page.html")) else {
        return;
    };
    let listed = "document.querySelectorAll('#list article').length";
    browser.until(&format!("{listed} === 99"));
    let page = "document.getElementById('page').textContent";
    assert_eq!(browser.value(page), json!("page 1 of 1001"));
    browser.value("document.getElementById('on').click()");
    assert_eq!(browser.value(page), json!("page 2 of 1001"));
    browser.value("document.getElementById('find').value='gauge 077777'; document.getElementById('find').oninput()");
    browser.until(&format!("{listed} === 1"));
    browser.keys("ja");
    let written = "document.getElementById('written').textContent";
    assert_eq!(
        browser.value(written),
        json!("1 accepted; 99999 open stay as they are.")
    );
}

/// Several reviewers: who agrees decides, a conflict stays open until it is settled, and who
/// decided stays in the plan.
#[test]
fn several_reviewers() {
    let (sandbox, hash) = planned();
    let review = "review --plan berths.plan";
    let anna = [("1.1", "accepted"), ("1.2", "accepted"), ("1.3", "refused")];
    sandbox.write("anna.jsonl", decisions(&hash, "Anna", &anna));
    sandbox.write(
        "bo.jsonl",
        decisions(
            &hash,
            "",
            &[("1.1", "accepted"), ("1.2", "refused"), ("2.1", "accepted")],
        ),
    );
    let got = sandbox.run(&format!("{review} --decisions anna.jsonl bo.jsonl"));
    assert_eq!(got.status, 1, "{}", got.err);
    assert!(got.out.starts_with("2 accepted; 1 refused and 52 open stay as they are. Reviewers decided differently about 1"), "{}", got.out);
    for part in [
        "anna.jsonl: 3 decisions taken in.",
        "bo.jsonl: 3 decisions taken in.",
        "1.2  ",
        "Anna accepted, bo refused",
        "1 change is decided differently",
    ] {
        assert!(got.err.contains(part), "{part}: {}", got.err);
    }
    let page = sandbox.run(&format!("{review} --report seen.html"));
    assert_eq!(page.status, 1);
    assert!(
        sandbox
            .text("seen.html")
            .contains("Reviewers disagree; still open.")
    );
    // It is settled; the same files say nothing new.
    assert_eq!(sandbox.run(&format!("{review} --accept 1.2")).status, 0);
    let got = sandbox.run(&format!("{review} --decisions anna.jsonl bo.jsonl --json"));
    assert_eq!(got.status, 0, "{}", got.err);
    assert!(
        got.err
            .contains("anna.jsonl: 0 decisions taken in, 3 known already."),
        "{}",
        got.err
    );
    assert_eq!(
        got.out,
        "{\"record\":\"decisions\",\"changes\":55,\"accepted\":3,\"modified\":0,\"refused\":1,\"open\":51,\"conflicts\":0}\n"
    );
    // Another opinion about what was settled is a conflict again, and a renewed plan keeps it.
    sandbox.write("cy.jsonl", decisions(&hash, "Cy", &[("1.2", "refused")]));
    let got = sandbox.run(&format!("{review} --decisions cy.jsonl"));
    assert_eq!(
        (got.status, got.err.contains("accepted in the plan")),
        (1, true),
        "{}",
        got.err
    );
    let got = sandbox.run(&format!("{review} --renew --decisions cy.jsonl"));
    assert!(
        got.err.contains("about another plan") || got.err.contains("known already"),
        "{}",
        got.err
    );
    let got = sandbox.run(&format!("{review} --report kept.html"));
    assert_eq!(got.status, 1, "{}", got.err);
    let kept = sandbox.text("kept.html");
    for part in ["Anna", "bo", "Cy"] {
        assert!(kept.contains(&format!("<bdi>{part}</bdi>: ")), "{part}");
    }
}

#[test]
fn files_that_are_no_decisions() {
    let (sandbox, hash) = planned();
    let good = decisions(&hash, "Anna", &[("1.1", "accepted")]);
    let other = decisions(&"0".repeat(64), "Anna", &[("1.1", "accepted")]);
    for (name, text, status, said) in [
        ("empty", String::new(), 1, "holds no decisions"),
        (
            "plan",
            sandbox.text("berths.plan"),
            3,
            "line 1: this is not a decision",
        ),
        (
            "another",
            format!("{good}\n{other}"),
            3,
            "line 3: this decision is about another plan",
        ),
        (
            "nowhere",
            format!("{good}{}", decisions(&hash, "", &[("99.1", "refused")])),
            3,
            "line 2: there is no change `99.1`",
        ),
        (
            "no plan",
            "{\"record\":\"decision\",\"id\":\"1.1\",\"decision\":\"accepted\"}\n".into(),
            3,
            "`plan` is missing",
        ),
        ("torn", format!("{good}{{\"record\":\"dec"), 3, "line 2: "),
        (
            "word",
            format!("{good}{}", good.replace("accepted", "perhaps")),
            3,
            "line 2: ",
        ),
        (
            "name",
            decisions(&hash, &"x".repeat(300), &[("1.1", "accepted")]),
            3,
            "`by` is missing or invalid",
        ),
    ] {
        sandbox.write("decisions.jsonl", &text);
        let got = sandbox.run("review --plan berths.plan --decisions decisions.jsonl");
        assert_eq!(
            (got.status, got.err.contains(said)),
            (status, true),
            "{name}: {}",
            got.err
        );
        // None of them is taken in.
        assert!(!sandbox.text("berths.plan").contains("Anna"), "{name}");
    }
}
