//! Windows' own libraries, by name, and their exports.
//!
//! No library says this: it is a list of the operating system's own, made from import-library definitions.

use std::collections::{HashMap, HashSet};
use std::sync::{LazyLock, OnceLock};

/// The libraries that Windows loads from its own folder alone.
///
/// Source: the system's list of known libraries, as of Windows 11.
const KNOWN: [&str; 33] = [
    "advapi32",
    "clbcatq",
    "combase",
    "comdlg32",
    "coml2",
    "difxapi",
    "gdi32",
    "gdiplus",
    "imagehlp",
    "imm32",
    "kernel32",
    "kernelbase",
    "msctf",
    "msvcrt",
    "normaliz",
    "nsi",
    "ntdll",
    "ole32",
    "oleaut32",
    "psapi",
    "rpcrt4",
    "sechost",
    "setupapi",
    "shcore",
    "shell32",
    "shlwapi",
    "ucrtbase",
    "user32",
    "wldap32",
    "wow64",
    "wow64cpu",
    "wow64win",
    "ws2_32",
];

/// Libraries that a game may load from its own folder instead of Windows'.
static REPLACEABLE: LazyLock<Vec<&str>> =
    LazyLock::new(|| names(include_str!("windows-libraries.txt")));

/// Further libraries that come with Windows or with drivers.
static MORE: LazyLock<Vec<&str>> = LazyLock::new(|| names(include_str!("windows-more.txt")));

/// The exports of each library: see the file.
static EXPORTS: LazyLock<HashMap<&str, Offered>> = LazyLock::new(|| {
    let lines = include_str!("windows-exports.txt").lines().filter(|line| !line.starts_with('#'));
    let libraries = lines.filter_map(|line| line.split_once(' '));
    libraries.map(|(name, functions)| (name, Offered { functions, set: OnceLock::new() })).collect()
});

/// The functions of one library of Windows.
struct Offered {
    functions: &'static str,
    /// The same, to be looked up: made when the library is first asked about.
    set: OnceLock<HashSet<&'static str>>,
}

/// The names of the functions that a library of Windows offers, on any machine; `None` if they are not known, as
/// those of an API set or of a runtime that games bring along.
pub fn functions_of(library: &str) -> Option<&'static HashSet<&'static str>> {
    let offered = EXPORTS.get(&*library.to_lowercase())?;
    Some(offered.set.get_or_init(|| offered.functions.split(' ').collect()))
}

/// Whether a name is that of an API set: a contract that Windows leads to one of its libraries.
pub fn is_api_set(name: &str) -> bool {
    let folded = name.to_lowercase();
    folded.starts_with("api-ms-") || folded.starts_with("ext-ms-")
}

/// Whether a library is the debug variant of a C runtime, as `msvcp140d.dll`, `vcruntime140_1d.dll` and
/// `ucrtbased.dll`: it comes with developers' tools, and players do not have it.
pub fn is_debug_runtime(library: &str) -> bool {
    const RELEASE: [&str; 5] = ["msvcr", "msvcp", "vcruntime", "mfc", "ucrtbase"];
    let name = library.to_lowercase();
    let Some(stem) = name.strip_suffix("d.dll") else {
        return false;
    };
    RELEASE.iter().any(|release| {
        let rest = stem.strip_prefix(release);
        rest.is_some_and(|rest| rest.chars().all(|c| c.is_ascii_digit() || matches!(c, '_' | 'u')))
    })
}

/// Whether Windows has a library of that name that a game may load from its own folder instead.
pub fn can_be_stood_in(name: &str) -> bool {
    is_among(&REPLACEABLE, name)
}

/// Whether Windows loads a library from its own folder whatever is beside the program.
pub fn is_always_windows_own(name: &str) -> bool {
    is_among(&KNOWN, name) || is_api_set(name)
}

/// Whether a library is one of the runtimes that installers of games bring, in one of its releases.
pub fn is_runtime(name: &str) -> bool {
    const RUNTIMES: [&str; 17] = [
        "msvcp",
        "msvcr",
        "msvci",
        "msvcm",
        "vcruntime",
        "vcomp",
        "vccorlib",
        "concrt",
        "mfc",
        "atl1",
        "ucrtbase",
        "d3dx",
        "d3dcompiler_",
        "x3daudio",
        "xaudio2_",
        "xactengine",
        "xapofx",
    ];
    let folded = name.to_lowercase();
    RUNTIMES.iter().any(|start| folded.starts_with(start)) && !is_debug_runtime(name)
}

/// Whether a library is a runtime that compilers or Windows' own tools bring along: of a release of one of them
/// by name, and nothing that anyone exchanges.
pub fn is_compiler_runtime(name: &str) -> bool {
    const COMPILERS: [&str; 8] = [
        "libgcc_s",
        "libstdc++",
        "libwinpthread",
        "libgomp",
        "libquadmath",
        "libssp",
        "libc++",
        "libomp",
    ];
    let folded = name.to_lowercase();
    let stem = folded.strip_suffix(".dll").unwrap_or_default();
    let is_compilers = COMPILERS.iter().any(|start| stem.starts_with(start));
    is_compilers || !stem.is_empty() && (is_runtime(name) || is_api_set(name))
}

/// Whether a library comes with Windows, with a graphics driver, or with the runtimes that
/// installers of games bring. Debug variants of runtimes do not.
pub fn comes_with_windows(name: &str) -> bool {
    let folded = name.to_lowercase();
    if is_debug_runtime(name) {
        return false;
    }
    can_be_stood_in(name)
        || EXPORTS.contains_key(&*folded)
        || is_always_windows_own(name)
        || is_among(&MORE, name)
        || folded.starts_with("windows.")
        || is_runtime(name)
        // Windows itself loads drivers, and a program is present before its libraries.
        || [".drv", ".exe"].iter().any(|ending| folded.ends_with(ending))
}

fn names(list: &'static str) -> Vec<&'static str> {
    list.lines().filter(|line| !line.starts_with('#')).collect()
}

fn is_among(names: &[&str], name: &str) -> bool {
    let name = name.to_lowercase();
    name.strip_suffix(".dll").is_some_and(|stem| names.binary_search(&stem).is_ok())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lists_that_are_searched_by_halves_are_sorted_and_folded() {
        for list in [&KNOWN[..], &REPLACEABLE, &MORE] {
            let unsorted = list.windows(2).find(|pair| pair[0] >= pair[1]);
            assert_eq!(unsorted, None);
            let unfolded = list.iter().find(|name| name.to_lowercase() != **name);
            assert_eq!(unfolded, None);
        }
    }
}
