//! The combined result of a component's state in the process and its log.

use schemars::JsonSchema;
use serde::Serialize;

/// Whether the fitted file is mapped into the game's process.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Loaded {
    /// It is, or was while the game ran.
    Yes,
    /// It is not, and no other of its name.
    No,
    /// Another file of its name is.
    Other,
    /// The game does not run, or its process was not looked into.
    Unknown,
}

/// The version reported in a component's log.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Report {
    /// It states the version that was fitted.
    Match,
    /// It states another.
    Other,
    /// It reports that something went wrong.
    Error,
    /// It was last written before the game was started.
    Stale,
    /// There is no log, or it states no version.
    None,
}

/// What both come to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// It was loaded, and states the version that was fitted.
    Proved,
    /// It was loaded; its report is unknown.
    Loaded,
    /// It was not loaded.
    NotLoaded,
    /// Another file of its name was loaded.
    AnotherLoaded,
    /// It states another version than was fitted.
    ReportsOther,
    /// It reports an error.
    ReportsError,
    /// Its log is older than the start of the game.
    StaleLog,
    /// Neither the process nor a log could be seen.
    NotSeen,
}

impl Outcome {
    /// Takes both together; `has_ended` says that the game does not run any more.
    pub(super) fn of(loaded: Loaded, report: Report, has_ended: bool) -> Self {
        match (loaded, report) {
            (_, Report::Error) => Self::ReportsError,
            (Loaded::Other, _) => Self::AnotherLoaded,
            (_, Report::Other) => Self::ReportsOther,
            (Loaded::Yes | Loaded::Unknown, Report::Match) => Self::Proved,
            // Between two looks it may have been loaded and gone.
            (Loaded::No, Report::Match) if has_ended => Self::Proved,
            (Loaded::No, _) => Self::NotLoaded,
            (_, Report::Stale) => Self::StaleLog,
            (Loaded::Yes, Report::None) => Self::Loaded,
            (Loaded::Unknown, Report::None) => Self::NotSeen,
        }
    }

    /// Whether it is as it should be.
    pub fn is_good(self) -> bool {
        matches!(self, Self::Proved | Self::Loaded)
    }

    /// Whether the result is final: something missing may still appear.
    pub(super) fn is_final(self) -> bool {
        matches!(self, Self::Proved | Self::ReportsError | Self::ReportsOther | Self::AnotherLoaded)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use Outcome::{
        AnotherLoaded, NotLoaded, NotSeen, Proved, ReportsError, ReportsOther, StaleLog,
    };

    #[test]
    fn both_together_come_to_one_verdict() {
        // For each loaded state: the outcome for a matching report, another version, an error, an old log, and no
        // log.
        let reports = [Report::Match, Report::Other, Report::Error, Report::Stale, Report::None];
        for (loaded, outcomes) in [
            (Loaded::Yes, [Proved, ReportsOther, ReportsError, StaleLog, Outcome::Loaded]),
            (Loaded::No, [NotLoaded, ReportsOther, ReportsError, NotLoaded, NotLoaded]),
            (
                Loaded::Other,
                [AnotherLoaded, AnotherLoaded, ReportsError, AnotherLoaded, AnotherLoaded],
            ),
            (Loaded::Unknown, [Proved, ReportsOther, ReportsError, StaleLog, NotSeen]),
        ] {
            for (report, outcome) in reports.into_iter().zip(outcomes) {
                assert_eq!(Outcome::of(loaded, report, false), outcome, "{loaded:?} {report:?}");
            }
        }
        // For a game that has ended, a log is more reliable than two looks.
        assert_eq!(Outcome::of(Loaded::No, Report::Match, true), Proved);
        assert_eq!(Outcome::of(Loaded::No, Report::None, true), NotLoaded);
        let good = [Proved, Outcome::Loaded];
        assert!(good.into_iter().all(Outcome::is_good));
        assert!(![NotLoaded, StaleLog, NotSeen, ReportsOther].into_iter().any(Outcome::is_good));
    }
}
