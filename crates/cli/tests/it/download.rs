//! From a download to a working installation in one command: what of it goes where, and back again byte for
//! byte.

use std::collections::BTreeMap;
use std::fs;

use crate::common::{Bench, errors, flat, output};
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};

const DATE: (u16, u8, u8) = (2026, 3, 4);

/// A library with its author's statements.
fn library(name: &str, maker: &str, product: &str, version: [u16; 4]) -> Pe {
    described(Bits::Bits64, name, maker, product, product, version)
}

fn described(
    bits: Bits,
    name: &str,
    maker: &str,
    product: &str,
    what: &str,
    version: [u16; 4],
) -> Pe {
    let info = VersionInfo::new(version)
        .with("CompanyName", maker)
        .with("ProductName", product)
        .with("FileDescription", what);
    Pe::dll(bits, name).version(&info).export("open", u32::from(version[0]))
}

fn program(bits: Bits, title: &str, version: [u16; 4]) -> Pe {
    let info = VersionInfo::new(version)
        .with("CompanyName", "Pier Works")
        .with("ProductName", title)
        .with("FileDescription", title);
    Pe::exe(bits).version(&info).imports("USER32.dll", &["MessageBoxW"]).padding(300_000)
}

/// Packs files; `within` is a folder that all of it is in.
fn pack(bench: &Bench, name: &str, within: &str, files: &[(&str, Vec<u8>)]) {
    let names: Vec<String> = files.iter().map(|(path, _)| format!("{within}{path}")).collect();
    let entries: Vec<(&str, &[u8])> =
        names.iter().zip(files).map(|(name, (_, bytes))| (name.as_str(), &bytes[..])).collect();
    bench.write(name, &archive::zip(&entries, DATE));
}

fn text(text: &str) -> Vec<u8> {
    text.as_bytes().to_vec()
}

/// The effect of a command on a game: path and `new`, `gone` or `other`; and undoing it leaves no trace.
fn changed_by(bench: &Bench, game: &str, words: &[&str]) -> Vec<String> {
    let files = || -> BTreeMap<String, Vec<u8>> {
        let files = bench.picture(game).into_iter();
        files.map(|(path, bytes)| (path.replace('\\', "/"), bytes)).collect()
    };
    let before = files();
    bench.ok(words);
    let after = files();
    let mut changed = Vec::new();
    for (path, bytes) in &after {
        match before.get(path) {
            None => changed.push(format!("{path} new")),
            Some(was) if was != bytes => changed.push(format!("{path} other")),
            Some(_) => {}
        }
    }
    changed.extend(before.keys().filter(|p| !after.contains_key(*p)).map(|p| format!("{p} gone")));
    changed.sort();
    bench.ok(&["undo", "--yes"]);
    assert!(files() == before, "undone byte for byte: {words:?}");
    changed
}

/// The names of the builds on the rack, each with its variants.
fn rack(bench: &Bench) -> Vec<String> {
    let list = bench.json(&["rack", "list"]);
    let builds = list["builds"].as_array().unwrap().iter();
    let variants = |build: &serde_json::Value| {
        let variants = build["variants"].as_array().unwrap().iter();
        let names = variants.map(|v| v["variant"].as_str().unwrap_or("-").to_owned());
        names.collect::<Vec<_>>().join(" ")
    };
    builds.map(|b| format!("{}: {}", b["build"].as_str().unwrap(), variants(b))).collect()
}

/// A runtime of many parts, of which games bundle some.
fn bramble(version: [u16; 4]) -> Vec<(String, Vec<u8>)> {
    let parts =
        ["core", "net", "audio", "video", "input", "text", "ui", "store", "log", "job", "zip"];
    let mut files: Vec<(String, Vec<u8>)> = parts
        .iter()
        .map(|part| {
            let name = format!("bramble_{part}.dll");
            let mut pe = library(&name, "Bramble Project", "Bramble", version);
            if *part != "core" {
                pe = pe.imports("bramble_core.dll", &["open"]);
            }
            (format!("bin/{name}"), pe.to_bytes())
        })
        .collect();
    // One part has no identity, and is loaded at run time.
    let plain = Pe::dll(Bits::Bits64, "bramble_glue.dll").export("glue", u32::from(version[1]));
    files.push(("bin/bramble_glue.dll".into(), plain.to_bytes()));
    files.push(("bin/tables/names.dat".into(), text(&format!("names {version:?}"))));
    files.push(("include/bramble.h".into(), text("int open(void);")));
    files.push(("lib/bramble_core.lib".into(), text("!<arch>\nx")));
    files.push(("bin/bramble_core.pdb".into(), text("Microsoft C/C++ MSF 7.00")));
    files.push(("LICENSE.txt".into(), text("Do as you like.")));
    files
}

#[test]
fn a_release_of_twelve_parts_is_one_build_and_replaces_what_the_game_has_of_it() {
    let bench = Bench::empty();
    let files = bramble([4, 2, 0, 0]);
    let files: Vec<(&str, Vec<u8>)> = files.iter().map(|(p, b)| (p.as_str(), b.clone())).collect();
    pack(&bench, "bramble-4.2.0-win64.zip", "bramble-4.2.0/", &files);
    bench.write(
        "games/Pier/bin/Pier.exe",
        &program(Bits::Bits64, "Pier", [1, 0, 0, 0])
            .imports("bramble_core.dll", &["open"])
            .to_bytes(),
    );
    for (path, bytes) in bramble([4, 0, 1, 0]) {
        let name = path.rsplit('/').next().unwrap();
        for (wanted, to) in [
            ("bramble_core.dll", "bin/bramble_core.dll"),
            ("bramble_net.dll", "bin/bramble_net.dll"),
            ("bramble_audio.dll", "bin/plugins/bramble_audio.dll"),
            ("bramble_glue.dll", "bin/bramble_glue.dll"),
            ("names.dat", "bin/tables/names.dat"),
        ] {
            if name == wanted {
                bench.write(&format!("games/Pier/{to}"), &bytes);
            }
        }
    }
    let said = bench.ok(&["rack", "add", "bramble-4.2.0-win64.zip"]);
    assert_eq!(rack(&bench), ["bramble-core@4.2.0: -"], "{said}");
    let changed = changed_by(&bench, "games/Pier", &["fit", "games/Pier", "bramble-core"]);
    assert_eq!(
        changed,
        [
            "bin/bramble_core.dll other",
            "bin/bramble_glue.dll other",
            "bin/bramble_net.dll other",
            "bin/plugins/bramble_audio.dll other",
            "bin/tables/names.dat other",
        ]
    );
    let shown = bench.ok(&["rack", "show", "bramble-core"]);
    assert!(shown.contains("include/bramble.h") && shown.contains("stays on the rack"), "{shown}");
    let without = ["fit", "games/Pier", "bramble-core", "--without", "bramble_net.dll"];
    let changed = changed_by(&bench, "games/Pier", &without);
    assert!(!changed.iter().any(|line| line.contains("bramble_net")), "{changed:?}");
    let changed = changed_by(&bench, "games/Pier", &["fit", "games/Pier", "bramble-core"]);
    assert!(!changed.iter().any(|line| line.contains("bramble_net")), "it is remembered");
    assert!(bench.ok(&["game", "show", "games/Pier"]).contains("bramble_net.dll of bramble-core"));
    bench.ok(&["game", "set", "games/Pier", "--without", "bramble-core="]);
    let changed = changed_by(&bench, "games/Pier", &["fit", "games/Pier", "bramble-core"]);
    assert!(changed.iter().any(|line| line.contains("bramble_net")), "{changed:?}");
}

#[test]
fn a_set_of_unrelated_libraries_is_several_builds_and_it_is_said_why() {
    let bench = Bench::empty();
    let files = [
        ("alder.dll", library("alder.dll", "Alder Works", "Alder codec", [2, 1, 0, 0]).to_bytes()),
        ("birch.dll", library("birch.dll", "Birch & Co", "Birch mixer", [5, 0, 3, 0]).to_bytes()),
        ("cedar.dll", library("cedar.dll", "Cedarline", "Cedar video", [1, 9, 0, 0]).to_bytes()),
    ];
    pack(&bench, "redist.zip", "", &files);
    let said = flat(&bench.ok(&["rack", "add", "redist.zip"]));
    assert_eq!(rack(&bench), ["alder@2.1.0: -", "birch@5.0.3: -", "cedar@1.9.0: -"]);
    assert!(
        said.contains("holds products of their own: Alder codec, Birch mixer, Cedar video"),
        "{said}"
    );
    assert!(said.contains("spanner rack add redist.zip --together"), "{said}");
    let bench = Bench::empty();
    pack(&bench, "redist.zip", "", &files);
    bench.ok(&["rack", "add", "redist.zip", "--together"]);
    assert_eq!(rack(&bench).len(), 1);
}

/// A game that loads a few of Windows' libraries.
fn pier(bench: &Bench, bits: Bits) {
    let exe = program(bits, "Pier", [1, 0, 0, 0])
        .imports("winmm.dll", &["timeGetTime"])
        .imports("version.dll", &["GetFileVersionInfoW", "VerQueryValueW"])
        .imports("d3d11.dll", &["D3D11CreateDevice"]);
    bench.write("games/Pier/bin/Pier.exe", &exe.to_bytes());
    bench.write("games/Pier/Data/base.pak", b"base");
}

fn loader(bits: Bits, name: &str, version: [u16; 4]) -> Pe {
    described(bits, name, "Undertow contributors", "Undertow", "Undertow plugin loader", version)
        .export("timeGetTime", 1)
        .export("GetFileVersionInfoW", 2)
        .export("VerQueryValueW", 3)
}

#[test]
fn a_loader_that_the_game_lacks_goes_where_the_game_loads_it() {
    for (name, expected) in [
        // Its own name first.
        (
            "winmm.dll",
            vec!["bin/plugins/core.dat new", "bin/undertow.ini new", "bin/winmm.dll new"],
        ),
        (
            "version.dll",
            vec!["bin/plugins/core.dat new", "bin/undertow.ini new", "bin/version.dll new"],
        ),
    ] {
        let bench = Bench::empty();
        pier(&bench, Bits::Bits64);
        let files = [
            (&*format!("x64/{name}"), loader(Bits::Bits64, name, [2, 3, 0, 0]).to_bytes()),
            ("x64/undertow.ini", text("[Loader]\nDelay=0\n")),
            ("x64/plugins/core.dat", text("put plugins here")),
            (&*format!("x86/{name}"), loader(Bits::Bits32, name, [2, 3, 0, 0]).to_bytes()),
            ("x86/undertow.ini", text("[Loader]\nDelay=0\n")),
            ("x86/plugins/core.dat", text("put plugins here")),
            ("README.md", text("# Undertow 2.3\n")),
        ];
        pack(&bench, "undertow-2.3.zip", "", &files);
        let fit = ["fit", "games/Pier", "undertow-2.3.zip"];
        assert_eq!(changed_by(&bench, "games/Pier", &fit), expected, "{name}");
        assert_eq!(rack(&bench), ["undertow@2.3.0: - x86"], "{name}");
        let said = flat(&bench.ok(&["fit", "games/Pier", "undertow", "--dry-run"]));
        assert!(said.contains(&format!("goes to bin/{name}: Pier.exe loads {name}")), "{said}");
    }
}

#[test]
fn a_loader_under_a_name_that_nothing_loads_gets_one_of_those_that_the_game_does() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let alone = described(
        Bits::Bits64,
        "undertow.dll",
        "Undertow contributors",
        "Undertow",
        "Undertow plugin loader",
        [2, 3, 0, 0],
    )
    .export("timeGetTime", 1);
    pack(&bench, "one.zip", "", &[("undertow.dll", alone.to_bytes())]);
    let changed = changed_by(&bench, "games/Pier", &["fit", "games/Pier", "one.zip"]);
    assert_eq!(changed, ["bin/winmm.dll new"], "the only one of which it offers all");
    // If several would do, each is a command.
    pack(
        &bench,
        "two.zip",
        "",
        &[("undertow.dll", loader(Bits::Bits64, "undertow.dll", [2, 4, 0, 0]).to_bytes())],
    );
    let said = flat(&errors(&bench.run(&["fit", "games/Pier", "two.zip"]).code(2)));
    assert!(said.contains("under 2 names: winmm.dll, version.dll"), "{said}");
    assert!(
        said.contains(
            "spanner fit pier two.zip --as winmm.dll, or spanner fit pier two.zip --as version.dll"
        ),
        "{said}"
    );
    let changed =
        changed_by(&bench, "games/Pier", &["fit", "pier", "two.zip", "--as", "version.dll"]);
    assert_eq!(changed, ["bin/version.dll new"]);
}

#[test]
fn an_older_one_under_another_name_goes_and_its_settings_stay() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    bench.write(
        "games/Pier/bin/winmm.dll",
        &loader(Bits::Bits64, "winmm.dll", [1, 9, 0, 0]).to_bytes(),
    );
    bench.write("games/Pier/bin/undertow.ini", b"[Loader]\nDelay=250\n");
    let files = [
        ("version.dll", loader(Bits::Bits64, "version.dll", [2, 0, 0, 0]).to_bytes()),
        ("undertow.ini", text("[Loader]\nDelay=0\nLog=off\n")),
    ];
    pack(&bench, "undertow-2.zip", "", &files);
    let fit = ["fit", "games/Pier", "undertow-2.zip"];
    let expected = ["bin/undertow.ini other", "bin/version.dll new", "bin/winmm.dll gone"];
    assert_eq!(changed_by(&bench, "games/Pier", &fit), expected);
    let said = flat(&bench.ok(&[&fit[..], &["--dry-run"]].concat()));
    assert!(said.contains("bin/winmm.dll goes, which is undertow 1.9.0"), "{said}");
    bench.ok(&fit);
    let settings = fs::read_to_string(bench.file("games/Pier/bin/undertow.ini")).unwrap();
    assert!(settings.contains("Delay=250") && settings.contains("Log=off"), "{settings}");
    bench.ok(&["undo", "--yes"]);
    let beside = changed_by(&bench, "games/Pier", &[&fit[..], &["--beside"]].concat());
    assert_eq!(beside, ["bin/undertow.ini other", "bin/version.dll new"]);
}

#[test]
fn a_game_with_folders_for_two_machines_is_served_whole() {
    let bench = Bench::empty();
    for (bits, folder) in [(Bits::Bits64, "x64"), (Bits::Bits32, "x86")] {
        let old = described(bits, "lens.dll", "Nib", "Lens", "Lens upscaler", [2, 0, 0, 0]);
        bench.write(&format!("games/Pier/{folder}/lens.dll"), &old.to_bytes());
        let exe = program(bits, "Pier", [1, 0, 0, 0]).imports("lens.dll", &["open"]);
        bench.write(&format!("games/Pier/{folder}/Pier.exe"), &exe.to_bytes());
    }
    let new =
        |bits| described(bits, "lens.dll", "Nib", "Lens", "Lens upscaler", [3, 1, 0, 0]).to_bytes();
    pack(
        &bench,
        "lens-3.1.zip",
        "lens/",
        &[
            ("win64/lens.dll", new(Bits::Bits64)),
            ("win32/lens.dll", new(Bits::Bits32)),
            ("readme.txt", text("Lens 3.1")),
        ],
    );
    let fit = ["fit", "games/Pier", "lens-3.1.zip"];
    let whole = ["x64/lens.dll other", "x86/lens.dll other"];
    assert_eq!(changed_by(&bench, "games/Pier", &fit), whole);
    bench.ok(&fit);
    for (bits, folder) in [(Bits::Bits64, "x64"), (Bits::Bits32, "x86")] {
        assert_eq!(
            fs::read(bench.file(&format!("games/Pier/{folder}/lens.dll"))).unwrap(),
            new(bits)
        );
    }
    bench.ok(&["undo", "--yes"]);
    assert_eq!(changed_by(&bench, "games/Pier", &["fit", "games/Pier", "lens@3.1"]), whole);
    // A build for one machine leaves the other's alone, and says so.
    let alone = Bench::empty();
    for folder in ["x64", "x86"] {
        for file in ["Pier.exe", "lens.dll"] {
            let path = format!("games/Pier/{folder}/{file}");
            alone.write(&path, &fs::read(bench.file(&path)).unwrap());
        }
    }
    alone.write("lens.dll", &new(Bits::Bits64));
    let said = flat(&alone.ok(&["fit", "games/Pier", "lens.dll", "--dry-run"]));
    assert!(
        said.contains("x86/lens.dll is 32-bit, and lens@3.1.0 has no 32-bit variant"),
        "{said}"
    );
    assert_eq!(
        changed_by(&alone, "games/Pier", &["fit", "games/Pier", "lens.dll"]),
        ["x64/lens.dll other"]
    );
}

#[test]
fn an_overlay_brings_its_shaders_and_textures() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let overlay = described(
        Bits::Bits64,
        "d3d11.dll",
        "Glim Team",
        "Glim",
        "Glim post-processing overlay",
        [6, 1, 0, 0],
    )
    .export("D3D11CreateDevice", 1);
    pack(
        &bench,
        "glim_6.1.0.7z.zip",
        "",
        &[
            ("bin/d3d11.dll", overlay.to_bytes()),
            ("bin/glim.ini", text("[Glim]\nLut=lut.png\n")),
            ("bin/lut.png", text("\u{89}PNG")),
            ("bin/shaders/bloom.fx", text("float4 main() {}")),
            ("bin/shaders/tone.hlsl", text("float4 main() {}")),
            ("bin/textures/noise.png", text("\u{89}PNG noise")),
            ("bin/textures/list.txt", text("noise.png")),
            ("screenshots/before.png", text("\u{89}PNG shot")),
            ("src/glim.cpp", text("int main() {}")),
            ("how to install.txt", text("Copy it.")),
        ],
    );
    let changed = changed_by(&bench, "games/Pier", &["fit", "games/Pier", "glim_6.1.0.7z.zip"]);
    assert_eq!(
        changed,
        [
            "bin/d3d11.dll new",
            "bin/glim.ini new",
            "bin/lut.png new",
            "bin/shaders/bloom.fx new",
            "bin/shaders/tone.hlsl new",
            "bin/textures/list.txt new",
            "bin/textures/noise.png new",
        ]
    );
}

#[test]
fn an_extender_brings_its_starter_and_what_goes_into_the_games_own_folder() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let wick = |name: &str| {
        described(Bits::Bits64, name, "Wick Circle", "Wick", "Wick script extender", [2, 2, 3, 0])
    };
    let info = VersionInfo::new([2, 2, 3, 0])
        .with("CompanyName", "Wick Circle")
        .with("ProductName", "Wick");
    let starter = Pe::exe(Bits::Bits64).version(&info);
    pack(
        &bench,
        "wick_2.2.3.zip",
        "wick_2_02_03/",
        &[
            ("wick_1_0_0.dll", wick("wick_1_0_0.dll").to_bytes()),
            ("wick_loader.exe", starter.to_bytes()),
            ("wick_pad.dll", wick("wick_pad.dll").to_bytes()),
            ("Data/Scripts/wick.pex", text("compiled")),
            ("Data/Scripts/Source/wick.psc", text("source")),
            ("src/wick/main.cpp", text("int main() {}")),
            ("wick_readme.txt", text("Supports the game's version 1.0.0.0\n")),
        ],
    );
    let fit = ["fit", "games/Pier", "wick_2.2.3.zip"];
    let changed = changed_by(&bench, "games/Pier", &fit);
    assert_eq!(
        changed,
        [
            "Data/Scripts/wick.pex new",
            "bin/wick_1_0_0.dll new",
            "bin/wick_loader.exe new",
            "bin/wick_pad.dll new",
        ]
    );
    assert_eq!(rack(&bench), ["wick@2.2.3: -"]);
    let said = flat(&bench.ok(&fit));
    assert!(said.contains("Start the game with bin/wick_loader.exe"), "{said}");
}

#[test]
fn a_release_without_any_dll_is_a_build_too() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let jar = |text: &str| archive::zip(&[("a/One.class", text.as_bytes())], DATE);
    bench.write("games/Pier/lib/quill.jar", &jar("old"));
    bench.write("games/Pier/lib/natives/libquill.so", b"\x7fELF old");
    pack(
        &bench,
        "quill-3.3.zip",
        "quill-3.3/",
        &[
            ("quill.jar", jar("new")),
            ("native/libquill.so", b"\x7fELF new".to_vec()),
            ("LICENSE", text("Do as you like.")),
        ],
    );
    let changed = changed_by(&bench, "games/Pier", &["fit", "games/Pier", "quill-3.3.zip"]);
    assert_eq!(changed, ["lib/natives/libquill.so other", "lib/quill.jar other"]);
    assert_eq!(rack(&bench), ["quill@3.3: -"]);
}

#[test]
fn the_games_edition_decides_between_two_builds_of_one_version() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let wick = |seed| {
        described(
            Bits::Bits64,
            "wick.dll",
            "Wick Circle",
            "Wick",
            "Wick script extender",
            [2, 2, 3, 0],
        )
        .padding(seed)
        .to_bytes()
    };
    pack(&bench, "wick-2.2.3-disc.zip", "", &[("wick.dll", wick(1000))]);
    pack(&bench, "wick-2.2.3-harbour.zip", "", &[("wick.dll", wick(2000))]);
    bench.ok(&["rack", "add", "wick-2.2.3-disc.zip", "wick-2.2.3-harbour.zip"]);
    assert_eq!(rack(&bench), ["wick@2.2.3: disc harbour"]);
    let said = errors(&bench.run(&["fit", "games/Pier", "wick"]).code(2));
    assert!(said.contains("wick@2.2.3+disc") && said.contains("wick@2.2.3+harbour"), "{said}");
    bench.ok(&["game", "set", "games/Pier", "--edition", "Harbour"]);
    bench.ok(&["fit", "games/Pier", "wick"]);
    assert_eq!(fs::read(bench.file("games/Pier/bin/wick.dll")).unwrap(), wick(2000));
    // One that says so is refused in another edition.
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    pack(&bench, "wick.zip", "", &[("wick.dll", wick(1000))]);
    bench.ok(&["rack", "add", "wick.zip", "--edition", "disc"]);
    bench.ok(&["game", "set", "games/Pier", "--edition", "harbour"]);
    let said = flat(&output(&bench.run(&["fit", "games/Pier", "wick"]).code(3)));
    assert!(
        said.contains(
            "is for the disc edition, and Pier is the harbour edition. [edition-mismatch]"
        ),
        "{said}"
    );
}

#[test]
fn two_makers_files_of_one_name_are_two_families() {
    let bench = Bench::empty();
    let lens = |maker: &str, version| {
        library("lens.dll", maker, &format!("{maker} lens"), version).to_bytes()
    };
    pier(&bench, Bits::Bits64);
    bench.write("games/Pier/bin/lens.dll", &lens("Orrery", [1, 0, 0, 0]));
    bench.write("nib.dll", &[]);
    pack(&bench, "nib.zip", "", &[("lens.dll", lens("Nib", [3, 0, 0, 0]))]);
    pack(&bench, "orrery.zip", "", &[("lens.dll", lens("Orrery", [2, 0, 0, 0]))]);
    bench.ok(&["rack", "add", "nib.zip", "orrery.zip"]);
    assert_eq!(rack(&bench), ["lens@3.0.0: -", "lens-orrery@2.0.0: -"]);
    let said = bench.ok(&["survey", "games/Pier"]);
    assert!(said.contains("lens-orrery") && said.contains("rack has 2.0.0"), "{said}");
    let changed = changed_by(&bench, "games/Pier", &["fit", "games/Pier", "lens-orrery"]);
    assert_eq!(changed, ["bin/lens.dll other"]);
    let said = flat(&output(&bench.run(&["fit", "games/Pier", "lens"]).code(3)));
    assert!(said.contains("family-absent"), "{said}");
}

#[test]
fn several_builds_are_one_change_and_many_games_one_table() {
    let bench = Bench::world();
    bench.ok(&[
        "rack",
        "add",
        "downloads/sharpwater-2.9.1.zip",
        "downloads/evenkeel-1.4.0.zip",
        "downloads/hushgrain-1.2.2.zip",
    ]);
    let tin = "games/Tin Lighthouse";
    let changed = changed_by(
        &bench,
        tin,
        &["fit", tin, "sharpwater", "evenkeel", "downloads/hushgrain-1.2.2.zip"],
    );
    assert_eq!(changed.len(), 4, "{changed:?}");
    bench.ok(&["survey", "games"]);
    let said = bench.ok(&["fit", "--all", "sharpwater@2.9.1", "evenkeel", "--game", "tin*"]);
    assert!(said.contains("Done: 1 game"), "{said}");
    let said = bench.ok(&["rollback", "--all", "sharpwater"]);
    assert!(said.contains("Done: 1 game; 0 as they were, 0 refused, 0 failed."), "{said}");
    let said = bench.ok(&["rollback", "--all"]);
    assert!(said.contains("Done: 1 game"), "{said}");
    assert!(bench.ok(&["rollback", "--all"]).contains("as they were"));
}

#[test]
fn names_that_windows_cannot_hold_are_refused_everywhere() {
    let bench = Bench::world();
    let long = "x".repeat(300);
    for name in [
        "", "a/b.dll", "a\\b.dll", "C:x.dll", "con.dll", "a.dll:b", "a.dll.", "a?.dll", "a*.dll",
        "a|b", "..", &long,
    ] {
        let words = ["fit", "games/Saltglass Drift", "downloads/undertow-2.3.0.zip", "--as", name];
        let said = errors(&bench.run(&words).code(2));
        assert!(said.contains("cannot be the name of a file"), "{name}: {said}");
    }
}

#[test]
fn a_folder_for_a_mod_manager_is_remembered_and_looked_at_in_a_dry_run() {
    let bench = Bench::world();
    let moss = "games/Moss & Meridian";
    bench.ok(&["rack", "add", "downloads/lampwright-31.4.zip"]);
    let said =
        errors(&bench.run(&["fit", moss, "lampwright", "--handoff", "mods", "--dry-run"]).code(2));
    assert!(said.contains("is not a folder"), "{said}");
    fs::create_dir(bench.file("mods")).unwrap();
    bench.ok(&["fit", moss, "lampwright", "--handoff", "mods"]);
    bench.ok(&["undo", "--yes"]);
    fs::remove_file(bench.file("mods/lampwright-31.4.0-data.zip")).unwrap();
    let said = bench.ok(&["fit", moss, "lampwright"]);
    assert!(said.contains("lampwright-31.4.0-data.zip"), "{said}");
    assert!(bench.file("mods/lampwright-31.4.0-data.zip").exists(), "the next fit does the same");
    assert!(flat(&bench.ok(&["game", "show", moss])).contains("handed off the data of lampwright"));
}

#[test]
fn what_an_installation_by_hand_left_is_listed_and_goes_when_asked() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let helper = |version| {
        described(
            Bits::Bits64,
            "undertow_helper.dll",
            "Undertow contributors",
            "Undertow",
            "Undertow helper",
            version,
        )
        .to_bytes()
    };
    bench.write("games/Pier/bin/undertow_helper.dll", &helper([1, 9, 0, 0]));
    bench.write(
        "games/Pier/bin/theirs.dll",
        &library("theirs.dll", "Else", "Else", [1, 0, 0, 0]).to_bytes(),
    );
    pack(
        &bench,
        "undertow-2.3.zip",
        "",
        &[("winmm.dll", loader(Bits::Bits64, "winmm.dll", [2, 3, 0, 0]).to_bytes())],
    );
    let fit = ["fit", "games/Pier", "undertow-2.3.zip"];
    let said = flat(&bench.ok(&[&fit[..], &["--dry-run"]].concat()));
    assert!(said.contains("seems to have left bin/undertow_helper.dll 1.9.0"), "{said}");
    assert_eq!(changed_by(&bench, "games/Pier", &fit), ["bin/winmm.dll new"]);
    let cleared = changed_by(&bench, "games/Pier", &[&fit[..], &["--clear"]].concat());
    assert_eq!(cleared, ["bin/undertow_helper.dll gone", "bin/winmm.dll new"]);
}

#[test]
fn one_of_several_places_can_be_meant_and_a_backup_never_is() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let lens = |version| library("lens.dll", "Nib", "Lens", version).to_bytes();
    for place in ["bin/lens.dll", "tools/lens.dll", "backup/lens.dll", "bin/lens.dll.off"] {
        bench.write(&format!("games/Pier/{place}"), &lens([1, 0, 0, 0]));
    }
    bench.write("new/lens.dll", &lens([2, 0, 0, 0]));
    let both = changed_by(&bench, "games/Pier", &["fit", "games/Pier", "new/lens.dll"]);
    assert_eq!(both, ["bin/lens.dll other", "tools/lens.dll other"]);
    let one = ["fit", "games/Pier", "new/lens.dll", "--place", "tools/lens.dll"];
    assert_eq!(changed_by(&bench, "games/Pier", &one), ["tools/lens.dll other"]);
    let named = ["fit", "games/Pier", "new/lens.dll", "--place", "backup/lens.dll"];
    assert_eq!(changed_by(&bench, "games/Pier", &named), ["backup/lens.dll other"]);
    let said = errors(
        &bench.run(&["fit", "games/Pier", "new/lens.dll", "--place", "no/lens.dll"]).code(2),
    );
    assert!(said.contains("no/lens.dll"), "{said}");
}

#[test]
fn an_update_that_was_done_by_half_is_told_with_the_command_that_completes_it() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let package = |version: [u16; 4], name: &str| {
        let wick = described(
            Bits::Bits64,
            "wick.dll",
            "Wick Circle",
            "Wick",
            "Wick script extender",
            version,
        );
        let scripts = text(&format!("scripts of {version:?}"));
        let files = [
            ("wick.dll", wick.to_bytes()),
            ("Data/Scripts/wick.pex", scripts),
            ("Data/same.dat", text("same")),
        ];
        pack(&bench, name, "", &files);
        files
    };
    let old = package([2, 1, 0, 0], "wick-2.1.zip");
    let new = package([2, 2, 0, 0], "wick-2.2.zip");
    bench.ok(&["rack", "add", "wick-2.1.zip", "wick-2.2.zip"]);
    bench.write("games/Pier/bin/wick.dll", &new[0].1);
    bench.write("games/Pier/Data/Scripts/wick.pex", &old[1].1);
    let said = flat(&output(&bench.run(&["check", "games/Pier"]).code(1)));
    assert!(
        said.contains("bin/wick.dll is of wick@2.2.0, and Data/Scripts/wick.pex of wick@2.1.0"),
        "{said}"
    );
    assert!(said.contains("spanner fit pier wick@2.2.0"), "{said}");
    bench.ok(&["fit", "pier", "wick@2.2.0"]);
    bench.ok(&["check", "games/Pier"]);
}

#[test]
fn merged_settings_are_the_users_and_refit_adds_what_is_missing_alone() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let package = |name: &str, version: [u16; 4], ini: &str| {
        let files = [
            ("winmm.dll", loader(Bits::Bits64, "winmm.dll", version).to_bytes()),
            ("undertow.ini", text(ini)),
        ];
        pack(&bench, name, "", &files);
    };
    package("undertow-2.3.zip", [2, 3, 0, 0], "[Loader]\nDelay=0\nLog=off\n");
    bench.ok(&["fit", "games/Pier", "undertow-2.3.zip"]);
    let ini = "games/Pier/bin/undertow.ini";
    bench.write(ini, b"[Loader]\nDelay=250\nOwn=1\n");
    bench.ok(&["drift", "games/Pier"]);
    bench.ok(&["refit", "games/Pier"]);
    let now = fs::read_to_string(bench.file(ini)).unwrap();
    assert!(now.contains("Delay=250") && now.contains("Own=1") && now.contains("Log=off"), "{now}");
    let changes = bench.json(&["history"]);
    bench.ok(&["refit", "games/Pier"]);
    assert_eq!(bench.json(&["history"]), changes, "once");
    // A newer build changes the files that the user left as the older one brought them, and no others.
    package("undertow-2.4.zip", [2, 4, 0, 0], "[Loader]\nDelay=5\nLog=on\n");
    bench.ok(&["fit", "games/Pier", "undertow-2.4.zip"]);
    let now = fs::read_to_string(bench.file(ini)).unwrap();
    assert!(now.contains("Delay=250") && now.contains("Log=on"), "{now}");
}

#[test]
fn a_value_follows_the_newer_build_of_the_maker_across_families() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let package = |archive: &str, product: &str, version: [u16; 4], ini: &str| {
        let pe = described(
            Bits::Bits64,
            "winmm.dll",
            "Undertow contributors",
            product,
            "Plugin loader",
            version,
        )
        .export("timeGetTime", 1);
        pack(&bench, archive, "", &[("winmm.dll", pe.to_bytes()), ("loader.ini", text(ini))]);
    };
    package("one.zip", "Undertow", [1, 9, 0, 0], "[Loader]\nDelay=0\nLog=off\n");
    package("two.zip", "Riptide", [2, 0, 0, 0], "[Loader]\nDelay=9\nLog=on\n");
    bench.ok(&["rack", "add", "one.zip"]);
    bench.ok(&["fit", "games/Pier", "undertow"]);
    bench.write("games/Pier/bin/loader.ini", b"[Loader]\nDelay=250\nLog=off\n");
    bench.ok(&["fit", "games/Pier", "two.zip"]);
    let now = fs::read_to_string(bench.file("games/Pier/bin/loader.ini")).unwrap();
    assert!(now.contains("Delay=250") && now.contains("Log=on"), "{now}");
}

#[test]
fn versions_are_those_of_the_release_and_found_by_what_people_say() {
    for (what, file, stated, package, text_inside, build, key) in [
        (
            "a key that the resource repeats",
            "wick_7_9_14.dll",
            Some([7, 9, 14, 0]),
            "wick-2.2.3.zip",
            "",
            "wick@2.2.3",
            Some("7.9.14"),
        ),
        (
            "a key of two numbers",
            "wick-7.9.dll",
            Some([2, 2, 3, 0]),
            "wick.zip",
            "",
            "wick@2.2.3",
            Some("7.9"),
        ),
        (
            "a key, and the package's name",
            "wick-7.9.14.dll",
            None,
            "wick-2.2.3.zip",
            "",
            "wick@2.2.3",
            Some("7.9.14"),
        ),
        (
            "a key, and the texts",
            "wick-7.9.14.dll",
            None,
            "download.zip",
            "Wick 2.2.3\n",
            "wick@2.2.3",
            Some("7.9.14"),
        ),
        (
            "its own version in its name",
            "wick-2.2.3.dll",
            Some([2, 2, 3, 0]),
            "wick.zip",
            "",
            "wick@2.2.3",
            None,
        ),
    ] {
        let bench = Bench::empty();
        let info = |version| {
            VersionInfo::new(version)
                .with("CompanyName", "Wick Circle")
                .with("FileDescription", "Wick script extender")
        };
        let mut pe = Pe::dll(Bits::Bits64, file).export("wick", 1);
        if let Some(version) = stated {
            pe = pe.version(&info(version));
        }
        pack(&bench, package, "", &[(file, pe.to_bytes()), ("readme.txt", text(text_inside))]);
        bench.ok(&["rack", "add", package]);
        let list = bench.json(&["rack", "list"]);
        assert_eq!(list["builds"][0]["build"], build, "{what}");
        assert_eq!(list["builds"][0]["supports"].as_str(), key, "{what}");
    }

    // The short form finds a build if it is the only one, and is first in the list.
    let bench = Bench::empty();
    for version in [[0, 31, 4, 0], [2, 9, 0, 0], [2, 9, 1, 0]] {
        let name = format!("lens-{}.dll", version[2]);
        bench.write(&name, &library("lens.dll", "Nib", "Lens", version).to_bytes());
        bench.ok(&["rack", "add", &name]);
    }
    let list = bench.ok(&["rack", "list"]);
    assert!(
        list.contains("lens@31.4 ") && list.contains("lens@2.9 ") && list.contains("lens@2.9.1 "),
        "{list}"
    );
    for (short, whole) in
        [("lens@31.4", "lens@0.31.4"), ("lens@2.9", "lens@2.9.0"), ("lens@2.9.0.0", "lens@2.9.0")]
    {
        assert!(bench.ok(&["rack", "show", short]).starts_with(whole), "{short}");
    }
    bench.run(&["rack", "show", "lens@9"]).code(2);
    bench.write("other.dll", &library("lens.dll", "Nib", "Lens", [31, 4, 0, 0]).to_bytes());
    bench.ok(&["rack", "add", "other.dll"]);
    assert!(
        bench.ok(&["rack", "show", "lens@31.4"]).starts_with("lens@31.4.0"),
        "a whole version is meant first"
    );
    assert!(bench.ok(&["rack", "list"]).contains("lens@0.31.4"), "two would be alike in short");
}

#[test]
fn an_edition_is_read_from_names_folders_and_texts() {
    for (package, folder, inside, edition) in [
        ("wick-disc-edition.zip", "", "", Some("disc")),
        ("wick.zip", "Harbour Edition/", "", Some("harbour")),
        ("wick.zip", "", "Wick, for the harbour edition of Pier.\n", Some("harbour")),
        ("wick.zip", "", "Edition: Disc\n", Some("disc")),
        ("wick.zip", "", "This edition is new.\n", None),
    ] {
        let bench = Bench::empty();
        let wick = described(
            Bits::Bits64,
            "wick.dll",
            "Wick Circle",
            "Wick",
            "Wick script extender",
            [2, 2, 3, 0],
        );
        pack(
            &bench,
            package,
            folder,
            &[("wick.dll", wick.to_bytes()), ("readme.txt", text(inside))],
        );
        bench.ok(&["rack", "add", package]);
        let variant = bench.json(&["rack", "list"])["builds"][0]["variants"][0].clone();
        assert_eq!(variant["edition"].as_str(), edition, "{package} {folder} {inside}");
        assert_eq!(variant["variant"].as_str(), edition, "and names the variant");
    }
}

#[test]
fn a_layout_serves_what_is_on_the_rack_already() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    for version in [[2, 3, 0, 0], [2, 4, 0, 0]] {
        let name = format!("undertow-{}.zip", version[1]);
        let files = [
            ("winmm.dll", loader(Bits::Bits64, "winmm.dll", version).to_bytes()),
            ("plugins/a.dat", text("a")),
            ("docs/b.dat", text("b")),
        ];
        pack(&bench, &name, "", &files);
        bench.ok(&["rack", "add", &name]);
    }
    let layout = "schema = 2\nfamily = \"undertow\"\n\
        [[file]]\nfrom = \"winmm.dll\"\nbay = \"exe\"\npolicy = \"replace\"\n\
        [[file]]\nfrom = \"docs/**\"\nbay = \"root\"\nto = \"Notes\"\npolicy = \"replace\"\n";
    bench.write("mine.toml", layout.as_bytes());
    bench.ok(&["rack", "add", "undertow-4.zip", "--layout", "mine.toml"]);
    for build in ["undertow@2.4", "undertow@2.3"] {
        let changed = changed_by(&bench, "games/Pier", &["fit", "games/Pier", build]);
        assert_eq!(changed, ["Notes/b.dat new", "bin/winmm.dll new"], "{build}");
        let shown = bench.ok(&["rack", "show", build]);
        assert!(
            shown.contains("the game's Notes") && shown.contains("the layout says so"),
            "{shown}"
        );
    }
}

#[test]
fn a_download_with_a_browsers_mark_is_told_and_fitted_without_it() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    pack(
        &bench,
        "undertow.zip",
        "",
        &[("winmm.dll", loader(Bits::Bits64, "winmm.dll", [2, 3, 0, 0]).to_bytes())],
    );
    let mark = |path: &str| format!("{}:Zone.Identifier", bench.file(path).display());
    if cfg!(windows) {
        if fs::write(
            mark("undertow.zip"),
            "[ZoneTransfer]\r\nZoneId=3\r\nHostUrl=https://example.org/u\r\n",
        )
        .is_err()
        {
            return;
        }
    } else {
        let set = std::process::Command::new("setfattr")
            .args(["-n", "user.xdg.origin.url", "-v", "https://example.org/u", "undertow.zip"])
            .current_dir(bench.path())
            .status();
        if !set.is_ok_and(|status| status.success()) {
            return;
        }
    }
    let said = flat(&bench.ok(&["rack", "add", "undertow.zip"]));
    // Wine keeps no such streams.
    if cfg!(windows) && !said.contains("mark of a download") {
        return;
    }
    assert!(said.contains("has the mark of a download from https://example.org/u"), "{said}");
    bench.ok(&["fit", "games/Pier", "undertow"]);
    assert!(fs::read(mark("games/Pier/bin/winmm.dll")).is_err());
}

#[test]
fn the_signer_is_shown_where_it_changes() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let signed = include_bytes!("../../../image/tests/data/p256-sha256.dll");
    bench.write("games/Pier/bin/lens.dll", signed);
    let mut broken = signed.to_vec();
    let middle = broken.len() / 3;
    broken[middle] ^= 1;
    bench.write("new/lens.dll", &broken);
    let named = bench.json(&["inspect", "games/Pier/bin/lens.dll"]);
    let signer = named["images"][0]["signature"]["signer"].as_str().unwrap().to_owned();
    let fit = ["fit", "games/Pier", "new/lens.dll", "--despite", "signature-broken"];
    let said = flat(&bench.ok(&fit));
    assert!(
        said.contains(&format!("signer: {signer} → a signature that is broken bin/lens.dll")),
        "{said}"
    );
    let said = flat(&bench.ok(&["history", "show", "1"]));
    assert!(said.contains(&format!("signer: {signer} → a signature that is broken")), "{said}");
}

#[test]
fn files_go_where_the_games_own_folders_are() {
    // A package that mirrors the folders around the executable.
    let bench = Bench::empty();
    let exe = program(Bits::Bits64, "Pier", [1, 0, 0, 0]).imports("winmm.dll", &["timeGetTime"]);
    bench.write("games/Pier/Deck/Binaries/x64/Pier.exe", &exe.to_bytes());
    bench.write("games/Pier/Deck/Content/base.pak", b"base");
    pack(
        &bench,
        "undertow.zip",
        "",
        &[
            (
                "Deck/Binaries/x64/winmm.dll",
                loader(Bits::Bits64, "winmm.dll", [2, 3, 0, 0]).to_bytes(),
            ),
            ("Deck/Binaries/x64/undertow.ini", text("[Loader]\nDelay=0\n")),
            ("Deck/Content/Paks/undertow.pak", text("pak")),
        ],
    );
    assert_eq!(
        changed_by(&bench, "games/Pier", &["fit", "games/Pier", "undertow.zip"]),
        [
            "Deck/Binaries/x64/undertow.ini new",
            "Deck/Binaries/x64/winmm.dll new",
            "Deck/Content/Paks/undertow.pak new"
        ]
    );

    // Companions of a part of the game go into folders that it has, and into no others.
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let lens = |version| library("lens.dll", "Nib", "Lens", version).to_bytes();
    bench.write("games/Pier/bin/lens.dll", &lens([1, 0, 0, 0]));
    bench.write("games/Pier/share/lens/old.dat", b"old");
    pack(
        &bench,
        "lens-2.zip",
        "",
        &[
            ("bin/lens.dll", lens([2, 0, 0, 0])),
            ("share/lens/new.dat", text("new")),
            ("extras/more.dat", text("more")),
        ],
    );
    let fit = ["fit", "games/Pier", "lens-2.zip"];
    let expected = ["bin/lens.dll other", "share/lens/new.dat new"];
    assert_eq!(changed_by(&bench, "games/Pier", &fit), expected);

    // Files that are not images have their release in their names; the game's name stays.
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let jar = |text: &str| archive::zip(&[("a/One.class", text.as_bytes())], DATE);
    bench.write("games/Pier/lib/quill-3.2.jar", &jar("old"));
    pack(&bench, "quill.zip", "", &[("quill-3.3.jar", jar("new"))]);
    let changed = changed_by(&bench, "games/Pier", &["fit", "games/Pier", "quill.zip"]);
    assert_eq!(changed, ["lib/quill-3.2.jar other"]);
}

#[test]
fn settings_of_an_older_one_by_another_name_are_carried_over() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let of = |product: &str, file: &str, version| {
        described(Bits::Bits64, file, "Undertow contributors", product, "Plugin loader", version)
            .export("timeGetTime", 1)
            .export("GetFileVersionInfoW", 2)
            .export("VerQueryValueW", 3)
    };
    bench.write("games/Pier/bin/winmm.dll", &of("Undertow", "winmm.dll", [1, 9, 0, 0]).to_bytes());
    bench.write("games/Pier/bin/undertow.ini", b"[Loader]\nDelay=250\n");
    pack(
        &bench,
        "riptide.zip",
        "",
        &[
            ("version.dll", of("Riptide", "version.dll", [2, 0, 0, 0]).to_bytes()),
            ("riptide.ini", text("[Loader]\nDelay=0\nLog=off\n")),
        ],
    );
    let fit = ["fit", "games/Pier", "riptide.zip"];
    let expected = ["bin/riptide.ini new", "bin/version.dll new", "bin/winmm.dll gone"];
    assert_eq!(changed_by(&bench, "games/Pier", &fit), expected, "its own settings stay");
    bench.ok(&fit);
    let settings = fs::read_to_string(bench.file("games/Pier/bin/riptide.ini")).unwrap();
    assert!(settings.contains("Delay=250") && settings.contains("Log=off"), "{settings}");
}

#[test]
fn a_runtime_can_be_put_beside_the_executable_and_an_upscaler_cannot() {
    for (what, expected) in [("Brine runtime", Some("bin/brine.dll new")), ("Brine upscaler", None)]
    {
        let bench = Bench::empty();
        pier(&bench, Bits::Bits64);
        let brine =
            described(Bits::Bits64, "brine.dll", "Brine Project", "Brine", what, [2, 8, 0, 0]);
        pack(&bench, "brine.zip", "", &[("x64/brine.dll", brine.to_bytes())]);
        let fit = ["fit", "games/Pier", "brine.zip"];
        if let Some(expected) = expected {
            assert_eq!(changed_by(&bench, "games/Pier", &fit), [expected]);
        } else {
            let said = output(&bench.run(&fit).code(3));
            assert!(said.contains("[family-absent]"), "{said}");
        }
    }
}

#[test]
fn one_download_for_two_editions_gives_each_game_its_own() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let wick = |seed| {
        described(
            Bits::Bits64,
            "wick.dll",
            "Wick Circle",
            "Wick",
            "Wick script extender",
            [2, 2, 3, 0],
        )
        .padding(seed)
        .to_bytes()
    };
    pack(
        &bench,
        "wick.zip",
        "",
        &[
            ("Old Harbour/wick.dll", wick(1000)),
            ("Disc/wick.dll", wick(2000)),
            ("readme.txt", text("Take the folder of your edition.")),
        ],
    );
    bench.ok(&["rack", "add", "wick.zip"]);
    assert_eq!(rack(&bench), ["wick@2.2.3: disc old-harbour"]);
    for (edition, seed) in [("Old Harbour", 1000), ("disc", 2000)] {
        bench.ok(&["game", "set", "games/Pier", "--edition", edition]);
        bench.ok(&["fit", "games/Pier", "wick"]);
        assert_eq!(fs::read(bench.file("games/Pier/bin/wick.dll")).unwrap(), wick(seed));
        bench.ok(&["undo", "--yes"]);
    }
}

#[test]
fn what_cannot_be_one_change_is_refused_with_the_reason() {
    let bench = Bench::empty();
    pier(&bench, Bits::Bits64);
    let lens = |version| library("lens.dll", "Nib", "Lens", version).to_bytes();
    bench.write("games/Pier/bin/lens.dll", &lens([1, 0, 0, 0]));
    bench.write("two.dll", &lens([2, 0, 0, 0]));
    bench.write("three.dll", &lens([3, 0, 0, 0]));
    let before = bench.picture("games/Pier");
    for (words, wanted) in [
        (&["two.dll", "three.dll"][..], "lens@2.0.0 and lens@3.0.0 are builds of one family"),
        (&["two.dll", "two.dll"], "are builds of one family"),
        (&["two.dll", "three.dll", "--as", "x.dll"], "is that of one build, and several are named"),
        (&["two.dll", "--without", "pane.dll"], "lens@2.0.0 has no part `pane.dll`"),
    ] {
        let fit = [&["fit", "games/Pier"], words].concat();
        let said = flat(&errors(&bench.run(&fit).code(2)));
        assert!(said.contains(wanted), "{said}");
        assert!(bench.picture("games/Pier") == before, "{words:?}");
    }
}
