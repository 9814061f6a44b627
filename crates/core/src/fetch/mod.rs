//! Bytes from elsewhere: from a web server or a folder, never more than was said, and never for longer than it
//! takes.
//!
//! Nothing that comes is trusted: who asks compares it with a digest. What is guarded here is that a server
//! cannot fill the disk or the memory, hold a command for ever, or lead from `https` to where anybody listens in.

mod address;
mod client;
mod download;
mod web;

pub use address::Address;
pub(crate) use client::{Answer, Client};
pub(crate) use download::{Transfer, Wanted, forget_old};
pub(crate) use web::Seen;
