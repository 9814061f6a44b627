//! Systems without a Windows registry: nothing can be read from it or set.

use upright_spanner_settings::registry::ValueName;

use crate::carrier::{Carrier, Restored};
use crate::error::{Error, Result};
use crate::path::Place;
use crate::step::{State, Step, Target};

pub(super) struct WindowsRegistry;

fn none<T>(target: &Target) -> Result<T> {
    Err(Error::NoRegistry { value: target.to_string() })
}

impl Carrier for WindowsRegistry {
    fn look(&self, target: &Target) -> Result<State> {
        none(target)
    }

    fn keep(&self, step: &Step) -> Result<()> {
        none(step.target())
    }

    fn stage(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }

    fn exchange(&self, step: &Step, _: Option<&Place>) -> Result<Option<State>> {
        none(step.target())
    }

    fn settle(&self, step: &Step, _: Option<&Place>) -> Result<()> {
        none(step.target())
    }

    fn restore(&self, step: &Step, _: Option<&Place>) -> Result<Restored> {
        none(step.target())
    }

    fn clear(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }
}

/// Other systems have no such values.
pub(super) fn values_below(_: &str, _: usize) -> Vec<ValueName> {
    Vec::new()
}
