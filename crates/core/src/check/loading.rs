//! `needs-runtime`, `exports-missing`, `entry-incomplete`, `machine-mismatch`, `image-damaged`: what an
//! image of a game asks for and cannot have, said with who needs what from whom.

use crate::finding::{Finding, Severity};
use crate::ledger::LedgerEntry;
use crate::load::{Broken, How, Outcome};
use crate::path::{TreePath, same_name};
use crate::rack::Build;
use crate::remedy::{Action, Remedy};
use crate::situation::Situation;
use crate::window::ImageAt;
use upright_spanner_image::system::{can_be_stood_in, is_debug_runtime};
use upright_spanner_image::{Machine, Symbol};

pub(crate) const NEEDED: &str = "needs-runtime";
pub(crate) const FUNCTIONS: &str = "exports-missing";
pub(crate) const ENTRY: &str = "entry-incomplete";
pub(crate) const MACHINE: &str = "machine-mismatch";
pub(crate) const DAMAGED: &str = "image-damaged";

/// The finding about something that is broken.
pub(crate) fn finding(situation: &Situation<'_>, broken: &Broken, severity: Severity) -> Finding {
    let Broken { program, image, edge, .. } = broken;
    let (library, exe) = (&edge.library, program.file_name());
    // A library that is loaded at run time has no particular importer.
    let who = match edge.path() {
        Some(path) if path.same_as(image) => exe,
        _ if image == program => exe,
        _ => image.as_str(),
    };
    let through = if edge.forwarded { " through a library that leads on to it" } else { "" };
    let so = consequence(broken);
    let machine = broken.machine;

    let (code, sentence, remedy) = match &edge.outcome {
        Outcome::Missing => {
            let elsewhere = elsewhere(situation, library);
            let elsewhere = elsewhere
                .map_or_else(String::new, |path| format!(" ({path} is not where {exe} looks)"));
            let sentence = format!(
                "{who} needs {library}{through}, which is neither beside {exe} nor part of Windows{elsewhere}: {so}."
            );
            (NEEDED, sentence, for_missing(situation, broken, machine))
        }
        Outcome::OtherMachine(path, other) => {
            let sentence = format!(
                "{who} needs {path}{through}, which is {}, and {exe} is {}: {so}.",
                other.spoken(),
                machine.spoken()
            );
            (MACHINE, sentence, for_file(situation, path, Some(machine), Some(broken)))
        }
        Outcome::Damaged(path, why) => {
            let sentence = format!(
                "{who} needs {path}{through}, and Windows cannot load that, since {why}: {so}."
            );
            (DAMAGED, sentence, for_file(situation, path, Some(machine), Some(broken)))
        }
        Outcome::Windows | Outcome::Unknown => {
            let sentence = format!(
                "{who} asks Windows' own {library} for {}, which that lacks: {so}.",
                named(&edge.lacks)
            );
            let remedy = "Update Windows, or use a build that works with an older one.";
            (FUNCTIONS, sentence, remedy.into())
        }
        Outcome::File(path) => {
            let sentence = format!(
                "{path} lacks {} that {who} imports from {library}{through}: {}; {so}.",
                functions(edge.lacks.len()),
                list(&edge.lacks)
            );
            if can_be_stood_in(library) {
                (ENTRY, sentence, for_entry(situation, path))
            } else {
                (FUNCTIONS, sentence, for_file(situation, path, Some(machine), Some(broken)))
            }
        }
    };

    let mut finding = Finding::new(code, severity, sentence, remedy);
    finding.names.clone_from(&edge.lacks);
    finding
}

/// The consequence of broken loading.
fn consequence(broken: &Broken) -> String {
    let exe = broken.program.file_name();
    match broken.how {
        _ if broken.edge.delayed => "it fails when that is first called".to_owned(),
        How::AtStart if broken.counts => "the game does not start".to_owned(),
        How::AtStart => format!("{exe} does not start"),
        How::AtFirstCall | How::ByName => "it does not load".to_owned(),
    }
}

/// Whether a library that is not found is in another folder of the game.
pub(super) fn lies_elsewhere(situation: &Situation<'_>, broken: &Broken) -> bool {
    broken.edge.outcome == Outcome::Missing && elsewhere(situation, &broken.edge.library).is_some()
}

/// The place of a library in the game, by name.
fn elsewhere<'a>(situation: &Situation<'a>, library: &str) -> Option<&'a TreePath> {
    let libraries = situation.view.libraries.iter().filter(|other| !other.put_aside);
    let mut named = libraries.filter(|other| same_name(other.path.file_name(), library));
    named.next().map(|other| &other.path)
}

/// What to do if a library is not there.
fn for_missing(situation: &Situation<'_>, broken: &Broken, machine: Machine) -> Remedy {
    let library = &broken.edge.library;
    if is_debug_runtime(library) {
        return "That comes with developers' tools alone: use the release build.".into();
    }
    let beside = broken.program.sibling(library).ok();
    if let Some(remedy) = beside.as_ref().and_then(|path| from_records(situation, path)) {
        return remedy;
    }
    let wanted = wanted_of(situation, broken);
    if let Some(remedy) = from_rack(situation, library, machine, &wanted) {
        return remedy;
    }
    let exe = broken.program.file_name();
    format!(
        "Get the {} version of {library}, and put it beside {exe}. If the game brought it, have its \
         launcher check the game's files.",
        machine.spoken()
    )
    .into()
}

/// The remedy for a file that is not the requested one.
pub(super) fn for_file(
    situation: &Situation<'_>,
    path: &TreePath,
    machine: Option<Machine>,
    broken: Option<&Broken>,
) -> Remedy {
    if let Some(remedy) = from_records(situation, path) {
        return remedy;
    }
    let for_machine = machine.map_or_else(String::new, |m| format!("the {} ", m.spoken()));
    let wanted = broken.map_or_else(Vec::new, |broken| wanted_of(situation, broken));
    let remedy =
        machine.and_then(|machine| from_rack(situation, path.file_name(), machine, &wanted));
    match remedy {
        Some(remedy) => remedy,
        None => format!(
            "Use another build of it, {for_machine}one that this game was made for. If the game brought it, have its \
             launcher check the game's files."
        )
        .into(),
    }
}

/// What to do about a library under the name of one of Windows' own that does not do for it.
fn for_entry(situation: &Situation<'_>, path: &TreePath) -> Remedy {
    from_records(situation, path).unwrap_or_else(|| {
        let action = Action::ShowEntries { game: situation.game().id.clone().into() };
        (
            "Choose a name whose functions it fully provides; list the names with their functions.",
            action,
        )
            .into()
    })
}

/// The state at a path that the records can restore.
fn from_records(situation: &Situation<'_>, path: &TreePath) -> Option<Remedy> {
    let entry = situation.ledger.get(&path.clone().into())?;
    let (game, family) = (situation.game().id.clone(), entry.owner.family()?.to_owned());
    let (game, family) = (game.into(), family.into());
    let is_as_left = is_as_left(situation, entry);
    if entry.in_force() && !is_as_left {
        let sentence = "Restore the fitted file.";
        return Some((sentence, Action::Refit { game, family }).into());
    }
    let comes_back = entry.in_force() || !is_as_left;
    (comes_back && entry.shipped.state.content().is_some())
        .then(|| ("Restore the shipped file.", Action::RollBack { game, family }).into())
}

/// Whether a target is as the last change left it.
fn is_as_left(situation: &Situation<'_>, entry: &LedgerEntry) -> bool {
    let now = situation.window.now(&entry.target);
    now.is_ok_and(|now| now.same_as(&entry.last))
}

/// The build of the rack that can help: the newest whose library has a name, runs on a machine, and exports the
/// wanted symbols.
fn from_rack(
    situation: &Situation<'_>,
    name: &str,
    machine: Machine,
    wanted: &[Symbol],
) -> Option<Remedy> {
    let offers = |build: &&Build| {
        let offer = situation.window.offer(ImageAt::Stored(&build.file.content));
        offer.is_some_and(|offer| wanted.iter().all(|symbol| offer.find(symbol).is_some()))
    };
    let named = |build: &&Build| same_name(&build.file.name, name) && build.runs_on(machine);
    let builds = situation.builds.iter().filter(named).filter(offers);
    let build = builds.max_by(|a, b| a.version.cmp(&b.version))?;
    let sentence = format!("{} on the rack brings it.", build.id);
    let game = situation.game().id.clone().into();
    let id = build.id.to_string().into();
    // If the game has no place for it yet, it gets one by its name.
    let action = if has_place(situation, name) {
        Action::Fit { game, build: id }
    } else {
        Action::FitAs { game, build: id, name: name.to_owned().into() }
    };
    Some((sentence, action).into())
}

/// Whether a game has a file of a name, or asks for one as it is.
fn has_place(situation: &Situation<'_>, name: &str) -> bool {
    let there = situation.view.libraries.iter().map(|library| &library.path);
    let mut there = there.chain(situation.view.unusable.iter().map(|image| &image.path));
    let images = situation.loads().processes.iter().flat_map(|process| &process.images);
    let mut edges = images.flat_map(|image| &image.edges);
    there.any(|path| same_name(path.file_name(), name))
        || edges.any(|edge| edge.outcome == Outcome::Missing && same_name(&edge.library, name))
}

/// What an image wants of a library.
fn wanted_of(situation: &Situation<'_>, broken: &Broken) -> Vec<Symbol> {
    let imports = situation.window.imports(ImageAt::Game(&broken.image));
    let imports = imports.iter().flat_map(|imports| imports.iter());
    let of_it = imports.filter(|import| same_name(&import.dll, &broken.edge.library));
    let mut wanted: Vec<Symbol> = of_it.flat_map(|import| import.symbols.clone()).collect();
    wanted.extend(broken.edge.lacks.iter().map(|name| Symbol::from_text(name)));
    wanted
}

/// `a function` or `12 functions`.
pub(super) fn functions(number: usize) -> String {
    if number == 1 { "a function".to_owned() } else { format!("{number} functions") }
}

fn named(names: &[String]) -> String {
    format!("{} ({})", functions(names.len()), list(names))
}

/// The first few of some names: as many as a sentence can hold.
pub(super) fn list(names: &[String]) -> String {
    const SHOWN: usize = 4;
    let shown = names.iter().take(SHOWN).map(String::as_str).collect::<Vec<_>>().join(", ");
    let rest = names.len().saturating_sub(SHOWN);
    if rest > 0 { format!("{shown} and {rest} more") } else { shown }
}
