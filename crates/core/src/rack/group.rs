//! Finds which libraries of a package are parts of one thing: those make one build together, and
//! the others are builds of their own.

use crate::catalog::{Role, companies_agree, keyed_to, role_of};
use crate::path::{fold, same_name, stem};
use upright_spanner_image::Facts;

/// A library of a package, as far as grouping looks at it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Candidate<'a> {
    /// Its place among the files of the package.
    pub index: usize,
    pub name: &'a str,
    pub facts: &'a Facts,
    /// The family of the catalog that describes it.
    pub catalogued: Option<&'a str>,
}

/// Libraries that make one build: the one that it is named after, and the others.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Group {
    pub head: usize,
    pub members: Vec<usize>,
}

/// Whether a library is the runtime part of a script extender: it says so, or its name is keyed to
/// a version of the game.
pub(super) fn is_extender(candidate: &Candidate<'_>) -> bool {
    role_of(candidate.facts) == Some(Role::Extender) || is_keyed(candidate)
}

fn is_keyed(candidate: &Candidate<'_>) -> bool {
    keyed_to(candidate.facts, candidate.name).is_some()
}

/// Groups the libraries of one variant.
pub(super) fn groups(candidates: &[Candidate<'_>]) -> Vec<Group> {
    let mut order: Vec<&Candidate<'_>> = candidates.iter().collect();
    order.sort_by_key(|c| {
        (
            !is_keyed(c),
            !is_extender(c),
            c.catalogued.is_none(),
            role_of(c.facts).is_none(),
            c.name.len(),
        )
    });

    let mut heads: Vec<(&Candidate<'_>, Vec<usize>)> = Vec::new();
    for candidate in order {
        let mut taken = false;
        for (_, members) in heads.iter_mut().filter(|(head, _)| is_part(head, candidate)) {
            members.push(candidate.index);
            taken = true;
        }
        if !taken {
            heads.push((candidate, Vec::new()));
        }
    }

    heads.sort_by_key(|(head, _)| head.index);
    heads.into_iter().map(|(head, members)| Group { head: head.index, members }).collect()
}

/// Whether a library is a part of what another one is the head of.
fn is_part(head: &Candidate<'_>, other: &Candidate<'_>) -> bool {
    if is_extender(head) { part_of_extender(head, other) } else { part_of(head, other) }
}

/// What comes with an extender belongs to it, unless it is keyed to another version of the game.
fn part_of_extender(head: &Candidate<'_>, other: &Candidate<'_>) -> bool {
    could_be_one(head, other) && !is_keyed(other)
}

/// Elsewhere a library is a part of another that it imports, that imports it, or whose name its own
/// begins with, as in `lens.dll` and `lens_tint.dll`.
fn part_of(head: &Candidate<'_>, other: &Candidate<'_>) -> bool {
    let imports = |a: &Candidate<'_>, b: &Candidate<'_>| {
        a.facts.imported_dlls.iter().any(|dll| same_name(dll, b.name))
    };
    let (short, long) = (fold(stem(head.name)), fold(stem(other.name)));
    let rest = long.strip_prefix(&short);
    let named = rest.is_some_and(|rest| rest.starts_with(|c: char| !c.is_alphanumeric()));
    let (a, b) = (role_of(head.facts), role_of(other.facts));

    could_be_one(head, other)
        && (b.is_none() || a == b)
        && companies_agree(head.facts, other.facts)
        && (named || imports(head, other) || imports(other, head))
}

fn could_be_one(head: &Candidate<'_>, other: &Candidate<'_>) -> bool {
    head.facts.machine == other.facts.machine
        && (other.catalogued.is_none() || other.catalogued == head.catalogued)
}
