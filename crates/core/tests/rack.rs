//! What the rack makes of packages and texts, through the core alone.

use std::path::Path;
use std::sync::Arc;

use proptest::prelude::*;
use upright_spanner_core::image::system;
use upright_spanner_core::path::TreePath;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::{
    Build, LayoutFile, Limits, PackageContext, PackageOptions, Parcel, since,
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
    let context = PackageContext {
        catalog: Arc::default(),
        remembered: Vec::new(),
        families: Vec::new(),
        limits,
        scratch,
    };
    let parcel = Parcel::open(&path, options, &context, &Silent).unwrap();
    parcel.builds
}

/// Each build by its name, with where its files go.
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
            // A build without a version bears its digest.
            if let Some(at) = build.find("@content-") {
                build.replace_range(at + 8..at + 17, "");
            }
        }
        assert_eq!(found, expected, "{what}");
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
        let head = format!("schema = 1\nfamily = \"lens\"\nretires = {retires:?}\n");
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
            "schema = 1\nfamily = \"x\"\n[[file]]\nfrom = \"a.dll\"\nbay = \"exe\"\nto = {path:?}\npolicy = \"keep\"\n"
        );
        let parsed = LayoutFile::parse(Path::new("layout.toml"), &text);
        let leads_out = path.replace('\\', "/").split('/').any(|part| {
            part.is_empty() || part.ends_with('.') || part.contains(':')
        });
        prop_assert_eq!(parsed.is_err(), leads_out);
    }
}
