//! Remedies, worked out from what is on the rack.

use super::Case;
use crate::path::same_name;
use crate::rack::Build;
use crate::remedy::{Action, Remedy};
use crate::requirement::Fit;
use crate::version::Version;

/// How a build stands to a version of the game; `None` where it names no versions.
fn stands(build: &Build, game: &Version) -> Option<Fit> {
    let by_key = || {
        let key = build.key()?;
        Some(if key.same_numbers(game) {
            Fit::Inside
        } else if *game > key {
            Fit::TooNew
        } else {
            Fit::TooOld
        })
    };
    build.supports.as_ref().map(|supports| supports.check(game)).or_else(by_key)
}

/// What to do when a build does not go with the game's version: another build of the rack that
/// does, or what is left where there is none.
pub(super) fn for_version(case: &Case<'_>, game: &Version) -> Remedy {
    let family = &case.build.id.family;
    let machine = case.view.machine().unwrap_or(case.build.machine);
    let of_family = || {
        let builds = case.builds.iter();
        builds.filter(|b| same_name(&b.id.family, family) && b.machine == machine)
    };
    let fitting = of_family().filter(|build| stands(build, game) == Some(Fit::Inside));
    if let Some(build) = fitting.max_by(|a, b| a.version.cmp(&b.version)) {
        let older = match build.version.cmp(&case.build.version) {
            std::cmp::Ordering::Less => "the older ",
            _ => "",
        };
        return (format!("Use {older}{}, which supports {game}.", build.id), fit(case, build))
            .into();
    }
    let mut known: Vec<Fit> = of_family().filter_map(|build| stands(build, game)).collect();
    known.extend(stands(case.build, game));
    if known.iter().all(|fit| *fit == Fit::TooNew) {
        let sentence = format!(
            "No build on the rack supports {game}; it is newer than every version they list. Wait for a \
             new build, put the game's older version back, or take the component out for now."
        );
        let (game, family) = (case.view.game.id.clone().into(), family.clone().into());
        (sentence, Action::Park { game, family }).into()
    } else if known.iter().all(|fit| *fit == Fit::TooOld) {
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
pub(super) fn for_machine(case: &Case<'_>, machine: crate::image::Machine) -> Remedy {
    let same = |build: &&Build| {
        same_name(&build.id.family, &case.build.id.family) && build.machine == machine
    };
    let of_family = || case.builds.iter().filter(same);
    let version = of_family().find(|build| build.version == case.build.version);
    let build = version.or_else(|| of_family().max_by(|a, b| a.version.cmp(&b.version)));
    match build {
        Some(build) => (format!("Use {}.", build.id), fit(case, build)).into(),
        None => format!("Get the {} build; none is on the rack.", machine.spoken()).into(),
    }
}

fn fit(case: &Case<'_>, build: &Build) -> Action {
    Action::Fit { game: case.view.game.id.clone().into(), build: build.id.to_string().into() }
}
