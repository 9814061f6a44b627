//! Pins: families that the user keeps at a version in a game.

use super::{Altering, Workshop};
use crate::error::{Error, Result};
use crate::game::Pin;
use crate::path::same_name;
use crate::rack::{self, Build};
use crate::remedy::Action;
use crate::survey::GameView;
use upright_spanner_image::Requirement;

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
    /// Keeps a family of a game at versions or at a build of the rack, else at the one that it has; says
    /// which.
    ///
    /// # Errors
    /// [`crate::GameError::NoSuchComponent`] if the game has no such family; where `at` says neither versions nor a
    /// build.
    pub fn pin(&self, view: &GameView, family: &str, at: Option<&str>, why: &str) -> Result<Pin> {
        let live = view.libraries.iter().filter(|library| !library.put_aside);
        let mut there = live.filter(|library| same_name(&library.family, family));
        let Some(library) = there.next() else {
            return Err(view.no_component(family));
        };
        let version = match at {
            Some(text) => Some(wanted_versions(&self.workshop().builds()?, &library.family, text)?),
            None => library.facts.version().map(Requirement::from),
        };
        let (game, family) = (view.game.id.clone(), library.family.clone());
        let pin = Pin { game, family, version, why: why.to_owned() };

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
    /// If it is not pinned.
    pub fn unpin(&self, game: &str, family: &str) -> Result<Pin> {
        let pins = self.workshop().pins_of(game);
        let found = pins.iter().find(|pin| same_name(&pin.family, family)).cloned();
        let pin = found.ok_or_else(|| Error::Invalid {
            what: format!("{family} is not pinned in {game}"),
            remedy: (
                "A survey shows pinned families.",
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

/// The versions that a text says, or that of the build of a family that it names.
fn wanted_versions(builds: &[Build], family: &str, text: &str) -> Result<Requirement> {
    let variants = rack::find_variants(builds, text).unwrap_or_default();
    let named = variants.first().filter(|build| same_name(&build.id.family, family));
    if let Some(version) = named.and_then(|build| build.version.clone()) {
        return Ok(version.into());
    }
    text.parse().map_err(|_| {
        let of_family = builds.iter().filter(|build| same_name(&build.id.family, family));
        let known: Vec<String> = of_family.map(|build| build.id.to_string()).collect();
        let known = match &known[..] {
            [] => format!("the rack has no build of {family}"),
            known => format!("the rack has {}", known.join(", ")),
        };
        Error::Invalid {
            what: format!("`{text}` says neither versions nor a build of {family}"),
            remedy: format!("Write 8.3.2210, 8.3.* or 7.9 - 8.2.400, or name a build: {known}.")
                .into(),
        }
    })
}
