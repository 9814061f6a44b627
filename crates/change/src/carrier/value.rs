//! A value of the registry of a prefix, in the file that holds it.

use upright_spanner_settings::registry::{PrefixRegistry, ValueName};

use crate::carrier::part::{LONGEST, Part};
use crate::error::{Error, Result};
use crate::path::Place;
use crate::step::{State, Target};
use crate::territory::Territory;

pub(super) struct PrefixValue;

fn value(target: &Target) -> Result<&ValueName, String> {
    match target {
        Target::Value(value) => Ok(&value.value),
        other => Err(format!("{other} is not a value of a registry")),
    }
}

fn text(bytes: &[u8]) -> Result<&str, String> {
    std::str::from_utf8(bytes).map_err(|_| "it is not the text of a registry".to_owned())
}

fn registry(text: &str) -> Result<PrefixRegistry<'_>, String> {
    let unknown = || "it is not a registry text of a supported kind".to_owned();
    PrefixRegistry::read(text).ok_or_else(unknown)
}

impl Part for PrefixValue {
    fn read(&self, target: &Target, bytes: &[u8]) -> Result<State, String> {
        let (value, registry) = (value(target)?, registry(text(bytes)?)?);
        Ok(match registry.get(value) {
            Some(found) => State::Value(found),
            None => State::Unset { around: registry.levels(value) },
        })
    }

    fn write(&self, target: &Target, bytes: &[u8], state: &State) -> Result<Vec<u8>, String> {
        let (value, registry) = (value(target)?, registry(text(bytes)?)?);
        let cannot = || format!("it cannot hold {value}");
        let written = match state {
            State::Value(new) => registry.set(value, new).ok_or_else(cannot)?,
            State::Unset { around } => registry.unset(value, *around),
            _ => registry.unset(value, 0),
        };
        Ok(written.into_bytes())
    }
}

/// The values below a key, at most so many.
pub(super) fn values_below(
    territory: &Territory,
    place: &Place,
    key: &str,
    most: usize,
) -> Result<Vec<ValueName>> {
    let bytes = territory.bytes(place, LONGEST)?;
    let fault = |what| Error::Settings { path: territory.path(place), what };
    let registry = text(&bytes).and_then(registry).map_err(fault)?;
    let keys = registry.keys_below(key);
    let values = keys.iter().flat_map(|key| {
        let names = registry.values(key).into_iter().map(|(name, _)| name);
        names.filter_map(|name| ValueName::new(key, &name).ok()).collect::<Vec<_>>()
    });
    Ok(values.take(most).collect())
}
