//! Progress bars, shown on a terminal for what takes longer than half a second.

use std::fmt::Write;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressState, ProgressStyle};
use upright_spanner_core::progress::Progress;

use crate::text::{bytes, clean};

/// Whether files are being altered: then Ctrl-C lets that be finished or put back first.
static ACTING: AtomicBool = AtomicBool::new(false);

/// Whether something is being got: that can be left at any moment.
static GETTING: AtomicBool = AtomicBool::new(false);

/// Whether the user wants it to stop.
static STOPPED: AtomicBool = AtomicBool::new(false);

/// How a run ends that was stopped, as shells know it.
const ENDED_BY_USER: i32 = 130;

/// Listens for Ctrl-C and for the wish to end. If the system does not report it, the program ends as any other would.
pub fn listen() {
    let _ = ctrlc::set_handler(|| {
        STOPPED.store(true, Ordering::SeqCst);
        if !ACTING.load(Ordering::SeqCst) {
            if GETTING.load(Ordering::SeqCst) {
                eprintln!(
                    "\nStopped. The received part is kept: run the same command to continue."
                );
            }
            std::process::exit(ENDED_BY_USER);
        }
    });
}

/// Does something that must be finished or put back before the program ends.
pub fn acting<T>(act: impl FnOnce() -> T) -> T {
    ACTING.store(true, Ordering::SeqCst);
    let done = act();
    ACTING.store(false, Ordering::SeqCst);
    done
}

/// Downloads something that is kept when the user stops it, and says so.
pub fn getting<T>(get: impl FnOnce() -> T) -> T {
    GETTING.store(true, Ordering::SeqCst);
    let got = get();
    GETTING.store(false, Ordering::SeqCst);
    got
}

/// Work that is done sooner needs no progress bar, which would only flicker.
const PATIENCE: Duration = Duration::from_millis(500);

/// How often a sign that something is waited for moves.
const TICK: Duration = Duration::from_millis(120);

/// A sign on standard error that something is waited for; hidden if no one would see it.
pub fn waiting(hidden: bool) -> ProgressBar {
    let target = if hidden { ProgressDrawTarget::hidden() } else { ProgressDrawTarget::stderr() };
    let sign = ProgressBar::with_draw_target(None, target);
    sign.enable_steady_tick(TICK);
    sign
}

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

    fn begin_as(&self, template: &str, what: &str, total: Option<u64>) {
        if self.hidden {
            return;
        }
        let bar = ProgressBar::with_draw_target(total, ProgressDrawTarget::hidden());
        if let Ok(style) = ProgressStyle::with_template(template) {
            let style = style
                .with_key("done", |state: &ProgressState, out: &mut dyn Write| {
                    let _ = out.write_str(&bytes(state.pos()));
                })
                .with_key("all", |state: &ProgressState, out: &mut dyn Write| {
                    let _ = out.write_str(&bytes(state.len().unwrap_or_default()));
                })
                .with_key("rate", |state: &ProgressState, out: &mut dyn Write| {
                    let rate = u64::try_from(state.per_sec() as i64).unwrap_or_default();
                    let _ = out.write_str(&bytes(rate));
                });
            bar.set_style(style);
        }
        bar.set_message(clean(what).into_owned());
        self.with(|current| *current = Some(Work { began: Instant::now(), bar, shown: false }));
    }

    fn with(&self, act: impl FnOnce(&mut Option<Work>)) {
        act(&mut self.current.lock().unwrap_or_else(std::sync::PoisonError::into_inner));
    }
}

impl Progress for Bars {
    fn begin(&self, what: &str, total: Option<u64>) {
        let template =
            if total.is_some() { "{msg}  {bar:30} {pos} of {len}" } else { "{msg}  {pos}" };
        self.begin_as(template, what, total);
    }

    fn begin_bytes(&self, what: &str, total: u64) {
        let template = "{msg}  {bar:20} {done} of {all}, {rate} a second, {eta} left";
        self.begin_as(template, what, Some(total));
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

    fn is_stopped(&self) -> bool {
        STOPPED.load(Ordering::SeqCst)
    }

    fn end(&self) {
        self.with(|current| {
            if let Some(work) = current.take() {
                work.bar.finish_and_clear();
            }
        });
    }
}
