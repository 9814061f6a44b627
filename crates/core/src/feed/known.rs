//! The feeds as of their last refresh: their builds, families and advice. Nothing is fetched here.

use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};

use jiff::{SignedDuration, Timestamp};

use super::head::{Head, content_name};
use super::listing::{Advice, Counsel, Entry, Listing, Shard, Variant};
use super::subscription::Subscription;
use crate::catalog::{Family, Recognition, SettingPlace, parse, same_maker};
use crate::content::Content;
use crate::fetch::{Address, Wanted};
use crate::path::{fold, same_name};
use crate::rack::{Build, BuildSpec, LayoutFile, Needs};
use upright_spanner_image::{Facts, Requirement, Version};

/// The feeds that the user has added.
#[derive(Debug, Default)]
pub struct Feeds {
    /// They, in the order of their names.
    pub feeds: Vec<Feed>,
    /// Those that cannot be used.
    pub faults: Vec<FeedFault>,
}

/// A feed that was added and cannot be used.
#[derive(Debug, Clone)]
pub struct FeedFault {
    /// The file about it.
    pub path: PathBuf,
    /// The reason.
    pub why: String,
    /// The user's statements about it and its serial number, if only the fetched data is damaged: a refresh fetches
    /// that again.
    pub subscription: Option<Subscription>,
}

/// A feed as it was when it was last refreshed.
#[derive(Debug)]
pub struct Feed {
    /// The user's statements about it, and its serial number.
    pub subscription: Subscription,
    /// What its publisher signed.
    pub head: Head,
    /// How its families are recognised.
    recognition: Vec<Recognition>,
    /// Those of its shards that were taken in, each at its place.
    shards: BTreeMap<usize, Shard>,
    /// Where in these each family is.
    places: HashMap<String, (usize, usize)>,
}

/// A download that a feed has.
#[derive(Debug, Clone, Copy)]
pub struct Offer<'a> {
    /// The feed.
    pub feed: &'a Feed,
    /// The family.
    pub listing: &'a Listing,
    /// The download.
    pub entry: &'a Entry,
}

/// A feed's advice about a build.
#[derive(Debug, Clone, Copy)]
pub struct Advised<'a> {
    /// The feed.
    pub feed: &'a Feed,
    /// The advice.
    pub advice: &'a Advice,
}

impl Feed {
    pub(crate) fn new(
        subscription: Subscription,
        head: Head,
        recognition: Vec<Recognition>,
        shards: BTreeMap<usize, Shard>,
    ) -> Self {
        let mut places = HashMap::new();
        for (&at, shard) in &shards {
            let families = shard.family.iter().enumerate();
            // In another shard nobody would look for it.
            let families = families.filter(|(_, listing)| head.shard_of(&listing.id) == at);
            places.extend(families.map(|(index, listing)| (fold(&listing.id), (at, index))));
        }
        Self { subscription, head, recognition, shards, places }
    }

    /// The user's name for it.
    pub fn name(&self) -> &str {
        &self.subscription.name
    }

    /// The time since the last refresh.
    pub fn age(&self) -> SignedDuration {
        Timestamp::now().duration_since(self.subscription.refreshed)
    }

    /// Whether it cannot be taken for the newest any more.
    pub fn is_stale(&self) -> bool {
        self.head.is_stale(Timestamp::now())
    }

    /// Whether its listing of a family was fetched, if it has one.
    pub fn has_taken_in(&self, family: &str) -> bool {
        self.shards.contains_key(&self.head.shard_of(family))
    }

    /// Its listing of a family.
    pub fn listing(&self, family: &str) -> Option<&Listing> {
        let (shard, index) = self.places.get(&fold(family))?;
        self.shards.get(shard)?.family.get(*index)
    }

    /// The fetched listings.
    pub fn listings(&self) -> impl Iterator<Item = &Listing> {
        self.shards.values().flat_map(|shard| &shard.family)
    }

    /// Its places, the feed's own first.
    pub(crate) fn places(&self) -> Vec<Address> {
        let mirrors = self.head.mirrors.iter().filter_map(|mirror| Address::web(mirror).ok());
        std::iter::once(self.subscription.address.clone()).chain(mirrors).collect()
    }

    /// Its families as a catalog has them, as far as a feed may say anything.
    fn families(&self) -> Vec<Family> {
        let from = PathBuf::from(format!("feed {}", self.name()));
        let whole = |id: &str| {
            let text = self.listing(id)?.catalog.as_ref()?;
            let families = parse(&from, text).ok()?;
            families.into_iter().find(|family| same_name(&family.id, id))
        };
        let families = self.recognition.iter().filter_map(|known| {
            let family = whole(known.id()).or_else(|| known.clone().family(&from).ok())?;
            Some(self.bounded(family))
        });
        families.collect()
    }

    /// A family without the parts that a feed may not state: places of settings in the registry, unless the user
    /// granted them.
    fn bounded(&self, mut family: Family) -> Family {
        family.settings.retain(|setting| match &setting.place {
            SettingPlace::Value { value, .. } => self.subscription.grants(&value.key),
            SettingPlace::Key { .. } | SettingPlace::Argument(_) => true,
            // A variable can make any program load anything.
            SettingPlace::Environment(_) => false,
        });
        family
    }
}

impl<'a> Offer<'a> {
    /// Its name: `family@version`.
    pub fn id(&self) -> String {
        format!("{}@{}", self.listing.id, self.entry.version)
    }

    /// If its file may be had; nothing if that is by hand alone.
    pub(crate) fn wanted(&self) -> Option<Wanted> {
        let file = &self.entry.file;
        let name = content_name(&file.blake3);
        let places = self.feed.places().into_iter().map(|place| place.join(&name)).collect();
        let wanted = Wanted { content: file.content(), name: file.name.clone(), places };
        self.entry.page.is_none().then_some(wanted)
    }

    /// That its publisher has taken it back, if that is so.
    pub fn withdrawn(&self) -> Option<&'a Advice> {
        let number = self.entry.number();
        let mut advice = self.listing.advice.iter();
        advice.find(|advice| {
            advice.what == Counsel::Withdrawn
                && advice.variant.is_none()
                && number.as_ref().is_some_and(|number| advice.builds.includes(number))
        })
    }

    /// The variants of it that could serve a game.
    pub fn suiting(&self, needs: &Needs<'_>) -> Vec<&'a Variant> {
        let supports = self.entry.supports.as_ref();
        let game = needs.version;
        let is_supported = supports.zip(game).is_none_or(|(set, game)| set.includes(game));
        let fits = |variant: &&Variant| {
            is_supported
                && needs.machine.zip(variant.machine).is_none_or(|(needs, has)| needs == has)
                && variant.key.as_ref().zip(game).is_none_or(|(key, game)| game.begins_with(key))
                && needs
                    .edition
                    .zip(variant.edition.as_deref())
                    .is_none_or(|(needs, has)| same_name(has, needs))
        };
        self.entry.variant.iter().filter(fits).collect()
    }

    /// Whether the library of a game is of the same maker.
    fn agrees_with(&self, facts: &Facts) -> bool {
        let stated = facts.string("CompanyName");
        let own = self.entry.variant.iter().filter_map(|variant| variant.company.as_deref());
        stated.is_none_or(|stated| own.clone().all(|own| same_maker(own, stated)))
    }
}

impl Feeds {
    /// The feed of a name.
    pub fn feed(&self, name: &str) -> Option<&Feed> {
        self.feeds.iter().find(|feed| same_name(feed.name(), name))
    }

    /// Every feed that was added, including those whose fetched data is damaged.
    pub fn subscriptions(&self) -> impl Iterator<Item = &Subscription> {
        let faulty = self.faults.iter().filter_map(|fault| fault.subscription.as_ref());
        self.feeds.iter().map(|feed| &feed.subscription).chain(faulty)
    }

    /// Whether a feed is called so, also one of which nothing can be read.
    pub(crate) fn is_taken(&self, name: &str) -> bool {
        let mut files = self.faults.iter().filter_map(|fault| fault.path.file_stem());
        self.subscriptions().any(|known| same_name(&known.name, name))
            || files.any(|stem| same_name(&stem.to_string_lossy(), name))
    }

    /// What feeds have of a family: the newest first.
    pub fn offers(&self, family: &str) -> Vec<Offer<'_>> {
        let mut offers: Vec<Offer<'_>> = Vec::new();
        for feed in &self.feeds {
            let Some(listing) = feed.listing(family) else { continue };
            offers.extend(listing.build.iter().map(|entry| Offer { feed, listing, entry }));
        }
        offers.sort_by_key(|offer| std::cmp::Reverse(offer.entry.number()));
        offers
    }

    /// What feeds have under a name that a user types: a family, with a version and a variant or without. Of a family
    /// without a version, the newest that is not a forerunner and was not taken back.
    pub fn named(&self, text: &str) -> Vec<Offer<'_>> {
        let spec = BuildSpec::parse(text);
        let offers = self.offers(&spec.family);
        let Some(version) = &spec.version else {
            let released = |offer: &&Offer<'_>| {
                offer.entry.number().is_some_and(|number| !number.is_prerelease())
                    && offer.withdrawn().is_none()
            };
            // If no build qualifies, the newest one gives the reason.
            let newest = offers.iter().find(released).or(offers.first());
            let newest = newest.map(|offer| offer.entry.version.clone());
            let of_it = |offer: &Offer<'_>| Some(&offer.entry.version) == newest.as_ref();
            return offers.into_iter().filter(of_it).collect();
        };
        let number = version.parse::<Version>().ok();
        let is_same = |offer: &Offer<'_>| {
            let own = offer.entry.number();
            same_name(&offer.entry.version, version) || number.is_some() && own == number
        };
        let has_variant = |offer: &Offer<'_>| {
            let mut names =
                offer.entry.variant.iter().filter_map(|variant| variant.name.as_deref());
            spec.variant.as_ref().is_none_or(|wanted| names.any(|name| same_name(name, wanted)))
        };
        let exact: Vec<Offer<'_>> =
            offers.iter().copied().filter(|offer| is_same(offer) && has_variant(offer)).collect();
        if !exact.is_empty() {
            return exact;
        }
        let short = |offer: &Offer<'_>| {
            let own = offer.entry.number();
            own.zip(number.as_ref())
                .is_some_and(|(own, wanted)| own.in_short() == wanted.in_short())
                && has_variant(offer)
        };
        offers.into_iter().filter(short).collect()
    }

    /// The newest offer of feeds for a library of a game; withdrawn builds, and builds that fail with the game's
    /// version, do not count.
    pub fn newest(&self, family: &str, library: &Facts, needs: &Needs<'_>) -> Option<Offer<'_>> {
        self.usable(family, needs).into_iter().find(|offer| offer.agrees_with(library))
    }

    /// The same for a game that may not have the family.
    pub fn newest_for(&self, family: &str, needs: &Needs<'_>) -> Option<Offer<'_>> {
        self.usable(family, needs).into_iter().next()
    }

    /// The released builds of a family that are for a game and that nothing is advised against, the newest first.
    fn usable(&self, family: &str, needs: &Needs<'_>) -> Vec<Offer<'_>> {
        let mut offers = self.offers(family);
        offers.retain(|offer| {
            let number = offer.entry.number().filter(|number| !number.is_prerelease());
            let is_free =
                |number: Version| self.advice(family, Some(&number), None, needs).next().is_none();
            number.is_some_and(is_free) && !offer.suiting(needs).is_empty()
        });
        offers
    }

    /// The versions of the game that a build of the rack supports, by the feeds that list its download.
    pub(crate) fn supported(&self, build: &Build) -> Option<Requirement> {
        let listings = self.feeds.iter().filter_map(|feed| feed.listing(&build.id.family));
        let mut entries = listings.flat_map(|listing| &listing.build);
        let entry = entries.find(|entry| entry.file.blake3 == build.source.blake3)?;
        entry.supports.clone()
    }

    /// The layouts that feeds have for families. Their registry values are left to the user.
    pub(crate) fn layouts(&self) -> Vec<LayoutFile> {
        let listings = self.feeds.iter().flat_map(Feed::listings);
        let texts = listings.filter_map(|listing| Some((&listing.id, listing.layout.as_ref()?)));
        let layouts = texts.filter_map(|(id, text)| {
            let layout = LayoutFile::parse(Path::new("feed"), text).ok()?;
            same_name(&layout.family, id).then(|| layout.without_registry())
        });
        layouts.collect()
    }

    /// The newest build of a family that supports the version of a game.
    pub fn supporting(&self, family: &str, needs: &Needs<'_>) -> Option<Offer<'_>> {
        let says = |offer: &Offer<'_>| {
            let mut keys = offer.entry.variant.iter().filter_map(|variant| variant.key.as_ref());
            offer.entry.supports.is_some() || keys.next().is_some()
        };
        let offers: Vec<Offer<'_>> = self.offers(family);
        let free = |offer: &Offer<'_>| {
            let number = offer.entry.number();
            self.advice(family, number.as_ref(), None, needs).next().is_none()
        };
        let mut fitting = offers.into_iter().filter(|offer| !offer.suiting(needs).is_empty());
        fitting.find(|offer| says(offer) && free(offer))
    }

    /// Every download that is a content.
    pub fn of_content(&self, content: &Content) -> Vec<Offer<'_>> {
        let listings = self.feeds.iter().flat_map(|feed| {
            feed.listings().flat_map(move |listing| {
                listing.build.iter().map(move |entry| Offer { feed, listing, entry })
            })
        });
        listings.filter(|offer| offer.entry.file.content() == *content).collect()
    }

    /// Whether a download has this length: only then it is worth the while to know its content.
    pub(crate) fn has_size(&self, size: u64) -> bool {
        let mut entries = self.feeds.iter().flat_map(Feed::listings).flat_map(|it| &it.build);
        entries.any(|entry| entry.file.size == size)
    }

    /// The advice against a version of a family in a game.
    pub fn advice<'a>(
        &'a self,
        family: &str,
        version: Option<&Version>,
        variant: Option<&str>,
        game: &Needs<'_>,
    ) -> impl Iterator<Item = Advised<'a>> + use<'a> {
        let (version, variant) = (version.cloned(), variant.map(str::to_owned));
        let (game, program) = (game.version.cloned(), game.program.map(str::to_owned));
        let listings: Vec<(&Feed, &Listing)> =
            self.feeds.iter().filter_map(|feed| Some((feed, feed.listing(family)?))).collect();
        let all = listings.into_iter().flat_map(|(feed, listing)| {
            listing.advice.iter().map(move |advice| Advised { feed, advice })
        });
        all.filter(move |advised| {
            let advice = advised.advice;
            let is_of = version.as_ref().is_some_and(|version| advice.builds.includes(version));
            let is_variant = match (&advice.variant, &variant) {
                (Some(meant), Some(own)) => same_name(meant, own),
                (Some(_), None) => false,
                (None, _) => true,
            };
            is_of && is_variant && advice.is_about(game.as_ref(), program.as_deref())
        })
    }

    /// The families that feeds describe, each of the first that has it.
    pub(crate) fn families(&self) -> Vec<Family> {
        self.feeds.iter().flat_map(Feed::families).collect()
    }
}
