//! Pins: families that the user keeps at a version in a game.

use super::Workshop;
use crate::error::{Error, Result};
use crate::game::Pin;
use crate::path::same_name;
use crate::survey::GameView;
use crate::version::Version;

impl Workshop {
    /// Every pin.
    pub fn pins(&self) -> Result<Vec<Pin>> {
        self.database.pins()
    }

    /// The pins of one game.
    pub fn pins_of(&self, game: &str) -> Result<Vec<Pin>> {
        let mut pins = self.database.pins()?;
        pins.retain(|pin| pin.game == game);
        Ok(pins)
    }

    /// Keeps a family of a game at a version, else at the one that it has; says which.
    pub fn pin(
        &mut self,
        view: &GameView,
        family: &str,
        version: Option<Version>,
        why: &str,
    ) -> Result<Pin> {
        let _lock = self.lock()?;
        let live = view.libraries.iter().filter(|library| !library.put_aside);
        let mut there = live.filter(|library| same_name(&library.family, family));
        let Some(library) = there.next() else {
            let mut known: Vec<String> =
                view.components().iter().map(|library| library.family.clone()).collect();
            known.dedup();
            return Err(Error::NoSuchComponent {
                family: family.to_owned(),
                game: view.game.title.clone(),
                known,
            });
        };
        let pin = Pin {
            game: view.game.id.clone(),
            family: library.family.clone(),
            version: version.or_else(|| library.facts.version()),
            why: why.to_owned(),
        };
        self.database.pin(&pin)?;
        Ok(pin)
    }

    /// Takes a pin away; gives it.
    pub fn unpin(&mut self, game: &str, family: &str) -> Result<Pin> {
        let _lock = self.lock()?;
        let pins = self.pins_of(game)?;
        let found = pins.iter().find(|pin| same_name(&pin.family, family)).cloned();
        let pin = found.ok_or_else(|| Error::Setting {
            what: format!("{family} is not pinned in {game}"),
            advice: "`spanner survey` shows what is pinned.",
        })?;
        self.database.unpin(&pin)?;
        Ok(pin)
    }
}
