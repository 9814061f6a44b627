//! `family`: the user's catalog of families.

use anyhow::Result;
use upright_spanner_core::Error;
use upright_spanner_core::catalog::{Catalog, Family, Lesson, Pattern};
use upright_spanner_core::survey::LookError;

use crate::args;
use crate::document::family::Families;
use crate::exit::Exit;
use crate::render::{self, family};
use crate::session::Session;

pub fn run(args: &args::Family, session: &Session) -> Result<Exit> {
    match args {
        args::Family::Learn { file, id, role, group, title, log } => {
            let lesson =
                Lesson { id: id.clone(), role: *role, group: group.clone(), title: title.clone() };
            let workshop = session.alter()?;
            let learned = match log {
                Some(log) => workshop.learn_log(file, log, lesson)?,
                None => workshop.learn_family(file, lesson)?,
            };
            show(&[&learned], &[], session)?;
            Ok(Exit::Done)
        }
        args::Family::List => {
            let catalog = session.look()?.catalog();
            let families: Vec<&Family> = catalog.families().iter().collect();
            let errors = errors(&catalog);
            if session.json {
                render::json(&Families::new(&families, &errors))?;
            } else {
                family::print_list(&families, session)?;
            }
            Ok(tell(&errors))
        }
        args::Family::Show { family: wanted } => {
            let catalog = session.look()?.catalog();
            let pattern = Pattern::new(wanted).map_err(|what| Error::Invalid {
                what,
                remedy: "Use `*` for any text and `?` for any character.".into(),
            })?;
            let matches = |family: &&Family| {
                pattern.is_match(&family.id)
                    || family.group.as_ref().is_some_and(|group| pattern.is_match(group))
            };
            let families: Vec<&Family> = catalog.families().iter().filter(matches).collect();
            if families.is_empty() {
                return Err(Error::Invalid {
                    what: format!("no family or group of the catalog matches `{wanted}`"),
                    remedy:
                        "`spanner family list` shows them; `spanner family learn FILE` adds one."
                            .into(),
                }
                .into());
            }
            let errors = errors(&catalog);
            show(&families, &errors, session)?;
            Ok(tell(&errors))
        }
    }
}

fn show(families: &[&Family], errors: &[LookError], session: &Session) -> Result<()> {
    if session.json {
        render::json(&Families::new(families, errors))
    } else {
        family::print(families)
    }
}

/// The catalog files that cannot be used.
fn errors(catalog: &Catalog) -> Vec<LookError> {
    catalog.errors.iter().map(LookError::from).collect()
}

fn tell(errors: &[LookError]) -> Exit {
    render::look_errors(errors);
    if errors.is_empty() { Exit::Done } else { Exit::Attend }
}
