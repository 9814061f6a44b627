//! `online-risk`: the game is played online, or watches over its files.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use crate::path::fold;
use crate::remedy::Action;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let game = &input.situation.game();
    let sign = match game.settings.online {
        Some(false) => return None,
        Some(true) => format!("{} is marked as played online", game.title),
        None => format!("{} has {}", game.title, guard(input)?),
    };
    let sentence = format!("{sign}: foreign files in it can get an account banned.");
    let remedy = (
        "Ask where the game is discussed before you play online with it. If it does not apply, say so.",
        Action::KeepOffline { game: game.id.clone().into() },
    );
    Some(Finding::new("online-risk", Severity::Warn, sentence, remedy))
}

/// A program or library of the game that watches over its files.
fn guard(input: &CheckInput<'_>) -> Option<String> {
    let programs = input.view().programs.iter().map(|program| (&program.path, &program.facts));
    let libraries = input.view().libraries.iter().map(|library| (&library.path, &library.facts));
    programs.chain(libraries).find_map(|(path, facts)| {
        let words = ["FileDescription", "ProductName"].map(|key| facts.string(key).unwrap_or(""));
        let text: String =
            fold(&format!("{path} {} {}", words[0], words[1])).replace(['-', '_', ' '], "");
        text.contains("anticheat").then(|| format!("an anti-cheat ({path})"))
    })
}
