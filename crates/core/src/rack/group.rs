//! Finds what of a package belongs together. All of it is one build, unless its libraries show that they are
//! products of their own.

use std::collections::BTreeMap;

use crate::catalog::{Role, companies_agree, keyed_to, role_of};
use crate::path::{fold, same_name, stem};
use upright_spanner_image::Facts;
use upright_spanner_image::system::{can_be_stood_in, is_compiler_runtime};

/// A library of a package, as far as grouping looks at it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Candidate<'a> {
    /// Its place among the files of the package.
    pub index: usize,
    pub name: &'a str,
    /// What it says of itself, where it is an image.
    pub facts: Option<&'a Facts>,
    /// The family of the catalog that describes it.
    pub catalogued: Option<&'a str>,
}

/// Libraries that make one build: the one that it is named after, and the others.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Group {
    pub head: usize,
    pub members: Vec<usize>,
}

/// Whether the libraries of a package make one build.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Together {
    /// Unless they show that they are products of their own.
    #[default]
    AsFound,
    /// In any case.
    Always,
    /// Each is a build of its own.
    Never,
}

impl<'a> Candidate<'a> {
    fn role(&self) -> Option<Role> {
        self.facts.and_then(role_of)
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
        self.role() == Some(Role::Extender) || self.is_keyed()
    }

    /// Whether it is what a game loads first of something that can be installed on its own.
    pub fn is_entry(&self) -> bool {
        self.is_extender()
            || matches!(self.role(), Some(Role::Loader | Role::Overlay))
            || can_be_stood_in(self.name)
    }

    fn imports(&self, other: &Self) -> bool {
        let mut imported = self.facts.iter().flat_map(|facts| &facts.imported_dlls);
        imported.any(|dll| same_name(dll, other.name))
    }

    /// Whether both are of one product of one maker.
    fn is_of_one_product(&self, other: &Self) -> bool {
        let (Some(own), Some(theirs)) = (self.facts, other.facts) else { return false };
        let versions = own.version().zip(theirs.version());
        let is_one_version = versions.is_some_and(|(own, theirs)| own == theirs);
        let are_silent = own.version().is_none() || theirs.version().is_none();
        let product = |candidate: &Self| candidate.string("ProductName").map(fold);
        let is_one_product = product(self).is_some() && product(self) == product(other);
        let begins_alike = self.leading_word().is_some_and(|w| other.leading_word() == Some(w));
        let is_stated = own.string("CompanyName").is_some() && is_one_product;
        companies_agree(own, theirs)
            && (is_stated && (is_one_version || are_silent) || begins_alike && is_one_version)
    }

    /// The word that its product's name begins with, where it has several: `Bramble core`, `Bramble net`.
    fn leading_word(&self) -> Option<String> {
        let mut words = self.string("ProductName")?.split_whitespace();
        let first = words.next().filter(|word| word.chars().count() > 3)?;
        words.next().map(|_| fold(first))
    }

    /// Whether the name of another begins with its own, as in `lens.dll` and `lens_tint.dll`.
    fn is_begun_by(&self, other: &Self) -> bool {
        let (short, long) = (fold(stem(self.name)), fold(stem(other.name)));
        let rest = long.strip_prefix(&short);
        rest.is_some_and(|rest| rest.starts_with(|c: char| !c.is_alphanumeric()))
    }

    /// Whether nothing that both state speaks against their being one thing.
    fn agrees(&self, other: &Self) -> bool {
        let roles = self.role().zip(other.role());
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

/// Adds runtimes to what asks for them; what nothing asks for goes with all.
fn bring_along(candidates: &[Candidate<'_>], runtimes: &[usize], kin: &mut [Vec<usize>]) {
    for &runtime in runtimes {
        let asks =
            |kin: &Vec<usize>| kin.iter().any(|&at| candidates[at].imports(&candidates[runtime]));
        let is_asked_for = kin.iter().any(asks);
        for kin in kin.iter_mut().filter(|kin| !is_asked_for || asks(kin)) {
            kin.push(runtime);
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

/// Joins what is not shown to be a product of its own to what it comes with.
fn joined(candidates: &[Candidate<'_>], kin: Vec<Vec<usize>>) -> Vec<Vec<usize>> {
    let is_entry = |kin: &Vec<usize>| kin.iter().any(|&at| candidates[at].is_entry());
    let states = |kin: &Vec<usize>| kin.iter().any(|&at| candidates[at].product().is_some());
    let entries = kin.iter().filter(|kin| is_entry(kin)).count();
    // What is installed on its own brings whatever comes with it; and where something does not state what it is,
    // nothing shows that it is not a part of the rest.
    if entries == 1 || !kin.iter().all(states) { vec![kin.concat()] } else { kin }
}

/// A group of libraries without its members, named after the one that says most of what they are together.
fn group(candidates: &[Candidate<'_>], kin: &[usize], package: &str) -> Option<Group> {
    let package = fold(package);
    // What several others ask for is what they are parts of.
    let askers = |at: usize| {
        let asks = |by: &&usize| candidates[**by].imports(&candidates[at]);
        Some(kin.iter().filter(asks).count()).filter(|&count| count > 1)
    };
    let rank = |at: usize| {
        let own = &candidates[at];
        let name = fold(stem(own.name));
        (
            !own.is_keyed(),
            !own.is_extender(),
            !own.is_entry(),
            own.catalogued.is_none(),
            own.role().is_none(),
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
