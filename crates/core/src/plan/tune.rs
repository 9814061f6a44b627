//! Plans to set settings: keys of settings files, values of the registry, read-only marks.

use std::collections::BTreeMap;

use super::{Place, Plan};
use crate::change::{Owner, Purpose, Side, State, Step, Target};
use crate::check::{needs_administrator, no_registry, starts_programs};
use crate::content::{Content, FileState, Stamp};
use crate::error::{Error, Result};
use crate::path::same_name;
use crate::remedy::Action;
use crate::situation::Situation;
use crate::tune::{
    COMPAT, Mode, Tunable, Tuning, all_keys, compat_value, find, started, tuning, with_mode,
};
use upright_spanner_change::SettingKey;
use upright_spanner_settings::registry::{CURRENT_USER, RegItem, RegLine, Value, ValueName};
use upright_spanner_settings::{Format, document};

/// The user's request for settings.
#[derive(Debug, Clone, Default)]
pub struct TuneRequest {
    /// Settings by their names, with the values that they are to have.
    pub set: Vec<(String, String)>,
    /// Settings to reset to the build's own values.
    pub unset: Vec<String>,
    /// Whether all settings go back to that.
    pub reset: bool,
    /// A preset of the catalog that is set.
    pub preset: Option<String>,
    /// Whether the settings files are locked, or no more.
    pub lock: Option<bool>,
    /// The program whose compatibility mode is set; by default every program that is started.
    pub program: Option<String>,
    /// Whether values of the registry are not set, but written to a file.
    pub to_reg_file: bool,
}

impl TuneRequest {
    /// Whether nothing is wanted: then settings are shown.
    pub fn is_empty(&self) -> bool {
        let Self { set, unset, reset, preset, lock, .. } = self;
        set.is_empty() && unset.is_empty() && !reset && preset.is_none() && lock.is_none()
    }
}

/// Plans the user's request for settings.
pub(crate) fn tune(
    situation: &Situation<'_>,
    family: Option<&str>,
    wish: &TuneRequest,
) -> Result<Plan> {
    let summary = summary(family, wish);
    let plan = Plan::new(situation.view, Purpose::Tune, summary);
    let tuning = tuning(situation, family);
    let mut tuner = Tuner { situation, wish, plan, tuning, files: BTreeMap::new() };

    let (compat, set): (Vec<_>, Vec<_>) =
        wish.set.iter().partition(|(name, _)| same_name(name, COMPAT));
    for (_, mode) in compat {
        tuner.set_mode(mode)?;
    }
    // A setting that is named overrides the preset.
    if let Some(preset) = &wish.preset {
        tuner.set_preset(preset)?;
    }
    for (name, value) in set {
        let setting = tuner.named(name, family)?;
        tuner.set(&setting, value)?;
    }
    for name in &wish.unset {
        if same_name(name, COMPAT) {
            tuner.set_mode("off")?;
            continue;
        }
        let setting = tuner.named(name, family)?;
        let brought = setting.brought.clone().ok_or_else(|| unknown_before(&setting))?;
        tuner.put(&setting, &brought)?;
    }
    if wish.reset {
        let differing: Vec<Tunable> =
            tuner.tuning.settings.iter().filter(|setting| setting.differs()).cloned().collect();
        for setting in differing {
            if let Some(brought) = setting.brought.clone() {
                tuner.put(&setting, &brought)?;
            }
        }
    }
    if let Some(lock) = wish.lock {
        tuner.lock(lock, family)?;
    }
    tuner.finish()
}

/// The purpose for people.
fn summary(family: Option<&str>, wish: &TuneRequest) -> String {
    let mut words = vec!["tune".to_owned()];
    words.extend(family.map(str::to_owned));
    words.extend(wish.set.iter().map(|(name, value)| format!("{name}={value}")));
    words.extend(wish.preset.iter().map(|preset| format!("preset {preset}")));
    words.extend(wish.unset.iter().map(|name| format!("unset {name}")));
    words.extend(wish.reset.then(|| "reset".to_owned()));
    words.extend(wish.lock.map(|lock| if lock { "lock" } else { "unlock" }.to_owned()));
    words.join(" ")
}

fn unknown_before(setting: &Tunable) -> Error {
    Error::Invalid {
        what: format!("the original value of `{}` is not known", setting.name),
        remedy: format!("Give a value, as in `{}=VALUE`.", setting.name).into(),
    }
}

struct Tuner<'a> {
    situation: &'a Situation<'a>,
    wish: &'a TuneRequest,
    plan: Plan,
    tuning: Tuning,
    /// Missing files that are created: format, content and family of each.
    files: BTreeMap<Place, (Format, Vec<u8>, String)>,
}

impl Tuner<'_> {
    /// The one setting that a text names.
    fn named(&self, name: &str, family: Option<&str>) -> Result<Tunable> {
        let mut found: Vec<Tunable> =
            find(&self.tuning.settings, name).into_iter().cloned().collect();
        let mut others = Vec::new();
        if let (true, Some(family)) = (found.is_empty(), family) {
            // A setting that the catalog does not describe can be set by its key.
            others = all_keys(self.situation, family);
            found = find(&others, name).into_iter().cloned().collect();
        }
        let all =
            if self.tuning.settings.is_empty() { &others } else { &self.tuning.settings }.iter();
        let mut all: Vec<String> = all.map(|setting| setting.name.clone()).collect();
        all.dedup();
        let game = self.situation.game();
        match &found[..] {
            [one] => Ok(one.clone()),
            [] => Err(Error::Invalid {
                what: format!("{} has no setting `{name}`", family.unwrap_or(&game.title)),
                remedy: match &all[..] {
                    [] => (
                        "List the settings.",
                        Action::ShowSettings { game: game.id.clone().into() },
                    )
                        .into(),
                    all => format!("Name one of these: {}.", list(all)).into(),
                },
            }),
            several => {
                let names: Vec<String> = several
                    .iter()
                    .map(|setting| match family {
                        Some(_) => setting.name.clone(),
                        None => format!("{} {}", setting.family, setting.name),
                    })
                    .collect();
                Err(Error::Invalid {
                    what: format!("`{name}` could be {} settings", several.len()),
                    remedy: format!("Name one of them whole: {}.", list(&names)).into(),
                })
            }
        }
    }

    /// Sets a setting to a value by its label.
    fn set(&mut self, setting: &Tunable, value: &str) -> Result<()> {
        let wrong = || Error::Invalid {
            what: format!("`{value}` is not a value of `{}`", setting.name),
            remedy: format!("It can be: {}.", setting.allowed).into(),
        };
        let plain = setting.allowed.value_of(value).ok_or_else(wrong)?;
        let state = match setting.kind {
            Some(kind) => State::Value(Value::parse(kind, &plain).ok_or_else(wrong)?),
            None => State::Setting(self.written(setting, &plain)?),
        };
        self.put(setting, &state)
    }

    /// How a value is written in the file of a setting.
    fn written(&self, setting: &Tunable, plain: &str) -> Result<String> {
        let key = match &setting.spot {
            Ok(Target::Setting(key)) => key,
            Ok(_) => return Ok(plain.to_owned()),
            Err(why) => {
                let game = self.situation.game().id.clone().into();
                return Err(Error::Invalid {
                    what: format!("it is not known where `{}` is: {why}", setting.name),
                    remedy: ("If the game runs in a prefix, name it.", Action::NamePrefix { game })
                        .into(),
                });
            }
        };
        if let Some(why) = &setting.unreadable {
            return Err(Error::Invalid {
                what: format!("`{}` cannot be read: {why}", setting.name),
                remedy: "Make the file readable, or remove it so that a new one is written.".into(),
            });
        }
        let like = match (&setting.now, &setting.brought) {
            (State::Setting(now), _) => Some(now.as_str()),
            (_, Some(State::Setting(brought))) => Some(brought.as_str()),
            _ => None,
        };
        let written = document::written(key.format, plain, like);
        let bytes = self.situation.window.bytes(&key.place).unwrap_or_default();
        if document::can_hold(&bytes, &written) {
            return Ok(written);
        }
        Err(Error::Invalid {
            what: format!("the encoding of {} does not say how `{plain}` is written", key.place),
            remedy: "Save that file as UTF-8 in an editor, then set it.".into(),
        })
    }

    fn set_preset(&mut self, name: &str) -> Result<()> {
        let named =
            self.tuning.presets.iter().filter(|preset| same_name(&preset.preset.name, name));
        let named: Vec<_> = named.cloned().collect();
        if named.is_empty() {
            let known: Vec<String> =
                self.tuning.presets.iter().map(|preset| preset.preset.name.clone()).collect();
            let known = if known.is_empty() { "none".to_owned() } else { list(&known) };
            return Err(Error::Invalid {
                what: format!("unknown preset `{name}`"),
                remedy: format!("The catalog has: {known}.").into(),
            });
        }
        for preset in named {
            for (name, value) in &preset.preset.settings {
                let setting = self.named(name, Some(&preset.family))?;
                self.set(&setting, value)?;
            }
        }
        Ok(())
    }

    /// Sets the compatibility mode of the selected programs.
    fn set_mode(&mut self, name: &str) -> Result<()> {
        let mode = match Mode::named(name) {
            None if !same_name(name, "off") => {
                let names: Vec<String> =
                    Mode::all().iter().map(|mode| mode.name.to_owned()).collect();
                return Err(Error::Invalid {
                    what: format!("`{name}` is not a compatibility mode"),
                    remedy: format!("It can be: {}, off.", list(&names)).into(),
                });
            }
            mode => mode,
        };
        for program in self.programs()? {
            let Some(Target::Value(at)) = compat_value(self.situation, &program) else {
                let title = format!("The compatibility mode of {}", program.file_name());
                self.plan.findings.push(no_registry::finding(self.situation.game(), &title));
                continue;
            };
            let target = Target::Value(at.clone());
            let now = self.situation.window.now(&target)?.state;
            let present = match &now {
                State::Value(value) => Some(value),
                _ => None,
            };
            let brought = self.situation.ledger.at(&target).map(|entry| entry.first.state.clone());
            let after = match with_mode(&at.registry, present, mode) {
                Some(value) => State::Value(value),
                // Without a mode the value from before is restored.
                None => brought
                    .filter(State::is_absent)
                    .unwrap_or(State::Unset { around: at.value.levels().count() }),
            };
            if self.wish.to_reg_file {
                self.write(&at.value, &after);
            } else if !now.same_as(&after) {
                let now = self.situation.ledger.unset(&target, now);
                self.plan.steps.push(Step::value(at, now, after, &Owner::Compatibility));
            }
        }
        Ok(())
    }

    /// The selected programs.
    fn programs(&self) -> Result<Vec<crate::path::TreePath>> {
        let started = started(self.situation);
        let Some(named) = &self.wish.program else { return Ok(started) };
        let all = self.situation.view.programs.iter().map(|program| &program.path);
        let of_name = |path: &&crate::path::TreePath| {
            same_name(path.as_str(), &named.replace('\\', "/"))
                || same_name(path.file_name(), named)
        };
        let found: Vec<_> = all.clone().filter(of_name).cloned().collect();
        if found.is_empty() {
            let names: Vec<String> = all.map(ToString::to_string).collect();
            return Err(Error::Invalid {
                what: format!("{} has no program `{named}`", self.situation.game().title),
                remedy: format!("Name one of these: {}.", list(&names)).into(),
            });
        }
        Ok(found)
    }

    /// Locks the settings files of the family, or unlocks them.
    fn lock(&mut self, lock: bool, family: Option<&str>) -> Result<()> {
        if self.tuning.files.is_empty() {
            let game = self.situation.game();
            return Err(Error::Invalid {
                what: format!("{} has no settings file", family.unwrap_or(&game.title)),
                remedy: (
                    "List the settings.",
                    Action::ShowSettings { game: game.id.clone().into() },
                )
                    .into(),
            });
        }
        for file in self.tuning.files.iter().filter(|file| file.is_locked() != lock) {
            let target = Target::ReadOnly(file.place.clone());
            // The state before the lock is restored with its permission bits.
            let before = self.situation.ledger.at(&target).map(|entry| entry.shipped.state.clone());
            let after = before.filter(|before| before.is_marked() == lock);
            let after = after.unwrap_or(State::mark(lock));
            let (mark, owner) = (file.mark.clone().into(), Owner::of_family(&file.family));
            self.plan.steps.push(Step::of(target, mark, after.into(), &owner));
        }
        Ok(())
    }

    /// Puts a setting into a state.
    fn put(&mut self, setting: &Tunable, state: &State) -> Result<()> {
        if let (Some(_), Ok(Target::Value(at))) = (setting.kind, &setting.spot) {
            self.plan.findings.extend(starts_programs::check(&at.value));
            self.plan.findings.extend(needs_administrator::check(&at.value));
        }
        match &setting.spot {
            Ok(Target::Value(at)) if self.wish.to_reg_file => self.write(&at.value, state),
            Ok(target) => {
                self.step(target, &setting.now, state.clone(), &setting.family)?;
                for copy in &setting.copies {
                    let now = self.situation.window.now(copy)?.state;
                    self.step(copy, &now, state.clone(), &setting.family)?;
                }
            }
            Err(_) => self.without_registry(setting, state),
        }
        Ok(())
    }

    fn without_registry(&mut self, setting: &Tunable, state: &State) {
        let family = self.situation.catalog.family(&setting.family);
        let described = family.and_then(|family| {
            family.settings.iter().find(|described| described.name == setting.name)
        });
        match described.map(|described| &described.place) {
            Some(crate::catalog::SettingPlace::Value { value, .. }) if self.wish.to_reg_file => {
                let value = value.clone();
                self.write(&value, state);
            }
            _ => {
                let named = format!("`{}`", setting.name);
                self.plan.findings.push(no_registry::finding(self.situation.game(), &named));
            }
        }
    }

    fn write(&mut self, value: &ValueName, state: &State) {
        let item = match state {
            State::Value(new) => RegItem::Set(value.name.clone(), new.clone()),
            _ => RegItem::Delete(value.name.clone()),
        };
        let key = format!(r"{CURRENT_USER}\{}", value.key);
        self.plan.written.push(RegLine { number: 0, key, item });
    }

    /// Plans the step; the last word on a target counts.
    fn step(&mut self, target: &Target, now: &State, state: State, family: &str) -> Result<()> {
        let owner = Owner::of_family(family);
        let key = target.key();
        self.plan.steps.retain(|step| step.target().key() != key);
        let is_set = now.same_as(&state);
        let Target::Setting(key) = target else {
            if !is_set {
                let now = self.situation.ledger.unset(target, now.clone());
                self.plan.steps.push(Step::of(target.clone(), now.into(), state.into(), &owner));
            }
            return Ok(());
        };

        let mark = self.situation.window.now(&Target::ReadOnly(key.place.clone()));
        if mark.is_ok_and(|mark| mark.state.is_absent()) {
            return match state {
                State::Setting(value) => self.make(key, &value, family),
                _ => Ok(()),
            };
        }
        if is_set {
            return Ok(());
        }
        if let State::Setting(value) = &state {
            let bytes = self.situation.window.bytes(&key.place)?;
            expect_held(key, document::set(key.format, &bytes, &key.path, value))?;
        }
        let now = self.situation.ledger.unset(target, now.clone());
        self.plan.steps.push(Step::of(target.clone(), now.into(), state.into(), &owner));
        Ok(())
    }

    /// Puts a key into a file that is not there yet.
    fn make(&mut self, key: &SettingKey, value: &str, family: &str) -> Result<()> {
        let empty = || {
            let bytes = if key.format == Format::Json { b"{}\n".to_vec() } else { Vec::new() };
            (key.format, bytes, family.to_owned())
        };
        let (format, bytes, _) = self.files.entry(key.place.clone()).or_insert_with(empty);
        if *format == Format::Xml {
            return Err(Error::Invalid {
                what: format!("{} is not there, and cannot be begun as XML", key.place),
                remedy: "Start the game once: it writes its settings then.".into(),
            });
        }
        *bytes = expect_held(key, document::set(*format, bytes, &key.path, value))?;
        Ok(())
    }

    fn finish(mut self) -> Result<Plan> {
        for (place, (_, bytes, family)) in std::mem::take(&mut self.files) {
            let stamp = Stamp::fresh((jiff::Timestamp::now().as_second(), 0));
            let state = FileState { content: Content::of_bytes(&bytes), stamp };
            let after = Side::file(state, None);
            self.plan.steps.push(Step::replace(place, Side::ABSENT, after, &Owner::Family(family)));
            self.plan.made.push(bytes);
        }
        self.plan.arrange(self.situation)?;
        self.plan.findings.dedup();
        Ok(self.plan)
    }
}

/// Fails if a file cannot hold a value.
fn expect_held(key: &SettingKey, altered: document::Result<Vec<u8>>) -> Result<Vec<u8>> {
    altered.map_err(|fault| Error::Invalid {
        what: format!("{} cannot be set in {}: {fault}", key.path, key.place),
        remedy: "Give another value, or correct that file.".into(),
    })
}

/// Names in a row.
fn list(names: &[String]) -> String {
    names.join(", ")
}
