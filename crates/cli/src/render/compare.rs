//! A comparison: the verdict first, then what differs.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::compare::{Comparison, Pair};

use super::table::{table, widest};
use super::{clean, cut, wrapped};
use crate::session::Session;

/// Longer names, which compilers make, are cut, so that a line at 80 holds one.
const LONGEST_NAME: usize = 60;

/// Names gained or lost that are shown, a few lines of them; `-v` shows all.
const NAMES_SHOWN: usize = 12;

/// Prints a comparison for people.
pub fn print(comparison: &Comparison, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    write!(out, "{}", wrapped(&comparison.verdict, "", 0, session.width).bold())?;
    let pairs = comparison.facts.iter().chain(&comparison.strings);
    let pairs: Vec<&Pair> = pairs.filter(|pair| pair.old.is_some() || pair.new.is_some()).collect();
    let what = widest(pairs.iter().map(|pair| pair.what.as_str()));
    let half = session.width.saturating_sub(what + 6) / 2;
    let rows = pairs.iter().map(|pair| row(pair, half)).collect();
    write!(out, "{}", table(&["", "OLD", "NEW"], &[], rows))?;
    for (what, names) in [
        ("exports lost", &comparison.exports_lost),
        ("exports gained", &comparison.exports_gained),
        ("imports lost", &comparison.imports_lost),
        ("imports gained", &comparison.imports_gained),
    ] {
        if names.is_empty() {
            continue;
        }
        let shown = if session.verbose { names.len() } else { NAMES_SHOWN.min(names.len()) };
        let some: Vec<String> = names[..shown].iter().map(|name| cut(name, LONGEST_NAME)).collect();
        let some = some.join(", ");
        let text = match names.len() - shown {
            0 => some,
            rest => format!("{some} and {rest} more (-v)"),
        };
        let head = format!("  {}: ", format!("{what} ({})", names.len()).dimmed());
        write!(out, "{}", wrapped(&text, &head, 4, session.width.saturating_sub(what.len() + 6)))?;
    }

    Ok(())
}

/// What both files say, each cut down to `half` columns.
fn row(pair: &Pair, half: usize) -> Vec<String> {
    let side = |text: &Option<String>| cut(&clean(text.as_deref().unwrap_or("-")), half);
    let new = side(&pair.new);
    let new = if pair.same() { new.dimmed().to_string() } else { new.yellow().to_string() };
    vec![clean(&pair.what).into_owned(), side(&pair.old), new]
}
