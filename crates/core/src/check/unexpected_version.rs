//! `unexpected-version`: a release whose executable is not of the version that the user expects.

use crate::finding::{Finding, Severity};
use crate::remedy::{Action, Remedy};
use upright_spanner_image::{Requirement, Version};

/// `brings` says whether the release has the executable at all.
pub(crate) fn finding(
    executable: &str,
    expected: &Requirement,
    version: Option<&Version>,
    brings: bool,
) -> Finding {
    let (sentence, remedy): (String, Remedy) = match version {
        Some(version) if brings => (
            format!("{executable} of the release is {version}, and you expect {expected}."),
            (
                "Get the right release, or expect this one",
                Action::Expect { version: version.to_string().into() },
            )
                .into(),
        ),
        Some(version) => (
            format!(
                "The release has no {executable}, so the game stays {version}, and you expect {expected}."
            ),
            "Give the folder that has the executable too.".into(),
        ),
        None => (
            format!("{executable} of the release states no version, and you expect {expected}."),
            "Expect none, if you are sure of it.".into(),
        ),
    };
    Finding::new("unexpected-version", Severity::Stop, sentence, remedy)
}
