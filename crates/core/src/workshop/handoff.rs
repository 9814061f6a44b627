//! Packs the data part of a build for a mod manager.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use super::Altering;
use super::fit::FitPlan;
use crate::content::content_of;
use crate::error::{Error, Result};
use crate::path::slashes;

impl Altering<'_> {
    /// Writes the part of a plan that is handed off as a zip into a folder, which begins with what a
    /// mod manager installs; gives the file. One that is there already is not overwritten.
    ///
    /// # Errors
    /// Where the archive cannot be written, or another one is there.
    pub fn hand_off(&self, fit: &FitPlan, folder: &Path) -> Result<PathBuf> {
        if let Some(parcel) = &fit.parcel {
            self.shelve(parcel)?;
        }
        let id = &fit.build.id;
        let target = folder.join(format!("{}-{}-data.zip", id.family, id.version));
        let staged = NamedTempFile::new_in(folder).map_err(Error::io("write into", folder))?;
        self.pack(fit, staged.as_file(), &target)?;
        staged.as_file().sync_all().map_err(Error::io("write to disk", &target))?;
        if target.is_file() && content_of(&target)? == content_of(staged.path())? {
            return Ok(target);
        }
        staged.persist_noclobber(&target).map_err(|error| match error.error.kind() {
            io::ErrorKind::AlreadyExists => Error::Invalid {
                what: format!("{} is there already, with other content", slashes(&target)),
                remedy: "Move it away, or choose another folder for the archive.".into(),
            },
            _ => Error::io("write", &target)(error.error),
        })?;

        Ok(target)
    }

    fn pack(&self, fit: &FitPlan, file: &File, target: &Path) -> Result<()> {
        let failed = |error: zip::result::ZipError| match error {
            zip::result::ZipError::Io(error) => Error::io("write", target)(error),
            other => Error::io("write", target)(io::Error::other(other)),
        };
        let mut zip = ZipWriter::new(file);
        for part in &fit.plan.handoff {
            let options = SimpleFileOptions::default().large_file(part.content.size >= 1 << 32);
            zip.start_file(part.to.as_str(), options).map_err(failed)?;
            let mut stored = self.workshop().store.open_content(&part.content)?;
            io::copy(&mut stored, &mut zip).map_err(Error::io("write", target))?;
        }

        zip.finish().map(drop).map_err(failed)
    }
}
