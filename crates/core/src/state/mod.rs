//! The home folder. Precious data is in plain files: the journal and the stored contents (which the change engine
//! writes), a label for each build, and the user's settings. The database is an index of these and a cache: it can be
//! deleted at any time.

mod database;
mod feeds;
mod home_file;
mod labels;
mod proofs;
mod words;

pub(crate) use database::Database;
pub(crate) use feeds::FeedsFolder;
pub(crate) use labels::{Labels, Shelf};
pub(crate) use proofs::ProofsFile;
pub(crate) use words::{Moved, Words, WordsFile};
