//! How a component that a game does not ship is installed: in which folder, under which name that the game loads, in
//! which variant, and which older files it replaces.

use super::options::FitOptions;
use crate::catalog::{Role, same_maker};
use crate::check::{EntryName, entry_names};
use crate::error::{Error, RackError, Result};
use crate::path::{TreePath, same_name};
use crate::rack::{Build, Part, SLOT};
use crate::situation::Situation;
use crate::survey::Library;
use crate::window::ImageAt;
use upright_spanner_image::system::can_be_stood_in;

/// Where and how a library gets into a game that does not have it under that name.
pub(crate) struct Entry<'a> {
    /// Its place beside a program, or in a folder that the package and the game both have.
    pub path: TreePath,
    /// The older files under other names that it replaces.
    pub replaces: Vec<&'a Library>,
    /// Why it goes there under that name.
    pub why: String,
}

/// What an entry is chosen from.
struct Choosing<'s, 'a> {
    situation: &'s Situation<'a>,
    build: &'a Build,
    options: &'s FitOptions,
}

/// Whether a build can be installed if a game has nothing of it yet.
fn is_installed_alone(build: &Build) -> bool {
    let has_place = build.layout.places.first().is_some_and(|place| place.bay != SLOT);
    has_place || build.role == Some(Role::Runtime)
}

/// Whether a library gets into a game by its name alone: nothing that comes with it starts it.
fn needs_a_name(build: &Build) -> bool {
    let placed = |part: &&crate::rack::BuildPart| {
        part.part == Part::Program && build.layout.places.iter().any(|p| p.from == part.path)
    };
    let is_started = build.role == Some(Role::Extender) && build.parts.iter().any(|p| placed(&p));
    let by_role = matches!(build.role, Some(Role::Loader | Role::Overlay));
    (by_role || can_be_stood_in(&build.file.name)) && build.key().is_none() && !is_started
}

/// Works out how a build gets into a game, if its files have no place there yet or an older one of it goes by another
/// name; nothing if it takes the places that it has, or has none.
pub(super) fn entry<'a>(
    situation: &Situation<'a>,
    build: &'a Build,
    slots: &[&'a Library],
    options: &FitOptions,
) -> Result<Option<Entry<'a>>> {
    let is_told = options.as_name.is_some() || options.place.is_some();
    let own_bay = build.layout.places.first().map(|place| place.bay.as_str());
    let is_elsewhere = own_bay.is_some_and(|bay| !["exe", SLOT].contains(&bay));
    if is_told || is_elsewhere || !is_installed_alone(build) || build.file.facts.is_none() {
        return Ok(None);
    }
    let has_own_name = slots.iter().any(|s| same_name(s.path.file_name(), &build.file.name));
    if !slots.is_empty() && !options.beside && (has_own_name || !can_be_stood_in(&build.file.name))
    {
        return Ok(None);
    }
    Choosing { situation, build, options }.choose(slots)
}

impl<'a> Choosing<'_, 'a> {
    fn choose(&self, slots: &[&'a Library]) -> Result<Option<Entry<'a>>> {
        let Some(executable) = self.situation.view.executable() else { return Ok(None) };
        let own = &self.build.file.name;
        if !needs_a_name(self.build) {
            if !slots.is_empty() {
                return Ok(None);
            }
            let (path, why) = match self.own_folder() {
                Some(folder) => (
                    format!("{folder}/{own}"),
                    "the game has the folder that the package holds it in",
                ),
                None => {
                    return Ok(at(
                        executable.path.sibling(own),
                        Vec::new(),
                        "that is beside the executable",
                    ));
                }
            };
            return Ok(at(TreePath::new(&path), Vec::new(), why));
        }

        let graph = self.situation.loads();
        let names = entry_names(self.situation.view, graph, self.situation.window);
        let older = if self.options.beside { Vec::new() } else { self.older(slots) };
        let is_free = |name: &EntryName| {
            name.taken_by.is_none()
                || older.iter().any(|old| same_name(old.path.file_name(), &name.name))
        };
        let free: Vec<&EntryName> = names.iter().filter(|name| is_free(name)).collect();
        if let Some(name) = free.iter().find(|name| same_name(&name.name, own)) {
            let why = format!("{} loads {}", name.by.file_name(), name.name);
            return Ok(at(executable.path.sibling(own), older, &why));
        }
        if !slots.is_empty() && !self.options.beside {
            return Ok(None);
        }

        let complete: Vec<&EntryName> =
            free.into_iter().filter(|name| self.offers_all_of(&name.name)).collect();
        let first = complete.iter().filter(|name| name.by == executable.path && !name.delayed);
        let first: Vec<&EntryName> = first.copied().collect();
        let sensible = if first.is_empty() { complete } else { first };
        match sensible[..] {
            [] => Ok(at(executable.path.sibling(own), older, "that is beside the executable")),
            [name] => {
                let why = format!(
                    "{} loads {}, and {own} exports everything it requests",
                    name.by.file_name(),
                    name.name
                );
                Ok(at(executable.path.sibling(&name.name), older, &why))
            }
            _ => Err(Error::Rack(RackError::SeveralEntries {
                game: self.situation.game().id.clone(),
                build: self.build.id.to_string(),
                names: sensible.iter().map(|name| name.name.clone()).collect(),
            })),
        }
    }

    /// The folder of the game by the name of the one in which the package holds the library; not if that is the
    /// executable's own.
    fn own_folder(&self) -> Option<String> {
        let folder = self.build.file.path.folder();
        let view = self.situation.view;
        let known = view.libraries.iter().map(|library| &library.path);
        let mut known = known.chain(view.programs.iter().map(|program| &program.path));
        let there = known.find(|path| same_name(path.folder(), folder))?;
        let is_exes = view.executable().is_some_and(|exe| same_name(exe.path.folder(), folder));
        (!folder.is_empty() && !is_exes).then(|| there.folder().to_owned())
    }

    /// Whether the build offers all that the game asks of a library of a name.
    fn offers_all_of(&self, name: &str) -> bool {
        let window = self.situation.window;
        let Some(offer) = window.offer(ImageAt::Stored(&self.build.file.content)) else {
            return false;
        };
        let images = self.situation.loads().processes.first().into_iter().flat_map(|p| &p.images);
        let askers = images.filter(|image| image.edges.iter().any(|e| same_name(&e.library, name)));
        askers.into_iter().all(|image| {
            let imports = window.imports(ImageAt::Game(&image.path));
            let imports = imports.iter().flat_map(|imports| imports.iter());
            let mut asked = imports.filter(|import| same_name(&import.dll, name));
            asked.all(|import| import.symbols.iter().all(|symbol| offer.find(symbol).is_some()))
        })
    }

    /// What of the same product, or of the same maker for the same end, is beside the executable under another
    /// name.
    fn older(&self, slots: &[&'a Library]) -> Vec<&'a Library> {
        let view = self.situation.view;
        let Some(executable) = view.executable() else { return Vec::new() };
        let maker = self.build.string("CompanyName");
        let is_older = |library: &&Library| {
            let theirs = library.facts.string("CompanyName");
            !library.put_aside
                && same_name(library.path.folder(), executable.path.folder())
                && maker.zip(theirs).is_some_and(|(own, theirs)| same_maker(own, theirs))
                && can_be_stood_in(library.path.file_name())
                && Some(library.role) == self.build.role
                && !self.build.files().any(|file| {
                    same_name(file.path.file_name(), library.path.file_name())
                        && *file.path != self.build.file.path
                })
        };
        let mut older = slots.to_vec();
        let others = view.libraries.iter().filter(is_older);
        older.extend(others.filter(|library| slots.iter().all(|slot| slot.path != library.path)));
        older
    }
}

fn at<'a, E>(
    path: std::result::Result<TreePath, E>,
    replaces: Vec<&'a Library>,
    why: &str,
) -> Option<Entry<'a>> {
    let path = path.ok()?;
    let replaces = replaces.into_iter().filter(|old| !old.path.same_as(&path)).collect();
    Some(Entry { path, replaces, why: why.to_owned() })
}

/// Of several builds that get into the game by their own names, those whose name it loads, the best first.
pub(crate) fn by_entry<'a>(situation: &Situation<'_>, builds: &[&'a Build]) -> Option<&'a Build> {
    if !builds.iter().all(|build| can_be_stood_in(&build.file.name)) {
        return None;
    }
    let names = entry_names(situation.view, situation.loads(), situation.window);
    let free = names.iter().filter(|name| name.taken_by.is_none());
    let taken = names.iter().filter(|name| {
        name.taken_by.as_ref().is_some_and(|family| builds.iter().any(|b| b.id.family == *family))
    });
    let mut wanted = taken.chain(free);
    wanted.find_map(|name| {
        builds.iter().find(|build| same_name(&build.file.name, &name.name)).copied()
    })
}
