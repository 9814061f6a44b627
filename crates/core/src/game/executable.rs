//! Weighs the programs of a game: which one is the game, and which only stand around it.

use std::collections::BTreeMap;

use crate::catalog::slug;
use crate::path::{TreePath, fold, same_name, stem};
use upright_spanner_image::{Facts, Version};

/// A program of a game, and how likely it is the game itself.
#[derive(Debug, Clone)]
pub struct Executable {
    /// Where it is.
    pub path: TreePath,
    /// What it says of itself.
    pub facts: Facts,
    /// Points for and against; the highest counts.
    pub score: i32,
    /// What the points were given for, in words.
    pub reasons: Vec<String>,
}

impl Executable {
    /// The version that its file states.
    pub fn version(&self) -> Option<Version> {
        self.facts.version()
    }
}

/// Words in a program's name, description or folder that show what it is for, and what that costs.
const HELPERS: [(&str, &str, i32); 28] = [
    ("crash", "looks like a crash reporter", -60),
    ("bugreport", "looks like a crash reporter", -60),
    ("errorreport", "looks like a crash reporter", -60),
    ("sendreport", "looks like a crash reporter", -60),
    ("unins", "looks like an uninstaller", -60),
    ("setup", "looks like an installer", -60),
    ("install", "looks like an installer", -60),
    ("redist", "looks like an installer", -60),
    ("prereq", "looks like an installer", -60),
    ("dotnet", "looks like an installer", -60),
    ("directx", "looks like an installer", -60),
    ("launcher", "looks like a launcher", -40),
    ("updater", "looks like an updater", -50),
    ("patcher", "looks like an updater", -50),
    ("cleanup", "looks like a tool", -40),
    ("anticheat", "looks like an anti-cheat service", -50),
    ("server", "looks like a server", -35),
    ("editor", "looks like an editor", -35),
    ("modkit", "looks like an editor", -35),
    ("benchmark", "looks like a benchmark", -30),
    ("config", "looks like a settings tool", -35),
    ("settings", "looks like a settings tool", -35),
    ("diagnos", "looks like a tool", -40),
    ("helper", "looks like a helper", -40),
    ("webview", "looks like a helper", -40),
    ("subprocess", "looks like a helper", -40),
    ("shaderc", "looks like a tool", -40),
    ("overlay", "looks like a helper", -40),
];

/// Folders in which no game's own program lies.
const ASIDE: [&str; 8] = [
    "prerequisites",
    "support",
    "tools",
    "installers",
    "installer",
    "crashreporter",
    "editor",
    "thirdparty",
];

/// Folders in which games keep their program.
const HOME: [&str; 9] =
    ["bin", "bin64", "bin32", "binaries", "x64", "win64", "win32", "x86", "system"];

/// System libraries through which a program draws.
const GRAPHICS: [&str; 9] = [
    "d3d12.dll",
    "d3d11.dll",
    "d3d10.dll",
    "d3d10_1.dll",
    "d3d9.dll",
    "d3d8.dll",
    "dxgi.dll",
    "opengl32.dll",
    "vulkan-1.dll",
];

/// Outweighs everything else.
const CHOSEN: i32 = 1000;

/// A name's letters and digits, to compare names that are spelt differently.
pub(super) fn squeeze(name: &str) -> String {
    slug(name).replace('-', "")
}

/// Whether a program's name says that it is not a game.
pub(super) fn is_helper_name(stem: &str) -> bool {
    let name = squeeze(stem);
    HELPERS.iter().any(|(word, _, _)| name.contains(word))
}

/// The programs of the game in the folder `title`, the likeliest first; the one that the user
/// has `chosen` before all.
pub(crate) fn rank(
    title: &str,
    programs: Vec<(TreePath, Facts)>,
    chosen: Option<&TreePath>,
) -> Vec<Executable> {
    let largest = programs.iter().map(|(_, facts)| facts.size).max().unwrap_or(0);
    let count = programs.len();
    let maker = common_maker(&programs);
    let mut ranked: Vec<Executable> = programs
        .into_iter()
        .map(|(path, facts)| {
            let mut reasons = Vec::new();
            let mut score = 0;
            let mut weigh = |points: i32, reason: String| {
                score += points;
                reasons.push((points, reason));
            };
            weigh_name(&path, &facts, title, &mut weigh);
            weigh_folder(&path, &mut weigh);
            let draws = GRAPHICS
                .iter()
                .filter(|api| facts.imported_dlls.iter().any(|dll| same_name(dll, api)))
                .map(|api| stem(api))
                .collect::<Vec<_>>();
            if !draws.is_empty() {
                weigh(30, format!("draws with {}", draws.join(", ")));
            }
            if maker.is_some() && maker_of(&facts).is_some() && maker != maker_of(&facts) {
                weigh(-10, "made by another company than the other programs".to_owned());
            }
            if count > 1 && facts.size == largest {
                weigh(15, "the largest program".to_owned());
            }
            if chosen.is_some_and(|chosen| chosen.same_as(&path)) {
                weigh(CHOSEN, "your choice".to_owned());
            }
            if count == 1 {
                weigh(0, "the only program".to_owned());
            }
            // The weightiest reason first, whether it speaks for the program or against it.
            reasons.sort_by_key(|(points, _)| -points.abs());
            let reasons = reasons.into_iter().map(|(_, reason)| reason).collect();
            Executable { path, facts, score, reasons }
        })
        .collect();
    ranked.sort_by(|a, b| {
        let shallower = a.path.depth().cmp(&b.path.depth());
        b.score.cmp(&a.score).then(shallower).then_with(|| a.path.cmp(&b.path))
    });
    ranked
}

/// Who made a program: its signer, else the company that it states.
fn maker_of(facts: &Facts) -> Option<String> {
    facts.signer.as_deref().or_else(|| facts.string("CompanyName")).map(fold)
}

/// Who made more than one of the programs, and the most of them.
fn common_maker(programs: &[(TreePath, Facts)]) -> Option<String> {
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    for maker in programs.iter().filter_map(|(_, facts)| maker_of(facts)) {
        *counts.entry(maker).or_default() += 1;
    }
    let most = counts.into_iter().max_by_key(|(_, count)| *count)?;
    (most.1 > 1).then_some(most.0)
}

fn weigh_name(path: &TreePath, facts: &Facts, title: &str, weigh: &mut impl FnMut(i32, String)) {
    let own = squeeze(stem(path.file_name()));
    let described = squeeze(facts.string("FileDescription").unwrap_or_default());
    let helper = HELPERS.iter().find(|(word, _, _)| own.contains(word) || described.contains(word));
    if let Some((_, what, points)) = helper {
        weigh(*points, (*what).to_owned());
    }

    let title = squeeze(title);
    let product = squeeze(facts.string("ProductName").unwrap_or_default());
    let named_alike = own.len() > 2 && (own.contains(&title) || title.contains(&own));
    if title.len() > 2 && named_alike {
        weigh(25, "named like the folder".to_owned());
    } else if is_initials(&own, &title) {
        weigh(5, "bears the game's initials".to_owned());
    }

    if !product.is_empty() && product == title {
        weigh(10, "product name matches".to_owned());
    }
}

fn weigh_folder(path: &TreePath, weigh: &mut impl FnMut(i32, String)) {
    let folders: Vec<String> = path.folder().split('/').map(str::to_lowercase).collect();
    if let Some(aside) =
        folders.iter().find(|folder| ASIDE.contains(&folder.as_str()) || holds_installers(folder))
    {
        weigh(-50, format!("lies in {aside}"));
    } else if let Some(home) = folders.last().filter(|folder| HOME.contains(&folder.as_str())) {
        weigh(5, format!("in {home}"));
    }
}

/// Whether a folder's name says that it holds what is to be installed beside a game.
pub(super) fn holds_installers(folder: &str) -> bool {
    folder.contains("redist")
}

/// Whether a name of two letters or more is made of letters of the title in their order, from the
/// first on: `kh` or `kharb` for `kiteharbour`.
fn is_initials(name: &str, title: &str) -> bool {
    let mut rest = title.chars();
    name.len() > 1
        && name.chars().next() == title.chars().next()
        && name.chars().all(|letter| rest.any(|other| other == letter))
}
