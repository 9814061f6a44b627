//! Files and folders that are moved aside as they are, or back: by one rename, so that everything in them keeps
//! its content, dates and marks, and nothing of them is read.

use cap_std::fs::Metadata;

use crate::carrier::folder::mode_of;
use crate::carrier::{Carrier, Restored};
use crate::content::{Content, moment};
use crate::error::{Error, Result};
use crate::folder::{Folder, Found};
use crate::path::{Place, TreePath};
use crate::step::{Aside, State, Step, Target, Tree};
use crate::territory::Territory;

/// More files than this are not listed: a folder that links lead round in, or a whole disk.
const MOST_FILES: u64 = 2_000_000;

/// The tree at a place, with the text that lists its files.
///
/// # Errors
/// If a part of it cannot be looked at.
pub fn listing(territory: &Territory, place: &Place) -> Result<Option<(Tree, String)>> {
    let Some(around) = territory.around(place)? else { return Ok(None) };
    let mut list = List::default();
    list.add(&around, place.path().file_name(), "")?;
    if list.lines.is_empty() {
        return Ok(None);
    }
    list.lines.sort();
    let text = list.lines.concat();
    let listing = Content::of_bytes(text.as_bytes());
    Ok(Some((Tree { listing, files: list.files, bytes: list.bytes }, text)))
}

/// A tree, listed line by line: kind, size, date, marks and path of each thing in it.
#[derive(Default)]
struct List {
    lines: Vec<String>,
    files: u64,
    bytes: u64,
}

impl List {
    fn add(&mut self, around: &Folder, name: &str, path: &str) -> Result<()> {
        match around.find(name)? {
            Found::Nothing => {}
            Found::Folder(metadata) => {
                self.line("folder", 0, "-", &marks(&metadata), path);
                let Some(folder) = around.below(name)? else { return Ok(()) };
                for name in folder.names()? {
                    let inside = match path {
                        "" => name.to_string_lossy().into_owned(),
                        path => format!("{path}/{}", name.to_string_lossy()),
                    };
                    match name.to_str() {
                        Some(name) => self.add(&folder, name, &inside)?,
                        // It moves with its folder, whatever it is called.
                        None => self.line("other", 0, "-", "-", &inside),
                    }
                }
            }
            Found::File(metadata) => {
                let modified = metadata.modified().map_or((0, 0), |time| moment(time.into_std()));
                let date = format!("{}.{:09}", modified.0, modified.1);
                self.line("file", metadata.len(), &date, &marks(&metadata), path);
                self.files += 1;
                self.bytes += metadata.len();
                if self.files > MOST_FILES {
                    let what = format!("it holds more than {MOST_FILES} files");
                    let path = around.path().join(name);
                    return Err(Error::io("list", &path)(std::io::Error::other(what)));
                }
            }
            Found::Other(_) => self.line("other", 0, "-", "-", path),
        }
        Ok(())
    }

    fn line(&mut self, kind: &str, size: u64, date: &str, marks: &str, path: &str) {
        // A name may hold line ends; it is listed so that it cannot pretend to be two.
        let path = path.escape_debug();
        self.lines.push(format!("{kind} {size} {date} {marks} {path}\n"));
    }
}

/// The marks of a file or folder: permission bits if the system has them, else whether it is read-only.
fn marks(metadata: &Metadata) -> String {
    let read_only = || if metadata.permissions().readonly() { "read-only" } else { "-" };
    mode_of(metadata).map_or_else(|| read_only().to_owned(), |mode| format!("{mode:o}"))
}

pub(super) struct Trees<'a> {
    pub territory: &'a Territory,
}

impl Trees<'_> {
    fn at(&self, place: &Place) -> Result<State> {
        let found = listing(self.territory, place)?;
        Ok(found.map_or(State::Absent, |(tree, _)| State::Tree(tree)))
    }

    /// Fails unless a step's tree is at its source and nothing is at its destination.
    fn expect(&self, step: &Step) -> Result<()> {
        let Move { from, to, tree } = way(step)?;
        let is_there =
            |place: &Place, state: &State| Ok::<_, Error>(self.at(place)?.same_as(state));
        for (place, state) in [(from, tree), (to, &State::Absent)] {
            if !is_there(place, state)? {
                return Err(Error::NotAsExpected { path: self.territory.path(place) });
            }
        }
        Ok(())
    }

    fn rename(&self, from: &Place, to: &Place) -> Result<()> {
        let (folder, name) = self.territory.at(from)?;
        let (other, new_name) = self.territory.at(to)?;
        folder.move_new(name, &other, new_name)
    }
}

/// The source and destination of a move.
struct Move<'a> {
    from: &'a Place,
    to: &'a Place,
    tree: &'a State,
}

fn way(step: &Step) -> Result<Move<'_>> {
    let Target::Aside(Aside { place, kept }) = step.target() else {
        return Err(Error::NotAsExpected { path: step.target().to_string().into() });
    };
    let (before, after) = (&step.before().state, &step.after().state);
    Ok(match before {
        State::Absent => Move { from: kept, to: place, tree: after },
        before => Move { from: place, to: kept, tree: before },
    })
}

impl Carrier for Trees<'_> {
    fn look(&self, target: &Target) -> Result<State> {
        self.at(crate::carrier::place(target)?)
    }

    fn keep(&self, step: &Step) -> Result<()> {
        // If it moves to there may be no folder yet: steps before this one make it.
        let Move { from, tree, .. } = way(step)?;
        if self.at(from)?.same_as(tree) {
            Ok(())
        } else {
            Err(Error::NotAsExpected { path: self.territory.path(from) })
        }
    }

    fn stage(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }

    fn exchange(&self, step: &Step, _: Option<&Place>) -> Result<Option<State>> {
        self.expect(step)?;
        let Move { from, to, .. } = way(step)?;
        self.rename(from, to)?;
        // The destination is made durable, with any folders just made around it, before the source: the tree is never
        // in neither.
        for place in std::iter::once(to.clone()).chain(to.folders()) {
            self.territory.sync_around(&place)?;
        }
        Ok(None)
    }

    fn settle(&self, step: &Step, _: Option<&Place>) -> Result<()> {
        let Move { from, to, tree } = way(step)?;
        self.territory.sync_around(from)?;
        if self.at(to)?.same_as(tree) && self.at(from)?.is_absent() {
            Ok(())
        } else {
            Err(Error::NotAsExpected { path: self.territory.path(to) })
        }
    }

    fn restore(&self, step: &Step, _: Option<&Place>) -> Result<Restored> {
        let Move { from, to, tree } = way(step)?;
        // The tree moves back with its present content, unless something else is at its old place.
        let (kept, came) = (self.at(from)?, self.at(to)?);
        if kept.is_absent() && !came.is_absent() {
            self.rename(to, from)?;
            self.territory.sync_around(from)?;
            self.territory.sync_around(to)?;
            return Ok(Restored::Untouched);
        }
        // A disk that lost its power between the two may have it under both names.
        let is_place = step.before().state.is_absent();
        if is_place && kept.same_as(tree) && came.same_as(tree) {
            let twin = TreePath::new(&format!("{}.twin", from.path()))?;
            self.rename(to, &from.with_path(twin))?;
            self.territory.sync_around(from)?;
            self.territory.sync_around(to)?;
            return Ok(Restored::Untouched);
        }
        self.look(step.target()).map(Restored::Holds)
    }

    fn clear(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }
}
