//! `withdrawn`: who published a build has taken it back. `advised-against`: a feed says that a build fails with this
//! game, or this version of it.

use super::CheckInput;
use super::remedy;
use crate::feed::{Advice, Advised, Counsel};
use crate::finding::{Finding, Severity};

const WITHDRAWN: &str = "withdrawn";
const ADVISED_AGAINST: &str = "advised-against";

pub(crate) fn check(input: &CheckInput<'_>) -> Vec<Finding> {
    let subject = &input.subject;
    let advised = input.situation.feeds.advice(
        subject.family,
        subject.version.as_ref(),
        subject.variant,
        &remedy::needs(input),
    );
    advised.map(|advised| finding(input, advised)).collect()
}

fn finding(input: &CheckInput<'_>, Advised { feed, advice }: Advised<'_>) -> Finding {
    let (code, what) = said(advice);
    let sentence = format!(
        "{} {what}, says the feed {} ({}): {}",
        input.label(),
        feed.name(),
        remedy::as_of(feed),
        advice.why
    );
    // The present component works as before; the advice only concerns new ones.
    let severity = if input.in_place { Severity::Warn } else { Severity::Stop };
    Finding::new(code, severity, sentence, remedy::for_another(input))
}

/// The advice of a feed about a download, before the game is known.
pub(crate) fn of_download(id: &str, feed: &str, advice: &Advice) -> Finding {
    let (code, what) = said(advice);
    let sentence = format!("{id} {what}, says the feed {feed}: {}", advice.why);
    Finding::new(code, Severity::Stop, sentence, "Get another build.")
}

/// The code, and the sentence about the build.
fn said(advice: &Advice) -> (&'static str, String) {
    match (advice.what, advice.about()) {
        (Counsel::Withdrawn, _) => (WITHDRAWN, "was withdrawn by its publisher".to_owned()),
        (Counsel::Fails, Some(game)) => (ADVISED_AGAINST, format!("fails with {game}")),
        (Counsel::Fails, None) => (ADVISED_AGAINST, "fails".to_owned()),
    }
}
