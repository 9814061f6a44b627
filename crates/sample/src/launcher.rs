//! Quayhand, a launcher that does not exist: it records its games in a text format of its own invention and updates
//! them as launchers do, unless it is held.
//!
//! A record is kept beside the games, in `.quayhand/NAME.berth`; one of those of the world is UTF-16. What an update
//! brings is in a folder elsewhere, with `build.txt` and `gone.txt` beside the files.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// The folder of a library that it keeps its records in.
const FOLDER: &str = ".quayhand";

/// Its record of an update: the number of the build, and the files to remove.
const BUILD: &str = "build.txt";
const GONE: &str = "gone.txt";

/// How it is described to the program.
pub const DESCRIPTION: &str = r#"schema = 1

[[launcher]]
name = "quayhand"
records = ["{library}/.quayhand/*.berth"]
patterns = [
    '(?m)^called = (?<title>[^\r\n]+)',
    '(?m)^lies in = (?<folder>[^\r\n]+)',
    '(?m)^load = (?<build>\d+)',
    '(?m)^next load = (?<next>\d+)',
    '(?m)^berth = (?<id>[^\r\n]+)',
]
games = "{library}/{folder}"
hold = { format = "ini", key = ["berth", "updates"], value = "when asked" }
"#;

/// What came of an update.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// The game is of the new build.
    Updated,
    /// If the record says to ask before updating, a waiting update is recorded.
    Waits,
    /// The record cannot be written: nothing was done.
    Shut,
}

/// The record of a game, wherever its library is.
pub fn record(library: &Path, game: &str) -> PathBuf {
    let name: String = game.chars().filter(char::is_ascii_alphanumeric).collect();
    library.join(FOLDER).join(format!("{}.berth", name.to_lowercase()))
}

/// Writes down a game that is there, in UTF-16 if that is wanted.
///
/// # Errors
/// If the record cannot be written.
pub fn write_down(
    library: &Path,
    game: &str,
    title: &str,
    build: u32,
    wide: bool,
) -> io::Result<()> {
    let text = format!(
        "[berth]\r\ncalled = {title}\r\nlies in = {game}\r\nload = {build}\r\nupdates = at once\r\nberth = {build}-{}\r\n",
        game.len()
    );
    fs::create_dir_all(library.join(FOLDER))?;
    write(&record(library, game), &text, wide)
}

/// Says what an update of a game brings: its files are in `load` already.
///
/// # Errors
/// If that cannot be written.
pub fn announce(load: &Path, build: u32, gone: &[&str]) -> io::Result<()> {
    fs::write(load.join(BUILD), build.to_string())?;
    fs::write(load.join(GONE), gone.join("\n"))
}

/// Updates a game: new files come, some are overwritten, some go, and the record is written again.
///
/// # Errors
/// If the record, the update or the game cannot be read, or the game cannot be written to.
pub fn update(library: &Path, game: &str, load: &Path) -> io::Result<Outcome> {
    let path = record(library, game);
    let (text, wide) = read(&path)?;
    if fs::metadata(&path)?.permissions().readonly() {
        return Ok(Outcome::Shut);
    }
    let build = fs::read_to_string(load.join(BUILD))?;
    let build = build.trim();
    if text.contains("updates = when asked") {
        let kept: Vec<&str> = text.lines().filter(|line| !line.starts_with("next load")).collect();
        write(&path, &format!("{}\r\nnext load = {build}\r\n", kept.join("\r\n")), wide)?;
        return Ok(Outcome::Waits);
    }

    let root = library.join(game);
    for gone in fs::read_to_string(load.join(GONE))?.lines().filter(|line| !line.is_empty()) {
        match fs::remove_file(root.join(gone)) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
            _ => {}
        }
    }
    copy(load, &root, true)?;
    let lines = text.lines().filter(|line| !line.starts_with("next load"));
    let line = |line: &str| {
        if line.starts_with("load = ") { format!("load = {build}") } else { line.to_owned() }
    };
    let lines: Vec<String> = lines.map(line).collect();
    write(&path, &format!("{}\r\n", lines.join("\r\n")), wide)?;
    Ok(Outcome::Updated)
}

/// Copies a folder over another, with its dates.
fn copy(from: &Path, to: &Path, is_top: bool) -> io::Result<()> {
    fs::create_dir_all(to)?;
    for entry in fs::read_dir(from)? {
        let entry = entry?;
        let (name, path) = (entry.file_name(), entry.path());
        if entry.file_type()?.is_dir() {
            copy(&path, &to.join(name), false)?;
        } else if !(is_top && (name == BUILD || name == GONE)) {
            let target = to.join(name);
            fs::copy(&path, &target)?;
            let date = filetime::FileTime::from_last_modification_time(&entry.metadata()?);
            filetime::set_file_mtime(&target, date)?;
        }
    }
    Ok(())
}

/// The text of a record, and whether it is UTF-16.
fn read(path: &Path) -> io::Result<(String, bool)> {
    let bytes = fs::read(path)?;
    let Some(wide) = bytes.strip_prefix(&[0xff, 0xfe]) else {
        return Ok((String::from_utf8_lossy(&bytes).into_owned(), false));
    };
    let units: Vec<u16> =
        wide.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
    Ok((String::from_utf16_lossy(&units), true))
}

fn write(path: &Path, text: &str, wide: bool) -> io::Result<()> {
    if !wide {
        return fs::write(path, text);
    }
    let units = std::iter::once(0xfeff).chain(text.encode_utf16());
    fs::write(path, units.flat_map(u16::to_le_bytes).collect::<Vec<u8>>())
}
