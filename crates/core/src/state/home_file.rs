//! One policy for every TOML file that the program writes into its home. A file that cannot be read, or that a newer
//! version wrote, is never treated as empty and never overwritten; a file is replaced whole or not at all.

use std::fs;
use std::io::{ErrorKind, Read};
use std::marker::PhantomData;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use crate::error::{CatalogError, Error, HomeError, Result};
use upright_spanner_change::{Folder, line};

/// The content of a file, as it is stored.
pub(super) trait HomeDocument: Serialize + DeserializeOwned {
    /// The schema number that this version reads and writes, in the field `schema`.
    const SCHEMA: u32;
    /// The comment at the top of the file.
    const HEADING: &str;
    /// The most bytes that are read of a file: some fifty times what a large home needs.
    const LONGEST: u64;
}

/// A file in the home.
#[derive(Debug)]
pub(super) struct HomeFile<T> {
    path: PathBuf,
    document: PhantomData<fn() -> T>,
}

/// The schema number of any document, whatever else is in it.
#[derive(Deserialize)]
struct Schema {
    schema: u32,
}

impl<T: HomeDocument> HomeFile<T> {
    pub fn new(path: PathBuf) -> Self {
        Self { path, document: PhantomData }
    }

    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Reads the document; `None` without a file.
    ///
    /// # Errors
    /// If the file cannot be read ([`CatalogError`] with the line), or a newer version wrote it
    /// ([`HomeError::Newer`]).
    pub fn read(&self) -> Result<Option<T>> {
        let file = match fs::File::open(&self.path) {
            Ok(file) => file,
            Err(error) if error.kind() == ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(Error::io("open", &self.path)(error)),
        };
        let mut text = String::new();
        file.take(T::LONGEST).read_to_string(&mut text).map_err(Error::io("read", &self.path))?;

        let wrong = |error: toml::de::Error| {
            Error::Catalog(CatalogError::of_toml(&self.path, &text, &error))
        };
        let Schema { schema } = toml::from_str(&text).map_err(wrong)?;
        if schema > T::SCHEMA {
            return Err(HomeError::Newer { path: self.path.clone() }.into());
        }
        if schema != T::SCHEMA {
            let what = format!("schema {schema} is not known: expected {}", T::SCHEMA);
            return Err(CatalogError { path: self.path.clone(), line: 1, what }.into());
        }
        toml::from_str(&text).map(Some).map_err(wrong)
    }

    /// Replaces the document. Must be called under the home's lock.
    ///
    /// # Errors
    /// If the present file cannot be read, or the new one cannot be written.
    pub fn write(&self, document: &T) -> Result<()> {
        self.read()?;
        let text = toml::to_string(document).map_err(|error| Error::Invalid {
            what: format!("could not write {}: {error}", self.path.display()),
            remedy: "Use names that are Unicode.".into(),
        })?;
        let name = self.path.file_name().unwrap_or_default().to_string_lossy();
        let folder = Folder::make(self.path.parent().unwrap_or(Path::new(".")))?;
        Ok(line::write_over(&folder, &name, &format!("{}\n\n{text}", T::HEADING))?)
    }

    /// Moves the file to `NAME.damaged-DATE` if it cannot be understood, so that a new one can be written; returns
    /// the new path. A file of a newer version stays. Must be called under the home's lock.
    ///
    /// # Errors
    /// If the file cannot be opened or moved, or a newer version wrote it.
    pub fn set_aside_if_damaged(&self) -> Result<Option<PathBuf>> {
        match self.read() {
            Ok(_) => return Ok(None),
            Err(Error::Catalog(_)) => {}
            Err(Error::Files(error)) if is_not_text(&error) => {}
            Err(error) => return Err(error),
        }
        let date = Timestamp::now().strftime("%Y-%m-%dT%H%M%S");
        let name = self.path.file_name().unwrap_or_default().to_string_lossy();
        let aside = self.path.with_file_name(format!("{name}.damaged-{date}"));
        fs::rename(&self.path, &aside).map_err(Error::io("rename", &self.path))?;
        Ok(Some(aside))
    }
}

/// Whether a file could be read but is not UTF-8.
fn is_not_text(error: &upright_spanner_change::Error) -> bool {
    use upright_spanner_change::Error::Io;
    matches!(error, Io { source, .. } if source.kind() == ErrorKind::InvalidData)
}
