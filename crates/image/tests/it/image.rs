//! Images are read completely; files that are not images, or damaged ones, are refused and never crash the reader.

use std::io::Cursor;

use proptest::prelude::*;
use upright_spanner_image::{Facts, Image, ImageError, Kind, Machine, Symbol, system};
use upright_spanner_sample::world::{self, Graphics};
use upright_spanner_sample::{Bits, Pe, VersionInfo};

fn read(bytes: &[u8]) -> Result<Image, ImageError> {
    Image::from_reader(Cursor::new(bytes))
}

#[test]
fn everything_that_was_written_is_read() {
    for (bits, machine) in [(Bits::Bits64, Machine::X86_64), (Bits::Bits32, Machine::X86)] {
        let pe = Pe::dll(bits, "salt.dll")
            .version(
                &VersionInfo::new([3, 1, 4, 1])
                    .with("CompanyName", "Grünspan Werke")
                    .with("FileVersion", "3, 1, 4, 1")
                    .with_table(0x0407, 1200, &[("CompanyName", "Anders"), ("Comments", "zwei")]),
            )
            .imports("KERNEL32.dll", &["Sleep", "#17"])
            .imports("other.dll", &["go"])
            .export("beta", 2)
            .export("alpha", 1);
        let image = read(&pe.to_bytes()).unwrap();
        let facts = &image.facts;
        assert_eq!((facts.machine, facts.kind), (machine, Kind::Dll));
        assert_eq!(facts.version_info.fixed.unwrap().file_version, [3, 1, 4, 1]);
        assert_eq!(facts.version().unwrap().to_string(), "3.1.4.1");
        assert_eq!(facts.string("companyname"), Some("Grünspan Werke"));
        assert_eq!(facts.string("Comments"), Some("zwei"));
        assert_eq!(facts.version_info.translations, [(0x0409, 1200), (0x0407, 1200)]);
        assert_eq!(facts.export_name.as_deref(), Some("salt.dll"));
        assert_eq!(facts.faults, Vec::<String>::new());
        let exports: Vec<String> = image.exports.iter().map(ToString::to_string).collect();
        assert_eq!(exports, ["beta", "alpha"]);
        assert_eq!(image.imports[0].dll, "KERNEL32.dll");
        let symbols = [Symbol::Name("Sleep".to_owned()), Symbol::Ordinal(17)];
        assert_eq!(image.imports[0].symbols, symbols);
        assert_eq!(image.imports[1].dll, "other.dll");
    }
}

#[test]
fn delayed_imports_and_forwarded_exports_are_told_as_such() {
    for bits in [Bits::Bits64, Bits::Bits32] {
        let pe = Pe::dll(bits, "salt.dll")
            .imports("now.dll", &["one"])
            .delay_imports("later.dll", &["two", "#3"])
            .delay_imports("much_later.dll", &["four"])
            .forward("go", "other.start")
            .export("stay", 1);
        let image = read(&pe.to_bytes()).unwrap();
        let imports: Vec<(&str, bool, usize)> =
            image.imports.iter().map(|i| (i.dll.as_str(), i.delayed, i.symbols.len())).collect();
        let expected = [("now.dll", false, 1), ("later.dll", true, 2), ("much_later.dll", true, 1)];
        assert_eq!(imports, expected);
        assert_eq!(image.facts.imported_dlls, ["now.dll", "later.dll", "much_later.dll"]);
        let forwarded: Vec<Option<&str>> =
            image.exports.iter().map(|export| export.forwarded_to.as_deref()).collect();
        assert_eq!(forwarded, [Some("other.start"), None]);
        assert_eq!(image.facts.faults, Vec::<String>::new());
    }
}

#[test]
fn a_build_for_developers_shows() {
    let debug = |pe: Pe| Facts::from_reader(Cursor::new(pe.to_bytes())).unwrap().is_debug();
    let plain = || Pe::dll(Bits::Bits64, "a.dll");
    for (dll, expected) in [
        ("VCRUNTIME140D.dll", true),
        ("vcruntime140_1d.dll", true),
        ("msvcp140d.dll", true),
        ("ucrtbased.dll", true),
        ("mfc140ud.dll", true),
        ("vcruntime140.dll", false),
        ("ucrtbase.dll", false),
        ("msvcrt.dll", false),
        ("d3d11.dll", false),
    ] {
        assert_eq!(debug(plain().imports(dll, &["x"])), expected, "{dll}");
    }
    let mut info = VersionInfo::new([1, 0, 0, 0]);
    info.flags = 1 | 2 | 8;
    let facts = Facts::from_reader(Cursor::new(plain().version(&info).to_bytes())).unwrap();
    assert!(facts.is_debug());
    assert_eq!(facts.flags(), ["debug", "pre-release", "private"]);
}

/// A version resource as `edit` leaves it.
fn with_resource(edit: impl FnOnce(&mut Vec<u8>)) -> Facts {
    let info = VersionInfo::new([4, 3, 2, 1])
        .with("CompanyName", "Corvid Optics")
        .with("FileDescription", "Sharpwater")
        .with("ProductName", "Sharpwater");
    let mut bytes = info.to_bytes();
    edit(&mut bytes);
    let pe = Pe::dll(Bits::Bits64, "a.dll").version_bytes(bytes);
    Facts::from_reader(Cursor::new(pe.to_bytes())).unwrap()
}

/// The position of a text in a resource.
fn at(bytes: &[u8], text: &str) -> usize {
    let units: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
    find(bytes, &units).expect("the text")
}

#[test]
fn resources_out_of_order_are_read_as_far_as_they_go() {
    type Edit = fn(&mut Vec<u8>);
    let whole = with_resource(|_| ());
    assert_eq!(whole.faults, Vec::<String>::new());
    let edits: [(&str, Edit, Option<&str>); 6] = [
        (
            "a value's length is counted in bytes",
            |bytes| {
                let value_len = at(bytes, "CompanyName") - 4;
                bytes[value_len] *= 2;
            },
            Some("Corvid Optics"),
        ),
        (
            "the whole claims to be longer than it is",
            |bytes| bytes[1] = 0xFF,
            Some("Corvid Optics"),
        ),
        (
            "a string claims to be longer than its table",
            |bytes| {
                let len = at(bytes, "FileDescription") - 6;
                bytes[len + 1] = 0x40;
            },
            Some("Corvid Optics"),
        ),
        (
            "a string claims no length at all",
            |bytes| {
                let len = at(bytes, "FileDescription") - 6;
                bytes[len..len + 2].fill(0);
            },
            Some("Corvid Optics"),
        ),
        (
            "two more bytes of padding than there should be",
            |bytes| {
                let start = at(bytes, "CompanyName") - 6;
                bytes.splice(start..start, [0, 0]);
            },
            Some("Corvid Optics"),
        ),
        (
            "it stops in the middle of a string",
            |bytes| {
                let cut = at(bytes, "FileDescription");
                bytes.truncate(cut);
            },
            Some("Corvid Optics"),
        ),
    ];
    for (what, edit, company) in edits {
        let facts = with_resource(edit);
        assert_eq!(facts.version().unwrap().to_string(), "4.3.2.1", "{what}");
        assert_eq!(facts.string("CompanyName"), company, "{what}");
    }
    let none = with_resource(Vec::clear);
    assert_eq!(none.version(), None);
    let noise =
        with_resource(|bytes| bytes.iter_mut().for_each(|byte| *byte = byte.wrapping_mul(37)));
    assert_eq!(noise.version(), None);
    assert!(noise.faults[0].contains("version resource"), "{:?}", noise.faults);
}

#[test]
fn the_version_that_people_would_state_wins() {
    for (fixed, text, stated) in [
        ([1, 2, 0, 0], "1.2.0.0", Some("1.2.0")),
        ([1, 2, 0, 0], "1.2-rc3", Some("1.2-rc3")),
        ([1, 2, 0, 0], "7.7", Some("1.2.0")),
        ([1, 2, 0, 0], "not a number", Some("1.2.0")),
        ([0, 0, 0, 0], "7.7", Some("7.7")),
        ([0, 0, 0, 0], "", None),
    ] {
        let info = VersionInfo::new(fixed).with("FileVersion", text);
        let pe = Pe::dll(Bits::Bits64, "a.dll").version(&info);
        let version = read(&pe.to_bytes()).unwrap().facts.version();
        assert_eq!(version.map(|v| v.to_string()).as_deref(), stated, "{fixed:?} {text:?}");
    }
}

#[test]
fn what_is_no_image_is_named() {
    let zip = upright_spanner_sample::archive::zip(&[("a", b"b")], (2026, 1, 1));
    for (bytes, code, says) in [
        (&b""[..], "empty", "0 bytes"),
        (b"[Settings]\r\nA=1\r\n", "not-an-image", "a text file"),
        (b"\x7fELF\x02\x01", "not-an-image", "ELF"),
        (&zip, "not-an-image", "zip"),
        (b"MZ", "truncated", "DOS header"),
        (b"\x00\x01\x02\x03", "not-an-image", "another kind"),
    ] {
        let error = read(bytes).unwrap_err();
        assert_eq!(error.code(), code);
        assert!(error.to_string().contains(says), "{error}");
    }
}

#[test]
fn a_library_cut_short_anywhere_is_refused_as_cut_short() {
    let whole =
        world::graphics(Graphics::Denoiser, [1, 0, 0, 0], Bits::Bits64).padding(3000).to_bytes();
    for len in (64..whole.len()).step_by(97) {
        let error = read(&whole[..len]).expect_err("a part is no image");
        assert!(matches!(error, ImageError::Truncated { .. }), "{len}: {error}");
    }
    assert!(read(&whole).is_ok());
}

#[test]
fn a_damaged_table_leaves_the_other_facts_standing() {
    let bytes = world::graphics(Graphics::Upscaler, [2, 7, 4, 0], Bits::Bits64).to_bytes();
    let intact = Facts::from_reader(Cursor::new(&bytes)).unwrap();
    // The data directories of a 64-bit image start 112 bytes into its optional header.
    let nt = u32::from_le_bytes(bytes[60..64].try_into().unwrap()) as usize;
    for (index, table) in [(0, "export"), (1, "import"), (2, "resource")] {
        let mut broken = bytes.clone();
        let entry = nt + 24 + 112 + 8 * index;
        broken[entry..entry + 4].copy_from_slice(&0x7FFF_FFF0_u32.to_le_bytes());
        let facts = Facts::from_reader(Cursor::new(&broken)).unwrap();
        assert_eq!(facts.machine, intact.machine);
        assert!(facts.faults.iter().any(|fault| fault.contains(table)), "{:?}", facts.faults);
    }
}

#[test]
fn a_table_that_names_one_text_for_ever_does_not_fill_the_memory() {
    // 60,000 exports whose names all are the same long text: 200 MB of names out of one 1 MB file.
    let mut pe = Pe::dll(Bits::Bits64, &"n".repeat(3500));
    for index in 0..60_000 {
        pe = pe.export(&format!("{index}"), 1);
    }
    let mut bytes = pe.to_bytes();
    let facts = Facts::from_reader(Cursor::new(&bytes)).unwrap();
    assert_eq!(facts.faults, Vec::<String>::new());
    let directory = find(&bytes, &60_000_u32.to_le_bytes()).expect("the export directory") - 20;
    let field = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap());
    let long_name = field(directory + 12);
    let base = long_name as usize - (40 + 60_000 * 10);
    let names = directory + (field(directory + 32) as usize - base);
    for index in 0..60_000 {
        bytes[names + 4 * index..][..4].copy_from_slice(&long_name.to_le_bytes());
    }
    let image = read(&bytes).unwrap();
    assert!(image.exports.is_empty());
    assert!(image.facts.faults.iter().any(|fault| fault.contains("export")));
}

#[test]
fn a_resource_that_lies_behind_the_end_of_the_file_is_a_fault_and_no_more() {
    let info = VersionInfo::new([1, 2, 3, 4]).with("CompanyName", "Corvid Optics");
    let mut bytes = Pe::dll(Bits::Bits64, "a.dll").version(&info).to_bytes();
    let nt = u32::from_le_bytes(bytes[60..64].try_into().unwrap()) as usize;
    // Headers that claim to be longer than the file map addresses behind its end.
    bytes[nt + 24 + 60..][..4].copy_from_slice(&0x7FFF_FFFF_u32.to_le_bytes());
    let leaf = find(&bytes, &0x0409_u32.to_le_bytes()).expect("the language's entry") + 8;
    bytes[leaf..leaf + 4].copy_from_slice(&0x7000_0000_u32.to_le_bytes());
    let facts = Facts::from_reader(Cursor::new(&bytes)).unwrap();
    assert_eq!(facts.version(), None);
}

fn find(bytes: &[u8], wanted: &[u8]) -> Option<usize> {
    bytes.windows(wanted.len()).position(|window| window == wanted)
}

/// The start of the first section of a made image.
const HEADERS: usize = 0x400;

/// A library that has every table.
fn damageable() -> Pe {
    Pe::dll(Bits::Bits64, "a.dll")
        .version(&VersionInfo::new([1, 2, 3, 4]).with("CompanyName", "Corvid Optics"))
        .imports("KERNEL32.dll", &["Sleep", "#3"])
        .delay_imports("later.dll", &["two"])
        .export("one", 1)
}

#[test]
fn the_libraries_of_windows_are_told_by_every_name_in_the_lists() {
    for name in include_str!("../../src/windows-libraries.txt")
        .lines()
        .filter(|line| !line.starts_with('#'))
    {
        assert!(system::can_be_stood_in(&format!("{name}.dll")), "{name}");
        assert!(system::can_be_stood_in(&format!("{}.DLL", name.to_uppercase())), "{name}");
    }
    for name in
        include_str!("../../src/windows-more.txt").lines().filter(|line| !line.starts_with('#'))
    {
        assert!(system::comes_with_windows(&format!("{name}.dll")), "{name}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// The headers are valid, so the tables they point to are read.
    #[test]
    fn whatever_bytes_stand_behind_real_headers_what_these_say_is_read(
        bytes in proptest::collection::vec(any::<u8>(), 1..400),
    ) {
        let mut damaged = damageable().to_bytes();
        let (_, tables) = damaged.split_at_mut(HEADERS);
        tables.iter_mut().zip(bytes.iter().cycle()).for_each(|(at, byte)| *at = *byte);
        let facts = read(&damaged).unwrap().facts;
        prop_assert_eq!((facts.machine, facts.kind), (Machine::X86_64, Kind::Dll));
        prop_assert_eq!(facts.size, damaged.len() as u64);
        prop_assert!(!facts.faults.is_empty(), "every table is damaged");
    }

    /// Bytes of the headers and tables turn into others: the image is refused, or its size is right.
    #[test]
    fn no_damage_trips_the_reader(hits in proptest::collection::vec((any::<usize>(), any::<u8>()), 1..20)) {
        let mut bytes = damageable().to_bytes();
        for (at, byte) in hits {
            let at = at % bytes.len();
            bytes[at] = byte;
        }
        if let Ok(image) = read(&bytes) {
            prop_assert_eq!(image.facts.size, bytes.len() as u64);
        }
    }
}
