//! Tests of the change engine, through its public API. One program with a module for each subject, so that it links once.

mod aside;
mod content;
mod folder;
mod journal;
mod line;
mod path;
mod store;
mod transaction;
