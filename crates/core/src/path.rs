//! Paths inside a game, and names.

pub use upright_spanner_change::{BadPath, TreePath, fold, same_name};

/// A name without its last extension.
pub fn stem(name: &str) -> &str {
    match name.rsplit_once('.') {
        Some((stem, _)) if !stem.is_empty() => stem,
        _ => name,
    }
}

/// The last extension of a name in lower case, or nothing.
pub fn extension(name: &str) -> String {
    match name.rsplit_once('.') {
        Some((stem, extension)) if !stem.is_empty() => extension.to_ascii_lowercase(),
        _ => String::new(),
    }
}
