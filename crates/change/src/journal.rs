//! The journal: one file a change, in a folder.
//!
//! A file is written and made durable before any target of its change is touched; the outcome is appended as one
//! line. No file is ever rewritten or removed, and the numbers have no gaps, so that a missing file is noticed.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use crate::content::Moment;
use crate::error::{Error, Result};
use crate::folder::{Folder, Found};
use crate::line;
use crate::record::{Record, RecordState};
use crate::step::Side;

/// How journal files' names end.
const ENDING: &str = ".change";

/// The journal in one folder.
#[derive(Debug)]
pub struct Journal {
    folder: Folder,
}

/// The text that only the line with the outcome contains: inside other texts, quotes are escaped.
pub const OUTCOME: &str = " {\"outcome\":";

/// Size and date of a journal file when its text was copied.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Mark {
    /// Its length in bytes.
    pub size: u64,
    /// Its date.
    pub modified: Moment,
}

/// The files of the journal by number; without a mark if the entry is not a file.
pub type Marks = BTreeMap<i64, Option<Mark>>;

/// A journal file as it was when it was last read and found whole.
#[derive(Debug, Clone)]
pub struct CopiedFile {
    /// The file as it was then.
    pub mark: Mark,
    /// Its lines in a form that is quick to decode.
    pub packed: Vec<u8>,
}

/// Where copies of journal files' texts are kept, so that not each has to be read each time. It may
/// know nothing at all: then every file is read.
pub trait Copies {
    /// Every copy, by the number of its change.
    fn all(&self) -> BTreeMap<i64, CopiedFile>;
    /// The text of a copy.
    fn text(&self, number: i64) -> Option<String>;
    /// The files whose change has ended, as the texts of their copies said. An open one must never be among
    /// them, whatever became of the copies.
    fn ended(&self) -> BTreeMap<i64, Mark>;
    /// The highest number of which there is a copy.
    fn last(&self) -> i64 {
        self.all().into_keys().max().unwrap_or(0)
    }
    /// Keeps a copy, with its text.
    fn keep(&self, number: i64, copy: &CopiedFile, text: &str);
}

/// Knows nothing.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoCopies;

impl Copies for NoCopies {
    fn all(&self) -> BTreeMap<i64, CopiedFile> {
        BTreeMap::new()
    }

    fn text(&self, _: i64) -> Option<String> {
        None
    }

    fn ended(&self) -> BTreeMap<i64, Mark> {
        BTreeMap::new()
    }

    fn keep(&self, _: i64, _: &CopiedFile, _: &str) {}
}

/// The journal as it was read.
#[derive(Debug, Default)]
pub struct Chronicle {
    /// Every change that could be read, oldest first.
    pub records: Vec<Record>,
    /// Files that are damaged or missing.
    pub faults: Vec<Fault>,
}

/// A fault of one file of the journal, or of a range of missing files.
#[derive(Debug, Clone)]
pub struct Fault {
    /// The number of its change; of a row, of the first.
    pub number: i64,
    /// The file.
    pub path: PathBuf,
    /// The fault.
    pub what: String,
    /// What makes it whole again, if something does; it was read as if that had been done.
    pub mending: Option<Mending>,
}

/// What makes a file of the journal whole again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mending {
    /// A copy of its text.
    Copy,
    /// How the change ended, which a later one shows.
    Outcome(RecordState),
}

impl Journal {
    /// Opens the journal in a folder, making it if needed.
    ///
    /// # Errors
    /// If the folder cannot be made or opened.
    pub fn open(folder: &Path) -> Result<Self> {
        Ok(Self { folder: Folder::make(folder)? })
    }

    /// The file of a change.
    pub fn path(&self, number: i64) -> PathBuf {
        self.folder.path().join(name(number))
    }

    /// Whether every change has ended, as far as copies of files say that are as they were when they were
    /// copied; `marks` says how they are now. It is quick: no file is read.
    pub fn has_ended(marks: &Marks, copies: &dyn Copies) -> bool {
        let ended = copies.ended();
        marks.iter().all(|(number, mark)| mark.is_some() && ended.get(number) == mark.as_ref())
    }

    /// Reads every change: from its copy if the file is as it was when it was copied, else from the file. A damaged
    /// or missing file spoils nothing but itself.
    ///
    /// # Errors
    /// If the folder cannot be read.
    pub fn read(&self, copies: &dyn Copies) -> Result<Chronicle> {
        Ok(self.read_files(&self.marks()?, copies))
    }

    /// The same, given how the files are now.
    pub fn read_files(&self, marks: &Marks, copies: &dyn Copies) -> Chronicle {
        let mut known = copies.all();
        known.retain(|number, _| *number > 0);

        let numbers: BTreeSet<i64> = marks.keys().chain(known.keys()).copied().collect();
        let mut chronicle = Chronicle::default();
        let mut next = 1;

        for number in numbers {
            if number > next {
                chronicle.faults.push(self.gap(next, number - 1));
            }
            next = number.saturating_add(1);
            let mark = marks.get(&number).copied().flatten();
            let copy = known.get(&number).filter(|copy| Some(copy.mark) == mark);
            let copied = copy.and_then(|copy| Record::unpacked(&copy.packed));
            if let Some(record) = copied.filter(|record| record.number == number) {
                chronicle.records.push(record);
                continue;
            }
            self.read_file(number, mark, copies, &mut chronicle);
        }

        self.find_lost_outcomes(&mut chronicle);
        chronicle
    }

    /// A later change about the same target proves that an open change has ended, since no change touches a target
    /// that another holds open. The state that the later change found shows how it ended.
    fn find_lost_outcomes(&self, chronicle: &mut Chronicle) {
        let Chronicle { records, faults } = chronicle;
        for at in 0..records.len() {
            let (earlier, later) = records.split_at_mut(at + 1);
            let record = &mut earlier[at];
            if record.state != RecordState::Open {
                continue;
            }
            let Some((by, state)) = later.iter().find_map(|later| shows(later, record)) else {
                continue;
            };
            record.state = state;
            let number = record.number;
            if faults.iter().all(|fault| fault.number != number) {
                let what = format!("how it ended is missing; change {by} went on from there");
                let (path, mending) = (self.path(number), Some(Mending::Outcome(state)));
                faults.push(Fault { number, path, what, mending });
            }
        }
    }

    /// Files that are missing, from one number to another, without a copy.
    fn gap(&self, first: i64, last: i64) -> Fault {
        let what = match last {
            _ if last == first => "it is missing".to_owned(),
            _ => format!("it is missing, and so is each one up to {}", name(last)),
        };
        Fault { number: first, path: self.path(first), what, mending: None }
    }

    fn read_file(
        &self,
        number: i64,
        mark: Option<Mark>,
        copies: &dyn Copies,
        chronicle: &mut Chronicle,
    ) {
        let (record, faults) = match line::read(&self.folder, &name(number)) {
            Ok(Some(text)) => {
                let (record, mut faults) = parse(number, &text);
                let copied = copies.text(number);
                if copied.is_some_and(|copy| copy.len() > text.len() && copy.starts_with(&text)) {
                    faults.push("its end is missing".to_owned());
                }
                if let (Some(_), true, Some(mark)) = (&record, faults.is_empty(), mark) {
                    keep(number, mark, &text, copies);
                }
                (record, faults)
            }
            Ok(None) => (None, vec!["it is missing".to_owned()]),
            Err(error) => (None, vec![error.to_string()]),
        };
        if record.is_some() && faults.is_empty() {
            chronicle.records.extend(record);
            return;
        }

        // A copy of the whole file has more information than the readable part of a damaged one.
        let copied = copies.text(number).and_then(|text| parse(number, &text).0);
        let what = faults.into_iter().next().unwrap_or_default();
        let path = self.path(number);
        let mending = copied.as_ref().map(|_| Mending::Copy);
        chronicle.faults.push(Fault { number, path, what, mending });
        chronicle.records.extend(copied.or(record));
    }

    /// How the files are now.
    ///
    /// # Errors
    /// If the folder cannot be read.
    pub fn marks(&self) -> Result<Marks> {
        let mut marks = BTreeMap::new();
        for name in self.folder.names()? {
            let Some(number) = name.to_str().and_then(number) else { continue };
            marks.insert(number, self.mark(number)?);
        }
        Ok(marks)
    }

    fn mark(&self, number: i64) -> Result<Option<Mark>> {
        let Found::File(metadata) = self.folder.find(&name(number))? else { return Ok(None) };
        let modified = metadata.modified().map(cap_std::time::SystemTime::into_std);
        let modified = modified.map_or((0, 0), crate::content::moment);
        Ok(Some(Mark { size: metadata.len(), modified }))
    }

    /// Writes down a change before its first step, under the number after the last; gives the number.
    ///
    /// # Errors
    /// If it cannot be written; nothing is there then.
    pub(crate) fn begin(&self, record: &mut Record, copies: &dyn Copies) -> Result<()> {
        record.number = self.next(copies)?;

        let path = self.path(record.number);
        let text = record.to_text(&path)?;
        line::write_new(&self.folder, &name(record.number), &text)?;
        self.copy(record.number, copies);
        Ok(())
    }

    /// The number that the next change gets.
    ///
    /// # Errors
    /// If the journal's folder cannot be read, or the highest number is used up.
    pub fn next(&self, copies: &dyn Copies) -> Result<i64> {
        let last = self.marks()?.into_keys().max().unwrap_or(0).max(copies.last());
        let full = || {
            let what = "the highest number is used up".to_owned();
            Error::Journal { path: self.path(last), what }
        };
        last.checked_add(1).ok_or_else(full)
    }

    /// Keeps a copy of a file as it is now, if it can be read.
    fn copy(&self, number: i64, copies: &dyn Copies) {
        let mark = self.mark(number).ok().flatten();
        let text = line::read(&self.folder, &name(number)).ok().flatten();
        if let Some((mark, text)) = mark.zip(text) {
            keep(number, mark, &text, copies);
        }
    }

    /// Writes down how a change ended.
    ///
    /// # Errors
    /// If it cannot be written: the change is open on disk then, whatever was done.
    pub(crate) fn close(
        &self,
        number: i64,
        state: RecordState,
        left: &BTreeMap<usize, Side>,
        copies: &dyn Copies,
    ) -> Result<()> {
        let line = Record::outcome_line(state, left, &self.path(number))?;
        line::append(&self.folder, &name(number), &line)?;
        self.copy(number, copies);
        Ok(())
    }

    /// Writes a change that has already ended, with its own number. Benches build large homes with it.
    ///
    /// # Errors
    /// If the file cannot be written, or the number is taken.
    pub fn insert(&self, record: &Record) -> Result<()> {
        let (name, path) = (name(record.number), self.path(record.number));
        let mut text = record.to_text(&path)?;
        text.push_str(&Record::outcome_line(record.state, &record.left, &path)?);
        line::write_new(&self.folder, &name, &text)
    }

    /// Makes a file whole again, as far as something does that. If a copy replaces a damaged one, that is kept under
    /// another name, which is given.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn mend(&self, fault: &Fault, copies: &dyn Copies) -> Result<Option<PathBuf>> {
        match fault.mending {
            Some(Mending::Copy) => self.restore(fault.number, copies),
            Some(Mending::Outcome(state)) => {
                self.close(fault.number, state, &BTreeMap::new(), copies).map(|()| None)
            }
            None => Ok(None),
        }
    }

    fn restore(&self, number: i64, copies: &dyn Copies) -> Result<Option<PathBuf>> {
        let (name, path) = (name(number), self.path(number));
        let copy = copies.text(number);
        let what = || "it has no copy".to_owned();
        let none = || Error::Journal { path: path.clone(), what: what() };
        let copy = copy.ok_or_else(none)?;
        let mut aside = None;

        if !matches!(self.folder.find(&name)?, Found::Nothing) {
            let other = crate::random::random_name(&format!("{name}.damaged-"));
            self.folder.rename_new(&name, &self.folder, &other)?;
            aside = Some(self.folder.path().join(other));
        }

        line::write_new(&self.folder, &name, &copy)?;
        Ok(aside)
    }
}

/// The outcome of a change, by the state that a later change found at one of its targets; with the number of the
/// later change.
fn shows(later: &Record, record: &Record) -> Option<(i64, RecordState)> {
    if later.game != record.game {
        return None;
    }
    let found = later.steps.iter().find_map(|after| {
        let step = record.steps.iter().find(|step| step.target() == after.target())?;
        let (found, is_done) = (after.before(), !step.before().same_as(step.after()));
        if is_done && found.same_as(step.after()) {
            Some(RecordState::Done)
        } else if found.same_as(step.before()) {
            Some(RecordState::PutBack)
        } else {
            None
        }
    });
    found.map(|state| (later.number, state))
}

/// Keeps a copy of a text that is whole.
fn keep(number: i64, mark: Mark, text: &str, copies: &dyn Copies) {
    if let Some(packed) = Record::packed(text) {
        copies.keep(number, &CopiedFile { mark, packed }, text);
    }
}

/// Parses the text of the change with a number.
fn parse(number: i64, text: &str) -> (Option<Record>, Vec<String>) {
    let (record, mut faults) = Record::parse(text);
    let own = record.filter(|record| record.number == number);
    if own.is_none() && faults.is_empty() {
        faults.push("it is about another change".to_owned());
    }
    (own, faults)
}

fn name(number: i64) -> String {
    format!("{number:08}{ENDING}")
}

fn number(name: &str) -> Option<i64> {
    let digits = name.strip_suffix(ENDING)?;
    let number: i64 = digits.parse().ok()?;
    (number > 0 && self::name(number) == name).then_some(number)
}
