//! Remedies that use the builds on the rack.

use super::CheckInput;
use crate::catalog::Relation;
use crate::feed::{Feed, Offer};
use crate::path::same_name;
use crate::rack::{Build, Needs};
use crate::remedy::{Action, Remedy};
use upright_spanner_image::{Requirement, Version, requirement::Coverage};

/// Whether something supports a version of the game: by its statement, else by the version in its name; `None` if it
/// names no versions.
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

/// The remedy if a build does not support the game's version: a build of the rack that does, or the remaining
/// options.
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

    if let Some(offer) = offered(input, game) {
        return get(&offer, &format!("A build for {game} is in the feed"));
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
        None => match offered_for(input, machine) {
            Some(offer) => get(&offer, &format!("The {} build is in the feed", machine.spoken())),
            None => format!("Get the {} build; none is on the rack.", machine.spoken()).into(),
        },
    }
}

/// What to do if a build of another family is needed: fit one of the rack, or get one first.
pub(super) fn for_needed(input: &CheckInput<'_>, relation: &Relation) -> Remedy {
    let situation = input.situation;
    let suits = |version: Option<&Version>| relation.names(version);
    let on_rack = situation.builds.iter().any(|build| {
        same_name(&build.id.family, &relation.family) && suits(build.version.as_ref())
    });
    let offers = situation.feeds.offers(&relation.family);
    let offer = offers.iter().find(|offer| suits(offer.entry.number().as_ref()));
    if let Some(offer) = offer.filter(|_| !on_rack) {
        return get(offer, "It is in the feed");
    }
    let game = situation.game().id.clone().into();
    ("Fit that first.", Action::Fit { game, build: relation.family.clone().into() }).into()
}

/// What to do if a build is not to be used: another, which the rack has or a feed.
pub(super) fn for_another(input: &CheckInput<'_>) -> Remedy {
    let (situation, family) = (input.situation, input.subject.family);
    let needs = needs(input);
    let is_free = |build: &&Build| {
        let (version, variant) = (build.version.as_ref(), build.id.variant.as_deref());
        situation.feeds.advice(family, version, variant, &needs).next().is_none()
    };
    let usable = situation.builds.iter().filter(|build| {
        same_name(&build.id.family, family)
            && build.id.to_string() != input.subject.name
            && build.version != input.subject.version
            && needs.machine.is_none_or(|machine| build.runs_on(machine))
            && needs.version.is_none_or(|game| {
                coverage_of(build, game).is_none_or(|coverage| coverage == Coverage::Inside)
            })
    });
    if let Some(build) = usable.filter(is_free).max_by(|a, b| a.version.cmp(&b.version)) {
        return (format!("Use {} instead.", build.id), fit(input, build)).into();
    }
    match situation.feeds.newest_for(family, &needs) {
        Some(offer) => get(&offer, "Another build is in the feed"),
        None => "Use another build, or none until there is one.".into(),
    }
}

/// The game's requirements for a build.
pub(super) fn needs<'a>(input: &CheckInput<'a>) -> Needs<'a> {
    Needs {
        machine: input.view().machine().or(input.subject.machine),
        version: input.situation.game_version(),
        edition: input.situation.game().settings.edition.as_deref(),
        program: input.view().program_name(),
        ..Needs::default()
    }
}

/// A feed's build of the family that supports the game's version.
fn offered<'a>(input: &CheckInput<'a>, game: &'a Version) -> Option<Offer<'a>> {
    let needs = Needs { version: Some(game), ..needs(input) };
    input.situation.feeds.supporting(input.subject.family, &needs)
}

/// A feed's build of the family for a machine.
fn offered_for<'a>(
    input: &CheckInput<'a>,
    machine: upright_spanner_image::Machine,
) -> Option<Offer<'a>> {
    let needs = Needs { machine: Some(machine), ..needs(input) };
    input.situation.feeds.newest_for(input.subject.family, &needs)
}

/// To get a build from a feed.
fn get(offer: &Offer<'_>, has: &str) -> Remedy {
    let sentence = format!("{has} {} ({})", offer.feed.name(), as_of(offer.feed));
    (sentence, Action::Get { build: offer.id().into() }).into()
}

/// The date of the last refresh of a feed.
pub(crate) fn as_of(feed: &Feed) -> String {
    let day = feed.subscription.refreshed.strftime("%Y-%m-%d");
    if feed.is_stale() { format!("stale, as of {day}") } else { format!("as of {day}") }
}

fn fit(input: &CheckInput<'_>, build: &Build) -> Action {
    Action::Fit {
        game: input.situation.game().id.clone().into(),
        build: build.id.to_string().into(),
    }
}
