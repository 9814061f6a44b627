//! Settings: the present value, the original one, and the allowed ones.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::change::Target;
use upright_spanner_core::game::Game;
use upright_spanner_core::path::same_name;
use upright_spanner_core::tune::{Mode, ProgramMode, Tunable, Tuning};

use super::table::{fit_places, table};
use super::{clean, cut, hint, quoted, wrapped};
use crate::session::Session;

/// The columns for values, and the additional ones for allowed values: the place should remain visible.
const WIDEST_VALUE: usize = 18;
const WIDEST_ALLOWED: usize = 24;

/// From this width on there is room for everything.
const WIDE: usize = 110;

/// Prints the settings of a game, or of one family.
pub fn print(game: &Game, family: Option<&str>, tuning: &Tuning, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}", clean(&game.title).bold())?;
    let mut families: Vec<&str> = tuning.settings.iter().map(|s| s.family.as_str()).collect();
    families.dedup();
    if families.is_empty() {
        let text = match family {
            Some(family) => format!("{family} has no known settings."),
            None => "No component of it has known settings.".to_owned(),
        };
        writeln!(out, "  {}", clean(&text))?;
    }
    for name in &families {
        writeln!(out, "{}", clean(name).bold())?;
        let of_family = tuning.settings.iter().filter(|setting| setting.family == *name);
        let settings: Vec<&Tunable> = of_family.collect();
        write_settings(&mut out, &settings, family.is_some(), session)?;
        write_rest(&mut out, name, tuning, session)?;
    }
    if family.is_none() {
        write_programs(&mut out, tuning)?;
    }
    let game = quoted(&game.id);
    match (family, &families[..]) {
        (Some(family), [_, ..]) => {
            let family = quoted(family);
            hint(session, &format!("Next: spanner tune {game} {family} NAME=VALUE --dry-run"))
        }
        (None, [first, ..]) => {
            hint(session, &format!("Next: spanner tune {game} {}", quoted(first)))
        }
        _ => Ok(()),
    }
}

fn write_settings(
    out: &mut impl Write,
    settings: &[&Tunable],
    is_whole: bool,
    session: &Session,
) -> Result<()> {
    let headings = ["SETTING", "NOW", "AS IT CAME", "CAN BE", "WHERE"];
    let (value, allowed) = match session.width {
        WIDE.. => (2 * WIDEST_VALUE, 2 * WIDEST_ALLOWED),
        _ => (WIDEST_VALUE, WIDEST_ALLOWED),
    };
    let row = |setting: &&Tunable| {
        let now = match (&setting.spot, &setting.unreadable) {
            (Err(_), _) | (_, Some(_)) => "?".to_owned(),
            _ => setting.shown(&setting.now).unwrap_or_else(|| "not set".to_owned()),
        };
        let now = cut(&now, value);
        let came = setting.brought.as_ref().map(|brought| {
            let shown = setting.shown(brought);
            cut(&shown.unwrap_or_else(|| "not set".to_owned()), value)
        });
        vec![
            clean(&setting.name).into_owned(),
            if setting.differs() { now.yellow().to_string() } else { now },
            came.unwrap_or_else(|| "-".to_owned()),
            cut(&setting.allowed.to_string(), allowed),
            place(setting, session.width < WIDE),
        ]
    };
    let mut rows: Vec<Vec<String>> = settings.iter().map(row).collect();
    fit_places(&headings, &mut rows, session.width);
    let text = table(&headings, &[], rows);
    let mut lines = text.lines();
    writeln!(out, "{}", lines.next().unwrap_or_default())?;
    for (line, setting) in lines.zip(settings) {
        writeln!(out, "{line}")?;
        if is_whole || session.verbose {
            write_about(out, setting, session)?;
        }
    }
    Ok(())
}

/// The effect of a setting, below it.
fn write_about(out: &mut impl Write, setting: &Tunable, session: &Session) -> Result<()> {
    let affects = setting.affects.as_ref().map(|affects| format!("Affects {affects}."));
    let problem = setting.spot.as_ref().err().or(setting.unreadable.as_ref());
    let problem = problem.map(|problem| format!("Not known: {problem}."));
    let is_whole = |text: &str| text.ends_with(['.', '!', '?']);
    let sentence = |text: &String| if is_whole(text) { text.clone() } else { format!("{text}.") };
    let texts = [&setting.title, &setting.about].into_iter().flatten().map(sentence);
    let texts: Vec<String> = texts.chain(affects).chain(problem).collect();
    if !texts.is_empty() {
        let text = wrapped(&clean(&texts.join(" ")), "      ", 0, session.width);
        write!(out, "{}", text.dimmed())?;
    }
    Ok(())
}

/// The location of a setting in short: the file alone if there is little room.
fn place(setting: &Tunable, is_short: bool) -> String {
    match &setting.spot {
        Err(_) => "?".to_owned(),
        Ok(Target::Setting(key)) if setting.is_at_start => {
            format!("at the start: {}", key.path.key())
        }
        // Its name says the rest.
        Ok(Target::Setting(key)) if is_short || !setting.is_described => {
            format!("{}{}", key.place, copies(setting))
        }
        Ok(target) => format!("{target}{}", copies(setting)),
    }
}

/// That further copies of the component have the setting too.
fn copies(setting: &Tunable) -> String {
    match setting.copies.len() {
        0 => String::new(),
        more => format!(", {more} more"),
    }
}

/// Presets of a family, and its files that are locked.
fn write_rest(
    out: &mut impl Write,
    family: &str,
    tuning: &Tuning,
    session: &Session,
) -> Result<()> {
    let presets = tuning.presets.iter().filter(|preset| same_name(&preset.family, family));
    let presets: Vec<String> = presets
        .map(|preset| match &preset.differing[..] {
            [] => format!("{} (set now)", preset.preset.name),
            differing => format!("{} ({} would change)", preset.preset.name, differing.join(", ")),
        })
        .collect();
    if !presets.is_empty() {
        let text = format!("presets: {}", presets.join("; "));
        write!(out, "{}", wrapped(&clean(&text), "  ", 4, session.width))?;
    }
    let locked =
        tuning.files.iter().filter(|file| same_name(&file.family, family) && file.is_locked());
    for file in locked {
        let text = format!("{} is locked: marked read-only.", file.place);
        write!(out, "{}", wrapped(&clean(&text), "  ", 4, session.width))?;
    }
    Ok(())
}

/// The compatibility modes of programs, if any is set.
fn write_programs(out: &mut impl Write, tuning: &Tuning) -> Result<()> {
    for program in tuning.programs.iter().filter(|program| program.mode.is_some()) {
        writeln!(out, "  compat of {}: {}", clean(program.program.as_str()), mode(program))?;
    }
    Ok(())
}

fn mode(program: &ProgramMode) -> &'static str {
    program.mode.map_or("off", |mode| mode.name)
}

/// Prints the compatibility modes that there are, and the one of each program.
pub fn print_modes(game: &Game, tuning: &Tuning, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}", clean(&game.title).bold())?;
    let row = |program: &ProgramMode| {
        let place = program.spot.as_ref().map_or_else(
            || "this system has no registry, and the game has no known prefix".to_owned(),
            ToString::to_string,
        );
        vec![clean(program.program.as_str()).into_owned(), mode(program).to_owned(), place]
    };
    let headings = ["PROGRAM", "MODE", "WHERE"];
    let mut rows: Vec<Vec<String>> = tuning.programs.iter().map(row).collect();
    fit_places(&headings, &mut rows, session.width);
    write!(out, "{}", table(&headings, &[], rows))?;
    let names: Vec<&str> = Mode::all().iter().map(|mode| mode.name).collect();
    writeln!(out, "  modes: {}, off", names.join(", "))?;
    hint(session, &format!("Next: spanner tune {} compat={}", quoted(&game.id), names[1]))
}
