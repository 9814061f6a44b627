//! `withdrawn`: who published a build has taken it back.

use super::CheckInput;
use super::remedy;
use crate::feed::{Advised, Counsel};
use crate::finding::{Finding, Severity};

pub(super) const CODE: &str = "withdrawn";

pub(crate) fn check(input: &CheckInput<'_>) -> Vec<Finding> {
    let advised = super::advised_against::about(input);
    let withdrawn = advised.into_iter().filter(|it| it.advice.what == Counsel::Withdrawn);
    withdrawn.map(|advised| finding(input, advised)).collect()
}

fn finding(input: &CheckInput<'_>, Advised { feed, advice }: Advised<'_>) -> Finding {
    let sentence = format!(
        "{} was taken back by who publishes it, says the feed {} ({}): {}",
        input.label(),
        feed.name(),
        remedy::as_of(feed),
        advice.why
    );
    // What is there works as it did; only what would come is kept away.
    let severity = if input.in_place { Severity::Warn } else { Severity::Stop };
    Finding::new(CODE, severity, sentence, remedy::for_another(input))
}
