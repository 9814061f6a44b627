//! The rack takes the right files out of whatever people download, and refuses what could do harm.

use std::fs;
use std::io::{Cursor, Write};

use crate::common::{Bench, errors, free, output};
use sevenz_rust2::{ArchiveEntry, ArchiveWriter};
use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe, VersionInfo, archive};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

const DATE: (u16, u8, u8) = (2026, 3, 4);

fn library(bits: Bits, seed: u32) -> Vec<u8> {
    let info = VersionInfo::new([3, 1, 0, 0]).with("CompanyName", "Nib");
    Pe::dll(bits, "lens.dll").version(&info).export("lens", seed).to_bytes()
}

/// Name and machine of each variant of each build on the rack.
fn builds(bench: &Bench) -> Vec<String> {
    let list = bench.json(&["rack", "list"]);
    let builds = list["builds"].as_array().unwrap().iter();
    let variants = builds.flat_map(|build| build["variants"].as_array().unwrap());
    let mut builds: Vec<String> =
        variants.map(|b| format!("{} {}", b["build"], b["machine"]).replace('"', "")).collect();
    builds.sort();
    builds
}

/// The kind of each file of the only package.
fn parts(bench: &Bench, path: &str) -> Vec<String> {
    let added = bench.json(&["rack", "add", path]);
    let files = added["packages"][0].as_array().unwrap().iter();
    files.map(|f| format!("{}: {}", f["path"], f["part"]).replace('"', "")).collect()
}

fn seven_zip(entries: &[(&str, &[u8])], solid: bool) -> Vec<u8> {
    let mut writer = ArchiveWriter::new(Cursor::new(Vec::new())).unwrap();
    if solid {
        let readers = entries.iter().map(|(_, content)| (*content).into()).collect();
        let entries = entries.iter().map(|(name, _)| ArchiveEntry::new_file(name)).collect();
        writer.push_archive_entries::<&[u8]>(entries, readers).unwrap();
    } else {
        for (name, content) in entries {
            writer.push_archive_entry(ArchiveEntry::new_file(name), Some(*content)).unwrap();
        }
    }
    writer.finish().unwrap().into_inner()
}

#[test]
fn builds_come_from_zips_and_libraries_under_the_name_that_the_file_tells() {
    let bench = Bench::world();
    let zips =
        ["sharpwater-2026.3.0", "sharpwater-2026.3.0-x86", "undertow-2.3.0", "lampwright-31.6"];
    let zips = zips.map(|name| format!("downloads/{name}.zip"));
    let mut words = vec!["rack", "add", "games/Kite Harbour/System/quern.dll"];
    words.extend(zips.iter().map(String::as_str));
    bench.ok(&words);
    let found = builds(&bench);
    assert!(found[1].starts_with("quern@content-") && found[1].ends_with(" x86_64"), "{found:?}");
    assert_eq!(found[0], "lampwright@31.6.0+x86 x86");
    assert_eq!(
        found[2..],
        ["sharpwater@2026.3.0 x86_64", "sharpwater@2026.3.0+x86 x86", "undertow@2.3.0 x86_64",]
    );
    let again = bench.ok(&words);
    assert_eq!(again.matches("already there").count(), 4, "{again}");
    assert_eq!(builds(&bench), found);
}

#[test]
fn the_same_builds_come_out_of_every_kind_of_package() {
    let dll = library(Bits::Bits64, 1);
    let wide: Vec<u8> = (0..200_000u32).flat_map(u32::to_le_bytes).collect();
    let entries: [(&str, &[u8]); 3] =
        [("pack/lens.dll", &dll), ("pack/readme.txt", b"hello"), ("pack/big.pak", &wide)];
    let inner = archive::zip(&entries, DATE);
    let packages: [(&str, Vec<u8>); 5] = [
        ("plain.zip", archive::zip(&entries, DATE)),
        ("plain.7z", seven_zip(&entries, false)),
        ("solid.7z", seven_zip(&entries, true)),
        ("nested.zip", archive::zip(&[("outer.txt", b"x"), ("in/pack.zip", &inner)], DATE)),
        ("nested.7z", seven_zip(&[("in/pack.zip", &inner)], false)),
    ];
    for (name, bytes) in &packages {
        let bench = Bench::empty();
        bench.write(name, bytes);
        bench.ok(&["rack", "add", name]);
        assert_eq!(builds(&bench), ["lens@3.1.0 x86_64"], "{name}");
        let notes = bench.ok(&["rack", "notes", "lens"]);
        assert!(notes.contains("hello"), "{name}: {notes}");
    }
    let bench = Bench::empty();
    for (name, content) in entries {
        bench.write(&format!("folder/{name}"), content);
    }
    bench.ok(&["rack", "add", "folder"]);
    assert_eq!(builds(&bench), ["lens@3.1.0 x86_64"]);
}

/// A tar of files, each with the kind of its heading.
fn tar(entries: &[(&str, tar::EntryType, &[u8])]) -> Vec<u8> {
    let mut tar = tar::Builder::new(Vec::new());
    for (name, kind, content) in entries {
        let mut header = tar::Header::new_gnu();
        header.set_entry_type(*kind);
        header.set_size(content.len() as u64);
        header.set_mtime(1_700_000_000);
        if name.len() <= 100 {
            header.as_old_mut().name[..name.len()].copy_from_slice(name.as_bytes());
            header.set_cksum();
            tar.append(&header, *content).unwrap();
        } else {
            tar.append_data(&mut header, name, *content).unwrap();
        }
    }
    tar.into_inner().unwrap()
}

#[test]
fn tars_are_read_however_they_are_packed_and_what_cannot_be_read_is_told_as_what_it_is() {
    let dll = library(Bits::Bits64, 1);
    let deep = format!("pack/{}/a.pak", "long-folder/".repeat(12).trim_end_matches('/'));
    let plain = tar(&[
        ("pack/", tar::EntryType::Directory, b""),
        ("pack/lens.dll", tar::EntryType::Regular, &dll),
        ("pack/readme.txt", tar::EntryType::Regular, b"hello"),
        (&deep, tar::EntryType::Regular, b"data"),
    ]);
    let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    gzip.write_all(&plain).unwrap();
    let gzip = gzip.finish().unwrap();
    let mut xz = liblzma::write::XzEncoder::new(Vec::new(), 1);
    xz.write_all(&plain).unwrap();
    let zstd = zstd::encode_all(&plain[..], 1).unwrap();
    let inner = archive::zip(&[("in/pack.tar.gz", &gzip)], DATE);
    for (name, bytes) in [
        ("pack.tar", plain),
        ("pack.tar.gz", gzip),
        ("no-name-that-tells", xz.finish().unwrap()),
        ("pack.tar.zst", zstd),
        ("nested.zip", inner),
    ] {
        let bench = Bench::empty();
        bench.write(name, &bytes);
        bench.ok(&["rack", "add", name]);
        assert_eq!(builds(&bench), ["lens@3.1.0 x86_64"], "{name}");
        assert!(bench.ok(&["rack", "notes", "lens"]).contains("hello"), "{name}");
    }

    let disc = [vec![0; 32_769], b"CD001".to_vec()].concat();
    let mut one = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    one.write_all(&dll).unwrap();
    let bench = Bench::empty();
    for (bytes, wanted) in [
        (&b"Rar!\x1a\x07\x01\x00more"[..], "it is a RAR archive, which is not read here Unpack"),
        (b"MSCF\0\0\0\0more", "it is a cabinet file"),
        (b"BZh91AY&SY", "it is packed with bzip2"),
        (&disc, "it is a disc image"),
        (&one.finish().unwrap(), "it is one file packed with gzip, and no archive Unpack it"),
    ] {
        bench.write("download", bytes);
        let said = crate::common::flat(&errors(&bench.run(&["rack", "add", "download"]).code(1)));
        assert!(said.contains(wanted), "{said}");
    }
}

#[test]
fn tars_that_could_do_harm_are_refused_whole() {
    let dll = library(Bits::Bits64, 1);
    let with = |name: &str, kind: tar::EntryType, content: &[u8]| {
        tar(&[("lens.dll", tar::EntryType::Regular, &dll), (name, kind, content)])
    };
    let plain = tar::EntryType::Regular;
    let whole = with("a.txt", plain, b"x");
    let notes = vec![b'x'; 70_000];
    let many: Vec<String> = (0..60).map(|n| format!("{n}.txt")).collect();
    let many: Vec<_> = many.iter().map(|name| (name.as_str(), plain, &b"x"[..])).collect();
    let mut bomb = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::best());
    bomb.write_all(&with("zeros.bin", plain, &vec![0; 3 << 20])).unwrap();
    let bench = Bench::empty();
    bench.write("home/settings.toml", b"[limits]\nentries = 50\nunpacked-mb = 2\n");
    for (what, bytes, wanted) in [
        ("parent", with("../a.dll", plain, b"x"), "`../a.dll` points out of the archive"),
        ("absolute", with("/tmp/a.dll", plain, b"x"), "points out of the archive"),
        ("device", with("docs/NUL.txt", plain, b"x"), "has the name of a device"),
        ("link", with("b.dll", tar::EntryType::Symlink, b""), "`b.dll` is a link"),
        ("hard link", with("b.dll", tar::EntryType::Link, b""), "`b.dll` is a link"),
        ("pipe", with("b.dll", tar::EntryType::Fifo, b""), "is neither a file nor a folder"),
        ("holes", with("b.dll", tar::EntryType::GNUSparse, b"x"), "is stored with holes"),
        ("notes", with("n", tar::EntryType::GNULongName, &notes), "has more notes than any name"),
        ("twice", with("LENS.dll", plain, b"x"), "would be the same file"),
        ("many", tar(&many), "it holds more than 50 entries"),
        ("bomb", bomb.finish().unwrap(), "unpacks to more than is allowed"),
        ("cut", whole[..dll.len()].to_vec(), "is shorter than it says"),
    ] {
        bench.write("download", &bytes);
        let said = crate::common::flat(&errors(&bench.run(&["rack", "add", "download"]).code(1)));
        assert!(said.contains(wanted), "{what}: {said}");
        assert!(builds(&bench).is_empty(), "{what}");
    }
}

#[test]
fn each_file_is_sorted_by_what_it_is() {
    let bench = Bench::empty();
    let debug = Pe::dll(Bits::Bits64, "lens.dll").imports("vcruntime140d.dll", &["x"]).to_bytes();
    let program = world::helper_exe(Bits::Bits64, "Starter", "Nib", "start.exe").to_bytes();
    let entries: [(&str, &[u8]); 12] = [
        ("lens.dll", &library(Bits::Bits64, 1)),
        ("dbg/lens_more.dll", &library(Bits::Bits64, 2)),
        ("lensd.dll", &debug),
        ("start.exe", &program),
        ("lens.ini", b"[A]\nb=1\n"),
        ("README", b"read"),
        ("docs/howto.md", b"read"),
        ("LICENSE.txt", b"read"),
        ("include/lens.h", b"int x;"),
        ("lens.lib", b"!<arch>"),
        ("lens.pdb", b"pdb"),
        ("Data/scripts/a.bin", b"data"),
    ];
    bench.write("kit.zip", &archive::zip(&entries, DATE));
    assert_eq!(
        parts(&bench, "kit.zip"),
        [
            "Data/scripts/a.bin: data",
            "LICENSE.txt: documentation",
            "README: documentation",
            "dbg/lens_more.dll: debug-build",
            "docs/howto.md: documentation",
            "include/lens.h: developer",
            "lens.dll: payload",
            "lens.ini: settings",
            "lens.lib: developer",
            "lens.pdb: symbols",
            "lensd.dll: debug-build",
            "start.exe: program",
        ]
    );
    let text = crate::common::flat(&bench.ok(&["rack", "add", "kit.zip"]));
    assert!(
        text.contains(
            "kit.zip: comes with: 1 settings file, 1 data file; stays on the rack: 1 debug build, 1 program, 3"
        ),
        "{text}"
    );
    let text = bench.ok(&["rack", "add", "kit.zip", "-v"]);
    assert!(text.contains("lens.h: developer file, it is in include, beside no library"), "{text}");
}

#[test]
fn sibling_folders_with_the_same_names_are_variants_and_the_game_decides() {
    let bench = Bench::world();
    let build = |bits, seed: u16| {
        world::graphics(Graphics::Upscaler, [130, seed, 0, 0], bits).padding(1000).to_bytes()
    };
    let info = VersionInfo::new([130, 1, 0, 0]).with("CompanyName", "Corvid Optics");
    let variant =
        |seed| Pe::dll(Bits::Bits64, "sharpwater.dll").version(&info).export("a", seed).to_bytes();
    let zip = archive::zip(
        &[
            ("kit/vulkan/x64/sharpwater.dll", &variant(1)),
            ("kit/dx11/x64/sharpwater.dll", &variant(2)),
            ("kit/dx11/x86/sharpwater.dll", &build(Bits::Bits32, 1)),
            ("kit/debug/x64/sharpwater.dll", &variant(3)),
            ("kit/readme.txt", b"choose"),
        ],
        DATE,
    );
    bench.write("kit.zip", &zip);
    bench.ok(&["rack", "add", "kit.zip"]);
    assert_eq!(
        builds(&bench),
        [
            "sharpwater@130.1.0+debug x86_64",
            "sharpwater@130.1.0+dx11 x86_64",
            "sharpwater@130.1.0+vulkan x86_64",
            "sharpwater@130.1.0+x86-dx11 x86",
        ]
    );
    let plan = bench.ok(&["fit", "games/Tin Lighthouse", "sharpwater", "--dry-run"]);
    assert!(plan.contains("fit sharpwater@130.1.0+dx11"), "the game draws with d3d11: {plan}");
    let plan = bench.ok(&["fit", "games/Tin Lighthouse", "kit.zip", "--dry-run"]);
    assert!(plan.contains("fit sharpwater@130.1.0+dx11"), "{plan}");

    let zip = archive::zip(
        &[
            ("light/lens.dll", &library(Bits::Bits64, 1)),
            ("full/lens.dll", &library(Bits::Bits64, 2)),
        ],
        DATE,
    );
    bench.write("lens.zip", &zip);
    bench.ok(&["rack", "add", "lens.zip"]);
    bench.write("games/Kite Harbour/System/lens.dll", &library(Bits::Bits64, 3));
    let said = errors(&bench.run(&["fit", "games/Kite Harbour", "lens"]).code(2));
    assert!(said.contains("names 2 builds: lens@3.1.0+full, lens@3.1.0+light"), "{said}");
    bench.ok(&["fit", "games/Kite Harbour", "lens@3.1.0+light"]);
}

/// A zip written entry by entry, for what [`archive::zip`] would not write.
fn odd_zip(write: impl FnOnce(&mut ZipWriter<Cursor<Vec<u8>>>)) -> Vec<u8> {
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    write(&mut writer);
    writer.finish().unwrap().into_inner()
}

#[test]
fn archives_that_could_do_harm_are_refused_whole_with_the_entry_named() {
    let dll = library(Bits::Bits64, 1);
    let named = |name: &str| archive::zip(&[("good/lens.dll", &dll), (name, b"x")], DATE);
    let plain = SimpleFileOptions::default();
    let whole = archive::zip(&[("lens.dll", &dll)], DATE);
    let link = odd_zip(|zip| zip.add_symlink("lens.dll", "/etc/passwd", plain).unwrap());
    let twice = archive::zip(&[("lens.dll", &dll), ("LENS.dll", &dll)], DATE);
    let many: Vec<String> = (0..60).map(|n| format!("{n}.txt")).collect();
    let many =
        archive::zip(&many.iter().map(|n| (n.as_str(), &b"x"[..])).collect::<Vec<_>>(), DATE);
    let folders = odd_zip(|zip| {
        (0..60).for_each(|n| zip.add_directory(format!("{n}/"), plain).unwrap());
    });
    let zeros = vec![0; 3 << 20];
    let bomb = archive::zip(&[("lens.dll", &dll), ("zeros.bin", &zeros)], DATE);
    let mut lies = odd_zip(|zip| {
        zip.start_file("lens.dll", plain.compression_method(zip::CompressionMethod::Stored))
            .unwrap();
        zip.write_all(&dll).unwrap();
    });
    // The size that the central directory states for the one entry, 24 bytes into its record.
    let record = lies.windows(4).rposition(|bytes| bytes == b"PK\x01\x02").unwrap();
    lies[record + 24..record + 28].copy_from_slice(&7u32.to_le_bytes());
    let mut bad_bytes = whole.clone();
    bad_bytes[200] ^= 0xFF;
    let mut locked = whole.clone();
    for (at, mark) in [(6, b"PK\x03\x04"), (8, b"PK\x01\x02")] {
        let record = locked.windows(4).position(|bytes| bytes == mark).unwrap();
        locked[record + at] |= 1;
    }
    let bench = Bench::empty();
    bench.write("home/settings.toml", b"[limits]\nentries = 50\nunpacked-mb = 2\n");
    for (what, bytes, wanted) in [
        ("parent", named("../../a.dll"), "`../../a.dll` points out of the archive"),
        ("inner parent", named("a/../../a.txt"), "points out of the archive"),
        ("absolute", named("/tmp/a.txt"), "`/tmp/a.txt` points out of the archive"),
        ("drive", named("C:\\a.txt"), "points out of the archive"),
        ("stream", named("a.txt:hidden"), "points out of the archive"),
        ("device", named("docs/NUL.txt"), "has the name of a device"),
        ("port", named("com1"), "has the name of a device"),
        ("dot", named("docs./a.txt"), "a name that Windows would change"),
        ("control", named("a\u{1b}[2J.txt"), "characters in its name that Windows does not allow"),
        ("link", link, "`lens.dll` is a link"),
        ("two cases", twice, "`LENS.dll` and `lens.dll` would be the same file"),
        ("many", many, "it holds more than 50 entries"),
        ("many folders", folders, "it holds more than 50 entries"),
        ("bomb", bomb, "it unpacks to "),
        ("lies", lies, "`lens.dll`"),
        ("bad bytes", bad_bytes, "`lens.dll`"),
        ("locked", locked, "`lens.dll` is encrypted"),
        ("cut", whole[..whole.len() - 40].to_vec(), "the archive is damaged"),
        ("no library", archive::zip(&[("readme.txt", b"x")], DATE), "it contains no library"),
        ("fake", archive::zip(&[("lens.dll", b"text")], DATE), "`lens.dll` is not a library"),
        ("7z cut", seven_zip(&[("lens.dll", &dll)], true)[..90].to_vec(), "the archive is damaged"),
        ("7z parent", seven_zip(&[("../lens.dll", &dll)], false), "points out of the archive"),
    ] {
        bench.write("download", &bytes);
        let said = errors(&bench.run(&["rack", "add", "download"]).code(1));
        let printable = |c: char| !c.is_control() || matches!(c, '\n' | '\r');
        assert!(said.contains(wanted) && said.chars().all(printable), "{what}: {said:?}");
        assert!(builds(&bench).is_empty(), "{what}");
    }
    assert!(
        fs::read_dir(bench.file("home/blobs")).unwrap().next().is_none(),
        "nothing stays behind"
    );
    assert!(!bench.file("a.dll").exists());
}

#[test]
fn wrong_settings_are_said_with_their_line() {
    let bench = Bench::empty();
    bench.write("lens.dll", &library(Bits::Bits64, 1));
    bench.write("home/settings.toml", b"[limits]\nentry = 50\n");
    let said = errors(&bench.run(&["rack", "add", "lens.dll"]).code(1));
    assert!(said.contains("settings.toml:2: unknown field `entry`, expected"), "{said}");
}

#[test]
fn notes_are_shown_in_their_encoding_and_cannot_steer_the_terminal() {
    let bench = Bench::empty();
    let utf16: Vec<u8> = [0xFEFF]
        .into_iter()
        .chain("gr\u{fc}n\r\n".encode_utf16())
        .flat_map(u16::to_le_bytes)
        .collect();
    let entries: [(&str, &[u8]); 4] = [
        ("lens.dll", &library(Bits::Bits64, 1)),
        ("a.txt", &utf16),
        ("b.txt", b"gr\xFCn again\n"),
        ("c.md", b"# head\n\tone\x1b]0;title\x07\n"),
    ];
    bench.write("kit.zip", &archive::zip(&entries, DATE));
    bench.ok(&["rack", "add", "kit.zip"]);
    let notes = bench.ok(&["rack", "notes", "lens"]);
    assert!(notes.contains("gr\u{fc}n\n") && notes.contains("gr\u{fc}n again"), "{notes:?}");
    assert!(notes.contains("    one\u{fffd}]0;title\u{fffd}"), "{notes:?}");
    let shown = bench.ok(&["rack", "show", "lens"]);
    assert!(shown.contains("kit.zip") && shown.contains("c.md"), "{shown}");
}

#[test]
fn a_build_is_dropped_only_when_nothing_needs_it() {
    let bench = Bench::world();
    bench.ok(&["rack", "add", "downloads/brine-2.8.1-win64.zip", "downloads/hushgrain-1.2.2.zip"]);
    bench.ok(&["fit", "games/Kite Harbour", "brine"]);
    let before = bench.picture("home/blobs").len();
    bench.ok(&["rack", "drop", "hushgrain"]);
    assert_eq!(bench.picture("home/blobs").len(), before - 1, "its content goes with it");
    let said = errors(&bench.run(&["rack", "drop", "brine"]).code(3));
    assert!(said.contains("brine@2.8.1 is needed by change 1 of kite-harbour"), "{said}");
    bench.ok(&["rack", "drop", "brine", "--anyway"]);
    assert!(builds(&bench).is_empty());
    bench.ok(&["rollback", "games/Kite Harbour"]);
    let back = bench.json(&["inspect", "games/Kite Harbour/System/brine.dll"]);
    assert_eq!(back["images"][0]["file_version"], "2.0.3.0");
}

#[test]
fn verify_finds_a_stored_byte_that_is_not_as_it_was() {
    let bench = Bench::world();
    bench.ok(&["rack", "add", "downloads/brine-2.8.1-win64.zip", "downloads/hushgrain-1.2.2.zip"]);
    assert!(bench.ok(&["rack", "verify"]).contains("as it should be"));
    let denoiser =
        bench.json(&["rack", "list", "hushgrain"])["builds"][0]["variants"][0]["blake3"].clone();
    let digest = denoiser.as_str().unwrap();
    let blob = bench.file(&format!("home/blobs/{}/{digest}", &digest[..2]));
    let mut bytes = fs::read(&blob).unwrap();
    bytes[70_000] ^= 1;
    fs::write(&blob, bytes).unwrap();
    let said = output(&bench.run(&["rack", "verify"]).code(1));
    assert!(said.contains("hushgrain@1.2.2 is damaged: hushgrain.dll"), "{said}");
    bench.ok(&["rack", "add", "downloads/hushgrain-1.2.2.zip"]);
    bench.ok(&["rack", "verify"]);
}

#[test]
fn a_build_says_which_versions_of_the_game_it_goes_with() {
    let bench = Bench::world();
    let fit = |build: &str| bench.run(&["fit", "games/Kite Harbour", build, "--dry-run"]);
    let zip = "downloads/brine-2.8.1-win64.zip";
    bench.ok(&["rack", "add", zip]);
    fit("brine").code(0);
    for (supports, wanted) in [
        ("1.0.4 - 1.0.8", "is 1.0.9, newer than all of these. [exe-unsupported]"),
        (">=1.1", "is 1.0.9, older than all of these. [exe-unsupported]"),
        ("1.0.8, 1.0.10", "is 1.0.9, not among these. [exe-unsupported]"),
    ] {
        bench.ok(&["rack", "add", zip, "--supports", supports]);
        let text = output(&fit("brine").code(3));
        let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(text.contains(wanted), "{text}");
        let survey = bench.ok(&["survey", "games/Kite Harbour"]);
        assert!(!survey.contains("rack has"), "no build that does not go with the game is offered");
    }
    bench.ok(&["rack", "add", zip, "--supports", "1.0.*"]);
    fit("brine").code(0);
    assert!(bench.ok(&["survey", "games/Kite Harbour"]).contains("rack has 2.8.1"));
    let wrong = errors(&bench.run(&["rack", "add", zip, "--supports", "soon"]).code(2));
    assert!(wrong.contains("says no versions: write 8.3.2210"), "{wrong}");

    let silent = Pe::exe(Bits::Bits64).imports("brine.dll", &["brine_init"]).to_bytes();
    bench.write("games/Kite Harbour/System/KiteHarbour.exe", &silent);
    let text = output(&fit("brine").code(0));
    assert!(text.contains("[exe-unknown]"), "{text}");
}

#[test]
fn what_the_texts_say_of_versions_is_proposed_to_be_confirmed() {
    for (text, proposed) in [
        ("Lens 3.1\nRequires game version 8.3.2210 or so.\n", Some("8.3.2210")),
        ("Supports runtime v7.9.14 - 7.9.60.\n", Some("7.9.14 - 7.9.60")),
        ("This is version 3.1.0 of Lens.\n", None),
        ("Nothing of the kind.\n", None),
    ] {
        let bench = Bench::empty();
        let entries: [(&str, &[u8]); 2] =
            [("lens.dll", &library(Bits::Bits64, 1)), ("readme.txt", text.as_bytes())];
        bench.write("kit.zip", &archive::zip(&entries, DATE));
        let said = bench.ok(&["rack", "add", "kit.zip"]);
        let said = said.split_whitespace().collect::<Vec<_>>().join(" ");
        match proposed {
            Some(versions) => {
                assert!(said.contains(&format!("--supports \"{versions}\"")), "{said}");
            }
            None => assert!(!said.contains("--supports"), "{said}"),
        }
    }
}

#[test]
fn a_file_that_is_a_zip_inside_but_not_by_name_is_left_whole() {
    let bench = Bench::empty();
    let jar = archive::zip(&[("a/one.class", b"x"), ("a/two.class", b"y")], DATE);
    let entries: [(&str, &[u8]); 2] = [("lens.dll", &library(Bits::Bits64, 1)), ("lens.jar", &jar)];
    bench.write("kit.zip", &archive::zip(&entries, DATE));
    assert_eq!(parts(&bench, "kit.zip"), ["lens.dll: payload", "lens.jar: payload"]);
}

#[test]
fn a_build_tells_the_digest_that_downloads_are_published_with() {
    let bench = Bench::world();
    let dll = "games/Saltglass Drift/bin/winmm.dll";
    bench.ok(&["rack", "add", dll, "--family", "undertow"]);
    let inspected = bench.json(&["inspect", dll])["images"][0]["sha256"].clone();
    let shown = bench.json(&["rack", "show", "undertow"])["builds"][0]["variants"][0].clone();
    assert_eq!(shown["sha256"], inspected);
    assert!(bench.ok(&["rack", "show", "undertow"]).contains(inspected.as_str().unwrap()));
    let content = shown["blake3"].as_str().unwrap();
    let stored = bench.file(&format!("home/blobs/{}/{content}", &content[..2]));
    free(&stored);
    fs::remove_file(stored).unwrap();
    let said = bench.ok(&["rack", "show", "undertow"]);
    assert!(said.contains("its stored file cannot be read"), "{said}");
    assert!(
        bench.json(&["rack", "show", "undertow"])["builds"][0]["variants"][0]["sha256"].is_null()
    );
}
