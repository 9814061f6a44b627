//! `drift`: differences from the last recorded state.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::mpsc::{self, RecvTimeoutError};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, bail};
use notify::{RecursiveMode, Watcher};
use upright_spanner_core::Workshop;
use upright_spanner_core::check::Finding;
use upright_spanner_core::plan::Drift;
use upright_spanner_core::survey::GameView;

use super::survey::{survey_known, tell_gone};
use super::target;
use crate::args;
use crate::document::drift::DriftDocument;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;
use crate::text::slashes;

/// How long a folder has to be quiet before it is looked at: an update writes many files, one soon after the other.
const QUIET: Duration = Duration::from_millis(700);

pub fn run(args: &args::Drift, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let views = views(args, &workshop, session)?;
    let drifts = drifts(&workshop, &views)?;
    let off = drifts.iter().any(|(_, drift, _)| drift.is_off());

    tell(&drifts, args.watch, session)?;
    let off = off | (args.game.is_none() && tell_gone(&workshop)?);
    if args.watch {
        let told = drifts
            .iter()
            .map(|(view, drift, _)| (view.game.id.clone(), render::drift::drift_in_words(drift)))
            .collect();
        return watch(args, &workshop, &views, told, session);
    }

    Ok(if off { Exit::Attend } else { Exit::Done })
}

/// Prints drifts; to programs as a document, in one line if more will follow.
fn tell(
    drifts: &[(&GameView, Drift, Vec<Finding>)],
    more_follow: bool,
    session: &Session,
) -> Result<()> {
    match (session.json, more_follow) {
        (true, true) => render::json_line(&DriftDocument::new(drifts)),
        (true, false) => render::json(&DriftDocument::new(drifts)),
        (false, _) => render::drift::print_drift(drifts, session),
    }
}

fn views(args: &args::Drift, workshop: &Workshop, session: &Session) -> Result<Vec<GameView>> {
    Ok(match &args.game {
        Some(game) => vec![target::game(workshop, game, true, session)?],
        None => survey_known(workshop, session)?.games,
    })
}

/// The games with records, with the findings for those that were updated.
fn drifts<'a>(
    workshop: &Workshop,
    views: &'a [GameView],
) -> Result<Vec<(&'a GameView, Drift, Vec<Finding>)>> {
    let mut out = Vec::new();
    for view in views {
        let drift = workshop.drift(view)?;
        if drift.is_empty() {
            continue;
        }
        let found = if drift.executable_then.is_some() {
            let checked = workshop.check_games(std::slice::from_ref(view))?.pop();
            let is_ours =
                |family: &str| drift.files.iter().any(|file| file.owner.is_family(family));
            checked.unwrap_or_default().about(is_ours)
        } else {
            Vec::new()
        };
        out.push((view, drift, found));
    }

    Ok(out)
}

/// How long to wait for quiet at most: a game that logs all the time is never quiet.
const LONGEST: Duration = Duration::from_secs(5);

/// The longest time without a look: some file systems report no changes, and looking at all games four times a minute
/// costs next to nothing.
const UNTOLD: Duration = Duration::from_secs(15);

/// Reports changes in the games' folders until the program is ended; `told` is the last report of each game.
fn watch(
    args: &args::Drift,
    workshop: &Workshop,
    views: &[GameView],
    mut told: BTreeMap<String, String>,
    session: &Session,
) -> Result<Exit> {
    let (sender, events) = mpsc::channel();
    let mut watcher = notify::recommended_watcher(move |event| {
        // The receiver lives as long as the program.
        let _ = sender.send(event);
    })
    .context("could not watch folders on this system")?;
    let roots: Vec<PathBuf> = views.iter().map(|view| view.game.root.clone()).collect();
    for root in &roots {
        watcher
            .watch(root, RecursiveMode::Recursive)
            .with_context(|| format!("could not watch {}", slashes(root)))?;
    }

    render::hint(session, "Watching. Ctrl-C ends it.")?;
    loop {
        match events.recv_timeout(UNTOLD) {
            Ok(event) => drop(event?),
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => bail!("the system stopped reporting changes"),
        }
        let woken = Instant::now();
        while woken.elapsed() < LONGEST && events.recv_timeout(QUIET).is_ok() {}
        workshop.refresh();
        let views = self::views(args, workshop, session)?;
        for (view, drift, checked) in drifts(workshop, &views)? {
            let words = render::drift::drift_in_words(&drift);
            let before = told.insert(view.game.id.clone(), words.clone());
            if before.as_ref() != Some(&words) {
                tell(&[(view, drift, checked)], true, session)?;
            }
        }
    }
}
