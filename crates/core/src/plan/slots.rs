//! Which files of a game a build could replace, and which of its variants each of them gets: the one for the
//! machine of the programs in its folder.

use crate::path::same_name;
use crate::rack::{Build, Needs, retain_if_any};
use crate::survey::{GameView, Library};
use upright_spanner_image::Machine;

use super::options::FitOptions;

/// A variant of a build, and the files that it is for.
pub(super) struct Share<'a> {
    pub build: &'a Build,
    pub slots: Vec<&'a Library>,
}

/// The files of a game that a build could replace, by variant.
pub(super) struct Shares<'a> {
    /// One at least, which may be for no file.
    pub shares: Vec<Share<'a>>,
    /// Files for a machine that the build has no variant for.
    pub unserved: Vec<&'a Library>,
}

/// The files of a game that a build could replace: those of its file name, else those of its
/// family under other names.
pub(crate) fn slots<'a>(view: &'a GameView, build: &Build) -> Vec<&'a Library> {
    let live = |library: &&Library| !library.put_aside;
    let named = |library: &&Library| {
        same_name(library.path.file_name(), &build.file.name) && build.agrees_with(&library.facts)
    };
    let by_name: Vec<&Library> = view.libraries.iter().filter(live).filter(named).collect();
    if !by_name.is_empty() {
        return by_name;
    }

    let of_family =
        |library: &&Library| library.family == build.id.family && build.agrees_with(&library.facts);
    view.libraries.iter().filter(live).filter(of_family).collect()
}

/// The same, as far as the user narrows it down.
fn slots_meant<'a>(
    view: &'a GameView,
    build: &Build,
    kin: &[&Build],
    options: &FitOptions,
) -> Vec<&'a Library> {
    if let Some(place) = &options.place {
        let is_it = |library: &&Library| same_name(library.path.as_str(), place);
        return view.libraries.iter().filter(is_it).collect();
    }
    let mut all: Vec<&Library> = Vec::new();
    for variant in std::iter::once(&build).chain(kin) {
        let new = slots(view, variant).into_iter();
        let new: Vec<&Library> =
            new.filter(|slot| all.iter().all(|other| other.path != slot.path)).collect();
        all.extend(new);
    }
    if let Some(name) = &options.as_name {
        let named = |library: &&Library| same_name(library.path.file_name(), name);
        if all.iter().any(named) {
            all.retain(named);
        }
    }
    all
}

/// Shares the files that a build could replace out among its variants. `kin` are those for other machines.
pub(super) fn shares<'a>(
    view: &'a GameView,
    build: &'a Build,
    kin: &[&'a Build],
    options: &FitOptions,
) -> Shares<'a> {
    let slots = slots_meant(view, build, kin, options);
    let mut shares: Vec<Share<'a>> = Vec::new();
    let mut unserved = Vec::new();
    for slot in slots.iter().copied() {
        let machine = loaded_by(view, slot);
        let variant = std::iter::once(&build).chain(kin).find(|variant| variant.runs_on(machine));
        let Some(variant) = variant.copied() else {
            unserved.push(slot);
            continue;
        };
        match shares.iter_mut().find(|share| share.build.id == variant.id) {
            Some(share) => share.slots.push(slot),
            None => shares.push(Share { build: variant, slots: vec![slot] }),
        }
    }
    if shares.is_empty() {
        // There is nothing that it would do for: the checks say so of all of them.
        let slots = std::mem::take(&mut unserved);
        shares.push(Share { build, slots });
    }
    Shares { shares, unserved }
}

/// The variants of a build for other machines than its own, of those that suit the game otherwise.
pub(super) fn kin<'a>(view: &GameView, build: &Build, builds: &'a [Build]) -> Vec<&'a Build> {
    let is_kin = |other: &&Build| {
        same_name(&other.id.family, &build.id.family)
            && other.id.version == build.id.version
            && other.machine != build.machine
            && other.file.facts.as_ref().is_some_and(|facts| !facts.is_debug())
    };
    let mut by_machine: Vec<Vec<&Build>> = Vec::new();
    for other in builds.iter().filter(is_kin) {
        match by_machine.iter_mut().find(|kin| kin[0].machine == other.machine) {
            Some(kin) => kin.push(other),
            None => by_machine.push(vec![other]),
        }
    }
    let words = |build: &Build| -> Vec<String> {
        let variant = build.id.variant.clone().unwrap_or_default();
        let machine = build.machine.map(Machine::name).unwrap_or_default();
        variant.split('-').filter(|word| *word != machine).map(str::to_owned).collect()
    };
    let one = |mut kin: Vec<&'a Build>| {
        // The one that differs in nothing but the machine, else the one that suits the game.
        retain_if_any(&mut kin, |other| words(other) == words(build));
        let needs = Needs { machine: kin[0].machine, ..needs(view) };
        needs.narrow(&mut kin);
        kin[0]
    };
    by_machine.into_iter().map(one).collect()
}

/// A game's requirements for a build.
pub(crate) fn needs(view: &GameView) -> Needs<'_> {
    let imports = view.executable().map_or(&[][..], |executable| &executable.facts.imported_dlls);
    Needs {
        machine: view.machine(),
        imports,
        version: view.game_version(),
        edition: view.game.settings.edition.as_deref(),
        program: view.program_name(),
    }
}

/// The machine of the process that loads a library: that of the programs in its folder, otherwise its own.
fn loaded_by(view: &GameView, library: &Library) -> Machine {
    let folder = library.path.folder();
    let beside = view.programs.iter().filter(|program| same_name(program.path.folder(), folder));
    let mut machines: Vec<Machine> = beside.map(|program| program.facts.machine).collect();
    machines.dedup();
    let counts = view.executable().filter(|program| same_name(program.path.folder(), folder));
    match (counts, &machines[..]) {
        (Some(program), _) => program.facts.machine,
        (None, [one]) => *one,
        _ => library.facts.machine,
    }
}
