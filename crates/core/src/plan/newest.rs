//! Decides which builds are fitted: the named one, or the newest that nothing stops, together with those it is tied
//! to.

use std::cell::RefCell;
use std::collections::BTreeMap;

use super::choice::{Candidate, Choice, choose_together};
use super::entry::{by_entry, entry};
use super::options::FitOptions;
use super::slots::{Shares, kin, needs, shares};
use super::{FitPlanner, Plan, slots, stop_broken_loading, unless_in_use};
use crate::change::Purpose;
use crate::check::{
    Alongside, Finding, already_fitted, conflicts, requires, ties_unsolvable, variant_missing,
    version_passed_over,
};
use crate::error::{Error, RackError, Result};
use crate::path::{fold, same_name};
use crate::rack::{self, Build, BuildSpec};
use crate::situation::Situation;

/// Plans for one game, build by build.
pub(crate) struct Planner<'a> {
    pub situation: &'a Situation<'a>,
    pub options: &'a FitOptions,
    /// The builds of the package that is fitted, or of the rack.
    pub builds: &'a [Build],
    /// Whether the user named the variant: files for another machine get no other then.
    pub is_exact: bool,
}

impl Planner<'_> {
    /// The plan for one build, with others that come in the same change. Files for another machine get the
    /// variant for that.
    pub fn plan(&self, build: &Build, alongside: &[Alongside]) -> Result<Plan> {
        let view = self.situation.view;
        let kin = if self.is_exact { Vec::new() } else { kin(view, build, self.builds) };
        let Shares { shares, unserved } = shares(view, build, &kin, self.options);
        let is_several = shares.len() > 1;
        let mut plans = Vec::new();
        for share in shares {
            let entry = entry(self.situation, share.build, &share.slots, self.options)?;
            let fit = FitPlanner {
                situation: self.situation,
                build: share.build,
                slots: share.slots,
                entry,
                options: self.options,
                alongside,
                folders: RefCell::default(),
            };
            let summary = format!("fit {}", share.build.id);
            plans.push(unless_in_use(view, Purpose::Fit, &summary, fit.plan())?);
        }
        let first = plans.remove(0);
        let mut plan = first.with(plans);
        if is_several {
            plan.summary = format!("fit {}", build.id.release());
        }
        plan.findings.extend(unserved.iter().map(|slot| variant_missing::finding(build, slot)));
        if plan.is_empty() && plan.findings.is_empty() && plan.in_use.is_empty() {
            plan.findings.push(already_fitted::finding(build, &view.game));
        }
        stop_broken_loading(self.situation, &mut plan);
        plan.override_stops(&self.options.despite);
        Ok(plan)
    }

    /// The plan for the newest build that nothing stops.
    pub fn newest(&self, of_family: &[&Build], what: &str) -> Result<(Plan, Build)> {
        let mut plans: Vec<(&Build, Plan)> = Vec::new();
        for build in in_order(of_family, self.situation, what)? {
            let plan = self.plan(build, &[])?;
            let free = plan.stops().is_empty();
            plans.push((build, plan));
            if free {
                break;
            }
        }

        let tied = |plan: &Plan| plan.stops().iter().all(|stop| is_tie(stop));
        let first = plans.iter().position(|(_, plan)| tied(plan));
        let Some(first) = first else {
            // Nothing can be had: the newest says why, in full.
            let mut rest = plans.into_iter();
            let (build, plan) = rest
                .next()
                .ok_or_else(|| RackError::Unknown { spec: what.to_owned(), known: Vec::new() })?;
            return Ok((plan, build.clone()));
        };

        let (chosen, mut plan, alongside) = if plans[first].1.stops().is_empty() {
            let (build, plan) = plans.remove(first);
            (build, plan, Vec::new())
        } else {
            self.untie(&mut plans, first)?
        };
        // The newer builds that were passed over, in the order of preference; for several builds at once, a tie
        // between them is not a reason.
        for (build, other) in plans.iter().take_while(|(build, _)| build.version > chosen.version) {
            let untied =
                if alongside.is_empty() { None } else { Some(self.plan(build, &alongside)?) };
            let stops = untied.as_ref().unwrap_or(other).stops();
            let why = stops.first().map(|stop| stop.sentence.clone()).unwrap_or_default();
            plan.findings.push(version_passed_over::finding(
                build,
                &self.situation.view.game,
                &why,
            ));
        }

        Ok((plan, chosen.clone()))
    }

    /// Chooses builds of several families together. Takes the plan of the choice out of `plans`.
    fn untie<'b>(
        &self,
        plans: &mut Vec<(&'b Build, Plan)>,
        first: usize,
    ) -> Result<(&'b Build, Plan, Vec<Alongside>)>
    where
        Self: 'b,
    {
        let family = fold(&plans[first].0.id.family);
        let choice = |build: &Build| {
            let at = self.situation.builds.iter().position(|other| other.id == build.id);
            at.map_or(Choice::Kept, Choice::Build)
        };
        let eligible: Vec<Candidate> = plans
            .iter()
            .rev()
            .filter(|(_, plan)| plan.stops().iter().all(|stop| is_tie(stop)))
            .map(|(build, _)| Candidate { version: build.version.clone(), choice: choice(build) })
            .collect();

        let mut families = self.related(&family)?;
        families.insert(family.clone(), eligible);
        let solution = match choose_together(&family, &families, &self.situation.catalog) {
            Ok(solution) => solution,
            Err(sentences) => {
                let (build, mut plan) = plans.remove(first);
                let finding =
                    ties_unsolvable::finding(build, &self.situation.view.game, &sentences);
                plan.findings.insert(0, finding);
                return Ok((build, plan, Vec::new()));
            }
        };
        let chosen = |family: &str| match solution.get(family)?.choice {
            Choice::Build(at) => self.situation.builds.get(at),
            Choice::Kept | Choice::Absent => None,
        };
        let others: Vec<&Build> = solution
            .keys()
            .filter(|other| **other != family)
            .filter_map(|other| chosen(other))
            .collect();
        let head = chosen(&family).unwrap_or(plans[first].0);
        let at = plans.iter().position(|(build, _)| build.id == head.id).unwrap_or(first);
        let (head, _) = plans.remove(at);
        let all: Vec<&Build> = std::iter::once(head).chain(others.iter().copied()).collect();
        let with_head = alongside(head, &all);
        let plan = self.plan(head, &with_head)?;
        let others: Result<Vec<Plan>> =
            others.iter().map(|build| self.plan(build, &alongside(build, &all))).collect();
        let mut plan = plan.with(others?);
        stop_broken_loading(self.situation, &mut plan);
        Ok((head, plan, with_head))
    }

    /// The families that ties could concern, except `family` itself, with their possible outcomes: builds that
    /// nothing else stops, and, least wanted, the present component.
    fn related(&self, family: &str) -> Result<BTreeMap<String, Vec<Candidate>>> {
        let mut families: BTreeMap<String, Vec<Candidate>> = BTreeMap::new();
        let tied = self.situation.catalog.families().iter().flat_map(|entry| {
            let relations = entry.requires.iter().chain(&entry.conflicts);
            relations.flat_map(|relation| [fold(&entry.id), fold(&relation.family)])
        });
        let mut tied: Vec<String> = tied.filter(|name| name != family).collect();
        tied.sort();
        tied.dedup();
        for name in tied {
            let live = self.situation.view.libraries.iter().filter(|library| !library.put_aside);
            let there = live.filter(|library| fold(&library.family) == name);
            let there = there.map(|library| library.facts.version()).next();
            let wanted =
                self.situation.catalog.families().iter().any(|entry| {
                    entry.requires.iter().any(|relation| fold(&relation.family) == name)
                });
            // A component that the game lacks is added only if another needs it.
            if there.is_none() && !wanted {
                continue;
            }
            let mut candidates = Vec::new();
            let mut builds: Vec<(usize, &Build)> = self
                .situation
                .builds
                .iter()
                .enumerate()
                .filter(|(_, build)| fold(&build.id.family) == name)
                .collect();
            builds.sort_by(|(_, a), (_, b)| a.version.cmp(&b.version));
            for (at, build) in builds {
                let plan = match self.plan(build, &[]) {
                    // The user is not asked about a family that nobody named.
                    Err(Error::Rack(RackError::SeveralEntries { .. })) => continue,
                    plan => plan?,
                };
                if plan.stops().iter().all(|stop| is_tie(stop)) {
                    let version = build.version.clone();
                    candidates.push(Candidate { version, choice: Choice::Build(at) });
                }
            }
            candidates.push(match there {
                Some(version) => Candidate { version, choice: Choice::Kept },
                None => Candidate { version: None, choice: Choice::Absent },
            });
            families.insert(name, candidates);
        }

        Ok(families)
    }
}

/// The other builds of the same change.
pub(crate) fn alongside(own: &Build, all: &[&Build]) -> Vec<Alongside> {
    let others = all.iter().filter(|build| build.id != own.id);
    others
        .map(|build| Alongside { family: build.id.family.clone(), version: build.version.clone() })
        .collect()
}

/// Whether a finding is about a tie between families, which another choice may untie.
fn is_tie(finding: &Finding) -> bool {
    [requires::CODE, conflicts::CODE].contains(&finding.code.as_str())
}

/// The builds of a family, the newest first, one of each version: those for the game's machine, and
/// releases before others.
fn in_order<'a>(
    of_family: &[&'a Build],
    situation: &Situation<'_>,
    what: &str,
) -> Result<Vec<&'a Build>> {
    let view = situation.view;
    let mut builds = of_family.to_vec();
    if let Some(machine) = view.machine() {
        rack::retain_if_any(&mut builds, |build| build.runs_on(machine));
    }
    let is_release =
        |build: &Build| build.version.as_ref().is_none_or(|version| !version.is_prerelease());
    builds
        .sort_by(|a, b| is_release(b).cmp(&is_release(a)).then_with(|| b.version.cmp(&a.version)));

    let mut out: Vec<&Build> = Vec::new();
    for group in builds.chunk_by(|a, b| a.version == b.version) {
        let mut same: Vec<&Build> = group.to_vec();
        needs(view).narrow(&mut same);
        rack::retain_if_any(&mut same, |build| build.id.variant.is_none());
        let one = match same[..] {
            [one] => Some(one),
            _ => by_entry(situation, &same),
        };
        match one {
            Some(one) => out.push(one),
            // An older one is of no help if the newest leaves a choice.
            None if out.is_empty() => {
                return Err(RackError::Several {
                    spec: what.to_owned(),
                    candidates: same.iter().map(|build| build.id.to_string()).collect(),
                }
                .into());
            }
            None => {}
        }
    }

    Ok(out)
}

/// The name of a build with the wanted variant, which may be given as a whole name.
pub(crate) fn wanted(what: &str, variant: &str) -> String {
    if variant.contains('@') {
        return variant.to_owned();
    }
    let spec = BuildSpec::parse(what);
    format!("{}@{}+{variant}", spec.family, spec.version.unwrap_or_default())
}

/// The one build of a package that a game has a place for, or could have.
pub(crate) fn choose_from_package<'a>(
    builds: &'a [Build],
    what: &str,
    options: &FitOptions,
    situation: &Situation<'_>,
) -> Result<&'a Build> {
    let view = situation.view;
    let several = |builds: &[&Build]| {
        Error::Rack(RackError::Several {
            spec: what.to_owned(),
            candidates: builds.iter().map(|build| build.id.to_string()).collect(),
        })
    };

    let mut fitting: Vec<&Build> =
        builds.iter().filter(|build| !slots(view, build).is_empty()).collect();
    if fitting.is_empty() {
        fitting = builds.iter().collect();
    }
    if let Some(wanted) = &options.variant {
        let meant = |build: &Build| {
            same_name(&build.id.to_string(), wanted)
                || build.id.variant.as_ref().is_some_and(|variant| same_name(variant, wanted))
        };
        let all: Vec<&Build> = builds.iter().collect();
        fitting = all.iter().copied().filter(|build| meant(build)).collect();
        if fitting.is_empty() {
            return Err(several(&all));
        }
    } else {
        needs(view).narrow(&mut fitting);
        rack::retain_if_any(&mut fitting, |build| build.id.variant.is_none());
    }

    match &fitting[..] {
        [one] => Ok(one),
        _ => by_entry(situation, &fitting).ok_or_else(|| several(&fitting)),
    }
}
