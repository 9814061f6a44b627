//! Owners: the part of a game that a step's target belongs to. Histories, rollbacks and comparisons group targets by
//! it; the engine only records it.

use crate::path::fold;

/// The part of a game that a target belongs to.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Owner {
    /// A component, by the id of its family. Any id is valid: no other owner is written as one.
    Family(String),
    /// The game itself: the files of its releases.
    Game,
    /// The user's saved games.
    Saves,
    /// A hold, which keeps launchers from updating the game.
    Hold,
    /// The compatibility mode of the game's programs.
    Compatibility,
    /// A shortcut that starts the game.
    Shortcut,
}

impl Owner {
    /// The component with this family id.
    pub fn of_family(id: &str) -> Self {
        Self::Family(id.to_owned())
    }

    /// The family id of a component; nothing for other owners.
    pub fn family(&self) -> Option<&str> {
        match self {
            Self::Family(id) => Some(id),
            _ => None,
        }
    }

    /// Whether this is the component with a family id, in any case.
    pub fn is_family(&self, id: &str) -> bool {
        self.family().is_some_and(|own| fold(own) == fold(id))
    }
}
