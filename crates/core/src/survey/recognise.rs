//! Recognises components: one function for each kind of evidence, from facts alone. No product is known by name.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::LazyLock;

use regex::Regex;

use super::evidence::{Evidence, EvidenceKind};
use super::view::{Backup, GameView, Library};
use crate::catalog::{
    Catalog, Family, LIBRARY_EXTENSIONS, companies_agree, is_windows, keyed_to, stated_versions,
};
use crate::game::{Executable, GameVersion};
use crate::path::{extension, fold, is_unfinished_download, same_name};
use crate::rack::{Build, RackIndex};
use upright_spanner_image::Version;
use upright_spanner_image::system::can_be_stood_in;

/// Collects what one game's own files show.
/// `earlier` are versions that the game had when changes were made to it.
pub(super) fn within_game(
    view: &mut GameView,
    catalog: &Catalog,
    rack: &RackIndex<'_>,
    earlier: &[Version],
) {
    let executable = view.programs.first();
    let program_folders: Vec<&str> = view.programs.iter().map(|p| p.path.folder()).collect();
    let copies = Copies::among(&view.libraries);
    let mut places: HashMap<(String, String), usize> = HashMap::new();
    for library in view.libraries.iter().filter(|library| !copies.is_put_aside(library)) {
        *places.entry(same_in_games(library)).or_default() += 1;
    }
    let found: Vec<Vec<Evidence>> = view
        .libraries
        .iter()
        .map(|library| {
            let name = library.path.file_name();
            let kinds = [
                (EvidenceKind::Catalogued, catalog.find(&library.facts, name).map(catalogued)),
                (EvidenceKind::OnRack, on_rack(library, rack)),
                (EvidenceKind::StandIn, stand_in(library, &program_folders)),
                (EvidenceKind::Keyed, keyed(library, executable, view.version.as_ref(), earlier)),
                (EvidenceKind::HandBackup, hand_backup(library, &copies)),
                (EvidenceKind::Outsider, executable.and_then(|exe| outsider(library, exe))),
                (EvidenceKind::OwnVersion, executable.and_then(|exe| own_version(library, exe))),
                (
                    EvidenceKind::Recurring,
                    places.get(&same_in_games(library)).copied().and_then(recurring),
                ),
            ];
            let some = kinds.into_iter().filter_map(|(kind, detail)| Some((kind, detail?)));
            some.map(|(kind, detail)| Evidence { kind, detail }).collect()
        })
        .collect();

    let aside: Vec<bool> =
        view.libraries.iter().map(|library| copies.is_put_aside(library)).collect();
    for (library, aside) in view.libraries.iter_mut().zip(aside) {
        library.put_aside = aside;
    }
    for (library, evidence) in view.libraries.iter_mut().zip(found) {
        // A copy that was put aside is reported with the file it is a copy of.
        if library.put_aside {
            continue;
        }
        if let Some(family) = catalog.find(&library.facts, library.path.file_name()) {
            library.group.clone_from(&family.group);
            library.role = family.role.unwrap_or(library.role);
        }
        library.evidence = evidence;
        library.backups = copies.of(library).to_vec();
    }
}

/// Collects what only several games together show.
pub(super) fn across_games(views: &mut [GameView]) {
    let mut seen: BTreeMap<(String, String), Vec<usize>> = BTreeMap::new();
    for (index, view) in views.iter().enumerate() {
        for library in &view.libraries {
            let games = seen.entry(same_in_games(library)).or_default();
            if games.last() != Some(&index) {
                games.push(index);
            }
        }
    }

    for library in views.iter_mut().flat_map(|view| &mut view.libraries) {
        let games = seen.get(&same_in_games(library)).map_or(0, Vec::len);
        if games > 1 {
            let detail = format!("in {games} of the games surveyed");
            library.evidence.push(Evidence { kind: EvidenceKind::Recurring, detail });
        }
    }
}

/// What makes two libraries in two games the same: name and company.
fn same_in_games(library: &Library) -> (String, String) {
    let company = library.facts.string("CompanyName").unwrap_or_default();
    (fold(library.path.file_name()), fold(company))
}

fn on_rack(library: &Library, rack: &RackIndex<'_>) -> Option<String> {
    let mut builds = rack.of_family_or_file(&library.family, library.path.file_name());
    let build = builds.find(|build| holds_it(build, library) || is_of_family(build, library))?;
    Some(format!("same name and author as {} on the rack", build.id))
}

/// Whether a build holds a file of a library's name, by the same company.
fn holds_it(build: &Build, library: &Library) -> bool {
    build.placed().any(|file| {
        same_name(file.path.file_name(), library.path.file_name())
            && file.facts.is_some_and(|facts| companies_agree(facts, &library.facts))
    })
}

/// Whether a build is of a library's family, by a company that both name.
fn is_of_family(build: &Build, library: &Library) -> bool {
    build.id.family == library.family
        && build.string("CompanyName").is_some()
        && build.agrees_with(&library.facts)
}

fn stand_in(library: &Library, program_folders: &[&str]) -> Option<String> {
    let name = library.path.file_name();
    let beside = program_folders.contains(&library.path.folder());
    let own = is_windows(&library.facts);
    (beside && !own && can_be_stood_in(name))
        .then(|| format!("has the name of Windows' own {}", name.to_lowercase()))
}

fn catalogued(family: &Family) -> String {
    let file = family.from.file_name().unwrap_or_default().to_string_lossy();
    let criteria: Vec<String> =
        family.criteria.iter().map(|(field, pattern)| format!("{field} {pattern}")).collect();
    format!("{file} describes {} by {}", family.id, criteria.join(", "))
}

/// An extender's runtime part is made for one version of the executable and has it in its name or its strings.
fn keyed(
    library: &Library,
    executable: Option<&Executable>,
    version: Option<&GameVersion>,
    earlier: &[Version],
) -> Option<String> {
    let executable = executable?;
    let version = version.and_then(|known| known.version.as_ref());
    let exe = executable.path.file_name();
    let outside = library.facts.string("CompanyName") != executable.facts.string("CompanyName");
    let key = keyed_to(&library.facts, library.path.file_name());
    if let Some(key) = &key {
        if let Some(version) = version.filter(|version| version.begins_with(key)) {
            return Some(format!("its name holds the version of {exe}, {version}"));
        }
        // An update of the game does not make it another thing.
        let was = earlier.iter().any(|earlier| earlier.begins_with(key));
        let is_near = version.is_some_and(|version| outside && is_near(key, version));
        if was || is_near {
            return Some(format!("its name holds an earlier or later version of {exe}, {key}"));
        }
    }

    let version = version?;
    let own = library.facts.version().is_some_and(|own| own.same_numbers(version));
    if !outside || own || version.numbers().len() < 3 {
        return None;
    }
    let stated = stated_versions(&library.facts);
    let (key, _) = stated.iter().find(|(_, stated)| version.begins_with(stated))?;
    Some(format!("its {key} holds the version of {exe}, {version}"))
}

/// Whether two versions are of one line of releases: they share the first two numbers.
fn is_near(a: &Version, b: &Version) -> bool {
    a.numbers().len() > 2 && b.numbers().len() > 2 && a.numbers()[..2] == b.numbers()[..2]
}

fn outsider(library: &Library, executable: &Executable) -> Option<String> {
    let company = library.facts.string("CompanyName")?;
    let own = executable.facts.string("CompanyName");
    let another = own.is_none_or(|own| !same_name(own, company));
    another.then(|| format!("made by {company}, the game by {}", own.unwrap_or("no one named")))
}

/// It states a product and its own version, neither of which is the executable's.
fn own_version(library: &Library, executable: &Executable) -> Option<String> {
    let product =
        library.facts.string("ProductName").filter(|product| !product.trim().is_empty())?;
    let version = library.facts.version()?;
    let games = executable.facts.string("ProductName");
    let is_games = games.is_some_and(|games| same_name(games.trim(), product.trim()));
    let same = executable.version().is_some_and(|games| games.same_numbers(&version));
    (!is_games && !same).then(|| format!("states its own {} {version}", product.trim()))
}

/// It is in several places of one game.
fn recurring(places: usize) -> Option<String> {
    (places > 1).then(|| format!("in {places} places of this game"))
}

/// The file has a renamed copy beside it.
fn hand_backup(library: &Library, copies: &Copies) -> Option<String> {
    let copy = copies.of(library).first()?;
    let version = copy.version.as_ref().map_or_else(String::new, |v| format!(", version {v}"));
    Some(format!("{} beside it looks like the original{version}", copy.path.file_name()))
}

/// A folder, and a name in it as games compare names.
type InFolder = (String, String);

/// Which files of a game look like renamed copies of which others.
struct Copies {
    /// Every library.
    there: HashSet<InFolder>,
    /// The copies of each name.
    copies: HashMap<InFolder, Vec<Backup>>,
}

impl Copies {
    fn among(libraries: &[Library]) -> Self {
        let mut found = Self { there: HashSet::new(), copies: HashMap::new() };
        for library in libraries {
            found.there.insert(in_folder(library, library.path.file_name()));
            if let Some(original) = original_name(library.path.file_name()) {
                let (path, version) = (library.path.clone(), library.facts.version());
                let copies = found.copies.entry(in_folder(library, &original)).or_default();
                copies.push(Backup { path, version });
            }
        }
        found
    }

    /// The renamed copies of a file in its folder.
    fn of(&self, library: &Library) -> &[Backup] {
        self.copies.get(&in_folder(library, library.path.file_name())).map_or(&[], Vec::as_slice)
    }

    /// Whether a file is in a folder for copies, and another of its name is in a folder around it.
    fn is_in_backup(&self, library: &Library) -> bool {
        const ASIDE: [&str; 9] =
            ["backup", "backups", "bak", "disabled", "off", "old", "orig", "original", "originals"];
        let folder = library.path.folder();
        let is_aside = |part: &str| {
            let part = fold(part);
            ASIDE.contains(&part.trim_matches(['_', '-', '.', ' ', '!']))
        };
        let Some(at) = folder.split('/').position(is_aside) else { return false };
        let around: Vec<&str> = folder.split('/').take(at).collect();
        let name = fold(library.path.file_name());
        let is_around = |other: &String| {
            around.is_empty()
                || other == &around.join("/")
                || other.starts_with(&format!("{}/", around.join("/")))
        };
        self.there
            .iter()
            .any(|(other, named)| *named == name && other != folder && is_around(other))
    }

    /// Whether a file is not a live library: its name is that of a download that is not finished, or that of
    /// a copy, and either no game would load it under that name or the file that it copies is there.
    fn is_put_aside(&self, library: &Library) -> bool {
        let name = library.path.file_name();
        if is_unfinished_download(name) || self.is_in_backup(library) {
            return true;
        }
        original_name(name).is_some_and(|original| {
            let loadable = LIBRARY_EXTENSIONS.contains(&extension(name).as_str());
            !loadable || self.there.contains(&in_folder(library, &original))
        })
    }
}

fn in_folder(library: &Library, name: &str) -> InFolder {
    (library.path.folder().to_owned(), fold(name))
}

/// The name that a library had before someone put a copy of it aside, if its name looks like that:
/// `x.dll.bak`, `x.dll.1`, `x_old.dll`, `old-x.dll`, `x - Copy.dll`, `Copy of x.dll`, `x (2).dll`.
fn original_name(name: &str) -> Option<String> {
    static ASIDE: LazyLock<Option<Regex>> = LazyLock::new(|| {
        let pattern = concat!(
            r"(?i)^(?:",
            r"(?<a>.+\.dll)(?:[._ -]?(?:bak|bk|backup|old|off|orig|original|disabled|save|saved|[0-9]+)|~)+|",
            r"(?:old|bak|backup|orig|original|copy of)[ ._-]+(?<b>.+\.dll)|",
            r"(?<c>.+?)(?:(?:[ ._-]+(?:old|bak|backup|orig|original|copy))|(?: - copy)?(?: \([0-9]+\))+)(?<d>\.dll)",
            r")$"
        );
        Regex::new(pattern).ok()
    });

    let found = ASIDE.as_ref()?.captures(name)?;
    let part = |name: &str| found.name(name).map(|part| part.as_str());
    let original = part("a").or_else(|| part("b")).map(str::to_owned);
    original.or_else(|| Some(format!("{}{}", part("c")?, part("d")?)))
}
