//! Settings: the values of keys in text files, and of values in texts of the registry.
//!
//! It finds a value, sets it and takes it away, and leaves every other byte of the text as it is. It knows
//! nothing of files on disk, of games or of what a setting is for.
//!
//! - [`encoded`]: texts in the encodings that people's programs write;
//! - [`merge`]: a newer settings file into the user's.

pub mod encoded;
mod ini;
mod merge;

pub use ini::MOST_LINES;
pub use merge::{Merged, is_mergeable, merge};
