//! The facts of one executable image (PE32 or PE32+), and the meaning of its version numbers.
//!
//! It knows nothing of games. [`Facts`] is what recognition needs and costs a few reads; [`Image`] adds
//! every import and export; a [`Signature`] is checked apart. Nothing here runs or loads anything.
//!
//! - [`version`], [`requirement`]: version numbers as authors write them, and sets of them;
//! - [`system`]: which libraries are Windows' own;
//! - [`file`]: plain files, read without following a link or waiting for a pipe.

mod budget;
mod error;
mod exports;
pub mod file;
mod headers;
mod icon;
mod image;
mod imports;
mod machine;
mod managed;
mod manifest;
pub mod requirement;
mod resource;
mod signature;
mod source;
pub mod system;
pub mod version;
mod version_info;

pub use error::ImageError;
pub use exports::{Export, Offer};
pub use icon::{icon_from_reader, icon_of};
pub use image::{Facts, Image, exports_of, imports_of, offer_of};
pub use imports::{Import, Symbol};
pub use machine::{Kind, Machine};
pub use manifest::{Rights, rights_from_reader, rights_of};
pub use requirement::Requirement;
pub use signature::{Chain, Signature, SignatureStatus, Trust, TrustStore};
pub use version::Version;
pub use version_info::{FixedInfo, StringTable, VersionInfo};
