//! Catalog files: families as the user describes them, in TOML. The format is documented in
//! `docs/formats.md`.

use std::path::{Path, PathBuf};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use toml::Spanned;

use super::Role;
use super::log::{Log, LogEntry};
use super::pattern::Pattern;
use super::setting::{Preset, PresetEntry, Setting, SettingEntry, admits};
use crate::error::{CatalogError, line_at};
use crate::path::fold;
use upright_spanner_image::{Facts, Requirement, Version};

/// The version of the format that this program writes and reads.
pub const SCHEMA: u32 = 1;

/// A family as a catalog describes it.
#[derive(Debug, Clone)]
pub struct Family {
    /// Its id, as used in the names of builds.
    pub id: String,
    /// Its role in a game.
    pub role: Option<Role>,
    /// The name of a group of related families.
    pub group: Option<String>,
    /// Its name for people.
    pub title: Option<String>,
    /// The catalog file that describes it.
    pub from: PathBuf,
    /// Which versions of the game its builds support.
    pub supports: Vec<Supports>,
    /// What its builds need of other families.
    pub requires: Vec<Relation>,
    /// What its builds do not work together with.
    pub conflicts: Vec<Relation>,
    /// Which store editions of a game its builds are for.
    pub editions: Vec<Editions>,
    /// What ranges of its versions are called.
    pub generations: Vec<Generation>,
    /// Its settings.
    pub settings: Vec<Setting>,
    /// Named sets of settings.
    pub presets: Vec<Preset>,
    /// Its logs.
    pub logs: Vec<Log>,
    pub(super) names: Vec<Pattern>,
    identity: Vec<(Field, Pattern)>,
    /// The patterns as written, for display: the field, and the pattern.
    pub criteria: Vec<(&'static str, String)>,
}

/// Which versions of the game some builds of a family support.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Supports {
    /// The versions of the builds.
    #[schemars(with = "String")]
    pub builds: Requirement,
    /// The versions of the game.
    #[schemars(with = "String")]
    pub game: Requirement,
}

/// What some builds of a family have to do with builds of another.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Relation {
    /// The versions of the builds; all, if it is left out.
    #[schemars(with = "Option<String>")]
    pub builds: Option<Requirement>,
    /// The other family.
    pub family: String,
    /// The versions of the other family; all, if it is left out.
    #[schemars(with = "Option<String>")]
    pub versions: Option<Requirement>,
    /// The reason, in the catalog's words.
    pub why: Option<String>,
}

impl Relation {
    /// Whether it speaks of a build of this version.
    pub fn is_about(&self, build: Option<&Version>) -> bool {
        admits(self.builds.as_ref(), build)
    }

    /// Whether a version of the other family is among those that it names.
    pub fn names(&self, other: Option<&Version>) -> bool {
        admits(self.versions.as_ref(), other)
    }

    /// The other family with the versions, as in `lampwright >=2.2`.
    pub fn other(&self) -> String {
        match &self.versions {
            Some(versions) => format!("{} {versions}", self.family),
            None => self.family.clone(),
        }
    }
}

/// Which store editions of a game some builds of a family are for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Editions {
    /// The versions of the builds; all, if it is left out.
    #[schemars(with = "Option<String>")]
    pub builds: Option<Requirement>,
    /// The editions, in the user's words.
    pub editions: Vec<String>,
}

/// The label of a range of a family's versions.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Generation {
    /// The versions.
    #[schemars(with = "String")]
    pub versions: Requirement,
    /// The name, as in `the transformer generation`.
    pub label: String,
}

/// A statement of an image about itself that a catalog can compare.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Field {
    Company,
    Product,
    Description,
    OriginalName,
    InternalName,
    LinkedName,
    Signer,
}

impl Field {
    const ALL: [Self; 7] = [
        Self::Company,
        Self::Product,
        Self::Description,
        Self::OriginalName,
        Self::InternalName,
        Self::LinkedName,
        Self::Signer,
    ];

    fn of(self, facts: &Facts) -> Option<&str> {
        match self {
            Self::Company => facts.string("CompanyName"),
            Self::Product => facts.string("ProductName"),
            Self::Description => facts.string("FileDescription"),
            Self::OriginalName => facts.string("OriginalFilename"),
            Self::InternalName => facts.string("InternalName"),
            Self::LinkedName => facts.export_name.as_deref(),
            Self::Signer => facts.signer.as_deref(),
        }
    }
}

/// The name and the stated texts of a file, as patterns match them.
#[derive(Debug)]
pub struct Stated {
    pub(super) name: String,
    fields: [Option<String>; Field::ALL.len()],
}

impl Stated {
    /// What an image of this name states.
    pub fn of(facts: &Facts, file_name: &str) -> Self {
        Self { name: fold(file_name), fields: Field::ALL.map(|field| field.of(facts).map(fold)) }
    }
}

/// The file as it is written.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(rename = "Catalog")]
struct File {
    /// The version of the format: 1.
    #[schemars(with = "u32")]
    schema: Spanned<u32>,
    #[serde(default)]
    #[schemars(with = "Vec<FamilyEntry>")]
    family: Vec<Spanned<FamilyEntry>>,
}

/// One family as it is written.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
#[schemars(rename = "Family")]
pub(super) struct FamilyEntry {
    /// As used in the names of builds.
    pub id: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub role: Option<Role>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub names: Vec<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub company: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub product: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub description: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub original_name: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub internal_name: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub linked_name: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub signer: Option<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub supports: Vec<Supports>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub requires: Vec<Relation>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub conflicts: Vec<Relation>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub editions: Vec<Editions>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub generations: Vec<Generation>,
    #[serde(default, skip_serializing)]
    #[schemars(with = "Vec<SettingEntry>")]
    pub setting: Vec<Spanned<SettingEntry>>,
    #[serde(default, skip_serializing)]
    #[schemars(with = "Vec<PresetEntry>")]
    pub preset: Vec<Spanned<PresetEntry>>,
    #[serde(default, skip_serializing)]
    #[schemars(with = "Vec<LogEntry>")]
    pub log: Vec<Spanned<LogEntry>>,
}

/// How a family is recognised: as much as a feed sends of each of its families.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Recognition(FamilyEntry);

impl Recognition {
    /// How the families of a catalog file's text are recognised, in their order.
    ///
    /// # Errors
    /// If it is not a catalog.
    pub fn of_catalog(path: &Path, text: &str) -> Result<Vec<Self>, CatalogError> {
        parse(path, text)?;
        let file: File =
            toml::from_str(text).map_err(|error| CatalogError::of_toml(path, text, &error))?;
        let known = file.family.into_iter().map(|entry| {
            Self(FamilyEntry {
                supports: Vec::new(),
                requires: Vec::new(),
                conflicts: Vec::new(),
                editions: Vec::new(),
                generations: Vec::new(),
                setting: Vec::new(),
                preset: Vec::new(),
                log: Vec::new(),
                ..entry.into_inner()
            })
        });
        Ok(known.collect())
    }

    /// The id of the family.
    pub fn id(&self) -> &str {
        &self.0.id
    }

    /// The family, as far as it is described.
    ///
    /// # Errors
    /// The reason why the description is invalid.
    pub fn family(self, from: &Path) -> Result<Family, String> {
        Family::new(self.0, from).map_err(|(_, what)| what)
    }
}

/// Copies the others if there are none.
fn fill<T: Clone>(own: &mut Vec<T>, theirs: &[T]) {
    if own.is_empty() {
        own.extend_from_slice(theirs);
    }
}

/// The longest catalog that is read: one of 10,000 families has one to two MB. To read one takes up to eighty
/// times its length in memory.
pub(crate) const LONGEST_CATALOG: u64 = 3 << 20;

/// The JSON Schema of a catalog file (draft 2020-12).
pub fn schema() -> schemars::Schema {
    let settings = schemars::generate::SchemaSettings::draft2020_12().for_deserialize();
    settings.into_generator().into_root_schema_for::<File>()
}

/// Reads the families of a catalog file's text; `path` is for errors.
///
/// # Errors
/// If it is not a catalog; the error names the line.
pub fn parse(path: &Path, text: &str) -> Result<Vec<Family>, CatalogError> {
    let wrong = |at: usize, what: String| CatalogError {
        path: path.to_owned(),
        line: line_at(text, at),
        what,
    };
    let file: File =
        toml::from_str(text).map_err(|error| CatalogError::of_toml(path, text, &error))?;
    if *file.schema.get_ref() != SCHEMA {
        let what = format!("schema {} is not known: expected {SCHEMA}", file.schema.get_ref());
        return Err(wrong(file.schema.span().start, what));
    }

    let families = file.family.into_iter().map(|entry| {
        let at = entry.span().start;
        Family::new(entry.into_inner(), path)
            .map_err(|(inside, what)| wrong(inside.unwrap_or(at), what))
    });
    families.collect()
}

impl Family {
    /// The described family. An error has the reason, and the position if it is not the family itself.
    fn new(mut entry: FamilyEntry, path: &Path) -> Result<Self, (Option<usize>, String)> {
        let (mut settings, mut presets) = (Vec::new(), Vec::new());
        for setting in std::mem::take(&mut entry.setting) {
            let at = setting.span().start;
            settings.push(setting.into_inner().into_setting().map_err(|what| (Some(at), what))?);
        }
        for preset in std::mem::take(&mut entry.preset) {
            let at = preset.span().start;
            presets.push(preset.into_inner().into_preset().map_err(|what| (Some(at), what))?);
        }
        let mut logs = Vec::new();
        for log in std::mem::take(&mut entry.log) {
            let at = log.span().start;
            logs.push(log.into_inner().into_log().map_err(|what| (Some(at), what))?);
        }
        let family = Self::described(entry, path).map_err(|what| (None, what))?;
        Ok(Self { settings, presets, logs, ..family })
    }

    fn described(entry: FamilyEntry, path: &Path) -> Result<Self, String> {
        if super::identity::slug(&entry.id) != entry.id || entry.id.is_empty() {
            return Err(format!(
                "`{}` is not a valid id; use lower-case letters, digits and `-`, as in `{}`",
                entry.id,
                super::identity::slug(&entry.id)
            ));
        }

        let mut criteria: Vec<(&'static str, String)> =
            entry.names.iter().map(|name| ("name", name.clone())).collect();
        let names =
            entry.names.iter().map(|name| Pattern::new(name)).collect::<Result<Vec<_>, _>>()?;
        let mut identity = Vec::new();

        for (field, word, pattern) in [
            (Field::Company, "company", entry.company),
            (Field::Product, "product", entry.product),
            (Field::Description, "description", entry.description),
            (Field::OriginalName, "original-name", entry.original_name),
            (Field::InternalName, "internal-name", entry.internal_name),
            (Field::LinkedName, "linked-name", entry.linked_name),
            (Field::Signer, "signer", entry.signer),
        ] {
            if let Some(pattern) = pattern {
                identity.push((field, Pattern::new(&pattern)?));
                criteria.push((word, pattern));
            }
        }

        if criteria.is_empty() {
            return Err(format!(
                "family `{}` can match nothing: expected `names`, or one of `company`, `product`, \
                 `description`, `original-name`, `internal-name`, `linked-name`, `signer`",
                entry.id
            ));
        }

        let FamilyEntry { supports, requires, conflicts, editions, generations, .. } = entry;
        Ok(Self {
            id: entry.id,
            role: entry.role,
            group: entry.group,
            title: entry.title,
            from: path.to_owned(),
            supports,
            requires,
            conflicts,
            editions,
            generations,
            settings: Vec::new(),
            presets: Vec::new(),
            logs: Vec::new(),
            names,
            identity,
            criteria,
        })
    }

    /// Takes over from another description of it what this one says nothing of.
    pub(super) fn complete(&mut self, other: &Self) {
        self.role = self.role.or(other.role);
        let texts = [(&mut self.group, &other.group), (&mut self.title, &other.title)];
        for (own, theirs) in texts.into_iter().filter(|(own, _)| own.is_none()) {
            own.clone_from(theirs);
        }
        fill(&mut self.supports, &other.supports);
        fill(&mut self.requires, &other.requires);
        fill(&mut self.conflicts, &other.conflicts);
        fill(&mut self.editions, &other.editions);
        fill(&mut self.generations, &other.generations);
        fill(&mut self.settings, &other.settings);
        fill(&mut self.presets, &other.presets);
        fill(&mut self.logs, &other.logs);
    }

    /// The versions of the game that a build supports, if the catalog says so.
    pub fn supported(&self, build: &Version) -> Option<&Requirement> {
        self.supports.iter().find(|row| row.builds.includes(build)).map(|row| &row.game)
    }

    /// The store editions that a build is for, if the catalog says so.
    pub fn editions_of(&self, build: Option<&Version>) -> Option<&[String]> {
        let row = self.editions.iter().find(|row| admits(row.builds.as_ref(), build))?;
        Some(&row.editions)
    }

    /// The label of the generation of a version.
    pub fn generation(&self, version: &Version) -> Option<&str> {
        let row = self.generations.iter().find(|row| row.versions.includes(version))?;
        Some(&row.label)
    }

    /// Whether a file belongs to this family: it has one of the names, if there are any, and states every required
    /// text.
    pub fn matches(&self, stated: &Stated) -> bool {
        let is_named = |name: &Pattern| name.is_match_folded(&stated.name);
        let named = self.names.is_empty() || self.names.iter().any(is_named);
        named
            && self.identity.iter().all(|(field, pattern)| {
                let value = stated.fields[*field as usize].as_ref();
                value.is_some_and(|value| pattern.is_match_folded(value))
            })
    }
}
