//! What to do about a finding or an error: a sentence, and the action that does it.
//!
//! The interface words an action as a command or a button; this crate knows neither.

use std::borrow::Cow;

use serde::Serialize;

/// A constant text, or one made at run time.
type Text = Cow<'static, str>;

/// What to do now.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Remedy {
    /// It, in whole sentences.
    pub sentence: Text,
    /// What this program can do for it.
    pub action: Option<Action>,
}

/// An action of this program. `GAME`, `BUILD` and similar names are for the user to fill in.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "do")]
#[expect(missing_docs, reason = "each names what it is about in its fields")]
pub enum Action {
    AddFeed,
    AddToRack,
    Beside,
    ChangeHome,
    Clear,
    Check {
        game: Text,
        build: Text,
    },
    CheckGame {
        game: Text,
    },
    Compare,
    DropAnyway,
    Fit {
        game: Text,
        build: Text,
    },
    /// Under a given name.
    FitAs {
        game: Text,
        build: Text,
        name: Text,
    },
    /// Under one of several names.
    FitAsOneOf {
        game: Text,
        build: Text,
        names: Vec<String>,
    },
    /// The same command, under a name that the user chooses.
    UnderName,
    /// Under a name that the user chooses.
    FitUnderName {
        game: Text,
        build: Text,
    },
    /// By the file that is named.
    ForgetFeed {
        name: Text,
    },
    /// From a feed onto the rack.
    Get {
        build: Text,
    },
    HoldFile {
        game: Text,
    },
    Inspect,
    /// The same command, with the folder that something goes to.
    IntoFolder,
    KeepOffline {
        game: Text,
    },
    LearnFamily,
    /// With the file that it writes its log to.
    LearnLog,
    MakeKey,
    LookOver {
        game: Text,
    },
    Mend,
    NameBay {
        game: Text,
        bay: Text,
    },
    NameEdition {
        game: Text,
    },
    NameExecutable {
        game: Text,
    },
    NamePrefix {
        game: Text,
    },
    NamePrefixOrWrite {
        game: Text,
    },
    NameRoot {
        game: Text,
    },
    NameRunWith {
        game: Text,
    },
    NameStart {
        game: Text,
    },
    NameVersionFile {
        game: Text,
    },
    Park {
        game: Text,
        family: Text,
    },
    PutSettingsBack {
        game: Text,
    },
    ReadNotes {
        game: Text,
        build: Text,
    },
    ReclaimUnmentioned,
    RefreshFeeds,
    Refit {
        game: Text,
        family: Text,
    },
    RollBack {
        game: Text,
        family: Text,
    },
    RollBackTo {
        game: Text,
        change: i64,
    },
    RollBackSaves {
        game: Text,
        change: i64,
    },
    SetRegistry,
    Settle {
        change: i64,
    },
    ShowBuild {
        build: Text,
    },
    ShowEntries {
        game: Text,
    },
    ShowHistory {
        game: Option<Text>,
    },
    ShowLayout,
    /// The ways on which a game comes to load a file.
    ShowLoads {
        game: Text,
        file: Text,
    },
    ShowSettings {
        game: Text,
    },
    ShowSorting,
    /// Start the game and prove its components.
    StartAndProve {
        game: Text,
    },
    Survey,
    /// The same command, with the new settings.
    TakeSettings,
    /// The same command, moving files out of the game's folder.
    SetAside {
        pattern: Text,
    },
    /// The same command, from another folder.
    WindFrom {
        folder: Text,
    },
    /// The same command, with fitted components kept, or replaced.
    KeepFitted,
    /// The same command, with another version expected.
    Expect {
        version: Text,
    },
    /// The same command, through this program.
    ThroughThis,
    UndoOld,
    Unpin {
        game: Text,
        family: Text,
    },
    /// One of several builds, by its variant.
    UseVariant,
    /// The same command, writing registry values to a file instead.
    WriteRegFile,
}

impl Remedy {
    /// A sentence alone.
    pub const fn text(sentence: &'static str) -> Self {
        Self { sentence: Cow::Borrowed(sentence), action: None }
    }

    /// A sentence, and the action that does it.
    pub const fn by(sentence: &'static str, action: Action) -> Self {
        Self { sentence: Cow::Borrowed(sentence), action: Some(action) }
    }
}

impl From<&'static str> for Remedy {
    fn from(sentence: &'static str) -> Self {
        Self::text(sentence)
    }
}

impl From<String> for Remedy {
    fn from(sentence: String) -> Self {
        Self { sentence: Cow::Owned(sentence), action: None }
    }
}

impl<S: Into<Text>> From<(S, Action)> for Remedy {
    fn from((sentence, action): (S, Action)) -> Self {
        Self { sentence: sentence.into(), action: Some(action) }
    }
}
