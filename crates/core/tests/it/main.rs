//! Tests of the core, through its public API. One program with a module for each subject, so that it links once.

mod damage;
mod download;
mod feed;
mod history;
mod launcher;
mod law;
mod model;
mod offers;
mod pattern;
mod rack;
mod size;
mod statement;
mod survey;
mod words;
mod workshop;
