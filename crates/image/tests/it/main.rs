//! Tests of reading of images, through its public API. One program with a module for each subject, so that it links once.

mod hostile;
mod image;
mod program;
mod signature;
mod version;
