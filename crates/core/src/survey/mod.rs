//! Walks trees, finds the games in them and recognises their components, with evidence.

mod drives;
mod evidence;
mod files;
mod filter;
mod other_endings;
mod recognise;
mod view;
mod walk;

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use rayon::prelude::*;

use crate::catalog::{self, LIBRARY_EXTENSIONS, Role};
use crate::change::{Owner, version_of};
use crate::content::content_of;
use crate::error::{Result, in_words};
use crate::feed::Offer;
use crate::game::version::stated;
use crate::game::{self, Environment, Game, Reach};
use crate::launcher::Record;
use crate::ledger::Ledger;
use crate::path::{TreePath, canonical, extension, is_unfinished_download, same_name};
use crate::rack::{Build, Needs};
pub use drives::{Drive, drives};
pub use evidence::{Evidence, EvidenceKind};
pub use files::NamedFile;
pub(crate) use files::named;
pub use filter::Filter;
use upright_spanner_change::{Progress, is_in_use};
use upright_spanner_image::system::is_compiler_runtime;
use upright_spanner_image::{Facts, ImageError, Kind};
pub use view::{
    Attention, Backup, GameView, Gone, Library, LookError, Newer, Offered, Standing, Survey,
    Unusable,
};
pub(crate) use view::{FactsStore, Knowledge, Mark};
use walk::{Found, Walked};

/// Surveys everything below `paths`; reads no file of a game that the filter does not keep.
pub(crate) fn survey(
    paths: &[PathBuf],
    filter: &Filter,
    knowledge: &mut Knowledge<'_>,
    store: &dyn FactsStore,
    progress: &dyn Progress,
) -> Result<Survey> {
    let mut survey = Survey::default();
    survey.errors.extend(knowledge.catalog.errors.iter().map(LookError::from));
    let folders = folders(paths, knowledge, &mut survey.errors);
    if filter.narrows() {
        for (folder, found) in folders.iter().zip(listed(&folders, progress)) {
            let listed = narrowed(folder, found, filter, knowledge, store)?;
            survey_folder(folder, listed, knowledge, store, progress, &mut survey);
        }
        survey.games.retain(|view| filter.keeps_game(&view.game));
    } else {
        // The recorded facts are loaded while the trees are walked.
        let (found, known) = std::thread::scope(|scope| {
            let walking = scope.spawn(|| listed(&folders, progress));
            let known: Vec<_> = folders.iter().map(|folder| store.below(folder)).collect();
            (walking.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)), known)
        });
        for ((folder, found), known) in folders.iter().zip(found).zip(known) {
            let listed = Listed { found, known: known?, others: Vec::new() };
            survey_folder(folder, listed, knowledge, store, progress, &mut survey);
        }
    }

    recognise::across_games(&mut survey.games);
    survey.games.iter_mut().for_each(settle);
    survey.games.sort_by_key(|view| std::cmp::Reverse(view.attention()));
    Ok(survey)
}

/// The folders to search, each once. A path inside a game means the game.
fn folders(
    paths: &[PathBuf],
    knowledge: &Knowledge<'_>,
    errors: &mut Vec<LookError>,
) -> Vec<PathBuf> {
    let mut folders: Vec<PathBuf> = Vec::new();
    let mut seen = HashSet::new();
    for path in paths {
        let place = match canonical(path) {
            Ok(place) => place,
            Err(error) => {
                let message = format!("it cannot be read: {}", in_words(&error));
                errors.push(LookError { path: path.clone(), code: "unreadable", message });
                continue;
            }
        };
        let folder = match knowledge.games.around(&place) {
            Some(game) => game.root.clone(),
            None if place.is_dir() => place,
            None => folder_of(&place),
        };
        if seen.insert(folder.clone()) {
            folders.push(folder);
        }
    }

    folders
}

/// The listing of a folder, before any file is read.
struct Listed {
    /// The files to read.
    found: Walked,
    /// The recorded facts of files.
    known: HashMap<String, (Mark, Facts)>,
    /// Files of games that are not asked for: they say if these begin and end.
    others: Vec<TreePath>,
}

/// The files below each of some folders that are programs or libraries, by their names or by their content.
fn listed(folders: &[PathBuf], progress: &dyn Progress) -> Vec<Walked> {
    let mut walked = walk::images(folders, progress);
    for (folder, of_folder) in folders.iter().zip(&mut walked) {
        let others = other_endings::beside(folder, of_folder);
        of_folder.images.extend(others);
    }
    walked
}

/// The files to read for the games that the filter keeps.
fn narrowed(
    folder: &Path,
    mut found: Walked,
    filter: &Filter,
    knowledge: &mut Knowledge<'_>,
    store: &dyn FactsStore,
) -> Result<Listed> {
    let paths: Vec<TreePath> = found.images.iter().map(|image| image.path.clone()).collect();
    let mut roots = games_below(folder, &paths, knowledge);
    roots.retain(|relative| {
        filter.keeps_game(&knowledge.games.in_folder(beneath(folder, relative)))
    });

    let is_kept = |path: &TreePath| {
        folders_around(path.as_str()).any(|around| roots.iter().any(|root| root == around))
    };
    found.images.retain(|image| is_kept(&image.path));
    let mut known = HashMap::new();
    for root in &roots {
        known.extend(store.below(&beneath(folder, root))?);
    }
    let others = paths.into_iter().filter(|path| !is_kept(path)).collect();
    Ok(Listed { found, known, others })
}

/// The game folders below a folder, relative to it, given the paths of its programs and libraries.
fn games_below(folder: &Path, paths: &[TreePath], knowledge: &Knowledge<'_>) -> Vec<String> {
    let name = folder.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
    let reach = |relative: &str| {
        let path = beneath(folder, relative);
        let is_recorded = || knowledge.records.iter().any(|record| record.folder == path);
        if knowledge.games.at(&path).is_some_and(|game| game.registered) || is_recorded() {
            Reach::Game
        } else if knowledge.library_roots.contains(&path) {
            Reach::LibraryRoot
        } else {
            Reach::Anything
        }
    };
    game::game_folders(&name, paths, reach)
}

/// A folder relative to another; `""` is that one itself.
fn beneath(folder: &Path, relative: &str) -> PathBuf {
    if relative.is_empty() { folder.to_owned() } else { folder.join(relative) }
}

fn survey_folder(
    folder: &Path,
    listed: Listed,
    knowledge: &mut Knowledge<'_>,
    store: &dyn FactsStore,
    progress: &dyn Progress,
    survey: &mut Survey,
) {
    let Listed { found, known, others } = listed;
    survey.errors.extend(found.errors);
    let (mut in_use, mut unusable) = (Vec::new(), Vec::new());
    let errors = &mut survey.errors;
    let mut unread = Unread { errors, in_use: &mut in_use, unusable: &mut unusable };
    let read = read_facts(folder, found.images, known, store, &mut unread, progress);
    unusable.extend(found.links.into_iter().map(|path| Unusable {
        path,
        why: "it is a link".to_owned(),
        code: "unreadable",
    }));

    let paths = read.iter().map(|(image, _)| image.path.clone()).chain(others);
    let paths = paths.chain(unusable.iter().map(|image| image.path.clone()));
    let roots = games_below(folder, &paths.collect::<Vec<_>>(), knowledge);
    let mut images: Vec<Vec<(Found, Facts)>> = roots.iter().map(|_| Vec::new()).collect();
    let at_root: HashMap<&str, usize> =
        roots.iter().enumerate().map(|(at, root)| (root.as_str(), at)).collect();

    for (image, facts) in read {
        match game_around(&image.path, &at_root) {
            Some(at) => images[at].extend(image.inside(&roots[at]).map(|image| (image, facts))),
            None => survey.stray += 1,
        }
    }

    let mut unusable_in: Vec<Vec<Unusable>> = roots.iter().map(|_| Vec::new()).collect();
    for image in unusable {
        if let Some(at) = game_around(&image.path, &at_root) {
            let path = walk::inside(&image.path, &roots[at]);
            unusable_in[at].extend(path.map(|path| Unusable { path, ..image }));
        }
    }

    let games = roots
        .into_iter()
        .zip(images.into_iter().zip(unusable_in))
        .map(|(relative, found)| (knowledge.games.in_folder(beneath(folder, &relative)), found));
    let games: Vec<_> = games.collect();
    let knowledge = &*knowledge;
    let views: Vec<(GameView, Vec<LookError>)> = games
        .into_par_iter()
        .map(|(game, (images, unusable))| {
            let (mut view, errors) = view(game, images, knowledge);
            view.unusable = unusable;
            (view, errors)
        })
        .collect();
    for (mut view, errors) in views {
        view.in_use.extend(in_use.iter().filter(|path| path.starts_with(&view.game.root)).cloned());
        survey.games.push(view);
        survey.errors.extend(errors);
    }
}

/// The game that a file is in, by its place among the roots.
fn game_around(path: &TreePath, at_root: &HashMap<&str, usize>) -> Option<usize> {
    folders_around(path.as_str()).find_map(|root| at_root.get(root)).copied()
}

fn folder_above(path: &str) -> Option<&str> {
    (!path.is_empty()).then(|| &path[..path.rfind('/').unwrap_or(0)])
}

/// The folders around a path, the innermost first; the last is the one that is walked.
fn folders_around(path: &str) -> impl Iterator<Item = &str> {
    std::iter::successors(folder_above(path), |folder| folder_above(folder))
}

/// What could not be read.
struct Unread<'a> {
    errors: &'a mut Vec<LookError>,
    /// Files that something has in use.
    in_use: &'a mut Vec<PathBuf>,
    /// Files that are not the image their name promises, or that cannot be read.
    unusable: &'a mut Vec<Unusable>,
}

/// The facts of each image: recorded ones if the file is unchanged, otherwise read from the file.
fn read_facts(
    folder: &Path,
    images: Vec<Found>,
    mut known: HashMap<String, (Mark, Facts)>,
    store: &dyn FactsStore,
    not_read: &mut Unread<'_>,
    progress: &dyn Progress,
) -> Vec<(Found, Facts)> {
    let mut read = Vec::with_capacity(images.len());
    let mut unread = Vec::new();
    for image in images {
        let path = image.path.on(folder);
        match known.remove(&*path.to_string_lossy()) {
            Some((mark, facts)) if mark == image.mark => read.push((image, facts)),
            _ => unread.push((image, path)),
        }
    }

    drop(known);
    progress.begin("reading libraries and programs", Some(unread.len() as u64));
    let fresh: Vec<_> = unread
        .into_par_iter()
        .map(|(image, path)| {
            let facts = Facts::read(&path);
            progress.advance(1);
            (image, path, facts)
        })
        .collect();

    progress.end();
    let mut kept = Vec::new();
    let first_fresh = read.len();
    for (image, path, facts) in fresh {
        match facts {
            // A program with another ending is not one that anyone starts.
            Ok(facts) if facts.kind == Kind::Exe && !image.is_library_by_name() => {}
            Ok(facts) => {
                kept.push((path.to_string_lossy().into_owned(), image.mark));
                read.push((image, facts));
            }
            // A data file may have such a name too; it is not our concern. Its name promised nothing.
            Err(_) if !image.is_candidate_by_name() => {}
            Err(ImageError::NotAnImage { .. })
                if !image.is_library_by_name()
                    && !is_unfinished_download(image.path.file_name()) => {}
            Err(error) => {
                let (message, name) = (error.to_string(), image.path.file_name());
                if matches!(&error, ImageError::Unreadable(error) if is_in_use(error)) {
                    not_read.in_use.push(path.clone());
                }
                if image.is_library_by_name() || is_unfinished_download(name) {
                    let (path, why) = (image.path.clone(), message.clone());
                    not_read.unusable.push(Unusable { path, why, code: error.code() });
                }
                not_read.errors.push(LookError { path, code: error.code(), message });
            }
        }
    }

    let kept: Vec<(String, Mark, &Facts)> = kept
        .into_iter()
        .zip(&read[first_fresh..])
        .map(|((path, mark), (_, facts))| (path, mark, facts))
        .collect();
    if !kept.is_empty() {
        // Looking continues if nothing can be kept, as in a home that is read-only: the next survey reads the files
        // again.
        let _ = store.keep(&kept);
    }

    read.sort_by(|(a, _), (b, _)| a.path.cmp(&b.path));
    read
}

/// Puts together what one game has, and what speaks for each of its libraries.
fn view(
    game: Game,
    images: Vec<(Found, Facts)>,
    knowledge: &Knowledge<'_>,
) -> (GameView, Vec<LookError>) {
    let is_program = |(image, facts): &(Found, Facts)| {
        facts.kind == Kind::Exe && extension(image.path.file_name()) == "exe"
    };
    let (programs, libraries): (Vec<_>, Vec<_>) = images.into_iter().partition(is_program);
    let programs = programs.into_iter().map(|(image, facts)| (image.path, facts)).collect();
    let title =
        game.root.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
    let programs = game::rank(&title, programs, game.settings.executable.as_ref());
    let version = programs.first().and_then(|executable| stated(&game, executable));

    let ledger = Ledger::of(&game.root, knowledge.history.around(&game.root));
    let machine = programs.first().map(|executable| executable.facts.machine);
    let environment = game.prefix().map(|prefix| {
        let program = programs.first().map_or("", |program| program.path.file_name());
        Environment::read(&prefix, program)
    });
    let catalog = knowledge.catalog.beside(&game.root);
    let errors = catalog.errors.iter().map(LookError::from).collect();
    let libraries = libraries
        .into_iter()
        .map(|(image, facts)| {
            let family = catalog.family_of(&facts, image.path.file_name());
            let family = knowledge.rack.family_of(family, &facts);
            let machine = machine.filter(|machine| facts.runs_on(*machine));
            let needs = Needs {
                machine: machine.or(Some(facts.machine)),
                version: version.as_ref().and_then(|known| known.version.as_ref()),
                edition: game.settings.edition.as_deref(),
                program: programs.first().map(|program| program.path.file_name()),
                ..Needs::default()
            };
            let newest = knowledge.rack.newest(&family, &facts, &needs);
            let newer = newest.and_then(|build| newer(build, &facts));
            let pin = knowledge
                .pins
                .iter()
                .find(|pin| pin.game == game.id && same_name(&pin.family, &family));
            // A pinned component is not out of date.
            let newer = newer.filter(|_| pin.is_none());
            let offer = knowledge.feeds.newest(&family, &facts, &needs).filter(|_| pin.is_none());
            let offered = offer.and_then(|offer| offered(&offer, newer.as_ref(), &facts));
            let state = standing(&game.root, &image, &ledger);
            let entry = ledger.get(&image.path.clone().into());
            let entry = entry.filter(|_| state == Standing::Fitted);
            let proven = entry.and_then(|entry| knowledge.proofs.of(entry.change, &family));
            Library {
                pin: pin.cloned(),
                proven: proven.cloned(),
                state,
                role: Role::Support,
                group: None,
                is_component: false,
                is_compiler_runtime: false,
                put_aside: false,
                backups: Vec::new(),
                evidence: Vec::new(),
                path: image.path,
                facts,
                family,
                newer,
                offered,
            }
        })
        .collect();
    let gone = gone(&game.root, &ledger);
    let (in_use, unusable) = (Vec::new(), Vec::new());
    let records = knowledge.records.iter().filter(|record| record.folder == game.root);
    let records: Vec<Record> = records.cloned().collect();
    let is_held = ledger.entries().any(|entry| entry.owner == Owner::Hold && entry.in_force());
    let mut game = game;
    // The user's title overrides a launcher's.
    let titled = records.iter().find_map(|record| record.title.clone());
    if let Some(title) = titled.filter(|_| !game.registered) {
        game.title = title;
    }
    let mut view = GameView {
        game,
        programs,
        version,
        libraries,
        in_use,
        unusable,
        gone,
        environment,
        records,
        is_held,
    };
    let marks = knowledge.history.around(&view.game.root).into_iter();
    let earlier = marks.filter_map(|change| change.executable.as_ref()?.version.clone());
    recognise::within_game(&mut view, &catalog, &knowledge.rack, &earlier.collect::<Vec<_>>());
    (view, errors)
}

/// Decides from all evidence together: which libraries are components, and the roles. In a folder without any program
/// nothing distinguishes components, and all libraries count.
fn settle(view: &mut GameView) {
    let loose = view.programs.is_empty();
    for library in &mut view.libraries {
        let is_runtime = is_compiler_runtime(library.path.file_name())
            && !library.put_aside
            && library.pin.is_none()
            && library.state == Standing::Unrecorded
            && !library.evidence.iter().any(|evidence| is_users_word(evidence.kind));
        library.is_compiler_runtime = is_runtime && !loose;
        library.is_component = loose && !library.put_aside
            || !library.evidence.is_empty() && !library.is_compiler_runtime;
        if library.role != Role::Support {
            continue;
        }
        let by_evidence = library.evidence.iter().find_map(|evidence| match evidence.kind {
            EvidenceKind::StandIn => Some(Role::Loader),
            EvidenceKind::Keyed => Some(Role::Extender),
            _ => None,
        });
        let by_words = catalog::role_of(&library.facts);
        library.role = by_evidence.or(by_words).unwrap_or(Role::Support);
    }
}

/// Whether evidence comes from the user's statements or actions.
fn is_users_word(kind: EvidenceKind) -> bool {
    matches!(kind, EvidenceKind::Catalogued | EvidenceKind::OnRack | EvidenceKind::HandBackup)
}

/// The libraries that changes left in a game and that are not there any more.
fn gone(root: &Path, ledger: &Ledger) -> Vec<Gone> {
    let is_library =
        |path: &TreePath| LIBRARY_EXTENSIONS.contains(&extension(path.file_name()).as_str());
    let left = ledger.files().filter(|(place, _)| place.bay().is_none());
    let left =
        left.filter(|(place, entry)| !entry.last.state.is_absent() && is_library(place.path()));
    let gone = left.filter(|(place, _)| {
        let found = std::fs::symlink_metadata(place.on(root));
        found.is_err_and(|error| error.kind() == std::io::ErrorKind::NotFound)
    });
    gone.map(|(place, entry)| Gone {
        path: place.path().clone(),
        family: entry.owner.family().unwrap_or_default().to_owned(),
        version: version_of(&entry.last),
        fitted: entry.in_force(),
    })
    .collect()
}

fn newer(build: &Build, facts: &Facts) -> Option<Newer> {
    let version = build.version.clone()?;
    let has = facts.version();
    (has.is_none() || has < Some(version.clone()))
        .then(|| Newer { build: build.id.to_string(), version })
}

fn offered(offer: &Offer<'_>, newer: Option<&Newer>, facts: &Facts) -> Option<Offered> {
    let version = offer.entry.number()?;
    let has = facts.version().max(newer.map(|newer| newer.version.clone()));
    let (build, feed, blake3) = (offer.id(), offer.feed.name().to_owned(), offer.entry.file.blake3);
    (has < Some(version.clone())).then_some(Offered { build, version, feed, blake3 })
}

/// Compares a file with the last record of it: by size and date, and by content if these leave it open.
fn standing(root: &Path, image: &Found, ledger: &Ledger) -> Standing {
    let Some(entry) = ledger.get(&image.path.clone().into()) else {
        return Standing::Unrecorded;
    };
    let Some(last) = entry.last.state.file() else {
        return Standing::Overwritten;
    };
    let same_size = last.content.size == image.mark.size;
    let undisturbed = same_size && last.stamp.modified == image.mark.modified;
    let same = undisturbed
        || same_size
            && content_of(&image.path.on(root)).is_ok_and(|content| content == last.content);
    match (same, entry.in_force()) {
        (false, _) => Standing::Overwritten,
        (true, true) => Standing::Fitted,
        (true, false) => Standing::Shipped,
    }
}

fn folder_of(file: &Path) -> PathBuf {
    file.parent().map_or_else(|| file.to_owned(), Path::to_owned)
}
