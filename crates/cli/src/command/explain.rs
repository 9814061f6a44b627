//! `explain`: the meaning of a finding.

use std::io::Write;

use anyhow::Result;
use upright_spanner_core::Error;
use upright_spanner_core::check::{ABOUT, explain};

use crate::args;
use crate::document::check::{Codes, Meaning};
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::Explain, session: &Session) -> Result<Exit> {
    if args.markdown {
        write!(anstream::stdout(), "{}", render::guide::findings())?;
        return Ok(Exit::Done);
    }
    let Some(code) = &args.code else {
        if session.json {
            render::json(&Codes::new(&ABOUT))?;
        } else {
            render::check::print_codes(&ABOUT, session)?;
        }
        return Ok(Exit::Done);
    };

    let about = explain(code).ok_or_else(|| Error::Invalid {
        what: format!("no finding has the code `{code}`"),
        remedy: "`spanner explain` lists them all.".into(),
    })?;
    if session.json {
        render::json(&Meaning::from(about))?;
    } else {
        render::check::print_about(about, session)?;
    }

    Ok(Exit::Done)
}
