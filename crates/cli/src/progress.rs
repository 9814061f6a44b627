//! Progress bars, shown on a terminal for what takes longer than half a second.

use std::sync::Mutex;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use upright_spanner_core::progress::Progress;

const PATIENCE: Duration = Duration::from_millis(500);

/// Draws one bar at a time on standard error.
#[derive(Debug)]
pub struct Bars {
    hidden: bool,
    current: Mutex<Option<Work>>,
}

#[derive(Debug)]
struct Work {
    began: Instant,
    bar: ProgressBar,
    shown: bool,
}

impl Bars {
    pub fn new(hidden: bool) -> Self {
        Self { hidden, current: Mutex::new(None) }
    }

    fn with(&self, act: impl FnOnce(&mut Option<Work>)) {
        act(&mut self.current.lock().unwrap_or_else(std::sync::PoisonError::into_inner));
    }
}

impl Progress for Bars {
    fn begin(&self, what: &str, total: Option<u64>) {
        if self.hidden {
            return;
        }
        let bar = ProgressBar::with_draw_target(total, ProgressDrawTarget::hidden());
        let template =
            if total.is_some() { "{msg}  {bar:30} {pos} of {len}" } else { "{msg}  {pos}" };
        if let Ok(style) = ProgressStyle::with_template(template) {
            bar.set_style(style);
        }
        bar.set_message(crate::render::clean(what).into_owned());
        self.with(|current| *current = Some(Work { began: Instant::now(), bar, shown: false }));
    }

    fn advance(&self, by: u64) {
        if self.hidden {
            return;
        }
        self.with(|current| {
            let Some(work) = current else { return };
            if !work.shown && work.began.elapsed() > PATIENCE {
                work.bar.set_draw_target(ProgressDrawTarget::stderr());
                work.shown = true;
            }
            work.bar.inc(by);
        });
    }

    fn end(&self) {
        self.with(|current| {
            if let Some(work) = current.take() {
                work.bar.finish_and_clear();
            }
        });
    }
}
