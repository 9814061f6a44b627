//! What the home folder keeps: a database of games, builds and changes, and the content that they
//! refer to.

mod blobs;
mod database;

pub use blobs::Blobs;
pub(crate) use blobs::{copy, sync_and_read, sync_folder};
pub(crate) use database::Database;
