//! Feeds: their list, their builds, results of a refresh, and published feeds.

use std::collections::BTreeSet;
use std::io::Write;
use std::path::Path;

use anyhow::Result;
use jiff::{SignedDuration, Timestamp};
use owo_colors::OwoColorize;
use upright_spanner_core::feed::{Advice, Counsel, Feed, FeedFault, Feeds, Key};
use upright_spanner_core::{Download, FeedPreview, MadeFeed, Refreshed, VerifiedFeed};

use super::table::{drop_empty, fit_places, table};
use super::{bytes, clean, count, hint, notice, quoted, slashes, wrapped};
use crate::session::Session;

/// How long ago something was, in the words of people.
pub fn age(age: SignedDuration) -> String {
    let hours = age.as_hours();
    match (hours / 24, hours) {
        (_, ..1) => "just now".to_owned(),
        (0, 1) => "1 hour ago".to_owned(),
        (0, hours) => format!("{hours} hours ago"),
        (1, _) => "yesterday".to_owned(),
        (days, _) => format!("{days} days ago"),
    }
}

fn day(at: Timestamp) -> String {
    super::date(at.as_second())
}

/// The fault of a feed, and the way to repair it.
pub fn fault_text(fault: &FeedFault) -> String {
    let name = fault.path.file_stem().unwrap_or_default().to_string_lossy();
    let (path, why, name) = (slashes(&fault.path), &fault.why, quoted(&name));
    if fault.subscription.is_some() {
        format!("{path}: {why}. To fetch it again: spanner feed refresh {name}")
    } else {
        format!("{path}: {why}. To replace it, add it again after: spanner feed forget {name}")
    }
}

/// Until when a feed is fresh, or that it is not.
fn freshness(until: Timestamp) -> String {
    if Timestamp::now() > until {
        format!("stale since {}", day(until)).red().to_string()
    } else {
        format!("fresh until {}", day(until))
    }
}

/// Prints the feeds.
pub fn print_list(feeds: &Feeds, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    if feeds.feeds.is_empty() {
        return hint(session, "No feeds yet. To add one: spanner feed add URL-or-FOLDER");
    }
    let headings = ["FEED", "BUILDS", "FAMILIES", "REFRESHED", "STATE", "PLACE"];
    let rows = feeds.feeds.iter().map(|feed| {
        let (own, head) = (&feed.subscription, &feed.head);
        vec![
            clean(&own.name).bold().to_string(),
            head.build_count.to_string(),
            head.family_count.to_string(),
            age(feed.age()),
            freshness(head.fresh_until),
            clean(&own.address.to_string()).into_owned(),
        ]
    });
    let mut rows: Vec<Vec<String>> = rows.collect();
    fit_places(&headings, &mut rows, session.width);
    write!(out, "{}", table(&headings, &[1, 2], rows))?;
    if session.verbose {
        for feed in &feeds.feeds {
            write_details(&mut out, feed, session)?;
        }
    }
    if feeds.feeds.iter().any(Feed::is_stale) {
        tell_stale(feeds.feeds.iter().filter(|feed| feed.is_stale()));
    }
    let first = feeds.feeds.iter().find_map(|feed| feed.listings().next());
    match first {
        Some(listing) => {
            hint(session, &format!("Builds of one family: spanner feed list {}", listing.id))
        }
        None => Ok(()),
    }
}

fn write_details(out: &mut impl Write, feed: &Feed, session: &Session) -> Result<()> {
    let (own, head) = (&feed.subscription, &feed.head);
    let text = format!(
        "{} ({}), number {} of {}, key {}",
        own.name,
        head.title,
        head.serial,
        day(head.made),
        own.key
    );
    write!(out, "{}", wrapped(&clean(&text), "  ", 4, session.width))?;
    let registry = own.granted.join(", ");
    let by_itself = own.fresh_for.map(|most| match (most.as_hours(), most.as_hours() % 24) {
        (1, _) => "refreshed automatically after an hour".to_owned(),
        (24, _) => "refreshed automatically after a day".to_owned(),
        (hours, 0) => format!("refreshed automatically after {} days", hours / 24),
        (hours, _) => format!("refreshed automatically after {hours} hours"),
    });
    let more = [
        (!registry.is_empty()).then(|| format!("may set values in the registry below {registry}")),
        by_itself,
        (!head.mirrors.is_empty()).then(|| format!("also at {}", head.mirrors.join(", "))),
    ];
    for line in more.into_iter().flatten() {
        write!(out, "{}", wrapped(&clean(&line), "    ", 4, session.width))?;
    }
    Ok(())
}

/// Says of stale feeds what that means.
fn tell_stale<'a>(feeds: impl Iterator<Item = &'a Feed>) {
    for feed in feeds {
        notice(&format!(
            "the feed {} is stale since {}: who publishes it has not renewed it, or somebody keeps the newer \
             state back. What it has can still be got. To ask it again: spanner feed refresh {}",
            feed.name(),
            day(feed.head.fresh_until),
            quoted(feed.name())
        ));
    }
}

/// Prints a feed's description of itself, before it is added.
pub fn print_preview(sight: &FeedPreview, session: &Session) -> Result<()> {
    let mut out = anstream::stderr();
    let head = sight.head();
    writeln!(out, "{}", clean(&head.title).bold())?;
    let text = format!(
        "{} of {} at {}, number {}, {}",
        count(head.build_count as usize, "build"),
        families(head.family_count as usize),
        sight.address(),
        head.serial,
        freshness(head.fresh_until)
    );
    write!(out, "{}", wrapped(&text, "  ", 2, session.width))?;
    writeln!(out, "  Its key is  {}", clean(&head.key.to_string()).bold())?;
    Ok(())
}

fn families(number: usize) -> String {
    if number == 1 { "1 family".to_owned() } else { format!("{number} families") }
}

/// Says that a feed was added.
pub fn print_added(feed: &Feed, session: &Session) -> Result<()> {
    let head = &feed.head;
    let text = format!(
        "Added the feed {}: {} of {}, {}.",
        feed.name(),
        count(head.build_count as usize, "build"),
        families(head.family_count as usize),
        freshness(head.fresh_until)
    );
    hint(session, &anstream::adapter::strip_str(&text).to_string())?;
    let asks: Vec<&str> = head
        .registry
        .iter()
        .filter(|key| !feed.subscription.granted.contains(key))
        .map(String::as_str)
        .collect();
    if !asks.is_empty() {
        tell_asks(feed, &asks.join(", "));
    }
    if feed.is_stale() {
        tell_stale(std::iter::once(feed));
    }
    hint(session, "Next: `spanner survey` shows its builds for your games.")
}

fn tell_asks(feed: &Feed, keys: &str) {
    let address = feed.subscription.address.to_string();
    notice(&format!(
        "settings of {} in the registry below {keys} are left out. To allow them: spanner feed add {} --registry",
        feed.name(),
        quoted(&address)
    ));
}

/// Prints what feeds have: a line a download.
pub fn print_offers(downloads: &[Download], session: &Session) -> Result<()> {
    print_downloads(downloads, session)?;
    let first = downloads.iter().find(|it| it.on_rack.is_none() && it.advice.is_empty());
    match first {
        Some(first) => hint(session, &format!("Next: spanner rack get {}", quoted(&first.id))),
        None => Ok(()),
    }
}

/// Prints the downloads, planned or possible.
pub fn print_downloads(downloads: &[Download], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let mut headings = vec!["BUILD", "VARIANTS", "FOR THE GAME", "SIZE", "DATE", "FEED", "STATE"];
    let mut rows: Vec<Vec<String>> = downloads
        .iter()
        .map(|download| {
            let entry = &download.entry;
            let for_game = entry.supports.as_ref().map_or("-".to_owned(), ToString::to_string);
            vec![
                clean(&download.id).bold().to_string(),
                variants(download),
                clean(&for_game).into_owned(),
                bytes(entry.file.size),
                entry.date.map_or("-".to_owned(), |date| date.to_string()),
                clean(&download.feed).into_owned(),
                state(download),
            ]
        })
        .collect();
    drop_empty(&mut headings, &mut rows, &[2, 6], "-");
    let size = headings.iter().position(|heading| *heading == "SIZE").unwrap_or_default();
    write!(out, "{}", table(&headings, &[size], rows))?;
    let mut told = BTreeSet::new();
    for download in downloads {
        for advice in &download.advice {
            let text = format!("{}: {}", download.id, advised(advice));
            if !told.insert(text.clone()) {
                continue;
            }
            write!(out, "{}", wrapped(&clean(&text), "  ", 4, session.width))?;
        }
        if session.verbose {
            let entry = &download.entry;
            let text =
                format!("{}: {}, BLAKE3 {}", download.id, entry.file.name, entry.file.blake3);
            write!(out, "{}", wrapped(&clean(&text), "  ", 4, session.width))?;
        }
    }
    Ok(())
}

/// The variants of a download: by their names, else by the machine that it is for.
fn variants(download: &Download) -> String {
    let each =
        download.entry.variant.iter().map(|variant| match (&variant.name, variant.machine) {
            (Some(name), _) => format!("+{name}"),
            (None, Some(machine)) => machine.spoken().to_owned(),
            (None, None) => "-".to_owned(),
        });
    clean(&each.collect::<Vec<_>>().join(", ")).into_owned()
}

/// The state of a download, in a word or two.
fn state(download: &Download) -> String {
    if let Some(name) = &download.on_rack {
        let same = name.starts_with(&download.id);
        let text = if same { "on the rack".to_owned() } else { format!("on the rack as {name}") };
        return clean(&text).green().to_string();
    }
    if download.withdrawn().is_some() {
        return "withdrawn".red().to_string();
    }
    let failing = download.advice.iter().any(|advice| advice.what == Counsel::Fails);
    match (failing, download.page()) {
        (true, _) => "advised against".yellow().to_string(),
        (false, Some(_)) => "by hand".to_owned(),
        (false, None) => "-".to_owned(),
    }
}

fn advised(advice: &Advice) -> String {
    match (advice.what, advice.about()) {
        (Counsel::Withdrawn, _) => format!("taken back: {}", advice.why),
        (Counsel::Fails, Some(game)) => format!("fails with {game}: {}", advice.why),
        (Counsel::Fails, None) => format!("fails: {}", advice.why),
    }
}

/// Prints the pages of downloads that the user must get by hand.
pub fn print_by_hand(downloads: &[Download], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    for download in downloads {
        let page = download.page().unwrap_or_default();
        let file = &download.entry.file.name;
        let text = format!(
            "Download {} by hand: {file} ({}) from",
            download.id,
            bytes(download.entry.file.size)
        );
        write!(out, "{}", wrapped(&clean(&text), "", 2, session.width))?;
        writeln!(out, "  {}", clean(page))?;
        let text = format!("Then: spanner rack add {}", quoted(file));
        write!(out, "{}", wrapped(&clean(&text), "  ", 2, session.width))?;
    }
    Ok(())
}

/// How many new builds are named: the rest is counted.
const MOST_NAMED: usize = 8;

/// Prints what came of asking feeds for news.
pub fn print_refreshed(done: &[Refreshed], feeds: &Feeds, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    if done.is_empty() && feeds.feeds.is_empty() {
        return hint(session, "No feeds yet. To add one: spanner feed add URL-or-FOLDER");
    }
    for refreshed in done {
        let Some(feed) = feeds.feed(&refreshed.name) else { continue };
        let news = match (refreshed.is_news, &refreshed.new[..]) {
            (false, _) => "nothing new".to_owned(),
            (true, []) => {
                format!("number {} now, with no new build for your families", feed.head.serial)
            }
            (true, new) => {
                let named = new.iter().take(MOST_NAMED).cloned().collect::<Vec<_>>().join(", ");
                let more = new.len().saturating_sub(MOST_NAMED);
                let more = if more > 0 { format!(", and {more} more") } else { String::new() };
                format!("new: {named}{more}")
            }
        };
        let text = format!("{}: {news}.", feed.name());
        write!(out, "{}", wrapped(&clean(&text), "", 2, session.width))?;
        if !refreshed.asks.is_empty() {
            tell_asks(feed, &refreshed.asks.join(", "));
        }
    }
    let stale = done.iter().filter_map(|refreshed| feeds.feed(&refreshed.name));
    tell_stale(stale.filter(|feed| feed.is_stale()));
    if done.iter().all(|refreshed| refreshed.new.is_empty()) {
        return Ok(());
    }
    hint(session, "Next: `spanner survey` shows the builds for your games.")
}

/// Prints the written files of a feed.
pub fn print_made(made: &MadeFeed, folder: &Path, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let head = &made.written.head;
    for (path, error) in &made.left {
        notice(&format!("left out: {error}. {}", slashes(path)));
    }
    for build in &made.new {
        writeln!(out, "  {}  {}", "listed".green(), clean(build).bold())?;
    }
    let text = format!(
        "{}, number {}: {} of {}, fresh until {}.",
        head.title,
        head.serial,
        count(head.build_count as usize, "build"),
        families(head.family_count as usize),
        day(head.fresh_until)
    );
    write!(out, "{}", wrapped(&clean(&text), "", 2, session.width))?;
    if made.pruned > 0 {
        writeln!(out, "{} removed that nothing names any more.", count(made.pruned, "file"))?;
    }
    if let Some(comment) = &made.written.comment {
        let (head, signature) = (slashes(&made.written.path), slashes(&made.written.signature));
        let text =
            "Not signed yet: its users still see the old state. Sign it with the ordinary tool:";
        write!(out, "{}", wrapped(text, "", 2, session.width))?;
        let command = format!(
            "  minisign -S -m {} -x {} -t {}",
            quoted(&head),
            quoted(&signature),
            quoted(comment)
        );
        writeln!(out, "{}", clean(&command))?;
        return Ok(());
    }
    writeln!(out, "  Its key is  {}", head.key)?;
    let next = format!("Next: spanner feed check {}", quoted(&slashes(folder)));
    hint(session, &next)
}

/// Prints what came of verifying a feed.
pub fn print_checked(verified: &VerifiedFeed, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let head = &verified.head;
    for what in &verified.wrong {
        writeln!(out, "  {}  {}", "wrong".red(), clean(what))?;
    }
    let text = format!(
        "{}, number {}: {} of {}, {}, {} read.",
        head.title,
        head.serial,
        count(head.build_count as usize, "build"),
        families(head.family_count as usize),
        anstream::adapter::strip_str(&freshness(head.fresh_until)),
        count(verified.read, "file")
    );
    write!(out, "{}", wrapped(&clean(&text), "", 2, session.width))?;
    writeln!(out, "  Its key is  {}", head.key)?;
    if verified.unknown > 0 {
        let text = format!(
            "{} in it that the newest state does not name; `spanner feed make ... --prune` removes them.",
            count(verified.unknown, "file")
        );
        hint(session, &text)?;
    }
    match verified.wrong.len() {
        0 => hint(session, "Everything in it is as it was signed."),
        _ => hint(session, "To put it right: make it again from the files that it was made of."),
    }
}

/// Says where new keys are.
pub fn print_new_key(key: &Key, secret: &Path, public: &Path, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "  secret  {}", clean(&slashes(secret)))?;
    writeln!(out, "  public  {}", clean(&slashes(public)))?;
    writeln!(out, "  Its key is  {}", key.to_string().bold())?;
    let text = "Keep the secret file private, and keep a copy: without it the feed cannot be renewed. \
                Publish the public key where your users will look for it.";
    write!(out, "{}", wrapped(text, "", 0, session.width))?;
    let next =
        format!("Next: spanner feed make DIR --sign-with {} --from rack", quoted(&slashes(secret)));
    hint(session, &next)
}
