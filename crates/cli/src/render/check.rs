//! What checks say: verdicts, findings, the names under which loaders are loaded.

use std::collections::BTreeSet;
use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::CheckedGame;
use upright_spanner_core::check::{About, EntryName, Finding, Severity, Verdict};
use upright_spanner_core::feed::Feeds;
use upright_spanner_core::path::same_name;
use upright_spanner_core::plan::Plan;
use upright_spanner_core::rack::Build;
use upright_spanner_core::survey::GameView;

use super::feed::age;
use super::prove::proved_in_words;
use super::table::{drop_empty, table, widest};
use super::{clean, count, hint, quoted, wrapped};
use crate::remedy;
use crate::session::Session;

/// A game with its check.
type Row<'a> = (&'a GameView, &'a CheckedGame);

/// The remark about a stop that cannot be overridden.
pub const NOT_OVERRIDABLE: &str =
    "It cannot be overridden: the missing information is needed first.";

/// Prints a finding: severity, sentence and remedy; and with `-v` every name it is about.
pub fn print_findings(found: &[Finding], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    found.iter().try_for_each(|finding| write_finding(&mut out, finding, session))
}

pub fn write_finding(out: &mut impl Write, finding: &Finding, session: &Session) -> Result<()> {
    let width = session.width;
    let word = match finding.severity {
        _ if finding.overridden => "over:".yellow().bold().to_string(),
        Severity::Stop => "stop:".red().bold().to_string(),
        Severity::Warn => "warn:".yellow().bold().to_string(),
        Severity::Note => "note:".bold().to_string(),
    };
    let sentence = format!("{} [{}]", finding.sentence, finding.code);
    write!(out, "{}", wrapped(&sentence, &format!("  {word} "), 8, width))?;
    write!(out, "{}", wrapped(&remedy::worded(&finding.remedy), "        ", 8, width))?;
    if session.verbose && finding.names.len() > 1 {
        let names = format!("All of them: {}.", finding.names.join(", "));
        write!(out, "{}", wrapped(&names, "        ", 8, width))?;
    }
    Ok(())
}

fn verdict(verdict: Verdict) -> String {
    match verdict {
        Verdict::Fine => verdict.name().green().to_string(),
        Verdict::Unknown | Verdict::Attention => verdict.name().yellow().to_string(),
        Verdict::Stop => verdict.name().red().to_string(),
    }
}

fn heading(view: &GameView) -> String {
    let version = view.version.as_ref().and_then(|known| known.version.as_ref());
    let version = version.map_or_else(String::new, |version| format!(" {version}"));
    format!("{}{version}", clean(&view.game.title).bold())
}

/// Prints the check of a game: a verdict on the game itself and one for each family, and the findings.
pub fn print(
    view: &GameView,
    checked: &CheckedGame,
    feeds: &Feeds,
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}  {}", heading(view), format!("({})", view.game.id).dimmed())?;
    let mark = view.mark();
    let families = checked.families.iter().map(|checked| {
        let version = checked.version.as_ref().map_or("-".to_owned(), ToString::to_string);
        let family = clean(&checked.family).into_owned();
        let proven = view.proven(&checked.family);
        let proven = proven.map(|proven| proved_in_words(proven, mark.as_ref()));
        let offered = offered(view, &checked.family, feeds);
        vec![family, version, verdict(checked.verdict), proven.unwrap_or_default(), offered]
    });
    let version = view.version.as_ref().and_then(|known| known.version.as_ref());
    let version = version.map_or("-".to_owned(), ToString::to_string);
    let (own, none) = (verdict(checked.own_verdict()), String::new);
    let own = vec![ITSELF.to_owned(), version, own, none(), none()];
    let mut rows: Vec<Vec<String>> = std::iter::once(own).chain(families).collect();
    let mut headings = vec!["FAMILY", "VERSION", "VERDICT", "AT WORK", "IN FEEDS"];
    drop_empty(&mut headings, &mut rows, &[3, 4], "");
    write!(out, "{}", table(&headings, &[], rows))?;

    let told = told(checked);
    for (finding, more) in together(&told, session.verbose) {
        write_finding(&mut out, finding, session)?;
        if more > 0 {
            let text = format!("        and {more} more of the same (-v)");
            writeln!(out, "{}", text.dimmed())?;
        }
    }
    match told.first() {
        Some(finding) => hint(session, &format!("More: spanner explain {}", finding.code)),
        None => Ok(()),
    }
}

/// A feed's newer build of a family, and the date of that information.
fn offered(view: &GameView, family: &str, feeds: &Feeds) -> String {
    let mut libraries = view.libraries.iter().filter(|library| same_name(&library.family, family));
    let offered = libraries.find_map(|library| library.offered.as_ref());
    let known = offered.and_then(|offered| Some((offered, feeds.feed(&offered.feed)?)));
    known.map_or_else(String::new, |(offered, feed)| {
        format!("feed has {}, refreshed {}", offered.version, age(feed.age()))
    })
}

/// The row for the game itself among its families: its programs, and the libraries they load.
const ITSELF: &str = "the game itself";

/// The findings of a game, each once: some concern every component.
fn told(checked: &CheckedGame) -> Vec<&Finding> {
    let mut findings: Vec<&Finding> = checked.all().collect();
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    let mut seen = BTreeSet::new();
    findings.retain(|finding| seen.insert(&finding.sentence));
    findings
}

/// Groups findings of one kind with one remedy, by the most severe: one broken file may have many importers. Each
/// with the number of others.
pub(super) fn together<'a>(findings: &[&'a Finding], all: bool) -> Vec<(&'a Finding, usize)> {
    let mut groups: Vec<(&Finding, usize)> = Vec::new();
    for finding in findings {
        let same = groups.iter_mut().find(|(other, _)| {
            other.code == finding.code && other.remedy == finding.remedy && !all
        });
        match same {
            Some((_, more)) => *more += 1,
            None => groups.push((finding, 0)),
        }
    }
    groups
}

/// Prints the check of a build for a game.
pub fn print_plan(plan: &Plan, build: &Build, outcome: Verdict, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let title = clean(&plan.game.title).bold().to_string();
    writeln!(out, "{title}, {}: {}", clean(&build.id.to_string()), verdict(outcome))?;
    for finding in &plan.findings {
        write_finding(&mut out, finding, session)?;
    }
    if outcome == Verdict::Stop || plan.is_empty() {
        return Ok(());
    }
    let fit = format!("spanner fit {} {}", quoted(&plan.game.id), quoted(&build.id.to_string()));
    hint(session, &format!("Next: {fit} --dry-run"))
}

/// Families that are shown though they are fine in every game: as many as are taken in at a glance.
const MOST_FAMILIES: usize = 24;

/// Prints games against families.
pub fn print_all(rows: &[Row<'_>], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let of_all = rows.iter().flat_map(|(_, checked)| &checked.families);
    let families: BTreeSet<&str> = of_all.map(|checked| checked.family.as_str()).collect();
    let many = families.len() > MOST_FAMILIES;
    if rows.is_empty() {
        return hint(session, "No games found so far. Next: spanner survey FOLDER");
    }
    let is_fine = |family: &str| {
        let mut of_all = rows.iter().flat_map(|(_, checked)| &checked.families);
        !of_all.any(|checked| checked.family == family && checked.verdict != Verdict::Fine)
    };
    // If there are many, those that are fine everywhere are counted.
    let (fine, families): (BTreeSet<&str>, BTreeSet<&str>) =
        families.into_iter().partition(|family| many && is_fine(family));

    let games: Vec<String> =
        rows.iter().map(|(view, _)| clean(&view.game.title).into_owned()).collect();
    let first = widest(games.iter().map(String::as_str).chain(["GAME"])) + 4;
    // As many families side by side as there is room for.
    let mut blocks: Vec<Vec<&str>> = Vec::new();
    let mut room = 0;

    for family in std::iter::once(ITSELF).chain(families) {
        let wanted = widest([family, "attention"]) + 2;
        if room < wanted {
            blocks.push(Vec::new());
            room = session.width.saturating_sub(first).max(wanted);
        }
        room -= wanted;
        if let Some(block) = blocks.last_mut() {
            block.push(family);
        }
    }

    for (index, block) in blocks.iter().enumerate() {
        if index > 0 {
            writeln!(out)?;
        }
        let mut headings = vec!["GAME"];
        headings.extend(block);
        let cells = rows.iter().zip(&games).map(|((_, checked), game)| {
            let mut row = vec![game.clone()];
            row.extend(block.iter().map(|family| {
                let mut families = checked.families.iter();
                let found = families.find(|checked| checked.family == **family);
                let found = found.map(|checked| checked.verdict);
                let found = if *family == ITSELF { Some(checked.own_verdict()) } else { found };
                found.map_or_else(|| "-".to_owned(), verdict)
            }));
            row
        });
        let absent = |row: &Vec<String>| row[1..].iter().all(|cell| cell == "-");
        let cells: Vec<Vec<String>> = cells.filter(|row| !absent(row)).collect();
        write!(out, "{}", table(&headings, &[], cells))?;
    }

    let number =
        |wanted: Verdict| rows.iter().filter(|(_, checked)| checked.verdict() == wanted).count();
    let numbers: Vec<String> = [Verdict::Stop, Verdict::Attention, Verdict::Unknown, Verdict::Fine]
        .into_iter()
        .filter(|wanted| number(*wanted) > 0)
        .map(|wanted| format!("{} {}", number(wanted), wanted.name()))
        .collect();
    if !fine.is_empty() {
        let text = match fine.len() {
            1 => "1 more family is fine in every game that has it (--json).".to_owned(),
            more => format!("{more} more families are fine in every game that has them (--json)."),
        };
        writeln!(out, "{}", text.dimmed())?;
    }
    writeln!(out, "{}: {}.", count(rows.len(), "game"), numbers.join(", "))?;

    let worst = rows
        .iter()
        .max_by_key(|(_, checked)| checked.verdict())
        .filter(|(_, checked)| checked.verdict() != Verdict::Fine);
    match worst {
        Some((view, _)) => hint(session, &format!("Next: spanner check {}", view.game.id)),
        None => Ok(()),
    }
}

/// Prints the names under which a loader would be loaded.
pub fn print_entries(view: &GameView, entries: &[EntryName], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}: names under which a loader would be loaded", heading(view))?;
    if entries.is_empty() {
        return hint(
            session,
            "None: its executable imports no library that a stand-in can replace.",
        );
    }

    let rows = entries
        .iter()
        .map(|entry| {
            let when = if entry.delayed { "at the first call" } else { "at the start" };
            let taken =
                entry.taken_by.as_ref().map_or("free".to_owned(), |by| format!("taken by {by}"));
            vec![
                clean(&entry.name).into_owned(),
                clean(&taken).into_owned(),
                when.to_owned(),
                entry.functions.to_string(),
                clean(entry.by.as_str()).into_owned(),
            ]
        })
        .collect();

    let headings = ["NAME", "USE", "LOADED", "FUNCTIONS", "BY"];
    write!(out, "{}", table(&headings, &[3], rows))?;
    let free = entries.iter().find(|entry| entry.taken_by.is_none());
    match free {
        Some(entry) => hint(
            session,
            &format!(
                "Next: spanner check {} LOADER --as {}",
                quoted(&view.game.id),
                quoted(&entry.name)
            ),
        ),
        None => Ok(()),
    }
}

/// Prints every code with its cause.
pub fn print_codes(all: &[About], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let room = widest(all.iter().map(|about| about.code)) + 4;
    for about in all {
        let first = format!("  {}", format!("{:<1$}", about.code, room - 2).bold());
        write!(out, "{}", wrapped(about.cause, &first, room, session.width))?;
    }
    hint(session, "Next: spanner explain CODE")
}

/// Prints the meaning of a finding.
pub fn print_about(about: &About, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}", about.code.bold())?;
    for (name, text) in [
        ("cause", about.cause),
        ("consequence", about.consequence),
        ("what to do", &remedy::worded(&about.remedy)),
        ("example", about.example),
    ] {
        let first = format!("  {}", format!("{name:<12}").dimmed());
        write!(out, "{}", wrapped(text, &first, 14, session.width))?;
    }

    if !about.overridable {
        writeln!(out, "  {NOT_OVERRIDABLE}")?;
    }
    Ok(())
}
