//! All tests of the program in one program, which is linked once.

mod agreement;
mod any_options;
mod apply;
mod asking;
mod attacks;
mod bad_input;
mod columns;
mod decisions;
mod demo;
mod documented;
mod draft;
mod examples;
mod find;
mod fuzzed;
mod hints;
mod infer;
mod journal;
mod large;
mod looking;
mod narrowing;
mod packed;
mod page;
mod pairs;
mod plans;
mod preview;
mod progress;
mod reference;
mod refused;
mod repositories;
mod review;
mod rewriting;
mod sentences;
mod serve;
mod settings;
mod support;
mod threads;
mod undo;
mod widths;

#[path = "../../forgotten.rs"]
mod forgotten;
