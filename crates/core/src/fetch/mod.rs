//! Data from elsewhere: from a web server or a folder, with limits of length and time.
//!
//! Nothing that arrives is trusted: the caller compares it with a digest. This module ensures that a server cannot
//! fill the disk or the memory, block a command for ever, or redirect from `https` to an open connection.

mod address;
mod client;
mod download;
mod web;

pub use address::Address;
pub(crate) use client::{Answer, Client};
pub(crate) use download::{Transfer, Wanted, forget_old};
pub(crate) use web::Seen;
