//! How long work reports that it continues. The interface implements it.

/// Receives the course of one piece of work.
pub trait Progress: Sync {
    /// Work of `total` units begins; `total` is `None` if it is not known in advance.
    fn begin(&self, what: &str, total: Option<u64>);
    /// The same if the units are bytes.
    fn begin_bytes(&self, what: &str, total: u64) {
        self.begin(what, Some(total));
    }
    /// `by` more units are done.
    fn advance(&self, by: u64);
    /// The work is over.
    fn end(&self);
    /// Whether the user asked to stop. Work in progress is then completed or reverted.
    fn is_stopped(&self) -> bool {
        false
    }
}

/// Reports to no one.
#[derive(Debug, Clone, Copy, Default)]
pub struct Silent;

impl Progress for Silent {
    fn begin(&self, _: &str, _: Option<u64>) {}
    fn advance(&self, _: u64) {}
    fn end(&self) {}
}
