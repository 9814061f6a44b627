//! Scores the programs of a game, to find the game itself among its helpers.

use std::collections::BTreeMap;

use crate::catalog::slug;
use crate::path::{TreePath, fold, same_name, stem};
use upright_spanner_image::{Facts, Machine, Version};

/// A program of a game, and how likely it is the game itself.
#[derive(Debug, Clone)]
pub struct Executable {
    /// Its location.
    pub path: TreePath,
    /// Its facts.
    pub facts: Facts,
    /// Points for and against; the highest counts.
    pub score: i32,
    /// The reasons for the score, in words.
    pub reasons: Vec<String>,
}

/// The system libraries through which a program draws.
fn drawn_with(facts: &Facts) -> impl Iterator<Item = &'static str> {
    let is_imported = |api: &&str| facts.imported_dlls.iter().any(|dll| same_name(dll, api));
    GRAPHICS.into_iter().filter(is_imported)
}

impl Executable {
    /// Whether it draws, as games do and hardly anything beside them.
    pub fn draws(&self) -> bool {
        drawn_with(&self.facts).next().is_some()
    }

    /// The version that its file states.
    pub fn version(&self) -> Option<Version> {
        self.facts.version()
    }
}

/// Outweighs everything else: the user knows.
const CHOSEN: i32 = 1000;

/// A game draws, and hardly anything beside it does: the strongest sign for a program. A clear sign of another
/// purpose (below) costs more, since crash reporters and launchers may draw too.
const DRAWS: i32 = 30;

/// Named like the folder: nearly as strong, but launchers often are too.
const NAMED_ALIKE: i32 = 25;

/// The largest: a game links its engine in; but an installer can be larger.
const LARGEST: i32 = 15;

/// Its product is named like the folder: so may be that of every program of the game.
const SAME_PRODUCT: i32 = 10;

/// Made by another company than most: a tool that came along, or a game among the publisher's own tools.
const OTHER_MAKER: i32 = -10;

/// Weak signs, which decide only if nothing else does.
const INITIALS: i32 = 5;
const IN_HOME: i32 = 5;

/// Of two programs that differ in the machine alone, what players start today. More than all weak signs, and
/// than being the largest.
const WIDER_TWIN: i32 = 16;

/// A program that runs others' code, as a script engine's does: in a runtime's folder no game starts.
const IN_RUNTIME: i32 = -60;

/// In a folder with installers: more than drawing and size together.
const IN_ASIDE: i32 = -50;

/// Words in a program's name, description or folder that show another purpose, and their cost: as much as all signs
/// of a game together if no game has such a word (crash reporters, installers), and less if some do (servers,
/// editors, benchmarks).
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

/// Folders that never contain a game's own program.
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
    let twins = wider_twins(&programs);

    let weighed = |(path, facts): (TreePath, Facts)| {
        let mut points = Points::default();
        points.name(&path, &facts, title);
        points.folder(&path);
        points.graphics(&facts);
        if maker.is_some() && maker_of(&facts).is_some() && maker != maker_of(&facts) {
            points.add(OTHER_MAKER, "made by another company than the other programs");
        }
        if twins.contains(&path) {
            points.add(WIDER_TWIN, "the 64-bit one of two");
        }
        if count == 1 {
            points.add(0, "the only program");
        } else if facts.size == largest {
            points.add(LARGEST, "the largest program");
        }
        if chosen.is_some_and(|chosen| chosen.same_as(&path)) {
            points.add(CHOSEN, "your choice");
        }
        Executable { score: points.sum, reasons: points.into_reasons(), path, facts }
    };
    let mut ranked: Vec<Executable> = programs.into_iter().map(weighed).collect();
    ranked.sort_by(|a, b| {
        let shallower = a.path.depth().cmp(&b.path.depth());
        b.score.cmp(&a.score).then(shallower).then_with(|| a.path.cmp(&b.path))
    });
    ranked
}

/// 32-bit programs with a 64-bit twin of the same name, except for the part that names the machine.
fn wider_twins(programs: &[(TreePath, Facts)]) -> Vec<TreePath> {
    let name = |path: &TreePath| {
        let stem = fold(stem(path.file_name()));
        let endings = ["x86_64", "x64", "win64", "64", "x86", "win32", "32"];
        let cut = endings.iter().find_map(|ending| stem.strip_suffix(ending));
        cut.unwrap_or(&stem).trim_end_matches(['-', '_', '.', ' ']).to_owned()
    };
    let narrow = |path: &TreePath| {
        programs
            .iter()
            .any(|(other, facts)| facts.machine == Machine::X86 && name(other) == name(path))
    };
    let wide =
        programs.iter().filter(|(path, facts)| facts.machine == Machine::X86_64 && narrow(path));
    wide.map(|(path, _)| path.clone()).collect()
}

/// Whether a folder's name is that of a runtime that hosts others' programs, with a version or without.
pub(super) fn is_runtime_folder(name: &str) -> bool {
    const RUNTIMES: [&str; 8] = ["jre", "jdk", "java", "python", "node", "nodejs", "ruby", "perl"];
    let name = name.to_lowercase();
    let word = name.trim_end_matches(|c: char| !c.is_ascii_alphabetic());
    let word = word.split(['-', '_', ' ']).next().unwrap_or_default();
    RUNTIMES.contains(&word)
}

/// Points for and against a program, each with its reason.
#[derive(Default)]
struct Points {
    sum: i32,
    reasons: Vec<(i32, String)>,
}

impl Points {
    fn add(&mut self, points: i32, reason: impl Into<String>) {
        self.sum += points;
        self.reasons.push((points, reason.into()));
    }

    /// The weightiest reason first, whether it speaks for the program or against it.
    fn into_reasons(mut self) -> Vec<String> {
        self.reasons.sort_by_key(|(points, _)| -points.abs());
        self.reasons.into_iter().map(|(_, reason)| reason).collect()
    }

    fn name(&mut self, path: &TreePath, facts: &Facts, title: &str) {
        let own = squeeze(stem(path.file_name()));
        let described = squeeze(facts.string("FileDescription").unwrap_or_default());
        let helper =
            HELPERS.iter().find(|(word, _, _)| own.contains(word) || described.contains(word));
        if let Some((_, what, points)) = helper {
            self.add(*points, *what);
        }

        let title = squeeze(title);
        let named_alike = own.len() > 2 && (own.contains(&title) || title.contains(&own));
        if title.len() > 2 && named_alike {
            self.add(NAMED_ALIKE, "named like the folder");
        } else if is_initials(&own, &title) {
            self.add(INITIALS, "has the game's initials");
        }

        let product = squeeze(facts.string("ProductName").unwrap_or_default());
        if !product.is_empty() && product == title {
            self.add(SAME_PRODUCT, "product name matches");
        }
    }

    fn folder(&mut self, path: &TreePath) {
        let folders: Vec<String> = path.folder().split('/').map(str::to_lowercase).collect();
        let is_aside =
            |folder: &&String| ASIDE.contains(&folder.as_str()) || holds_installers(folder);
        if let Some(runtime) = folders.iter().find(|folder| is_runtime_folder(folder)) {
            self.add(IN_RUNTIME, format!("is in {runtime}, which hosts other programs"));
        } else if let Some(aside) = folders.iter().find(is_aside) {
            self.add(IN_ASIDE, format!("is in {aside}"));
        } else if let Some(home) = folders.last().filter(|folder| HOME.contains(&folder.as_str())) {
            self.add(IN_HOME, format!("in {home}"));
        }
    }

    fn graphics(&mut self, facts: &Facts) {
        let draws: Vec<&str> = drawn_with(facts).map(stem).collect();
        if !draws.is_empty() {
            self.add(DRAWS, format!("draws with {}", draws.join(", ")));
        }
    }
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

/// Whether a folder's name shows that it contains installers.
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
