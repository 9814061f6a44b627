//! The made-up world that the demo and the tests play in.
//!
//! Nothing here is shipped to users as its own feature: [`pe`] writes executable images that Windows would load and
//! run, [`deed`] what these do then, [`resource`] the version resource inside them, [`archive`] the zips of a
//! downloads folder, [`launcher`] keeps games up to date, [`feed`] writes feeds, [`server`] serves them, well and
//! badly, and [`world`] puts four games and their downloads together. Every name, company and version is invented.

pub mod archive;
mod code;
pub mod deed;
pub mod feed;
pub mod launcher;
pub mod pe;
pub mod resource;
pub mod server;
pub mod world;

pub use deed::{Deed, Deeds};
pub use pe::{Bits, Pe};
pub use resource::VersionInfo;
