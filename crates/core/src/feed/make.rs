//! Writes a feed: its contents first, then the head that names them, and last the signature that names the head. Who
//! reads it in the meantime has the state before or the one after.

use std::collections::BTreeSet;
use std::fs::File;
use std::path::{Path, PathBuf};

use filetime::FileTime;
use jiff::{SignedDuration, Timestamp};

use super::head::{Comment, Head, MOST_SHARDS, Piece, SCHEMA, SIGNATURE, content_name, shard_of};
use super::key::{Key, Secret, Successor};
use super::listing::{Listing, Shard, pack};
use crate::catalog::{Recognition, SettingPlace, parse};
use crate::content::{Content, Digest};
use crate::error::{Error, FeedError, Result};
use upright_spanner_change::{Folder, line, sync_file};

/// About so many builds share a shard of a large feed: few enough to be sent in no time.
const BUILDS_A_SHARD: usize = 16;

/// Who signs a feed.
#[derive(Debug)]
pub enum Signer<'a> {
    /// This program.
    Secret(&'a Secret),
    /// Its publisher, with the ordinary tool; the head has this key.
    Elsewhere(&'a Key),
}

/// A feed to write.
#[derive(Debug)]
pub(crate) struct Draft {
    pub title: String,
    pub mirrors: Vec<String>,
    pub fresh_for: SignedDuration,
    pub listings: Vec<Listing>,
    /// The head that was there before.
    pub before: Option<Head>,
}

/// The written files.
#[derive(Debug)]
pub struct Written {
    /// The head.
    pub head: Head,
    /// Its file.
    pub path: PathBuf,
    /// The signature, or the path where it must be put.
    pub signature: PathBuf,
    /// The comment for the signature, if it is made elsewhere.
    pub comment: Option<String>,
}

impl Draft {
    /// Writes it into a folder.
    pub fn write(
        &self,
        folder: &Path,
        signer: &Signer<'_>,
        replacing: Option<&Secret>,
    ) -> Result<Written> {
        let key = match signer {
            Signer::Secret(secret) => secret.public(),
            Signer::Elsewhere(key) => key,
        };
        let head = self.head(folder, key, replacing)?;
        let text = serde_json::to_vec(&head).map_err(|error| not_written(folder, error.into()))?;
        let content = write_content(folder, &text)?;
        let comment = Comment { serial: head.serial, head: content }.to_string();
        let (path, signature) = (content_path(folder, &content.blake3), folder.join(SIGNATURE));
        let comment = match signer {
            Signer::Secret(secret) => {
                let signed = secret.sign(&text, &comment)?;
                write_signature(folder, &signature, &signed)?;
                None
            }
            Signer::Elsewhere(_) => Some(comment),
        };
        Ok(Written { head, path, signature, comment })
    }

    fn head(&self, folder: &Path, key: &Key, replacing: Option<&Secret>) -> Result<Head> {
        let builds: usize = self.listings.iter().map(|listing| listing.build.len()).sum();
        let count = builds.div_ceil(BUILDS_A_SHARD).next_power_of_two().min(MOST_SHARDS);
        let mut shards: Vec<Shard> =
            (0..count).map(|_| Shard { schema: SCHEMA, ..Shard::default() }).collect();
        for listing in &self.listings {
            shards[shard_of(&listing.id, count)].family.push(listing.clone());
        }
        let shards = shards.iter().map(|shard| write_piece(folder, &to_json(folder, shard)?));
        let shards: Result<Vec<Piece>> = shards.collect();

        let (mut known, mut registry) = (Vec::new(), BTreeSet::new());
        for text in self.listings.iter().filter_map(|listing| listing.catalog.as_ref()) {
            known.extend(Recognition::of_catalog(folder, text).map_err(Error::Catalog)?);
            for family in parse(folder, text).map_err(Error::Catalog)? {
                registry.extend(family.settings.iter().filter_map(|it| match &it.place {
                    SettingPlace::Value { value, .. } => Some(value.key.clone()),
                    _ => None,
                }));
            }
        }
        let successors = self.successors(key, replacing)?;
        let made = Timestamp::now();
        Ok(Head {
            schema: SCHEMA,
            serial: self.before.as_ref().map_or(0, |head| head.serial) + 1,
            title: self.title.clone(),
            made,
            fresh_until: made.saturating_add(self.fresh_for).unwrap_or(Timestamp::MAX),
            key: key.clone(),
            successors,
            mirrors: self.mirrors.clone(),
            registry: registry.into_iter().collect(),
            family_count: self.listings.len() as u32,
            build_count: builds as u32,
            families: write_piece(folder, &to_json(folder, &known)?)?,
            shards: shards?,
        })
    }

    /// The keys by which earlier ones lead to the one that signs now.
    fn successors(&self, key: &Key, replacing: Option<&Secret>) -> Result<Vec<Successor>> {
        let Some(before) = &self.before else { return Ok(Vec::new()) };
        let mut successors = before.successors.clone();
        if before.key == *key {
            return Ok(successors);
        }
        let Some(old) = replacing.filter(|old| *old.public() == before.key) else {
            return Err(FeedError::Key {
                what: format!("the feed there is signed by another key, {}", before.key),
                remedy: "Sign with that key; or also give its secret key, to certify the new one."
                    .into(),
            }
            .into());
        };
        successors.push(Successor::named_by(old, key)?);
        Ok(successors)
    }
}

/// Writes the signature in place of the one before, dated a second later at least: web servers tell files apart by
/// length and second.
fn write_signature(folder: &Path, path: &Path, text: &str) -> Result<()> {
    let dated = || std::fs::metadata(path).map(|it| FileTime::from_last_modification_time(&it));
    let before = dated().ok();
    line::write_over(&Folder::make(folder)?, SIGNATURE, text)?;
    let now = dated().map_err(Error::io("look at", path))?;
    if let Some(before) = before.filter(|before| before.seconds() >= now.seconds()) {
        let later = FileTime::from_unix_time(before.seconds() + 1, 0);
        filetime::set_file_mtime(path, later).map_err(Error::io("date", path))?;
    }
    Ok(())
}

fn to_json(folder: &Path, value: &impl serde::Serialize) -> Result<Vec<u8>> {
    serde_json::to_vec(value).map_err(|error| not_written(folder, error.into()))
}

fn write_piece(folder: &Path, text: &[u8]) -> Result<Piece> {
    let (bytes, piece) = pack(text).map_err(|error| not_written(folder, error))?;
    write_content(folder, &bytes)?;
    Ok(piece)
}

fn not_written(folder: &Path, error: std::io::Error) -> Error {
    Error::io("write", folder)(error)
}

/// The file of a content in a feed's folder.
pub(crate) fn content_path(folder: &Path, digest: &Digest) -> PathBuf {
    folder.join(content_name(digest))
}

/// Writes a content into a feed's folder, if it is not there yet.
pub(crate) fn write_content(folder: &Path, bytes: &[u8]) -> Result<Content> {
    let content = Content::of_bytes(bytes);
    let path = content_path(folder, &content.blake3);
    if !is_there(&path, &content) {
        let around = Folder::make(path.parent().unwrap_or(folder))?;
        line::write_bytes_over(&around, &content.blake3.to_string(), bytes)?;
    }
    Ok(content)
}

/// Copies a file into a feed's folder as the content that it is, if that is not there yet.
pub(crate) fn copy_content(folder: &Path, from: &Path, content: &Content) -> Result<()> {
    let path = content_path(folder, &content.blake3);
    if is_there(&path, content) {
        return Ok(());
    }
    let around = Folder::make(path.parent().unwrap_or(folder))?;
    let name = content.blake3.to_string();
    let staged = format!(".new-{name}");
    let _ = around.remove_file(&staged);
    let copied = File::open(from).map_err(Error::io("read", from)).and_then(|mut file| {
        let mut copy = around.create(&staged, None)?;
        std::io::copy(&mut file, &mut copy).map_err(Error::io("write", &path))?;
        Ok(sync_file(&copy, &path)?)
    });
    let named = copied.and_then(|()| Ok(around.rename(&staged, &around, &name)?));
    if named.is_err() {
        let _ = around.remove_file(&staged);
    }
    named?;
    Ok(around.sync()?)
}

fn is_there(path: &Path, content: &Content) -> bool {
    let is_plain = path.symlink_metadata().is_ok_and(|found| found.is_file());
    is_plain && crate::content::content_of(path).is_ok_and(|found| found == *content)
}

/// Removes the contents of a feed's folder that its newest state does not name; gives how many there were.
pub(crate) fn prune(folder: &Path, kept: &BTreeSet<Digest>) -> Result<usize> {
    let all = Folder::make(folder)?;
    let Some(contents) = all.below("content")? else { return Ok(0) };
    let mut removed = 0;
    for group in contents.names()? {
        let Some(group) = group.to_str() else { continue };
        let Some(around) = contents.below(group)? else { continue };
        for name in around.names()? {
            let Some(name) = name.to_str() else { continue };
            let is_needed = name.parse().is_ok_and(|digest| kept.contains(&digest));
            if !is_needed {
                around.remove_file(name)?;
                removed += 1;
            }
        }
        // Windows removes no folder that is held open.
        drop(around);
        contents.remove_folder(group)?;
    }
    Ok(removed)
}

/// Every content of a head and the pieces it names.
pub(crate) fn contents(head: &Head, head_content: Content, listings: &[Listing]) -> Vec<Content> {
    let pieces = head.shards.iter().chain([&head.families]).map(Piece::content);
    let mut all: Vec<Content> = pieces.chain([head_content]).collect();
    for entry in listings.iter().flat_map(|listing| &listing.build) {
        if entry.page.is_none() {
            all.push(entry.file.content());
        }
        all.extend(entry.notes.as_ref().map(super::Packed::content));
    }
    all
}
