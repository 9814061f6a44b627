//! Settings: the values of keys in text files, and of values in texts of the registry.
//!
//! It finds, sets and removes a value, and leaves every other byte of the text as it is. It knows nothing about files
//! on disk, games or the purpose of a setting.
//!
//! - [`document`]: one key of a settings file, in any of four formats;
//! - [`registry`]: values of the registry, in `.reg` files and in the files of a prefix;
//! - [`encoded`]: texts in the encodings that people's programs write;
//! - [`merge`]: a newer settings file into the user's.

pub mod document;
pub mod encoded;
mod ini;
mod json;
mod merge;
pub mod registry;
mod syntax;
mod toml;
mod xml;

pub use document::{Entry, Fault, Format, KeyPath, Lookup};
pub use ini::MOST_LINES;
pub use merge::{Merged, is_mergeable, merge};
