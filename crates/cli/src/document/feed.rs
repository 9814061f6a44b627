//! Feeds, their builds, downloads from them, and published feeds.

use std::path::Path;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::feed::{self, Advice, Counsel, Entry, Feed, FeedFault, Key};
use upright_spanner_core::image::Machine;
use upright_spanner_core::rack;
use upright_spanner_core::{Download, MadeFeed, Refreshed, VerifiedFeed};

use super::error::{ErrorBody, Unread};
use super::{SchemaNumber, text};
use crate::text::slashes;

/// The feeds that the user has added.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Feeds<'a> {
    schema: SchemaNumber,
    feeds: Vec<OneFeed<'a>>,
    /// Files about feeds that cannot be used.
    errors: Vec<Unread>,
}

/// A feed, as it was when it was last refreshed.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Feed")]
struct OneFeed<'a> {
    name: &'a str,
    /// What its publisher calls it.
    title: &'a str,
    /// An address, or the path of a folder.
    address: String,
    /// The public key that was confirmed.
    key: String,
    /// The number of its state, which never falls.
    serial: u64,
    families: u32,
    builds: u32,
    /// When its publisher was last asked.
    #[schemars(with = "String")]
    refreshed: Timestamp,
    /// Until when it can be taken for the newest.
    #[schemars(with = "String")]
    fresh_until: Timestamp,
    /// Whether that is past.
    stale: bool,
    /// The hours after which it is refreshed automatically; null if it is not.
    fresh_for_hours: Option<i64>,
    /// Other places that have its contents.
    mirrors: &'a [String],
    /// Keys of the registry, below the user's own, in which its settings may be.
    registry: &'a [String],
}

impl<'a> From<&'a Feed> for OneFeed<'a> {
    fn from(feed: &'a Feed) -> Self {
        let (own, head) = (&feed.subscription, &feed.head);
        Self {
            name: &own.name,
            title: &head.title,
            address: own.address.to_string(),
            key: own.key.to_string(),
            serial: own.serial,
            families: head.family_count,
            builds: head.build_count,
            refreshed: own.refreshed,
            fresh_until: head.fresh_until,
            stale: feed.is_stale(),
            fresh_for_hours: own.fresh_for.map(|most| most.as_hours()),
            mirrors: &head.mirrors,
            registry: &own.granted,
        }
    }
}

impl<'a> Feeds<'a> {
    pub fn new(feeds: &[&'a Feed], faults: &[FeedFault]) -> Self {
        let errors = faults.iter().map(|it| Unread::new(&it.path, "feed", it.why.clone()));
        let feeds = feeds.iter().map(|feed| OneFeed::from(*feed)).collect();
        Self { schema: SchemaNumber, feeds, errors: errors.collect() }
    }
}

/// What feeds have.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "FeedBuilds")]
pub struct Offers<'a> {
    schema: SchemaNumber,
    builds: Vec<Offered<'a>>,
}

/// A download that a feed has.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "FeedBuild")]
struct Offered<'a> {
    /// As it is named to `rack get`.
    build: &'a str,
    feed: &'a str,
    /// The name of the file or archive.
    file: &'a str,
    /// The BLAKE3 of it.
    blake3: String,
    /// In bytes.
    size: u64,
    /// The page with the download; null if the feed has the file.
    page: Option<&'a str>,
    /// The day from which it is.
    date: Option<String>,
    /// The versions of the game that it supports.
    supports: Option<String>,
    variants: Vec<OfferedVariant<'a>>,
    /// The advice against it.
    advice: Vec<OneAdvice<'a>>,
    /// How it is called on the rack, if it is there.
    on_rack: Option<String>,
}

/// A variant of a download.
#[derive(Debug, Serialize, JsonSchema)]
struct OfferedVariant<'a> {
    /// Null for the only one.
    variant: Option<&'a str>,
    machine: Option<Machine>,
    edition: Option<&'a str>,
}

/// A feed's advice.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Advice")]
struct OneAdvice<'a> {
    what: Counsel,
    /// With which versions of the game; null for all.
    game: Option<String>,
    /// The executable of the game that it is about; null for all.
    program: Option<&'a str>,
    why: &'a str,
}

impl<'a> From<&'a Advice> for OneAdvice<'a> {
    fn from(advice: &'a Advice) -> Self {
        let (what, program, why) = (advice.what, advice.program.as_deref(), &advice.why);
        Self { what, game: text(advice.game.as_ref()), program, why }
    }
}

impl<'a> From<&'a feed::Variant> for OfferedVariant<'a> {
    fn from(variant: &'a feed::Variant) -> Self {
        let (name, edition) = (variant.name.as_deref(), variant.edition.as_deref());
        Self { variant: name, machine: variant.machine, edition }
    }
}

impl<'a> From<&'a Download> for Offered<'a> {
    fn from(download: &'a Download) -> Self {
        let Entry { file, page, variant, supports, date, .. } = &download.entry;
        Self {
            build: &download.id,
            feed: &download.feed,
            file: &file.name,
            blake3: file.blake3.to_string(),
            size: file.size,
            page: page.as_deref(),
            date: text(date.as_ref()),
            supports: text(supports.as_ref()),
            variants: variant.iter().map(OfferedVariant::from).collect(),
            advice: download.advice.iter().map(OneAdvice::from).collect(),
            on_rack: download.on_rack.clone(),
        }
    }
}

impl<'a> Offers<'a> {
    pub fn new(downloads: &'a [Download]) -> Self {
        let builds = downloads.iter().map(Offered::from).collect();
        Self { schema: SchemaNumber, builds }
    }
}

/// The downloads, planned or done.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Got<'a> {
    schema: SchemaNumber,
    builds: Vec<GotBuild<'a>>,
}

/// What became of a download.
#[derive(Debug, Serialize, JsonSchema)]
struct GotBuild<'a> {
    #[serde(flatten)]
    offered: Offered<'a>,
    /// Whether it was put on the rack now.
    added: bool,
    /// What kept it from that.
    error: Option<ErrorBody>,
}

impl<'a> Got<'a> {
    /// `on_rack` are the builds that are there now; `failed` are the failed downloads, each with the reason.
    pub fn new(
        downloads: &'a [Download],
        on_rack: &[rack::Build],
        failed: &[(Download, anyhow::Error)],
    ) -> Self {
        let builds = downloads.iter().map(|download| {
            let digest = download.entry.file.blake3;
            let failed = failed
                .iter()
                .find(|(other, _)| other.entry.file.blake3 == digest && other.id == download.id);
            let there = on_rack.iter().find(|build| build.source.blake3 == digest);
            let mut offered = Offered::from(download);
            let name = there.map(|build| build.id.to_string());
            let added = offered.on_rack.is_none() && name.is_some();
            offered.on_rack = offered.on_rack.or(name);
            GotBuild { offered, added, error: failed.map(|(_, error)| error.into()) }
        });
        Self { schema: SchemaNumber, builds: builds.collect() }
    }
}

/// What came of asking feeds for news.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Refresh<'a> {
    schema: SchemaNumber,
    feeds: Vec<RefreshedFeed<'a>>,
    errors: Vec<FailedFeed>,
}

/// A refreshed feed.
#[derive(Debug, Serialize, JsonSchema)]
struct RefreshedFeed<'a> {
    name: &'a str,
    /// Whether there was anything new.
    news: bool,
    /// New builds of known families.
    new: &'a [String],
    /// Keys of the registry that it asks for and that the user has not granted.
    asks: &'a [String],
    stale: bool,
}

/// A feed that could not be asked, or was refused.
#[derive(Debug, Serialize, JsonSchema)]
struct FailedFeed {
    name: String,
    #[serde(flatten)]
    error: ErrorBody,
}

impl<'a> Refresh<'a> {
    pub fn new(
        done: &'a [Refreshed],
        feeds: &feed::Feeds,
        failed: &[(String, anyhow::Error)],
    ) -> Self {
        let feeds = done.iter().map(|refreshed| RefreshedFeed {
            name: &refreshed.name,
            news: refreshed.is_news,
            new: &refreshed.new,
            asks: &refreshed.asks,
            stale: feeds.feed(&refreshed.name).is_some_and(Feed::is_stale),
        });
        let errors = failed
            .iter()
            .map(|(name, error)| FailedFeed { name: name.clone(), error: error.into() });
        Self { schema: SchemaNumber, feeds: feeds.collect(), errors: errors.collect() }
    }
}

/// A feed that was written.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "MadeFeed")]
pub struct Made<'a> {
    schema: SchemaNumber,
    title: &'a str,
    serial: u64,
    key: String,
    #[schemars(with = "String")]
    fresh_until: Timestamp,
    families: u32,
    builds: u32,
    /// Builds that are new in it.
    new: &'a [String],
    /// Files that could not be taken.
    errors: Vec<Unread>,
    /// Contents that were removed.
    pruned: usize,
    /// The file that is signed.
    head: String,
    /// The file of the signature.
    signature: String,
    /// The trusted comment that it must have, if it is made with another tool; null if it is signed.
    comment: Option<&'a str>,
}

impl<'a> Made<'a> {
    pub fn new(made: &'a MadeFeed) -> Self {
        let written = &made.written;
        let errors = made
            .left
            .iter()
            .map(|(path, error)| Unread::new(path, error.code(), error.to_string()));
        Self {
            schema: SchemaNumber,
            title: &written.head.title,
            serial: written.head.serial,
            key: written.head.key.to_string(),
            fresh_until: written.head.fresh_until,
            families: written.head.family_count,
            builds: written.head.build_count,
            new: &made.new,
            errors: errors.collect(),
            pruned: made.pruned,
            head: slashes(&written.path),
            signature: slashes(&written.signature),
            comment: written.comment.as_deref(),
        }
    }
}

/// A feed that was verified.
#[derive(Debug, Serialize, JsonSchema)]
pub struct CheckedFeed<'a> {
    schema: SchemaNumber,
    title: &'a str,
    serial: u64,
    key: String,
    #[schemars(with = "String")]
    fresh_until: Timestamp,
    /// Whether that is past.
    stale: bool,
    families: u32,
    builds: u32,
    /// Contents that are missing or damaged.
    wrong: &'a [String],
    /// Files that it does not name.
    unknown: usize,
    /// Contents that it names.
    read: usize,
}

impl<'a> CheckedFeed<'a> {
    pub fn new(verified: &'a VerifiedFeed) -> Self {
        let head = &verified.head;
        Self {
            schema: SchemaNumber,
            title: &head.title,
            serial: head.serial,
            key: head.key.to_string(),
            fresh_until: head.fresh_until,
            stale: head.is_stale(Timestamp::now()),
            families: head.family_count,
            builds: head.build_count,
            wrong: &verified.wrong,
            unknown: verified.unknown,
            read: verified.read,
        }
    }
}

/// A pair of keys that was made.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "FeedKey")]
pub struct NewKey {
    schema: SchemaNumber,
    /// The public key.
    key: String,
    /// The file of the secret key.
    secret: String,
    /// The file of the public key.
    public: String,
}

impl NewKey {
    pub fn new(key: &Key, secret: &Path, public: &Path) -> Self {
        let (secret, public) = (slashes(secret), slashes(public));
        Self { schema: SchemaNumber, key: key.to_string(), secret, public }
    }
}
