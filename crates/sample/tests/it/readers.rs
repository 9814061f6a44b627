//! Readers that we did not write accept the images that we do.

use std::fs;
use std::process::Command;

use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe};

/// Standard output of a tool.
fn output(tool: &str, args: &[&str]) -> String {
    let out = Command::new(tool).args(args).output();
    let out = out.unwrap_or_else(|error| panic!("{tool} does not start: {error}"));
    String::from_utf8_lossy(&out.stdout).into_owned()
}

#[test]
#[ignore = "needs binutils-mingw-w64-x86-64"]
fn object_dump_reads_imports_exports_and_resources() {
    let folder = tempfile::tempdir().unwrap();
    for (bits, format) in [(Bits::Bits64, "pei-x86-64"), (Bits::Bits32, "pei-i386")] {
        let path = folder.path().join("sharpwater.dll");
        let image = world::graphics(Graphics::Upscaler, [2, 7, 4, 0], bits);
        fs::write(&path, image.to_bytes()).unwrap();
        let tool = "x86_64-w64-mingw32-objdump";
        let text = output(tool, &["-p", path.to_str().unwrap()]);
        for wanted in [
            format,
            "DLL Name: d3d12.dll",
            "D3D12SerializeRootSignature",
            "sharpwater_number",
            "The .rsrc Resource Directory section",
            "Entry: ID: 0x000010",
        ] {
            assert!(text.contains(wanted), "{format}: no {wanted:?} in\n{text}");
        }
    }
}

#[test]
#[ignore = "needs the program `file`"]
fn file_names_the_format() {
    let folder = tempfile::tempdir().unwrap();
    for (image, wanted) in [
        (Pe::exe(Bits::Bits64), "PE32+ executable"),
        (Pe::exe(Bits::Bits32), "PE32 executable"),
        (Pe::dll(Bits::Bits64, "x.dll"), "(DLL)"),
    ] {
        let path = folder.path().join("image");
        fs::write(&path, image.to_bytes()).unwrap();
        let text = output("file", &["-b", path.to_str().unwrap()]);
        assert!(text.contains(wanted), "{wanted}: {text}");
    }
}

/// The system's own loader resolves the executable's import against the library's export, runs
/// the library's entry point and calls the function.
#[cfg(windows)]
#[test]
fn the_system_loads_and_runs_them() {
    let folder = tempfile::tempdir().unwrap();
    let library = Pe::dll(Bits::Bits64, "harbour.dll").export("other", 5).export("answer", 42);
    fs::write(folder.path().join("harbour.dll"), library.to_bytes()).unwrap();
    let path = folder.path().join("caller.exe");
    let program = Pe::exe(Bits::Bits64).exit_with_call("harbour.dll", "answer");
    fs::write(&path, program.to_bytes()).unwrap();
    assert_eq!(Command::new(&path).status().unwrap().code(), Some(42));
}

#[test]
fn the_same_recipe_gives_the_same_world() {
    let folder = tempfile::tempdir().unwrap();
    let world = world::create(folder.path()).unwrap();
    let zip = world.downloads.join("sharpwater-2026.3.0.zip");
    let before = fs::read(&zip).unwrap();
    world::create(folder.path()).unwrap();
    assert!(before == fs::read(&zip).unwrap(), "two runs gave two archives");
    assert_eq!(
        fs::read_dir(&world.games).unwrap().count(),
        5,
        "four games, and what their launcher has written down"
    );
}
