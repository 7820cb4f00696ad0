//! `serve`, driven as an editor drives it.

use crate::support::Sandbox;
use crate::support::term::Term;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read, Write};
use std::process::{Child, ChildStdin, ChildStdout, Stdio};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::time::Duration;

const REWRITE: &str = "[[step]]\nmatch = 'berth (\\d)'\nwith = 'B-$1'\n\n[[step.example]]\nbefore = 'berth 4'\nafter = 'B-5'\n";

/// All that an editor may be able to do.
fn able() -> Value {
    json!({
        "general": {"positionEncodings": ["utf-16", "utf-8"]},
        "workspace": {"workspaceEdit": {"documentChanges": true, "changeAnnotationSupport": {}}},
        "textDocument": {"codeAction": {"resolveSupport": {"properties": ["edit"]}}},
        "window": {"workDoneProgress": true},
    })
}

/// An editor with the program at its other end.
struct Editor {
    child: Child,
    to: Option<ChildStdin>,
    from: Receiver<Value>,
    sent: i64,
    /// Messages besides answers.
    told: Vec<Value>,
    root: String,
}

impl Editor {
    fn start(sandbox: &Sandbox, abilities: &Value) -> (Self, Value) {
        let mut command = sandbox.command();
        command
            .arg("serve")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null());
        let mut child = command.spawn().unwrap();
        let to = child.stdin.take();
        let stdout = BufReader::new(child.stdout.take().unwrap());
        let (sender, from) = channel();
        std::thread::spawn(move || read_all(stdout, &sender));
        let root = format!(
            "file://{}",
            sandbox.path().canonicalize().unwrap().display()
        );
        let mut editor = Self {
            child,
            to,
            from,
            sent: 0,
            told: Vec::new(),
            root: root.clone(),
        };
        let answer = editor.ask(
            "initialize",
            json!({"capabilities": abilities, "rootUri": root}),
        );
        editor.tell("initialized", json!({}));
        (editor, answer)
    }

    fn uri(&self, name: &str) -> String {
        format!("{}/{name}", self.root)
    }

    fn raw(&mut self, message: &Value) {
        let text = message.to_string();
        let to = self.to.as_mut().unwrap();
        write!(to, "Content-Length: {}\r\n\r\n{text}", text.len()).unwrap();
        to.flush().unwrap();
    }

    fn tell(&mut self, method: &str, params: impl Into<Value>) {
        let params: Value = params.into();
        self.raw(&json!({"jsonrpc": "2.0", "method": method, "params": params}));
    }

    fn read(&mut self) -> Value {
        let read = self.from.recv_timeout(Duration::from_secs(10));
        read.unwrap_or_else(|error| panic!("{error}, behind {:?}", self.told))
    }

    /// The answer to the request of this number.
    fn answer(&mut self, id: i64) -> Value {
        loop {
            let message = self.read();
            match message.get("method").is_none() && message["id"] == id {
                true => return message,
                false => self.told.push(message),
            }
        }
    }

    fn send(&mut self, method: &str, params: impl Into<Value>) -> i64 {
        let params: Value = params.into();
        self.sent += 1;
        self.raw(&json!({"jsonrpc": "2.0", "id": self.sent, "method": method, "params": params}));
        self.sent
    }

    fn ask(&mut self, method: &str, params: Value) -> Value {
        let id = self.send(method, params);
        self.answer(id)
    }

    /// The next message of this method.
    fn next(&mut self, method: &str) -> Value {
        loop {
            let held = self.told.iter().position(|told| told["method"] == method);
            if let Some(at) = held {
                return self.told.remove(at);
            }
            let message = self.read();
            self.told.push(message);
        }
    }

    fn open(&mut self, name: &str, text: &str) -> String {
        let uri = if name.contains(':') {
            name.to_owned()
        } else {
            self.uri(name)
        };
        let document = json!({"uri": uri, "languageId": "x", "version": 1, "text": text});
        self.tell("textDocument/didOpen", json!({"textDocument": document}));
        uri
    }

    fn change(&mut self, uri: &str, version: i64, text: &str) {
        let params = json!({"textDocument": {"uri": uri, "version": version}, "contentChanges": [{"text": text}]});
        self.tell("textDocument/didChange", params);
    }

    fn run(&mut self, command: &str, arguments: &[&str]) -> Value {
        self.ask(
            "workspace/executeCommand",
            json!({"command": command, "arguments": arguments}),
        )
    }

    /// Ends the server; gives its exit status.
    fn end(mut self) -> i32 {
        assert_eq!(self.ask("shutdown", Value::Null)["result"], Value::Null);
        self.tell("exit", Value::Null);
        self.to = None;
        self.child.wait().unwrap().code().unwrap()
    }
}

impl Drop for Editor {
    fn drop(&mut self) {
        // It has ended, unless the test has failed.
        let _ = self.child.kill();
    }
}

/// Sends each message that comes.
fn read_all(mut from: BufReader<ChildStdout>, to: &Sender<Value>) {
    let mut length = 0;
    let mut line = String::new();
    while from.read_line(&mut line).is_ok_and(|read| read > 0) {
        if let Some((_, bytes)) = line.trim().split_once(": ") {
            length = bytes.parse().unwrap_or(length);
        } else {
            let mut text = vec![0; length];
            from.read_exact(&mut text).unwrap();
            // Whoever does not read it any more has ended.
            let _ = to.send(serde_json::from_slice(&text).unwrap());
        }
        line.clear();
    }
}

/// A text with the edits of one document made.
fn edited(text: &str, edits: &Value) -> String {
    let offset = |place: &Value| {
        let number = |name: &str| place[name].as_u64().unwrap() as usize;
        let start: usize = text
            .split_inclusive('\n')
            .take(number("line"))
            .map(str::len)
            .sum();
        start + number("character")
    };
    let mut out = text.to_owned();
    for edit in edits.as_array().unwrap().iter().rev() {
        let range = offset(&edit["range"]["start"])..offset(&edit["range"]["end"]);
        out.replace_range(range, edit["newText"].as_str().unwrap());
    }
    out
}

#[test]
fn hands_are_shaken() {
    let sandbox = Sandbox::new();
    for (abilities, wanted) in [(able(), "utf-8"), (json!({}), "utf-16")] {
        let (mut editor, answer) = Editor::start(&sandbox, &abilities);
        assert_eq!(answer["result"]["capabilities"]["positionEncoding"], wanted);
        assert_eq!(
            editor.ask("textDocument/definition", json!({}))["error"]["code"],
            -32601
        );
        assert_eq!(
            editor.ask("textDocument/hover", json!({"position": "x"}))["error"]["code"],
            -32602
        );
        assert_eq!(editor.end(), 0);
    }
    // An editor that goes away, and one that breaks the protocol.
    let (mut editor, _) = Editor::start(&sandbox, &able());
    editor.to = None;
    assert_eq!(editor.child.wait().unwrap().code(), Some(3));
    let got = sandbox.pipe("Content-Length: x\r\n\r\n{}", "serve");
    assert_eq!(got.status, 3, "{got:?}");
}

#[test]
fn a_rewrite_file_is_looked_at() {
    let sandbox = Sandbox::new();
    let (mut editor, _) = Editor::start(&sandbox, &able());
    let file = editor.open("berths.toml", REWRITE);
    let told = editor.next("textDocument/publishDiagnostics")["params"].clone();
    assert_eq!((&told["version"], &told["uri"]), (&json!(1), &json!(file)));
    let fault = &told["diagnostics"][0];
    assert_eq!(
        fault["message"],
        "this example does not hold: it gives `B-4`"
    );
    assert_eq!(fault["range"]["start"], json!({"line": 6, "character": 8}));
    // What comes of the example can be taken as what is wanted.
    let about = json!({"textDocument": {"uri": file}, "range": fault["range"], "context": {"diagnostics": []}});
    let actions = editor.ask("textDocument/codeAction", about)["result"].clone();
    let edits = &actions[0]["edit"]["changes"][&file];
    let corrected = edited(REWRITE, edits);
    assert!(corrected.contains("after = \"B-4\""), "{corrected}");
    editor.change(&file, 2, &corrected);
    let told = editor.next("textDocument/publishDiagnostics")["params"].clone();
    assert_eq!(
        (&told["version"], &told["diagnostics"]),
        (&json!(2), &json!([]))
    );
    // Only a part is replaced.
    let range = json!({"start": {"line": 1, "character": 15}, "end": {"line": 1, "character": 19}});
    let change = json!({"range": range, "text": "(\\d"});
    let document = json!({"uri": file, "version": 3});
    editor.tell(
        "textDocument/didChange",
        json!({"textDocument": document, "contentChanges": [change]}),
    );
    let told = editor.next("textDocument/publishDiagnostics")["params"].clone();
    assert_eq!(
        told["diagnostics"][0]["range"]["start"]["line"], 1,
        "{told}"
    );
    editor.change(&file, 4, &corrected);
    let at = |line: u32, character: u32| json!({"textDocument": {"uri": file}, "position": {"line": line, "character": character}});
    let hover = editor.ask("textDocument/hover", at(1, 16))["result"].clone();
    assert!(
        hover["contents"]["value"]
            .as_str()
            .unwrap()
            .contains("digit"),
        "{hover}"
    );
    let all = editor.ask("textDocument/completion", at(3, 0))["result"].clone();
    assert!(
        all.as_array()
            .unwrap()
            .iter()
            .any(|item| item["label"] == "ignore-case"),
        "{all}"
    );
    editor.tell(
        "textDocument/didClose",
        json!({"textDocument": {"uri": file}}),
    );
    editor.told.clear();
    assert_eq!(
        editor.next("textDocument/publishDiagnostics")["params"]["diagnostics"],
        json!([])
    );
    assert_eq!(editor.end(), 0);
}

/// Edits make of a buffer what `apply` makes of a file.
#[test]
fn edits_are_what_is_applied() {
    let text = "berth 4, å berth 7\tberth 9\n\nid,ship\nold berth 4\r\nlast berth 8";
    for step in [
        "match = 'berth (\\d)'\nwith = 'B-$1'",
        "match = 'berth \\d'\nremove = true",
        "match = 'berth 4'\ndrop-lines = true",
        "match = 'berth'\nkeep-lines = true",
        "match = 'berth'\nwith = 'quay'\npick = 'last'\nper = 'run'",
        "match = 'berth'\nabove = 'next: $0'",
        "match = '\\n\\n'\nwith = '\\n'\nunit = 'text'",
        "match = '4'\nwith = '5'\ncolumns = 'ship'\nformat = 'csv'\nragged = true",
    ] {
        let sandbox = Sandbox::with("notice.md", text);
        sandbox.write("r.toml", format!("[[step]]\n{step}\n"));
        let (mut editor, _) = Editor::start(&sandbox, &able());
        let notice = editor.open("notice.md", text);
        let rewrite = editor.uri("r.toml");
        let done = editor.run("bquill.rewrite", &[&rewrite, &notice]);
        let applied = sandbox.run("apply --yes --skip-problems --rewrite r.toml notice.md");
        let wanted = String::from_utf8(sandbox.read("notice.md")).unwrap();
        assert!(done.get("error").is_none(), "{step}: {done}");
        if wanted == text {
            editor.next("window/showMessage");
        } else {
            let edit = editor.next("workspace/applyEdit")["params"]["edit"].clone();
            let document = &edit["documentChanges"][0];
            assert_eq!(document["textDocument"]["version"], 1);
            assert_eq!(
                edited(text, &document["edits"]),
                wanted,
                "{step}: {applied:?}"
            );
            for one in document["edits"].as_array().unwrap() {
                let id = one["annotationId"].as_str().unwrap();
                assert_eq!(
                    edit["changeAnnotations"][id]["needsConfirmation"], true,
                    "{edit}"
                );
            }
        }
        assert_eq!(editor.end(), 0);
    }
}

#[test]
fn what_an_editor_cannot_do() {
    let sandbox = Sandbox::with("a b.md", "berth 4\n");
    sandbox.write("r.toml", REWRITE);
    // Without annotations the user is asked, and the text must still be the same then.
    for (versions, answer, changes_meanwhile, wanted) in [
        (true, "Apply", false, true),
        (false, "Apply", false, true),
        (true, "Leave", false, false),
        (true, "Apply", true, false),
    ] {
        let edits = json!({"workspace": {"workspaceEdit": {"documentChanges": versions}}});
        let (mut editor, _) = Editor::start(&sandbox, &edits);
        let notice = editor.open("a%20b.md", "berth 4\n");
        let rewrite = editor.uri("r.toml");
        editor.run("bquill.rewrite", &[&rewrite, &notice]);
        let asked = editor.next("window/showMessageRequest");
        let message = asked["params"]["message"].as_str().unwrap();
        assert!(message.starts_with("1 change in 1 file"), "{message}");
        if changes_meanwhile {
            editor.change(&notice, 2, "berth 4 and more\n");
        }
        editor.raw(&json!({"jsonrpc": "2.0", "id": asked["id"], "result": {"title": answer}}));
        // What follows is answered behind it.
        editor.ask(
            "textDocument/hover",
            json!({"textDocument": {"uri": notice}, "position": {"line": 0, "character": 0}}),
        );
        let sent = editor
            .told
            .iter()
            .find(|told| told["method"] == "workspace/applyEdit");
        assert_eq!(sent.is_some(), wanted, "{:?}", editor.told);
        if let Some(sent) = sent {
            let edit = &sent["params"]["edit"];
            assert_eq!(edit.get("documentChanges").is_some(), versions, "{edit}");
            assert_eq!(edit.get("changes").is_some(), !versions, "{edit}");
        }
        let told = editor
            .told
            .iter()
            .any(|told| told.to_string().contains("changed meanwhile"));
        assert_eq!(told, changes_meanwhile);
        assert_eq!(editor.end(), 0);
    }
}

#[test]
fn all_of_a_folder() {
    let sandbox = Sandbox::with("01.md", "berth 4, berth 7\n");
    sandbox.write("02.md", "quay 1\n");
    sandbox.write("latin.md", b"berth 4 \xe9\n");
    sandbox.write("r.toml", REWRITE);
    let (mut editor, _) = Editor::start(&sandbox, &able());
    // An open text counts as it is in the editor.
    editor.open("02.md", "quay 1, berth 2\n");
    let file = editor.open("r.toml", REWRITE);
    let lenses = editor.ask(
        "textDocument/codeLens",
        json!({"textDocument": {"uri": file}}),
    )["result"]
        .clone();
    let title = |editor: &mut Editor, lens: &Value| {
        let lens = editor.ask("codeLens/resolve", lens.clone())["result"].clone();
        lens["command"]["title"].as_str().unwrap().to_owned()
    };
    assert_eq!(title(&mut editor, &lenses[0]), "3 changes in 2 files");
    assert_eq!(title(&mut editor, &lenses[1]), "0 of 1 example held");
    let params = json!({"command": "bquill.rewrite", "arguments": [file], "workDoneToken": "t"});
    editor.ask("workspace/executeCommand", params);
    let edit = editor.next("workspace/applyEdit")["params"].clone();
    assert_eq!(
        edit["edit"]["documentChanges"].as_array().unwrap().len(),
        2,
        "{edit}"
    );
    assert_eq!(
        editor.next("$/progress")["params"]["value"]["kind"],
        "begin"
    );
    assert!(
        editor
            .next("window/showMessage")
            .to_string()
            .contains("1 file not UTF-8")
    );
    // A text is offered the rewrite files of the folder.
    let notice = editor.uri("02.md");
    let about = json!({"textDocument": {"uri": notice}, "range": {"start": {"line": 0, "character": 0}, "end": {"line": 0, "character": 0}}, "context": {"diagnostics": []}});
    let actions = editor.ask("textDocument/codeAction", about)["result"].clone();
    assert_eq!(actions[0]["title"], "Rewrite with r.toml", "{actions}");
    let action = editor.ask("codeAction/resolve", actions[0].clone())["result"].clone();
    assert_eq!(
        action["edit"]["documentChanges"][0]["edits"][0]["newText"], "B-2",
        "{action}"
    );
    // What is not saved is not on the disk, and a plan is about files.
    let done = editor.run("bquill.keep", &[&file]);
    assert!(
        done["error"]["message"]
            .as_str()
            .unwrap()
            .contains("02.md is not saved"),
        "{done}"
    );
    editor.change(&notice, 2, "quay 1\n");
    let done = editor.run("bquill.keep", &[&file]);
    assert!(done.get("error").is_none(), "{done}");
    assert_eq!(editor.end(), 0);
    sandbox.run("apply --yes").ok();
    assert_eq!(sandbox.read("01.md"), b"B-4, B-7\n");
}

/// Tries of a draft of the folder are offered for its texts, whether the draft was closed or not, and have no file.
#[test]
fn tries_of_a_draft() {
    let sandbox = Sandbox::with("01.md", "berth 4, berth 7\n");
    let mut draft = Term::new(&sandbox, 120, 30, &["draft", "berth (\\d+)", "01.md"]);
    draft.wait(&["2 matches"]);
    draft.press("\tB-$1", &["2 changes"]);
    draft.press("\rqc", &[]);
    assert_eq!(draft.end().0, 0);
    let (mut editor, _) = Editor::start(&sandbox, &able());
    let notice = editor.open("01.md", "a berth 9\n");
    let about = json!({"textDocument": {"uri": notice}, "range": {"start": {"line": 0, "character": 0}, "end": {"line": 0, "character": 0}}, "context": {"diagnostics": []}});
    let actions = editor.ask("textDocument/codeAction", about)["result"].clone();
    let title =
        r"Rewrite as in the draft: every match of `berth (\d+)` becomes `B-$1`, in every line";
    assert_eq!(actions[0]["title"], title, "{actions}");
    let action = editor.ask("codeAction/resolve", actions[0].clone())["result"].clone();
    let edit = &action["edit"]["documentChanges"][0]["edits"][0];
    assert_eq!(edit["newText"], "B-9", "{action}");
    let command = json!({"command": "bquill.rewrite", "arguments": [{"step": 7}, notice]});
    let done = editor.ask("workspace/executeCommand", command);
    let told = done["error"]["message"].as_str().unwrap();
    assert!(told.starts_with("no rewrite: "), "{done}");
    assert_eq!(editor.end(), 0);
}

/// Hints are shown at the step and at their line until the rewrite file changes; columns are those of the tables.
#[test]
fn hints_and_columns() {
    let sandbox = Sandbox::new();
    sandbox.write("notice.md", "a berthing\nberth 4\n");
    sandbox.write("berths.csv", "quay,depth\nNorth,7\n");
    let rewrite = "[[step]]\nmatch = 'berth'\nwith = 'pier'\n";
    sandbox.write("r.toml", rewrite);
    let (mut editor, _) = Editor::start(&sandbox, &able());
    let uri = editor.open("r.toml", rewrite);
    editor.next("textDocument/publishDiagnostics");
    let lenses = editor.ask(
        "textDocument/codeLens",
        json!({"textDocument": {"uri": uri}}),
    );
    let lens = editor.ask("codeLens/resolve", lenses["result"][0].clone());
    assert_eq!(lens["result"]["command"]["title"], "2 changes in 1 file");
    let said = |shown: &Value| shown["params"]["diagnostics"].to_string();
    let (at_step, at_line) = (
        editor.next("textDocument/publishDiagnostics"),
        editor.next("textDocument/publishDiagnostics"),
    );
    assert!(said(&at_step).contains("inside-word: 1 of 2"), "{at_step}");
    assert_eq!(at_line["params"]["uri"], editor.uri("notice.md"));
    let start = &at_line["params"]["diagnostics"][0]["range"]["start"];
    assert_eq!(start, &json!({"line": 0, "character": 0}));
    editor.change(&uri, 2, &rewrite.replace("berth", "quay"));
    for _ in 0..2 {
        let shown = editor.next("textDocument/publishDiagnostics");
        assert_eq!(said(&shown), "[]", "{shown}");
    }
    let text = format!("{rewrite}columns = '");
    editor.change(&uri, 3, &text);
    let place = json!({"textDocument": {"uri": uri}, "position": {"line": 3, "character": 11}});
    let names = editor.ask("textDocument/completion", place)["result"].to_string();
    assert!(
        names.contains("\"depth\"") && names.contains("a column of berths.csv"),
        "{names}"
    );
    assert_eq!(editor.end(), 0);
}

/// Nothing from an editor is trusted.
#[test]
fn hostile_words() {
    let sandbox = Sandbox::new();
    sandbox.write("r.toml", REWRITE);
    let (mut editor, _) = Editor::start(&sandbox, &able());
    let file = editor.uri("r.toml");
    let unnamed = editor.open("untitled:Untitled-1", "berth 4\n");
    editor.run("bquill.rewrite", &[&file, &unnamed]);
    let edit = editor.next("workspace/applyEdit").to_string();
    assert!(edit.contains("untitled:Untitled-1"), "{edit}");
    for (command, arguments) in [
        ("bquill.rewrite", vec![]),
        ("bquill.rewrite", vec!["file:///no/such.toml"]),
        ("bquill.rewrite", vec![&*file, "file:///not/open.md"]),
        ("bquill.no-such", vec![&*file]),
    ] {
        let done = editor.run(command, &arguments);
        assert!(
            done["error"]["message"].is_string(),
            "{command} {arguments:?}: {done}"
        );
    }
    for (method, params) in [
        ("textDocument/didOpen", json!({"textDocument": 7})),
        (
            "textDocument/didChange",
            json!({"textDocument": {"uri": "x", "version": 1}, "contentChanges": [{"text": 3}]}),
        ),
        (
            "textDocument/didChange",
            json!({"textDocument": {"uri": "not open", "version": 1}, "contentChanges": []}),
        ),
        ("$/cancelRequest", json!({"id": {"deep": []}})),
        ("$/unknown", json!(null)),
    ] {
        editor.tell(method, params);
    }
    editor.raw(&json!({"jsonrpc": "2.0", "id": 999, "result": {"title": "Apply"}}));
    // 100,001 changes are more than can be shown.
    let long = editor.open("long.md", &"berth 4\n".repeat(100_001));
    let done = editor.run("bquill.rewrite", &[&file, &long]);
    assert!(
        done["error"]["message"]
            .as_str()
            .unwrap()
            .contains("100,001 changes"),
        "{done}"
    );
    // One that has been cancelled says so, unless it has been done before.
    let id = editor.send(
        "workspace/executeCommand",
        json!({"command": "bquill.rewrite", "arguments": [file, long]}),
    );
    editor.tell("$/cancelRequest", json!({"id": id}));
    let done = editor.answer(id);
    assert_eq!(done["error"]["code"], -32800, "{done}");
    assert_eq!(editor.end(), 0);
}
