//! Families of the catalog.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::catalog::{Family, Role};

use super::table::table;
use super::{clean, hint, slashes};
use crate::session::Session;

/// Prints each family with how it is recognised.
pub fn print(families: &[&Family]) -> Result<()> {
    let mut out = anstream::stdout();
    for family in families {
        writeln!(out, "{}", clean(&family.id).bold())?;
        let mut line = |name: &str, value: &str| {
            writeln!(out, "  {} {}", format!("{name:<14}").dimmed(), clean(value))
        };
        if let Some(title) = &family.title {
            line("title", title)?;
        }
        line("role", family.role.map_or("decided by evidence", Role::name))?;
        if let Some(group) = &family.group {
            line("group", group)?;
        }
        for (field, pattern) in &family.criteria {
            line(field, pattern)?;
        }
        line("described in", &slashes(&family.from))?;
    }

    Ok(())
}

/// Prints a line a family.
pub fn print_list(families: &[&Family], session: &Session) -> Result<()> {
    if families.is_empty() {
        return hint(
            session,
            "The catalog is empty, and components are decided by evidence alone. To describe one: \
             spanner family learn FILE",
        );
    }

    let rows = families
        .iter()
        .map(|family| {
            let or_dash =
                |text: Option<&str>| text.map_or_else(|| "-".to_owned(), |t| clean(t).into_owned());
            vec![
                clean(&family.id).into_owned(),
                or_dash(family.role.map(Role::name)),
                or_dash(family.group.as_deref()),
                or_dash(family.title.as_deref()),
            ]
        })
        .collect();
    write!(anstream::stdout(), "{}", table(&["FAMILY", "ROLE", "GROUP", "TITLE"], &[], rows))?;
    Ok(())
}
