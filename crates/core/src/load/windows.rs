//! Windows' own exports: on Windows those of the system's folders, elsewhere a known list.
//!
//! An environment in place of Windows lacks some of them: there, too, the known list counts.

use std::collections::{HashMap, HashSet};
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

use upright_spanner_image::system::{comes_with_windows, functions_of, is_api_set};
use upright_spanner_image::{Machine, exports_of};

/// A Windows library, or the fact that there is none of a name.
#[derive(Debug, Clone)]
pub(super) enum Own {
    /// Windows has no such library.
    Absent,
    /// It has one, and which functions that offers is not known.
    Unknown,
    /// It offers these functions.
    Known(Arc<HashSet<String>>),
    /// It exports these functions, on every Windows.
    Listed(&'static HashSet<&'static str>),
}

impl Own {
    /// Whether it exports a function, as far as is known.
    pub fn offers(&self, function: &str) -> bool {
        match self {
            Self::Absent => false,
            Self::Unknown => true,
            Self::Known(functions) => functions.contains(function),
            Self::Listed(functions) => functions.contains(function),
        }
    }
}

/// Windows' own libraries on this machine, if it runs Windows.
static HERE: LazyLock<Option<Folders>> = LazyLock::new(Folders::find);

/// The library of a name that Windows has for a machine.
pub(super) fn own(name: &str, machine: Machine) -> Own {
    match &*HERE {
        // A contract does not have its own file on every system.
        Some(folders) if !is_api_set(name) => folders.own(name, machine),
        _ => listed(name),
    }
}

/// The exports known of every Windows.
fn listed(name: &str) -> Own {
    match functions_of(name) {
        Some(functions) => Own::Listed(functions),
        None if comes_with_windows(name) => Own::Unknown,
        None => Own::Absent,
    }
}

/// Whether a library is one of the runtimes that Windows keeps side by side in several versions, in folders
/// that only a manifest leads to.
fn is_side_by_side(name: &str) -> bool {
    const RUNTIMES: [&str; 6] = ["msvcr", "msvcp", "msvcm", "mfc", "atl", "vcomp"];
    let name = name.to_lowercase();
    let behind = RUNTIMES.iter().find_map(|runtime| name.strip_prefix(runtime));
    behind.is_some_and(|behind| behind.starts_with("80") || behind.starts_with("90"))
}

/// The system's folders, and the exports read from them.
struct Folders {
    windows: std::path::PathBuf,
    read: Mutex<HashMap<(bool, String), Own>>,
}

impl Folders {
    #[cfg(windows)]
    fn find() -> Option<Self> {
        let windows = std::path::PathBuf::from(std::env::var_os("SystemRoot")?);
        let core = exports_of(&windows.join("System32").join("ntdll.dll")).ok()?;
        // An environment that is in for Windows says so there.
        let mut names = core.iter().filter_map(|export| export.name.as_deref());
        let stands_in = names.any(|name| name == "wine_get_version");
        (!stands_in).then(|| Self { windows, read: Mutex::default() })
    }

    #[cfg(not(windows))]
    fn find() -> Option<Self> {
        None
    }

    fn own(&self, name: &str, machine: Machine) -> Own {
        let narrow = machine == Machine::X86;
        let key = (narrow, name.to_lowercase());
        let read = || self.read.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = read().get(&key) {
            return known.clone();
        }

        let found = self.look(name, narrow);
        read().insert(key, found.clone());
        found
    }

    /// The library of a name in the system's folder, else in that of Windows itself.
    fn look(&self, name: &str, narrow: bool) -> Own {
        let folders = [if narrow { "SysWOW64" } else { "System32" }, "."];
        let there = folders.iter().map(|folder| self.windows.join(folder).join(name));
        let Some(path) = there.into_iter().find(|path| path.is_file()) else {
            return if is_side_by_side(name) { Own::Unknown } else { Own::Absent };
        };
        match exports_of(&path) {
            Ok(exports) => {
                let names = exports.into_iter().filter_map(|export| export.name);
                Own::Known(Arc::new(names.collect()))
            }
            Err(_) => Own::Unknown,
        }
    }
}
