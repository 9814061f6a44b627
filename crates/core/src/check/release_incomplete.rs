//! `release-incomplete`: a release of a game that is not all there, as a download that was broken off leaves it.

use crate::finding::{Finding, Severity};
use crate::path::{TreePath, slashes};
use crate::wind::Incomplete;

pub(crate) const CODE: &str = "release-incomplete";

pub(crate) fn finding(part: &Incomplete) -> Finding {
    let named =
        |paths: &[TreePath]| -> Vec<String> { paths.iter().map(ToString::to_string).collect() };
    let (names, sentence, remedy) = match part {
        Incomplete::Remains(files) => {
            let names: Vec<String> = files.iter().map(|file| slashes(file)).collect();
            let sentence =
                format!("{} was never finished: something was still fetching it.", some(&names));
            (names, sentence, "Let the download come to its end, or get it again.")
        }
        Incomplete::Empty(paths) => {
            let names = named(paths);
            let sentence = format!("{} of the release is empty, and should not be.", some(&names));
            (names, sentence, "Get the release again.")
        }
        Incomplete::CutShort(paths, why) => {
            let names = named(paths);
            let sentence = format!("{} of the release is not whole: {why}.", some(&names));
            (names, sentence, "Get the release again.")
        }
        Incomplete::Growing(paths) => {
            let names = named(paths);
            let sentence =
                format!("{} of the release is being written at this moment.", some(&names));
            (names, sentence, "Wait until the download or the copy is done.")
        }
    };
    let mut finding = Finding::new(CODE, Severity::Stop, sentence, remedy);
    finding.names = names;
    finding
}

/// The first of some names, and how many more there are.
fn some(names: &[String]) -> String {
    match names {
        [one] => one.clone(),
        [first, others @ ..] => format!("{first} (and {} more)", others.len()),
        [] => String::new(),
    }
}
