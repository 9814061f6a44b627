//! `component-gone`: a library that the records know is not there any more.

use crate::finding::{Finding, Severity};
use crate::remedy::Action;
use crate::situation::Situation;
use crate::survey::Gone;

pub(crate) fn finding(situation: &Situation<'_>, gone: &Gone) -> Finding {
    let Gone { path, family, version, fitted } = gone;
    let version = version.as_ref().map_or_else(String::new, |version| format!(" {version}"));
    let (game, family_text) = (situation.game().id.clone().into(), family.clone().into());
    let (whose, remedy) = if *fitted {
        let action = Action::Refit { game, family: family_text };
        ("was fitted there", ("Restore it.", action))
    } else {
        let action = Action::RollBack { game, family: family_text };
        ("is the shipped file", ("Restore it.", action))
    };
    let sentence =
        format!("{path} is gone: {family}{version} {whose}, and something else has removed it.");
    Finding::new("component-gone", Severity::Warn, sentence, remedy)
}
