//! A value of the registry of Windows: the user's own part of it.

use std::io::ErrorKind;
use std::path::Path;

use upright_spanner_settings::registry::{CURRENT_USER, Value, ValueName};
use winreg::enums::{HKEY_CURRENT_USER, KEY_ALL_ACCESS, KEY_READ, RegType};
use winreg::{RegKey, RegValue};

use crate::carrier::{Carrier, Restored};
use crate::error::{Error, Result};
use crate::fault::point;
use crate::path::Place;
use crate::step::{State, Step, Target};

pub(super) struct WindowsRegistry;

/// The types in the order of their numbers.
const TYPES: [RegType; 12] = [
    RegType::REG_NONE,
    RegType::REG_SZ,
    RegType::REG_EXPAND_SZ,
    RegType::REG_BINARY,
    RegType::REG_DWORD,
    RegType::REG_DWORD_BIG_ENDIAN,
    RegType::REG_LINK,
    RegType::REG_MULTI_SZ,
    RegType::REG_RESOURCE_LIST,
    RegType::REG_FULL_RESOURCE_DESCRIPTOR,
    RegType::REG_RESOURCE_REQUIREMENTS_LIST,
    RegType::REG_QWORD,
];

fn value(target: &Target) -> Result<&ValueName> {
    match target {
        Target::Value(value) => Ok(&value.value),
        other => Err(Error::NoRegistry { value: other.to_string() }),
    }
}

fn user() -> RegKey {
    RegKey::predef(HKEY_CURRENT_USER)
}

/// The value as messages name it.
fn named(value: &ValueName) -> String {
    format!(r"{CURRENT_USER}\{}\{}", value.key, value.name)
}

fn failed(doing: &'static str, value: &ValueName) -> impl FnOnce(std::io::Error) -> Error {
    let named = named(value);
    move |error| Error::io(doing, Path::new(&named))(error)
}

/// How many levels of a key are there.
fn levels(value: &ValueName) -> usize {
    let mut key = String::new();
    let is_there = |level: &&str| {
        let name = if key.is_empty() { (*level).to_owned() } else { format!(r"{key}\{level}") };
        key = name;
        user().open_subkey_with_flags(&key, KEY_READ).is_ok()
    };
    value.levels().take_while(is_there).count()
}

fn read(value: &ValueName) -> Result<State> {
    let found = user()
        .open_subkey_with_flags(&value.key, KEY_READ)
        .and_then(|key| key.get_raw_value(&value.name));
    match found {
        Ok(RegValue { bytes, vtype }) => {
            Ok(State::Value(Value { kind: vtype as u32, data: bytes.into_owned() }))
        }
        Err(error) if error.kind() == ErrorKind::NotFound => {
            Ok(State::Unset { around: levels(value) })
        }
        Err(error) => Err(failed("read", value)(error)),
    }
}

fn write(value: &ValueName, new: &Value) -> Result<()> {
    point("set", Path::new(&named(value)))?;
    let unknown = || failed("set", value)(ErrorKind::InvalidInput.into());
    let vtype = TYPES.get(new.kind as usize).cloned().ok_or_else(unknown)?;
    let new = RegValue { bytes: (&new.data[..]).into(), vtype };
    let written =
        user().create_subkey(&value.key).and_then(|(key, _)| key.set_raw_value(&value.name, &new));
    written.map_err(failed("set", value))
}

/// Removes a value, and the keys that are empty then, but for so many levels that stay.
fn remove(value: &ValueName, around: usize) -> Result<()> {
    point("remove", Path::new(&named(value)))?;
    match user().open_subkey_with_flags(&value.key, KEY_ALL_ACCESS) {
        Ok(key) => match key.delete_value(&value.name) {
            Err(error) if error.kind() != ErrorKind::NotFound => {
                return Err(failed("remove", value)(error));
            }
            _ => {}
        },
        Err(error) if error.kind() == ErrorKind::NotFound => {}
        Err(error) => return Err(failed("remove", value)(error)),
    }

    let all: Vec<&str> = value.levels().collect();
    for depth in (around + 1..=all.len()).rev() {
        let key = all[..depth].join(r"\");
        let Ok(open) = user().open_subkey_with_flags(&key, KEY_READ) else { continue };
        let info = open.query_info().map_err(failed("read", value))?;
        if info.sub_keys > 0 || info.values > 0 {
            break;
        }
        drop(open);
        point("remove", Path::new(&key))?;
        user().delete_subkey(&key).map_err(failed("remove the key of", value))?;
    }
    Ok(())
}

fn put(value: &ValueName, state: &State) -> Result<()> {
    match state {
        State::Value(new) => write(value, new),
        State::Unset { around } => remove(value, *around),
        _ => remove(value, 0),
    }
}

fn expect(step: &Step, state: &State) -> Result<()> {
    let value = value(step.target())?;
    if read(value)?.same_as(state) {
        Ok(())
    } else {
        Err(Error::NotAsExpected { path: named(value).into() })
    }
}

impl Carrier for WindowsRegistry {
    fn look(&self, target: &Target) -> Result<State> {
        read(value(target)?)
    }

    fn keep(&self, step: &Step) -> Result<()> {
        expect(step, &step.before().state)
    }

    fn stage(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }

    fn exchange(&self, step: &Step, _: Option<&Place>) -> Result<Option<State>> {
        expect(step, &step.before().state)?;
        put(value(step.target())?, &step.after().state).map(|()| None)
    }

    fn settle(&self, step: &Step, _: Option<&Place>) -> Result<()> {
        expect(step, &step.after().state)
    }

    fn restore(&self, step: &Step, _: Option<&Place>) -> Result<Restored> {
        let value = value(step.target())?;
        let (before, now) = (&step.before().state, read(value)?);
        let ours = now.same_as(&step.after().state);
        // A key that was made for a value may be there without it.
        if ours && !now.same_as(before) || before.is_absent() && now.is_absent() {
            put(value, before)?;
        }
        read(value).map(Restored::Holds)
    }

    fn clear(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }
}

/// The values below a key, at most so many.
pub(super) fn values_below(key: &str, most: usize) -> Vec<ValueName> {
    let mut keys = vec![key.to_owned()];
    let mut found = Vec::new();
    while let Some(key) = keys.pop() {
        let Ok(open) = user().open_subkey_with_flags(&key, KEY_READ) else { continue };
        let names = open.enum_values().flatten().map(|(name, _)| name);
        found.extend(names.filter_map(|name| ValueName::new(&key, &name).ok()));
        if found.len() >= most {
            break;
        }
        keys.extend(open.enum_keys().flatten().map(|name| format!(r"{key}\{name}")));
    }
    found.truncate(most);
    found
}
