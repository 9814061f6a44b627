//! Feeds: lists of builds that anyone can publish as static files, with their supported versions and layouts.
//!
//! A feed is a folder, served by any web server or reached as it is:
//!
//! - `feed.minisig`, the only file that ever changes: a signature, whose trusted comment names the head;
//! - `content/`, files named by their digest: heads, what these name, and the downloads.
//!
//! See docs/formats.md for the format, and docs/reliability.md for the checks of a client.

mod head;
mod key;
mod known;
mod listing;
mod make;
mod reading;
mod subscription;
mod take_in;

pub use head::{Head, Piece};
pub(crate) use head::{SIGNATURE, content_name};
pub use key::{Key, NewKey, Secret};
pub use known::{Advised, Feed, FeedFault, Feeds, Offer};
pub use listing::{Advice, Counsel, Entry, Listing, Packed, Variant};
pub(crate) use listing::{LONGEST_NOTES, Shard};
pub(crate) use make::{Draft, content_path, contents, copy_content, prune, write_content};
pub use make::{Signer, Written};
pub use reading::{read_listings, verified};
pub use subscription::Subscription;
pub(crate) use take_in::{
    Found, News, Pieces, Whole, expect_current, look, news, pieces, recognition, whole,
};
