//! The tables of the home folder's database. Values with structure are kept as JSON, so that a
//! field that joins later needs no new column.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::time::Duration;

use rayon::prelude::*;
use rusqlite::{Connection, Row, Transaction, params};
use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::change::{Change, ChangeState};
use crate::error::{Error, Result};
use crate::game::{Game, Pin};
use crate::image::Facts;
use crate::rack::{Build, BuildId};
use crate::survey::{FactsStore, Mark};

const SCHEMA_VERSION: i64 = 3;

const SCHEMA: &str = "
    CREATE TABLE game (
        id         TEXT PRIMARY KEY,
        root       TEXT NOT NULL UNIQUE,
        title      TEXT NOT NULL,
        registered INTEGER NOT NULL,
        settings   TEXT NOT NULL
    );
    CREATE TABLE library_root (
        path TEXT PRIMARY KEY
    );
    CREATE TABLE facts (
        path  TEXT PRIMARY KEY,
        mark  TEXT NOT NULL,
        body  TEXT NOT NULL
    ) WITHOUT ROWID;
    CREATE TABLE build (
        id    TEXT PRIMARY KEY,
        added TEXT NOT NULL,
        body  TEXT NOT NULL
    );
    CREATE TABLE pin (
        game    TEXT NOT NULL,
        family  TEXT NOT NULL,
        body    TEXT NOT NULL,
        PRIMARY KEY (game, family)
    );
    CREATE TABLE change (
        number  INTEGER PRIMARY KEY AUTOINCREMENT,
        game    TEXT NOT NULL,
        root    TEXT NOT NULL,
        summary TEXT NOT NULL,
        deed    TEXT NOT NULL,
        executable TEXT NOT NULL,
        despite TEXT NOT NULL,
        began   TEXT NOT NULL,
        state   TEXT NOT NULL
    );
    CREATE TABLE step (
        change   INTEGER NOT NULL REFERENCES change (number),
        position INTEGER NOT NULL,
        body     TEXT NOT NULL,
        PRIMARY KEY (change, position)
    );
";

#[derive(Debug)]
pub(crate) struct Database {
    connection: Connection,
}

impl Database {
    /// Opens the database file, making it if needed. Commits are durable when they return.
    pub fn open(path: &Path) -> Result<Self> {
        let doing = || Error::database("open the home folder");
        let connection = Connection::open(path).map_err(doing())?;
        connection.busy_timeout(Duration::from_secs(20)).map_err(doing())?;
        connection.pragma_update(None, "synchronous", "FULL").map_err(doing())?;
        connection.pragma_update(None, "foreign_keys", true).map_err(doing())?;
        let transaction = rusqlite::Transaction::new_unchecked(
            &connection,
            rusqlite::TransactionBehavior::Immediate,
        )
        .map_err(doing())?;
        let version: i64 =
            transaction.query_row("PRAGMA user_version", [], |row| row.get(0)).map_err(doing())?;
        if version > SCHEMA_VERSION {
            return Err(Error::NewerHome { path: path.to_owned() });
        }
        if (1..SCHEMA_VERSION).contains(&version) {
            return Err(Error::OlderHome { path: path.to_owned() });
        }
        if version == 0 {
            transaction.execute_batch(SCHEMA).map_err(doing())?;
            transaction.pragma_update(None, "user_version", SCHEMA_VERSION).map_err(doing())?;
        }
        transaction.commit().map_err(doing())?;
        Ok(Self { connection })
    }

    /// Every game seen so far, by id.
    pub fn games(&self) -> Result<Vec<Game>> {
        let sql = "SELECT id, root, title, registered, settings FROM game ORDER BY id";
        self.rows("read the games", sql, [], |row| {
            Ok(Game {
                id: row.get(0)?,
                root: row.get::<_, String>(1)?.into(),
                title: row.get(2)?,
                registered: row.get(3)?,
                settings: from_json(row, 4)?,
            })
        })
    }

    /// Remembers a game, or what is new of it.
    pub fn remember_game(&self, game: &Game) -> Result<()> {
        let sql = "INSERT OR REPLACE INTO game (id, root, title, registered, settings)
                   VALUES (?1, ?2, ?3, ?4, ?5)";
        let settings = to_json(&game.settings);
        let root = game.root.to_string_lossy();
        self.alter(
            "remember the game",
            sql,
            params![game.id, root, game.title, game.registered, settings],
        )
    }

    pub fn forget_game(&self, id: &str) -> Result<()> {
        self.alter("forget the game", "DELETE FROM game WHERE id = ?1", params![id])
    }

    /// The folders of which each sub-folder is a game.
    pub fn library_roots(&self) -> Result<Vec<PathBuf>> {
        let sql = "SELECT path FROM library_root ORDER BY path";
        self.rows("read the library roots", sql, [], |row| Ok(row.get::<_, String>(0)?.into()))
    }

    pub fn add_library_root(&self, path: &Path) -> Result<()> {
        let sql = "INSERT OR IGNORE INTO library_root (path) VALUES (?1)";
        self.alter("remember the library root", sql, params![path.to_string_lossy()])
    }

    pub fn forget_library_root(&self, path: &Path) -> Result<()> {
        let sql = "DELETE FROM library_root WHERE path = ?1";
        self.alter("forget the library root", sql, params![path.to_string_lossy()])
    }

    /// Every build on the rack, in the order in which they were added.
    pub fn builds(&self) -> Result<Vec<Build>> {
        let sql = "SELECT body FROM build ORDER BY added, id";
        self.rows("read the rack", sql, [], |row| from_json(row, 0))
    }

    pub fn add_build(&self, build: &Build) -> Result<()> {
        let sql = "INSERT INTO build (id, added, body) VALUES (?1, ?2, ?3)";
        let values = params![build.id.to_string(), build.added.to_string(), to_json(build)];
        self.alter("put the build on the rack", sql, values)
    }

    /// Gives a build another name, or other content under its own.
    pub fn replace_build(&self, old: &BuildId, build: &Build) -> Result<()> {
        let sql = "UPDATE build SET id = ?2, body = ?3 WHERE id = ?1";
        let values = params![old.to_string(), build.id.to_string(), to_json(build)];
        self.alter("change the build", sql, values)
    }

    pub fn drop_build(&self, build: &Build) -> Result<()> {
        let sql = "DELETE FROM build WHERE id = ?1";
        self.alter("take the build off the rack", sql, params![build.id.to_string()])
    }

    pub fn pins(&self) -> Result<Vec<Pin>> {
        let sql = "SELECT body FROM pin ORDER BY game, family";
        self.rows("read the pins", sql, [], |row| from_json(row, 0))
    }

    pub fn pin(&self, pin: &Pin) -> Result<()> {
        let sql = "INSERT OR REPLACE INTO pin (game, family, body) VALUES (?1, ?2, ?3)";
        self.alter("keep the pin", sql, params![pin.game, pin.family, to_json(pin)])
    }

    pub fn unpin(&self, pin: &Pin) -> Result<()> {
        let sql = "DELETE FROM pin WHERE game = ?1 AND family = ?2";
        self.alter("take the pin away", sql, params![pin.game, pin.family])
    }

    /// Journals a change before its first step; gives it its number. What was read of its files is
    /// forgotten: some systems' dates do not tell that they were swapped.
    pub fn begin_change(&mut self, change: &Change) -> Result<i64> {
        let doing = || Error::database("write the journal");
        let transaction = self.connection.transaction().map_err(doing())?;
        transaction
            .execute(
                "INSERT INTO change (game, root, summary, deed, executable, despite, began, state)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
                params![
                    change.game,
                    change.root.to_string_lossy(),
                    change.summary,
                    to_json(&change.deed),
                    to_json(&change.executable),
                    to_json(&change.despite),
                    change.began.to_string(),
                    change.state.name()
                ],
            )
            .map_err(doing())?;
        let number = transaction.last_insert_rowid();
        for (position, step) in (0i64..).zip(&change.steps) {
            transaction
                .execute(
                    "INSERT INTO step (change, position, body) VALUES (?1, ?2, ?3)",
                    params![number, position, to_json(step)],
                )
                .map_err(doing())?;
        }
        forget_facts(&transaction, change).map_err(doing())?;
        transaction.commit().map_err(doing())?;
        Ok(number)
    }

    /// Journals how a change ended. What was read of its files meanwhile is forgotten.
    pub fn close_change(&self, change: &Change, state: ChangeState) -> Result<()> {
        let doing = || Error::database("write the journal");
        let transaction = self.connection.unchecked_transaction().map_err(doing())?;
        let sql = "UPDATE change SET state = ?2 WHERE number = ?1";
        transaction.execute(sql, params![change.number, state.name()]).map_err(doing())?;
        forget_facts(&transaction, change).map_err(doing())?;
        transaction.commit().map_err(doing())
    }

    /// Changes with their steps, oldest first: of one game or of all.
    pub fn changes(&self, game: Option<&str>) -> Result<Vec<Change>> {
        let sql = "SELECT number, game, root, summary, began, state, despite, deed, executable FROM change
                   WHERE ?1 IS NULL OR game = ?1 ORDER BY number";
        let mut changes = self.rows("read the history", sql, params![game], |row| {
            let began: String = row.get(4)?;
            let state: String = row.get(5)?;
            let root: String = row.get(2)?;
            Ok(Change {
                number: row.get(0)?,
                game: row.get(1)?,
                root: root.into(),
                summary: row.get(3)?,
                began: began.parse().map_err(|error| unreadable(4, error))?,
                state: ChangeState::from_name(&state),
                despite: from_json(row, 6)?,
                deed: from_json(row, 7)?,
                executable: from_json(row, 8)?,
                steps: Vec::new(),
            })
        })?;
        for change in &mut changes {
            let sql = "SELECT body FROM step WHERE change = ?1 ORDER BY position";
            let number = params![change.number];
            change.steps = self.rows("read the history", sql, number, |row| from_json(row, 0))?;
        }
        Ok(changes)
    }

    /// The changes that were begun and neither finished nor put back, with the game's folder of
    /// each, oldest first.
    pub fn open_changes(&self) -> Result<Vec<(i64, PathBuf)>> {
        let sql = "SELECT number, root FROM change WHERE state = 'open' ORDER BY number";
        self.rows("read the journal", sql, [], |row| {
            Ok((row.get(0)?, row.get::<_, String>(1)?.into()))
        })
    }

    /// What the database engine finds wrong with the file; nothing where it is whole.
    pub fn faults(&self) -> Result<Vec<String>> {
        let mut found: Vec<String> =
            self.rows("check the database", "PRAGMA integrity_check", [], |row| row.get(0))?;
        found.retain(|line| line != "ok");
        Ok(found)
    }

    /// Forgets what was read of a file: it may be another now, of the same size and date.
    fn alter(&self, doing: &'static str, sql: &str, values: impl rusqlite::Params) -> Result<()> {
        self.connection.execute(sql, values).map(drop).map_err(Error::database(doing))
    }

    fn rows<T>(
        &self,
        doing: &'static str,
        sql: &str,
        values: impl rusqlite::Params,
        read: impl FnMut(&Row<'_>) -> rusqlite::Result<T>,
    ) -> Result<Vec<T>> {
        let rows = self
            .connection
            .prepare_cached(sql)
            .and_then(|mut statement| statement.query_map(values, read)?.collect());
        rows.map_err(Error::database(doing))
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
        let rows: Vec<(String, String, String)> =
            self.rows("read the cache", sql, params![first, behind], |row| {
                Ok((row.get(0)?, row.get(1)?, row.get(2)?))
            })?;
        // A row of another version of the program is as good as none.
        let read = |(path, mark, body): (String, String, String)| {
            let mark = serde_json::from_str(&mark).ok()?;
            Some((path, (mark, serde_json::from_str(&body).ok()?)))
        };
        Ok(rows.into_par_iter().filter_map(read).collect())
    }

    fn keep(&self, facts: &[(String, Mark, &Facts)]) -> Result<()> {
        let doing = || Error::database("write the cache");
        let transaction = self.connection.unchecked_transaction().map_err(doing())?;
        for (path, mark, facts) in facts {
            let sql = "INSERT OR REPLACE INTO facts (path, mark, body) VALUES (?1, ?2, ?3)";
            let values = params![path, to_json(mark), to_json(facts)];
            transaction.prepare_cached(sql).and_then(|mut s| s.execute(values)).map_err(doing())?;
        }
        transaction.commit().map_err(doing())
    }
}

fn forget_facts(transaction: &Transaction<'_>, change: &Change) -> rusqlite::Result<()> {
    for step in &change.steps {
        let path = step.place.on(&change.root);
        let sql = "DELETE FROM facts WHERE path = ?1";
        transaction.prepare_cached(sql)?.execute(params![path.to_string_lossy()])?;
    }
    Ok(())
}

fn to_json<T: Serialize>(value: &T) -> String {
    // The types kept here have string keys and no maps with other keys: this cannot fail.
    serde_json::to_string(value).unwrap_or_default()
}

fn from_json<T: DeserializeOwned>(row: &Row<'_>, column: usize) -> rusqlite::Result<T> {
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
