//! `online-risk`: the game is played online, or watches over its files.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use crate::path::fold;
use crate::remedy::Action;
use crate::survey::GameView;

/// Why a game is not one to be meddled with unasked: the user says that it is played online, or something in it
/// watches over its files.
pub(crate) fn watches_over_itself(view: &GameView) -> Option<String> {
    let game = &view.game;
    match game.settings.online {
        Some(false) => None,
        Some(true) => Some(format!("{} is marked as played online", game.title)),
        None => Some(format!("{} has {}", game.title, guard(view)?)),
    }
}

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let game = &input.situation.game();
    let sign = watches_over_itself(input.view())?;
    let sentence = format!("{sign}: foreign files in it can get an account banned.");
    let remedy = (
        "Ask the game's community before you play online with it. If the game is not played online, record that.",
        Action::KeepOffline { game: game.id.clone().into() },
    );
    Some(Finding::new("online-risk", Severity::Warn, sentence, remedy))
}

/// A program or library of the game that watches over its files.
fn guard(view: &GameView) -> Option<String> {
    let programs = view.programs.iter().map(|program| (&program.path, &program.facts));
    let libraries = view.libraries.iter().map(|library| (&library.path, &library.facts));
    programs.chain(libraries).find_map(|(path, facts)| {
        let words = ["FileDescription", "ProductName"].map(|key| facts.string(key).unwrap_or(""));
        let text: String =
            fold(&format!("{path} {} {}", words[0], words[1])).replace(['-', '_', ' '], "");
        text.contains("anticheat").then(|| format!("an anti-cheat ({path})"))
    })
}
