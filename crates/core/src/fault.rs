//! Fail points: every operation that alters a disk asks here first. In debug builds the variable
//! `SPANNER_FAULT` makes one of them fail, or end the program on the spot, so that tests can try
//! each; in release builds there is nothing here.
//!
//! `kill:7` ends the program before the seventh operation, `space:7` lets it fail for want of
//! space, `io:7` with an input/output error.

use std::path::Path;

use crate::error::Result;

/// To be asked before an operation on `path`.
#[cfg(not(debug_assertions))]
#[expect(clippy::unnecessary_wraps, reason = "it fails in debug builds")]
pub(crate) fn point(_: &'static str, _: &Path) -> Result<()> {
    Ok(())
}

/// To be asked before an operation on `path`.
#[cfg(debug_assertions)]
pub(crate) fn point(doing: &'static str, path: &Path) -> Result<()> {
    use std::io;
    use std::sync::LazyLock;
    use std::sync::atomic::{AtomicU64, Ordering};

    use crate::error::Error;

    static FAULT: LazyLock<Option<(String, u64)>> = LazyLock::new(|| {
        let text = std::env::var("SPANNER_FAULT").ok()?;
        let (kind, number) = text.split_once(':')?;
        Some((kind.to_owned(), number.parse().ok()?))
    });
    static DONE: AtomicU64 = AtomicU64::new(0);
    let Some((kind, number)) = FAULT.as_ref() else { return Ok(()) };
    if DONE.fetch_add(1, Ordering::Relaxed) + 1 != *number {
        return Ok(());
    }
    match kind.as_str() {
        "space" => Err(Error::io(doing, path)(io::ErrorKind::StorageFull.into())),
        "io" => Err(Error::io(doing, path)(io::Error::other("input/output error"))),
        _ => std::process::abort(),
    }
}
