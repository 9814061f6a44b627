//! Layouts as TOML, for people to edit, and to be remembered for the next version of a family. The
//! format is documented in `docs/formats.md`.

use std::path::Path;

use serde::{Deserialize, Serialize};

use super::build::Build;
use super::layout::{Placement, Policy, short};
use crate::catalog::slug;
use crate::error::CatalogError;
use crate::path::{TreePath, extension, fold, same_name, stem};
use upright_spanner_image::Version;

/// The version of the format that this program writes and reads.
const SCHEMA: u32 = 1;

/// A layout as people write it. Paths are relative to the folder that the library lies in, so that
/// one layout serves every variant and every version.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LayoutFile {
    schema: u32,
    /// The family that it is for.
    pub family: String,
    #[serde(default)]
    retires: Vec<TreePath>,
    /// Files that have no place. Known only of a layout that was in use.
    #[serde(default)]
    leave: Vec<TreePath>,
    #[serde(default)]
    file: Vec<Rule>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Rule {
    from: TreePath,
    bay: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    to: Option<TreePath>,
    policy: Policy,
}

impl LayoutFile {
    /// Reads a layout's text; `path` is for errors.
    ///
    /// # Errors
    /// Where it is not a layout; the error names the line.
    pub fn parse(path: &Path, text: &str) -> Result<Self, CatalogError> {
        let wrong = |at: usize, what: String| CatalogError {
            path: path.to_owned(),
            line: text[..at.min(text.len())].matches('\n').count() + 1,
            what,
        };
        let file: Self = toml::from_str(text).map_err(|error| {
            wrong(error.span().map_or(0, |span| span.start), error.message().to_owned())
        })?;
        if file.schema != SCHEMA {
            return Err(wrong(
                0,
                format!("schema {} is not known: expected {SCHEMA}", file.schema),
            ));
        }

        let no_bay = |rule: &&Rule| rule.bay.is_empty() || slug(&rule.bay) != rule.bay;
        if let Some(rule) = file.file.iter().find(no_bay) {
            let at = text.find(&format!("\"{}\"", rule.bay)).unwrap_or(0);
            let what =
                format!("`{}` is not a bay: expected `exe`, `root` or one of yours", rule.bay);
            return Err(wrong(at, what));
        }

        Ok(file)
    }

    /// The layout of a build.
    pub fn of(build: &Build) -> Self {
        Self {
            schema: SCHEMA,
            family: build.id.family.clone(),
            retires: build.layout.retires.clone(),
            leave: build.left.iter().map(|path| build.short(path)).collect(),
            file: build.layout.places.iter().map(|place| Rule::of(place, build)).collect(),
        }
    }

    /// The text that [`LayoutFile::parse`] reads.
    pub fn to_text(&self) -> String {
        // Nothing in it is a map whose keys are not texts: this cannot fail.
        toml::to_string(self).unwrap_or_default()
    }

    /// The layout for the files of a build whose library is at `library`. `None` for a file that it
    /// does not know; what has no place by it gets an empty list.
    pub(super) fn places(&self, library: &TreePath, file: &TreePath) -> Option<Vec<Placement>> {
        let short = short(library, file);
        let rules = |same: &dyn Fn(&TreePath, &TreePath) -> bool| {
            let rules: Vec<&Rule> =
                self.file.iter().filter(|rule| same(&rule.from, &short)).collect();
            (!rules.is_empty()).then_some(rules)
        };
        let Some(rules) =
            rules(&|a: &TreePath, b: &TreePath| a.same_as(b)).or_else(|| rules(&same_but_version))
        else {
            let left = self.leave.iter().any(|path| same_but_version(path, &short));
            return left.then(Vec::new);
        };

        Some(rules.into_iter().map(|rule| rule.placement(file, &short)).collect())
    }

    /// Names of files that go when a build of this layout comes.
    pub(super) fn retires(&self) -> &[TreePath] {
        &self.retires
    }
}

impl Rule {
    fn of(place: &Placement, build: &Build) -> Self {
        Self {
            from: build.short(&place.from),
            bay: place.bay.clone(),
            to: Some(place.to.clone()),
            policy: place.policy,
        }
    }

    /// Where a file goes, whose path is `short` as layouts write it.
    fn placement(&self, file: &TreePath, short: &TreePath) -> Placement {
        let to = self.target(short);
        Placement { from: file.clone(), bay: self.bay.clone(), to, policy: self.policy }
    }

    /// Where a file goes: a file that keeps its name keeps the version in it too.
    fn target(&self, file: &TreePath) -> TreePath {
        let to = self.to.as_ref().unwrap_or(&self.from);
        if same_name(to.file_name(), self.from.file_name()) {
            to.sibling(file.file_name()).unwrap_or_else(|_| to.clone())
        } else {
            to.clone()
        }
    }
}

/// Whether two paths differ in nothing but the version in the file's name.
fn same_but_version(a: &TreePath, b: &TreePath) -> bool {
    let beginning = |path: &TreePath| {
        let name = stem(path.file_name());
        let named = Version::find_in(name, 2).map(|(before, _)| format!("{before}#"));
        let name = named.unwrap_or_else(|| name.to_owned());
        fold(&format!("{}/{name}.{}", path.folder(), extension(path.file_name())))
    };
    beginning(a) == beginning(b)
}
