//! `functions-unknown`: a library asks Windows for functions of which it is not known whether it has them.

use super::loading::{functions, list};
use crate::finding::{Finding, Severity};
use crate::load::Edge;
use crate::path::TreePath;

pub(crate) const CODE: &str = "functions-unknown";

pub(crate) fn finding(image: &TreePath, edge: &Edge) -> Finding {
    let sentence = format!(
        "{image} asks Windows' own {} for {}, and whether every Windows offers that is not known: {}.",
        edge.library,
        functions(edge.unsure.len()),
        list(&edge.unsure)
    );
    let remedy = "Start the game to see. If it does not start, go back.";
    let mut finding = Finding::new(CODE, Severity::Warn, sentence, remedy);
    finding.names.clone_from(&edge.unsure);
    finding
}
