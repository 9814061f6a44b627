//! The rack's reading of packages and texts, through the core alone.

use std::path::Path;

use proptest::prelude::*;
use upright_spanner_core::image::system;
use upright_spanner_core::path::TreePath;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::{
    Build, GivenLayout, LayoutFile, Limits, PackageContext, PackageOptions, Parcel, since,
};
use upright_spanner_core::version::Version;
use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};

fn version(text: &str) -> Version {
    text.parse().unwrap()
}

fn library(name: &str, description: &str) -> Pe {
    let info = VersionInfo::new([1, 2, 3, 0])
        .with("CompanyName", "Nib")
        .with("FileDescription", description);
    Pe::dll(Bits::Bits64, name).version(&info).export("open", 1)
}

/// The builds of a package that is a zip of these files.
fn builds(entries: &[(&str, Vec<u8>)], options: &PackageOptions) -> Vec<Build> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pack.zip");
    let entries: Vec<(&str, &[u8])> = entries.iter().map(|(n, c)| (*n, c.as_slice())).collect();
    std::fs::write(&path, archive::zip(&entries, (2026, 1, 1))).unwrap();
    let limits = Limits::default();
    let scratch = folder.path().join("scratch");
    let context = PackageContext { limits, scratch, ..PackageContext::default() };
    let parcel = Parcel::open(&path, options, &context, &Silent).unwrap();
    parcel.builds
}

/// Each build by its name, with if its files go.
fn places(entries: &[(&str, Vec<u8>)]) -> Vec<String> {
    let builds = builds(entries, &PackageOptions::default());
    let place = |build: &Build| {
        let places = build.layout.places.iter();
        let places: Vec<String> =
            places.map(|p| format!("{}:{} {}", p.bay, p.to, p.policy.name())).collect();
        format!("{} = {}", build.id, places.join(", "))
    };
    builds.iter().map(place).collect()
}

#[test]
fn what_belongs_together_makes_one_build_and_the_rest_builds_of_their_own() {
    let plain = |name: &str| Pe::dll(Bits::Bits64, name).export("open", 1).to_bytes();
    let graphics = |which| world::graphics(which, [3, 0, 0, 0], Bits::Bits64).to_bytes();
    let text = || b"text".to_vec();
    for (what, entries, expected) in [
        (
            "three components of a kit",
            vec![
                ("sharpwater.dll", graphics(Graphics::Upscaler)),
                ("evenkeel.dll", graphics(Graphics::FrameGenerator)),
                ("hushgrain.dll", graphics(Graphics::Denoiser)),
            ],
            vec![
                "evenkeel@3.0.0 = slot:evenkeel.dll replace",
                "hushgrain@3.0.0 = slot:hushgrain.dll replace",
                "sharpwater@3.0.0 = slot:sharpwater.dll replace",
            ],
        ),
        (
            "a library with parts named after it",
            vec![
                ("bin/lens.dll", library("lens.dll", "Lens").to_bytes()),
                ("bin/lens_tint.dll", plain("lens_tint.dll")),
                ("bin/lenses.dll", plain("lenses.dll")),
            ],
            vec![
                "lens@1.2.3 = slot:lens.dll replace, slot:lens_tint.dll replace, \
                 slot:lenses.dll replace",
            ],
        ),
        (
            "a library with one that it imports",
            vec![
                ("glass.dll", plain("glass.dll")),
                (
                    "lens.dll",
                    library("lens.dll", "Lens overlay").imports("glass.dll", &["open"]).to_bytes(),
                ),
            ],
            vec!["lens@1.2.3 = exe:lens.dll replace, exe:glass.dll replace"],
        ),
        (
            "a loader with settings, a data folder, and what is only to be read or run by hand",
            vec![
                ("pack/glim.dll", library("glim.dll", "Glim plugin loader").to_bytes()),
                ("pack/glim.ini", text()),
                ("pack/glim.json", text()),
                ("pack/plugins/extra.bin", text()),
                ("pack/Data/Glim/a.bin", text()),
                ("pack/install.bat", text()),
                ("pack/readme.png", text()),
                ("docs/manual.pdf", text()),
            ],
            vec![
                "glim@1.2.3 = exe:glim.dll replace, root:Data/Glim/a.bin replace, exe:glim.ini merge, \
                 exe:glim.json keep, exe:plugins/extra.bin replace",
            ],
        ),
        (
            "an upscaler does not take strange files along",
            vec![
                ("sharpwater.dll", graphics(Graphics::Upscaler)),
                ("sample.pak", text()),
                ("demo.exe", Pe::exe(Bits::Bits64).to_bytes()),
            ],
            vec!["sharpwater@3.0.0 = slot:sharpwater.dll replace"],
        ),
    ] {
        let mut found = places(&entries);
        for build in &mut found {
            // A build without a version has its digest.
            if let Some(at) = build.find("@content-") {
                build.replace_range(at + 8..at + 17, "");
            }
        }
        assert_eq!(found, expected, "{what}");
    }
}

#[test]
fn what_compilers_bring_ties_nothing_and_names_alone_make_no_variants() {
    let plain = |name: &str| Pe::dll(Bits::Bits64, name).export("open", 1).to_bytes();
    for (what, entries, expected) in [
        (
            "what compilers bring along",
            vec![
                (
                    "lens.dll",
                    library("lens.dll", "Lens").imports("vcruntime140.dll", &["m"]).to_bytes(),
                ),
                ("pane.dll", plain("pane.dll")),
                ("vcruntime140.dll", library("vcruntime140.dll", "C runtime").to_bytes()),
            ],
            vec![
                "lens@1.2.3 = slot:lens.dll replace, slot:pane.dll replace, slot:vcruntime140.dll replace",
            ],
        ),
        (
            "parts that bear one name in two folders",
            vec![
                ("lens.dll", library("lens.dll", "Lens").to_bytes()),
                ("near/frame.dll", plain("frame.dll")),
                ("near/view.dll", plain("view.dll")),
                ("near/stream.dll", plain("stream.dll")),
                ("far/frame.dll", library("frame.dll", "").to_bytes()),
                ("far/scope.dll", plain("scope.dll")),
                ("far/tube.dll", plain("tube.dll")),
            ],
            vec![
                "lens@1.2.3 = slot:lens.dll replace, slot:far/frame.dll replace, \
                 slot:far/scope.dll replace, slot:far/tube.dll replace, slot:near/frame.dll replace, \
                 slot:near/stream.dll replace, slot:near/view.dll replace",
            ],
        ),
    ] {
        assert_eq!(places(&entries), expected, "{what}");
    }
}

#[test]
fn what_is_told_stands_over_what_files_say() {
    let plain = Pe::dll(Bits::Bits64, "x.dll").export("open", 1).to_bytes();
    let options = PackageOptions {
        family: Some("lens".to_owned()),
        version: Some(version("4.5")),
        ..PackageOptions::default()
    };
    let found = builds(&[("x.dll", plain)], &options);
    assert_eq!(found[0].id.to_string(), "lens@4.5");
    let found = builds(&[("lens.dll", library("lens.dll", "Lens").to_bytes())], &options);
    assert_eq!(found[0].id.to_string(), "lens@1.2.3", "but a version that is stated is a fact");
}

#[test]
fn a_change_log_gives_what_came_after_a_version() {
    for (what, text, expected) in [
        (
            "underlined",
            "3.1.0\n-----\n- c\n\n3.0.0\n-----\n- b\n\n2.9\n- a\n",
            Some("3.1.0\n-----\n- c\n\n3.0.0\n-----\n- b"),
        ),
        (
            "marked down",
            "# Log\n\n## [3.1.0] - 2026-01-01\nc\n## v3.0\nb\n## 2.9\na\n",
            Some("## [3.1.0] - 2026-01-01\nc\n## v3.0\nb"),
        ),
        ("with a name", "Lens 3.1.0\n  c\nLens 2.9.0\n  a\n", Some("Lens 3.1.0\n  c")),
        ("oldest first", "Version 2.9\na\nVersion 3.1\nc\n", Some("Version 3.1\nc")),
        ("later than the build", "3.2\nd\n3.1\nc\n", Some("3.1\nc")),
        ("prose", "It works with 3.1 of the game, and so on.\n", None),
        ("nothing new", "2.9\na\n2.8\nb\n", None),
        ("a list", "- 3.1.0 is out\n", None),
    ] {
        let said = since(text, &version("2.9"), &version("3.1"));
        assert_eq!(said.as_deref(), expected, "{what}");
    }
}

#[test]
fn windows_own_libraries_are_known_by_name() {
    for (name, stood_in, always_own, there) in [
        ("winmm.dll", true, false, true),
        ("WINMM.DLL", true, false, true),
        ("d3d11.dll", true, false, true),
        ("kernel32.dll", true, true, true),
        ("ntdll.dll", true, true, true),
        ("api-ms-win-core-file-l1-1-0.dll", false, true, true),
        ("ucrtbase.dll", false, true, true),
        ("vcruntime140.dll", false, false, true),
        ("d3dcompiler_47.dll", false, false, true),
        ("game.exe", false, false, true),
        ("lens.dll", false, false, false),
        ("winmm", false, false, false),
    ] {
        assert_eq!(system::can_be_stood_in(name), stood_in, "{name}");
        assert_eq!(system::is_always_windows_own(name), always_own, "{name}");
        assert_eq!(system::comes_with_windows(name), there, "{name}");
    }
}

fn path() -> impl Strategy<Value = String> {
    "[a-zA-Z0-9_ .\\-]{0,8}[a-z0-9](/[a-zA-Z0-9_]{1,8}){0,2}\\.(dll|ini|bin)"
}

proptest! {
    /// A layout that is written and read is the same.
    #[test]
    fn layouts_are_read_as_they_are_written(
        rules in proptest::collection::vec((path(), "(slot|exe|root|second-place)", path(), 0usize..4), 0..6),
        retires in proptest::collection::vec(path(), 0..3),
    ) {
        let rule = |(from, bay, to, policy): &(String, String, String, usize)| {
            let policy = ["replace", "keep", "merge", "handoff"][*policy];
            format!("[[file]]\nfrom = {from:?}\nbay = {bay:?}\nto = {to:?}\npolicy = {policy:?}\n")
        };
        let head = format!("schema = 2\nfamily = \"lens\"\nretires = {retires:?}\n");
        let text: String = std::iter::once(head).chain(rules.iter().map(rule)).collect();
        let file = Path::new("layout.toml");
        if let Ok(layout) = LayoutFile::parse(file, &text) {
            prop_assert_eq!(LayoutFile::parse(file, &layout.to_text()), Ok(layout));
        } else {
            // Only a path that no file may have is refused.
            let odd = |path: &String| TreePath::new(path).is_err();
            let paths = rules.iter().flat_map(|(from, _, to, _)| [from, to]).chain(&retires);
            prop_assert!(paths.into_iter().any(odd), "{text}");
        }
    }

    /// No text makes a layout that leads out of the game.
    #[test]
    fn no_layout_leads_out(path in "[a./\\\\:]{1,12}") {
        let text = format!(
            "schema = 2\nfamily = \"x\"\n[[file]]\nfrom = \"a.dll\"\nbay = \"exe\"\nto = {path:?}\npolicy = \"keep\"\n"
        );
        let parsed = LayoutFile::parse(Path::new("layout.toml"), &text);
        let leads_out = path.replace('\\', "/").split('/').any(|part| {
            part.is_empty() || part.ends_with('.') || part.contains(':')
        });
        prop_assert_eq!(parsed.is_err(), leads_out);
    }
}

/// The files of a package that layouts are tried on.
fn release() -> Vec<(&'static str, Vec<u8>)> {
    let lens = |bits| {
        let info = VersionInfo::new([1, 2, 3, 0])
            .with("CompanyName", "Nib")
            .with("ProductName", "Lens")
            .with("FileDescription", "Lens overlay");
        Pe::dll(bits, "lens.dll").version(&info).export("open", 1).to_bytes()
    };
    vec![
        ("x64/lens.dll", lens(Bits::Bits64)),
        ("x86/lens.dll", lens(Bits::Bits32)),
        ("x64/lens.ini", b"[A]\nb=1\n".to_vec()),
        ("x86/lens.ini", b"[A]\nb=1\n".to_vec()),
        ("Data/lens/a.pak", b"a".to_vec()),
        ("shaders/[new] {b}.fx", b"b".to_vec()),
        ("shaders/deep/c.fx", b"c".to_vec()),
        ("tools/setup.exe", Pe::exe(Bits::Bits64).to_bytes()),
        ("docs/readme.txt", b"read".to_vec()),
        ("src/lens.cpp", b"int x;".to_vec()),
    ]
}

/// The builds of a package, packed as a folder or a zip, with all of it in so many folders more.
fn packed(
    files: &[(&str, Vec<u8>)],
    as_folder: bool,
    within: &str,
    options: &PackageOptions,
) -> Result<Vec<Build>, String> {
    let folder = tempfile::tempdir().unwrap();
    let names: Vec<String> = files.iter().map(|(name, _)| format!("{within}{name}")).collect();
    let path = folder.path().join("lens");
    if as_folder {
        for (name, (_, content)) in names.iter().zip(files) {
            world::write(&path.join(name), content, (2026, 1, 1)).unwrap();
        }
    } else {
        let entries: Vec<(&str, &[u8])> =
            names.iter().zip(files).map(|(name, (_, bytes))| (&**name, &bytes[..])).collect();
        std::fs::write(&path, archive::zip(&entries, (2026, 1, 1))).unwrap();
    }
    let scratch = folder.path().join("scratch");
    let context = PackageContext { scratch, ..PackageContext::default() };
    let parcel = Parcel::open(&path, options, &context, &Silent);
    parcel.map(|parcel| parcel.builds).map_err(|error| error.to_string())
}

/// What layouts are about: which file goes where.
fn laid_out(builds: &[Build]) -> Vec<(String, Vec<String>)> {
    let one = |build: &Build| {
        let places = build.layout.places.iter();
        let places = places.map(|p| format!("{} {}:{} {:?}", p.from, p.bay, p.to, p.policy));
        (build.id.to_string(), places.collect())
    };
    builds.iter().map(one).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Printing a layout and giving it back changes nothing, however the release was packed, and whatever part of
    /// it there is.
    #[test]
    fn a_layout_that_is_given_back_changes_nothing(
        left_out in proptest::collection::btree_set(1usize..10, 0..5),
        packings in proptest::collection::vec((any::<bool>(), "([a-z0-9.]{1,8}[a-z]/){0,2}"), 2),
    ) {
        let mut files = release();
        let mut at = 0..;
        files.retain(|_| !left_out.contains(&at.next().unwrap()));
        let plain = PackageOptions::default();
        let first = packed(&files, packings[0].0, &packings[0].1, &plain).unwrap();
        let all: Vec<&Build> = first.iter().filter(|b| b.id.family == first[0].id.family).collect();
        let text = LayoutFile::of(&all).to_text();
        let layout = GivenLayout::parse(Path::new("layout.toml"), &text).unwrap();
        let given = PackageOptions { layout: Some(layout), ..PackageOptions::default() };
        for (as_folder, within) in &packings {
            let again = packed(&files, *as_folder, within, &given).unwrap();
            prop_assert_eq!(laid_out(&again), laid_out(&first), "{}", text);
        }
    }
}

#[test]
fn a_layout_names_many_files_at_once_and_says_what_is_not_there() {
    let layout = |rules: &str| {
        let text = format!("schema = 2\nfamily = \"lens\"\n{rules}");
        GivenLayout::parse(Path::new("mine.toml"), &text)
    };
    let rule = |from: &str, bay: &str, to: &str| {
        let to = if to.is_empty() { String::new() } else { format!("to = \"{to}\"\n") };
        format!("[[file]]\nfrom = \"{from}\"\nbay = \"{bay}\"\n{to}policy = \"replace\"\n")
    };
    let wanted = rule("x64/lens.dll", "exe", "lens.dll");
    for (rules, expected) in [
        (rule("shaders/**", "exe", ""), vec!["exe:shaders/[new] {b}.fx", "exe:shaders/deep/c.fx"]),
        (rule("shaders/**", "root", "."), vec!["root:[new] {b}.fx", "root:deep/c.fx"]),
        (rule("shaders/*.fx", "exe", "glass"), vec!["exe:glass/[new] {b}.fx"]),
        (rule("SHADERS\\\\[new] {b}.fx", "exe", "b.fx"), vec!["exe:b.fx"]),
        (rule("**/c.fx", "exe", "c.fx"), vec!["exe:c.fx"]),
    ] {
        let given = layout(&format!("{wanted}{rules}")).unwrap();
        let options = PackageOptions { layout: Some(given), ..PackageOptions::default() };
        let builds = packed(&release(), false, "", &options).unwrap();
        let build = builds.iter().find(|build| build.id.variant.is_none()).unwrap();
        let places = build.layout.places.iter().skip(1).map(|p| format!("{}:{}", p.bay, p.to));
        assert_eq!(places.collect::<Vec<_>>(), expected, "{rules}");
    }
    for (rules, said) in [
        (rule("no/file.fx", "exe", ""), "mine.toml:9: the package contains no `no/file.fx`"),
        (rule("no/**", "exe", ""), "mine.toml:9: `no/**` matches no file of the package"),
    ] {
        let given = layout(&format!("{wanted}{rules}")).unwrap();
        let options = PackageOptions { layout: Some(given), ..PackageOptions::default() };
        let error = packed(&release(), true, "one/", &options).unwrap_err();
        assert!(error.contains(said), "{error}");
    }
    let error = layout(&rule("../*.fx", "exe", "..")).unwrap_err();
    assert!(error.line == 6 && error.what.contains("cannot be used as a path"), "{error:?}");
}
