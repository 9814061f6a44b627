//! Tests of settings files and registry texts, through its public API. One program with a module for each subject, so that it links once.

mod document;
mod merge;
mod registry;
#[cfg(windows)]
mod system;
