//! Takes over a home of the version before the journal: its database kept what is precious. Everything
//! is written as plain files first, then the index is made anew; a copy of the old database stays. Done
//! again after an interruption, it comes to the same.

use std::collections::BTreeMap;
use std::path::Path;

use jiff::Timestamp;
use rusqlite::{Connection, OpenFlags, Row};
use serde::Deserialize;

use super::database::LAST_PRECIOUS;
use super::{Labels, Words, WordsFile};
use crate::catalog::Role;
use crate::change::{ExecutableMark, Purpose, notes};
use crate::content::{Content, Digest, FileState, Stamp};
use crate::error::{Error, HomeError, Result};
use crate::game::{Game, GameSettings, Pin, VersionFile};
use crate::path::TreePath;
use crate::rack::{
    Build, BuildFile, BuildId, BuildPart, Layout, Note, Part, Placement, Policy, Source,
};
use upright_spanner_change::{
    Folder, Journal, Moment, Place, Record, RecordState, Side, Step, Store, Target,
};
use upright_spanner_image::{Facts, Machine, Requirement, SignatureStatus, Version};

/// The name under which the old database stays.
const COPY: &str = "spanner-3.db";

/// Takes over what the database of a home kept, if it is of the version that did; says whether it was.
pub(crate) fn take_over(
    home: &Path,
    database: &Path,
    journal: &Journal,
    store: &Store,
    labels: &Labels,
    words: &WordsFile,
) -> Result<bool> {
    if !database.is_file() {
        return Ok(false);
    }
    // What cannot be read at all is not a database of that version; the index deals with it.
    let Ok(old) = Old::open(database) else { return Ok(false) };
    let version = old.version()?;
    if (1..LAST_PRECIOUS).contains(&version) {
        return Err(Error::Home(HomeError::Older { path: database.to_owned() }));
    }
    if version != LAST_PRECIOUS {
        return Ok(false);
    }

    let copy = home.join(COPY);
    if !copy.exists() {
        // Whole or not there: under another name first.
        let begun = copy.with_extension("db.new");
        std::fs::copy(database, &begun).map_err(Error::io("copy", database))?;
        // Windows wants a handle that could write.
        let file = std::fs::File::options().read(true).write(true).open(&begun);
        let file = file.map_err(Error::io("open", &begun))?;
        file.sync_all().map_err(Error::io("write to disk", &begun))?;
        drop(file);
        std::fs::rename(&begun, &copy).map_err(Error::io("replace", &copy))?;
        Folder::open(home)?.sync()?;
    }

    for record in old.changes()? {
        journal.take_over(&record)?;
    }
    for build in old.builds(store)? {
        if !labels.has(&build.id) {
            labels.replace(&build.id, &build)?;
        }
    }

    if !words.is_there() {
        words.write(&old.words()?)?;
    }
    drop(old);
    std::fs::remove_file(database).map_err(Error::io("remove", database))?;
    Ok(true)
}

struct Old {
    connection: Connection,
}

impl Old {
    fn open(path: &Path) -> rusqlite::Result<Self> {
        let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let connection = Connection::open_with_flags(path, flags)?;
        let _: i64 = connection.query_row("PRAGMA user_version", [], |row| row.get(0))?;
        Ok(Self { connection })
    }

    fn version(&self) -> Result<i64> {
        let version = self.connection.query_row("PRAGMA user_version", [], |row| row.get(0));
        Ok(version.map_err(HomeError::database("read the old version"))?)
    }

    fn rows<T>(
        &self,
        sql: &str,
        read: impl FnMut(&Row<'_>) -> rusqlite::Result<T>,
    ) -> Result<Vec<T>> {
        let rows = self.connection.prepare(sql).and_then(|mut s| s.query_map([], read)?.collect());
        Ok(rows.map_err(HomeError::database("take over the home"))?)
    }

    fn words(&self) -> Result<Words> {
        let games = self.rows("SELECT id, root, title, registered, settings FROM game", |row| {
            let settings: OldSettings = json(row, 4)?;
            let root: String = row.get(1)?;
            let registered: bool = row.get(3)?;
            let said = registered || settings.says_something();
            let settings = settings.into_settings();
            Ok((
                said,
                Game {
                    id: row.get(0)?,
                    title: row.get(2)?,
                    root: root.into(),
                    registered: true,
                    settings,
                },
            ))
        })?;

        let roots = self.rows("SELECT path FROM library_root", |row| row.get::<_, String>(0))?;
        let pins: Vec<OldPin> = self.rows("SELECT body FROM pin", |row| json(row, 0))?;
        let games = games.into_iter().filter(|(said, _)| *said).map(|(_, game)| game);
        Ok(Words {
            roots: roots.into_iter().map(Into::into).collect(),
            games: games.collect(),
            pins: pins.into_iter().map(OldPin::into_pin).collect(),
            moved: Vec::new(),
        })
    }

    fn builds(&self, store: &Store) -> Result<Vec<Build>> {
        let old: Vec<OldBuild> =
            self.rows("SELECT body FROM build ORDER BY added, id", |row| json(row, 0))?;
        // A build of which the store has lost the library cannot be fitted.
        Ok(old.into_iter().filter_map(|build| build.into_build(store)).collect())
    }

    fn changes(&self) -> Result<Vec<Record>> {
        let sql = "SELECT number, game, root, summary, began, state, despite, deed, executable
                   FROM change ORDER BY number";
        let mut records = self.rows(sql, |row| {
            let (root, began, state): (String, String, String) =
                (row.get(2)?, row.get(4)?, row.get(5)?);
            let despite: Vec<String> = json(row, 6)?;
            let purpose: OldPurpose = json(row, 7)?;
            let executable: Option<OldExecutable> = json(row, 8)?;
            let executable = executable.map(OldExecutable::into_mark);
            Ok(Record {
                number: row.get(0)?,
                game: row.get(1)?,
                root: root.into(),
                summary: row.get(3)?,
                notes: notes(&purpose.into_purpose(), executable.as_ref(), &despite),
                began: began.parse().map_err(|error| unreadable(4, error))?,
                state: match state.as_str() {
                    "done" => RecordState::Done,
                    "put-back" => RecordState::PutBack,
                    _ => RecordState::Open,
                },
                steps: Vec::new(),
                spares: Vec::new(),
                stored: Vec::new(),
                left: BTreeMap::new(),
                is_noted: false,
            })
        })?;

        let sql = "SELECT change, position, body FROM step ORDER BY change, position";
        let steps = self.rows(sql, |row| {
            Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?, json::<OldStep>(row, 2)?))
        })?;
        for (number, position, step) in steps {
            if let Some(record) = records.iter_mut().find(|record| record.number == number) {
                step.add_to(record, position)?;
            }
        }

        Ok(records)
    }
}

fn json<T: serde::de::DeserializeOwned>(row: &Row<'_>, column: usize) -> rusqlite::Result<T> {
    let text: String = row.get(column)?;
    serde_json::from_str(&text).map_err(|error| unreadable(column, error))
}

fn unreadable(
    column: usize,
    error: impl std::error::Error + Send + Sync + 'static,
) -> rusqlite::Error {
    let kind = rusqlite::types::Type::Text;
    rusqlite::Error::FromSqlConversionFailure(column, kind, Box::new(error))
}

#[derive(Deserialize)]
struct OldSettings {
    executable: Option<TreePath>,
    edition: Option<String>,
    online: Option<bool>,
    #[serde(default)]
    bays: BTreeMap<String, String>,
    version_file: Option<OldVersionFile>,
}

#[derive(Deserialize)]
struct OldVersionFile {
    path: TreePath,
    pattern: String,
}

impl OldSettings {
    fn says_something(&self) -> bool {
        let told = self.executable.is_some() || self.edition.is_some() || self.online.is_some();
        told || !self.bays.is_empty() || self.version_file.is_some()
    }

    fn into_settings(self) -> GameSettings {
        let version_file = |file: OldVersionFile| VersionFile::new(file.path, &file.pattern).ok();
        GameSettings {
            executable: self.executable,
            edition: self.edition,
            online: self.online,
            bays: self.bays.into_iter().map(|(name, folder)| (name, folder.into())).collect(),
            version_file: self.version_file.and_then(version_file),
            ..GameSettings::default()
        }
    }
}

#[derive(Deserialize)]
struct OldPin {
    game: String,
    family: String,
    version: Option<Version>,
    why: String,
}

#[derive(Deserialize)]
#[serde(rename_all = "kebab-case")]
enum OldPurpose {
    Fit,
    Rollback,
    Undo(i64),
    Refit,
    Adopt,
    Park(String),
    Unpark(i64),
}

impl OldPurpose {
    fn into_purpose(self) -> Purpose {
        match self {
            Self::Fit => Purpose::Fit,
            Self::Rollback => Purpose::Rollback,
            Self::Undo(number) => Purpose::Undo(number),
            Self::Refit => Purpose::Refit,
            Self::Adopt => Purpose::Adopt,
            Self::Park(family) => Purpose::Park(family),
            Self::Unpark(number) => Purpose::Unpark(number),
        }
    }
}

#[derive(Deserialize)]
struct OldExecutable {
    path: TreePath,
    version: Option<Version>,
    size: u64,
    stamp: u32,
}

impl OldExecutable {
    fn into_mark(self) -> ExecutableMark {
        ExecutableMark {
            path: self.path,
            version: self.version,
            size: self.size,
            stamp: self.stamp,
        }
    }
}

#[derive(Deserialize)]
struct OldStep {
    bay: Option<String>,
    path: TreePath,
    family: String,
    before: Option<OldHeld>,
    after: Option<OldHeld>,
    #[serde(default)]
    folders: usize,
}

#[derive(Deserialize)]
struct OldHeld {
    blake3: Digest,
    size: u64,
    modified: Moment,
    mode: Option<u32>,
    read_only: bool,
    #[serde(default)]
    attributes: Option<u32>,
    version: Option<String>,
}

impl OldHeld {
    fn into_side(self) -> Side {
        let stamp = Stamp {
            modified: self.modified,
            created: None,
            mode: self.mode,
            read_only: self.read_only,
            attributes: self.attributes,
        };
        let content = Content { blake3: self.blake3, size: self.size };
        Side::file(FileState { content, stamp }, self.version)
    }
}

impl OldStep {
    /// Folders were a number at the file; they are steps of their own now.
    fn add_to(self, record: &mut Record, position: i64) -> Result<()> {
        let place = match self.bay {
            None => Place::from(self.path),
            Some(bay) => Place::new(&record.root, Path::new(&bay), self.path)?,
        };
        let around: Vec<Place> = place.folders().into_iter().take(self.folders).collect();
        let known = |record: &Record, folder: &Place| {
            record.steps.iter().any(|step| *step.target() == Target::Folder(folder.clone()))
        };
        let comes = self.before.is_none();
        if comes {
            for folder in around.iter().rev() {
                if !known(record, folder) {
                    record.steps.push(Step::make_folder(folder.clone(), &self.family));
                    record.spares.push(None);
                }
            }
        }

        let name = format!(".spanner-{}-{position}.staged", record.number);
        let spare = place.with_path(place.path().sibling(&name)?);
        let goes = self.after.is_none();
        let side = |held: Option<OldHeld>| held.map_or(Side::ABSENT, OldHeld::into_side);
        let step = Step::replace(place, side(self.before), side(self.after), &self.family);
        record.steps.push(step);
        record.spares.push(Some(spare));
        if goes && !comes {
            for folder in around {
                if !known(record, &folder) {
                    record.steps.push(Step::remove_folder(folder, None, &self.family));
                    record.spares.push(None);
                }
            }
        }

        Ok(())
    }
}

#[derive(Deserialize)]
struct OldBuild {
    id: BuildId,
    role: Option<Role>,
    version: Option<Version>,
    machine: Machine,
    supports: Option<Requirement>,
    file: OldFile,
    #[serde(default)]
    parts: Vec<OldPart>,
    layout: OldLayout,
    #[serde(default)]
    left: Vec<TreePath>,
    #[serde(default)]
    notes: Vec<OldNote>,
    source: OldSource,
    added: Timestamp,
}

#[derive(Deserialize)]
struct OldFile {
    path: TreePath,
    name: String,
    content: Content,
    modified: Moment,
    signature: SignatureStatus,
}

#[derive(Deserialize)]
struct OldPart {
    path: TreePath,
    content: Content,
    modified: Moment,
    facts: Option<serde_json::Value>,
}

#[derive(Deserialize)]
struct OldLayout {
    places: Vec<OldPlace>,
    #[serde(default)]
    retires: Vec<TreePath>,
}

#[derive(Deserialize)]
struct OldPlace {
    from: TreePath,
    bay: String,
    to: TreePath,
    policy: Policy,
}

#[derive(Deserialize)]
struct OldNote {
    name: String,
    content: Content,
}

#[derive(Deserialize)]
struct OldSource {
    name: String,
    blake3: Digest,
    modified: Moment,
}

impl OldPin {
    fn into_pin(self) -> Pin {
        let version = self.version.map(Requirement::from);
        Pin { game: self.game, family: self.family, version, why: self.why }
    }
}

impl OldPlace {
    fn into_placement(self) -> Placement {
        let Self { from, bay, to, policy } = self;
        Placement { from, bay, to, policy, start: false }
    }
}

impl OldBuild {
    fn into_build(self, store: &Store) -> Option<Build> {
        let facts = |content: &Content| Facts::read(&store.file(content).ok()?).ok();
        let part = |part: OldPart| {
            let facts = part.facts.and_then(|_| facts(&part.content));
            BuildPart {
                path: part.path,
                content: part.content,
                modified: part.modified,
                facts,
                part: Part::Data,
                why: String::new(),
            }
        };
        Some(Build {
            id: self.id,
            role: self.role,
            version: self.version,
            machine: Some(self.machine),
            edition: None,
            supports: self.supports,
            told: None,
            file: BuildFile {
                path: self.file.path,
                name: self.file.name,
                content: self.file.content,
                modified: self.file.modified,
                facts: Some(facts(&self.file.content)?),
                signature: self.file.signature,
            },
            parts: self.parts.into_iter().map(part).collect(),
            layout: Layout {
                places: self.layout.places.into_iter().map(OldPlace::into_placement).collect(),
                retires: self.layout.retires,
            },
            left: self.left,
            notes: self
                .notes
                .into_iter()
                .map(|note| Note { name: note.name, content: note.content })
                .collect(),
            source: Source {
                name: self.source.name,
                blake3: self.source.blake3,
                modified: self.source.modified,
            },
            added: self.added,
        })
    }
}
