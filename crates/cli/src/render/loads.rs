//! The libraries a game would load, as a tree, and the path to one file.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::load::{Edge, Graph, How, LoadChain, Loaded, Outcome, Process};
use upright_spanner_core::survey::GameView;

use super::table::table;
use super::{clean, count, hint, quoted};
use crate::session::Session;

/// Prints every process of a game: importer, library, folder, and missing ones.
pub fn print(view: &GameView, graph: &Graph, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(
        out,
        "{}  {}",
        clean(&view.game.title).bold(),
        format!("({})", view.game.id).dimmed()
    )?;
    if graph.processes.is_empty() {
        return hint(session, "This folder contains no program, so nothing is loaded.");
    }
    let mut rows = Vec::new();
    let mut windows = 0;
    for process in &graph.processes {
        let roots = process.images.iter().enumerate().filter(|(_, image)| image.by.is_none());
        for (at, _) in roots {
            rows_of(process, at, 0, session.verbose, &mut rows, &mut windows);
        }
    }
    write!(out, "{}", table(&["LOADS", "VERSION", "FROM"], &[], rows))?;
    if windows > 0 && !session.verbose {
        let text = format!("  and {} that Windows itself has (-v)", count(windows, "import"));
        writeln!(out, "{}", text.dimmed())?;
    }
    let broken = graph.processes.iter().flat_map(|process| &process.images);
    let broken = broken.flat_map(|image| &image.edges).filter(|edge| edge.is_broken()).count();
    match broken {
        0 => hint(session, "Every requested library was found."),
        _ => hint(session, &format!("Next: spanner check {}", quoted(&view.game.id))),
    }
}

/// An image, and below it the images that it is the first to request.
fn rows_of(
    process: &Process,
    at: usize,
    depth: usize,
    verbose: bool,
    rows: &mut Vec<Vec<String>>,
    windows: &mut usize,
) {
    let Some(image) = process.images.get(at) else { return };
    let indent = "  ".repeat(depth);
    let how = match image.how {
        How::ByName if image.by.is_none() => " (by name)",
        How::AtFirstCall => " (at a first call)",
        _ => "",
    };
    let name = format!("{indent}{}{how}", clean(image.path.file_name()));
    rows.push(vec![name, version(image), clean(image.path.as_str()).into_owned()]);
    for edge in &image.edges {
        let is_windows = matches!(edge.outcome, Outcome::Windows | Outcome::Unknown);
        if edge.is_broken() || is_windows && verbose {
            let name = format!("{indent}  {}", clean(&edge.library));
            let (name, found) = (name, found(edge));
            let broken = edge.is_broken();
            let shown = |text: String| if broken { text.red().to_string() } else { text };
            rows.push(vec![shown(name), String::new(), shown(found)]);
        } else if is_windows {
            *windows += 1;
        }
    }
    let children = process.images.iter().enumerate().filter(|(_, child)| child.by == Some(at));
    for (child, _) in children {
        rows_of(process, child, depth + 1, verbose, rows, windows);
    }
}

fn version(image: &Loaded) -> String {
    image.version.as_ref().map_or_else(|| "-".to_owned(), ToString::to_string)
}

/// The result of an image's request, in a few words.
fn found(edge: &Edge) -> String {
    let lacks = |what: &str| match edge.lacks.len() {
        0 => what.to_owned(),
        _ => format!("{what}, which lacks {}", clean(&edge.lacks.join(", "))),
    };
    match &edge.outcome {
        Outcome::File(path) => lacks(&clean(path.as_str())),
        Outcome::Windows => lacks("Windows"),
        Outcome::Unknown => "Windows (exports unknown)".to_owned(),
        Outcome::Missing => "missing".to_owned(),
        Outcome::OtherMachine(path, machine) => {
            format!("{}, which is {}", clean(path.as_str()), machine.spoken())
        }
        Outcome::Damaged(path, why) => format!("{}: {why}", clean(path.as_str())),
    }
}

/// Prints how a game comes to one file.
pub fn print_ways(
    view: &GameView,
    file: &str,
    ways: &[LoadChain<'_>],
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    if ways.is_empty() {
        let text = format!(
            "Nothing in {} asks for {}, as far as its files show.",
            view.game.title,
            clean(file)
        );
        return hint(session, &text);
    }
    for way in ways {
        for (depth, image) in way.images.iter().enumerate() {
            let how = match image.how {
                How::AtStart => "at the start",
                How::AtFirstCall => "at a first call",
                How::ByName => "by name, as it seems",
            };
            let indent = "  ".repeat(depth);
            writeln!(
                out,
                "{indent}{} {}  {}",
                clean(image.path.as_str()),
                version(image),
                how.dimmed()
            )?;
        }
        if let Some(edge) = way.last {
            let indent = "  ".repeat(way.images.len());
            let text = format!("{indent}{}  {}", clean(&edge.library), found(edge));
            let shown = if edge.is_broken() { text.red().to_string() } else { text };
            writeln!(out, "{shown}")?;
        }
    }
    Ok(())
}
