//! The shapes of the protocol that are read. What is sent is written where it is made.

use serde::{Deserialize, Serialize};

/// The units in which a client counts the characters of a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Encoding {
    /// Bytes of UTF-8.
    Utf8,
    /// Units of UTF-16.
    Utf16,
}

/// A place between two characters, both numbers from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Place {
    pub line: u32,
    pub character: u32,
}

/// The characters between two places.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Range {
    pub start: Place,
    pub end: Place,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Opened {
    pub text_document: OpenedText,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct OpenedText {
    pub uri: String,
    pub version: i64,
    pub text: String,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Changed {
    pub text_document: Versioned,
    pub content_changes: Vec<TextChange>,
}

#[derive(Debug, Deserialize)]
pub struct Versioned {
    pub uri: String,
    pub version: i64,
}

#[derive(Debug, Deserialize)]
pub struct TextChange {
    /// None replaces all of the text.
    pub range: Option<Range>,
    pub text: String,
}

#[derive(Debug, Deserialize)]
pub struct Named {
    pub uri: String,
}

/// Parameters about a text.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct AboutText {
    pub text_document: Named,
}

/// Parameters about a place in a text.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct AboutPlace {
    pub text_document: Named,
    pub position: Place,
}

#[derive(Debug, Deserialize)]
pub struct Command {
    pub command: String,
    #[serde(default)]
    pub arguments: Vec<serde_json::Value>,
}

/// The part of `initialize` that matters here.
#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Initialize {
    capabilities: serde_json::Value,
    root_uri: Option<String>,
    workspace_folders: Option<Vec<Named>>,
}

/// The abilities of a client.
#[derive(Clone, Copy, Debug)]
pub struct Client {
    pub encoding: Encoding,
    /// True if it takes edits of versions of texts.
    pub versions: bool,
    /// True if it shows changes in groups and asks about them.
    pub annotations: bool,
    /// True if it asks for the edit of an action once that is chosen.
    pub resolves_actions: bool,
    /// True if it shows the progress of work.
    pub progress: bool,
}

impl Initialize {
    /// The abilities of the client; those that it does not mention are missing.
    pub fn client(&self) -> Client {
        let at = |pointer: &str| self.capabilities.pointer(pointer);
        let encodings = at("/general/positionEncodings").and_then(|all| all.as_array());
        let knows_bytes = encodings.is_some_and(|all| all.iter().any(|one| one == "utf-8"));
        let properties = at("/textDocument/codeAction/resolveSupport/properties");
        let properties = properties.and_then(|all| all.as_array());
        Client {
            encoding: if knows_bytes {
                Encoding::Utf8
            } else {
                Encoding::Utf16
            },
            versions: at("/workspace/workspaceEdit/documentChanges") == Some(&true.into()),
            annotations: at("/workspace/workspaceEdit/changeAnnotationSupport").is_some(),
            resolves_actions: properties.is_some_and(|all| all.iter().any(|one| one == "edit")),
            progress: at("/window/workDoneProgress") == Some(&true.into()),
        }
    }

    /// The address of the folder that is open.
    pub fn folder(&self) -> Option<&str> {
        let first = self.workspace_folders.as_ref().and_then(|all| all.first());
        first
            .map(|folder| &*folder.uri)
            .or(self.root_uri.as_deref())
    }
}
