//! The index: copies of journal files, games that surveys found, and facts of images. Nothing in it is precious.
//! Missing or damaged entries count as unknown.

use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::time::Duration;

use jiff::Timestamp;
use rayon::prelude::*;
use rusqlite::{Connection, Row, params};
use serde::Serialize;

use crate::content::Content;
use crate::error::{Error, HomeError, Result};
use crate::survey::{FactsStore, Mark};
use upright_spanner_change::{CopiedFile, Copies, Mark as FileMark, OUTCOME};
use upright_spanner_image::Facts;

const SCHEMA_VERSION: i64 = 9;

/// Copies of journal files: the decoded lines, and the texts, which are rarely needed.
const JOURNAL: &str = "
    CREATE TABLE journal (
        number      INTEGER PRIMARY KEY,
        size        INTEGER NOT NULL,
        seconds     INTEGER NOT NULL,
        nanoseconds INTEGER NOT NULL,
        ended       TEXT NOT NULL,
        packed      BLOB NOT NULL
    );
    CREATE TABLE journal_text (
        number INTEGER PRIMARY KEY,
        text   TEXT NOT NULL
    );
";

/// When each game was last started, in milliseconds since 1970.
const STARTS: &str = "
    CREATE TABLE starts (
        game  TEXT PRIMARY KEY,
        began INTEGER NOT NULL
    );
";

const SEEN: &str = "
    CREATE TABLE seen (
        root  TEXT PRIMARY KEY,
        id    TEXT NOT NULL UNIQUE,
        title TEXT NOT NULL
    );
";

/// Facts of images: those in games by path, those in the store by content.
const FACTS: &str = "
    CREATE TABLE facts (
        path  TEXT PRIMARY KEY,
        mark  TEXT NOT NULL,
        body  TEXT NOT NULL
    ) WITHOUT ROWID;
    CREATE TABLE image (
        blake3 TEXT PRIMARY KEY,
        body   TEXT NOT NULL
    ) WITHOUT ROWID;
";

/// The index of a home folder.
#[derive(Debug)]
pub(crate) struct Database {
    connection: Connection,
}

/// A game that a survey came across.
#[derive(Debug, Clone)]
pub(crate) struct Seen {
    pub id: String,
    pub title: String,
    pub root: PathBuf,
}

impl Database {
    /// Opens the index, and creates it if it is missing or damaged. If that is not possible, as in a read-only home,
    /// nothing is remembered beyond this run.
    ///
    /// # Errors
    /// If a newer version of the program wrote it.
    pub fn open(path: &Path) -> Result<Self> {
        match Self::open_file(path) {
            Ok(connection) => return Ok(Self { connection }),
            Err(Refusal::Newer) => {
                return Err(Error::Home(HomeError::Newer { path: path.to_owned() }));
            }
            Err(Refusal::Damaged) => {
                // Kept for anyone who wants to know the damage.
                let aside = path.with_extension("db.damaged");
                let _ = std::fs::rename(path, aside);
            }
            Err(Refusal::Unavailable) => {}
        }

        let again = Self::open_file(path);
        let connection =
            again.or_else(|_| Self::in_memory()).map_err(|_| Error::Home(HomeError::Index))?;
        Ok(Self { connection })
    }

    fn in_memory() -> Result<Connection, Refusal> {
        let connection = Connection::open_in_memory().map_err(|error| refusal(&error))?;
        connection
            .execute_batch(&[SEEN, FACTS, STARTS, JOURNAL].concat())
            .map_err(|error| refusal(&error))?;
        Ok(connection)
    }

    fn open_file(path: &Path) -> Result<Connection, Refusal> {
        let refused = |error: rusqlite::Error| refusal(&error);
        let connection = Connection::open(path).map_err(refused)?;
        connection.busy_timeout(Duration::from_secs(20)).map_err(refused)?;
        // It is an index: entries lost with the power are read from the files again.
        connection.pragma_update(None, "synchronous", "OFF").map_err(refused)?;

        let behavior = rusqlite::TransactionBehavior::Immediate;
        let transaction =
            rusqlite::Transaction::new_unchecked(&connection, behavior).map_err(refused)?;
        let version: i64 =
            transaction.query_row("PRAGMA user_version", [], |row| row.get(0)).map_err(refused)?;
        match version {
            SCHEMA_VERSION => {}
            0 => {
                let all = [SEEN, FACTS, STARTS, JOURNAL].concat();
                transaction.execute_batch(&all).map_err(refused)?;
                transaction.pragma_update(None, "user_version", SCHEMA_VERSION).map_err(refused)?;
            }
            newer if newer > SCHEMA_VERSION => return Err(Refusal::Newer),
            _ => return Err(Refusal::Damaged),
        }

        transaction.commit().map_err(refused)?;
        Ok(connection)
    }

    /// Every game that surveys came across.
    pub fn seen(&self) -> Vec<Seen> {
        self.rows("SELECT id, title, root FROM seen ORDER BY id", [], |row| {
            let root: String = row.get(2)?;
            Ok(Seen { id: row.get(0)?, title: row.get(1)?, root: root.into() })
        })
    }

    /// Remembers a game that a survey came across, so that it keeps its id.
    pub fn remember(&self, id: &str, title: &str, root: &Path) {
        // A root that is not Unicode cannot be remembered, and would be another one in lossy text.
        if let Some(root) = root.to_str() {
            let sql = "INSERT OR REPLACE INTO seen (id, title, root) VALUES (?1, ?2, ?3)";
            self.note(sql, params![id, title, root]);
        }
    }

    /// Forgets a game that a survey came across.
    pub fn forget(&self, id: &str) {
        self.note("DELETE FROM seen WHERE id = ?1", params![id]);
    }

    /// Notes when a game was started.
    pub fn note_start(&self, game: &str, at: Timestamp) {
        let sql = "INSERT OR REPLACE INTO starts (game, began) VALUES (?1, ?2)";
        self.note(sql, params![game, at.as_millisecond()]);
    }

    /// The time of the last start of a game.
    pub fn last_start(&self, game: &str) -> Option<Timestamp> {
        let sql = "SELECT began FROM starts WHERE game = ?1";
        let began: Vec<i64> = self.rows(sql, params![game], |row| row.get(0));
        Timestamp::from_millisecond(*began.first()?).ok()
    }

    /// The facts of a stored image.
    pub fn image(&self, content: &Content) -> Option<Facts> {
        let sql = "SELECT body FROM image WHERE blake3 = ?1";
        let body: Vec<String> = self.rows(sql, params![content.blake3.to_string()], |r| r.get(0));
        serde_json::from_str(body.first()?).ok()
    }

    /// Records the facts of a stored image.
    pub fn keep_image(&self, content: &Content, facts: &Facts) {
        let sql = "INSERT OR REPLACE INTO image (blake3, body) VALUES (?1, ?2)";
        self.note(sql, params![content.blake3.to_string(), to_json(facts)]);
    }

    /// Removes the facts of some files: some systems' dates do not show a swap.
    pub fn forget_facts<'a>(&self, files: impl Iterator<Item = &'a Path>) {
        let sql = "DELETE FROM facts WHERE path = ?1";
        let forget = || -> rusqlite::Result<()> {
            let transaction = self.connection.unchecked_transaction()?;
            for file in files {
                transaction.prepare_cached(sql)?.execute(params![file.to_string_lossy()])?;
            }
            transaction.commit()
        };
        let _ = forget();
    }

    /// The faults that the database engine finds in the index.
    pub fn faults(&self) -> Vec<String> {
        let mut found: Vec<String> = self.rows("PRAGMA integrity_check", [], |row| row.get(0));
        found.retain(|line| line != "ok");
        found
    }

    /// Records something if possible: anything not recorded is read again.
    fn note(&self, sql: &str, values: impl rusqlite::Params) {
        let _ = self.connection.prepare_cached(sql).and_then(|mut sql| sql.execute(values));
    }

    fn rows<T>(
        &self,
        sql: &str,
        values: impl rusqlite::Params,
        mut read: impl FnMut(&Row<'_>) -> rusqlite::Result<T>,
    ) -> Vec<T> {
        let all = || -> rusqlite::Result<Vec<T>> {
            let mut statement = self.connection.prepare_cached(sql)?;
            let mut rows = statement.query(values)?;
            let mut found = Vec::new();
            while let Some(row) = rows.next()? {
                // A row that cannot be read is as good as none.
                found.extend(read(row).ok());
            }
            Ok(found)
        };
        all().unwrap_or_default()
    }
}

/// Why an index cannot be used.
enum Refusal {
    Newer,
    Damaged,
    Unavailable,
}

fn refusal(error: &rusqlite::Error) -> Refusal {
    use rusqlite::ErrorCode::{DatabaseCorrupt, NotADatabase};
    match error.sqlite_error_code() {
        Some(DatabaseCorrupt | NotADatabase) => Refusal::Damaged,
        _ => Refusal::Unavailable,
    }
}

/// The mark of a journal file, behind the number of its change.
fn file_mark(row: &Row<'_>) -> rusqlite::Result<FileMark> {
    let size: i64 = row.get(1)?;
    let modified = (row.get(2)?, row.get(3)?);
    Ok(FileMark { size: u64::try_from(size).unwrap_or_default(), modified })
}

/// The seal of a file whose change has ended: no damage to the index can produce it for an open one.
fn sealed(number: i64, mark: FileMark) -> String {
    let FileMark { size, modified: (seconds, nanoseconds) } = mark;
    let ended = format!("change {number} ended: {size} {seconds} {nanoseconds}");
    Content::of_bytes(ended.as_bytes()).blake3.to_string()
}

impl Copies for Database {
    fn all(&self) -> BTreeMap<i64, CopiedFile> {
        let sql = "SELECT number, size, seconds, nanoseconds, packed FROM journal";
        let rows = self.rows(sql, [], |row| {
            Ok((row.get(0)?, CopiedFile { mark: file_mark(row)?, packed: row.get(4)? }))
        });
        rows.into_iter().collect()
    }

    fn text(&self, number: i64) -> Option<String> {
        let sql = "SELECT text FROM journal_text WHERE number = ?1";
        self.rows(sql, params![number], |row| row.get(0)).pop()
    }

    fn ended(&self) -> BTreeMap<i64, FileMark> {
        let sql = "SELECT number, size, seconds, nanoseconds, ended FROM journal";
        let rows: Vec<(i64, FileMark, String)> =
            self.rows(sql, [], |row| Ok((row.get(0)?, file_mark(row)?, row.get(4)?)));
        let ended = rows.into_iter().filter(|(number, mark, seal)| *seal == sealed(*number, *mark));
        ended.map(|(number, mark, _)| (number, mark)).collect()
    }

    fn last(&self) -> i64 {
        let last: Vec<Option<i64>> =
            self.rows("SELECT max(number) FROM journal", [], |row| row.get(0));
        last.into_iter().flatten().next().unwrap_or(0)
    }

    fn keep(&self, number: i64, copy: &CopiedFile, text: &str) {
        let (seconds, nanoseconds) = copy.mark.modified;
        let size = i64::try_from(copy.mark.size).unwrap_or(i64::MAX);
        let has_ended = text.contains(OUTCOME);
        let ended = if has_ended { sealed(number, copy.mark) } else { String::new() };
        let keep = || -> rusqlite::Result<()> {
            let transaction = self.connection.unchecked_transaction()?;
            let sql = "INSERT OR REPLACE INTO journal VALUES (?1, ?2, ?3, ?4, ?5, ?6)";
            let values = params![number, size, seconds, nanoseconds, ended, copy.packed];
            transaction.prepare_cached(sql)?.execute(values)?;
            let sql = "INSERT OR REPLACE INTO journal_text VALUES (?1, ?2)";
            transaction.prepare_cached(sql)?.execute(params![number, text])?;
            transaction.commit()
        };
        // Anything not recorded is read again.
        let _ = keep();
    }
}

/// Facts by path: what an image said when it had a given size, date and file number.
impl FactsStore for Database {
    fn below(&self, folder: &Path) -> Result<HashMap<String, (Mark, Facts)>> {
        let folder = folder.to_string_lossy();
        let folder = folder.trim_end_matches(std::path::MAIN_SEPARATOR);
        // Everything that begins with the folder and a separator: the text that follows in order
        // begins with the character after the separator.
        let first = format!("{folder}{}", std::path::MAIN_SEPARATOR);
        let behind = format!("{folder}{}", if cfg!(windows) { ']' } else { '0' });
        let sql = "SELECT path, mark, body FROM facts WHERE path >= ?1 AND path < ?2";
        let rows: Vec<(String, String, String)> = self
            .rows(sql, params![first, behind], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)));
        // A row of another version of the program is as good as none.
        let read = |(path, mark, body): (String, String, String)| {
            let mark = serde_json::from_str(&mark).ok()?;
            Some((path, (mark, serde_json::from_str(&body).ok()?)))
        };
        Ok(rows.into_par_iter().filter_map(read).collect())
    }

    fn keep(&self, facts: &[(String, Mark, &Facts)]) -> Result<()> {
        let keep = || -> rusqlite::Result<()> {
            let transaction = self.connection.unchecked_transaction()?;
            for (path, mark, facts) in facts {
                let sql = "INSERT OR REPLACE INTO facts (path, mark, body) VALUES (?1, ?2, ?3)";
                let values = params![path, to_json(mark), to_json(facts)];
                transaction.prepare_cached(sql)?.execute(values)?;
            }
            transaction.commit()
        };
        // Anything not recorded is read again.
        let _ = keep();
        Ok(())
    }
}

fn to_json<T: Serialize>(value: &T) -> String {
    // The types kept here have string keys and no maps with other keys: this cannot fail.
    serde_json::to_string(value).unwrap_or_default()
}
