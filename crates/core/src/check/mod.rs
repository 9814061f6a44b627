//! Findings: what speaks against a change, found before anything is copied. One file per check;
//! each is pure and looks only at what it is given.

mod about;
mod input;
mod loads;
mod present;
mod remedy;

pub(crate) mod already_fitted;
pub(crate) mod altered_since;
pub(crate) mod bay_unknown;
pub(crate) mod conflicts;
pub(crate) mod debug_build;
pub(crate) mod edition_mismatch;
pub(crate) mod entry_incomplete;
pub(crate) mod entry_not_loaded;
pub(crate) mod entry_taken;
pub(crate) mod exe_unsupported;
pub(crate) mod exports_missing;
pub(crate) mod family_absent;
pub(crate) mod file_read_only;
pub(crate) mod game_running;
pub(crate) mod generation_leap;
pub(crate) mod identity_differs;
pub(crate) mod keyed_elsewhere;
pub(crate) mod left_alone;
pub(crate) mod machine_mismatch;
pub(crate) mod needs_runtime;
pub(crate) mod no_space;
pub(crate) mod older_than_shipped;
pub(crate) mod online_risk;
pub(crate) mod other_volume;
pub(crate) mod pinned;
pub(crate) mod requires;
pub(crate) mod same_version_other_bytes;
pub(crate) mod settings_kept;
pub(crate) mod settings_unmerged;
pub(crate) mod signature_broken;
pub(crate) mod signer_changed;
pub(crate) mod slot_ambiguous;
pub(crate) mod ties_unsolvable;
pub(crate) mod unsigned_now;
pub(crate) mod version_passed_over;

use serde::Serialize;

pub use crate::finding::{Finding, Severity};
pub use about::{ABOUT, About, explain};
pub(crate) use input::{Alongside, CheckInput, Conditions, InUse, Subject, Swap};
pub use loads::EntryName;
pub(crate) use loads::entry_names;
pub use present::CheckedFamily;
pub(crate) use present::check_present;

/// What a set of findings comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// Nothing speaks against it.
    Fine,
    /// What decides could not be read.
    Unknown,
    /// Something is worth a second look.
    Attention,
    /// It will not work.
    Stop,
}

impl Verdict {
    /// The word used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Fine => "fine",
            Self::Unknown => "unknown",
            Self::Attention => "attention",
            Self::Stop => "stop",
        }
    }

    /// The verdict of some findings.
    pub fn of(findings: &[Finding]) -> Self {
        let one = |finding: &Finding| match finding.severity {
            Severity::Note => Self::Fine,
            Severity::Warn if finding.code == exe_unsupported::UNKNOWN => Self::Unknown,
            Severity::Warn => Self::Attention,
            Severity::Stop if finding.overridden => Self::Attention,
            Severity::Stop => Self::Stop,
        };
        findings.iter().map(one).max().unwrap_or(Self::Fine)
    }
}

/// Everything that the checks say of a input, the gravest first.
pub(crate) fn check(input: &CheckInput<'_>) -> Vec<Finding> {
    let mut findings = Vec::new();
    findings.extend(machine_mismatch::check(input));
    findings.extend(exe_unsupported::check(input));
    findings.extend(keyed_elsewhere::check(input));
    findings.extend(entry_taken::check(input));
    findings.extend(entry_not_loaded::check(input));
    findings.extend(entry_incomplete::check(input));
    findings.extend(exports_missing::check(input));
    findings.extend(needs_runtime::check(input));
    findings.extend(requires::check(input));
    findings.extend(conflicts::check(input));
    findings.extend(edition_mismatch::check(input));
    findings.extend(pinned::check(input));
    findings.extend(signature_broken::check(input));
    findings.extend(signer_changed::check(input));
    findings.extend(unsigned_now::check(input));
    findings.extend(identity_differs::check(input));
    findings.extend(older_than_shipped::check(input));
    findings.extend(same_version_other_bytes::check(input));
    findings.extend(generation_leap::check(input));
    findings.extend(debug_build::check(input));
    findings.extend(online_risk::check(input));
    sorted(findings)
}

/// Whether a finding is about the state of the machine, which is looked at anew before a change.
pub(crate) fn is_condition(code: &str) -> bool {
    [game_running::CODE, no_space::CODE, file_read_only::CODE, other_volume::CODE].contains(&code)
}

/// Whether a change that goes on despite some findings may meet files that somebody has open.
pub(crate) fn may_be_in_use(despite: &[String]) -> bool {
    despite.iter().any(|code| code == game_running::CODE)
}

/// What the state of the machine says of a change: the gravest first.
pub(crate) fn check_conditions(conditions: &Conditions) -> Vec<Finding> {
    let mut findings = Vec::new();
    findings.extend(game_running::check(conditions));
    findings.extend(no_space::check(conditions));
    findings.extend(file_read_only::check(conditions));
    findings.extend(other_volume::check(conditions));
    sorted(findings)
}

fn sorted(mut findings: Vec<Finding>) -> Vec<Finding> {
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    findings.dedup();
    findings
}
