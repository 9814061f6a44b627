//! Pins: families that the user keeps at a version in a game.

use super::{Altering, Workshop};
use crate::error::{Error, Result};
use crate::game::Pin;
use crate::path::same_name;
use crate::remedy::Action;
use crate::survey::GameView;
use upright_spanner_image::Version;

impl Workshop {
    /// Every pin.
    pub fn pins(&self) -> Vec<Pin> {
        self.words().pins.clone()
    }

    /// The pins of one game.
    pub fn pins_of(&self, game: &str) -> Vec<Pin> {
        let mut pins = self.pins();
        pins.retain(|pin| pin.game == game);
        pins
    }
}

impl Altering<'_> {
    /// Keeps a family of a game at a version, else at the one that it has; says which.
    ///
    /// # Errors
    /// [`crate::GameError::NoSuchComponent`] where the game has no such family.
    pub fn pin(
        &self,
        view: &GameView,
        family: &str,
        version: Option<Version>,
        why: &str,
    ) -> Result<Pin> {
        let live = view.libraries.iter().filter(|library| !library.put_aside);
        let mut there = live.filter(|library| same_name(&library.family, family));
        let Some(library) = there.next() else {
            return Err(view.no_component(family));
        };
        let pin = Pin {
            game: view.game.id.clone(),
            family: library.family.clone(),
            version: version.or_else(|| library.facts.version()),
            why: why.to_owned(),
        };

        self.edit(|words| {
            words.pins.retain(|other| (&other.game, &other.family) != (&pin.game, &pin.family));
            words.pins.push(pin.clone());
            Ok(())
        })?;

        Ok(pin)
    }

    /// Takes a pin away; gives it.
    ///
    /// # Errors
    /// Where it is not pinned.
    pub fn unpin(&self, game: &str, family: &str) -> Result<Pin> {
        let pins = self.workshop().pins_of(game);
        let found = pins.iter().find(|pin| same_name(&pin.family, family)).cloned();
        let pin = found.ok_or_else(|| Error::Invalid {
            what: format!("{family} is not pinned in {game}"),
            remedy: (
                "A survey shows what is pinned.",
                Action::LookOver { game: game.to_owned().into() },
            )
                .into(),
        })?;

        self.edit(|words| {
            words.pins.retain(|other| *other != pin);
            Ok(())
        })?;
        Ok(pin)
    }
}
