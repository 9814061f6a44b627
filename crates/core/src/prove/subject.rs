//! The components to prove, and the locations of their logs.

use encoding_rs::Encoding;
use jiff::Timestamp;

use super::log::Haunt;
use super::proof::ProofRequest;
use super::report::Names;
use crate::catalog::{LogPatterns, Pattern, Role};
use crate::path::{TreePath, same_name, stem};
use crate::situation::Situation;
use crate::survey::Library;
use crate::tune;
use upright_spanner_image::Version;
use upright_spanner_image::system::comes_with_windows;

/// A component to prove.
pub(super) struct Subject<'a> {
    pub family: String,
    pub role: Role,
    /// Its libraries: those that changes put there, else all.
    pub libraries: Vec<&'a Library>,
    pub version: Option<Version>,
    /// The versions that it may state: those of its file, of its product and of its build.
    pub accepted: Vec<Version>,
    /// The fitted build.
    pub build: Option<String>,
    /// The last change that put something of it there, and when.
    pub change: Option<i64>,
    pub fitted: Option<Timestamp>,
    /// Whether its files are missing that a change put there.
    pub is_gone: bool,
    /// Its logs, as the catalog describes them.
    pub logs: Vec<DescribedLog>,
    /// Where logs may be that nothing describes.
    pub haunts: Vec<Haunt>,
    pub names: Names,
}

/// A log as a catalog describes it, in this game.
pub(super) struct DescribedLog {
    pub haunt: Haunt,
    pub name: Pattern,
    pub patterns: LogPatterns,
    pub encoding: Option<&'static Encoding>,
}

/// How deep folders beside a component are looked into for logs, and how deep those of the user.
const BESIDE: usize = 1;
const OF_USER: usize = 2;

/// The selected components of a game.
pub(super) fn subjects<'a>(situation: &'a Situation<'_>, wish: &ProofRequest) -> Vec<Subject<'a>> {
    let families =
        if wish.families.is_empty() { components(situation) } else { named(situation, wish) };
    let all: Vec<Subject<'a>> =
        each_once(families).into_iter().map(|family| subject(situation, family)).collect();
    if !wish.families.is_empty() {
        return all;
    }
    // The components that the user installed; if none can be recognised, all of them.
    let is_put_in = |it: &Subject<'_>| {
        it.change.is_some() || matches!(it.role, Role::Extender | Role::Loader | Role::Overlay)
    };
    let is_exchanged = |it: &Subject<'_>| {
        it.role != Role::Support || it.libraries.iter().any(|library| library.is_exchanged())
    };
    if wish.all {
        all
    } else if all.iter().any(is_put_in) {
        all.into_iter().filter(is_put_in).collect()
    } else {
        all.into_iter().filter(is_exchanged).collect()
    }
}

/// The families of a game's components, and those of missing fitted files.
fn components(situation: &Situation<'_>) -> Vec<String> {
    let view = situation.view;
    let fitted = view.gone.iter().filter(|gone| gone.fitted).map(|gone| gone.family.clone());
    let components = view.components();
    components.iter().map(|library| library.family.clone()).chain(fitted).collect()
}

/// The families that are named, of all that the game has.
fn named(situation: &Situation<'_>, wish: &ProofRequest) -> Vec<String> {
    let view = situation.view;
    let libraries = view.libraries.iter().map(|library| &library.family);
    let all = libraries.chain(view.gone.iter().map(|gone| &gone.family));
    let is_meant = |family: &&String| wish.families.iter().any(|name| same_name(name, family));
    all.filter(is_meant).cloned().collect()
}

fn each_once(mut families: Vec<String>) -> Vec<String> {
    let mut known: Vec<String> = Vec::new();
    families.retain(|family| {
        let is_new = !known.iter().any(|other| same_name(other, family));
        if is_new {
            known.push(family.clone());
        }
        is_new
    });
    families
}

fn subject<'a>(situation: &'a Situation<'_>, family: String) -> Subject<'a> {
    let view = situation.view;
    let live: Vec<&Library> = view
        .libraries
        .iter()
        .filter(|library| !library.put_aside && same_name(&library.family, &family))
        .collect();
    let entry_of = |path: &TreePath| {
        let place = path.clone().into();
        situation.ledger.get(&place).filter(|entry| entry.in_force())
    };
    let fitted: Vec<&Library> =
        live.iter().copied().filter(|library| entry_of(&library.path).is_some()).collect();
    let gone = view.gone.iter().filter(|gone| gone.fitted && same_name(&gone.family, &family));
    let gone: Vec<TreePath> = gone.map(|gone| gone.path.clone()).collect();
    let recorded: Vec<_> =
        fitted.iter().map(|library| &library.path).chain(&gone).filter_map(entry_of).collect();
    let change = recorded.iter().map(|entry| entry.change).max();
    let when = situation.changes.iter().find(|known| Some(known.number()) == change);
    let libraries = if fitted.is_empty() { live } else { fitted };

    let source = recorded.iter().find_map(|entry| entry.source.as_deref());
    let build = situation.builds.iter().find(|build| Some(&*build.id.to_string()) == source);
    let version = libraries.iter().find_map(|library| library.facts.version());
    let version = version.or_else(|| build.and_then(|build| build.version.clone()));
    let of_file = libraries.iter().flat_map(|library| {
        [library.facts.version(), library.facts.product_version()].into_iter().flatten()
    });
    let of_build = build.and_then(|build| build.id.version.parse().ok());
    let accepted = of_file.chain(of_build).chain(version.clone()).collect();

    let known = situation.catalog.family(&family);
    let head = libraries.first().copied();
    let role = head.map(|library| library.role);
    let role = role.or_else(|| known.and_then(|known| known.role)).unwrap_or(Role::Support);
    // The name of a system library does not identify a component, and is in many logs.
    let names = libraries.iter().map(|library| library.path.file_name());
    let stems = names.filter(|name| !comes_with_windows(name)).map(stem);
    let products = libraries.iter().flat_map(|library| {
        ["ProductName", "FileDescription"].into_iter().filter_map(|key| library.facts.string(key))
    });
    let title = known.and_then(|known| known.title.as_deref());
    Subject {
        names: Names::new([&*family].into_iter().chain(stems).chain(products).chain(title)),
        logs: described(situation, &family, version.as_ref(), head),
        haunts: haunts(situation, &family, head),
        is_gone: libraries.is_empty() && !gone.is_empty(),
        build: source.map(str::to_owned),
        fitted: when.map(|change| change.began()),
        family,
        role,
        libraries,
        version,
        accepted,
        change,
    }
}

/// The logs of a family that the catalog describes.
fn described(
    situation: &Situation<'_>,
    family: &str,
    version: Option<&Version>,
    head: Option<&Library>,
) -> Vec<DescribedLog> {
    let Some(known) = situation.catalog.family(family) else { return Vec::new() };
    let executable = situation.view.executable();
    let exe_name = executable.map_or("", |executable| stem(executable.path.file_name()));
    let logs = known.logs.iter().filter(|log| log.is_of(version));
    let described = logs.filter_map(|log| {
        let haunt = haunt(situation, head, &log.folder, 0)?;
        let name = log.name_in(exe_name).ok()?;
        Some(DescribedLog { haunt, name, patterns: log.patterns(), encoding: log.encoding })
    });
    described.collect()
}

/// A folder that a template leads to.
fn haunt(
    situation: &Situation<'_>,
    head: Option<&Library>,
    folder: &str,
    depth: usize,
) -> Option<Haunt> {
    // The place matters, not the text of its placeholders.
    let template = if folder.is_empty() { "log".to_owned() } else { format!("{folder}/log") };
    let place = tune::resolve(situation, head, &template).ok()?;
    let below = place.path().folder().to_owned();
    Some(Haunt { base: place.base(&situation.game().root).to_owned(), below, depth })
}

/// The locations of a log that no catalog describes: beside the component and the executable, in the game's folder,
/// and in the user's folders with the game's or the component's name.
fn haunts(situation: &Situation<'_>, family: &str, head: Option<&Library>) -> Vec<Haunt> {
    let mut haunts = Vec::new();
    for folder in ["", "{exe-dir}", "{root}"] {
        haunts.extend(haunt(situation, head, folder, BESIDE));
    }
    let game = situation.game();
    let executable = situation.view.executable();
    let exe_name = executable.map_or("", |executable| stem(executable.path.file_name()));
    let mut names = vec![&*game.title, exe_name, family];
    names.extend(head.and_then(|library| library.facts.string("CompanyName")));
    names.extend(head.and_then(|library| library.facts.string("ProductName")));
    for folder in ["{documents}", "{local}", "{roaming}"] {
        let named = names.iter().filter(|name| TreePath::new(name).is_ok());
        haunts.extend(
            named.filter_map(|name| haunt(situation, head, &format!("{folder}/{name}"), OF_USER)),
        );
        haunts.extend(haunt(situation, head, folder, 0));
    }
    haunts.dedup();
    haunts
}
