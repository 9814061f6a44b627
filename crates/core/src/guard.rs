//! Contains what libraries do with files of strangers: one that panics ends its work, and nothing else.

use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};

thread_local! {
    static CONTAINED: Cell<bool> = const { Cell::new(false) };
}

/// Runs a closure; returns nothing if it panics. Values that it altered must not be used then.
pub(crate) fn contained<T>(work: impl FnOnce() -> T) -> Option<T> {
    let before = CONTAINED.replace(true);
    let done = catch_unwind(AssertUnwindSafe(work)).ok();
    CONTAINED.set(before);
    done
}

/// Whether a panic of this thread is contained, so that it need not be reported.
pub fn is_contained() -> bool {
    CONTAINED.get()
}
