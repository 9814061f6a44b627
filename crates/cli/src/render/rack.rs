//! The rack: what was added, and what is on it.

use std::collections::{BTreeMap, BTreeSet};
use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::catalog::Role;
use upright_spanner_core::content::{Content, Digest};
use upright_spanner_core::rack::{Build, EXE, LayoutFile, Part, ROOT, SLOT, Sorted};
use upright_spanner_core::version::Version;
use upright_spanner_core::{Added, Addition, DamagedContent};

use super::table::{table, widest};
use super::{bytes, clean, count, cut, date, hint, moment, quoted, wrapped};
use crate::session::Session;

/// Which games have a content in place.
type Users = BTreeMap<Content, BTreeSet<String>>;

/// Prints the builds that came of each package, and what became of its other files.
pub fn print_added(added: &[Addition], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let builds = || added.iter().flat_map(|addition| &addition.builds);
    let rows: Vec<Vec<String>> = builds()
        .map(|(build, outcome)| {
            let what = match outcome {
                Added::New => "added".green().to_string(),
                Added::Known => "already there".to_owned(),
            };
            let id = clean(&build.id.to_string()).bold().to_string();
            let machine = build.machine.spoken().to_owned();
            vec![what, id, machine, clean(&build.source.name).into_owned()]
        })
        .collect();
    if !rows.is_empty() {
        write!(out, "{}", table(&["", "BUILD", "MACHINE", "FROM"], &[], rows))?;
    }
    for addition in added {
        write_sorted(&mut out, addition, session)?;
    }
    for addition in added {
        if let (Some(origin), Some((build, _))) = (&addition.origin, addition.builds.first()) {
            let from = &build.source.name;
            let text = format!(
                "{from} bears the mark of a download, from {origin}. The mark is not carried into games."
            );
            hint(session, &text)?;
        }
    }

    for addition in added {
        if let (Some(proposal), Some((build, _))) = (&addition.proposal, addition.builds.first()) {
            let versions = &proposal.supports;
            let text = format!(
                "{} says: \"{}\". If that is the game's version, note it: spanner rack add ... \
                 --supports \"{versions}\"",
                build.source.name, proposal.line
            );
            write!(out, "{}", wrapped(&text, "  ", 2, session.width))?;
        }
    }

    match builds().find(|(_, outcome)| *outcome == Added::New) {
        Some(_) => hint(session, "Next: `spanner survey` shows which games have an older version."),
        None => Ok(()),
    }
}

/// What became of the other files of a package: how many of each kind come with the builds or
/// stay behind, and with `-v` each with the reason.
fn write_sorted(out: &mut impl Write, addition: &Addition, session: &Session) -> Result<()> {
    let is_head = |file: &Sorted| addition.builds.iter().any(|(b, _)| b.file.path == file.path);
    let others: Vec<&Sorted> = addition.sorted.iter().filter(|file| !is_head(file)).collect();
    let Some((build, _)) = addition.builds.first().filter(|_| !others.is_empty()) else {
        return Ok(());
    };
    let source = clean(&build.source.name).into_owned();

    if session.verbose {
        writeln!(out, "  {}", format!("also in {source}:").dimmed())?;
        for file in others {
            let what = match (comes_along(file, addition), file.part) {
                (true, _) => "comes with it",
                (false, Part::Documentation) => "stays on the rack",
                (false, _) => "left out",
            };
            let text = format!("    {}: {}, {}; {what}", file.path, file.part.name(), file.reason);
            writeln!(out, "{}", clean(&text).dimmed())?;
        }
        return Ok(());
    }

    let (with, without): (Vec<&Sorted>, Vec<&Sorted>) =
        others.into_iter().partition(|file| comes_along(file, addition));
    let parts = [("comes with", with), ("not for the game", without)];
    let parts = parts.iter().filter(|(_, files)| !files.is_empty());
    let parts: Vec<String> =
        parts.map(|(what, files)| format!("{what}: {}", kinds(files))).collect();

    let text = format!("{source}: {} (-v)", parts.join("; "));
    write!(out, "{}", wrapped(&text, "  ", 2, session.width).dimmed())?;
    Ok(())
}

/// Whether a file of a package comes into a game with one of its builds.
fn comes_along(file: &Sorted, addition: &Addition) -> bool {
    let mut builds = addition.builds.iter().map(|(build, _)| build);
    builds.any(|build| build.parts.iter().any(|part| part.path == file.path))
}

/// How many files there are of each kind.
fn kinds(files: &[&Sorted]) -> String {
    let mut counts: BTreeMap<Part, usize> = BTreeMap::new();
    for file in files {
        *counts.entry(file.part).or_default() += 1;
    }
    let counts = counts.into_iter().map(|(part, number)| count(number, part.name()));
    counts.collect::<Vec<_>>().join(", ")
}

/// Prints one build.
pub fn print_build(build: &Build, sha256: Option<Digest>, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}", clean(&build.id.to_string()).bold())?;
    let mut line = |name: &str, value: &str| {
        writeln!(out, "  {} {}", format!("{name:<12}").dimmed(), clean(value))
    };
    let facts = &build.file.facts;
    line("role", build.role.map_or("not stated by the file", Role::name))?;
    line(
        "version",
        &build.version.as_ref().map_or_else(|| "none stated".into(), ToString::to_string),
    )?;

    line("machine", build.machine.spoken())?;
    if let Some(supports) = build.supported() {
        line("supports", &format!("version {supports} of the game"))?;
    }
    line("file", build.file.path.as_str())?;
    line("size", &bytes(build.file.content.size))?;
    line("date", &date(build.file.modified.0))?;
    line("company", facts.string("CompanyName").unwrap_or("not stated"))?;
    line("signer", &signer(build))?;

    let unread = || "its stored file cannot be read; `spanner rack verify` says more".to_owned();
    line("sha256", &sha256.map_or_else(unread, |digest| digest.to_string()))?;
    line("content", &build.file.content.blake3.to_string())?;
    let source = &build.source;
    line("from", &format!("{}, {}", source.name, date(source.modified.0)))?;
    line("added", &moment(build.added))?;
    for note in &build.notes {
        line("note", &note.name)?;
    }
    writeln!(out)?;

    let rows = build.layout.places.iter().map(|place| {
        let to = match place.bay.as_str() {
            SLOT => format!("where the game has {}", place.to.file_name()),
            EXE => format!("beside the executable: {}", place.to),
            ROOT => format!("the game's folder: {}", place.to),
            bay => format!("{bay}: {}", place.to),
        };
        let from = build.short(&place.from).to_string();
        let policy = place.policy.name().to_owned();
        vec![clean(&from).into_owned(), policy, clean(&to).into_owned()]
    });
    write!(out, "{}", table(&["FILE", "POLICY", "GOES TO"], &[], rows.collect()))?;
    for path in &build.left {
        writeln!(out, "  {}", format!("{} has no place", clean(path.as_str())).dimmed())?;
    }
    if !build.notes.is_empty() {
        hint(session, &format!("Its texts: spanner rack notes {}", build.id))?;
    }
    hint(session, &format!("Other places: spanner rack show {} --layout > layout.toml", build.id))
}

/// Prints where a build's files go, as a file to edit.
pub fn print_layout(build: &Build) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(
        out,
        "# Where the files of {} go. Edit it, then give it with the same package:",
        build.id
    )?;

    writeln!(out, "#   spanner rack add {} --layout FILE.toml", quoted(&build.source.name))?;
    writeln!(
        out,
        "# bay: slot (where the game has it), exe (beside the executable), root, or one of yours."
    )?;

    writeln!(
        out,
        "# policy: replace, keep, merge, handoff. What has no [[file]] here has no place."
    )?;
    write!(out, "{}", clean_lines(&LayoutFile::of(build).to_text()))?;
    Ok(())
}

/// A text of several lines, safe to print.
fn clean_lines(text: &str) -> String {
    let lines: Vec<_> = text.lines().map(clean).collect();
    lines.join("\n") + "\n"
}

/// Prints the texts that came with a build, or what they say since a version that a game has.
pub fn print_notes(
    build: &Build,
    since: Option<&(Version, String)>,
    notes: &[(String, String)],
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    if notes.is_empty() {
        return hint(session, &format!("No text came with {}.", build.id));
    }
    if let Some((version, game)) = since {
        writeln!(out, "{} since {version}, which {} has:\n", build.id, clean(game))?;
    }
    for (name, text) in notes {
        writeln!(out, "{}", clean(name).bold())?;
        // A tab is the one control character that a text may mean.
        writeln!(out, "{}", clean_lines(&text.replace('\t', "    ")))?;
    }

    Ok(())
}

/// Prints what the rack was found to be.
pub fn print_damage(damaged: &[DamagedContent], session: &Session) -> Result<()> {
    if damaged.is_empty() {
        return hint(session, "Every stored byte of the rack is as it should be.");
    }
    for damage in damaged {
        let text = format!("{} is damaged: {}", damage.build, damage.file);
        writeln!(anstream::stdout(), "{}", clean(&text).red())?;
    }
    hint(session, "Add those builds again from their files: that mends what is stored.")
}

/// The same in words.
fn signer(build: &Build) -> String {
    match (build.proven_signer(), &build.file.facts.signer) {
        (Some(signer), _) => signer.to_owned(),
        (None, Some(named)) => {
            format!("the signature names {named} and is {}", build.file.signature.name())
        }
        (None, None) => "not signed".to_owned(),
    }
}

/// The columns of a list of builds.
const COLUMNS: [&str; 9] =
    ["BUILD", "ROLE", "MACHINE", "SUPPORTS", "SIZE", "IN USE BY", "ADDED", "SIGNER", "FROM"];
/// The columns that are left out where there is little room, those that say least first.
const LEAST_FIRST: [&str; 6] = ["FROM", "SIGNER", "ADDED", "ROLE", "SIZE", "SUPPORTS"];

/// Prints the builds on the rack. Where there is little room, the columns that say least are left out first.
pub fn print_list(
    builds: &[&Build],
    users: &Users,
    family: Option<&str>,
    session: &Session,
) -> Result<()> {
    if builds.is_empty() {
        let text = match family {
            Some(family) => format!("There is no build of {family} on the rack."),
            None => "The rack is empty. Put a build on it: spanner rack add FILE".to_owned(),
        };
        return hint(session, &text);
    }

    let cells: Vec<Vec<String>> = builds
        .iter()
        .map(|build| COLUMNS.iter().map(|column| cell(build, users, column)).collect())
        .collect();
    let width = |n: usize| widest(cells.iter().map(|row| row[n].as_str()).chain([COLUMNS[n]])) + 2;
    let says = |n: &usize| cells.iter().any(|row| row[*n] != NOTHING);
    let mut shown: Vec<usize> = (0..COLUMNS.len()).filter(says).collect();

    for least in LEAST_FIRST {
        if shown.iter().map(|&n| width(n)).sum::<usize>() > session.width {
            shown.retain(|&n| COLUMNS[n] != least);
        }
    }

    let headings: Vec<&str> = shown.iter().map(|&n| COLUMNS[n]).collect();
    let right: Vec<usize> = headings.iter().position(|h| *h == "SIZE").into_iter().collect();
    let rows = cells.iter().map(|row| shown.iter().map(|&n| row[n].clone()).collect()).collect();
    write!(anstream::stdout(), "{}", table(&headings, &right, rows))?;
    let families = {
        let mut names: Vec<&str> = builds.iter().map(|build| build.id.family.as_str()).collect();
        names.dedup();
        if names.len() == 1 { "1 family".to_owned() } else { format!("{} families", names.len()) }
    };
    hint(session, &format!("{} of {families}.", count(builds.len(), "build")))
}

/// Stands where there is nothing to say.
const NOTHING: &str = "-";

/// Columns that the name of an archive, of a signer or of games may take in a list: with two such columns, a
/// build and its version have room at 100.
const LONGEST_CELL: usize = 30;

fn cell(build: &Build, users: &Users, column: &str) -> String {
    let text = match column {
        "BUILD" => return clean(&build.id.to_string()).into_owned(),
        "ROLE" => build.role.map(|role| role.to_string()),
        "MACHINE" => Some(build.machine.spoken().to_owned()),
        "SUPPORTS" => build.supported(),
        "SIZE" => Some(bytes(build.size())),
        "IN USE BY" => users_of(build, users),
        "ADDED" => Some(date(build.added.as_second())),
        "SIGNER" => build.proven_signer().map(str::to_owned),
        _ => Some(build.source.name.clone()),
    };
    text.map_or_else(|| NOTHING.to_owned(), |text| cut(&clean(&text), LONGEST_CELL))
}

fn users_of(build: &Build, users: &Users) -> Option<String> {
    let games: Vec<&str> = users.get(&build.file.content)?.iter().map(String::as_str).collect();
    Some(match games[..] {
        [] => return None,
        [one] => one.to_owned(),
        [first, ..] => format!("{first} and {} more", games.len() - 1),
    })
}
