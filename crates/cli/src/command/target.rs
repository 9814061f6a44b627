//! The game that a command is about.

use anyhow::Result;
use upright_spanner_core::Workshop;
use upright_spanner_core::game::GameEdit;
use upright_spanner_core::survey::GameView;

use super::survey;
use crate::prompt;
use crate::render;
use crate::session::Session;

/// The game that a text names. If its folder looks like a game that was moved, the user is asked, and its history
/// moves with it. A command that only looks reports it, and records nothing.
pub fn game(
    workshop: &Workshop,
    name: &str,
    only_looks: bool,
    session: &Session,
) -> Result<GameView> {
    let view = workshop.game(name, &session.progress())?;
    let Some(moved) = workshop.moved_from(&view)? else { return Ok(view) };
    let question = format!(
        "This looks like {}, which was in {}. Is it the same game?",
        moved.title,
        render::slashes(&moved.root)
    );
    if only_looks || !prompt::confirm(session, &question)? {
        survey::tell_moved(&view, &moved);
        return Ok(view);
    }

    let edit = GameEdit { root: Some(view.game.root.clone()), ..GameEdit::default() };
    let game = workshop.alter()?.set_game(&moved.id, &edit)?;
    Ok(workshop.game(&game.id, &session.progress())?)
}
