//! Settings of a family as the user's catalog describes them, and named sets of them.

use std::collections::BTreeMap;
use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use upright_spanner_image::{Requirement, Version};
use upright_spanner_settings::registry::{CURRENT_USER, ValueName, kind_of};
use upright_spanner_settings::{Format, KeyPath};

/// A setting that a catalog describes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Setting {
    /// Its name on the command line.
    pub name: String,
    /// Its name for people.
    pub title: Option<String>,
    /// Its effect.
    pub about: Option<String>,
    /// The people or things it affects, if not only this game.
    pub affects: Option<String>,
    /// Which versions of the family have it; all, if it is left out.
    pub builds: Option<Requirement>,
    /// Its allowed values.
    pub allowed: Allowed,
    /// Its location.
    pub place: SettingPlace,
}

/// The allowed values of a setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Allowed {
    /// One of several values, each with a label.
    Choice(Vec<Choice>),
    /// A number.
    Number {
        /// The least.
        least: Option<i64>,
        /// The most.
        most: Option<i64>,
    },
    /// Anything.
    Text,
}

/// One value of a setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Choice {
    /// As it is written.
    pub value: String,
    /// Its label for people.
    pub label: Option<String>,
}

impl Choice {
    /// Its label, or the value.
    pub fn name(&self) -> &str {
        self.label.as_deref().unwrap_or(&self.value)
    }
}

/// The tables of a game's start arguments and environment variables.
pub(crate) const ARGUMENTS: &str = "arguments";
pub(crate) const ENVIRONMENT: &str = "environment";

/// The location of a setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SettingPlace {
    /// A key of a settings file.
    Key {
        /// The file, with placeholders; a path without one is beside the component.
        file: String,
        /// How it is written.
        format: Format,
        /// The key.
        path: KeyPath,
    },
    /// A value of the registry.
    Value {
        /// Which.
        value: ValueName,
        /// Its type, as the system numbers it.
        kind: u32,
    },
    /// A start argument of the game.
    Argument(KeyPath),
    /// An environment variable of the game.
    Environment(KeyPath),
}

impl SettingPlace {
    /// Whether it is in a file of the game's own folder.
    pub(super) fn is_in_game(&self) -> bool {
        match self {
            Self::Value { .. } | Self::Argument(_) | Self::Environment(_) => false,
            Self::Key { file, .. } => {
                !["{documents}", "{local}", "{roaming}"].iter().any(|mark| file.starts_with(mark))
            }
        }
    }
}

/// A named set of settings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Preset {
    /// Its name on the command line.
    pub name: String,
    /// Its name for people.
    pub title: Option<String>,
    /// For which versions of the family it is; all, if it is left out.
    pub builds: Option<Requirement>,
    /// Its values, by the names of settings.
    pub settings: BTreeMap<String, String>,
}

impl Setting {
    /// Whether builds of a version have it.
    pub fn is_of(&self, version: Option<&Version>) -> bool {
        admits(self.builds.as_ref(), version)
    }
}

impl Preset {
    /// Whether it is for a version.
    pub fn is_of(&self, version: Option<&Version>) -> bool {
        admits(self.builds.as_ref(), version)
    }
}

impl Allowed {
    /// The written value that a text names, by its label or directly.
    pub fn value_of(&self, text: &str) -> Option<String> {
        match self {
            Self::Text => Some(text.to_owned()),
            Self::Choice(choices) => {
                let is_named = |choice: &&Choice| {
                    let label = choice.label.iter().map(String::as_str);
                    label.chain([&*choice.value]).any(|name| name.eq_ignore_ascii_case(text))
                };
                choices.iter().find(is_named).map(|choice| choice.value.clone())
            }
            Self::Number { least, most } => {
                let number: f64 = text.parse().ok().filter(|number: &f64| number.is_finite())?;
                let holds = least.is_none_or(|least| number >= least as f64)
                    && most.is_none_or(|most| number <= most as f64);
                holds.then(|| text.to_owned())
            }
        }
    }

    /// The labels of the values, if there are only a few.
    pub fn names(&self) -> Vec<String> {
        match self {
            Self::Choice(choices) => {
                choices.iter().map(|choice| choice.name().to_owned()).collect()
            }
            _ => Vec::new(),
        }
    }

    /// The label of a value.
    pub fn label_of(&self, value: &str) -> String {
        let choices = match self {
            Self::Choice(choices) => &choices[..],
            _ => &[],
        };
        let found = choices.iter().find(|choice| choice.value.eq_ignore_ascii_case(value));
        found.map_or(value, Choice::name).to_owned()
    }
}

/// The allowed values in words.
impl fmt::Display for Allowed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Text => f.write_str("any text"),
            Self::Choice(choices) => {
                let names: Vec<&str> = choices.iter().map(Choice::name).collect();
                f.write_str(&names.join(", "))
            }
            Self::Number { least: None, most: None } => f.write_str("a number"),
            Self::Number { least: Some(least), most: None } => write!(f, "{least} or more"),
            Self::Number { least: None, most: Some(most) } => write!(f, "up to {most}"),
            Self::Number { least: Some(least), most: Some(most) } => write!(f, "{least} to {most}"),
        }
    }
}

/// The kind of a setting, as it is written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum SettingKind {
    /// On or off.
    Switch,
    /// One of several values.
    Choice,
    /// A number.
    Number,
    /// Anything.
    #[default]
    Text,
}

/// A written value: alone, or with a label.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(untagged)]
enum ChoiceEntry {
    Value(Scalar),
    Labelled { value: Scalar, label: String },
}

/// A value of a setting: a text, a number, or true or false.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(untagged)]
enum Scalar {
    Text(String),
    Number(i64),
    Fraction(f64),
    Switch(bool),
}

impl fmt::Display for Scalar {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Text(text) => f.write_str(text),
            Self::Number(number) => number.fmt(f),
            Self::Fraction(number) => number.fmt(f),
            Self::Switch(on) => on.fmt(f),
        }
    }
}

/// A section as it is written: one name, or those from outside to inside.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(untagged)]
enum SectionEntry {
    One(String),
    Several(Vec<String>),
}

/// A setting as it is written.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
#[schemars(rename = "Setting")]
pub(super) struct SettingEntry {
    /// Its name on the command line.
    name: String,
    title: Option<String>,
    /// Its effect.
    about: Option<String>,
    /// The people or things it affects, if not only this game.
    affects: Option<String>,
    /// Which versions of the family have it.
    #[schemars(with = "Option<String>")]
    builds: Option<Requirement>,
    #[serde(default)]
    kind: SettingKind,
    /// The values of a `choice`.
    values: Option<Vec<ChoiceEntry>>,
    /// How a `switch` is written when it is on: `1`, if it is left out.
    on: Option<Scalar>,
    /// How a `switch` is written when it is off: `0`, if it is left out.
    off: Option<Scalar>,
    /// The least that a `number` can be.
    least: Option<i64>,
    /// The most that a `number` can be.
    most: Option<i64>,
    /// The settings file, with placeholders; a path without one is beside the component.
    file: Option<String>,
    /// `ini`, `toml`, `json` or `xml`; by the file's ending, if it is left out.
    format: Option<String>,
    /// The section of the key: one name, or those from outside to inside.
    section: Option<SectionEntry>,
    /// The key in the file.
    key: Option<String>,
    /// The key of the registry, as in `HKEY_CURRENT_USER\Software\Maker`.
    registry: Option<String>,
    /// The value in it; the key's own, if it is left out.
    value: Option<String>,
    /// `text`, `expandable`, `binary`, `dword`, `texts`, `qword`, or a number from 0 to 11.
    #[serde(rename = "type")]
    value_type: Option<String>,
    /// A start argument; `{value}` in it is replaced by the value.
    argument: Option<String>,
    /// A variable of the environment that the game is started in.
    environment: Option<String>,
}

/// A preset as it is written.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
#[schemars(rename = "Preset")]
pub(super) struct PresetEntry {
    /// Its name on the command line.
    name: String,
    title: Option<String>,
    /// For which versions of the family it is.
    #[schemars(with = "Option<String>")]
    builds: Option<Requirement>,
    /// Values by the names of settings.
    settings: BTreeMap<String, Scalar>,
}

impl SettingEntry {
    /// The setting that is described.
    ///
    /// # Errors
    /// The reason why the description is invalid.
    pub fn into_setting(self) -> Result<Setting, String> {
        let name = self.name.clone();
        let of = |what: String| format!("setting `{name}`: {what}");
        if self.name.trim().is_empty() || self.name.contains(['=', '\n']) {
            return Err(of("a name is neither empty nor has `=` in it".to_owned()));
        }
        let allowed = self.allowed().map_err(&of)?;
        let place = self.place().map_err(&of)?;
        let Self { name, title, about, affects, builds, .. } = self;
        Ok(Setting { name, title, about, affects, builds, allowed, place })
    }

    fn allowed(&self) -> Result<Allowed, String> {
        let written = |scalar: &Option<Scalar>, usual: &str| {
            scalar.as_ref().map_or_else(|| usual.to_owned(), ToString::to_string)
        };
        let labelled = |value: String, label: &str| Choice { value, label: Some(label.to_owned()) };
        match self.kind {
            SettingKind::Text => Ok(Allowed::Text),
            SettingKind::Number => Ok(Allowed::Number { least: self.least, most: self.most }),
            SettingKind::Switch => Ok(Allowed::Choice(vec![
                labelled(written(&self.on, "1"), "on"),
                labelled(written(&self.off, "0"), "off"),
            ])),
            SettingKind::Choice => {
                let values = self.values.iter().flatten().map(|choice| match choice {
                    ChoiceEntry::Value(value) => Choice { value: value.to_string(), label: None },
                    ChoiceEntry::Labelled { value, label } => labelled(value.to_string(), label),
                });
                let values: Vec<Choice> = values.collect();
                if values.is_empty() {
                    return Err("a choice needs `values`".to_owned());
                }
                Ok(Allowed::Choice(values))
            }
        }
    }

    fn place(&self) -> Result<SettingPlace, String> {
        let started = |table: &str, name: &str| {
            KeyPath::new([table, name]).ok_or_else(|| format!("`{name}` is not one line"))
        };
        match (&self.file, &self.registry, &self.argument, &self.environment) {
            (Some(file), None, None, None) => self.key_in(file),
            (None, Some(registry), None, None) => self.value_in(registry),
            (None, None, Some(name), None) => started(ARGUMENTS, name).map(SettingPlace::Argument),
            (None, None, None, Some(name)) => {
                started(ENVIRONMENT, name).map(SettingPlace::Environment)
            }
            _ => Err("expected one of `file` with `key`, `registry`, `argument`, `environment`"
                .to_owned()),
        }
    }

    fn key_in(&self, file: &str) -> Result<SettingPlace, String> {
        let format = match &self.format {
            None => Format::of_file(file),
            Some(name) => Format::from_name(name).ok_or_else(|| {
                format!("`{name}` is not a format: expected ini, toml, json or xml")
            })?,
        };
        let key = self.key.clone().ok_or("a setting in a file needs its `key`")?;
        let section = match &self.section {
            None => Vec::new(),
            Some(SectionEntry::One(name)) => vec![name.clone()],
            Some(SectionEntry::Several(names)) => names.clone(),
        };
        let path = KeyPath::new(section.into_iter().chain([key]));
        let path = path.ok_or("a key and a section have names of one line")?;
        Ok(SettingPlace::Key { file: file.replace('\\', "/"), format, path })
    }

    fn value_in(&self, registry: &str) -> Result<SettingPlace, String> {
        let below =
            registry.split_once('\\').filter(|(root, _)| root.eq_ignore_ascii_case(CURRENT_USER));
        let (_, key) = below.ok_or_else(|| {
            format!("`{registry}` is not below {CURRENT_USER}, and nothing else can be set")
        })?;
        let word = self.value_type.as_deref().unwrap_or("text");
        let kind = kind_of(word).ok_or_else(|| format!("`{word}` is not a type of values"))?;
        let value = ValueName::new(key, self.value.as_deref().unwrap_or_default())?;
        Ok(SettingPlace::Value { value, kind })
    }
}

impl PresetEntry {
    /// The preset that is described, of a family with these settings.
    ///
    /// # Errors
    /// The reason why the description is invalid.
    pub fn into_preset(self) -> Result<Preset, String> {
        let Self { name, title, builds, settings } = self;
        if settings.is_empty() {
            return Err(format!("preset `{name}` sets nothing"));
        }
        let settings = settings.into_iter().map(|(name, value)| (name, value.to_string()));
        Ok(Preset { name, title, builds, settings: settings.collect() })
    }
}

/// Whether a version is among those that something is about: all, if it says none.
pub(super) fn admits(versions: Option<&Requirement>, version: Option<&Version>) -> bool {
    versions.is_none_or(|versions| version.is_some_and(|version| versions.includes(version)))
}
