//! `rack get`: adds builds from feeds to the rack. `fit --get` uses it, too.

use anyhow::Result;
use upright_spanner_core::{Addition, Download, Error, Workshop};

use super::feed::refresh_due;
use super::target;
use crate::document::feed::Got;
use crate::exit::Exit;
use crate::progress::{acting, getting};
use crate::prompt;
use crate::render::{self, bytes, count, feed, quoted, rack};
use crate::session::Session;

/// The user's options.
pub struct GetOptions<'a> {
    pub builds: &'a [String],
    pub feed: Option<&'a str>,
    pub despite: &'a [String],
    pub dry_run: bool,
}

/// What became of some downloads.
#[derive(Default)]
pub struct Outcome {
    pub added: Vec<Addition>,
    /// The downloads that the user must get by hand.
    pub by_hand: Vec<Download>,
    pub failed: Vec<(Download, anyhow::Error)>,
}

pub fn run(wish: &GetOptions<'_>, game: Option<&str>, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(wish.dry_run)?;
    if !wish.dry_run {
        refresh_due(&workshop, session);
    }
    let progress = session.progress();
    let downloads = match game {
        Some(game) => {
            let view = target::game(&workshop, game, wish.dry_run, session)?;
            let downloads = workshop.downloads_for(&view, &progress)?;
            if downloads.is_empty() {
                if session.json {
                    render::json(&Got::new(&[], &[], &[]))?;
                }
                let text = format!(
                    "No feed has anything newer for the components of {}.",
                    view.game.title
                );
                render::hint(session, &text)?;
                return Ok(Exit::Done);
            }
            downloads
        }
        None => workshop.downloads(wish.builds, wish.feed, &progress)?,
    };
    expect_no_stop(&downloads, wish.despite)?;

    if !session.json {
        feed::print_downloads(&downloads, session)?;
    }
    let wanted: Vec<Download> =
        downloads.iter().filter(|it| it.on_rack.is_none()).cloned().collect();
    if wish.dry_run || wanted.is_empty() {
        if session.json {
            render::json(&Got::new(&downloads, &[], &[]))?;
        } else if wish.dry_run {
            let again = again(wish, game);
            render::hint(session, &format!("Dry run: nothing was downloaded. To do it: {again}"))?;
        }
        return Ok(Exit::Done);
    }
    if !is_meant(&wanted, session)? {
        render::hint(session, "Nothing was got.")?;
        return Ok(Exit::Done);
    }

    let mut outcome = get(&wanted, &workshop, session);
    if wanted.len() == 1 {
        if let Some((_, error)) = outcome.failed.pop() {
            return Err(error);
        }
    }
    tell(&downloads, &outcome, game, &workshop, session)?;
    let is_done = outcome.failed.is_empty() && outcome.by_hand.is_empty();
    Ok(if is_done { Exit::Done } else { Exit::Attend })
}

/// Fails if something speaks against one of them.
pub fn expect_no_stop(downloads: &[Download], despite: &[String]) -> Result<(), Error> {
    let mut findings: Vec<_> = downloads
        .iter()
        .filter(|download| download.on_rack.is_none())
        .flat_map(Download::findings)
        .collect();
    findings.retain(|finding| !despite.contains(&finding.code));
    if findings.is_empty() { Ok(()) } else { Err(Error::Refused(findings)) }
}

/// Asks for confirmation of the download.
pub fn is_meant(wanted: &[Download], session: &Session) -> Result<bool> {
    let all: Vec<_> = wanted.iter().filter(|download| download.page().is_none()).collect();
    if all.is_empty() {
        return Ok(true);
    }
    let size: u64 = all.iter().map(|download| download.entry.file.size).sum();
    prompt::go_on(session, &format!("Get {} ({})?", count(all.len(), "file"), bytes(size)))
}

/// Downloads builds, and adds each to the rack when it is complete.
pub fn get(wanted: &[Download], workshop: &Workshop, session: &Session) -> Outcome {
    let mut outcome = Outcome::default();
    let (by_hand, files): (Vec<Download>, Vec<Download>) =
        wanted.iter().cloned().partition(|download| download.page().is_some());
    for download in &by_hand {
        // The feed's statements are stored until the file is added; it can be added without them.
        if let Err(error) = workshop.keep_notes(download) {
            render::error(&error.into());
        }
    }
    outcome.by_hand = by_hand;
    let progress = session.progress();
    let got = getting(|| workshop.download(&files, &progress));
    for (download, got) in files.iter().zip(got) {
        let add = |got| acting(|| workshop.alter()?.add_downloaded(got, &progress));
        match got.and_then(|got| got.map(add).transpose()) {
            Ok(None) => {
                render::notice(&format!("{} was added to the rack by another run.", download.id));
            }
            Ok(Some(addition)) => {
                if !addition.builds.iter().any(|(build, _)| download.is(build)) {
                    let names = addition.builds.iter().map(|(build, _)| build.id.to_string());
                    let names: Vec<String> = names.collect();
                    render::notice(&format!(
                        "the feed {} calls it {}, and it is on the rack as {}.",
                        download.feed,
                        download.id,
                        names.join(", ")
                    ));
                }
                outcome.added.push(addition);
            }
            Err(error) => {
                let error = error.into();
                if files.len() > 1 {
                    render::error(&error);
                }
                outcome.failed.push((download.clone(), error));
            }
        }
    }
    workshop.refresh();
    outcome
}

fn tell(
    downloads: &[Download],
    outcome: &Outcome,
    game: Option<&str>,
    workshop: &Workshop,
    session: &Session,
) -> Result<()> {
    if session.json {
        let on_rack = workshop.builds()?;
        return render::json(&Got::new(downloads, &on_rack, &outcome.failed));
    }
    feed::print_by_hand(&outcome.by_hand, session)?;
    rack::print_got(&outcome.added, session)?;
    match (game, outcome.added.iter().flat_map(|it| &it.builds).next()) {
        (Some(game), Some((build, _))) => {
            let (game, build) = (quoted(game), quoted(&build.id.to_string()));
            render::hint(session, &format!("Next: spanner fit {game} {build} --dry-run"))
        }
        (None, Some(_)) => {
            render::hint(session, "Next: `spanner survey` shows which games have an older version.")
        }
        _ => Ok(()),
    }
}

/// The command that carries out a dry run.
fn again(wish: &GetOptions<'_>, game: Option<&str>) -> String {
    let mut words = vec!["spanner rack get".to_owned()];
    words.extend(wish.builds.iter().map(|build| quoted(build)));
    words.extend(game.map(|game| format!("--for {}", quoted(game))));
    words.extend(wish.feed.map(|feed| format!("--feed {}", quoted(feed))));
    words.extend(wish.despite.iter().map(|code| format!("--despite {}", quoted(code))));
    words.join(" ")
}
