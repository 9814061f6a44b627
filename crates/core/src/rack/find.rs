//! Finds a named build, and the newest build for a game.

use std::collections::HashMap;

use super::build::{Build, BuildSpec};
use crate::catalog::slug;
use crate::error::{Error, RackError, Result};
use crate::path::{fold, same_name};
use upright_spanner_image::{Facts, Machine, Version};

/// A game's requirements, as far as they decide between variants.
#[derive(Debug, Clone, Copy, Default)]
pub struct Needs<'a> {
    /// The machine of the executable.
    pub machine: Option<Machine>,
    /// The libraries that the executable imports.
    pub imports: &'a [String],
    /// The version of the game.
    pub version: Option<&'a Version>,
    /// Its store edition.
    pub edition: Option<&'a str>,
    /// The name of its executable.
    pub program: Option<&'a str>,
}

impl Needs<'_> {
    /// Narrows builds down to those that suit, by one need after the other; a need that none meets
    /// decides nothing.
    pub(crate) fn narrow(&self, builds: &mut Vec<&Build>) {
        retain_if_any(builds, |build| self.machine.is_some_and(|machine| build.runs_on(machine)));
        retain_if_any(builds, |build| self.edition.is_some_and(|edition| build.is_for(edition)));
        retain_if_any(builds, |build| !build.file.facts.as_ref().is_some_and(Facts::is_debug));
        retain_if_any(builds, |build| self.draws_as(build));
        retain_if_any(builds, |build| {
            build.key().zip(self.version).is_some_and(|(key, game)| game.begins_with(&key))
        });
    }

    /// Whether the variant is named after a graphics library that the executable imports.
    fn draws_as(&self, build: &Build) -> bool {
        const WORDS: [(&str, &[&str]); 6] = [
            ("d3d8.dll", &["d3d8", "dx8"]),
            ("d3d9.dll", &["d3d9", "dx9"]),
            ("d3d11.dll", &["d3d11", "dx11"]),
            ("d3d12.dll", &["d3d12", "dx12"]),
            ("opengl32.dll", &["opengl", "gl"]),
            ("vulkan-1.dll", &["vulkan", "vk"]),
        ];

        let label = build.id.variant.as_deref().unwrap_or_default();
        let mut words = label.split('-');
        let names = WORDS.iter().filter(|(dll, _)| self.imports.iter().any(|i| same_name(i, dll)));
        let names: Vec<&str> = names.flat_map(|(_, names)| names.iter().copied()).collect();
        words.any(|word| names.contains(&word))
    }
}

/// Finds the builds that a text names, of which those that suit the game's needs come before the others, and, if no
/// version is given, the newest. One at least.
///
/// # Errors
/// [`RackError::Unknown`] if none has that name.
pub(crate) fn suiting<'a>(
    builds: &'a [Build],
    text: &str,
    needs: &Needs<'_>,
) -> Result<Vec<&'a Build>> {
    let spec = BuildSpec::parse(text);
    let mut named = named(builds, &spec);
    if spec.variant.is_none() {
        needs.narrow(&mut named);
    }
    if spec.version.is_none() {
        let newest = named.iter().map(|build| &build.version).max().cloned();
        named.retain(|build| Some(&build.version) == newest.as_ref());
    }

    if spec.variant.is_none() {
        retain_if_any(&mut named, |build| build.id.variant.is_none());
    }
    if named.is_empty() { Err(unknown(builds, text, &spec.family)) } else { Ok(named) }
}

/// Says which builds a text names.
pub(crate) fn several_of(text: &str, builds: &[&Build]) -> Error {
    let candidates = builds.iter().map(|build| build.id.to_string()).collect();
    Error::Rack(RackError::Several { spec: text.to_owned(), candidates })
}

/// Finds one version of a family, the newest if none is given, in all its variants, or in the one that is named.
///
/// # Errors
/// [`RackError::Unknown`] if none has that name.
pub(crate) fn find_variants<'a>(builds: &'a [Build], text: &str) -> Result<Vec<&'a Build>> {
    let spec = BuildSpec::parse(text);
    let mut named = named(builds, &spec);
    let newest = named.iter().max_by(|a, b| a.version.cmp(&b.version)).copied();
    let newest = newest.ok_or_else(|| unknown(builds, text, &spec.family))?;
    named.retain(|build| build.id.version == newest.id.version);
    Ok(named)
}

/// The builds that a text names: by the whole version, else by the version in short if one version alone has that.
fn named<'a>(builds: &'a [Build], spec: &BuildSpec) -> Vec<&'a Build> {
    let named: Vec<&Build> = builds.iter().filter(|build| spec.names(build)).collect();
    if !named.is_empty() {
        return named;
    }
    let short: Vec<&Build> = builds.iter().filter(|build| spec.names_in_short(build)).collect();
    let is_one = short.windows(2).all(|two| two[0].id.version == two[1].id.version);
    if is_one { short } else { Vec::new() }
}

/// The variants of each build together, in the order of the first of each.
pub fn by_build<'a>(builds: impl IntoIterator<Item = &'a Build>) -> Vec<Vec<&'a Build>> {
    let mut out: Vec<Vec<&Build>> = Vec::new();
    let mut places: HashMap<(String, &str), usize> = HashMap::new();
    for build in builds {
        let place = (fold(&build.id.family), build.id.version.as_str());
        let at = *places.entry(place).or_insert(out.len());
        if at == out.len() {
            out.push(Vec::new());
        }
        out[at].push(build);
    }
    // The usual one first.
    for variants in &mut out {
        variants.sort_by_key(|build| (build.id.variant.is_some(), build.id.variant.clone()));
    }
    out
}

/// Keeps those that `wanted` holds for, if it holds for any.
pub(crate) fn retain_if_any(builds: &mut Vec<&Build>, wanted: impl Fn(&Build) -> bool) {
    if builds.iter().any(|build| wanted(build)) {
        builds.retain(|build| wanted(build));
    }
}

/// The alternatives: other builds of the family, otherwise the families.
fn unknown(builds: &[Build], text: &str, family: &str) -> Error {
    let of_family = builds.iter().filter(|build| same_name(&build.id.family, family));
    let mut known: Vec<String> = of_family.map(|build| build.id.to_string()).collect();
    if known.is_empty() {
        known = builds.iter().map(|build| build.id.family.clone()).collect();
    }
    known.sort();
    known.dedup();
    Error::Rack(RackError::Unknown { spec: text.to_owned(), known })
}

/// The builds of a rack, found by family and by the names of their files: each library of each game asks.
pub(crate) struct RackIndex<'a> {
    builds: &'a [Build],
    by_family: HashMap<String, Vec<usize>>,
    by_file: HashMap<String, Vec<usize>>,
}

impl<'a> RackIndex<'a> {
    pub fn new(builds: &'a [Build]) -> Self {
        let mut by_family: HashMap<String, Vec<usize>> = HashMap::new();
        let mut by_file: HashMap<String, Vec<usize>> = HashMap::new();
        for (at, build) in builds.iter().enumerate() {
            by_family.entry(fold(&build.id.family)).or_default().push(at);
            for file in build.placed() {
                by_file.entry(fold(file.path.file_name())).or_default().push(at);
            }
        }
        Self { builds, by_family, by_file }
    }

    /// The builds of a family.
    fn of_family(&self, family: &str) -> impl Iterator<Item = &'a Build> + use<'_, 'a> {
        let places = self.by_family.get(&fold(family)).map_or(&[][..], Vec::as_slice);
        let builds = self.builds;
        places.iter().map(move |&at| &builds[at])
    }

    /// The builds that are of a family or hold a file of a name, in the order of the rack.
    pub fn of_family_or_file(&self, family: &str, name: &str) -> impl Iterator<Item = &'a Build> {
        let places = [self.by_family.get(&fold(family)), self.by_file.get(&fold(name))];
        let mut places: Vec<usize> = places.into_iter().flatten().flatten().copied().collect();
        places.sort_unstable();
        places.dedup();
        let builds = self.builds;
        places.into_iter().map(move |at| &builds[at])
    }

    /// The family that a library is of on the rack: if that has another maker's of the name, its own maker's has the
    /// maker's name too.
    pub fn family_of(&self, family: String, facts: &Facts) -> String {
        let mut builds = self.of_family(&family);
        let is_theirs = builds.any(|build| build.agrees_with(facts));
        if is_theirs || self.of_family(&family).next().is_none() {
            return family;
        }
        let Some(maker) = facts.string("CompanyName") else { return family };
        format!("{family}-{}", slug(maker))
    }

    /// The newest released build of a family for a library's maker and machine. A build that is for certain versions
    /// or editions of the game counts only if the game's is among them.
    pub fn newest(&self, family: &str, library: &Facts, needs: &Needs<'_>) -> Option<&'a Build> {
        let game = needs.version;
        let is_for_another = |build: &Build| {
            build.edition.is_some() && needs.edition.is_some_and(|edition| !build.is_for(edition))
        };
        let fits = |build: &&Build| {
            needs.machine.is_none_or(|machine| build.runs_on(machine))
                && build.agrees_with(library)
                && !is_for_another(build)
                && build.key().zip(game).is_none_or(|(key, game)| game.begins_with(&key))
                && build.supports.as_ref().zip(game).is_none_or(|(set, game)| set.includes(game))
                && build.version.as_ref().is_some_and(|version| !version.is_prerelease())
        };
        self.of_family(family).filter(fits).max_by(|a, b| a.version.cmp(&b.version))
    }
}
