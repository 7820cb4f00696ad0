//! A front of Brisk Quill for editors: the Language Server Protocol, version 3.17, on standard input and output.
//!
//! Note to the maintainer. `server` takes messages and hands them out; `documents` holds the open texts, and
//! `positions` turns places of the protocol into places in bytes. What is said of a rewrite file comes from
//! `rewrite_document`, `hover`, `completion` and `columns`; what a rewrite changes, in one text or in all of a folder, from
//! `edits`, and what may be a mistake in it from `hints`. Evaluating, reading and keeping are the engine's.

mod below;
mod columns;
mod completion;
mod documents;
mod edits;
mod hints;
mod hover;
mod paths;
mod positions;
mod protocol;
mod rewrite_document;
mod server;
mod string_places;

pub use server::{ServeError, serve};
