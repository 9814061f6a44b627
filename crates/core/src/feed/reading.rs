//! A client's reading of the files of a feed, for other readers of feeds and for tests.

use super::head::{Head, Piece, Signed};
use super::key::Key;
use super::listing::{Listing, Shard};

/// The head of a feed, verified: by a key that is expected, or one that this leads to, else by the one that it names.
///
/// # Errors
/// The reason.
pub fn verified(signature: &[u8], head: &[u8], expected: Option<&Key>) -> Result<Head, String> {
    Signed::read(signature)?.head(head, expected)
}

/// The families in a shard.
///
/// # Errors
/// The reason.
pub fn read_listings(bytes: &[u8], piece: &Piece) -> Result<Vec<Listing>, String> {
    Shard::read(bytes, piece).map(|shard| shard.family)
}
