//! The results of `doctor`: faults and repairs.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::change::Mending;
use upright_spanner_core::{Diagnosis, Mended};

use super::{bytes, clean, count, feed, hint, slashes};
use crate::session::Session;

/// Prints the faults, and which of them were repaired.
pub fn print_diagnosis(
    diagnosis: &Diagnosis,
    mended: Option<&Mended>,
    deep: bool,
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    let bad = |word: &str| format!("{word}:").red().bold().to_string();
    let odd = |word: &str| format!("{word}:").yellow().bold().to_string();

    for fault in &diagnosis.index {
        writeln!(out, "{} {}", bad("index"), clean(fault))?;
    }
    let restored = mended.map_or(&[][..], |mended| &mended.journal);
    for fault in &diagnosis.journal {
        let path = slashes(&fault.path);
        let again = restored.iter().find(|(number, _)| *number == fault.number);
        let is_outcome = matches!(fault.mending, Some(Mending::Outcome(_)));
        let what = match again {
            Some(_) if is_outcome => format!("{path}: {}, which is noted there now", fault.what),
            Some((_, Some(aside))) => format!(
                "{path} was damaged and was restored from a copy; the damaged file is now {}",
                slashes(aside)
            ),
            Some((_, None)) => format!("{path} was missing and was restored from a copy"),
            None if is_outcome => format!("{path}: {}", fault.what),
            None if fault.mending.is_some() => {
                format!("{path}: {}; a copy of it is at hand", fault.what)
            }
            None => format!(
                "{path}: {}. What change {} kept is still in the store; nothing is removed from there",
                fault.what, fault.number
            ),
        };
        let word = if again.is_some() { odd("journal") } else { bad("journal") };
        writeln!(out, "{word} {}", clean(&what))?;
    }

    for (path, what) in &diagnosis.labels {
        let text = format!("{}: {what}. Add that build again from its package", slashes(path));
        writeln!(out, "{} {}", bad("rack"), clean(&text))?;
    }
    for fault in &diagnosis.feeds {
        writeln!(out, "{} {}", bad("feed"), clean(&feed::fault_text(fault)))?;
    }
    if let Some(what) = &diagnosis.words {
        writeln!(out, "{} {}", bad("games"), clean(what))?;
    }
    if let Some(what) = &diagnosis.proofs {
        let text = format!("{what}. The next `spanner prove` sets a damaged file aside");
        writeln!(out, "{} {}", odd("proofs"), clean(&text))?;
    }
    for number in &diagnosis.interrupted {
        let text = format!(
            "change {number} waits to be put back. To see what holds it up, and to end it with what is \
             there: spanner doctor --settle {number}"
        );
        writeln!(out, "{} {text}", odd("journal"))?;
    }

    for (content, user) in &diagnosis.contents {
        let text = format!(
            "{} ({}) is missing or damaged; {user} needs it",
            content.blake3.short(),
            bytes(content.size)
        );
        writeln!(out, "{} {}", bad("store"), clean(&text))?;
    }

    for path in &diagnosis.arrived {
        let what = if mended.is_some() { "which is noted now" } else { "which is not noted" };
        let path = slashes(path);
        writeln!(out, "{} {}: all of the build is stored, {what}", odd("rack"), clean(&path))?;
    }

    for path in &diagnosis.leftovers {
        let what = if mended.is_some() { "removed" } else { "would be removed" };
        writeln!(out, "{} {} {what}", odd("leftover"), clean(&slashes(path)))?;
    }
    for game in &diagnosis.gone {
        let text = format!(
            "{} was in {}, which does not exist now. To give its new folder: spanner game set {} --root FOLDER",
            game.title,
            slashes(&game.root),
            game.id
        );
        writeln!(out, "{} {}", odd("game"), clean(&text))?;
    }

    if !diagnosis.contents.is_empty() {
        hint(session, "Add those builds again from their packages to repair the stored files.")?;
    }
    hint(session, &format!("The home is {}.", slashes(&diagnosis.home)))?;
    if is_ill(diagnosis, mended) {
        return Ok(());
    }

    let how = if deep { "every byte read" } else { "lengths compared; --deep reads every byte" };
    let text = format!(
        "All is well: the journal, the rack, and {} in the store ({how}).",
        count(diagnosis.read, "content")
    );
    hint(session, &text)
}

/// Whether something is wrong that was not repaired.
pub fn is_ill(diagnosis: &Diagnosis, mended: Option<&Mended>) -> bool {
    let restored = mended.map_or(0, |mended| mended.journal.len());
    let left = Diagnosis { journal: Vec::new(), ..diagnosis.clone() };
    left.is_ill() || diagnosis.journal.len() > restored
}
