//! `advised-against`: a feed says that a build fails with this version of the game.

use super::CheckInput;
use super::remedy;
use crate::feed::{Advice, Advised, Counsel};
use crate::finding::{Finding, Severity};

const CODE: &str = "advised-against";

pub(crate) fn check(input: &CheckInput<'_>) -> Vec<Finding> {
    let failing = about(input).into_iter().filter(|it| it.advice.what == Counsel::Fails);
    failing.map(|advised| finding(input, advised)).collect()
}

/// What feeds say of the subject in this game.
pub(super) fn about<'a>(input: &CheckInput<'a>) -> Vec<Advised<'a>> {
    let subject = &input.subject;
    let advised = input.situation.feeds.advice(
        subject.family,
        subject.version.as_ref(),
        subject.variant,
        input.game_version(),
    );
    advised.collect()
}

/// What a feed says of a download that is to be got, before it is known for which game.
pub(crate) fn of_download(id: &str, feed: &str, advice: &Advice) -> Finding {
    let (code, how) = match (advice.what, &advice.game) {
        (Counsel::Withdrawn, _) => {
            (super::withdrawn::CODE, "was taken back by who publishes it".to_owned())
        }
        (Counsel::Fails, Some(game)) => (CODE, format!("fails with {game} of the game")),
        (Counsel::Fails, None) => (CODE, "fails".to_owned()),
    };
    let sentence = format!("{id} {how}, says the feed {feed}: {}", advice.why);
    Finding::new(code, Severity::Stop, sentence, "Get another build.")
}

fn finding(input: &CheckInput<'_>, Advised { feed, advice }: Advised<'_>) -> Finding {
    let with = match (&advice.game, input.game_version()) {
        (Some(_), Some(version)) => format!(" with {version} of the game"),
        _ => String::new(),
    };
    let sentence = format!(
        "{} fails{with}, says the feed {} ({}): {}",
        input.label(),
        feed.name(),
        remedy::as_of(feed),
        advice.why
    );
    let severity = if input.in_place { Severity::Warn } else { Severity::Stop };
    Finding::new(CODE, severity, sentence, remedy::for_another(input))
}
