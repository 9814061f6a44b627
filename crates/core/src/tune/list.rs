//! The settings of a game's components: those that the catalog describes, else the keys of their settings files.

use std::collections::HashSet;

use super::compat::{Mode, compat_value};
use super::place;
use super::tunable::{PresetState, ProgramMode, SettingsFile, Tunable, Tuning};
use crate::catalog::{Allowed, Choice, Preset, Setting, SettingPlace};
use crate::change::{State, Target};
use crate::content::Content;
use crate::path::{TreePath, extension, fold, same_name, stem};
use crate::rack::{Build, Policy};
use crate::situation::Situation;
use crate::survey::Library;
use upright_spanner_change::{Place, RegistryValue, SettingKey};
use upright_spanner_image::Version;
use upright_spanner_settings::{Format, Lookup, document};

/// The endings of settings files that are looked for beside a component.
const ENDINGS: [&str; 6] = ["ini", "cfg", "conf", "toml", "json", "xml"];

/// Why a file is not read that would have to be fetched.
const IN_CLOUD: &str = "it is only a placeholder of a cloud folder; open it once to fetch it";

/// The settings of a game: of one family, or of all that have any.
pub(crate) fn tuning(situation: &Situation<'_>, family: Option<&str>) -> Tuning {
    let mut tuning = Tuning { programs: programs(situation), ..Tuning::default() };
    for family in families(situation, family) {
        let component = Component::of(situation, &family);
        let described = component.described();
        let files = component.files();
        let mut settings: Vec<Tunable> =
            described.into_iter().map(|setting| component.tunable(setting)).collect();
        if settings.is_empty() {
            let several = files.len() > 1;
            settings.extend(files.iter().flat_map(|file| component.keys(file, several)));
        }
        tuning.presets.extend(component.presets(&settings));
        let mut places = files;
        let spots = settings.iter().flat_map(|s| s.spot.iter().chain(&s.copies));
        let of_settings = spots.filter_map(|target| match target {
            Target::Setting(key) => Some(key.place.clone()),
            _ => None,
        });
        places.extend(of_settings);
        places.sort();
        places.dedup();
        let files = places.into_iter().filter_map(|place| {
            let mark = situation.window.now(&Target::ReadOnly(place.clone())).ok()?.state;
            let family = family.clone();
            (!mark.is_absent()).then_some(SettingsFile { family, place, mark })
        });
        tuning.files.extend(files);
        tuning.settings.extend(settings);
    }
    tuning
}

/// Every key of the settings files of a family, also if the catalog describes some settings.
pub(crate) fn all_keys(situation: &Situation<'_>, family: &str) -> Vec<Tunable> {
    let component = Component::of(situation, family);
    let files = component.files();
    let several = files.len() > 1;
    files.iter().flat_map(|file| component.keys(file, several)).collect()
}

/// The programs of a game that are started: the one that counts, and those that builds brought.
pub(crate) fn started(situation: &Situation<'_>) -> Vec<TreePath> {
    let mut programs: Vec<TreePath> =
        situation.view.executable().map(|executable| executable.path.clone()).into_iter().collect();
    let brought = situation.ledger.files().filter(|(place, entry)| {
        let is_program = extension(place.path().file_name()) == "exe";
        is_program && place.bay().is_none() && !entry.last.state.is_absent()
    });
    for (place, _) in brought {
        if !programs.iter().any(|program| program.same_as(place.path())) {
            programs.push(place.path().clone());
        }
    }
    programs
}

fn programs(situation: &Situation<'_>) -> Vec<ProgramMode> {
    let mode = |program: TreePath| {
        let spot = compat_value(situation, &program);
        let found = spot.as_ref().and_then(|spot| situation.window.now(spot).ok());
        let now = found.map_or(State::Unset { around: 0 }, |found| found.state);
        let mode = match (&spot, &now) {
            (Some(Target::Value(at)), State::Value(value)) => Mode::of(&at.registry, value),
            _ => None,
        };
        ProgramMode { program, spot, now, mode }
    };
    started(situation).into_iter().map(mode).collect()
}

/// The families of a game that may have settings: those of its components, and those that changes were about.
fn families(situation: &Situation<'_>, only: Option<&str>) -> Vec<String> {
    let live = situation.view.libraries.iter().filter(|library| !library.put_aside);
    let components = live.filter(|library| {
        library.is_component || only.is_some_and(|only| same_name(only, &library.family))
    });
    let recorded = situation.ledger.files().filter_map(|(_, entry)| entry.owner.family());
    let mut seen = HashSet::new();
    let all = components.map(|library| library.family.as_str()).chain(recorded);
    let all = all.filter(|family| only.is_none_or(|only| same_name(only, family)));
    all.filter(|family| seen.insert(fold(family))).map(str::to_owned).collect()
}

/// One family in a game.
struct Component<'a> {
    situation: &'a Situation<'a>,
    family: String,
    libraries: Vec<&'a Library>,
    version: Option<Version>,
    /// The builds of it that the records say were put there, the last one first.
    builds: Vec<&'a Build>,
}

impl<'a> Component<'a> {
    fn of(situation: &'a Situation<'a>, family: &str) -> Self {
        let live = situation.view.libraries.iter().filter(|library| !library.put_aside);
        let libraries: Vec<&Library> =
            live.filter(|library| same_name(&library.family, family)).collect();
        let version = libraries.iter().find_map(|library| library.facts.version());
        let of_family = situation.ledger.files().filter(|(_, e)| e.owner.is_family(family));
        let sources: HashSet<&str> =
            of_family.filter_map(|(_, entry)| entry.source.as_deref()).collect();
        // Also builds on the rack that were put there by hand or restored.
        let window = situation.window;
        let there = libraries
            .iter()
            .filter_map(|library| window.file(&library.path.clone().into()).ok()?.state.content());
        let there: HashSet<Content> = there.collect();
        let fitted = |build: &&Build| {
            same_name(&build.id.family, family)
                && (sources.contains(&*build.id.to_string()) || there.contains(&build.file.content))
        };
        let builds = situation.builds.iter().filter(fitted).collect();
        Self { situation, family: family.to_owned(), libraries, version, builds }
    }

    /// The settings that the catalog describes of this version.
    fn described(&self) -> Vec<&'a Setting> {
        let Some(family) = self.situation.catalog.family(&self.family) else { return Vec::new() };
        family.settings.iter().filter(|setting| setting.is_of(self.version.as_ref())).collect()
    }

    fn presets(&self, settings: &[Tunable]) -> Vec<PresetState> {
        let Some(family) = self.situation.catalog.family(&self.family) else { return Vec::new() };
        let presets = family.presets.iter().filter(|preset| preset.is_of(self.version.as_ref()));
        let state = |preset: &Preset| {
            let differs = |(name, value): (&String, &String)| {
                let setting = settings.iter().find(|setting| same_name(&setting.name, name))?;
                let wanted = setting.allowed.value_of(value).unwrap_or_else(|| value.clone());
                let wanted = setting.allowed.label_of(&wanted);
                (setting.shown(&setting.now) != Some(wanted)).then(|| setting.name.clone())
            };
            let differing = preset.settings.iter().filter_map(differs).collect();
            PresetState { family: self.family.clone(), preset: preset.clone(), differing }
        };
        presets.map(state).collect()
    }

    /// The settings files of the component: those that were put there with it, and those beside it that have its
    /// name, or one that a build of the rack has for them.
    fn files(&self) -> Vec<Place> {
        let Situation { ledger, window, .. } = self.situation;
        let is_settings = |name: &str| ENDINGS.contains(&extension(name).as_str());
        let mut files: Vec<Place> = ledger
            .files()
            .filter(|(place, entry)| {
                entry.owner.is_family(&self.family) && is_settings(place.path().file_name())
            })
            .map(|(place, _)| window.on_disk(ledger, place))
            .collect();

        let of_family =
            self.situation.builds.iter().filter(|build| same_name(&build.id.family, &self.family));
        let kept = of_family.flat_map(|build| &build.layout.places).filter(|place| {
            matches!(place.policy, Policy::Keep | Policy::Merge)
                && is_settings(place.to.file_name())
        });
        let kept: HashSet<String> = kept.map(|place| place.to.file_name().to_owned()).collect();
        for library in &self.libraries {
            let own = [stem(library.path.file_name()), &self.family];
            let own = own.into_iter().flat_map(|name| ENDINGS.map(|end| format!("{name}.{end}")));
            let beside = own.chain(kept.iter().cloned());
            let beside = beside.filter_map(|name| library.path.sibling(&name).ok());
            files.extend(beside.map(|path| window.spelled(path.into())));
        }
        files.sort();
        files.dedup();
        let is_there = |place: &Place| {
            let mark = window.now(&Target::ReadOnly(place.clone()));
            mark.is_ok_and(|mark| !mark.state.is_absent())
        };
        files.retain(is_there);
        files
    }

    /// The files that are there of those that a path with placeholders leads to: one beside each copy of the
    /// component.
    fn places_of(&self, file: &str) -> Vec<Place> {
        let is_there = |place: &Place| {
            let mark = self.situation.window.now(&Target::ReadOnly(place.clone()));
            mark.is_ok_and(|mark| !mark.state.is_absent())
        };
        let resolve = |library: &&Library| place::resolve(self.situation, Some(library), file).ok();
        let mut places: Vec<Place> =
            self.libraries.iter().filter_map(resolve).filter(is_there).collect();
        places.dedup();
        places
    }

    /// A setting that the catalog describes, as it is now.
    fn tunable(&self, setting: &Setting) -> Tunable {
        let mut copies = Vec::new();
        let (spot, kind) = match &setting.place {
            SettingPlace::Key { file, format, path } => {
                let key = |place| {
                    Target::Setting(SettingKey { place, format: *format, path: path.clone() })
                };
                let mut places = self.places_of(file);
                let place = if places.is_empty() {
                    place::resolve(self.situation, self.libraries.first().copied(), file)
                } else {
                    Ok(places.remove(0))
                };
                copies.extend(places.into_iter().map(key));
                (place.map(key), None)
            }
            SettingPlace::Argument(path) | SettingPlace::Environment(path) => {
                let place = place::start_file(self.situation);
                let key = |place| SettingKey { place, format: Format::Toml, path: path.clone() };
                (place.map(|place| Target::Setting(key(place))), None)
            }
            SettingPlace::Value { value, kind } => {
                let registry = place::registry(self.situation);
                let target =
                    |registry| Target::Value(RegistryValue { registry, value: value.clone() });
                let none = || "the game has no prefix, and this system has no registry".to_owned();
                (registry.map(target).ok_or_else(none), Some(*kind))
            }
        };
        let (now, unreadable) = match &spot {
            Ok(target) => self.look(target),
            Err(_) => (State::Unset { around: 0 }, None),
        };
        let brought = spot.as_ref().ok().and_then(|target| self.brought(target));
        Tunable {
            family: self.family.clone(),
            name: setting.name.clone(),
            title: setting.title.clone(),
            about: setting.about.clone(),
            affects: setting.affects.clone(),
            allowed: setting.allowed.clone(),
            spot,
            copies,
            kind,
            now,
            brought,
            unreadable,
            is_described: true,
            is_at_start: matches!(
                setting.place,
                SettingPlace::Argument(_) | SettingPlace::Environment(_)
            ),
        }
    }

    fn look(&self, target: &Target) -> (State, Option<String>) {
        if target.place().is_some_and(|place| self.situation.window.is_in_cloud(place)) {
            return (State::Unset { around: 0 }, Some(IN_CLOUD.to_owned()));
        }
        match self.situation.window.now(target) {
            Ok(side) => (side.state, None),
            Err(error) => (State::Unset { around: 0 }, Some(error.to_string())),
        }
    }

    /// Every key of a settings file that is not described.
    fn keys(&self, place: &Place, several: bool) -> Vec<Tunable> {
        let format = Format::of_file(place.path().file_name());
        if self.situation.window.is_in_cloud(place) {
            return Vec::new();
        }
        let Ok(bytes) = self.situation.window.bytes(place) else { return Vec::new() };
        let Ok(entries) = document::entries(format, &bytes) else { return Vec::new() };
        let brought = self.brought_file(place);
        let tunable = |entry: document::Entry| {
            let named = entry.path.to_string();
            let name =
                if several { format!("{}/{named}", place.path().file_name()) } else { named };
            let key = SettingKey { place: place.clone(), format, path: entry.path };
            let recorded = self.situation.ledger.at(&Target::Setting(key.clone()));
            let brought = brought.as_ref().and_then(|bytes| in_file(&key, bytes));
            Tunable {
                family: self.family.clone(),
                name,
                title: None,
                about: Some(entry.comment).filter(|comment| !comment.is_empty()),
                affects: None,
                allowed: like(format, &entry.value),
                brought: brought.or_else(|| recorded.map(|entry| entry.first.state.clone())),
                spot: Ok(Target::Setting(key)),
                copies: Vec::new(),
                kind: None,
                now: State::Setting(entry.value),
                unreadable: None,
                is_described: false,
                is_at_start: false,
            }
        };
        entries.into_iter().map(tunable).collect()
    }

    /// The state that the build or the game brought, if it is known.
    fn brought(&self, target: &Target) -> Option<State> {
        let in_build = match target {
            Target::Setting(key) => {
                self.brought_file(&key.place).and_then(|bytes| in_file(key, &bytes))
            }
            _ => None,
        };
        in_build.or_else(|| Some(self.situation.ledger.at(target)?.first.state.clone()))
    }

    /// The settings file as the build brought it that was put there, else as the game did.
    fn brought_file(&self, place: &Place) -> Option<Vec<u8>> {
        let recorded = self.situation.ledger.get(place);
        let name = place.path().file_name();
        let of_build = self.builds.iter().find_map(|build| {
            let mut named = build.layout.places.iter();
            let placed = named.find(|placed| same_name(placed.to.file_name(), name))?;
            build.stored(&placed.from).map(|file| file.content)
        });
        let content = of_build.or_else(|| recorded?.shipped.state.content())?;
        if content.size > document::LONGEST as u64 {
            return None;
        }
        self.situation.window.stored(&content).ok()
    }
}

/// The state of a key in a file.
fn in_file(key: &SettingKey, bytes: &[u8]) -> Option<State> {
    Some(match document::get(key.format, bytes, &key.path).ok()? {
        Lookup::Value(value) => State::Setting(value),
        Lookup::Absent { around } => State::Unset { around },
    })
}

/// The values of an undescribed setting, guessed from its present one.
fn like(format: Format, value: &str) -> Allowed {
    let plain = document::plain(format, value);
    let is_typed = matches!(format, Format::Toml | Format::Json);
    match plain.to_ascii_lowercase().as_str() {
        "true" | "false" if plain == value => {
            let choice = |value: &str| Choice { value: value.to_owned(), label: None };
            Allowed::Choice(vec![choice("true"), choice("false")])
        }
        _ if is_typed && plain == value && plain.parse::<f64>().is_ok() => {
            Allowed::Number { least: None, most: None }
        }
        _ => Allowed::Text,
    }
}
