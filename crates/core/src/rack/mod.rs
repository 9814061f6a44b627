//! The rack: builds that the user owns, kept as content that can be fitted at any time.

mod archive;
mod build;
mod contents;
mod find;
mod group;
mod intake;
mod layout;
mod layout_file;
mod naming;
mod notes;
mod place;
mod registry;
mod sort;
mod statement;
mod variants;

pub use crate::settings::Limits;
pub(crate) use archive::{Package, PackedFile, Scratch, clear_scratch, scratch_left};
pub use build::{Build, BuildFile, BuildId, BuildPart, BuildSpec, Note, Source, Stored};
pub use find::{Needs, by_build};
pub(crate) use find::{RackIndex, find_variants, retain_if_any, several_of, suiting};
pub use group::Together;
pub use intake::{PackageContext, PackageOptions, Parcel};
pub use layout::{EXE, Layout, Placement, Policy, ROOT, SLOT};
pub use layout_file::{GivenLayout, LayoutFile};
pub(crate) use naming::distinctive;
pub use notes::since;
pub use place::NAMESAKE;
pub use registry::{RegistryFile, registry_files};
pub(crate) use sort::is_settings_name;
pub use sort::{Part, Sorted};
pub use statement::{Statement, stated_support};
pub use upright_spanner_settings::encoded::decoded;
