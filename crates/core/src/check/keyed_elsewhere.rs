//! `keyed-elsewhere`: a library whose name is keyed to another version of the executable.

use super::{Finding, Severity};
use crate::game::Executable;
use crate::rack::Build;

/// To be asked for a build that replaces a file keyed to the executable.
pub(crate) fn check(build: &Build, executable: &Executable) -> Option<Finding> {
    let key = build.key()?;
    let version = executable.version()?;
    (!key.same_numbers(&version)).then(|| {
        let sentence = format!(
            "{} is made for version {key} of the game ({} says so), but {} is version {version}.",
            build.id,
            build.file.name,
            executable.path.file_name(),
        );
        let remedy = format!(
            "Use the build for {version}. If there is none yet and the game was just updated, wait \
             for one."
        );
        Finding::new("keyed-elsewhere", Severity::Stop, sentence, remedy)
    })
}
