//! What every finding means as one page: `docs/findings.md`.

use std::fmt::Write as _;

use upright_spanner_core::check::{ABOUT, About};

use super::check::NOT_OVERRIDABLE;
use crate::remedy;

/// The page, as markdown.
pub fn findings() -> String {
    let mut out = String::from(
        "# Findings\n\n\
         What `spanner check` and every command that alters a game can say. `spanner explain CODE`\n\
         prints the same text. A `stop` refuses a change; `--despite CODE` overrides one by name,\n\
         and the history keeps that. `warn` is worth a second look, `note` is worth knowing.\n\n\
         This page is made by `spanner explain --markdown`.\n",
    );

    for About { code, cause, consequence, remedy, example, overridable } in &ABOUT {
        let remedy = remedy::worded(remedy);
        let _ = write!(
            out,
            "\n## {code}\n\n{cause} {consequence}\n\nWhat to do: {remedy}\n\n> {example}\n"
        );
        if !overridable {
            let _ = write!(out, "\n{NOT_OVERRIDABLE}\n");
        }
    }

    out
}
