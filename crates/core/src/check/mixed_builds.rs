//! `mixed-builds`: a library of one build beside parts of another: an update that was done by half.

use crate::finding::{Finding, Severity};
use crate::path::same_name;
use crate::rack::{Build, EXE, Placement, Policy, ROOT};
use crate::remedy::Action;
use crate::situation::Situation;
use crate::survey::Library;
use upright_spanner_change::Place;

/// The builds that a library of a game is mixed with. Only if the rack has its build and another: otherwise nothing
/// shows the build of a part, and no file is read for it.
pub(crate) fn check(situation: &Situation<'_>, library: &Library) -> Option<Finding> {
    let version = library.facts.version();
    let of_family = || {
        let builds = situation.builds.iter();
        builds.filter(|build| same_name(&build.id.family, &library.family))
    };
    let is_it = |build: &&Build| {
        build.version == version
            && build.file.content.size == library.facts.size
            && build.file.facts.as_ref() == Some(&library.facts)
    };
    let own = of_family().find(is_it)?;
    let others: Vec<&Build> = of_family().filter(|build| build.version != own.version).collect();
    if others.is_empty() {
        return None;
    }
    let parts = own.layout.places.iter().filter(|place| place.from != own.file.path);
    let mut parts = parts.filter(|place| place.policy == Policy::Replace);
    parts.find_map(|placement| mixed(situation, library, own, &others, placement))
}

/// A part of the build at whose place the game has that of another.
fn mixed(
    situation: &Situation<'_>,
    library: &Library,
    own: &Build,
    others: &[&Build],
    placement: &Placement,
) -> Option<Finding> {
    let place = place_of(situation, library, placement);
    let right = own.stored(&placement.from)?.content;
    let theirs = |other: &Build| {
        let mut same = other
            .layout
            .places
            .iter()
            .filter(|place| place.bay == placement.bay && place.to.same_as(&placement.to));
        same.find_map(|place| other.stored(&place.from)).map(|file| file.content)
    };
    // What all builds have alike tells nothing.
    if others.iter().all(|other| theirs(other).is_none_or(|content| content == right)) {
        return None;
    }
    let now = situation.window.file(&place).ok()?.state.content()?;
    let other = others.iter().find(|other| now != right && theirs(other) == Some(now))?;
    let sentence = format!(
        "{} is of {}, and {place} of {}: an update was done by half.",
        library.path, own.id, other.id
    );
    let newer = if other.version > own.version { other } else { own };
    let (game, build) = (situation.game().id.clone().into(), newer.id.to_string().into());
    let remedy = ("Complete it.", Action::Fit { game, build });
    Some(Finding::new("mixed-builds", Severity::Warn, sentence, remedy))
}

/// The place of a part in the game, relative to a library.
fn place_of(situation: &Situation<'_>, library: &Library, placement: &Placement) -> Place {
    let place = match placement.bay.as_str() {
        ROOT => placement.to.clone().into(),
        EXE => {
            let beside = Place::from(library.path.clone()).beside(&placement.to);
            let spelled = situation.window.spelled(beside);
            let is_there = situation.window.file(&spelled).is_ok_and(|now| !now.state.is_absent());
            if is_there { spelled } else { placement.to.clone().into() }
        }
        _ => Place::from(library.path.clone()).beside(&placement.to),
    };
    situation.window.spelled(place)
}
