//! The change engine: alters the files of a game completely or not at all, stores the old content, and can restore
//! it.
//!
//! It knows nothing of components or builds. A [`Draft`] is a list of [`Step`]s inside a [`Scope`]; the [`Engine`]
//! carries it out, with a [`Journal`] that says in advance what will be done and a [`Store`] that holds every content
//! that leaves. Both are plain files that a person can read without us.
//!
//! - [`path`]: paths inside a folder; [`folder`]: folders held open, through which everything is done;
//! - [`content`], [`step`]: the state of a file; targets and their states before and after;
//! - [`store`], [`journal`], [`record`], [`line`]: the stored files and their formats;
//! - [`territory`], [`carrier`], [`execution`], [`lock`]: the scope of a change, and how it is carried out.

pub mod carrier;
pub mod content;
mod error;
pub mod execution;
pub mod fault;
pub mod folder;
pub mod journal;
pub mod line;
pub mod lock;
mod notes;
mod owner;
pub mod path;
pub mod progress;
mod random;
pub mod record;
pub mod step;
pub mod store;
mod supply;
pub mod territory;
mod transfer;

pub use carrier::memory::Memory;
pub use content::{Content, Digest, FileState, Moment, Stamp};
pub use error::{Error, Result, in_words, is_in_use};
pub use execution::{Draft, Engine, Failure, Recovered, StepOutcome, StepReport};
pub use folder::{Folder, Found, Identity, sync_file};
pub use journal::{
    Chronicle, CopiedFile, Copies, Fault, Journal, Mark, Marks, Mending, NoCopies, OUTCOME,
};
pub use lock::Lock;
pub use notes::Notes;
pub use owner::Owner;
pub use path::{BadPath, Place, TreePath, fold, is_device, same_name, slashes};
pub use progress::{Progress, Silent};
pub use record::{Record, RecordState, Stored};
pub use step::{Aside, Registry, RegistryValue, SettingKey, Side, State, Step, Target, Tree};
pub use store::Store;
pub use supply::Supply;
pub use territory::{Grant, Scope, Territory};
