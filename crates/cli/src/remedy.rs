//! What to do now, in words: a remedy with the command that does it.

use upright_spanner_core::{Action, Error, Remedy};

use crate::text::quoted;

/// What to do about an error.
pub fn of(error: &Error) -> Option<String> {
    error.remedy().as_ref().map(worded)
}

/// A remedy for people: the sentence, and after a colon the command to type.
pub fn worded(remedy: &Remedy) -> String {
    let sentence = &remedy.sentence;
    match &remedy.action {
        None => sentence.to_string(),
        Some(action) => format!("{}: {}", sentence.trim_end_matches('.'), command(action)),
    }
}

/// The command that does something. It is the last word of a sentence, without a full stop: people copy
/// it.
fn command(action: &Action) -> String {
    let set = |game: &str, option: &str| format!("spanner game set {} {option}", quoted(game));
    match action {
        Action::AddFeed => "spanner feed add URL-or-FOLDER".to_owned(),
        Action::AddToRack => "spanner rack add FILE".to_owned(),
        Action::Beside => "--beside".to_owned(),
        Action::Clear => "--clear".to_owned(),
        Action::ChangeHome => "--home DIR".to_owned(),
        Action::Check { game, build } => {
            format!("spanner check {} {}", quoted(game), quoted(build))
        }
        Action::CheckGame { game } => format!("spanner check {}", quoted(game)),
        Action::Compare => "spanner compare OLD NEW".to_owned(),
        Action::DropAnyway => "--anyway".to_owned(),
        Action::Fit { game, build } => format!("spanner fit {} {}", quoted(game), quoted(build)),
        Action::FitAs { game, build, name } => {
            format!("spanner fit {} {} --as {}", quoted(game), quoted(build), quoted(name))
        }
        Action::FitAsOneOf { game, build, names } => {
            let (game, build) = (quoted(game), quoted(build));
            let each = names
                .iter()
                .map(|name| format!("spanner fit {game} {build} --as {}", quoted(name)));
            each.collect::<Vec<_>>().join(", or ")
        }
        Action::FitUnderName { game, build } => {
            format!("spanner fit {} {} --as NAME", quoted(game), quoted(build))
        }
        Action::ForgetFeed { name } => format!("spanner feed forget {}", quoted(name)),
        Action::Get { build } => format!("spanner rack get {}", quoted(build)),
        Action::HoldFile { game } => format!("spanner hold {} --file FILE", quoted(game)),
        Action::Inspect => "spanner inspect FILE".to_owned(),
        Action::IntoFolder => "--to DIR".to_owned(),
        Action::KeepOffline { game } => set(game, "--online no"),
        Action::LearnFamily => "spanner family learn FILE".to_owned(),
        Action::LearnLog => "spanner family learn FILE --log LOG".to_owned(),
        Action::LookOver { game } => format!("spanner survey {}", quoted(game)),
        Action::MakeKey => "spanner feed key new FILE".to_owned(),
        Action::Mend => "spanner doctor".to_owned(),
        Action::NameBay { game, bay } => set(game, &format!("--bay {bay}=FOLDER")),
        Action::NameEdition { game } => set(game, "--edition NAME"),
        Action::NameExecutable { game } => set(game, "--executable PATH"),
        Action::NamePrefix { game } => set(game, "--prefix FOLDER"),
        Action::NamePrefixOrWrite { game } => {
            format!("--reg-file FILE, or {}", set(game, "--prefix FOLDER"))
        }
        Action::NameRoot { game } => set(game, "--root FOLDER"),
        Action::NameRunWith { game } => set(game, "--run-with COMMAND"),
        Action::NameStart { game } => set(game, "--start FILE"),
        Action::NameVersionFile { game } => set(game, "--version-file FILE"),
        Action::Park { game, family } => {
            format!("spanner park {} {}", quoted(game), quoted(family))
        }
        Action::PutSettingsBack { game } => format!("spanner rollback {} --settings", quoted(game)),
        Action::ReadNotes { game, build } => {
            format!("spanner rack notes {} --for {}", quoted(build), quoted(game))
        }
        Action::ReclaimUnmentioned => "spanner doctor --reclaim --despite unmentioned".to_owned(),
        Action::RefreshFeeds => "spanner feed refresh".to_owned(),
        Action::Refit { game, family } => {
            format!("spanner refit {} {}", quoted(game), quoted(family))
        }
        Action::RollBack { game, family } => {
            format!("spanner rollback {} {}", quoted(game), quoted(family))
        }
        Action::RollBackTo { game, change } => {
            format!("spanner rollback {} --to {change}", quoted(game))
        }
        Action::RollBackSaves { game, change } => {
            format!("spanner rollback {} --saves --to {change}", quoted(game))
        }
        Action::SetAside { pattern } => format!("--aside {}", quoted(pattern)),
        Action::TakeSettings => "--settings".to_owned(),
        Action::WindFrom { folder } => format!("--from {}", quoted(folder)),
        Action::KeepFitted => "--keep-fitted, or --replace-fitted".to_owned(),
        Action::Expect { version } => format!("--expect {}", quoted(version)),
        Action::SetRegistry => "--registry".to_owned(),
        Action::Settle { change } => format!("spanner doctor --settle {change}"),
        Action::ShowEntries { game } => format!("spanner check {} --entries", quoted(game)),
        Action::ShowHistory { game: None } => "spanner history".to_owned(),
        Action::ShowHistory { game: Some(game) } => format!("spanner history {}", quoted(game)),
        Action::ShowBuild { build } => format!("spanner rack show {}", quoted(build)),
        Action::ShowLayout => "spanner rack show BUILD --layout".to_owned(),
        Action::ShowLoads { game, file } => {
            format!("spanner check {} --loads {}", quoted(game), quoted(file))
        }
        Action::ShowSettings { game } => format!("spanner tune {}", quoted(game)),
        Action::ShowSorting => "spanner rack add FILE -v".to_owned(),
        Action::StartAndProve { game } => format!("spanner start {} --prove", quoted(game)),
        Action::Survey => "spanner survey FOLDER".to_owned(),
        Action::ThroughThis => "--through spanner".to_owned(),
        Action::UnderName => "--as NAME".to_owned(),
        Action::UndoOld => "--undo-old".to_owned(),
        Action::Unpin { game, family } => {
            format!("spanner unpin {} {}", quoted(game), quoted(family))
        }
        Action::UseVariant => "--variant NAME".to_owned(),
        Action::WriteRegFile => "--reg-file FILE".to_owned(),
    }
}
