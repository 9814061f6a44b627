//! Finds the program that a component brought to start the game with.

use crate::catalog::{Role, companies_agree};
use crate::ledger::LedgerEntry;
use crate::path::{TreePath, extension, fold, same_name};
use crate::rack::Build;
use crate::situation::Situation;
use crate::survey::Library;
use upright_spanner_change::{Place, Target};
use upright_spanner_image::Facts;

/// Names of programs that set something up instead of starting a game.
const OTHERS: [&str; 8] =
    ["setup", "install", "unins", "update", "crash", "report", "config", "settings"];

/// The program that starts the game in place of its executable, and the family that it is of. If several could be
/// meant, none is: the user says which.
pub(super) fn starter(situation: &Situation<'_>) -> Option<(TreePath, String)> {
    let brought: Vec<Brought<'_>> = brought(situation).collect();
    let named: Vec<&Brought<'_>> = brought.iter().filter(|it| it.is_named()).collect();
    if let [one] = named[..] {
        return Some((one.path.clone(), one.family.to_owned()));
    }
    let mut found: Vec<(TreePath, String)> = brought
        .iter()
        .filter(|it| is_beside(situation, &it.path) && it.is_of_extender(situation))
        .map(|it| (it.path.clone(), it.family.to_owned()))
        .collect();
    if found.is_empty() {
        found = by_hand(situation);
    }
    found.retain(|(path, _)| !is_other(path));
    match &found[..] {
        [_] => found.pop(),
        _ => None,
    }
}

/// A program that a change put into the game and that is there still.
struct Brought<'a> {
    path: TreePath,
    family: &'a str,
    build: Option<&'a Build>,
}

fn brought<'a>(situation: &'a Situation<'_>) -> impl Iterator<Item = Brought<'a>> {
    let is_there = |place: &Place| {
        let mark = situation.window.now(&Target::ReadOnly(place.clone()));
        mark.is_ok_and(|mark| !mark.state.is_absent())
    };
    let is_program = |(place, entry): &(&Place, &LedgerEntry)| {
        extension(place.path().file_name()) == "exe" && place.bay().is_none() && entry.in_force()
    };
    let entries = situation.ledger.files().filter(is_program);
    entries.filter_map(move |(place, entry)| {
        let place = situation.window.on_disk(&situation.ledger, place);
        let source = entry.source.as_deref();
        let build = situation.builds.iter().find(|build| Some(&*build.id.to_string()) == source);
        let family = entry.owner.family()?;
        is_there(&place).then(|| Brought { path: place.path().clone(), family, build })
    })
}

impl Brought<'_> {
    /// Whether its build's layout names it as the game's starter.
    fn is_named(&self) -> bool {
        let mut places = self.build.iter().flat_map(|build| &build.layout.places);
        places.any(|place| place.start && same_name(place.to.file_name(), self.path.file_name()))
    }

    fn is_of_extender(&self, situation: &Situation<'_>) -> bool {
        let by_build = self.build.is_some_and(|build| build.role == Some(Role::Extender));
        by_build || extenders(situation).any(|library| same_name(&library.family, self.family))
    }
}

/// Programs beside the executable that have the maker of an extender in the same folder, and not the game's: an
/// extender that was installed by hand.
fn by_hand(situation: &Situation<'_>) -> Vec<(TreePath, String)> {
    let Some(executable) = situation.view.executable() else { return Vec::new() };
    let programs = situation.view.programs.iter().skip(1);
    let beside = programs.filter(|program| is_beside(situation, &program.path));
    let of_extender = beside.filter_map(|program| {
        let library = extenders(situation).find(|library| {
            is_of_one_maker(&library.facts, &program.facts)
                && library.facts.machine == program.facts.machine
                && same_name(library.path.folder(), program.path.folder())
        })?;
        let is_games_own = companies_agree(&executable.facts, &program.facts);
        (!is_games_own).then(|| (program.path.clone(), library.family.clone()))
    });
    of_extender.collect()
}

/// Whether both name a maker, and the same.
fn is_of_one_maker(a: &Facts, b: &Facts) -> bool {
    let names_one = |facts: &Facts| facts.string("CompanyName").is_some();
    names_one(a) && names_one(b) && companies_agree(a, b)
}

fn extenders<'a>(situation: &Situation<'a>) -> impl Iterator<Item = &'a Library> {
    let libraries = situation.view.libraries.iter();
    libraries.filter(|library| library.role == Role::Extender && !library.put_aside)
}

/// Whether something is beside the executable that counts, and is not that itself.
fn is_beside(situation: &Situation<'_>, path: &TreePath) -> bool {
    situation.view.executable().is_some_and(|executable| {
        same_name(executable.path.folder(), path.folder()) && !executable.path.same_as(path)
    })
}

fn is_other(path: &TreePath) -> bool {
    let name = fold(path.file_name());
    OTHERS.iter().any(|word| name.contains(word))
}
