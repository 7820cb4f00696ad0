//! Messages taken, handed out and answered.

mod diagnostics;

use crate::below::sources_below;
use crate::columns::columns;
use crate::completion::{ProposalKind, proposals};
use crate::documents::Documents;
use crate::edits::{Edit, EditFault, edit_below, edit_of};
use crate::hints::PlacedHint;
use crate::hover::hover;
use crate::paths::{path_of, uri_of};
use crate::positions::Lines;
use crate::protocol::{
    AboutPlace, AboutText, Changed, Client, Command, Encoding, Initialize, Opened,
};
use crate::rewrite_document::{WrittenFile, is_rewrite_file};
use brisk_quill_core::numbers::counted;
use brisk_quill_core::rewrite::Rewrite;
use brisk_quill_core::rewrite_file::RewriteText;
use brisk_quill_core::span::Span;
use brisk_quill_core::step::describe::clause;
use brisk_quill_core::stop::Stop;
use brisk_quill_engine::draft::kept_tries::load;
use brisk_quill_engine::guards::Guards;
use brisk_quill_engine::host::Host;
use brisk_quill_engine::keep::Keep;
use brisk_quill_engine::tables::FileTables;
use brisk_quill_files::source::Source;
use lsp_server::{
    Connection, ErrorCode, Message, Notification, ProtocolError, Request, RequestId, Response,
};
use serde::Deserialize;
use serde::de::DeserializeOwned;
use serde_json::{Value, json};
use std::collections::HashMap;
use std::ops::ControlFlow;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread::Scope;
use std::{fmt, io};

/// Rewrite files that are offered for a text.
const OFFERED: usize = 50;
/// The longest rewrite file that is offered, in bytes.
const FILE_MOST: u64 = 1 << 20;

/// The longest title of a try, in characters.
const TITLE_MOST: usize = 100;

/// The head of a step.
const STEP: &str = "[[step]]";

/// The command that rewrites one open text, or all below the folder.
const REWRITE: &str = "bquill.rewrite";
/// The command that works the examples of a rewrite file.
const EXAMPLES: &str = "bquill.examples";
/// The command that keeps the changes as the last preview.
const KEEP: &str = "bquill.keep";

/// The reason for which the server ended early.
#[derive(Debug)]
pub enum ServeError {
    /// The client broke the protocol.
    Protocol(ProtocolError),
    /// A stream cannot be read or written.
    Stream(io::Error),
}

impl fmt::Display for ServeError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Protocol(error) => write!(f, "the editor broke the protocol: {error}"),
            Self::Stream(error) => write!(f, "the editor cannot be read or answered: {error}"),
        }
    }
}

impl std::error::Error for ServeError {}

/// Serves an editor on standard input and output until it says that it ends.
///
/// # Errors
///
/// When the editor breaks the protocol, or goes away without saying so.
pub fn serve(host: &Host) -> Result<(), ServeError> {
    let (connection, threads) = Connection::stdio();
    let outcome = served(host, &connection);
    // What writes ends once nobody sends any more.
    drop(connection);
    let joined = threads.join().map_err(ServeError::Stream);
    outcome.and(joined)
}

fn served(host: &Host, connection: &Connection) -> Result<(), ServeError> {
    let (id, params) = connection
        .initialize_start()
        .map_err(ServeError::Protocol)?;
    let params: Initialize = serde_json::from_value(params).unwrap_or_default();
    let client = params.client();
    let answer = json!({
        "capabilities": capabilities(&client),
        "serverInfo": {"name": "bquill", "version": env!("CARGO_PKG_VERSION")},
    });
    // A client that asks something before it says that it has been initialised is answered, too.
    let _ = connection.sender.send(Response::new_ok(id, answer).into());
    let folder = params.folder().and_then(path_of);
    let server = Server {
        connection,
        host,
        client,
        folder,
        shared: Mutex::default(),
    };
    std::thread::scope(|scope| server.run(scope))
}

fn capabilities(client: &Client) -> Value {
    let encoding = match client.encoding {
        Encoding::Utf8 => "utf-8",
        Encoding::Utf16 => "utf-16",
    };
    json!({
        "positionEncoding": encoding,
        "textDocumentSync": {"openClose": true, "change": 2},
        "hoverProvider": true,
        "completionProvider": {"triggerCharacters": ["$", "|", "{", "'", "\""]},
        "codeLensProvider": {"resolveProvider": true},
        "codeActionProvider": {
            "codeActionKinds": ["quickfix", "refactor.rewrite"],
            "resolveProvider": true,
        },
        "executeCommandProvider": {"commands": [REWRITE, EXAMPLES, KEEP], "workDoneProgress": true},
    })
}

/// The state that threads share.
#[derive(Default)]
struct Shared {
    documents: Documents,
    /// Requests under way, with what stops them.
    running: HashMap<RequestId, Arc<AtomicBool>>,
    /// Questions to the user, with what is done once they agree.
    asked: HashMap<RequestId, Edit>,
    /// The hints about each rewrite file, as it was last looked at.
    hints: HashMap<String, Vec<PlacedHint>>,
    sent: i32,
}

struct Server<'s> {
    connection: &'s Connection,
    host: &'s Host,
    client: Client,
    folder: Option<PathBuf>,
    shared: Mutex<Shared>,
}

/// The answer to a request, or why there is none.
type Answer = Result<Value, (ErrorCode, String)>;

fn params<T: DeserializeOwned>(value: Value) -> Result<T, (ErrorCode, String)> {
    serde_json::from_value(value).map_err(|error| (ErrorCode::InvalidParams, error.to_string()))
}

impl<'s> Server<'s> {
    fn run<'e>(&'e self, scope: &'e Scope<'e, '_>) -> Result<(), ServeError> {
        for message in &self.connection.receiver {
            match message {
                Message::Request(request) => {
                    let ends = self.connection.handle_shutdown(&request);
                    if ends.map_err(ServeError::Protocol)? {
                        self.stop_all();
                        return Ok(());
                    }
                    self.request(request, scope);
                }
                Message::Notification(notification) => self.notification(notification),
                Message::Response(response) => self.response(response),
            }
        }
        self.stop_all();
        Err(ServeError::Stream(io::ErrorKind::UnexpectedEof.into()))
    }

    fn shared(&self) -> MutexGuard<'_, Shared> {
        // What a thread that panicked has left is as it was before.
        self.shared.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn stop_all(&self) {
        for stop in self.shared().running.values() {
            stop.store(true, Ordering::Relaxed);
        }
    }

    fn send(&self, message: impl Into<Message>) {
        // A client that has gone away is seen where it is read.
        let _ = self.connection.sender.send(message.into());
    }

    fn notify(&self, method: &str, params: Value) {
        self.send(Notification::new(method.to_owned(), params));
    }

    fn ask(&self, method: &str, params: Value) -> RequestId {
        let id = {
            let mut shared = self.shared();
            shared.sent += 1;
            RequestId::from(shared.sent)
        };
        self.send(Request::new(id.clone(), method.to_owned(), params));
        id
    }

    fn tell(&self, text: &str) {
        self.notify("window/showMessage", json!({"type": 3, "message": text}));
    }

    fn answer(&self, id: RequestId, answer: Answer) {
        self.send(match answer {
            Ok(value) => Response::new_ok(id, value),
            Err((code, message)) => Response::new_err(id, code as i32, message),
        });
    }

    /// Answers what is known at once; what may take long gets a thread of its own.
    fn request<'e>(&'e self, request: Request, scope: &'e Scope<'e, '_>) {
        let Request { id, method, params } = request;
        let is_long = matches!(
            &*method,
            "workspace/executeCommand"
                | "codeLens/resolve"
                | "codeAction/resolve"
                | "textDocument/codeAction"
        );
        if !is_long {
            let answer = self.quick(&method, params);
            return self.answer(id, answer);
        }
        let flag = Arc::new(AtomicBool::new(false));
        self.shared().running.insert(id.clone(), Arc::clone(&flag));
        scope.spawn(move || {
            let token = params
                .get("workDoneToken")
                .filter(|_| self.client.progress)
                .cloned();
            self.progress(token.as_ref(), &json!({"kind": "begin", "title": "bquill"}));
            let answer = self.long(&method, params, &Stop::by(Arc::clone(&flag)));
            self.progress(token.as_ref(), &json!({"kind": "end"}));
            self.shared().running.remove(&id);
            let answer = match flag.load(Ordering::Relaxed) {
                true => Err((ErrorCode::RequestCanceled, "cancelled".to_owned())),
                false => answer,
            };
            self.answer(id, answer);
        });
    }

    fn progress(&self, token: Option<&Value>, value: &Value) {
        if let Some(token) = token {
            self.notify("$/progress", json!({"token": token, "value": value}));
        }
    }

    fn quick(&self, method: &str, value: Value) -> Answer {
        match method {
            "textDocument/hover" => self.hover(&params(value)?),
            "textDocument/completion" => self.completion(&params(value)?),
            "textDocument/codeLens" => self.lenses(&params(value)?),
            other => Err((
                ErrorCode::MethodNotFound,
                format!("there is no request `{other}` here"),
            )),
        }
    }

    fn long(&self, method: &str, value: Value, stop: &Stop) -> Answer {
        match method {
            "textDocument/codeAction" => self.actions(&params(value.clone())?, &value, stop),
            "codeAction/resolve" => self.resolved_action(value, stop),
            "codeLens/resolve" => self.resolved_lens(value, stop),
            _ => self.execute(&params(value)?, stop),
        }
    }

    fn notification(&self, notification: Notification) {
        let Notification {
            method,
            params: value,
        } = notification;
        match &*method {
            "textDocument/didOpen" => {
                if let Ok(Opened {
                    text_document: text,
                }) = params(value)
                {
                    let uri = text.uri.clone();
                    self.shared()
                        .documents
                        .open(text.uri, text.version, text.text);
                    self.diagnose(&uri);
                }
            }
            "textDocument/didChange" => {
                if let Ok(Changed {
                    text_document,
                    content_changes,
                }) = params(value)
                {
                    let (uri, version) = (&text_document.uri, text_document.version);
                    let encoding = self.client.encoding;
                    self.shared()
                        .documents
                        .change(uri, version, &content_changes, encoding);
                    self.forget_hints(uri);
                    self.diagnose(uri);
                }
            }
            "textDocument/didClose" => {
                if let Ok(AboutText { text_document }) = params(value) {
                    self.shared().documents.close(&text_document.uri);
                    self.forget_hints(&text_document.uri);
                    let none = json!({"uri": text_document.uri, "diagnostics": []});
                    self.notify("textDocument/publishDiagnostics", none);
                }
            }
            "$/cancelRequest" => {
                let id = value.get("id").cloned();
                let id: Option<RequestId> = id.and_then(|id| serde_json::from_value(id).ok());
                if let Some(stop) = id.and_then(|id| self.shared().running.get(&id).cloned()) {
                    stop.store(true, Ordering::Relaxed);
                }
            }
            _ => {}
        }
    }

    /// An answer of the client: to a question, or about an edit.
    fn response(&self, response: Response) {
        let edit = self.shared().asked.remove(&response.id);
        let chosen = response.response_result.ok();
        let title = chosen
            .as_ref()
            .and_then(|value| value.get("title"))
            .and_then(Value::as_str);
        if let (Some(edit), Some("Apply")) = (edit, title) {
            self.send_edit(&edit);
        }
    }

    /// An open rewrite file: its path and its text.
    fn rewrite_file(&self, uri: &str) -> Option<(PathBuf, Arc<str>)> {
        let path = path_of(uri)?;
        let text = self.shared().documents.text(uri)?;
        is_rewrite_file(&path, &text).then_some((path, text))
    }

    fn hover(&self, about: &AboutPlace) -> Answer {
        let Some((_, text)) = self.rewrite_file(&about.text_document.uri) else {
            return Ok(Value::Null);
        };
        let lines = Lines::new(&text, self.client.encoding);
        let found = hover(&text, lines.offset(about.position));
        Ok(found.map_or(Value::Null, |(words, span)| {
            json!({"contents": {"kind": "markdown", "value": words}, "range": lines.range(span)})
        }))
    }

    fn completion(&self, about: &AboutPlace) -> Answer {
        let Some((path, text)) = self.rewrite_file(&about.text_document.uri) else {
            return Ok(Value::Null);
        };
        let offset = Lines::new(&text, self.client.encoding).offset(about.position);
        let columns = || columns(&self.host.in_folder(self.folder_for(&path)));
        let item = |proposal: crate::completion::Proposal| {
            let kind = match proposal.kind {
                ProposalKind::Key => 10,
                ProposalKind::Column => 5,
                ProposalKind::Group => 6,
                ProposalKind::Filter => 3,
            };
            json!({"label": proposal.name, "kind": kind, "detail": proposal.does})
        };
        Ok(proposals(&text, offset, columns)
            .into_iter()
            .map(item)
            .collect())
    }

    fn lenses(&self, about: &AboutText) -> Answer {
        let uri = &about.text_document.uri;
        let Some((_, text)) = self.rewrite_file(uri) else {
            return Ok(Value::Null);
        };
        let lines = Lines::new(&text, self.client.encoding);
        let at = WrittenFile::new(&text).first_step();
        let range = lines.range(Span::new(at, at + STEP.len()));
        let lens =
            |command: &str| json!({"range": range, "data": {"uri": uri, "command": command}});
        Ok([REWRITE, EXAMPLES].map(lens).into_iter().collect())
    }

    /// The lens with its words: what the rewrite would change, and which examples hold.
    fn resolved_lens(&self, mut lens: Value, stop: &Stop) -> Answer {
        let data = |name: &str| {
            lens.pointer(&format!("/data/{name}"))
                .and_then(Value::as_str)
        };
        let (uri, command) = (
            data("uri").unwrap_or_default().to_owned(),
            data("command").unwrap_or_default(),
        );
        let (title, command) = match command {
            EXAMPLES => {
                let (held, all) = self.examples(&uri)?;
                let title = match all {
                    0 => "no examples".to_owned(),
                    all => format!("{held} of {} held", counted(all as u64, "example")),
                };
                (title, EXAMPLES)
            }
            _ => {
                let title = self.edit_for(&json!(uri), None, stop);
                self.look_for_hints(&uri);
                (
                    title
                        .map(|edit| edit.summary())
                        .unwrap_or_else(|(_, told)| told),
                    REWRITE,
                )
            }
        };
        lens["command"] = json!({"title": title, "command": command, "arguments": [uri]});
        Ok(lens)
    }

    fn examples(&self, uri: &str) -> Result<(usize, usize), (ErrorCode, String)> {
        let (path, text) = self.rewrite_of(uri)?;
        Ok(WrittenFile::new(&text).analysis(&path).examples)
    }

    /// The path and the text of a rewrite file, which need not be open.
    fn rewrite_of(&self, uri: &str) -> Result<(PathBuf, Arc<str>), (ErrorCode, String)> {
        let none = || {
            (
                ErrorCode::InvalidParams,
                format!("{uri} is not a rewrite file"),
            )
        };
        let path = path_of(uri).ok_or_else(none)?;
        let open = self.shared().documents.text(uri);
        let text = open.or_else(|| Some(std::fs::read_to_string(&path).ok()?.into()));
        let text = text
            .filter(|text| is_rewrite_file(&path, text))
            .ok_or_else(none)?;
        Ok((path, text))
    }

    /// A rewrite that a client names: by the address of its file, or by its text, where it is a try.
    fn built(&self, named: &Value) -> Result<(PathBuf, RewriteText, Rewrite), (ErrorCode, String)> {
        match named.as_str() {
            Some(uri) => self.built_file(uri),
            None => self.built_try(named),
        }
    }

    fn built_try(
        &self,
        named: &Value,
    ) -> Result<(PathBuf, RewriteText, Rewrite), (ErrorCode, String)> {
        let wrong =
            |why: &dyn fmt::Display| (ErrorCode::InvalidParams, format!("no rewrite: {why}"));
        let text = RewriteText::deserialize(named).map_err(|error| wrong(&error))?;
        let folder = self.folder.clone().unwrap_or_default();
        let rewrite = text.build(&mut FileTables::new(&folder));
        let rewrite = rewrite.map_err(|error| wrong(&error))?;
        Ok((folder, text, rewrite))
    }

    fn built_file(
        &self,
        uri: &str,
    ) -> Result<(PathBuf, RewriteText, Rewrite), (ErrorCode, String)> {
        let (path, text) = self.rewrite_of(uri)?;
        let analysis = WrittenFile::new(&text).analysis(&path);
        match (analysis.rewrite, analysis.faults.first()) {
            (Some((text, rewrite)), _) => Ok((path, text, rewrite)),
            (None, fault) => {
                let why = fault.map_or("", |fault| &*fault.message);
                Err((
                    ErrorCode::RequestFailed,
                    format!("the rewrite has a fault: {why}"),
                ))
            }
        }
    }

    /// The folder that is open, else that of the rewrite file.
    fn folder_for(&self, rewrite: &Path) -> PathBuf {
        let own = rewrite.parent().unwrap_or(Path::new("/"));
        self.folder.clone().unwrap_or_else(|| own.to_owned())
    }

    /// The changes that a rewrite makes in one open text, or in all below the folder.
    fn edit_for(
        &self,
        rewrite: &Value,
        target: Option<&str>,
        stop: &Stop,
    ) -> Result<Edit, (ErrorCode, String)> {
        let (path, _, rewrite) = self.built(rewrite)?;
        let documents = self.shared().documents.clone();
        let edit = match target {
            Some(target) => edit_of(&rewrite, target, &documents, stop),
            None => {
                let host = self.host.in_folder(self.folder_for(&path));
                edit_below(&rewrite, &host, (&path, &documents), stop)
            }
        };
        edit.map_err(|fault| match fault {
            EditFault::Cancelled => (ErrorCode::RequestCanceled, "cancelled".to_owned()),
            EditFault::Told(text) => (ErrorCode::RequestFailed, text),
        })
    }

    /// The actions for a text: an example corrected, or any text rewritten by the files of the workspace and the last
    /// tries of its drafts.
    fn actions(&self, about: &AboutText, value: &Value, stop: &Stop) -> Answer {
        let uri = &about.text_document.uri;
        if let Some((path, text)) = self.rewrite_file(uri) {
            return Ok(self.corrections(uri, (&path, &text), value).into());
        }
        let Some(folder) = self.folder.clone() else {
            return Ok(json!([]));
        };
        let host = self.host.in_folder(folder);
        let mut offered = rewrite_files(&host, stop);
        offered.extend(tries(&host));
        let mut actions = Vec::new();
        for (title, rewrite) in offered {
            let arguments = json!([rewrite, uri]);
            let mut action = json!({"title": title, "kind": "refactor.rewrite"});
            // Where the client shows and asks, it is given the edit; else the server asks.
            match self.client.annotations && self.client.resolves_actions {
                true => action["data"] = arguments,
                false => {
                    action["command"] =
                        json!({"title": title, "command": REWRITE, "arguments": arguments});
                }
            }
            actions.push(action);
        }
        Ok(actions.into())
    }

    /// The action that takes the result of an example as the wanted text.
    fn corrections(&self, uri: &str, (path, text): (&Path, &str), value: &Value) -> Vec<Value> {
        let lines = Lines::new(text, self.client.encoding);
        let range = value
            .get("range")
            .cloned()
            .and_then(|range| serde_json::from_value(range).ok());
        let Some(asked) = range.map(|range| lines.span(range)) else {
            return Vec::new();
        };
        let faults = WrittenFile::new(text).analysis(path).faults;
        let here = faults
            .iter()
            .filter(|fault| fault.span.from <= asked.to && asked.from <= fault.span.to);
        here.filter_map(|fault| {
            let edit =
                json!({"range": lines.range(fault.span), "newText": fault.correction.as_ref()?});
            Some(json!({
                "title": "Take what comes of it",
                "kind": "quickfix",
                "edit": {"changes": {uri: [edit]}},
            }))
        })
        .collect()
    }

    fn resolved_action(&self, mut action: Value, stop: &Stop) -> Answer {
        let argument = |index: usize| action.pointer(&format!("/data/{index}"));
        let (Some(rewrite), target) = (argument(0), argument(1)) else {
            return Ok(action);
        };
        let edit = self.edit_for(rewrite, target.and_then(Value::as_str), stop)?;
        self.check_current(&edit)?;
        action["edit"] = edit.to_json(&self.client);
        Ok(action)
    }

    fn check_current(&self, edit: &Edit) -> Result<(), (ErrorCode, String)> {
        match edit.is_current(&self.shared().documents) {
            true => Ok(()),
            false => Err((
                ErrorCode::ContentModified,
                "a text has changed meanwhile; try again".to_owned(),
            )),
        }
    }

    fn execute(&self, command: &Command, stop: &Stop) -> Answer {
        let no_file = || {
            (
                ErrorCode::InvalidParams,
                "the address of a rewrite file is missing".to_owned(),
            )
        };
        let rewrite = command.arguments.first().ok_or_else(no_file)?;
        match &*command.command {
            REWRITE => {
                let target = command.arguments.get(1).and_then(Value::as_str);
                let edit = self.edit_for(rewrite, target, stop)?;
                self.offer(edit);
            }
            EXAMPLES => {
                let (held, all) = self.examples(rewrite.as_str().ok_or_else(no_file)?)?;
                let text = format!(
                    "{} held, {} did not",
                    counted(held as u64, "example"),
                    all - held
                );
                self.tell(&text);
            }
            KEEP => self.keep(rewrite)?,
            other => {
                return Err((
                    ErrorCode::InvalidParams,
                    format!("there is no command `{other}`"),
                ));
            }
        }
        Ok(Value::Null)
    }

    /// Gives the edit to the editor: where that does not ask about changes, the user is asked first.
    fn offer(&self, edit: Edit) {
        if edit.changes() == 0 {
            return self.tell("this rewrite changes nothing here");
        }
        if self.client.annotations && self.client.versions {
            return self.send_edit(&edit);
        }
        let files: Vec<String> = edit.files().into_iter().take(5).collect();
        let message = format!("{} ({}): apply?", edit.summary(), files.join(", "));
        let actions = json!([{"title": "Apply"}, {"title": "Leave"}]);
        let params = json!({"type": 3, "message": message, "actions": actions});
        let mut shared = self.shared();
        shared.sent += 1;
        let id = RequestId::from(shared.sent);
        shared.asked.insert(id.clone(), edit);
        drop(shared);
        self.send(Request::new(
            id,
            "window/showMessageRequest".to_owned(),
            params,
        ));
    }

    fn send_edit(&self, edit: &Edit) {
        if let Err((_, told)) = self.check_current(edit) {
            return self.tell(&told);
        }
        let params = json!({"label": edit.summary(), "edit": edit.to_json(&self.client)});
        self.ask("workspace/applyEdit", params);
        let mut left = Vec::new();
        if edit.left_alone > 0 {
            left.push(format!(
                "{} not UTF-8",
                counted(edit.left_alone as u64, "file")
            ));
        }
        if edit.problems > 0 {
            left.push(format!(
                "{} could not be computed",
                counted(edit.problems as u64, "unit")
            ));
        }
        if !left.is_empty() {
            self.tell(&format!("left alone: {}", left.join(", ")));
        }
    }

    /// Keeps the changes of the files on disk as the last preview of the folder, to be reviewed and applied under the
    /// journal.
    fn keep(&self, rewrite: &Value) -> Result<(), (ErrorCode, String)> {
        let failed = |error: &dyn fmt::Display| (ErrorCode::RequestFailed, error.to_string());
        let (path, text, rewrite) = self.built(rewrite)?;
        let host = self.host.in_folder(self.folder_for(&path));
        let documents = self.shared().documents.clone();
        let unsaved = documents.uris().filter_map(path_of).find(|open| {
            let text = documents.text(&uri_of(open));
            let disk = std::fs::read(open).ok();
            let differs = |text: Arc<str>| disk.is_none_or(|disk| disk != text.as_bytes());
            open.starts_with(host.folder()) && text.is_some_and(differs)
        });
        if let Some(open) = unsaved {
            let name = open
                .file_name()
                .unwrap_or_default()
                .to_string_lossy()
                .into_owned();
            return Err((
                ErrorCode::RequestFailed,
                format!("{name} is not saved, and a plan is about files"),
            ));
        }
        let found = sources_below(&host);
        let sources = found.map_err(|error| failed(&error))?;
        let guards = Guards::default();
        let keep = Keep::new(&text, &rewrite, &sources, &guards);
        let kept = keep.run(&host, |_, _, _| ControlFlow::Continue(()));
        let kept = kept.map_err(|error| failed(&error))?;
        let changes = counted(kept.summary.counts.changes, "change");
        let folder = brisk_quill_core::escape::visible_path(host.folder());
        self.tell(&format!(
            "{changes} kept as the last preview of {folder}: `bquill review`, then `bquill apply` there"
        ));
        Ok(())
    }
}

/// The rewrite files below a folder: the title of each, and its address.
fn rewrite_files(host: &Host, stop: &Stop) -> Vec<(String, Value)> {
    let Ok(sources) = sources_below(host) else {
        return Vec::new();
    };
    let mut found = Vec::new();
    for source in &sources.listing.sources {
        let Source::File(file) = source else {
            continue;
        };
        let path = file.place().into_owned();
        let is_toml = path
            .extension()
            .is_some_and(|extension| extension == "toml");
        let is_short = || path.metadata().is_ok_and(|found| found.len() <= FILE_MOST);
        if !is_toml || !is_short() || stop.is_set() || found.len() == OFFERED {
            continue;
        }
        let text = std::fs::read_to_string(&path).unwrap_or_default();
        if let (true, Ok(rewrite)) = (is_rewrite_file(&path, &text), RewriteText::parse(&text)) {
            let name = path.file_name().unwrap_or_default().to_string_lossy();
            let title = rewrite.title.map(|title| format!(": {title}"));
            let title = format!("Rewrite with {name}{}", title.unwrap_or_default());
            found.push((title, uri_of(&path).into()));
        }
    }
    found
}

/// The last tries of the drafts of a folder: the title of each, and its text.
fn tries(host: &Host) -> Vec<(String, Value)> {
    let offered = |text: RewriteText| {
        let rewrite = text.build(&mut FileTables::new(host.folder())).ok()?;
        let steps: Vec<String> = rewrite.steps().iter().map(clause).collect();
        let words = steps.join(", then ");
        let mut title: String = words.chars().take(TITLE_MOST).collect();
        if title.len() < words.len() {
            title.push('…');
        }
        let text = serde_json::to_value(&text).ok()?;
        Some((format!("Rewrite as in the draft: {title}"), text))
    };
    load(host).into_iter().filter_map(offered).collect()
}
