//! The processes of a game, and the files that are mapped into them. Only looked at, never opened to write.
//!
//! A game is recognised by its executable: the process into which that file is mapped. Files are compared by volume
//! and number, since a boxed game sees other paths than we do.

mod running;
#[cfg_attr(target_os = "linux", path = "linux.rs")]
#[cfg_attr(windows, path = "windows.rs")]
#[cfg_attr(not(any(target_os = "linux", windows)), path = "elsewhere.rs")]
mod system;
mod watch;

pub use running::Running;
pub(super) use running::file_at;
pub(super) use watch::Watch;
