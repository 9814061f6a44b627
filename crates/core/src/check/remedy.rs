//! Remedies, worked out from what is on the rack.

use super::CheckInput;
use crate::path::same_name;
use crate::rack::Build;
use crate::remedy::{Action, Remedy};
use upright_spanner_image::{Requirement, Version, requirement::Coverage};

/// Whether something supports a version of the game: by what is said of it, else by the version that its
/// name bears; `None` where it names no versions.
fn coverage(
    supports: Option<&Requirement>,
    key: Option<Version>,
    game: &Version,
) -> Option<Coverage> {
    if let Some(supports) = supports {
        return Some(supports.check(game));
    }
    let key = key?;
    Some(if game.begins_with(&key) {
        Coverage::Inside
    } else if *game > key {
        Coverage::TooNew
    } else {
        Coverage::TooOld
    })
}

fn coverage_of(build: &Build, game: &Version) -> Option<Coverage> {
    coverage(build.supports.as_ref(), build.key(), game)
}

/// What to do when a build does not support the game's version: another build of the rack that
/// does, or what is left where there is none.
pub(super) fn for_version(input: &CheckInput<'_>, game: &Version) -> Remedy {
    let family = input.subject.family;
    let machine = input.view().machine().or(input.subject.machine);
    let of_family = || {
        let builds = input.situation.builds.iter();
        builds.filter(|b| same_name(&b.id.family, family) && b.machine == machine)
    };
    let fitting = of_family().filter(|build| coverage_of(build, game) == Some(Coverage::Inside));
    if let Some(build) = fitting.max_by(|a, b| a.version.cmp(&b.version)) {
        let older = match build.version.cmp(&input.subject.version) {
            std::cmp::Ordering::Less => "the older ",
            _ => "",
        };
        return (format!("Use {older}{}, which supports {game}.", build.id), fit(input, build))
            .into();
    }

    let mut known: Vec<Coverage> =
        of_family().filter_map(|build| coverage_of(build, game)).collect();
    known.extend(coverage(input.subject.supports, input.subject.key(), game));
    if known.iter().all(|fit| *fit == Coverage::TooNew) {
        let sentence = format!(
            "No build on the rack supports {game}; it is newer than every version they list. Wait for a \
             new build, go back to an older version of the game, or take the component out for now."
        );
        let (game, family) = (input.situation.game().id.clone().into(), family.to_owned().into());
        (sentence, Action::Park { game, family }).into()
    } else if known.iter().all(|fit| *fit == Coverage::TooOld) {
        format!(
            "No build on the rack supports {game}; it is older than every version they list. Update the \
             game, or get an older build."
        )
        .into()
    } else {
        format!("No build on the rack supports {game}. Get the one that lists it.").into()
    }
}

/// The same version for another machine.
pub(super) fn for_machine(
    input: &CheckInput<'_>,
    machine: upright_spanner_image::Machine,
) -> Remedy {
    let same = |build: &&Build| {
        same_name(&build.id.family, input.subject.family) && build.machine == Some(machine)
    };
    let of_family = || input.situation.builds.iter().filter(same);
    let version = of_family().find(|build| build.version == input.subject.version);
    let build = version.or_else(|| of_family().max_by(|a, b| a.version.cmp(&b.version)));
    match build {
        Some(build) => (format!("Use {}.", build.id), fit(input, build)).into(),
        None => format!("Get the {} build; none is on the rack.", machine.spoken()).into(),
    }
}

fn fit(input: &CheckInput<'_>, build: &Build) -> Action {
    Action::Fit {
        game: input.situation.game().id.clone().into(),
        build: build.id.to_string().into(),
    }
}
