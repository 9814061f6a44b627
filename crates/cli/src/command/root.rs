//! `root`: folders of which each sub-folder is a game.

use anyhow::Result;

use crate::args;
use crate::document::game::Roots;
use crate::document::noted::What;
use crate::exit::Exit;
use crate::render::{self, hint, noted, slashes};
use crate::session::Session;

pub fn run(args: &args::Root, session: &Session) -> Result<Exit> {
    match args {
        args::Root::Add { folders, launcher } => {
            let workshop = session.alter()?;
            let mut folders = folders.clone();
            if let Some(launcher) = launcher {
                let found = workshop.libraries_of(launcher)?;
                if found.is_empty() {
                    hint(
                        session,
                        &format!("{launcher} has written down no library root that is there."),
                    )?;
                }
                folders.extend(found);
            }
            let altering = workshop.alter()?;
            let mut added = Vec::new();
            for folder in &folders {
                added.push(altering.add_library_root(folder)?);
            }
            if session.json {
                render::json(&Roots::new(&added))?;
            }
            for root in &added {
                hint(session, &format!("Each sub-folder of {} is a game now.", slashes(root)))?;
            }
            hint(session, "Next: spanner survey")?;
        }
        args::Root::List => {
            let roots = session.look()?.library_roots();
            if session.json {
                render::json(&Roots::new(&roots))?;
            } else {
                render::game::print_roots(&roots, session)?;
            }
        }
        args::Root::Forget { folder } => {
            let root = session.alter()?.alter()?.forget_library_root(folder)?;
            let text = format!("Forgotten: {}. Nothing in it was touched.", slashes(&root));
            noted(session, &text, What::Forgotten(slashes(&root)))?;
        }
    }
    Ok(Exit::Done)
}
