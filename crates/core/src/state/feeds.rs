//! The feeds that the user has added: for each a TOML file in `feeds/`, and beside it a folder with the fetched
//! pieces, named by digest. The file decides: it is written when all pieces it names are there, and others are
//! removed afterwards. docs/formats.md describes the format.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};

use jiff::{SignedDuration, Timestamp};
use serde::{Deserialize, Serialize};

use super::home_file::{HomeDocument, HomeFile};
use crate::catalog::Recognition;
use crate::content::{Content, Digest};
use crate::error::{Error, Result};
use crate::feed::{Feed, FeedFault, Feeds, Head, Key, Shard, Subscription, recognition};
use crate::fetch::{Address, Seen};
use upright_spanner_change::{Folder, sync_file};
use upright_spanner_image::file::bytes_of;

const ENDING: &str = ".toml";

/// A head, how its families are recognised, and those of its shards that were taken in.
type State = (Head, Vec<Recognition>, BTreeMap<usize, Shard>);

/// The folder of the home.
#[derive(Debug)]
pub(crate) struct FeedsFolder {
    path: PathBuf,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredSubscription {
    schema: u32,
    address: String,
    key: Key,
    serial: u64,
    head: Digest,
    head_size: u64,
    refreshed: Timestamp,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    etag: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    modified: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    fresh_for: Option<SignedDuration>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    registry: Vec<String>,
}

impl FeedsFolder {
    pub fn new(home: &Path) -> Self {
        Self { path: home.join("feeds") }
    }

    /// Reads the fetched feeds. An unreadable feed is listed as a fault; a missing or damaged shard counts as not
    /// fetched.
    pub fn read(&self) -> Feeds {
        let mut feeds = Feeds::default();
        let Ok(entries) = fs::read_dir(&self.path) else { return feeds };
        let mut names: Vec<String> =
            entries.flatten().filter_map(|entry| entry.file_name().into_string().ok()).collect();
        names.retain(|name| name.ends_with(ENDING));
        let mut names: Vec<&str> = names.iter().map(|name| name.trim_end_matches(ENDING)).collect();
        names.sort_unstable();
        for name in names {
            let path = self.file_of(name);
            match self.subscription(name) {
                Err(why) => feeds.faults.push(FeedFault { path, why, subscription: None }),
                Ok(subscription) => match self.state(&subscription) {
                    Ok((head, known, shards)) => {
                        feeds.feeds.push(Feed::new(subscription, head, known, shards));
                    }
                    Err(why) => {
                        let subscription = Some(subscription);
                        feeds.faults.push(FeedFault { path, why, subscription });
                    }
                },
            }
        }
        feeds
    }

    fn subscription(&self, name: &str) -> Result<Subscription, String> {
        let stored = self.file(name).read().map_err(|error| error.to_string())?;
        let stored = stored.ok_or("there is no such file")?;
        stored.into_subscription(name)
    }

    /// The fetched data of a feed.
    fn state(&self, subscription: &Subscription) -> Result<State, String> {
        let name = &subscription.name;
        let missing = || "its fetched data is missing or damaged".to_owned();
        let bytes = self.piece(name, &subscription.head).ok_or_else(missing)?;
        let head: Head = serde_json::from_slice(&bytes).map_err(|error| error.to_string())?;
        let known = self.piece(name, &head.families.content()).ok_or_else(missing)?;
        let known = recognition(&known, &head.families)?;
        let shards = head.shards.iter().enumerate().filter_map(|(at, piece)| {
            let bytes = self.piece(name, &piece.content())?;
            Some((at, Shard::read(&bytes, piece).ok()?))
        });
        let shards = shards.collect();
        Ok((head, known, shards))
    }

    /// A part of a feed that was taken in, if it is there and whole.
    pub fn piece(&self, name: &str, content: &Content) -> Option<Vec<u8>> {
        let path = self.path.join(name).join(content.blake3.to_string());
        let bytes = bytes_of(&path, content.size).ok()?;
        (Content::of_bytes(&bytes) == *content).then_some(bytes)
    }

    /// Keeps parts of a feed, which count when [`FeedsFolder::write`] names them; durable when done.
    pub fn keep(&self, name: &str, pieces: &[Vec<u8>]) -> Result<()> {
        self.keep_by(name, pieces, true)
    }

    /// The same for pieces that can be fetched again: they may be lost with the power.
    pub fn keep_cached(&self, name: &str, pieces: &[Vec<u8>]) -> Result<()> {
        self.keep_by(name, pieces, false)
    }

    fn keep_by(&self, name: &str, pieces: &[Vec<u8>], durable: bool) -> Result<()> {
        drop(Folder::make(&self.path)?);
        let folder = Folder::make(&self.path.join(name))?;
        for bytes in pieces {
            let content = Content::of_bytes(bytes);
            if self.piece(name, &content).is_some() {
                continue;
            }
            let named = content.blake3.to_string();
            let staged = format!(".new-{named}");
            folder.remove_file(&staged)?;
            let path = folder.path().join(&staged);
            let mut file = folder.create(&staged, None)?;
            file.write_all(bytes).map_err(Error::io("write", &path))?;
            if durable {
                sync_file(&file, &path)?;
            }
            drop(file);
            folder.rename(&staged, &folder, &named)?;
        }
        if durable {
            folder.sync()?;
        }
        Ok(())
    }

    /// Writes how far a feed was taken in. Must be called under the home's lock.
    pub fn write(&self, subscription: &Subscription) -> Result<()> {
        self.file(&subscription.name).write(&StoredSubscription::of(subscription))
    }

    /// Removes the unneeded pieces of a feed.
    pub fn sweep(&self, name: &str, kept: &BTreeSet<Content>) -> Result<()> {
        let kept: BTreeSet<String> = kept.iter().map(|it| it.blake3.to_string()).collect();
        let Some(folder) = Folder::make(&self.path)?.below(name)? else { return Ok(()) };
        for file in folder.names()? {
            let Some(file) = file.to_str().filter(|file| !kept.contains(*file)) else { continue };
            folder.remove_file(file)?;
        }
        Ok(())
    }

    /// Forgets a feed.
    pub fn remove(&self, name: &str) -> Result<()> {
        let folder = Folder::make(&self.path)?;
        folder.remove_file(&format!("{name}{ENDING}"))?;
        folder.sync()?;
        self.sweep(name, &BTreeSet::new())?;
        folder.remove_folder(name)?;
        Ok(())
    }

    fn file(&self, name: &str) -> HomeFile<StoredSubscription> {
        HomeFile::new(self.file_of(name))
    }

    fn file_of(&self, name: &str) -> PathBuf {
        self.path.join(format!("{name}{ENDING}"))
    }
}

impl HomeDocument for StoredSubscription {
    const SCHEMA: u32 = 1;
    const HEADING: &str =
        "# A feed, and the state of it that was fetched last; see docs/formats.md.";
    /// It has a dozen lines.
    const LONGEST: u64 = 64 << 10;
}

impl StoredSubscription {
    fn of(feed: &Subscription) -> Self {
        Self {
            schema: Self::SCHEMA,
            address: feed.address.to_string(),
            key: feed.key.clone(),
            serial: feed.serial,
            head: feed.head.blake3,
            head_size: feed.head.size,
            refreshed: feed.refreshed,
            etag: feed.seen.etag.clone(),
            modified: feed.seen.modified.clone(),
            fresh_for: feed.fresh_for,
            registry: feed.granted.clone(),
        }
    }

    fn into_subscription(self, name: &str) -> Result<Subscription, String> {
        Ok(Subscription {
            name: name.to_owned(),
            address: Address::new(&self.address).map_err(|error| error.to_string())?,
            key: self.key,
            serial: self.serial,
            head: Content { blake3: self.head, size: self.head_size },
            refreshed: self.refreshed,
            seen: Seen { etag: self.etag, modified: self.modified },
            fresh_for: self.fresh_for,
            granted: self.registry,
        })
    }
}
