//! `feed`: published lists of builds, used and made.

use std::io::Write;
use std::path::Path;

use anyhow::Result;
use jiff::Timestamp;
use upright_spanner_core::feed::{Counsel, Feed, Key, Secret, Signer};
use upright_spanner_core::{
    Address, Error, FeedError, FeedMake, FeedOptions, NewAdvice, Refreshed, Remedy, Stock,
    Workshop, in_words,
};

use crate::args;
use crate::document::feed::{CheckedFeed, Feeds, Made, NewKey, Offers, Refresh};
use crate::document::noted::What;
use crate::exit::Exit;
use crate::progress::{acting, waiting};
use crate::prompt;
use crate::render::{self, feed, slashes};
use crate::session::Session;

/// The variable of the environment with the pass phrase of a secret key.
const PASS_PHRASE: &str = "SPANNER_PASSPHRASE";

pub fn run(args: &args::Feed, session: &Session) -> Result<Exit> {
    match args {
        args::Feed::Add { address, key, name, registry, fresh_for } => {
            let wish =
                FeedOptions { name: name.clone(), fresh_for: *fresh_for, registry: *registry };
            add(address, key.as_deref(), wish, session)
        }
        args::Feed::List { what } => list(what.as_deref(), session),
        args::Feed::Refresh { feeds } => refresh(feeds, session),
        args::Feed::Forget { feed } => forget(feed, session),
        args::Feed::Make(args) => make(args, session),
        args::Feed::Check { folder, key } => check(folder, key.as_deref(), session),
        args::Feed::Key(args::FeedKey::New { file, passphrase_file, no_passphrase }) => {
            new_key(file, passphrase_file.as_deref(), *no_passphrase, session)
        }
    }
}

/// A key as it is given: itself, or the file that holds it.
fn key(text: &str) -> Result<Key> {
    if Path::new(text).is_file() {
        return Ok(Key::new(&read(Path::new(text))?)?);
    }
    Ok(Key::new(text)?)
}

fn read(path: &Path) -> Result<String, Error> {
    std::fs::read_to_string(path).map_err(|error| {
        let what = format!("could not read {}: {}", slashes(path), in_words(&error));
        wrong(what, "Name the file that holds it.")
    })
}

/// That a key, or the file of one, cannot be used.
fn wrong(what: String, remedy: impl Into<Remedy>) -> Error {
    FeedError::Key { what, remedy: remedy.into() }.into()
}

fn add(
    address: &str,
    given: Option<&str>,
    mut wish: FeedOptions,
    session: &Session,
) -> Result<Exit> {
    let workshop = session.alter()?;
    // Who gives the address of the signature means the feed that it signs.
    let signature = address.strip_suffix("feed.minisig").filter(|it| it.ends_with(['/', '\\']));
    let address = Address::new(signature.unwrap_or(address))?;
    let given = given.map(key).transpose()?;
    let feeds = workshop.feeds();
    let known = feeds.subscriptions().find(|known| known.address == address);
    let expected = given.as_ref().or_else(|| known.map(|known| &known.key));
    let sight = workshop.look_at_feed(&address, expected)?;
    if expected.is_none() {
        if !session.json {
            feed::print_preview(&sight, session)?;
        }
        let question = "Is that the key that its publisher names?";
        if !prompt::confirm(session, question)? {
            let what =
                format!("the key {} was not confirmed, and nothing was added", sight.head().key);
            let remedy = "Compare it with what its publisher names elsewhere, and give it with the command: \
                          --key KEY";
            return Err(wrong(what, remedy).into());
        }
    }
    let mut asks = sight.head().registry.clone();
    asks.retain(|key| !known.is_some_and(|known| known.granted.contains(key)));
    if !asks.is_empty() && !wish.registry {
        let question = format!(
            "Its families have settings in these keys of the registry, below your own: {}. May they be set \
             there?",
            asks.join(", ")
        );
        wish.registry = prompt::confirm(session, &question)?;
    }
    let progress = session.progress();
    let subscription = acting(|| workshop.alter()?.add_feed(sight, &wish, &progress))?;

    workshop.refresh();
    let feeds = workshop.feeds();
    let Some(added) = feeds.feed(&subscription.name) else { return Ok(Exit::Failed) };
    if session.json {
        render::json(&Feeds::new(&[added], &[]))?;
    } else {
        feed::print_added(added, session)?;
    }
    Ok(if added.is_stale() { Exit::Attend } else { Exit::Done })
}

fn list(what: Option<&str>, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let feeds = workshop.feeds();
    if let Some(what) = what {
        return offers(what, &workshop, session);
    }
    if session.json {
        render::json(&Feeds::new(&feeds.feeds.iter().collect::<Vec<_>>(), &feeds.faults))?;
    } else {
        feed::print_list(&feeds, session)?;
    }
    tell_faults(&workshop);
    let attend = !feeds.faults.is_empty() || feeds.feeds.iter().any(Feed::is_stale);
    Ok(if attend { Exit::Attend } else { Exit::Done })
}

/// Lists the builds of a family, or of a feed.
fn offers(what: &str, workshop: &Workshop, session: &Session) -> Result<Exit> {
    let downloads = workshop.listed(what, &session.progress())?;
    if session.json {
        render::json(&Offers::new(&downloads))?;
    } else {
        feed::print_offers(&downloads, session)?;
    }
    Ok(Exit::Done)
}

/// Says which feeds cannot be used.
fn tell_faults(workshop: &Workshop) {
    for fault in &workshop.feeds().faults {
        render::notice(&feed::fault_text(fault));
    }
}

fn refresh(names: &[String], session: &Session) -> Result<Exit> {
    let workshop = session.alter()?;
    let feeds = workshop.feeds();
    let known = || feeds.subscriptions().map(|known| known.name.clone());
    let names: Vec<String> = if names.is_empty() { known().collect() } else { names.to_vec() };
    let mut done = Vec::new();
    let mut failed = Vec::new();
    for name in &names {
        match refresh_one(name, &workshop, session) {
            Ok(refreshed) => done.push(refreshed),
            Err(error) if names.len() == 1 => return Err(error),
            Err(error) => {
                render::error(&error);
                failed.push((name.clone(), error));
            }
        }
    }
    workshop.refresh();
    let feeds = workshop.feeds();
    let is_stale = |refreshed: &Refreshed| feeds.feed(&refreshed.name).is_some_and(Feed::is_stale);
    if session.json {
        render::json(&Refresh::new(&done, &feeds, &failed))?;
    } else {
        feed::print_refreshed(&done, &feeds, session)?;
    }
    tell_faults(&workshop);
    let attend = !failed.is_empty() || done.iter().any(is_stale) || !feeds.faults.is_empty();
    Ok(if attend { Exit::Attend } else { Exit::Done })
}

fn refresh_one(name: &str, workshop: &Workshop, session: &Session) -> Result<Refreshed> {
    let fetched = workshop.fetch_news(name, &session.progress())?;
    Ok(acting(|| workshop.alter()?.take_in(&fetched))?)
}

/// Refreshes feeds that the user wants refreshed automatically. An unreachable feed is reported, and its last state
/// still counts.
pub fn refresh_due(workshop: &Workshop, session: &Session) {
    let feeds = workshop.feeds();
    let now = Timestamp::now();
    let due = feeds.feeds.iter().filter(|feed| {
        let is_reached = !session.offline || !feed.subscription.address.is_web();
        feed.subscription.is_due(now) && is_reached
    });
    for feed in due {
        if let Err(error) = refresh_one(feed.name(), workshop, session) {
            render::error(&error);
        }
    }
    workshop.refresh();
}

fn forget(name: &str, session: &Session) -> Result<Exit> {
    let workshop = session.alter()?;
    if !prompt::remove(session, &format!("Forget the feed {name}?"))? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    acting(|| workshop.alter()?.forget_feed(name))?;
    let text = format!("Forgotten: the feed {name}. What came from it onto the rack stays.");
    render::noted(session, &text, What::Forgotten(name.to_owned()))?;
    Ok(Exit::Done)
}

fn make(args: &args::FeedMake, session: &Session) -> Result<Exit> {
    let workshop = session.alter()?;
    let open = |path: &Path| open_secret(path, args.passphrase_file.as_deref(), session);
    let secret = args.sign_with.as_deref().map(open).transpose()?;
    let replacing = args.replacing.as_deref().map(open).transpose()?;
    let elsewhere = args.key.as_deref().map(key).transpose()?;
    let signer = match (&secret, &elsewhere) {
        (Some(secret), _) => Signer::Secret(secret),
        (None, Some(key)) => Signer::Elsewhere(key),
        (None, None) => return Ok(Exit::Usage),
    };
    let from = match &args.from {
        None => Stock::Nothing,
        Some(from) if from.as_os_str() == "rack" => Stock::Rack,
        Some(from) => Stock::Folder(from.clone()),
    };
    let why = args.why.clone().unwrap_or_default();
    let advised = |build: &String, what| NewAdvice {
        build: build.clone(),
        what,
        game: args.with_game.clone(),
        program: args.with_program.clone(),
        why: why.clone(),
    };
    let withdrawn = args.withdraw.iter().map(|build| advised(build, Counsel::Withdrawn));
    let failing = args.advise_against.iter().map(|build| advised(build, Counsel::Fails));
    let mirrors = args.mirror.iter().filter(|mirror| !mirror.is_empty()).cloned().collect();
    let make = FeedMake {
        title: args.title.clone(),
        from,
        families: args.families.clone(),
        mirrors: (!args.mirror.is_empty()).then_some(mirrors),
        fresh_for: args.fresh_for,
        advice: withdrawn.chain(failing).collect(),
        lifted: args.lift.iter().cloned().collect(),
        pages: args.page.clone(),
        prune: args.prune,
    };
    let progress = session.progress();
    let made = acting(|| {
        let altering = workshop.alter()?;
        altering.make_feed(&args.folder, &make, &signer, replacing.as_ref(), &progress)
    })?;
    if session.json {
        render::json(&Made::new(&made))?;
    } else {
        feed::print_made(&made, &args.folder, session)?;
    }
    Ok(if made.left.is_empty() { Exit::Done } else { Exit::Attend })
}

/// Opens a file with a secret key, with the pass phrase that is given or asked for.
fn open_secret(path: &Path, phrase_file: Option<&Path>, session: &Session) -> Result<Secret> {
    let text = read(path)?;
    let phrase = if Secret::is_locked(&text)? {
        let question = format!("The pass phrase of {}", slashes(path));
        let phrase = pass_phrase(phrase_file, &question, false, session)?;
        Some(phrase.ok_or_else(|| no_phrase(&slashes(path)))?)
    } else {
        None
    };
    let sign = waiting(session.hides_progress());
    sign.set_message("opening the secret key; that can take a gigabyte of memory and some seconds");
    let secret = Secret::open(&text, phrase);
    sign.finish_and_clear();
    Ok(secret?)
}

/// A pass phrase: of a file, of the environment, or asked for.
fn pass_phrase(
    file: Option<&Path>,
    question: &str,
    is_new: bool,
    session: &Session,
) -> Result<Option<String>> {
    if let Some(file) = file {
        let text = read(file)?;
        return Ok(Some(text.trim_end_matches(['\n', '\r']).to_owned()));
    }
    if let Ok(phrase) = std::env::var(PASS_PHRASE) {
        return Ok(Some(phrase));
    }
    prompt::pass_phrase(session, question, is_new)
}

fn no_phrase(path: &str) -> Error {
    let what =
        format!("{path} needs a passphrase, and without a terminal spanner cannot ask for it");
    wrong(what, format!("Give it in a file (--passphrase-file FILE), or in {PASS_PHRASE}."))
}

fn new_key(
    file: &Path,
    phrase_file: Option<&Path>,
    unlocked: bool,
    session: &Session,
) -> Result<Exit> {
    let mut public = file.as_os_str().to_owned();
    public.push(".pub");
    let public = std::path::PathBuf::from(public);
    let phrase = if unlocked {
        None
    } else {
        let phrase = pass_phrase(phrase_file, "A pass phrase for the secret key", true, session)?;
        let phrase = phrase.filter(|phrase| !phrase.is_empty());
        Some(phrase.ok_or_else(|| {
            let what = "the secret key needs a passphrase".to_owned();
            let remedy = format!(
                "Give it in a file (--passphrase-file FILE), or in {PASS_PHRASE}; or lock the key by none: \
                 --no-passphrase"
            );
            wrong(what, remedy)
        })?)
    };
    let made = Secret::generate(phrase)?;
    write_new(file, &made.secret, true)?;
    write_new(&public, &made.public.to_file(), false)?;
    if session.json {
        render::json(&NewKey::new(&made.public, file, &public))?;
    } else {
        feed::print_new_key(&made.public, file, &public, session)?;
    }
    Ok(Exit::Done)
}

/// Writes a file that is not there yet; a secret one for its owner alone.
fn write_new(path: &Path, text: &str, secret: bool) -> Result<(), Error> {
    let mut options = std::fs::OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt;
        options.mode(if secret { 0o600 } else { 0o644 });
    }
    #[cfg(not(unix))]
    let _ = secret;
    let written = options.open(path).and_then(|mut file| {
        file.write_all(text.as_bytes())?;
        file.sync_all()
    });
    written.map_err(|error| {
        let what = format!("could not write {}: {}", slashes(path), in_words(&error));
        wrong(what, "Name another file: no key is written over another.")
    })
}

fn check(folder: &Path, given: Option<&str>, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let key = given.map(key).transpose()?;
    let verified = workshop.check_feed(folder, key.as_ref(), &session.progress())?;
    if session.json {
        render::json(&CheckedFeed::new(&verified))?;
    } else {
        feed::print_checked(&verified, session)?;
    }
    let is_stale = verified.head.is_stale(Timestamp::now());
    Ok(if verified.wrong.is_empty() && !is_stale { Exit::Done } else { Exit::Attend })
}
