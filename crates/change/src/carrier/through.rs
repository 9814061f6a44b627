//! A value of the registry of a prefix whose programs run: they hold the registry in their memory, so that it is
//! read and written through the program that starts Windows programs there.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use upright_spanner_settings::registry::{
    CURRENT_USER, PrefixRegistry, RegFile, RegItem, RegLine, ValueName, folded,
};

use crate::carrier::{Carrier, Restored, place};
use crate::error::{Error, Result};
use crate::fault::point;
use crate::path::Place;
use crate::random::random_name;
use crate::step::{State, Step, Target};
use crate::territory::Territory;

/// The drive `C:` of a prefix, through which values are passed in a file.
const DRIVE: &str = "drive_c";

/// How names of such files begin.
const PASSING: &str = "spanner-";

pub(super) struct Through<'a> {
    pub territory: &'a Territory,
    /// The program with its first arguments.
    pub command: &'a [String],
}

fn value(target: &Target) -> Result<&ValueName> {
    match target {
        Target::Value(value) => Ok(&value.value),
        other => Err(Error::NoRegistry { value: other.to_string() }),
    }
}

fn in_registry(value: &ValueName) -> String {
    format!(r"{CURRENT_USER}\{}", value.key)
}

/// A file that is passed to the program, and removed afterwards.
struct Passed {
    path: PathBuf,
    name: String,
}

impl Drop for Passed {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.path);
    }
}

impl Through<'_> {
    /// The folder of the prefix, which holds its registry.
    fn prefix(&self, target: &Target) -> Result<PathBuf> {
        let path = self.territory.path(place(target)?);
        Ok(path.parent().unwrap_or(Path::new("")).to_owned())
    }

    fn pass(&self, target: &Target) -> Result<Passed> {
        let name = format!("{}.reg", random_name(PASSING));
        let path = self.prefix(target)?.join(DRIVE).join(&name);
        Ok(Passed { path, name: format!(r"C:\{name}") })
    }

    /// Runs the system's own program for the registry with some arguments.
    fn run(&self, target: &Target, arguments: &[&str]) -> Result<()> {
        let (program, first) = self
            .command
            .split_first()
            .ok_or_else(|| Error::NoRegistry { value: target.to_string() })?;
        let path = Path::new(program);
        point("run", path)?;
        let status = Command::new(program)
            .args(first)
            .arg("regedit")
            .args(arguments)
            .env("WINEPREFIX", self.prefix(target)?)
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .status()
            .map_err(Error::io("run", path))?;
        if status.success() {
            return Ok(());
        }
        let failed = std::io::Error::other(format!("it ended with {status}"));
        Err(Error::io("run", path)(failed))
    }

    /// The values of the registry below a key.
    fn export(&self, target: &Target, key: &str) -> Result<Vec<RegLine>> {
        let passed = self.pass(target)?;
        self.run(target, &["/E", &passed.name, key])?;
        // Of a key that is not there nothing is written.
        let bytes = std::fs::read(&passed.path).unwrap_or_default();
        Ok(RegFile::read(&bytes).unwrap_or_default().lines)
    }

    fn import(&self, target: &Target, lines: &[RegLine]) -> Result<()> {
        let passed = self.pass(target)?;
        std::fs::write(&passed.path, RegFile::write(lines))
            .map_err(Error::io("write", &passed.path))?;
        self.run(target, &["/S", &passed.name])
    }

    /// How many levels of a key are there, as far as the file of the registry says: the programs write it now
    /// and then.
    fn levels(&self, target: &Target) -> Result<usize> {
        let bytes = self.territory.bytes(place(target)?, super::part::LONGEST)?;
        let text = String::from_utf8_lossy(&bytes);
        let value = value(target)?;
        Ok(PrefixRegistry::read(&text).map_or(0, |registry| registry.levels(value)))
    }

    fn put(&self, target: &Target, state: &State) -> Result<()> {
        let value = value(target)?;
        let line = |item| RegLine { number: 0, key: in_registry(value), item };
        match state {
            State::Value(new) => {
                self.import(target, &[line(RegItem::Set(value.name.clone(), new.clone()))])
            }
            other => {
                let around = if let State::Unset { around } = other { *around } else { 0 };
                self.import(target, &[line(RegItem::Delete(value.name.clone()))])?;
                self.remove_empty(target, value, around)
            }
        }
    }

    /// Removes the keys of a value that are empty, but for so many levels that stay.
    fn remove_empty(&self, target: &Target, value: &ValueName, around: usize) -> Result<()> {
        let all: Vec<&str> = value.levels().collect();
        for depth in (around.saturating_add(1)..=all.len()).rev() {
            let key = format!(r"{CURRENT_USER}\{}", all[..depth].join(r"\"));
            let lines = self.export(target, &key)?;
            let is_empty = lines
                .iter()
                .all(|line| line.item == RegItem::MakeKey && folded(&line.key) == folded(&key));
            if !is_empty {
                break;
            }
            let gone = RegLine { number: 0, key, item: RegItem::DeleteKey };
            self.import(target, &[gone])?;
        }
        Ok(())
    }

    fn expect(&self, step: &Step, state: &State) -> Result<()> {
        if self.look(step.target())?.same_as(state) {
            Ok(())
        } else {
            Err(Error::NotAsExpected { path: step.target().to_string().into() })
        }
    }
}

impl Carrier for Through<'_> {
    fn look(&self, target: &Target) -> Result<State> {
        let value = value(target)?;
        let lines = self.export(target, &in_registry(value))?;
        let found = lines.into_iter().rev().find_map(|line| match line.item {
            RegItem::Set(name, found)
                if folded(&line.key) == folded(&in_registry(value))
                    && folded(&name) == folded(&value.name) =>
            {
                Some(found)
            }
            _ => None,
        });
        match found {
            Some(found) => Ok(State::Value(found)),
            None => Ok(State::Unset { around: self.levels(target)? }),
        }
    }

    fn keep(&self, step: &Step) -> Result<()> {
        self.expect(step, &step.before().state)
    }

    fn stage(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }

    fn exchange(&self, step: &Step, _: Option<&Place>) -> Result<Option<State>> {
        self.expect(step, &step.before().state)?;
        self.put(step.target(), &step.after().state).map(|()| None)
    }

    fn settle(&self, step: &Step, _: Option<&Place>) -> Result<()> {
        self.expect(step, &step.after().state)
    }

    fn restore(&self, step: &Step, _: Option<&Place>) -> Result<Restored> {
        let now = self.look(step.target())?;
        let before = &step.before().state;
        if now.same_as(&step.after().state) && !now.same_as(before) {
            self.put(step.target(), before)?;
        }
        self.look(step.target()).map(Restored::Holds)
    }

    fn clear(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }
}
