//! The greeting, and errors of the command line.

use std::ffi::OsStr;
use std::process::ExitCode;

use crate::document::error::ErrorDocument;
use crate::exit::Exit;
use crate::render;

/// What one who starts the program without a word does first.
const GREETING: &str = "\
spanner looks after the drop-in runtime components of your PC games.
  See what your games have:          spanner survey FOLDER
  Try everything on made-up games:   spanner demo
  All commands:                      spanner --help
";

/// Says what to do first.
pub fn greet() -> ExitCode {
    anstream::print!("{GREETING}");
    Exit::Done.into()
}

/// The path and the words that Windows took for one argument: it takes `\"` for a quote that belongs to the
/// text, so that a folder that is typed as `"D:\Games\"` swallows all that follows.
pub fn swallowed(argument: &OsStr) -> Option<(String, String)> {
    let text = argument.to_str().filter(|_| cfg!(windows))?;
    let (path, rest) = text.split_once('"')?;
    let is_path = path.contains('\\') || path.ends_with(':');
    is_path.then(|| (path.to_owned(), rest.trim().to_owned()))
}

/// Says what went wrong with a path that swallowed what follows.
pub fn refuse_swallowed((path, rest): &(String, String)) -> ExitCode {
    let path = render::clean(path);
    anstream::eprintln!(
        "error: Windows took the \\ before a quote for a part of the name, and what follows with it: \
         {path}\" {}\n       Write the folder without its last \\, as in: \"{path}\"",
        render::clean(rest)
    );
    Exit::Usage.into()
}

/// Says how the command should be used; with `--json`, as a document too.
pub fn refuse(error: &clap::Error) -> ExitCode {
    let is_error = error.use_stderr();
    let said = error.render().to_string();
    // If the terminal cannot be written to, nothing can be reported. File names in an error may come from strangers.
    if std::env::args_os().all(|word| render::is_clean(&word.to_string_lossy())) {
        let _ = error.print();
    } else {
        for line in said.lines() {
            anstream::eprintln!("{}", render::clean(line));
        }
    }

    if is_error && std::env::args_os().any(|word| word == "--json") {
        // The error comes first, then the usage.
        let wrong = said.split("\n\n").next().unwrap_or_default();
        let wrong: Vec<&str> = wrong.trim_start_matches("error:").split_whitespace().collect();
        let _ = render::json(&ErrorDocument::wrong_usage(wrong.join(" ")));
    }

    if is_error { Exit::Usage.into() } else { Exit::Done.into() }
}
