//! The survey: a heading a game, a line a component.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::feed::Feeds;
use upright_spanner_core::game::Origin;
use upright_spanner_core::start::Start;
use upright_spanner_core::survey::{
    Backup, Evidence, GameView, Gone, Library, NamedFile, Standing, Survey,
};

use super::feed::age;
use super::prove::proved_in_words;
use super::table::{fit_places, table, widest};
use super::{bytes, clean, count, date, fit_path, hint, quoted, slashes, wrapped};
use crate::document::error::Unread;
use crate::document::survey as document;
use crate::session::Session;

/// What to show of a survey.
#[derive(Debug, Clone, Copy)]
pub struct View {
    /// The evidence for each component.
    pub why: bool,
    /// Every library, the game's own ones too.
    pub all: bool,
    /// Not everything is in the survey any more.
    pub filtered: bool,
    /// The rows were found by name.
    pub sought: bool,
    /// Paths from the drive on, rather than in the game.
    pub full_paths: bool,
    /// Also the proofs with their dates.
    pub proofs: bool,
}

/// Prints a survey for people.
pub fn print(
    survey: &Survey,
    starts: &[Option<Start>],
    files: &[NamedFile],
    show: View,
    feeds: &Feeds,
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    for (at, view) in survey.games.iter().enumerate() {
        heading(&mut out, view, session.width)?;
        if let Some(Some(start)) = starts.get(at) {
            let text = format!("starts with {}", super::start::in_words(start));
            write!(out, "{}", wrapped(&text, "  ", 2, session.width).dimmed())?;
        }
        let listed = listed(view, show.all);
        let gone = view.gone.iter().map(Line::gone);
        let lines = gone.chain(listed.iter().map(|library| Line::of(library, view, show)));
        let mut lines: Vec<Line<'_>> = lines.collect();
        if show.full_paths {
            for line in &mut lines {
                line.lie_in(view);
            }
        }
        if lines.is_empty() {
            writeln!(out, "  no component found")?;
        } else {
            let width = if show.full_paths { usize::MAX } else { session.width };
            write!(out, "{}", components(&lines, width))?;
        }
        let runtimes = view.libraries.iter().filter(|library| library.is_compiler_runtime).count();
        let rest = view.libraries.iter().filter(|library| !library.put_aside).count();
        let rest = rest.saturating_sub(listed.len() + runtimes);
        let is_whole = !show.all && !show.filtered;
        if runtimes > 0 && is_whole {
            let text = format!("  compiler runtimes: {} (--all)", count(runtimes, "file"));
            writeln!(out, "{}", text.dimmed())?;
        }
        if rest > 0 && is_whole {
            let other =
                if rest == 1 { "1 other library" } else { &format!("{rest} other libraries") };
            writeln!(out, "{}", format!("  and {other} (--all)").dimmed())?;
        }
        writeln!(out)?;
    }

    print_files(&mut out, files, !survey.games.is_empty(), show, session)?;
    if show.sought {
        let libraries: usize = survey.games.iter().map(|view| listed(view, true).len()).sum();
        let found = count(libraries + files.len(), "file");
        writeln!(out, "{found} of that name.")?;
        return Ok(());
    }
    summary(&mut out, survey, show, feeds, session)
}

/// Prints files that were sought by their names and are not library of a game.
fn print_files(
    out: &mut impl Write,
    files: &[NamedFile],
    are_others: bool,
    show: View,
    session: &Session,
) -> Result<()> {
    if files.is_empty() {
        return Ok(());
    }
    let found = if are_others { "Other files of that name" } else { "Files of that name" };
    writeln!(out, "{}", found.bold())?;
    let headings = ["VERSION", "SIZE", "DATE", "PLACE"];
    let mut rows: Vec<Vec<String>> = files
        .iter()
        .map(|file| {
            let version = file.version.as_ref().map(ToString::to_string);
            let version = version.unwrap_or_else(|| "none stated".to_owned());
            let place = clean(&slashes(&file.path)).into_owned();
            vec![version, bytes(file.size), date(file.modified), place]
        })
        .collect();
    if !show.full_paths {
        fit_places(&headings, &mut rows, session.width);
    }
    writeln!(out, "{}", table(&headings, &[1], rows))?;
    Ok(())
}

fn listed(view: &GameView, all: bool) -> Vec<&Library> {
    let mut listed = view.components();
    if all {
        let known: Vec<_> = listed.iter().map(|library| &library.path).collect();
        let rest: Vec<&Library> =
            view.libraries.iter().filter(|library| !known.contains(&&library.path)).collect();
        listed.extend(rest);
    }
    listed
}

/// Reasons for the choice of an executable that are shown, which fill one line at 80; the document has all.
const REASONS_SHOWN: usize = 3;

fn heading(out: &mut impl Write, view: &GameView, width: usize) -> Result<()> {
    let title = clean(&view.game.title);
    let known = view.version.as_ref();
    let version = known.and_then(|known| known.version.as_ref());
    let version = version.map_or_else(String::new, |version| format!(" {version}"));
    let origin = match known.map(|known| &known.origin) {
        None if view.executable().is_some() => "  version not stated".to_owned(),
        None | Some(Origin::FileVersion) => String::new(),
        Some(origin) => format!("  from {origin}"),
    };
    let held = if view.is_held { ", held" } else { "" };
    let behind = format!("({}{held}){origin}", view.game.id);
    writeln!(out, "{}{}  {}", title.bold(), version.bold(), clean(&behind).dimmed())?;

    let Some(executable) = view.executable() else {
        writeln!(out, "  {}", "no program in this folder: every library is listed".dimmed())?;
        return Ok(());
    };
    let machine = executable.facts.machine.spoken();
    writeln!(out, "  {}  {machine}", clean(executable.path.as_str()))?;

    let reasons = executable.reasons.iter().take(REASONS_SHOWN).map(String::as_str);
    let mut text = reasons.collect::<Vec<_>>().join(", ");
    if text.is_empty() {
        text.push_str("nothing speaks for another");
    }
    let tied = view.programs.get(1).filter(|second| second.score == executable.score);
    if let Some(tied) = tied {
        let game = quoted(&view.game.id);
        let tied = clean(tied.path.as_str());
        text = format!("{text}; {tied} is as likely: spanner game set {game} --executable PATH");
    }
    if view.programs.len() > 1 {
        text = format!("chosen of {} programs: {text}", view.programs.len());
    }
    write!(out, "{}", wrapped(&text, "  ", 2, width).dimmed())?;
    Ok(())
}

/// Columns below which a path beside the other facts says too little: a file name and the folder that it is
/// in take about that.
const LEAST_PLACE: usize = 36;

/// A line of a survey.
struct Line<'a> {
    cells: [String; 4],
    path: Cow<'a, str>,
    /// The status with its colour.
    colored: String,
    /// The lines below it.
    below: Vec<String>,
}

impl<'a> Line<'a> {
    fn of(library: &'a Library, view: &GameView, show: View) -> Self {
        let status = status(library);
        let version = library.facts.version();
        Self {
            path: library.path.as_str().into(),
            colored: colored(&status, library),
            cells: [
                library.role.to_string(),
                clean(&library.family).into_owned(),
                version.map_or_else(|| "none stated".to_owned(), |v| v.to_string()),
                status,
            ],
            below: {
                let proven = library.proven.as_ref().filter(|_| show.proofs);
                let proven = proven.map(|proven| {
                    let words = proved_in_words(proven, view.mark().as_ref());
                    format!("    {words}").dimmed().to_string()
                });
                let rest: Vec<String> = if show.why {
                    library.evidence.iter().map(because).collect()
                } else {
                    library.backups.iter().map(backup).collect()
                };
                proven.into_iter().chain(rest).collect()
            },
        }
    }

    /// Gives its path from the drive on.
    fn lie_in(&mut self, view: &GameView) {
        self.path = slashes(&view.game.root.join(&*self.path)).into();
    }

    /// Of a library that the records know and that is not there.
    fn gone(gone: &'a Gone) -> Self {
        let status = Standing::Missing.name().to_owned();
        let version = gone.version.as_ref();
        Self {
            path: gone.path.as_str().into(),
            colored: status.red().to_string(),
            cells: [
                "-".to_owned(),
                clean(&gone.family).into_owned(),
                version.map_or_else(|| "none stated".to_owned(), ToString::to_string),
                status,
            ],
            below: Vec::new(),
        }
    }
}

fn components(lines: &[Line<'_>], width: usize) -> String {
    let headings = ["ROLE", "FAMILY", "VERSION", "STATUS", "PLACE"];
    let taken: usize = (0..4)
        .map(|n| widest(lines.iter().map(|line| line.cells[n].as_str()).chain([headings[n]])) + 2)
        .sum();
    // If a path would be cut down to little more than the file's name, which says nothing new, it gets its own line.
    let place = width.saturating_sub(taken + 2);
    let longest = widest(lines.iter().map(|line| &*line.path));
    let apart = place < LEAST_PLACE && longest > place;
    let headings = if apart { &headings[..4] } else { &headings[..] };
    let rows: Vec<Vec<String>> = lines
        .iter()
        .map(|line| {
            let [role, family, version, _] = line.cells.clone();
            let mut row = vec![role, family, version, line.colored.clone()];
            if !apart {
                row.push(fit_path(&line.path, place));
            }
            row
        })
        .collect();
    let text = table(headings, &[], rows);
    let mut printed = text.lines();
    let mut out: Vec<String> = printed.next().map(str::to_owned).into_iter().collect();

    for (text, line) in printed.zip(lines) {
        out.push(text.to_owned());
        if apart {
            out.push(format!("    {}", fit_path(&line.path, width - 4)));
        }
        out.extend(line.below.iter().cloned());
    }

    out.join("\n") + "\n"
}

fn backup(backup: &Backup) -> String {
    let version = backup.version.as_ref().map_or_else(String::new, |v| format!(", version {v}"));
    let text = format!("    beside it {}{version}: put aside by hand?", backup.path.file_name());
    clean(&text).dimmed().to_string()
}

fn because(evidence: &Evidence) -> String {
    let text = format!("    {}: {}", evidence.kind.name(), clean(&evidence.detail));
    text.dimmed().to_string()
}

/// The state of a file by the records and the rack, in a few words.
fn status(library: &Library) -> String {
    let standing = match library.state {
        Standing::Unrecorded => None,
        state => Some(state.name().to_owned()),
    };
    let newer = library.newer.as_ref().map(|newer| format!("rack has {}", newer.version));
    let offered = library.offered.as_ref().map(|offered| format!("feed has {}", offered.version));
    let pinned = library.pin.as_ref().map(|_| "pinned".to_owned());
    let parts = [standing, pinned, newer, offered].into_iter().flatten();
    let parts: Vec<String> = parts.collect();
    if parts.is_empty() { "-".to_owned() } else { parts.join(", ") }
}

fn colored(status: &str, library: &Library) -> String {
    match library.state {
        Standing::Overwritten => status.red().to_string(),
        _ if library.newer.is_some() || library.offered.is_some() => status.yellow().to_string(),
        Standing::Fitted => status.green().to_string(),
        _ => status.to_owned(),
    }
}

fn summary(
    out: &mut impl Write,
    survey: &Survey,
    show: View,
    feeds: &Feeds,
    session: &Session,
) -> Result<()> {
    let components: Vec<(&GameView, &Library)> = survey
        .games
        .iter()
        .flat_map(|view| view.components().into_iter().map(move |library| (view, library)))
        .collect();
    if survey.games.is_empty() {
        let text = if show.filtered {
            "Nothing in these games matches."
        } else {
            "No game found: the folder contains no program and no library."
        };
        writeln!(out, "{text}")?;
        return Ok(());
    }

    let games = count(survey.games.len(), "game");
    let found = count(components.len(), "component");
    let newer = components.iter().filter(|(_, library)| library.newer.is_some()).count();
    let rack = match newer {
        0 => String::new(),
        1 => "; the rack has a newer build of one".to_owned(),
        newer => format!("; the rack has newer builds of {newer}"),
    };
    writeln!(out, "{games}, {found}{rack}.")?;
    write_offered(out, &components, feeds, session)?;
    if survey.stray > 0 {
        let stray = count(survey.stray, "more file");
        let text = format!(
            "{stray} (.dll, .exe) are in folders that do not look like games. Give such a folder itself \
             to see what is in it."
        );
        write!(out, "{}", wrapped(&text, "", 0, session.width))?;
    }

    let next =
        components.iter().find_map(|(view, library)| match (&library.offered, &library.newer) {
            (Some(_), _) => Some(format!("Next: spanner rack get --for {}", view.game.id)),
            (None, Some(newer)) => {
                Some(format!("Next: spanner fit {} {} --dry-run", view.game.id, newer.build))
            }
            (None, None) => None,
        });
    match next {
        Some(next) => hint(session, &next),
        None => Ok(()),
    }
}

/// Lists components with newer builds in feeds, and the date of that information.
fn write_offered(
    out: &mut impl Write,
    components: &[(&GameView, &Library)],
    feeds: &Feeds,
    session: &Session,
) -> Result<()> {
    let offered: Vec<_> =
        components.iter().filter_map(|(_, library)| library.offered.as_ref()).collect();
    for feed in &feeds.feeds {
        let number = offered.iter().filter(|it| it.feed == feed.name()).count();
        let of = if number == 1 { "one".to_owned() } else { number.to_string() };
        let state = if feed.is_stale() { "; it is stale" } else { "" };
        let asked = age(feed.age());
        let text = match number {
            0 if state.is_empty() => continue,
            0 => format!("The feed {} was refreshed {asked}{state}.", feed.name()),
            _ => {
                let builds = if number == 1 { "a newer build" } else { "newer builds" };
                format!("The feed {}, refreshed {asked}{state}, has {builds} of {of}.", feed.name())
            }
        };
        write!(out, "{}", wrapped(&text, "", 2, session.width))?;
    }
    let families: BTreeSet<&str> =
        components.iter().map(|(_, library)| library.family.as_str()).collect();
    let is_new = |family: &&&str| feeds.feeds.iter().any(|feed| !feed.has_taken_in(family));
    match families.iter().filter(is_new).count() {
        0 => Ok(()),
        new => {
            let of = if new == 1 { "one family".to_owned() } else { format!("{new} families") };
            let text =
                format!("What feeds have of {of} here is not known yet: spanner feed refresh");
            hint(session, &text)
        }
    }
}

/// The survey as a document for programs.
pub fn document<'a>(survey: &'a Survey, files: &[NamedFile], show: View) -> document::Survey<'a> {
    let games = survey.games.iter().map(|view| (view, listed(view, show.all)));
    document::Survey::new(games, files, survey.errors.iter().map(Unread::from).collect())
}
