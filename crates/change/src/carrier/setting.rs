//! A key of a settings file, whatever else is in the file.

use upright_spanner_settings::Lookup;
use upright_spanner_settings::document::{get, set, unset};

use crate::carrier::part::Part;
use crate::error::Result;
use crate::step::{SettingKey, State, Target};

pub(super) struct Setting;

fn key(target: &Target) -> Result<&SettingKey, String> {
    match target {
        Target::Setting(key) => Ok(key),
        other => Err(format!("{other} is not a key of settings")),
    }
}

impl Part for Setting {
    fn read(&self, target: &Target, bytes: &[u8]) -> Result<State, String> {
        let key = key(target)?;
        match get(key.format, bytes, &key.path).map_err(|fault| fault.to_string())? {
            Lookup::Value(value) => Ok(State::Setting(value)),
            Lookup::Absent { around } => Ok(State::Unset { around }),
        }
    }

    fn write(&self, target: &Target, bytes: &[u8], state: &State) -> Result<Vec<u8>, String> {
        let key = key(target)?;
        let written = match state {
            State::Setting(value) => set(key.format, bytes, &key.path, value),
            State::Unset { around } => unset(key.format, bytes, &key.path, *around),
            _ => unset(key.format, bytes, &key.path, 0),
        };
        written.map_err(|fault| fault.to_string())
    }
}
