//! Runs the checks.

use super::input::{CheckInput, Conditions};
use super::{
    advice, conflicts, debug_build, edition_mismatch, entry_not_loaded, entry_taken,
    exe_unsupported, exports_missing, file_read_only, game_running, generation_leap,
    identity_differs, keyed_elsewhere, machine_mismatch, no_space, older_than_shipped, online_risk,
    other_volume, pinned, prefix_in_use, requires, same_version_other_bytes, signature_broken,
    signer_changed, unsigned_now,
};
use crate::finding::{Finding, Severity};

/// All findings about a subject, the most severe first.
pub(crate) fn check(input: &CheckInput<'_>) -> Vec<Finding> {
    let mut findings = Vec::new();
    findings.extend(machine_mismatch::check(input));
    findings.extend(advice::check(input));
    findings.extend(exe_unsupported::check(input));
    findings.extend(keyed_elsewhere::check(input));
    findings.extend(entry_taken::check(input));
    findings.extend(entry_not_loaded::check(input));
    findings.extend(exports_missing::check(input));
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

/// Whether a finding is about the state of the machine, which is looked at again before a change.
pub(crate) fn is_condition(code: &str) -> bool {
    let conditions = [
        game_running::CODE,
        no_space::CODE,
        file_read_only::CODE,
        other_volume::CODE,
        prefix_in_use::CODE,
    ];
    conditions.contains(&code)
}

/// Whether a change that continues despite some findings may meet files that someone has open.
pub(crate) fn may_be_in_use(despite: &[String]) -> bool {
    despite.iter().any(|code| code == game_running::CODE)
}

/// The findings about the state of the machine, the most severe first.
pub(crate) fn check_conditions(conditions: &Conditions) -> Vec<Finding> {
    let mut findings = Vec::new();
    findings.extend(game_running::check(conditions));
    findings.extend(prefix_in_use::check(conditions));
    findings.extend(no_space::check(conditions));
    findings.extend(file_read_only::check(conditions));
    findings.extend(other_volume::check(conditions));
    sorted(findings)
}

/// Whether a finding about a present component means that part of it is not loaded or cannot work.
pub(crate) fn keeps_from_loading(finding: &Finding) -> bool {
    finding.severity == Severity::Stop || finding.code == entry_not_loaded::CODE
}

fn sorted(mut findings: Vec<Finding>) -> Vec<Finding> {
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    findings.dedup();
    findings
}
