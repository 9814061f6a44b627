//! Layouts as files, which people print, edit and give back.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use globset::{GlobBuilder, GlobMatcher};
use serde::{Deserialize, Serialize};
use toml::Spanned;

use super::Build;
use super::layout::{BY_LAYOUT, Placement, Policy, ROOT};
use super::sort::Part;
use crate::catalog::slug;
use crate::error::{CatalogError, line_at};
use crate::path::{TreePath, extension, fold, same_name, stem};
use upright_spanner_image::Version;

/// The version of the format that this program writes.
const SCHEMA: u32 = 2;

/// Stands for the folder of a bay itself, if files go that a wildcard names.
const ITSELF: &str = ".";

/// A layout as people write it. Paths are relative to the package's root: the folder that all of it is in.
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
    leave: Vec<String>,
    #[serde(default)]
    file: Vec<Rule>,
}

/// A layout that the user gave.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GivenLayout {
    /// Its content.
    pub layout: LayoutFile,
    /// The file.
    path: PathBuf,
    /// The line of each rule.
    lines: Vec<usize>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Rule {
    from: String,
    bay: String,
    /// A path in the bay; of a rule with wildcards the folder below which files keep their own.
    #[serde(skip_serializing_if = "Option::is_none")]
    to: Option<String>,
    policy: Policy,
    /// Whether the game is started with it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    start: bool,
}

/// Where rules are in a text.
#[derive(Deserialize)]
struct Places {
    #[serde(default)]
    file: Vec<RulePlace>,
}

#[derive(Deserialize)]
struct RulePlace {
    from: Spanned<String>,
}

impl LayoutFile {
    /// Reads a layout's text; `path` is for errors.
    ///
    /// # Errors
    /// If it is not a layout; the error names the line.
    pub fn parse(path: &Path, text: &str) -> Result<Self, CatalogError> {
        GivenLayout::parse(path, text).map(|given| given.layout)
    }

    /// The layout of builds of one family, as of all variants of a build.
    pub fn of(builds: &[&Build]) -> Self {
        let mut layout = Self {
            schema: SCHEMA,
            family: builds.first().map_or_else(String::new, |build| build.id.family.clone()),
            retires: Vec::new(),
            leave: Vec::new(),
            file: Vec::new(),
        };
        let mut placed = BTreeSet::new();
        for build in builds {
            for place in &build.layout.places {
                let rule = Rule::of(place);
                placed.insert(place.from.clone());
                if !layout.file.contains(&rule) {
                    layout.file.push(rule);
                }
            }
            let new = |path: &&TreePath| !layout.retires.contains(path);
            let retires: Vec<TreePath> = build.layout.retires.iter().filter(new).cloned().collect();
            layout.retires.extend(retires);
        }
        // That their values can be set should be seen if it can be said.
        let registry = builds.iter().flat_map(|build| &build.parts);
        for part in registry.filter(|part| part.part == Part::Registry) {
            if placed.insert(part.path.clone()) {
                let (from, bay) = (part.path.to_string(), ROOT.to_owned());
                layout.file.push(Rule { from, bay, to: None, policy: Policy::Leave, start: false });
            }
        }
        let parts = builds.iter().flat_map(|build| build.parts.iter().map(|part| &part.path));
        let left: BTreeSet<&TreePath> = parts.filter(|path| !placed.contains(*path)).collect();
        layout.leave = left.into_iter().map(TreePath::to_string).collect();
        layout
    }

    /// The text that [`LayoutFile::parse`] reads.
    pub fn to_text(&self) -> String {
        // Nothing in it is a map whose keys are not texts: this cannot fail.
        toml::to_string(self).unwrap_or_default()
    }

    /// The places of a file; `None` for one that the layout does not mention. A file that the layout leaves out has
    /// an empty list.
    pub fn places(&self, file: &TreePath) -> Option<Vec<Placement>> {
        let exact: Vec<&Rule> = self.file.iter().filter(|rule| rule.names(file)).collect();
        let rules = if exact.is_empty() {
            self.file.iter().filter(|rule| rule.names_but_for_version(file)).collect()
        } else {
            exact
        };
        if rules.is_empty() {
            let is_left =
                self.leave.iter().any(|left| names(left, file) || same_but_version(left, file));
            return is_left.then(Vec::new);
        }
        Some(rules.into_iter().filter_map(|rule| rule.placement(file)).collect())
    }

    /// Places the files of a build as the layout says; others keep their places.
    pub(crate) fn lay_out(&self, build: &mut Build) {
        let mut places = Vec::new();
        let mut moved = BTreeSet::new();
        for file in build.files() {
            let own = build.layout.places.iter().filter(|place| place.from == *file.path);
            let own: Vec<Placement> = own.cloned().collect();
            let told = self.places(file.path).unwrap_or_else(|| own.clone());
            if told != own {
                moved.insert(file.path.clone());
            }
            places.extend(told);
        }
        for part in build.parts.iter_mut().filter(|part| moved.contains(&part.path)) {
            BY_LAYOUT.clone_into(&mut part.why);
        }
        places.sort_by_key(|place: &Placement| place.from != build.file.path);
        build.layout.places = places;
        build.layout.retires.clone_from(&self.retires);
    }

    /// The same, but nothing is set in the registry: files for it stay on the rack.
    #[must_use]
    pub(crate) fn without_registry(mut self) -> Self {
        let sets = |rule: &&mut Rule| rule.policy == Policy::Registry;
        self.file.iter_mut().filter(sets).for_each(|rule| rule.policy = Policy::Leave);
        self
    }

    /// Names of files that go when a build of this layout comes.
    pub(super) fn retires(&self) -> &[TreePath] {
        &self.retires
    }
}

impl GivenLayout {
    /// Reads a layout's text; `path` is for errors.
    ///
    /// # Errors
    /// If it is not a layout; the error names the line.
    pub fn parse(path: &Path, text: &str) -> Result<Self, CatalogError> {
        let wrong = |at: usize, what: String| CatalogError {
            path: path.to_owned(),
            line: line_at(text, at),
            what,
        };
        let layout: LayoutFile =
            toml::from_str(text).map_err(|error| CatalogError::of_toml(path, text, &error))?;
        if layout.schema != SCHEMA {
            let what = format!("schema {} is not known: expected {SCHEMA}", layout.schema);
            return Err(wrong(0, what));
        }
        let places: Places = toml::from_str(text).unwrap_or(Places { file: Vec::new() });
        let at: Vec<usize> = places.file.iter().map(|rule| rule.from.span().start).collect();

        for (rule, at) in layout.file.iter().zip(&at) {
            if rule.bay.is_empty() || slug(&rule.bay) != rule.bay {
                let bay = text[*at..].find(&format!("\"{}\"", rule.bay)).map_or(*at, |by| at + by);
                let what = format!(
                    "`{}` is not a bay: expected `exe`, `root` or one that you named",
                    rule.bay
                );
                return Err(wrong(bay, what));
            }
            rule.check().map_err(|(field, what)| {
                let from = if field == "from" {
                    *at
                } else {
                    text[*at..].find(field).map_or(*at, |by| at + by)
                };
                wrong(from, what)
            })?;
        }
        let lines = at.into_iter().map(|at| line_at(text, at)).collect();
        Ok(Self { layout, path: path.to_owned(), lines })
    }

    /// Fails if a rule names nothing of a package.
    ///
    /// # Errors
    /// Names the line, and the file that is not there.
    pub fn expect_all_in(&self, files: &[&TreePath]) -> Result<(), CatalogError> {
        for (rule, line) in self.layout.file.iter().zip(&self.lines) {
            let names = |file: &&&TreePath| rule.names(file) || rule.names_but_for_version(file);
            if files.iter().any(|file| names(&file)) {
                continue;
            }
            let what = if is_pattern(&rule.from) {
                format!("`{}` matches no file of the package", rule.from)
            } else {
                format!("the package contains no `{}`", rule.from)
            };
            return Err(CatalogError { path: self.path.clone(), line: *line, what });
        }
        Ok(())
    }
}

impl Rule {
    fn of(place: &Placement) -> Self {
        Self {
            from: place.from.to_string(),
            bay: place.bay.clone(),
            to: Some(place.to.to_string()),
            policy: place.policy,
            start: place.start,
        }
    }

    /// Says which field cannot be used, and why.
    fn check(&self) -> Result<(), (&'static str, String)> {
        if is_pattern(&self.from) {
            matcher(&self.from).map_err(|error| ("from", error))?;
        } else {
            TreePath::new(&self.from).map_err(|error| ("from", error.to_string()))?;
        }
        if let Some(to) = self.to.as_deref().filter(|to| *to != ITSELF || !self.names_a_folder()) {
            TreePath::new(to).map_err(|error| ("to", error.to_string()))?;
        }
        if self.start && (self.names_a_folder() || self.policy == Policy::Leave) {
            return Err((
                "start",
                "only one file that is placed in the game can be its starter".to_owned(),
            ));
        }
        Ok(())
    }

    /// Whether it names files by their folder, each of which keeps its own name.
    fn names_a_folder(&self) -> bool {
        is_pattern(self.from.rsplit('/').next().unwrap_or_default())
    }

    fn names(&self, file: &TreePath) -> bool {
        names(&self.from, file)
    }

    fn names_but_for_version(&self, file: &TreePath) -> bool {
        !self.names_a_folder() && same_but_version(&self.from, file)
    }

    /// The place of a file that it names.
    fn placement(&self, file: &TreePath) -> Option<Placement> {
        let to = self.target(file).filter(|_| self.policy != Policy::Leave)?;
        let (from, bay) = (file.clone(), self.bay.clone());
        Some(Placement { from, bay, to, policy: self.policy, start: self.start })
    }

    /// A file that keeps its name keeps the version in it too.
    fn target(&self, file: &TreePath) -> Option<TreePath> {
        if self.names_a_folder() {
            let Some(to) = &self.to else { return Some(file.clone()) };
            let fixed = self.from.split('/').take_while(|part| !is_pattern(part));
            let fixed = fixed.count();
            let rest: Vec<&str> = file.as_str().split('/').skip(fixed).collect();
            let to = if to == ITSELF { rest.join("/") } else { format!("{to}/{}", rest.join("/")) };
            return TreePath::new(&to).ok();
        }
        let to = self
            .to
            .as_ref()
            .map_or_else(|| file.clone(), |to| TreePath::new(to).unwrap_or_else(|_| file.clone()));
        if same_name(to.file_name(), self.from.rsplit('/').next().unwrap_or_default()) {
            to.sibling(file.file_name()).ok()
        } else {
            Some(to)
        }
    }
}

/// Whether a text is a pattern. No name contains such a character.
fn is_pattern(text: &str) -> bool {
    text.contains(['*', '?'])
}

/// A pattern of paths: `*` and `?` within a folder, `**` over folders.
fn matcher(pattern: &str) -> Result<GlobMatcher, String> {
    // Other characters with a meaning in such patterns may be in a name.
    let text = pattern.replace('\\', "/");
    let literal = |c: char| match c {
        '[' | ']' | '{' | '}' => format!("[{c}]"),
        other => other.to_string(),
    };
    let text: String = text.chars().map(literal).collect();
    let mut builder = GlobBuilder::new(&text);
    builder.case_insensitive(true).literal_separator(true).backslash_escape(false);
    let wrong = |why: &globset::ErrorKind| format!("`{pattern}` is not a valid pattern: {why}");
    builder.build().map(|glob| glob.compile_matcher()).map_err(|error| wrong(error.kind()))
}

/// Whether a path or a pattern of paths names a file.
fn names(path: &str, file: &TreePath) -> bool {
    if is_pattern(path) {
        matcher(path).is_ok_and(|pattern| pattern.is_match(file.as_str()))
    } else {
        TreePath::new(path).is_ok_and(|path| path.same_as(file))
    }
}

/// Whether two paths differ in nothing but the version in the file's name. The first may be
/// meant in any folder.
fn same_but_version(rule: &str, file: &TreePath) -> bool {
    let beginning = |path: &str| {
        let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
        let stem = stem(name);
        let named = Version::find_in(stem, 2).map(|(before, _)| format!("{before}#"));
        let stem = named.unwrap_or_else(|| stem.to_owned());
        fold(&format!("{folder}/{stem}.{}", extension(name)))
    };
    // A rule for a file in any folder compares only the last parts.
    match rule.strip_prefix("**/") {
        Some(rule) => format!("/{}", beginning(file.as_str()))
            .ends_with(&format!("/{}", beginning(rule).trim_start_matches('/'))),
        None => beginning(rule) == beginning(file.as_str()),
    }
}
