//! What putting another release of a game onto its folder does.

use std::fmt::Write;

use owo_colors::OwoColorize;
use upright_spanner_core::change::{Step, Target};
use upright_spanner_core::plan::Plan;
use upright_spanner_core::{Kind, Outline};

use super::plan::listed;
use super::table::{fit_places, table};
use super::{bytes, clean, count, fit_path, slashes};
use crate::session::Session;

/// Components that are named: what else there is to know should still be in sight.
const MOST_COMPONENTS: usize = 8;

/// The plan in a few lines; with `-v` also file by file.
pub fn outlined(plan: &Plan, outline: &Outline, session: &Session) -> String {
    let mut text = String::new();
    // Writing into a text cannot fail.
    let _ = write_outline(&mut text, plan, outline, session);
    if session.verbose {
        text.push_str(&listed(plan, session));
    }
    text
}

fn write_outline(
    text: &mut String,
    plan: &Plan,
    outline: &Outline,
    session: &Session,
) -> std::fmt::Result {
    if let Some((before, after)) = &outline.version {
        let spoken = |version: &Option<_>| {
            version.as_ref().map_or_else(|| "not stated".to_owned(), ToString::to_string)
        };
        let name = plan.executable.as_ref().map_or("", |mark| mark.path.file_name());
        let versions = format!("{} → {}", spoken(before), spoken(after));
        writeln!(text, "  {} {}", clean(name), versions.bold())?;
    }
    let numbers = [
        (outline.replaced, "replaced"),
        (outline.new, "new"),
        (outline.same, "the same"),
        (outline.settings, "with your settings"),
    ];
    let numbers = numbers.into_iter().filter(|(number, _)| *number > 0);
    let numbers: Vec<String> = numbers.map(|(number, what)| format!("{number} {what}")).collect();
    writeln!(text, "  files: {}", numbers.join(", "))?;
    for (to, files, size) in aside(plan) {
        let what = format!("{}, {}", count(files as usize, "file"), bytes(size));
        let to = fit_path(&to, session.width.saturating_sub(what.len() + 18));
        writeln!(text, "  moved aside: {what}, to {to}")?;
    }

    writeln!(text)?;
    let rows = outline.kinds.iter().map(row).collect();
    text.push_str(&table(&["WHAT", "REPLACED", "NEW", "SAME", "SIZE"], &[1, 2, 3, 4], rows));
    if !outline.largest.is_empty() {
        writeln!(text)?;
        let large = outline.largest.iter();
        let mut rows: Vec<Vec<String>> =
            large.map(|(path, size)| vec![bytes(*size), path.to_string()]).collect();
        fit_places(&["LARGEST", "PLACE"], &mut rows, session.width);
        text.push_str(&table(&["LARGEST", "PLACE"], &[0], rows));
    }
    if !outline.components.is_empty() {
        writeln!(text)?;
        let shown = if session.verbose { usize::MAX } else { MOST_COMPONENTS };
        let components = outline.components.iter().take(shown);
        let mut rows: Vec<Vec<String>> = components
            .map(|(path, was, is)| {
                vec![clean(&format!("{was} → {is}")).into_owned(), path.to_string()]
            })
            .collect();
        fit_places(&["COMPONENT", "PLACE"], &mut rows, session.width);
        text.push_str(&table(&["COMPONENT", "PLACE"], &[], rows));
        if outline.components.len() > shown {
            let rest = format!("  and {} more (-v)", outline.components.len() - shown);
            writeln!(text, "{}", rest.dimmed())?;
        }
    }
    writeln!(text)
}

fn row(kind: &Kind) -> Vec<String> {
    let number = |number: usize| if number == 0 { "-".to_owned() } else { number.to_string() };
    let size = if kind.bytes == 0 { "-".to_owned() } else { bytes(kind.bytes) };
    let name = clean(&kind.name).into_owned();
    vec![name, number(kind.replaced), number(kind.new), number(kind.same), size]
}

/// Where things are moved aside to, with how many files and bytes.
fn aside(plan: &Plan) -> Vec<(String, u64, u64)> {
    let mut found: Vec<(String, u64, u64)> = Vec::new();
    for step in &plan.steps {
        let (Target::Aside(aside), Some((files, size))) = (step.target(), moved(step)) else {
            continue;
        };
        let number = aside.kept.path().parts().next().unwrap_or_default();
        let to = slashes(&aside.kept.base(&plan.game.root).join(number));
        match found.iter_mut().find(|(other, ..)| *other == to) {
            Some((_, all, sum)) => (*all, *sum) = (*all + files, *sum + size),
            None => found.push((to, files, size)),
        }
    }
    found
}

/// The files and bytes that a step moves aside.
fn moved(step: &Step) -> Option<(u64, u64)> {
    match &step.before().state {
        upright_spanner_core::change::State::Tree(tree) => Some((tree.files, tree.bytes)),
        _ => None,
    }
}
