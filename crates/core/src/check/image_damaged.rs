//! `image-damaged` and `download-unfinished`: files with the name of a library or a program that are not images, or
//! not complete, in a place where the game would read them.

use std::collections::BTreeSet;

use super::loading::{DAMAGED, for_file};
use crate::finding::{Finding, Severity};
use crate::load::Outcome;
use crate::path::{TreePath, extension, is_unfinished_download};
use crate::situation::Situation;

pub(crate) fn check(situation: &Situation<'_>) -> Vec<Finding> {
    let asked_for: BTreeSet<&TreePath> = asked_for(situation);
    let damaged = situation.view.unusable.iter().filter(|image| image.is_damaged());
    // A library that an image requests is reported with that image.
    let damaged = damaged.filter(|image| {
        !asked_for.contains(&image.path) && !is_unfinished_download(image.path.file_name())
    });
    let damaged = damaged.map(|image| {
        let (is_program, sentence) = (
            extension(image.path.file_name()) == "exe",
            format!("{} is not a whole library or program: {}.", image.path, image.why),
        );
        let wanted = situation.game().settings.executable.as_ref();
        let counts = wanted == Some(&image.path) || situation.view.programs.is_empty();
        let severity = if is_program && counts { Severity::Stop } else { Severity::Warn };
        let machine = situation.view.machine();
        let remedy = for_file(situation, &image.path, machine, None);
        Finding::new(DAMAGED, severity, sentence, remedy)
    });
    let whole = situation.view.libraries.iter().map(|library| &library.path);
    let all = whole.chain(situation.view.unusable.iter().map(|image| &image.path));
    let unfinished = all.filter(|path| is_unfinished_download(path.file_name()));
    let unfinished = unfinished.map(|path| {
        let sentence = format!(
            "{path} is the remains of an unfinished download; the game does not read a file with that              name."
        );
        let remedy = "Download the file again, and remove the remains.";
        Finding::new("download-unfinished", Severity::Warn, sentence, remedy)
    });
    damaged.chain(unfinished).collect()
}

/// The damaged files that an image asks for.
fn asked_for<'a>(situation: &'a Situation<'_>) -> BTreeSet<&'a TreePath> {
    let images = situation.loads().processes.iter().flat_map(|process| &process.images);
    let damaged = images.flat_map(|image| &image.edges).filter_map(|edge| match &edge.outcome {
        Outcome::Damaged(path, _) => Some(path),
        _ => None,
    });
    damaged.collect()
}
