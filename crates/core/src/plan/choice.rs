//! Chooses builds of several families together, if a catalog ties them: what needs what, and what does not work with
//! what. The search is that of dependency solvers; its explanation becomes ours.

use std::collections::BTreeMap;
use std::convert::Infallible;

use pubgrub::{
    Dependencies, DependencyConstraints, DependencyProvider, DerivationTree, External,
    PackageResolutionStatistics, PubGrubError, Ranges, resolve,
};

use crate::catalog::{Catalog, Relation};
use crate::path::fold;
use upright_spanner_image::Version;

/// A possible outcome for a family.
#[derive(Debug, Clone)]
pub(crate) struct Candidate {
    /// The version.
    pub version: Option<Version>,
    /// The outcome.
    pub choice: Choice,
}

/// The outcome for a family.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Choice {
    /// The build at this place of the rack.
    Build(usize),
    /// The present component.
    Kept,
    /// Not in the game, as now.
    Absent,
}

/// The possible outcomes of families, the least wanted last.
type Families = BTreeMap<String, Vec<Candidate>>;

/// Stands for the game itself, which wants each of its families.
const GAME: &str = "";

struct Ties<'a> {
    target: String,
    families: &'a Families,
    catalog: &'a Catalog,
}

/// Chooses one candidate for each family: the newest possible of `target`, and for the others the present one if it
/// can stay. If there is no solution, returns the sentences that explain it.
pub(crate) fn choose_together(
    target: &str,
    families: &Families,
    catalog: &Catalog,
) -> Result<BTreeMap<String, Candidate>, Vec<String>> {
    let ties = Ties { target: fold(target), families, catalog };
    match resolve(&ties, GAME.to_owned(), 0u32) {
        Ok(chosen) => Ok(chosen
            .into_iter()
            .filter(|(family, _)| family != GAME)
            .map(|(family, at)| {
                let candidate = families[&family][at as usize].clone();
                (family, candidate)
            })
            .collect()),
        Err(PubGrubError::NoSolution(tree)) => {
            let mut sentences = Vec::new();
            ties.explain(&tree, &mut sentences);
            Err(sentences)
        }
        // The other failures are those of a source of candidates, which this one has none of.
        Err(_) => Err(Vec::new()),
    }
}

impl Ties<'_> {
    /// The candidates of a family that some test admits.
    fn those(&self, family: &str, admits: impl Fn(&Candidate) -> bool) -> Ranges<u32> {
        let candidates = self.families.get(&fold(family)).map_or(&[][..], Vec::as_slice);
        let admitted = (0u32..).zip(candidates).filter(|(_, candidate)| admits(candidate));
        admitted.fold(Ranges::empty(), |set, (at, _)| set.union(&Ranges::singleton(at)))
    }

    fn relations<'b>(
        &'b self,
        family: &str,
        version: Option<&Version>,
    ) -> (Vec<&'b Relation>, Vec<&'b Relation>) {
        let Some(family) = self.catalog.family(family) else { return Default::default() };
        let about = |relation: &&Relation| relation.is_about(version);
        (
            family.requires.iter().filter(about).collect(),
            family.conflicts.iter().filter(about).collect(),
        )
    }

    /// Turns the facts that a contradiction rests on into sentences.
    fn explain(&self, tree: &DerivationTree<String, Ranges<u32>, String>, out: &mut Vec<String>) {
        let external = match tree {
            DerivationTree::Derived(derived) => {
                self.explain(&derived.cause1, out);
                self.explain(&derived.cause2, out);
                return;
            }
            DerivationTree::External(external) => external,
        };
        let External::FromDependencyOf(family, versions, other, _) = external else { return };
        let candidates = self.families.get(family).map_or(&[][..], Vec::as_slice);
        let spoken = (0u32..).zip(candidates).filter(|(at, _)| versions.contains(at));
        for (_, candidate) in spoken {
            let version = candidate.version.as_ref();
            let (requires, conflicts) = self.relations(family, version);
            let what =
                version.map_or_else(|| family.clone(), |version| format!("{family} {version}"));
            for relation in requires.iter().filter(|r| fold(&r.family) == *other) {
                let known = self.families.contains_key(other);
                let there = if known { "" } else { ", which has no build" };
                out.push(format!("{what} needs {}{there}", relation.other()));
            }
            for relation in conflicts.iter().filter(|r| fold(&r.family) == *other) {
                out.push(format!("{what} does not work together with {}", relation.other()));
            }
        }

        out.sort();
        out.dedup();
    }
}

impl DependencyProvider for Ties<'_> {
    type P = String;
    type V = u32;
    type VS = Ranges<u32>;
    type Priority = (bool, std::cmp::Reverse<usize>);
    type M = String;
    type Err = Infallible;

    /// The family that the user asked for is decided first; then those with the least choice.
    fn prioritize(
        &self,
        package: &String,
        range: &Ranges<u32>,
        _: &PackageResolutionStatistics,
    ) -> Self::Priority {
        let candidates = self.families.get(package).map_or(0, Vec::len) as u32;
        let left = (0..candidates).filter(|at| range.contains(at)).count();
        (*package == self.target, std::cmp::Reverse(left))
    }

    fn choose_version(
        &self,
        package: &String,
        range: &Ranges<u32>,
    ) -> Result<Option<u32>, Infallible> {
        let candidates = match package.as_str() {
            GAME => 1,
            family => self.families.get(family).map_or(0, Vec::len) as u32,
        };
        Ok((0..candidates).rev().find(|at| range.contains(at)))
    }

    fn get_dependencies(
        &self,
        package: &String,
        version: &u32,
    ) -> Result<Dependencies<String, Ranges<u32>, String>, Infallible> {
        let mut wanted: BTreeMap<String, Ranges<u32>> = BTreeMap::new();
        if package == GAME {
            let all = self.families.keys().map(|family| (family.clone(), Ranges::full()));
            wanted.extend(all);
        } else {
            let own = &self.families[package][*version as usize];
            let (requires, conflicts) = match own.choice {
                Choice::Absent => Default::default(),
                _ => self.relations(package, own.version.as_ref()),
            };
            let mut want = |family: &str, set: Ranges<u32>| {
                let known = wanted.entry(fold(family)).or_insert_with(Ranges::full);
                *known = known.intersection(&set);
            };
            for relation in requires {
                let meets = |other: &Candidate| {
                    other.choice != Choice::Absent && relation.names(other.version.as_ref())
                };
                want(&relation.family, self.those(&relation.family, meets));
            }
            let there = |relation: &&&Relation| self.families.contains_key(&fold(&relation.family));
            for relation in conflicts.iter().filter(there) {
                let spares = |other: &Candidate| {
                    other.choice == Choice::Absent || !relation.names(other.version.as_ref())
                };
                want(&relation.family, self.those(&relation.family, spares));
            }
        }

        let constraints: DependencyConstraints<String, Ranges<u32>> = wanted.into_iter().collect();
        Ok(Dependencies::Available(constraints))
    }
}
