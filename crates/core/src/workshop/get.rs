//! Gets builds that feeds have onto the rack.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::PoisonError;

use super::rack::Addition;
use super::{Altering, Workshop};
use crate::check::{self, Finding};
use crate::content::{Content, content_of};
use crate::error::{Error, FeedError, RackError, Result};
use crate::feed::{Advice, Counsel, Entry, Feed, Feeds, Offer};
use crate::fetch::{Transfer, Wanted, forget_old};
use crate::path::same_name;
use crate::plan::needs;
use crate::rack::{Build, BuildSpec, Needs, PackageOptions, Parcel};
use crate::survey::GameView;
use upright_spanner_change::Progress;
use upright_spanner_image::{Requirement, Version};

/// So many files are downloaded at a time.
const AT_A_TIME: usize = 4;

/// A text with its name.
pub type Text = (String, Vec<u8>);

/// A download that a feed has.
#[derive(Debug, Clone)]
pub struct Download {
    /// Its name: `family@version`.
    pub id: String,
    /// The family.
    pub family: String,
    /// The feed.
    pub feed: String,
    /// The feed's entry.
    pub entry: Entry,
    /// The advice about it, for any game.
    pub advice: Vec<Advice>,
    /// The game's version and the name of its executable, if it is for one.
    game: (Option<Version>, Option<String>),
    /// How it is called on the rack, if it is there already.
    pub on_rack: Option<String>,
    wanted: Option<Wanted>,
}

/// A download that is there, and not on the rack yet.
#[derive(Debug)]
pub struct Downloaded {
    path: PathBuf,
    transfer: Transfer,
}

impl Workshop {
    /// The feeds' builds with some names, written as for [`Workshop::builds`] or without a version; listings of the
    /// families are fetched first, if needed.
    ///
    /// # Errors
    /// If no feed has one of them, or it cannot be reached.
    pub fn downloads(
        &self,
        specs: &[String],
        feed: Option<&str>,
        progress: &dyn Progress,
    ) -> Result<Vec<Download>> {
        let mut out: Vec<Download> = Vec::new();
        for spec in specs {
            let family = BuildSpec::parse(spec).family;
            self.take_in_one(&family, progress)?;
            let feeds = self.feeds();
            if let Some(name) = feed.filter(|name| feeds.feed(name).is_none()) {
                let known = feeds.feeds.iter().map(|feed| feed.name().to_owned()).collect();
                return Err(FeedError::Unknown { name: name.to_owned(), known }.into());
            }
            let is_meant =
                |offer: &&Offer<'_>| feed.is_none_or(|name| same_name(name, offer.feed.name()));
            let named = feeds.named(spec);
            let named: Vec<&Offer<'_>> = named.iter().filter(is_meant).collect();
            let Some(first) = named.first() else {
                let known = feeds.offers(&family).iter().map(Offer::id).collect();
                return Err(none_has(spec, known, &feeds));
            };
            // A version comes from one feed; others may have the same files.
            let own = named.iter().filter(|offer| offer.feed.name() == first.feed.name());
            for offer in own {
                let download = self.download_of(offer, &named, &Needs::default())?;
                let content = download.entry.file.content();
                if out.iter().all(|other| other.entry.file.content() != content) {
                    out.push(download);
                }
            }
        }
        Ok(out)
    }

    /// The feeds' builds for the components of a game that are newer than the game's and the rack's, and that suit
    /// this game according to the feed.
    ///
    /// # Errors
    /// If a feed cannot be reached, or the rack cannot be read.
    pub fn downloads_for(&self, view: &GameView, progress: &dyn Progress) -> Result<Vec<Download>> {
        let in_game = view.libraries.iter().filter(|library| !library.put_aside);
        let families: BTreeSet<String> = in_game.map(|library| library.family.clone()).collect();
        let before = self.feeds();
        let knows = |feed: &Feed| families.iter().all(|family| feed.has_taken_in(family));
        let anew;
        let view = if before.feeds.iter().all(knows) {
            view
        } else {
            self.take_in_families(&families, progress)?;
            anew = self.game(&view.game.root.to_string_lossy(), progress)?;
            &anew
        };
        let feeds = self.feeds();
        let mut out: Vec<Download> = Vec::new();
        // A family in a feed is exchangeable, whether this game alone shows that or not.
        for library in view.libraries.iter().filter(|library| !library.put_aside) {
            let Some(offered) = &library.offered else { continue };
            let is_it = |offer: &&Offer<'_>| {
                offer.feed.name() == offered.feed && offer.entry.file.blake3 == offered.blake3
            };
            let offers = feeds.offers(&library.family);
            let Some(offer) = offers.iter().find(is_it) else { continue };
            let all: Vec<&Offer<'_>> = offers.iter().collect();
            let download = self.download_of(offer, &all, &needs(view))?;
            let digest = download.entry.file.blake3;
            if out.iter().all(|other| other.entry.file.blake3 != digest) {
                out.push(download);
            }
        }
        Ok(out)
    }

    /// What feeds have of a family, or one of them of all families that were taken in.
    ///
    /// # Errors
    /// If neither a feed nor a family in one has that name.
    pub fn listed(&self, what: &str, progress: &dyn Progress) -> Result<Vec<Download>> {
        if let Some(feed) = self.feeds().feed(what) {
            let listings = feed.listings().flat_map(|listing| {
                listing.build.iter().map(move |entry| Offer { feed, listing, entry })
            });
            let mut offers: Vec<Offer<'_>> = listings.collect();
            offers.sort_by(|a, b| a.listing.id.cmp(&b.listing.id));
            return offers
                .iter()
                .map(|offer| self.download_of(offer, &[], &Needs::default()))
                .collect();
        }
        self.take_in_one(what, progress)?;
        let feeds = self.feeds();
        let offers = feeds.offers(what);
        if offers.is_empty() {
            let families = feeds.feeds.iter().flat_map(Feed::listings);
            let mut known: Vec<String> = families.map(|listing| listing.id.clone()).collect();
            known.sort();
            known.dedup();
            return Err(none_has(what, known, &feeds));
        }
        offers.iter().map(|offer| self.download_of(offer, &[], &Needs::default())).collect()
    }

    /// The downloads needed before some builds can be fitted to a game: those that the rack lacks, and for a family
    /// without a version the newer ones.
    ///
    /// # Errors
    /// If neither the rack nor a feed has one of them.
    pub fn downloads_to_fit(
        &self,
        view: &GameView,
        specs: &[String],
        progress: &dyn Progress,
    ) -> Result<Vec<Download>> {
        let mut out = Vec::new();
        for spec in specs.iter().filter(|spec| !Path::new(spec).exists()) {
            let named = BuildSpec::parse(spec);
            let builds = self.builds()?;
            let on_rack = builds.iter().any(|build| named.is_met_by(build));
            if named.version.is_some() {
                if !on_rack {
                    out.extend(self.downloads(std::slice::from_ref(spec), None, progress)?);
                }
                continue;
            }
            match self.take_in_one(&named.family, progress) {
                Err(_) if on_rack => {}
                taken => taken?,
            }
            let feeds = self.feeds();
            let needs = needs(view);
            let newest = feeds.newest_for(&named.family, &needs);
            let has = builds.iter().filter(|build| is_usable(build, &named.family, &needs));
            let has = has.filter_map(|build| build.version.clone()).max();
            match newest {
                Some(offer) if has.is_none() || offer.entry.number() > has => {
                    let all = feeds.offers(&named.family);
                    let all: Vec<&Offer<'_>> = all.iter().collect();
                    out.push(self.download_of(&offer, &all, &needs)?);
                }
                Some(_) => {}
                None if on_rack => {}
                None => out.extend(self.downloads(std::slice::from_ref(spec), None, progress)?),
            }
        }
        out.retain(|download| download.on_rack.is_none());
        Ok(out)
    }

    /// The error for a build that is not on the rack, with the feed that has it.
    pub fn or_in_feed(&self, error: Error) -> Error {
        let Error::Rack(RackError::Unknown { spec, known }) = error else { return error };
        let feeds = self.feeds();
        match feeds.named(&spec).first() {
            Some(offer) => {
                let (build, feed) = (offer.id(), offer.feed.name().to_owned());
                RackError::InFeed { spec, build, feed }.into()
            }
            None => RackError::Unknown { spec, known }.into(),
        }
    }

    /// Fetches the listings of a family that a user has named; if one feed cannot be reached, the others suffice.
    fn take_in_one(&self, family: &str, progress: &dyn Progress) -> Result<()> {
        let taken = self.take_in_families(&BTreeSet::from([family.to_owned()]), progress);
        if self.feeds().offers(family).is_empty() { taken } else { Ok(()) }
    }

    /// A download, with every place at which the same file may be had.
    fn download_of(
        &self,
        offer: &Offer<'_>,
        others: &[&Offer<'_>],
        game: &Needs<'_>,
    ) -> Result<Download> {
        let content = offer.entry.file.content();
        let mut wanted = offer.wanted();
        let same = others.iter().filter(|other| other.entry.file.content() == content);
        let elsewhere = same.filter_map(|other| other.wanted()).flat_map(|other| other.places);
        let elsewhere: Vec<_> = elsewhere.collect();
        if let Some(wanted) = &mut wanted {
            for place in elsewhere {
                if !wanted.places.contains(&place) {
                    wanted.places.push(place);
                }
            }
        }
        let number = offer.entry.number();
        let about =
            |advice: &&Advice| number.as_ref().is_some_and(|number| advice.builds.includes(number));
        let feeds = self.feeds();
        let listings = feeds.feeds.iter().filter_map(|feed| feed.listing(&offer.listing.id));
        let mut advice: Vec<Advice> = Vec::new();
        for said in listings.flat_map(|listing| &listing.advice).filter(about) {
            if !advice.contains(said) {
                advice.push(said.clone());
            }
        }
        let builds = self.builds()?;
        let on_rack = builds.iter().find(|build| build.source.blake3 == content.blake3);
        Ok(Download {
            id: offer.id(),
            family: offer.listing.id.clone(),
            feed: offer.feed.name().to_owned(),
            entry: offer.entry.clone(),
            advice,
            game: (game.version.cloned(), game.program.map(str::to_owned)),
            on_rack: on_rack.map(|build| build.id.to_string()),
            wanted,
        })
    }

    /// Downloads files, several at a time, each from the first address that has it; returns the results in order:
    /// nothing if another process has added it to the rack in the meantime. An unfinished download is continued.
    pub fn download(
        &self,
        downloads: &[Download],
        progress: &dyn Progress,
    ) -> Vec<Result<Option<Downloaded>>> {
        let folder = self.home.join("downloads");
        forget_old(&folder);
        let begin = |download: &Download| {
            let by_hand = || FeedError::Nowhere { what: download.entry.file.name.clone() };
            let wanted = download.wanted.clone().ok_or_else(by_hand)?;
            Transfer::begin(&folder, wanted)
        };
        let begun: Vec<Result<Transfer>> = downloads.iter().map(begin).collect();
        // An earlier user of one of the folders may have finished. If the rack cannot be read, adding to it reports
        // that.
        self.refresh();
        let on_rack = self.builds().unwrap_or_default();
        let begun: Vec<Result<Option<Transfer>>> = begun
            .into_iter()
            .map(|transfer| {
                let transfer = transfer?;
                let content = transfer.content();
                if on_rack.iter().any(|build| build.source.blake3 == content.blake3) {
                    transfer.clear();
                    return Ok(None);
                }
                Ok(Some(transfer))
            })
            .collect();
        let going = || begun.iter().flatten().flatten();
        let all: u64 = going().map(|transfer| transfer.content().size).sum();
        let what = match downloads {
            [one] => format!("getting {}", one.id),
            _ => format!("getting {} builds", downloads.len()),
        };
        progress.begin_bytes(&what, all);
        progress.advance(going().map(Transfer::has).sum());

        let next = Mutex::new(0..begun.len());
        let done: Mutex<Vec<Option<Result<PathBuf>>>> =
            Mutex::new(begun.iter().map(|_| None).collect());
        let client = &self.client;
        let work = || loop {
            let at = next.lock().unwrap_or_else(PoisonError::into_inner).next();
            let Some(at) = at else { break };
            let Ok(Some(transfer)) = &begun[at] else { continue };
            let got = transfer.run(client, progress);
            done.lock().unwrap_or_else(PoisonError::into_inner)[at] = Some(got);
        };
        std::thread::scope(|scope| {
            for _ in 0..AT_A_TIME.min(begun.len()) {
                scope.spawn(work);
            }
        });
        progress.end();

        let done = done.into_inner().unwrap_or_else(PoisonError::into_inner);
        let stopped = || FeedError::Stopped { folder: crate::path::slashes(&folder) }.into();
        let each = begun.into_iter().zip(done).map(|(begun, done)| {
            let Some(transfer) = begun? else { return Ok(None) };
            let path = done.unwrap_or_else(|| Err(stopped()))?;
            Ok(Some(Downloaded { path, transfer }))
        });
        each.collect()
    }

    /// The publishers' notes on a build: the name of each text, and the text.
    ///
    /// # Errors
    /// If no feed has the build, or its notes cannot be had.
    pub fn notes_in_feeds(
        &self,
        spec: &str,
        progress: &dyn Progress,
    ) -> Result<(String, Vec<Text>)> {
        let downloads = self.downloads(&[spec.to_owned()], None, progress)?;
        let feeds = self.feeds();
        let mut notes: Vec<Text> = Vec::new();
        for download in &downloads {
            let Some(packed) = &download.entry.notes else { continue };
            let Some(feed) = feeds.feed(&download.feed) else { continue };
            let note = (packed.name.clone(), self.feed_notes(feed, packed)?);
            if !notes.contains(&note) {
                notes.push(note);
            }
        }
        let id = downloads.first().map_or_else(|| spec.to_owned(), |first| first.id.clone());
        Ok((id, notes))
    }

    /// Stores a publisher's notes on a download that the user gets by hand, for when the file is added.
    ///
    /// # Errors
    /// If it cannot be had.
    pub fn keep_notes(&self, download: &Download) -> Result<()> {
        let feeds = self.feeds();
        let (Some(feed), Some(notes)) = (feeds.feed(&download.feed), &download.entry.notes) else {
            return Ok(());
        };
        self.feed_notes(feed, notes).map(drop)
    }

    /// The feeds' statements about a file that is added to the rack.
    pub(super) fn told_of(&self, path: &Path) -> Option<Told> {
        let feeds = self.feeds();
        let size = std::fs::metadata(path).ok().filter(std::fs::Metadata::is_file)?.len();
        if !feeds.has_size(size) {
            return None;
        }
        let content: Content = content_of(path).ok()?;
        let offers = feeds.of_content(&content);
        let first = offers.first()?;
        let notes = offers.iter().find_map(|offer| {
            let notes = offer.entry.notes.as_ref()?;
            // Stored when the build was fetched or its page was shown; nothing is fetched now.
            let bytes = self.feeds_folder.piece(offer.feed.name(), &notes.content())?;
            Some((notes.name.clone(), bytes))
        });
        Some(Told {
            feed: first.feed.name().to_owned(),
            version: first.entry.number(),
            supports: offers
                .iter()
                .filter_map(|offer| Some((offer.listing.id.clone(), offer.entry.supports.clone()?)))
                .collect(),
            notes,
        })
    }
}

/// A feed's statements about a file.
pub(super) struct Told {
    pub feed: String,
    pub version: Option<Version>,
    /// Which versions of the game builds of a family in it support.
    pub supports: Vec<(String, Requirement)>,
    pub notes: Option<(String, Vec<u8>)>,
}

impl Told {
    /// Says it of the builds of a package.
    pub fn tell(&self, parcel: &mut Parcel, space: &Path) -> Result<()> {
        for build in &mut parcel.builds {
            let said = self.supports.iter().find(|(family, _)| same_name(family, &build.id.family));
            build.told = said.map(|(_, versions)| versions.clone());
        }
        match &self.notes {
            Some((name, bytes)) => parcel.add_note(name, bytes, space),
            None => Ok(()),
        }
    }
}

/// That no feed has a build; `known` is what could be meant.
fn none_has(spec: &str, known: Vec<String>, feeds: &Feeds) -> Error {
    let any = feeds.subscriptions().next().is_some();
    FeedError::NoBuild { spec: spec.to_owned(), known, any }.into()
}

/// Whether a build of the rack is of a family and could serve a game.
fn is_usable(build: &Build, family: &str, needs: &Needs<'_>) -> bool {
    same_name(&build.id.family, family)
        && needs.machine.is_none_or(|machine| build.runs_on(machine))
        && build.supports.as_ref().zip(needs.version).is_none_or(|(set, game)| set.includes(game))
        && build.key().zip(needs.version).is_none_or(|(key, game)| game.begins_with(&key))
}

impl Download {
    /// That its publisher has taken it back.
    pub fn withdrawn(&self) -> Option<&Advice> {
        self.advice.iter().find(|advice| advice.what == Counsel::Withdrawn)
    }

    /// Whether a build matches the feed's entry: the user's catalog may give it another name.
    pub fn is(&self, build: &Build) -> bool {
        same_name(&build.id.family, &self.family)
            && (same_name(&build.id.version, &self.entry.version)
                || build.version.is_some() && build.version == self.entry.number())
    }

    /// What speaks against it.
    pub fn findings(&self) -> Vec<Finding> {
        let (version, program) = &self.game;
        let applies = |advice: &&Advice| advice.is_about(version.as_ref(), program.as_deref());
        let said = self.advice.iter().filter(applies);
        said.map(|advice| check::of_download(&self.id, &self.feed, advice)).collect()
    }

    /// The page with the download.
    pub fn page(&self) -> Option<&str> {
        self.entry.page.as_deref()
    }
}

impl Altering<'_> {
    /// Adds a download to the rack, with its feed's statements.
    ///
    /// # Errors
    /// If it is not a package, or the home cannot be written to.
    pub fn add_downloaded(
        &self,
        downloaded: Downloaded,
        progress: &dyn Progress,
    ) -> Result<Addition> {
        let Downloaded { path, transfer } = downloaded;
        let addition = self.add_to_rack(&path, &PackageOptions::default(), progress)?;
        transfer.clear();
        Ok(addition)
    }
}
