//! `shortcut`: a shortcut to a game, on the desktop or in a folder.

use std::path::PathBuf;

use anyhow::{Context, Result};
use directories::UserDirs;
use upright_spanner_core::Error;
use upright_spanner_core::survey::GameView;

use super::carry_out::{ActOptions, Messages, carry_out};
use super::target;
use crate::args;
use crate::exit::Exit;
use crate::session::Session;
use crate::text::slashes;

pub fn run(args: &args::Shortcut, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let view = target::game(&workshop, &args.game, args.dry_run, session)?;
    let folder = folder(args)?;
    let command = match args.through {
        Some(args::Through::Spanner) => Some(through_this(&view, session)?),
        None => None,
    };
    let plan = workshop.plan_shortcut(&view, &folder, command)?;
    let next = format!("It is in {}.", slashes(&folder));
    let talk = Messages {
        question: Some("Make the shortcut?"),
        nothing: "The shortcut is there already.",
        next: &next,
        back: "spanner undo".to_owned(),
    };
    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    carry_out(&workshop, plan, &wish, &talk, session)
}

/// The folder that was named, else the desktop.
fn folder(args: &args::Shortcut) -> Result<PathBuf> {
    let invalid = |what: String| Error::Invalid {
        what,
        remedy: "Give a folder that is there: --to DIR".into(),
    };
    if let Some(folder) = &args.to {
        let folder = std::path::absolute(folder)
            .with_context(|| format!("{} is not a folder", slashes(folder)))?;
        if !folder.is_dir() {
            return Err(invalid(format!("{} is not a folder", slashes(&folder))).into());
        }
        return Ok(folder);
    }
    let user = UserDirs::new();
    let desktop = user.as_ref().and_then(UserDirs::desktop_dir).filter(|folder| folder.is_dir());
    let none = || invalid("this system does not say where your desktop is".to_owned());
    Ok(desktop.map(std::path::Path::to_owned).ok_or_else(none)?)
}

/// The command that starts a game through this program, with the home that is in use.
fn through_this(view: &GameView, session: &Session) -> Result<Vec<String>> {
    let program = std::env::current_exe().context("could not find this program's own file")?;
    let text = |path: PathBuf| slashes(&path);
    let words = [text(program), "--home".to_owned(), text(session.home()?), "start".to_owned()];
    Ok(words.into_iter().chain([slashes(&view.game.root)]).collect())
}
