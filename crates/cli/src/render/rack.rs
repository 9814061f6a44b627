//! The rack: new builds, and the list of builds.

use std::collections::{BTreeMap, BTreeSet};
use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::catalog::Role;
use upright_spanner_core::content::{Content, Digest};
use upright_spanner_core::image::Machine;
use upright_spanner_core::path::{TreePath, same_name};
use upright_spanner_core::rack::{
    Build, EXE, LayoutFile, NAMESAKE, Part, Placement, Policy, ROOT, RegistryFile, SLOT, Sorted,
    by_build,
};
use upright_spanner_core::registry::RegLine;
use upright_spanner_core::version::Version;
use upright_spanner_core::{Added, Addition, DamagedContent};

use super::table::{table, widest, wrapping_table};
use super::{bytes, clean, count, cut, date, hint, moment, quoted, wrapped};
use crate::session::Session;

/// Which games have a content in place.
type Users = BTreeMap<Content, BTreeSet<String>>;

/// Prints the builds that came of each package, and what became of its other files.
pub fn print_added(added: &[Addition], registry: &[RegistryFile], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let builds = || added.iter().flat_map(|addition| &addition.builds);
    let by_build = by_build(builds().map(|(build, _)| build));
    let is_new = |variants: &[&Build]| {
        builds().any(|(build, outcome)| {
            *outcome == Added::New && variants.iter().any(|own| own.id == build.id)
        })
    };
    let rows = by_build.iter().map(|variants| {
        let what =
            if is_new(variants) { "added".green().to_string() } else { "already there".into() };
        let name = clean(&short_name(variants, &[])).bold().to_string();
        vec![what, name, variants_of(variants), clean(&sources_of(variants)).into_owned()]
    });
    let rows: Vec<Vec<String>> = rows.collect();
    if !rows.is_empty() {
        write!(out, "{}", table(&["", "BUILD", "VARIANTS", "FROM"], &[], rows))?;
    }
    for addition in added {
        write_products(&mut out, addition, session)?;
    }
    for addition in added {
        write_sorted(&mut out, addition, session)?;
    }
    for file in registry {
        write_registry_file(&mut out, file, session)?;
    }
    for addition in added {
        if let (Some(origin), Some((build, _))) = (&addition.origin, addition.builds.first()) {
            let from = &build.source.name;
            let text = format!(
                "{from} has the mark of a download from {origin}. Fitted files do not get the mark."
            );
            hint(session, &text)?;
        }
    }

    for addition in added {
        if let (Some(feed), Some((build, _))) = (&addition.feed, addition.builds.first()) {
            let name = &build.source.name;
            let text = format!(
                "The feed {feed} knows {name}: what it says of the versions of the game, of the places of its \
                 files and in notes goes with it."
            );
            write!(out, "{}", wrapped(&clean(&text), "  ", 2, session.width))?;
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

/// Prints the builds that were got from feeds.
pub fn print_got(added: &[Addition], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let builds = added.iter().flat_map(|addition| &addition.builds).map(|(build, _)| build);
    let rows = by_build(builds).into_iter().map(|variants| {
        let name = clean(&short_name(&variants, &[])).bold().to_string();
        vec!["on the rack".green().to_string(), name, variants_of(&variants)]
    });
    let rows: Vec<Vec<String>> = rows.collect();
    if !rows.is_empty() {
        write!(out, "{}", table(&["", "BUILD", "VARIANTS"], &[], rows))?;
    }
    added.iter().try_for_each(|addition| write_products(&mut out, addition, session))
}

/// The values of a `.reg` file.
fn write_registry_file(out: &mut impl Write, file: &RegistryFile, session: &Session) -> Result<()> {
    let values = file.lines.iter().filter_map(RegLine::in_words);
    let values: Vec<String> = values.collect();
    let how = match (file.is_undo, file.is_set) {
        (true, _) => "removes from the registry on request",
        (_, true) => "sets in the registry with a fit",
        _ => "would set in the registry, with --registry",
    };
    let passed = match file.passed_over {
        0 => String::new(),
        lines => format!("; {} that the system passes over", count(lines, "line")),
    };
    let text = format!("{} {how}: {}{passed}", file.path, values.join("; "));
    write!(out, "{}", wrapped(&clean(&text), "  ", 2, session.width))?;
    Ok(())
}

/// Why a package became several builds.
fn write_products(out: &mut impl Write, addition: &Addition, session: &Session) -> Result<()> {
    let Some((build, _)) = addition.builds.first().filter(|_| !addition.products.is_empty()) else {
        return Ok(());
    };
    let (source, products) = (&build.source.name, addition.products.join(", "));
    let text = format!(
        "{source} holds products of their own: {products}. To make one build of them all: \
         spanner rack add {} --together",
        quoted(source)
    );
    write!(out, "{}", wrapped(&clean(&text), "  ", 2, session.width))?;
    Ok(())
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

    let placed: BTreeSet<&TreePath> = addition
        .builds
        .iter()
        .flat_map(|(build, _)| build.placed())
        .map(|file| file.path)
        .collect();
    let comes_along = |file: &Sorted| file.part != Part::DebugBuild && placed.contains(&file.path);
    if session.verbose {
        writeln!(out, "  {}", format!("also in {source}:").dimmed())?;
        for file in others {
            let comes = comes_along(file);
            let what = if comes { "comes with it" } else { "stays on the rack" };
            let text = format!("    {}: {}, {}; {what}", file.path, file.part.name(), file.reason);
            writeln!(out, "{}", clean(&text).dimmed())?;
        }
        return Ok(());
    }

    let (with, without): (Vec<&Sorted>, Vec<&Sorted>) =
        others.into_iter().partition(|file| comes_along(file));
    let parts = [("comes with", with), ("stays on the rack", without)];
    let parts = parts.iter().filter(|(_, files)| !files.is_empty());
    let parts: Vec<String> =
        parts.map(|(what, files)| format!("{what}: {}", kinds(files))).collect();

    let text = format!("{source}: {} (-v)", parts.join("; "));
    write!(out, "{}", wrapped(&text, "  ", 2, session.width).dimmed())?;
    Ok(())
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

/// Prints one build, variant by variant.
pub fn print_build(
    variants: &[&Build],
    digests: &[Option<Digest>],
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    let Some(first) = variants.first() else { return Ok(()) };
    writeln!(out, "{}", clean(&first.id.release()).bold())?;
    let mut line = |name: &str, value: &str| {
        writeln!(out, "  {} {}", format!("{name:<12}").dimmed(), clean(value))
    };
    line("role", first.role.map_or("not stated by the file", Role::name))?;
    let version = first.version.as_ref();
    line("version", &version.map_or_else(|| "none stated".into(), ToString::to_string))?;
    if variants.len() > 1 {
        line("variants", &variants_of(variants))?;
    }
    for note in &first.notes {
        line("note", &note.name)?;
    }
    for (build, digest) in variants.iter().zip(digests) {
        writeln!(out)?;
        if variants.len() > 1 {
            writeln!(out, "{}", clean(&build.id.to_string()).bold())?;
        }
        write_variant(&mut out, build, *digest, session)?;
    }

    if !first.notes.is_empty() {
        hint(session, &format!("Its texts: spanner rack notes {}", first.id.release()))?;
    }
    let name = if variants.len() > 1 { first.id.release() } else { first.id.to_string() };
    hint(session, &format!("Other places: spanner rack show {name} --layout > layout.toml"))
}

/// One variant: its facts, and where its files go.
fn write_variant(
    out: &mut impl Write,
    build: &Build,
    sha256: Option<Digest>,
    session: &Session,
) -> Result<()> {
    let mut line = |name: &str, value: &str| {
        writeln!(out, "  {} {}", format!("{name:<12}").dimmed(), clean(value))
    };
    line("machine", machine_of(build))?;
    if let Some(edition) = &build.edition {
        line("edition", edition)?;
    }
    if let Some(supports) = build.supported() {
        line("supports", &format!("version {supports} of the game"))?;
    }
    line("file", build.file.path.as_str())?;
    line("size", &bytes(build.file.content.size))?;
    line("date", &date(build.file.modified.0))?;
    line("company", build.string("CompanyName").unwrap_or("not stated"))?;
    line("signer", &signer(build))?;
    let unread = || "its stored file cannot be read; `spanner rack verify` says more".to_owned();
    line("sha256", &sha256.map_or_else(unread, |digest| digest.to_string()))?;
    line("content", &build.file.content.blake3.to_string())?;
    let source = &build.source;
    line("from", &format!("{}, {}", source.name, date(source.modified.0)))?;
    line("added", &moment(build.added))?;
    writeln!(out)?;

    let rows = file_rows(build, session.verbose);
    write!(out, "{}", wrapping_table(&["FILE", "GOES TO", "WHY"], rows, session.width))?;
    Ok(())
}

/// Files of a folder that go the same way for the same reason are one row from so many on.
const MANY_FILES: usize = 4;

/// The files of a build with where each goes, and why; those that stay on the rack last.
fn file_rows(build: &Build, each: bool) -> Vec<Vec<String>> {
    let head = (&build.file.path, NAMESAKE);
    let parts = build.parts.iter().map(|part| (&part.path, part.why.as_str()));
    let mut places: BTreeMap<&TreePath, Vec<&Placement>> = BTreeMap::new();
    for place in &build.layout.places {
        places.entry(&place.from).or_default().push(place);
    }
    let mut rows: Vec<FileRow> = Vec::new();
    for (path, why) in std::iter::once(head).chain(parts) {
        for place in places.get(path).into_iter().flatten() {
            rows.push(FileRow::new(path, Some(place), why));
        }
        if !places.contains_key(path) {
            rows.push(FileRow::new(path, None, why));
        }
    }
    rows.sort_by_key(|row| !row.is_placed);

    let mut out: Vec<Vec<String>> = Vec::new();
    let same = |a: &FileRow, b: &FileRow| {
        !a.folder.is_empty()
            && (&a.folder, &a.to_folder, &a.why) == (&b.folder, &b.to_folder, &b.why)
    };
    for group in rows.chunk_by(same) {
        if group.len() < MANY_FILES || each {
            out.extend(
                group.iter().map(|row| vec![row.file.clone(), row.to.clone(), row.why.clone()]),
            );
        } else {
            let row = &group[0];
            let file = format!("{}/ ({})", row.folder, count(group.len(), "file"));
            out.push(vec![file, row.to_folder.clone(), row.why.clone()]);
        }
    }
    out
}

/// The place of one file of a build.
struct FileRow {
    file: String,
    folder: String,
    to: String,
    to_folder: String,
    why: String,
    is_placed: bool,
}

impl FileRow {
    fn new(path: &TreePath, place: Option<&Placement>, why: &str) -> Self {
        let stays = || "stays on the rack".to_owned();
        let to = place.map_or_else(stays, destination);
        let is_renamed = place.is_some_and(|place| place.to.file_name() != path.file_name());
        let to_folder = if is_renamed { path.as_str().to_owned() } else { to.clone() };
        Self {
            file: clean(path.as_str()).into_owned(),
            folder: clean(path.folder()).into_owned(),
            to: clean(&to).into_owned(),
            to_folder: clean(&to_folder).into_owned(),
            why: clean(why).into_owned(),
            is_placed: place.is_some(),
        }
    }
}

/// A place in words, with what becomes of a file that is there.
fn destination(place: &Placement) -> String {
    let folder = place.to.folder();
    let place_in_words = match (place.bay.as_str(), folder) {
        (SLOT, "") => "where the game has it".to_owned(),
        (SLOT, folder) => format!("beside the library, in {folder}"),
        (EXE, "") => "beside the executable".to_owned(),
        (EXE, folder) => format!("beside the executable, in {folder}"),
        (ROOT, "") => "the game's folder".to_owned(),
        (ROOT, folder) => format!("the game's {folder}"),
        (bay, "") => bay.to_owned(),
        (bay, folder) => format!("{bay}, in {folder}"),
    };
    let name = place.to.file_name();
    let is_same = same_name(name, place.from.file_name());
    let name = if is_same { String::new() } else { format!(", as {name}") };
    let there = match place.policy {
        Policy::Replace => "",
        Policy::Keep => " (yours stays)",
        Policy::Merge => " (merged into yours)",
        Policy::Handoff => " (for a mod manager)",
        Policy::Registry => return "its values are set in the registry".to_owned(),
        Policy::Leave => return "stays on the rack".to_owned(),
    };
    format!("{place_in_words}{name}{there}")
}

/// The machine that a build is for, in words.
fn machine_of(build: &Build) -> &'static str {
    build.machine.map_or("any", Machine::spoken)
}

/// The variants of a build in a row: the usual one by its machine, the others by their names.
fn variants_of(variants: &[&Build]) -> String {
    let name = |build: &&Build| match &build.id.variant {
        Some(variant) => format!("+{}", clean(variant)),
        None => machine_of(build).to_owned(),
    };
    variants.iter().map(name).collect::<Vec<_>>().join(", ")
}

/// The name of a build as people say it: with the version in short, if no other of `all` has that.
fn short_name(variants: &[&Build], all: &[Vec<&Build>]) -> String {
    let own = variants[0];
    let Some(version) = own.version.as_ref().map(Version::in_short) else {
        return own.id.release();
    };
    let is_same = |other: &Build| {
        other.id.family == own.id.family
            && other.id.version != own.id.version
            && other.version.as_ref().is_some_and(|v| v.in_short() == version)
    };
    if all.iter().any(|variants| is_same(variants[0])) {
        return own.id.release();
    }
    format!("{}@{version}", own.id.family)
}

/// Prints if a build's files go, as a file to edit.
pub fn print_layout(variants: &[&Build]) -> Result<()> {
    let mut out = anstream::stdout();
    let Some(first) = variants.first() else { return Ok(()) };
    writeln!(
        out,
        "# The places of the files of {}. Edit it, then give it with the same package:",
        first.id.release()
    )?;

    writeln!(out, "#   spanner rack add {} --layout FILE.toml", quoted(&first.source.name))?;
    writeln!(out, "# from: a path in the package; `shaders/**` means everything below a folder.")?;
    writeln!(
        out,
        "# bay: slot (where the game has it), exe (beside the executable), root, or one of yours."
    )?;

    writeln!(
        out,
        "# policy: replace, keep, merge, handoff. A file without a [[file]] here has no place."
    )?;
    write!(out, "{}", clean_lines(&LayoutFile::of(variants).to_text()))?;
    Ok(())
}

/// A text of several lines, safe to print.
fn clean_lines(text: &str) -> String {
    let lines: Vec<_> = text.lines().map(clean).collect();
    lines.join("\n") + "\n"
}

/// Prints the texts of a build, or the change log since a game's version.
pub fn print_notes(
    build: &str,
    since: Option<&(Version, String)>,
    notes: &[(String, String)],
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    if notes.is_empty() {
        return hint(session, &format!("No text comes with {build}."));
    }
    if let Some((version, game)) = since {
        writeln!(out, "{build} since {version}, which {} has:\n", clean(game))?;
    }
    for (name, text) in notes {
        writeln!(out, "{}", clean(name).bold())?;
        // A tab is the one control character that a text may mean.
        writeln!(out, "{}", clean_lines(&text.replace('\t', "    ")))?;
    }

    Ok(())
}

/// Prints the damaged contents of the rack.
pub fn print_damage(damaged: &[DamagedContent], session: &Session) -> Result<()> {
    if damaged.is_empty() {
        return hint(session, "Every stored byte of the rack is as it should be.");
    }
    for damage in damaged {
        let text = format!("{} is damaged: {}", damage.build, damage.file);
        writeln!(anstream::stdout(), "{}", clean(&text).red())?;
    }
    hint(session, "Add those builds again from their files to repair the stored ones.")
}

/// The same in words.
fn signer(build: &Build) -> String {
    let named = build.file.facts.as_ref().and_then(|facts| facts.signer.as_ref());
    match (build.proven_signer(), named) {
        (Some(signer), _) => signer.to_owned(),
        (None, Some(named)) => {
            format!("the signature names {named} and is {}", build.file.signature.name())
        }
        (None, None) => "not signed".to_owned(),
    }
}

/// The columns of a list of builds.
const COLUMNS: [&str; 9] =
    ["BUILD", "VARIANTS", "ROLE", "SUPPORTS", "SIZE", "IN USE BY", "ADDED", "SIGNER", "FROM"];
/// The columns that are left out if there is little room, those that say least first.
const LEAST_FIRST: [&str; 6] = ["FROM", "SIGNER", "ADDED", "ROLE", "SIZE", "SUPPORTS"];

/// Prints the builds on the rack. If there is little room, the columns that say least are left out first.
pub fn print_list(
    builds: &[Vec<&Build>],
    users: &Users,
    family: Option<&str>,
    session: &Session,
) -> Result<()> {
    if builds.is_empty() {
        let text = match family {
            Some(family) => format!("The rack has no build of {family}."),
            None => "The rack is empty. Put a build on it: spanner rack add FILE".to_owned(),
        };
        return hint(session, &text);
    }

    let cells: Vec<Vec<String>> = builds
        .iter()
        .map(|variants| COLUMNS.iter().map(|c| cell(variants, builds, users, c)).collect())
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
        let mut names: Vec<&str> =
            builds.iter().map(|variants| variants[0].id.family.as_str()).collect();
        names.dedup();
        if names.len() == 1 { "1 family".to_owned() } else { format!("{} families", names.len()) }
    };
    hint(session, &format!("{} of {families}.", count(builds.len(), "build")))
}

/// Stands if there is nothing to say.
const NOTHING: &str = "-";

/// Columns that the name of an archive, of a signer or of games may take in a list: with two such columns, a
/// build and its version have room at 100.
const LONGEST_CELL: usize = 30;

fn cell(variants: &[&Build], all: &[Vec<&Build>], users: &Users, column: &str) -> String {
    let build = variants[0];
    let supports = || {
        let is_same = variants.iter().all(|other| other.supported() == build.supported());
        if is_same { build.supported() } else { Some("by variant".to_owned()) }
    };
    let text = match column {
        "BUILD" => return clean(&short_name(variants, all)).into_owned(),
        "VARIANTS" => Some(variants_of(variants)),
        "ROLE" => build.role.map(|role| role.to_string()),
        "SUPPORTS" => supports(),
        "SIZE" => Some(bytes(variants.iter().map(|build| build.size()).sum())),
        "IN USE BY" => users_of(variants, users),
        "ADDED" => Some(date(build.added.as_second())),
        "SIGNER" => build.proven_signer().map(str::to_owned),
        _ => Some(sources_of(variants)),
    };
    text.map_or_else(|| NOTHING.to_owned(), |text| cut(&clean(&text), LONGEST_CELL))
}

/// The packages that the variants of a build came in.
fn sources_of(variants: &[&Build]) -> String {
    let sources: BTreeSet<&str> = variants.iter().map(|build| build.source.name.as_str()).collect();
    let first = &variants[0].source.name;
    match sources.len() {
        1 => first.clone(),
        several => format!("{first} and {} more", several - 1),
    }
}

fn users_of(variants: &[&Build], users: &Users) -> Option<String> {
    let games = variants.iter().filter_map(|build| users.get(&build.file.content)).flatten();
    let games: BTreeSet<&str> = games.map(String::as_str).collect();
    let first = games.first()?;
    Some(match games.len() {
        1 => (*first).to_owned(),
        several => format!("{first} and {} more", several - 1),
    })
}
