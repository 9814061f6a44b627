//! Tests of the invented world. One program with a module for each subject, so that it links once.

mod deeds;
mod readers;
