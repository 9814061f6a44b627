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
use crate::plan::Handoff;
use crate::rack::BuildId;

impl Altering<'_> {
    /// Writes the handed-off files of a plan as a zip for each build into the folder for its family, in the layout
    /// that mod managers install. Returns the files. An existing file is not overwritten.
    ///
    /// # Errors
    /// If an archive cannot be written, or another one is there.
    pub fn hand_off(
        &self,
        fit: &FitPlan,
        folder_for: impl Fn(&str) -> Result<PathBuf>,
    ) -> Result<Vec<PathBuf>> {
        for parcel in &fit.parcels {
            self.shelve(parcel)?;
        }
        let mut written = Vec::new();
        for parts in fit.plan.handoff.chunk_by(|a, b| a.of == b.of) {
            let id = &parts[0].of;
            written.push(self.write_archive(parts, id, &folder_for(&id.family)?)?);
        }
        Ok(written)
    }

    fn write_archive(&self, parts: &[Handoff], id: &BuildId, folder: &Path) -> Result<PathBuf> {
        let target = folder.join(format!("{}-{}-data.zip", id.family, id.version));
        let staged = NamedTempFile::new_in(folder).map_err(Error::io("write into", folder))?;
        self.pack(parts, staged.as_file(), &target)?;
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

    fn pack(&self, parts: &[Handoff], file: &File, target: &Path) -> Result<()> {
        let failed = |error: zip::result::ZipError| match error {
            zip::result::ZipError::Io(error) => Error::io("write", target)(error),
            other => Error::io("write", target)(io::Error::other(other)),
        };
        let mut zip = ZipWriter::new(file);
        for part in parts {
            let options = SimpleFileOptions::default().large_file(part.content.size >= 1 << 32);
            zip.start_file(part.to.as_str(), options).map_err(failed)?;
            let mut stored = self.workshop().store.open_content(&part.content)?;
            io::copy(&mut stored, &mut zip).map_err(Error::io("write", target))?;
        }

        zip.finish().map(drop).map_err(failed)
    }
}
