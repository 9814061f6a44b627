//! The rack: builds that the user owns, kept as content that can be fitted at any time.

mod archive;
mod build;
mod find;
mod group;
mod intake;
mod layout;
mod layout_file;
mod notes;
mod sort;
mod statement;

pub use crate::encoded::decoded;
pub use crate::settings::Limits;
pub(crate) use archive::{clear_scratch, scratch_left};
pub use build::{Build, BuildFile, BuildId, BuildPart, BuildSpec, Note, Source, Stored};
pub use find::{Needs, find};
pub(crate) use find::{RackIndex, prefer};
pub use intake::{PackageContext, PackageOptions, Parcel};
pub use layout::{EXE, Layout, Placement, Policy, ROOT, SLOT};
pub use layout_file::LayoutFile;
pub use notes::since;
pub(crate) use sort::is_settings_name;
pub use sort::{Part, Sorted};
pub use statement::{Statement, stated_support};
