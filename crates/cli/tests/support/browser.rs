//! A headless browser, driven over its debugging protocol through two pipes.

use rustix::fs::{CWD, FileType, Mode, mknodat};
use serde_json::{Value, json};
use std::fs::File;
use std::io::{BufRead, BufReader, Write};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

/// The longest wait for an answer.
const MOST: Duration = Duration::from_secs(60);

/// A browser with one page.
pub struct Browser {
    child: Child,
    input: File,
    answers: Receiver<Value>,
    session: Option<String>,
    is_loaded: bool,
    number: u64,
    folder: tempfile::TempDir,
}

impl Browser {
    /// Opens a page; `None`, with the reason printed, where there is no browser.
    pub fn open(page: &Path) -> Option<Self> {
        Self::begin(page, true)
    }

    /// The same with a browser that runs no scripts of pages.
    pub fn open_without_script(page: &Path) -> Option<Self> {
        Self::begin(page, false)
    }

    fn begin(page: &Path, scripts: bool) -> Option<Self> {
        let names = ["chromium", "chromium-browser"];
        let found = names.iter().find(|name| {
            let version = Command::new(name)
                .arg("--version")
                .stderr(Stdio::null())
                .output();
            version.is_ok_and(|output| output.status.success())
        });
        let Some(program) = found else {
            eprintln!(
                "skipped: no headless browser is installed ({})",
                names.join(", ")
            );
            return None;
        };
        let folder = tempfile::tempdir().unwrap();
        let pipes = ["in", "out"].map(|name| folder.path().join(name));
        for pipe in &pipes {
            mknodat(CWD, pipe, FileType::Fifo, Mode::RUSR | Mode::WUSR, 0).unwrap();
        }
        let script = "exec \"$0\" --headless --no-sandbox --disable-gpu --remote-debugging-pipe \
                      --user-data-dir=\"$3\" about:blank 3<>\"$1\" 4<>\"$2\"";
        let child = Command::new("sh")
            .args(["-c", script, program])
            .args(&pipes)
            .arg(folder.path().join("profile"))
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let input = File::options().write(true).open(&pipes[0]).unwrap();
        let output = BufReader::new(File::open(&pipes[1]).unwrap());
        let (sender, answers) = channel();
        std::thread::spawn(move || {
            for message in output.split(0).map_while(Result::ok) {
                let message = serde_json::from_slice(&message).unwrap();
                if sender.send(message).is_err() {
                    return;
                }
            }
        });
        let mut browser = Self {
            child,
            input,
            answers,
            session: None,
            is_loaded: false,
            number: 0,
            folder,
        };
        browser.go_to(page, scripts);
        Some(browser)
    }

    fn go_to(&mut self, page: &Path, scripts: bool) {
        let target = self.call("Target.createTarget", &json!({"url": "about:blank"}));
        let attach = json!({"targetId": target["targetId"], "flatten": true});
        let attached = self.call("Target.attachToTarget", &attach);
        let downloads = json!({"behavior": "allow", "downloadPath": self.folder.path()});
        self.call("Browser.setDownloadBehavior", &downloads);
        self.session = attached["sessionId"].as_str().map(str::to_owned);
        let disabled = json!({"value": !scripts});
        self.call("Emulation.setScriptExecutionDisabled", &disabled);
        self.call("Page.enable", &json!({}));
        self.is_loaded = false;
        let address = format!("file://{}", page.display());
        self.call("Page.navigate", &json!({"url": address}));
        while !self.is_loaded {
            self.next("the page to be loaded");
        }
    }

    /// The next message; notes that the page is loaded.
    fn next(&mut self, what: &str) -> Value {
        let message = self.answers.recv_timeout(MOST);
        let message = message.unwrap_or_else(|_| panic!("waited too long for {what}"));
        self.is_loaded |= message["method"] == json!("Page.loadEventFired");
        message
    }

    /// The folder that files are saved in.
    pub fn downloads(&self) -> &Path {
        self.folder.path()
    }

    /// The result of a call of the protocol.
    pub fn call(&mut self, method: &str, parameters: &Value) -> Value {
        self.number += 1;
        let mut message = json!({"id": self.number, "method": method, "params": parameters});
        if let Some(session) = &self.session {
            message["sessionId"] = json!(session);
        }
        let bytes = format!("{message}\0");
        self.input.write_all(bytes.as_bytes()).unwrap();
        loop {
            let answer = self.next(method);
            if answer["id"] == json!(self.number) {
                assert_eq!(answer.get("error"), None, "{method}");
                return answer["result"].clone();
            }
        }
    }

    /// The value of a script.
    pub fn value(&mut self, script: &str) -> Value {
        let parameters = json!({"expression": script, "returnByValue": true});
        let result = self.call("Runtime.evaluate", &parameters);
        assert_eq!(result.get("exceptionDetails"), None, "{script}");
        result["result"]["value"].clone()
    }

    /// Waits until a script is true.
    pub fn until(&mut self, script: &str) {
        for _ in 0..600 {
            if self.value(script) == json!(true) {
                return;
            }
            std::thread::sleep(Duration::from_millis(50));
        }
        panic!("never true: {script}");
    }

    /// Presses keys that are letters.
    pub fn keys(&mut self, keys: &str) {
        for key in keys.chars() {
            let key = key.to_string();
            for kind in ["keyDown", "keyUp"] {
                let event = json!({"type": kind, "key": key, "text": key});
                self.call("Input.dispatchKeyEvent", &event);
            }
        }
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
