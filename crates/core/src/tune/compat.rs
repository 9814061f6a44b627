//! The operating system's own compatibility mode of a program: a value of the registry, on Windows as in a prefix.

use crate::game::Environment;
use crate::path::{TreePath, slashes};
use crate::situation::Situation;
use crate::survey::GameView;
use upright_spanner_change::{Registry, RegistryValue, Target};
use upright_spanner_settings::registry::{Value, ValueName};

use super::place::registry;

/// The name of the compatibility mode on the command line.
pub const COMPAT: &str = "compat";

/// The key under which Windows keeps the modes of programs, by their paths.
const LAYERS: &str = r"Software\Microsoft\Windows NT\CurrentVersion\AppCompatFlags\Layers";

/// A version of Windows that a program can be told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Mode {
    /// Its name on the command line.
    pub name: &'static str,
    /// Windows' word for it among the layers of a program.
    pub layer: &'static str,
    /// The word of a prefix.
    pub version: &'static str,
}

/// The modes that Windows and prefixes know, the newest first.
const MODES: [Mode; 7] = [
    Mode { name: "windows-8", layer: "WIN8RTM", version: "win8" },
    Mode { name: "windows-7", layer: "WIN7RTM", version: "win7" },
    Mode { name: "windows-vista", layer: "VISTASP2", version: "vista" },
    Mode { name: "windows-xp", layer: "WINXPSP3", version: "winxp" },
    Mode { name: "windows-2000", layer: "WIN2000", version: "win2k" },
    Mode { name: "windows-98", layer: "WIN98", version: "win98" },
    Mode { name: "windows-95", layer: "WIN95", version: "win95" },
];

impl Mode {
    /// Every mode.
    pub fn all() -> &'static [Self] {
        &MODES
    }

    /// The mode of that name.
    pub fn named(name: &str) -> Option<&'static Self> {
        MODES.iter().find(|mode| mode.name.eq_ignore_ascii_case(name))
    }

    /// The mode that a value of the registry sets.
    pub fn of(registry: &Registry, value: &Value) -> Option<&'static Self> {
        let text = value.as_text()?;
        MODES.iter().find(|mode| match registry {
            Registry::Windows => text.split_whitespace().any(|word| is_layer_of(word, mode)),
            Registry::Prefix(_) => text.eq_ignore_ascii_case(mode.version),
        })
    }
}

/// Whether a word is Windows' word for a mode, of whatever service pack.
fn is_layer_of(word: &str, mode: &Mode) -> bool {
    let base = mode.layer.trim_end_matches("RTM").trim_end_matches(|c: char| c.is_ascii_digit());
    let base = base.trim_end_matches("SP");
    word.eq_ignore_ascii_case(mode.layer)
        || word.len() > base.len()
            && word.get(..base.len()).is_some_and(|start| start.eq_ignore_ascii_case(base))
            && is_service_pack(&word[base.len()..])
}

fn is_service_pack(rest: &str) -> bool {
    rest.eq_ignore_ascii_case("RTM")
        || rest.get(..2).is_some_and(|start| start.eq_ignore_ascii_case("SP"))
}

/// The value of the registry that holds the mode of a program; `None` without a registry.
pub(crate) fn compat_value(situation: &Situation<'_>, program: &TreePath) -> Option<Target> {
    let registry = registry(situation)?;
    let value = match &registry {
        Registry::Windows => ValueName::new(LAYERS, &on_windows(situation.view, program)),
        Registry::Prefix(_) => ValueName::new(&Environment::key_of(program.file_name()), "Version"),
    };
    Some(Target::Value(RegistryValue { registry, value: value.ok()? }))
}

/// The path of a program as Windows itself writes it.
fn on_windows(view: &GameView, program: &TreePath) -> String {
    slashes(&program.on(&view.game.root)).replace('/', r"\")
}

/// The value with another mode, or without one: `None` if nothing remains.
pub(crate) fn with_mode(
    registry: &Registry,
    now: Option<&Value>,
    mode: Option<&Mode>,
) -> Option<Value> {
    match registry {
        Registry::Prefix(_) => mode.map(|mode| Value::text(mode.version)),
        Registry::Windows => {
            let text = now.and_then(Value::as_text).unwrap_or_default();
            // Other words about the program are kept.
            let words = text.split_whitespace().filter(|word| *word != "~");
            let others = words.filter(|word| !MODES.iter().any(|mode| is_layer_of(word, mode)));
            let words: Vec<&str> = others.chain(mode.map(|mode| mode.layer)).collect();
            (!words.is_empty()).then(|| Value::text(&format!("~ {}", words.join(" "))))
        }
    }
}
