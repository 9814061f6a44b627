//! What a library of a game offers, to be looked up.

use std::sync::Arc;

use upright_spanner_image::{Export, Symbol};

/// The exports of an image, by name and by ordinal.
pub(super) struct Offer {
    exports: Arc<Vec<Export>>,
    /// The exports that have a name, sorted by it.
    named: Vec<usize>,
}

impl Offer {
    pub fn of(exports: Arc<Vec<Export>>) -> Self {
        let name = |at: &usize| exports[*at].name.as_deref();
        let mut named: Vec<usize> = (0..exports.len()).filter(|at| name(at).is_some()).collect();
        named.sort_unstable_by_key(|at| name(at));
        Self { exports, named }
    }

    /// What is offered under a symbol.
    pub fn find(&self, symbol: &Symbol) -> Option<&Export> {
        let exports = &self.exports;
        match symbol {
            Symbol::Name(wanted) => {
                let name = |at: &usize| exports[*at].name.as_deref();
                let found = self.named.binary_search_by(|at| name(at).cmp(&Some(wanted))).ok()?;
                exports.get(self.named[found])
            }
            Symbol::Ordinal(wanted) => {
                exports.iter().find(|export| export.ordinal == u32::from(*wanted))
            }
        }
    }
}
