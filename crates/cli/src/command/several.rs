//! One thing in several games: one table, one change a game, on past a refused one, and one sum.

use upright_spanner_core::plan::Plan;
use upright_spanner_core::{Cleared, Workshop};

use super::carry_out::{ActOptions, act};
use crate::document::plan::{OneOfSeveral, Several as SeveralGames};
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, plan};
use crate::session::Session;

/// A plan for one of several games.
pub struct Job {
    /// The builds, or the restored part.
    pub what: String,
    pub plan: Plan,
}

/// What to say around it.
pub struct SeveralMessages<'a> {
    /// The message if no game is concerned.
    pub nothing: &'a str,
    /// The question for a number of games.
    pub question: &'a dyn Fn(&str) -> String,
    /// The command that carries out a dry run.
    pub again: &'a str,
}

/// What became of several games.
#[derive(Default)]
pub struct Several {
    games: Vec<OneOfSeveral>,
    done: usize,
    refused: usize,
    as_they_were: usize,
    failed: usize,
}

impl Several {
    /// Counts a game that nothing could be planned for.
    pub fn fails(&mut self, game: &str, error: &anyhow::Error) {
        self.failed += 1;
        self.games.push(OneOfSeveral::failed(game, error));
        render::error(error);
    }

    fn exit(&self) -> Exit {
        if self.refused + self.failed > 0 { Exit::Attend } else { Exit::Done }
    }

    /// Shows the plans, asks, and carries them out.
    pub fn carry_out(
        mut self,
        jobs: Vec<Job>,
        workshop: &Workshop,
        wish: &ActOptions<'_>,
        talk: &SeveralMessages<'_>,
        session: &Session,
    ) -> anyhow::Result<Exit> {
        if jobs.is_empty() && self.failed == 0 {
            if session.json {
                render::json(&SeveralGames::new(Vec::new()))?;
            } else {
                render::hint(session, talk.nothing)?;
            }
            return Ok(Exit::Done);
        }
        let clear = |job: Job| (job.what, workshop.clear(job.plan, wish.despite));
        let jobs: Vec<(String, Result<Cleared, Box<Plan>>)> = jobs.into_iter().map(clear).collect();
        let plans = || jobs.iter().map(|(what, cleared)| (what.as_str(), plan_of(cleared)));
        if !session.json {
            plan::print_several(&plans().collect::<Vec<_>>(), session)?;
        }
        if wish.dry_run {
            self.refused = jobs.iter().filter(|(_, cleared)| cleared.is_err()).count();
            let exit = self.exit();
            if session.json {
                self.games.extend(plans().map(|(_, plan)| OneOfSeveral::planned(plan)));
                render::json(&SeveralGames::new(self.games))?;
            } else {
                let text = format!("Dry run: nothing was changed. To do it: {}", talk.again);
                render::hint(session, &text)?;
            }
            return Ok(exit);
        }

        let is_to_do = |job: &&(String, Result<Cleared, Box<Plan>>)| {
            job.1.as_ref().is_ok_and(|cleared| !cleared.plan().steps.is_empty())
        };
        let to_do = render::count(jobs.iter().filter(is_to_do).count(), "game");
        if !prompt::go_on(session, &(talk.question)(&to_do))? {
            render::hint(session, "Nothing was changed.")?;
            return Ok(Exit::Done);
        }
        for (_, cleared) in jobs {
            self.carry_out_one(cleared, workshop, session);
        }

        let exit = self.exit();
        if session.json {
            render::json(&SeveralGames::new(self.games))?;
        } else {
            let text = format!(
                "Done: {}; {} as they were, {} refused, {} failed.",
                render::count(self.done, "game"),
                self.as_they_were,
                self.refused,
                self.failed
            );
            render::hint(session, &text)?;
        }
        Ok(exit)
    }

    fn carry_out_one(
        &mut self,
        cleared: Result<Cleared, Box<Plan>>,
        workshop: &Workshop,
        session: &Session,
    ) {
        let cleared = match cleared {
            Ok(cleared) => cleared,
            Err(plan) => {
                self.refused += 1;
                self.games.push(OneOfSeveral::refused(&plan));
                return;
            }
        };
        let game = cleared.plan().game.id.clone();
        if cleared.plan().steps.is_empty() {
            self.as_they_were += 1;
            return;
        }
        match act(workshop, || workshop.alter()?.apply(cleared, &session.progress())) {
            Ok(change) => {
                self.done += 1;
                self.games.push(OneOfSeveral::done(&change));
            }
            Err(error) => self.fails(&game, &error),
        }
    }
}

fn plan_of(cleared: &Result<Cleared, Box<Plan>>) -> &Plan {
    cleared.as_ref().map_or_else(|stopped| &**stopped, Cleared::plan)
}
