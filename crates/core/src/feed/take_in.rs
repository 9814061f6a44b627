//! Refreshes a feed: fetches its signature, and any piece it names that is not known yet. Everything is verified
//! before anything is stored, so the earlier state stays complete whatever a server sends.

use std::collections::BTreeSet;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

use jiff::Timestamp;

use super::head::{Comment, Head, LONGEST_SIGNATURE, Piece, SIGNATURE, Signed, content_name};
use super::key::Key;
use super::listing::{Listing, Shard, unpack};
use super::subscription::Subscription;
use crate::catalog::Recognition;
use crate::content::Content;
use crate::error::{Error, FeedError, Result};
use crate::fetch::{Address, Answer, Client, Seen};
use crate::remedy::Remedy;

/// A feed whose shards have no more than this together is taken in whole; of a larger one the shards of the families
/// that there are.
const WHOLE: u64 = 256 << 10;

/// The number of parallel requests: more are not faster, and servers object.
const AT_A_TIME: usize = 6;

/// A head that was verified, and how it came.
#[derive(Debug)]
pub(crate) struct Found {
    pub address: Address,
    pub head: Head,
    pub bytes: Vec<u8>,
    pub seen: Seen,
}

/// What came of asking a feed for news.
#[derive(Debug)]
pub(crate) enum News {
    /// Its signature is the one that was seen before.
    None(Seen),
    Head(Box<Found>),
}

/// Everything of a state of a feed that was not known yet.
#[derive(Debug)]
pub(crate) struct Pieces {
    /// Without these there is nothing.
    pub vital: Vec<Vec<u8>>,
    /// These can be had again.
    pub shards: Vec<Vec<u8>>,
    /// All that the state consists of, as far as it was taken in.
    pub kept: BTreeSet<Content>,
}

impl Found {
    /// Whether it is so small that all of it is taken in.
    pub fn is_small(&self) -> bool {
        self.head.shards.iter().map(|piece| piece.size).sum::<u64>() <= WHOLE
    }

    /// The content of its head.
    pub fn content(&self) -> Content {
        Content::of_bytes(&self.bytes)
    }
}

/// Looks for a feed at an address. With a key, it must be signed by that; without one, by the key that it names.
pub(crate) fn look(client: &Client, address: &Address, key: Option<&Key>) -> Result<Found> {
    match ask(client, address, std::slice::from_ref(address), key, None)? {
        News::Head(found) => Ok(*found),
        // Nothing was seen before that it could be equal to.
        News::None(_) => Err(refused(address, "it sends no signature".to_owned())),
    }
}

/// Checks a known feed for updates.
pub(crate) fn news(client: &Client, known: &Subscription, places: &[Address]) -> Result<News> {
    ask(client, &known.address, places, Some(&known.key), Some(known))
}

fn ask(
    client: &Client,
    address: &Address,
    places: &[Address],
    key: Option<&Key>,
    known: Option<&Subscription>,
) -> Result<News> {
    let wrong = |why| refused(address, why);
    let seen = known.map(|known| &known.seen);
    let signature = client.get(&address.join(SIGNATURE), LONGEST_SIGNATURE, seen);
    let signature = signature.map_err(|error| match error {
        Error::Feed(FeedError::Unreachable { why, .. }) if known.is_none() => {
            FeedError::Absent { address: address.to_string(), why }.into()
        }
        error => error,
    })?;
    let Answer::New(signature, seen) = signature else {
        return Ok(News::None(seen.cloned().unwrap_or_default()));
    };
    let signed = Signed::read(&signature).map_err(wrong)?;
    if let Some(known) = known {
        expect_no_fall(&signed.comment, known).map_err(wrong)?;
        if signed.comment.head == known.head {
            return Ok(News::None(seen));
        }
    }

    let head = signed.comment.head;
    let bytes = client.get_content(places, &content_name(&head.blake3), &head)?;
    let head = signed.head(&bytes, key).map_err(wrong)?;
    let found = Found { address: address.clone(), head, bytes, seen };
    if let Some(known) = known {
        expect_current(&found, known)?;
    }
    Ok(News::Head(Box::new(found)))
}

/// Fails if a state is older than the known one, or different with the same number; and if it is new and stale, since
/// the date reveals an old state that someone replays.
pub(crate) fn expect_current(found: &Found, known: &Subscription) -> Result<()> {
    let Found { address, head, .. } = found;
    let comment = Comment { serial: head.serial, head: found.content() };
    expect_no_fall(&comment, known).map_err(|why| refused(address, why))?;
    if comment.head != known.head && head.is_stale(Timestamp::now()) {
        return Err(FeedError::Stale {
            address: address.to_string(),
            serial: head.serial,
            until: head.fresh_until.strftime("%Y-%m-%d").to_string(),
        }
        .into());
    }
    Ok(())
}

/// Why a state is older than the known one, or different with the same number.
fn expect_no_fall(comment: &Comment, known: &Subscription) -> Result<(), String> {
    let (new, old) = (comment.serial, known.serial);
    if new < old {
        return Err(format!("it is at number {new} there, and was at {old} before"));
    }
    if new != old && comment.head == known.head {
        return Err("its head and its signature have different serial numbers".to_owned());
    }
    if new == old && comment.head != known.head {
        return Err(format!("there are two different states with the number {new}"));
    }
    Ok(())
}

/// Fetches the pieces that a head names: the recognition of families, and the shards of some families, or all of a
/// small feed. Pieces that `has` knows are not fetched.
pub(crate) fn pieces(
    client: &Client,
    found: &Found,
    families: &BTreeSet<String>,
    has: &(dyn Fn(&Content) -> Option<Vec<u8>> + Sync),
) -> Result<Pieces> {
    let Found { address, head, bytes, .. } = found;
    let mirrors = head.mirrors.iter().filter_map(|mirror| Address::web(mirror).ok());
    let places: Vec<Address> = std::iter::once(address.clone()).chain(mirrors).collect();
    let wanted: BTreeSet<usize> = if found.is_small() {
        (0..head.shards.len()).collect()
    } else {
        families.iter().map(|family| head.shard_of(family)).collect()
    };

    let mut pieces: Vec<(Piece, bool)> = vec![(head.families, false)];
    pieces.extend(wanted.iter().map(|at| (head.shards[*at], true)));
    pieces.sort_by_key(|(piece, _)| piece.blake3);
    pieces.dedup();
    let next = AtomicUsize::new(0);
    let got = Mutex::new(Vec::new());
    let work = || -> Result<()> {
        while let Some((piece, is_shard)) = pieces.get(next.fetch_add(1, Ordering::Relaxed)) {
            let content = piece.content();
            if has(&content).is_some() {
                continue;
            }
            let bytes = client.get_content(&places, &content_name(&content.blake3), &content)?;
            let read = if *is_shard {
                Shard::read(&bytes, piece).map(drop)
            } else {
                recognition(&bytes, piece).map(drop)
            };
            read.map_err(|why| refused(address, why))?;
            got.lock().unwrap_or_else(PoisonError::into_inner).push((bytes, *is_shard));
        }
        Ok(())
    };
    std::thread::scope(|scope| {
        let all = (0..AT_A_TIME.min(pieces.len())).map(|_| scope.spawn(work));
        let all: Vec<_> = all.collect();
        let ended = all.into_iter().map(|thread| match thread.join() {
            Ok(done) => done,
            Err(_) => Err(refused(address, "it could not be read".to_owned())),
        });
        ended.fold(Ok(()), Result::and)
    })?;

    let got = got.into_inner().unwrap_or_else(PoisonError::into_inner);
    let (shards, vital): (Vec<_>, Vec<_>) = got.into_iter().partition(|(_, is_shard)| *is_shard);
    let bytes_of = |pieces: Vec<(Vec<u8>, bool)>| pieces.into_iter().map(|(bytes, _)| bytes);
    let vital = bytes_of(vital).chain([bytes.clone()]).collect();
    let kept = pieces.iter().map(|(piece, _)| piece.content()).chain([found.content()]).collect();
    Ok(Pieces { vital, shards: bytes_of(shards).collect(), kept })
}

/// A feed with all that it says.
#[derive(Debug)]
pub(crate) struct Whole {
    pub found: Found,
    /// Its listings, by name.
    pub listings: Vec<Listing>,
}

/// Reads all that a feed says, and verifies it.
pub(crate) fn whole(client: &Client, address: &Address, key: Option<&Key>) -> Result<Whole> {
    let found = look(client, address, key)?;
    let get = |piece: &Piece| {
        let content = piece.content();
        let name = content_name(&content.blake3);
        client.get_content(std::slice::from_ref(address), &name, &content)
    };
    let wrong = |why| refused(address, why);
    recognition(&get(&found.head.families)?, &found.head.families).map_err(wrong)?;
    let mut listings = Vec::new();
    for (at, piece) in found.head.shards.iter().enumerate() {
        let shard = Shard::read(&get(piece)?, piece).map_err(wrong)?;
        for listing in shard.family {
            if found.head.shard_of(&listing.id) != at {
                return Err(wrong(format!(
                    "{} is in a shard where nobody looks for it",
                    listing.id
                )));
            }
            listings.push(listing);
        }
    }
    listings.sort_by(|a, b| a.id.cmp(&b.id));
    Ok(Whole { found, listings })
}

/// How the families of a feed are recognised.
pub(crate) fn recognition(bytes: &[u8], piece: &Piece) -> Result<Vec<Recognition>, String> {
    let known: Vec<Recognition> = serde_json::from_slice(&unpack(bytes, piece)?)
        .map_err(|error| format!("a part of it is damaged: {error}"))?;
    for family in &known {
        family.clone().family(std::path::Path::new(""))?;
    }
    Ok(known)
}

fn refused(address: &Address, why: String) -> crate::error::Error {
    let remedy: Remedy =
        "What was taken in before is as it was. Ask its publisher, by another way than \
                          this feed, and try again later."
            .into();
    FeedError::Refused { address: address.to_string(), why, remedy }.into()
}
