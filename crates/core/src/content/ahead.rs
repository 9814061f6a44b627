//! Reading a file before it is asked for, without trusting anybody to leave it alone in between.

#[cfg(not(windows))]
use std::path::Path;

use super::Content;

/// Reads a file that will be asked for soon, so that it need not be read then. What goes wrong is told
/// when it is asked for.
#[cfg(not(windows))]
pub(crate) fn read_ahead(path: &Path) {
    // Its marks will prove that it stayed the same; marks that were set just now would prove nothing.
    std::thread::sleep(super::SETTLED);
    let _ = Content::of_file(path);
}

/// What was read ahead and is sure without any marks.
#[cfg(not(windows))]
pub(super) fn take(_: &Path) -> Option<Content> {
    None
}

#[cfg(windows)]
pub(crate) use held::read_ahead;
#[cfg(windows)]
pub(super) use held::take;

/// Windows has no marks that prove anything, but keeps others from writing into an open file.
#[cfg(windows)]
mod held {
    use std::collections::HashMap;
    use std::fs::{File, OpenOptions};
    use std::os::windows::fs::OpenOptionsExt;
    use std::path::{Path, PathBuf};
    use std::sync::{LazyLock, Mutex};

    use super::Content;

    const SHARED_FOR_READING: u32 = 1;

    /// Files that were read and are held open until they are asked for.
    static HELD: LazyLock<Mutex<HashMap<PathBuf, (Content, File)>>> = LazyLock::new(Mutex::default);

    pub(crate) fn read_ahead(path: &Path) {
        let alone = OpenOptions::new().read(true).share_mode(SHARED_FOR_READING).open(path);
        let Ok(file) = alone else { return };
        if let (Ok(content), Ok(mut held)) = (Content::of_open(&file), HELD.lock()) {
            held.insert(path.to_owned(), (content, file));
        }
    }

    pub(in super::super) fn take(path: &Path) -> Option<Content> {
        HELD.lock().ok()?.remove(path).map(|(content, _)| content)
    }
}
