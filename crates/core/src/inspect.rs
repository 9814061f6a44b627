//! The facts of single files: images, and the kind of any other file.

use std::fs::Metadata;
use std::path::{Path, PathBuf};

use crate::content::{Digest, Stamp, sha256};
use crate::error::Error;
use crate::path::followed;
use crate::survey::LookError;
use upright_spanner_image::file::bytes_of;
use upright_spanner_image::{Image, ImageError, Signature, TrustStore};

/// The result for some files.
#[derive(Debug, Default)]
pub struct Inspection {
    /// The files that could be read.
    pub images: Vec<Inspected>,
    /// Files that are not images, with their kind.
    pub others: Vec<Other>,
    /// The files of which not everything asked for could be read, and why.
    pub errors: Vec<LookError>,
}

/// One file.
#[derive(Debug)]
pub struct Inspected {
    /// The path as it was given.
    pub path: PathBuf,
    /// The SHA-256 of the whole file.
    pub sha256: Digest,
    /// Date and permissions.
    pub stamp: Stamp,
    /// The image's facts.
    pub image: Image,
    /// Whether it is what its signer signed.
    pub signature: Signature,
}

/// A file that is not an image.
#[derive(Debug)]
pub struct Other {
    /// The path as it was given.
    pub path: PathBuf,
    /// Its kind, as in "a text file".
    pub looks_like: &'static str,
    /// The SHA-256 of the whole file.
    pub sha256: Digest,
    /// Its length in bytes.
    pub size: u64,
    /// Date and permissions.
    pub stamp: Stamp,
}

/// The longest file of root certificates: all that a system trusts have some 300 KB.
const LONGEST_TRUST: u64 = 16 << 20;

/// The root certificates that are trusted: those in the user's PEM file, else the system's, if it can be asked.
///
/// # Errors
/// If the file cannot be read, or contains none.
pub fn trusted_roots(path: Option<&Path>) -> Result<Option<TrustStore>, Error> {
    let Some(path) = path else { return Ok(TrustStore::of_system()) };
    let bytes = bytes_of(&followed(path), LONGEST_TRUST).map_err(Error::io("read", path))?;
    let store =
        TrustStore::from_pem(&bytes).map_err(|why| Error::Trust { path: path.to_owned(), why })?;
    Ok(Some(store))
}

/// Reads each of some files, checking signatures against the roots given; one that cannot be read does not keep the others from it.
pub fn inspect(files: &[PathBuf], trust: Option<&TrustStore>) -> Inspection {
    let mut inspection = Inspection::default();
    for path in files {
        match inspect_one(path, trust) {
            Ok(inspected) => inspection.images.push(inspected),
            Err(error) => {
                if let ImageError::NotAnImage { looks_like } = error {
                    inspection.others.extend(other(path, looks_like));
                }
                inspection.errors.push(LookError {
                    path: path.clone(),
                    code: error.code(),
                    message: format!("{error}. {}", error.advice()),
                });
            }
        }
    }

    inspection
}

fn other(path: &Path, looks_like: &'static str) -> Option<Other> {
    let metadata = std::fs::metadata(path).ok().filter(Metadata::is_file)?;
    let (sha256, size) = sha256(path).ok()?;
    Some(Other { path: path.to_owned(), looks_like, sha256, size, stamp: Stamp::of(&metadata) })
}

/// Reads one file.
///
/// # Errors
/// If it cannot be read, is not an image, or is damaged.
pub fn inspect_one(path: &Path, trust: Option<&TrustStore>) -> Result<Inspected, ImageError> {
    let plain = followed(path);
    let metadata = std::fs::metadata(&plain)?;
    if !metadata.is_file() {
        let looks_like = if metadata.is_dir() { "a folder" } else { "a pipe or a device" };
        return Err(ImageError::NotAnImage { looks_like });
    }
    let image = Image::read(&plain)?;
    let signature = Signature::check(&plain, trust)?;
    let (sha256, _) = sha256(&plain)?;
    Ok(Inspected { path: path.to_owned(), sha256, stamp: Stamp::of(&metadata), image, signature })
}
