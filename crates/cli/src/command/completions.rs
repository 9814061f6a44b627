//! `completions` and `man`: what shells and manuals know of the commands.

use std::fs;
use std::io::Write;
use std::path::Path;

use anyhow::{Context, Result};
use clap::CommandFactory;

use crate::args::{self, Args};
use crate::exit::Exit;
use crate::text::slashes;

/// Prints the script by which a shell completes commands and options.
pub fn completions(args: &args::Completions) -> Result<Exit> {
    let mut script = Vec::new();
    clap_complete::generate(args.shell, &mut Args::command(), "spanner", &mut script);
    anstream::stdout().write_all(&script)?;
    Ok(Exit::Done)
}

/// Writes the manual: one page a command.
pub fn man(folder: &Path) -> Result<Exit> {
    let failed = || format!("could not write the manual into {}", slashes(folder));
    fs::create_dir_all(folder).with_context(failed)?;
    clap_mangen::generate_to(Args::command(), folder).with_context(failed)?;
    Ok(Exit::Done)
}
