//! Finds what of a package belongs together. All of it is one build, unless its libraries show that they are their
//! own products.

use std::collections::{BTreeMap, HashMap, HashSet};

use crate::catalog::{Role, companies_agree, keyed_to, role_of};
use crate::path::{fold, stem};
use upright_spanner_image::system::{can_be_stood_in, is_compiler_runtime};
use upright_spanner_image::{Facts, Version};

/// A library of a package, as far as grouping looks at it.
#[derive(Debug, Clone)]
pub(super) struct Candidate<'a> {
    /// Its place among the files of the package.
    pub index: usize,
    pub name: &'a str,
    /// Its facts, if it is an image.
    pub facts: Option<&'a Facts>,
    /// The family of the catalog that describes it.
    pub catalogued: Option<&'a str>,
    /// Its name in lower case: each is compared with each.
    folded: String,
    /// The names of its imports, folded.
    imported: HashSet<String>,
    /// The words of its product's name, likewise.
    product: Vec<String>,
    role: Option<Role>,
    version: Option<Version>,
}

/// Libraries that make one build: the one that it is named after, and the others.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Group {
    pub head: usize,
    pub members: Vec<usize>,
}

/// With more libraries than this no one packs their own products, and to compare each with each takes long.
const MOST_COMPARED: usize = 2000;

/// Whether the libraries of a package make one build.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Together {
    /// Unless they show that they are their own products.
    #[default]
    AsFound,
    /// In any case.
    Always,
    /// Each is its own build.
    Never,
}

impl<'a> Candidate<'a> {
    pub fn new(
        index: usize,
        name: &'a str,
        facts: Option<&'a Facts>,
        catalogued: Option<&'a str>,
    ) -> Self {
        let imported = facts.iter().flat_map(|facts| &facts.imported_dlls);
        let product = facts.and_then(|facts| facts.string("ProductName")).unwrap_or_default();
        Self {
            index,
            name,
            facts,
            catalogued,
            folded: fold(name),
            imported: imported.map(|dll| fold(dll)).collect(),
            product: product.split_whitespace().map(fold).collect(),
            role: facts.and_then(role_of),
            version: facts.and_then(Facts::version),
        }
    }

    fn string(&self, key: &str) -> Option<&'a str> {
        self.facts?.string(key)
    }

    fn is_keyed(&self) -> bool {
        self.facts.is_some_and(|facts| keyed_to(facts, self.name).is_some())
    }

    /// Whether it is the runtime part of a script extender: it says so, or its name is keyed to a version of
    /// the game.
    pub fn is_extender(&self) -> bool {
        self.role == Some(Role::Extender) || self.is_keyed()
    }

    /// Whether it is the library that a game loads first, of a component that is installed on its own.
    pub fn is_entry(&self) -> bool {
        self.is_extender()
            || matches!(self.role, Some(Role::Loader | Role::Overlay))
            || can_be_stood_in(self.name)
    }

    fn imports(&self, other: &Self) -> bool {
        self.imported.contains(&other.folded)
    }

    /// Whether both are of one product of one maker.
    fn is_of_one_product(&self, other: &Self) -> bool {
        let (Some(own), Some(theirs)) = (self.facts, other.facts) else { return false };
        let versions = self.version.as_ref().zip(other.version.as_ref());
        let is_one_version = versions.is_some_and(|(own, theirs)| own == theirs);
        let are_silent = versions.is_none();
        let is_one_product = !self.product.is_empty() && self.product == other.product;
        let begins_alike = self.leading_word().is_some_and(|w| other.leading_word() == Some(w));
        let is_stated = own.string("CompanyName").is_some() && is_one_product;
        (is_stated && (is_one_version || are_silent) || begins_alike && is_one_version)
            && companies_agree(own, theirs)
    }

    /// The word that its product's name begins with, if it has several: `Bramble core`, `Bramble net`.
    fn leading_word(&self) -> Option<&str> {
        let [first, _, ..] = &self.product[..] else { return None };
        Some(&**first).filter(|word| word.chars().count() > 3)
    }

    /// Whether the name of another begins with its own, as in `lens.dll` and `lens_tint.dll`.
    fn is_begun_by(&self, other: &Self) -> bool {
        let rest = stem(&other.folded).strip_prefix(stem(&self.folded));
        rest.is_some_and(|rest| rest.starts_with(|c: char| !c.is_alphanumeric()))
    }

    /// Whether nothing that both state speaks against their being one thing.
    fn agrees(&self, other: &Self) -> bool {
        let roles = self.role.zip(other.role);
        let families = self.catalogued.zip(other.catalogued);
        let makers = self.facts.zip(other.facts);
        roles.is_none_or(|(a, b)| a == b)
            && families.is_none_or(|(a, b)| a == b)
            && makers.is_none_or(|(a, b)| companies_agree(a, b))
    }

    /// Whether both are parts of one thing, as far as the two alone show.
    fn belongs_with(&self, other: &Self) -> bool {
        let families = self.catalogued.zip(other.catalogued);
        let is_imported = self.imports(other) || other.imports(self);
        let is_named = self.is_begun_by(other) || other.is_begun_by(self);
        let is_one = is_named || self.is_of_one_product(other);
        is_imported && families.is_none_or(|(a, b)| a == b) || is_one && self.agrees(other)
    }

    /// The product that it states, with its maker.
    fn product(&self) -> Option<(String, String)> {
        let product = self.string("ProductName").or_else(|| self.string("FileDescription"))?;
        Some((fold(self.string("CompanyName").unwrap_or_default()), fold(product)))
    }
}

/// Groups the libraries of one variant. `package` is the name of the archive or folder.
pub(super) fn groups(
    candidates: &[Candidate<'_>],
    package: &str,
    together: Together,
) -> Vec<Group> {
    // What compilers bring along ties nothing together, and nothing is called after it.
    let is_runtime = |at: &usize| is_compiler_runtime(candidates[*at].name);
    let (runtimes, mut own): (Vec<usize>, Vec<usize>) = (0..candidates.len()).partition(is_runtime);
    let runtimes = if own.is_empty() { std::mem::replace(&mut own, runtimes) } else { runtimes };
    let mut kin = match together {
        _ if own.len() > MOST_COMPARED => vec![own],
        Together::Always => vec![own],
        Together::Never => own.into_iter().map(|at| vec![at]).collect(),
        Together::AsFound => joined(candidates, linked(candidates, &own)),
    };
    let mut groups: Vec<Group> =
        kin.iter().filter_map(|kin| group(candidates, kin, package)).collect();
    bring_along(candidates, &runtimes, &mut kin);
    for (group, kin) in groups.iter_mut().zip(&kin) {
        let members = kin.iter().map(|&at| candidates[at].index);
        group.members = members.filter(|&index| index != group.head).collect();
        group.members.sort_unstable();
    }
    groups.sort_by_key(|group| group.head);
    groups
}

/// Adds runtimes to the libraries that request them; others go with all.
fn bring_along(candidates: &[Candidate<'_>], runtimes: &[usize], kin: &mut [Vec<usize>]) {
    let asked = |kin: &Vec<usize>| -> HashSet<&String> {
        kin.iter().flat_map(|&at| &candidates[at].imported).collect()
    };
    let asked: Vec<HashSet<&String>> = kin.iter().map(asked).collect();
    for &runtime in runtimes {
        let name = &candidates[runtime].folded;
        let is_asked_for = asked.iter().any(|asked| asked.contains(name));
        for (kin, asked) in kin.iter_mut().zip(&asked) {
            if !is_asked_for || asked.contains(name) {
                kin.push(runtime);
            }
        }
    }
}

/// Libraries that are linked with each other, over others too.
fn linked(candidates: &[Candidate<'_>], own: &[usize]) -> Vec<Vec<usize>> {
    // Each has the number of its kin; two that are linked make one kin of two.
    let mut kin: BTreeMap<usize, usize> = own.iter().map(|&at| (at, at)).collect();
    for (n, &at) in own.iter().enumerate() {
        for &other in &own[n + 1..] {
            if kin[&at] != kin[&other] && candidates[at].belongs_with(&candidates[other]) {
                let (stays, goes) = (kin[&at], kin[&other]);
                kin.values_mut().filter(|kin| **kin == goes).for_each(|kin| *kin = stays);
            }
        }
    }

    let mut by_kin: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (at, kin) in kin {
        by_kin.entry(kin).or_default().push(at);
    }
    by_kin.into_values().collect()
}

/// Joins libraries that do not identify a product of their own to their neighbours.
fn joined(candidates: &[Candidate<'_>], kin: Vec<Vec<usize>>) -> Vec<Vec<usize>> {
    let is_entry = |kin: &Vec<usize>| kin.iter().any(|&at| candidates[at].is_entry());
    let states = |kin: &Vec<usize>| kin.iter().any(|&at| candidates[at].product().is_some());
    let entries = kin.iter().filter(|kin| is_entry(kin)).count();
    // A component that is installed on its own includes everything packed with it; and a library without an identity
    // may be part of the rest.
    if entries == 1 || !kin.iter().all(states) { vec![kin.concat()] } else { kin }
}

/// A group of libraries, empty, named after the most telling one.
fn group(candidates: &[Candidate<'_>], kin: &[usize], package: &str) -> Option<Group> {
    let package = fold(package);
    // A library that several others import is the one they are parts of.
    let mut asked: HashMap<&String, usize> = HashMap::new();
    for name in kin.iter().flat_map(|&at| &candidates[at].imported) {
        *asked.entry(name).or_default() += 1;
    }
    let askers = |at: usize| asked.get(&candidates[at].folded).copied().filter(|&count| count > 1);
    let rank = |at: usize| {
        let own = &candidates[at];
        let name = stem(&own.folded).to_owned();
        (
            !own.is_keyed(),
            !own.is_extender(),
            !own.is_entry(),
            own.catalogued.is_none(),
            own.role.is_none(),
            !package.contains(&name),
            std::cmp::Reverse(askers(at)),
            own.product().is_none(),
            own.facts.is_none(),
            name.len(),
            name,
        )
    };
    let head = kin.iter().copied().min_by_key(|&at| rank(at))?;
    Some(Group { head: candidates[head].index, members: Vec::new() })
}

/// The product that a library states, in its own spelling, else its name.
pub(super) fn product_of(facts: Option<&Facts>, name: &str) -> String {
    let stated = facts.and_then(|facts| facts.string("ProductName"));
    stated.unwrap_or_else(|| stem(name)).to_owned()
}
