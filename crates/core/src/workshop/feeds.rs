//! Feeds that the user has added: looked at, taken in, asked for news, forgotten.

use std::collections::BTreeSet;
use std::sync::Arc;

use jiff::{SignedDuration, Timestamp};

use super::{Altering, Workshop};
use crate::catalog::slug;
use crate::content::Content;
use crate::error::{Error, FeedError, Result};
use crate::feed::{self, Feed, Feeds, Found, Head, Key, News, Packed, Pieces, Subscription};
use crate::fetch::{Address, Seen};
use crate::path::{TreePath, same_name};
use crate::remedy::Action;
use crate::survey::{Filter, GameView};
use upright_spanner_change::Progress;

/// A feed that was looked at and verified, and that nothing is kept of yet.
#[derive(Debug)]
pub struct FeedPreview(Found);

impl FeedPreview {
    /// What its publisher signed.
    pub fn head(&self) -> &Head {
        &self.0.head
    }

    /// Its location.
    pub fn address(&self) -> &Address {
        &self.0.address
    }
}

/// The user's options for a new feed.
#[derive(Debug, Clone, Default)]
pub struct FeedOptions {
    /// What to call it; the title in short, if it is left out.
    pub name: Option<String>,
    /// The time after which it is refreshed automatically.
    pub fresh_for: Option<SignedDuration>,
    /// Whether its settings may be where in the registry it says that they are.
    pub registry: bool,
}

/// A fetched state of a feed, to be kept.
#[derive(Debug)]
pub struct Fetched {
    name: String,
    found: Found,
    pieces: Pieces,
    is_news: bool,
}

/// What came of a refresh.
#[derive(Debug, Clone)]
pub struct Refreshed {
    /// The feed.
    pub name: String,
    /// Whether its publisher had anything new.
    pub is_news: bool,
    /// Builds that it has now and did not have before, of the families that were taken in.
    pub new: Vec<String>,
    /// Keys of the registry that it asks for and that the user has not granted.
    pub asks: Vec<String>,
}

impl Workshop {
    /// The feeds as they were when they were last refreshed.
    pub fn feeds(&self) -> Arc<Feeds> {
        self.records.feeds.get_or_read(|| Ok(self.feeds_folder.read())).unwrap_or_default()
    }

    /// Looks at a feed, and verifies it: with the key that is given, else with the one that it names.
    ///
    /// # Errors
    /// If it cannot be reached, or is not valid.
    pub fn look_at_feed(&self, address: &Address, key: Option<&Key>) -> Result<FeedPreview> {
        feed::look(&self.client, address, key).map(FeedPreview)
    }

    /// Checks a feed for updates, and fetches new pieces for the families in use, and damaged ones.
    ///
    /// # Errors
    /// If it does not exist, cannot be reached, or is refused; the earlier state stays.
    pub fn fetch_news(&self, name: &str, progress: &dyn Progress) -> Result<Fetched> {
        let feeds = self.feeds();
        let known = subscription(&feeds, name)?;
        let (found, is_news) = if let Some(feed) = feeds.feed(name) {
            match feed::news(&self.client, known, &feed.places())? {
                News::Head(found) => (*found, true),
                News::None(seen) => (self.as_known(feed, seen)?, false),
            }
        } else {
            // Its fetched data is damaged.
            let found = feed::look(&self.client, &known.address, Some(&known.key))?;
            feed::expect_current(&found, known)?;
            let is_news = found.content() != known.head;
            (found, is_news)
        };
        let pieces = self.pieces(&known.name, &found, &BTreeSet::new(), progress)?;
        Ok(Fetched { name: known.name.clone(), found, pieces, is_news })
    }

    /// The known state of a feed, as if it had just been fetched.
    fn as_known(&self, feed: &Feed, seen: Seen) -> Result<Found> {
        let known = &feed.subscription;
        let bytes = self.feeds_folder.piece(&known.name, &known.head);
        let gone = || FeedError::Unknown { name: known.name.clone(), known: Vec::new() };
        let (address, head) = (known.address.clone(), feed.head.clone());
        Ok(Found { address, head, bytes: bytes.ok_or_else(gone)?, seen })
    }

    fn pieces(
        &self,
        name: &str,
        found: &Found,
        families: &BTreeSet<String>,
        progress: &dyn Progress,
    ) -> Result<Pieces> {
        let mut families = families.clone();
        if !found.is_small() {
            families.extend(self.families_here(progress)?);
        }
        let folder = &self.feeds_folder;
        let has = |content: &Content| folder.piece(name, content);
        feed::pieces(&self.client, found, &families, &has)
    }

    /// The families on the rack, and of the components of all known games.
    fn families_here(&self, progress: &dyn Progress) -> Result<BTreeSet<String>> {
        let on_rack = self.builds()?.iter().map(|build| build.id.family.clone()).collect();
        let roots = self.games()?.into_iter().map(|game| game.root).filter(|root| root.is_dir());
        let mut families: BTreeSet<String> = on_rack;
        let survey = self.survey(&roots.collect::<Vec<_>>(), &Filter::default(), progress)?;
        families.extend(survey.games.iter().flat_map(GameView::families));
        Ok(families)
    }

    /// Fetches the listings of some families that feeds may have.
    ///
    /// # Errors
    /// If a feed cannot be reached, or is refused.
    pub fn take_in_families(
        &self,
        families: &BTreeSet<String>,
        progress: &dyn Progress,
    ) -> Result<()> {
        let feeds = self.feeds();
        let is_new = |feed: &&Feed| families.iter().any(|family| !feed.has_taken_in(family));
        // One that cannot be reached does not keep the others from it.
        let taken = feeds.feeds.iter().filter(is_new).map(|feed| {
            let found = self.as_known(feed, feed.subscription.seen.clone())?;
            let name = feed.name().to_owned();
            let pieces = self.pieces(&name, &found, families, progress)?;
            let fetched = Fetched { name, found, pieces, is_news: false };
            self.alter()?.keep(&fetched, false).map(drop)
        });
        taken.fold(Ok(()), Result::and)
    }

    /// A publisher's notes on a build, from the stored copy, otherwise from the feed.
    ///
    /// # Errors
    /// If neither has it.
    pub(super) fn feed_notes(&self, feed: &Feed, notes: &Packed) -> Result<Vec<u8>> {
        let content = notes.content();
        if let Some(bytes) = self.feeds_folder.piece(feed.name(), &content) {
            return Ok(bytes);
        }
        let name = feed::content_name(&notes.blake3);
        let bytes = self.client.get_content(&feed.places(), &name, &content)?;
        // It is a cache: if it cannot be kept, it is got again.
        let _ = self.feeds_folder.keep_cached(feed.name(), std::slice::from_ref(&bytes));
        Ok(bytes)
    }
}

impl Altering<'_> {
    /// Adds a feed that was looked at, or says something else of one that was added before.
    ///
    /// # Errors
    /// If its pieces cannot be fetched, its name is taken, or the home cannot be written to.
    pub fn add_feed(
        &self,
        sight: FeedPreview,
        wish: &FeedOptions,
        progress: &dyn Progress,
    ) -> Result<Subscription> {
        let workshop = self.workshop();
        let FeedPreview(found) = sight;
        let feeds = workshop.feeds();
        let known = feeds.subscriptions().find(|known| known.address == found.address);
        if let Some(known) = known {
            feed::expect_current(&found, known)?;
        }
        let name = match (&wish.name, known) {
            (Some(name), _) => name.clone(),
            (None, Some(known)) => known.name.clone(),
            (None, None) => free_name(&slug(&found.head.title), &feeds),
        };
        if !is_name(&name) {
            return Err(Error::Invalid {
                what: format!("`{name}` cannot be the name of a feed"),
                remedy: "Use lower-case letters, digits and `-`.".into(),
            });
        }
        let is_other = known.is_none_or(|known| !same_name(&known.name, &name));
        if is_other && feeds.is_taken(&name) {
            return Err(Error::Invalid {
                what: format!("there is a feed `{name}`, with another address"),
                remedy: (
                    "Forget that, or give this another name",
                    Action::ForgetFeed { name: name.into() },
                )
                    .into(),
            });
        }
        // Earlier grants are kept.
        let granted = if wish.registry {
            found.head.registry.clone()
        } else {
            known.map_or_else(Vec::new, |known| known.granted.clone())
        };
        let subscription = Subscription {
            name,
            address: found.address.clone(),
            key: found.head.key.clone(),
            serial: found.head.serial,
            head: found.content(),
            refreshed: Timestamp::now(),
            seen: found.seen.clone(),
            fresh_for: wish.fresh_for.or_else(|| known?.fresh_for),
            granted,
        };
        let pieces = workshop.pieces(&subscription.name, &found, &BTreeSet::new(), progress)?;
        let folder = &workshop.feeds_folder;
        folder.keep(&subscription.name, &pieces.vital)?;
        folder.keep_cached(&subscription.name, &pieces.shards)?;
        folder.write(&subscription)?;
        folder.sweep(&subscription.name, &pieces.kept)?;
        if let Some(other) = known.filter(|known| known.name != subscription.name) {
            folder.remove(&other.name)?;
        }
        Ok(subscription)
    }

    /// Stores a fetched feed.
    ///
    /// # Errors
    /// If the feed is not there any more, or the home cannot be written to.
    pub fn take_in(&self, fetched: &Fetched) -> Result<Refreshed> {
        self.keep(fetched, true)
    }

    /// Stores the fetched pieces; `asked` tells whether its publisher was asked for updates.
    fn keep(&self, fetched: &Fetched, asked: bool) -> Result<Refreshed> {
        let workshop = self.workshop();
        let Fetched { name, found, pieces, is_news } = fetched;
        let feeds = workshop.feeds();
        let known = subscription(&feeds, name)?;
        let mut refreshed =
            Refreshed { name: name.clone(), is_news: *is_news, new: Vec::new(), asks: Vec::new() };
        // Another process may have been quicker.
        if feed::expect_current(found, known).is_err() {
            return Ok(refreshed);
        }
        let folder = &workshop.feeds_folder;
        folder.keep(name, &pieces.vital)?;
        folder.keep_cached(name, &pieces.shards)?;
        let mut kept = pieces.kept.clone();
        if found.content() == known.head {
            kept.extend(found.head.shards.iter().map(feed::Piece::content));
        }
        let mut subscription = known.clone();
        subscription.key = found.head.key.clone();
        subscription.serial = found.head.serial;
        subscription.head = found.content();
        if asked {
            subscription.refreshed = Timestamp::now();
            subscription.seen = found.seen.clone();
        }
        if subscription != *known {
            folder.write(&subscription)?;
        }

        workshop.refresh();
        let after = workshop.feeds();
        let Some(after) = after.feed(name) else { return Ok(refreshed) };
        let notes = after.listings().flat_map(|listing| &listing.build);
        kept.extend(notes.filter_map(|entry| Some(entry.notes.as_ref()?.content())));
        folder.sweep(name, &kept)?;
        refreshed.new =
            feeds.feed(name).map(|before| new_builds(before, after)).unwrap_or_default();
        let asks = after.head.registry.iter().filter(|key| !after.subscription.grants(key));
        refreshed.asks = if *is_news { asks.cloned().collect() } else { Vec::new() };
        Ok(refreshed)
    }

    /// Forgets a feed. What came from it onto the rack stays.
    ///
    /// # Errors
    /// If it does not exist, or the home cannot be written to.
    pub fn forget_feed(&self, name: &str) -> Result<()> {
        let workshop = self.workshop();
        let feeds = workshop.feeds();
        let known = feeds.feed(name).map(|feed| feed.name().to_owned());
        let known = known.or_else(|| feeds.is_taken(name).then(|| name.to_owned()));
        let unknown = || FeedError::Unknown { name: name.to_owned(), known: names(&feeds) };
        workshop.feeds_folder.remove(&known.ok_or_else(unknown)?)
    }
}

fn names(feeds: &Feeds) -> Vec<String> {
    feeds.subscriptions().map(|known| known.name.clone()).collect()
}

/// The subscription of a feed, even of a damaged one.
fn subscription<'a>(feeds: &'a Feeds, name: &str) -> Result<&'a Subscription> {
    let unknown = || FeedError::Unknown { name: name.to_owned(), known: names(feeds) };
    let mut all = feeds.subscriptions();
    Ok(all.find(|known| same_name(&known.name, name)).ok_or_else(unknown)?)
}

/// Whether a feed can have this name: it becomes the name of a file.
fn is_name(name: &str) -> bool {
    let file = TreePath::new(&format!("{name}.toml"));
    slug(name) == name && !name.is_empty() && name.len() <= 60 && file.is_ok()
}

/// A name that no feed has.
fn free_name(wanted: &str, feeds: &Feeds) -> String {
    let wanted: String =
        if wanted.is_empty() { "feed".to_owned() } else { wanted.chars().take(40).collect() };
    let wanted = wanted.trim_end_matches('-');
    let is_free = |name: &String| !feeds.is_taken(name) && is_name(name);
    let numbered = (2..).map(|number| format!("{wanted}-{number}"));
    std::iter::once(wanted.to_owned()).chain(numbered).find(is_free).unwrap_or_default()
}

/// Builds of families that were taken in before and after, that are new.
fn new_builds(before: &Feed, after: &Feed) -> Vec<String> {
    let mut new = Vec::new();
    for listing in after.listings().filter(|listing| before.has_taken_in(&listing.id)) {
        let old = before.listing(&listing.id);
        let has = |version: &str| {
            old.is_some_and(|old| old.build.iter().any(|entry| same_name(&entry.version, version)))
        };
        let versions = listing.build.iter().map(|entry| &entry.version);
        for version in versions.filter(|version| !has(version)) {
            let id = format!("{}@{version}", listing.id);
            if !new.contains(&id) {
                new.push(id);
            }
        }
    }
    new
}
