//! `left-behind`: files that an earlier installation by hand seems to have left.

use crate::finding::{Finding, Severity};
use crate::rack::Build;
use crate::remedy::Action;
use crate::survey::Library;

pub(crate) fn finding(build: &Build, left: &[&Library]) -> Finding {
    let described = |library: &&Library| {
        let version = library.facts.version().map_or_else(String::new, |v| format!(" {v}"));
        format!("{}{version}", library.path)
    };
    let names: Vec<String> = left.iter().map(described).collect();
    let sentence = format!(
        "An earlier manual installation seems to have left {}: by the maker of {}, but not part of the build.",
        names.join(", "),
        build.id
    );
    let remedy = ("They stay, unless you say that they go.", Action::Clear);
    let mut finding = Finding::new("left-behind", Severity::Note, sentence, remedy);
    finding.names = names;
    finding
}
