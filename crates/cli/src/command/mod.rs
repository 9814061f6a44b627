//! One file a command: parse, call the workshop, render.

mod adopt;
mod carry_out;
mod check;
mod compare;
mod completions;
mod demo;
mod doctor;
mod drift;
mod explain;
mod family;
mod feed;
mod fit;
mod game;
mod get;
mod history;
mod hold;
mod inspect;
mod opening;
mod park;
mod pin;
mod prove;
mod rack;
mod refit;
mod reg_file;
mod rollback;
mod root;
mod schema;
mod several;
mod shortcut;
mod start;
mod survey;
mod target;
mod tune;
mod undo;
mod wind;

use anyhow::Result;

use crate::args::Command;
use crate::exit::Exit;
use crate::session::Session;

/// Runs a command.
pub fn run(command: Command, session: &Session) -> Result<Exit> {
    match command {
        Command::Survey(args) => survey::run(&args, session),
        Command::Inspect(args) => inspect::run(&args, session),
        Command::Compare(args) => compare::run(&args, session),
        Command::Root(args) => root::run(&args, session),
        Command::Game(args) => game::run(&args, session),
        Command::Family(args) => family::run(&args, session),
        Command::Rack(args) => rack::run(&args, session),
        Command::Feed(args) => feed::run(&args, session),
        Command::Check(args) => check::run(&args, session),
        Command::Explain(args) => explain::run(&args, session),
        Command::Fit(args) => fit::run(&args, session),
        Command::Tune(args) => tune::run(&args, session),
        Command::Rollback(args) => rollback::run(&args, session),
        Command::Undo(args) => undo::run(&args, session),
        Command::Drift(args) => drift::run(&args, session),
        Command::Refit(args) => refit::run(&args, session),
        Command::Wind(args) => wind::run(&args, session),
        Command::Hold(args) => hold::run(&args, session),
        Command::Adopt(args) => adopt::run(&args, session),
        Command::Park(args) => park::park(&args, session),
        Command::Unpark(args) => park::unpark(&args, session),
        Command::Start(args) => start::run(&args, session),
        Command::Prove(args) => prove::run(&args, session),
        Command::Shortcut(args) => shortcut::run(&args, session),
        Command::Pin(args) => pin::pin(&args, session),
        Command::Unpin(args) => pin::unpin(&args, session),
        Command::History(args) => history::run(&args, session),
        Command::Doctor(args) => doctor::run(&args, session),
        Command::Demo(args) => demo::run(&args, session),
        Command::Completions(args) => completions::completions(&args),
        Command::Man { folder } => completions::man(&folder),
        Command::Schema { folder } => schema::run(&folder),
    }
}
