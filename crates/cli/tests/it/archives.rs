//! Archives with wrong headers: each is refused with a sentence, and uses resources only in proportion to its size.

use std::fs;
use std::io::{Cursor, Write};

use crate::common::{Bench, errors};
use upright_spanner_sample::archive::{
    self, ZipFile, ZipHeader, seven_zip, seven_zip_list, seven_zip_number, zip_of,
};
use upright_spanner_sample::{Bits, Pe, VersionInfo};

const COPY: &[u8] = &[0x00];
const LZMA: &[u8] = &[0x03, 0x01, 0x01];
const LZMA2: &[u8] = &[0x21];

fn library() -> Vec<u8> {
    let info = VersionInfo::new([1, 2, 3, 0]).with("CompanyName", "Nib");
    Pe::dll(Bits::Bits64, "lens.dll").version(&info).export("open", 1).to_bytes()
}

/// A list of contents of one file that is not packed.
fn plain_list(len: u64) -> Vec<u8> {
    seven_zip_list(COPY, &[], (len, len), &[("lens.dll", len)])
}

/// A list of contents with one part replaced.
fn altered(list: &[u8], part: &[u8], other: &[u8]) -> Vec<u8> {
    let at = list.windows(part.len()).position(|bytes| bytes == part).expect("that part");
    [&list[..at], other, &list[at + part.len()..]].concat()
}

/// Each is refused with a sentence that has the reason.
fn expect_refused(bench: &Bench, cases: &[(&str, Vec<u8>, &str)]) {
    for (what, bytes, wanted) in cases {
        bench.write("download", bytes);
        let said = errors(&bench.run(&["rack", "add", "download"]).code(1));
        assert!(said.contains(wanted), "{what}: {said}");
        assert!(!said.contains("panicked"), "{what}: {said}");
    }
}

#[test]
fn a_7z_that_states_more_than_it_has_is_refused_before_it_is_unpacked() {
    let dll = library();
    let len = dll.len() as u64;
    let list = plain_list(len);
    let number = seven_zip_number;
    let huge = number(1 << 60);
    let of = |list: &[u8]| seven_zip(&dll, list);
    let files = [&[0x00, 0x00, 0x05][..], &number(1)].concat();
    let size = number(len);
    let coder = [0x01, 0x01, 0x00, 0x0C];
    // Two coders that feed each other.
    let ring = [&[0x02, 0x01, 0x00, 0x01, 0x00, 0x00, 0x00, 0x01, 0x0C][..], &size].concat();
    let several = seven_zip_list(COPY, &[], (len, len), &[("lens.dll", len - 3), ("b.txt", 3)]);
    let larger = altered(&several, &[&[0x09][..], &number(len - 3)].concat(), &[0x09, 0xFF]);
    let bench = Bench::empty();
    let cases = [
        (
            "more files than bytes",
            of(&altered(&list, &files, &[&[0, 0, 5][..], &huge].concat())),
            "more than",
        ),
        (
            "more streams than bytes",
            of(&altered(&list, &[6, 0, 1, 9], &[&[6, 0][..], &huge, &[9]].concat())),
            "states more than it holds",
        ),
        (
            "more blocks than bytes",
            of(&altered(&list, &[0x0B, 1, 0], &[&[0x0B][..], &huge, &[0]].concat())),
            "states more than it holds",
        ),
        (
            "more coders than bytes",
            of(&altered(
                &list,
                &[0x0B, 1, 0, 1, 1, 0],
                &[&[0x0B, 1, 0][..], &huge, &[1, 0]].concat(),
            )),
            "states more than it holds",
        ),
        (
            "long properties",
            of(&altered(&list, &coder, &[&[0x01, 0x21, 0x00][..], &huge, &[0x0C]].concat())),
            "cut off",
        ),
        (
            "parts in a block",
            of(&altered(&list, &[8, 0x0D, 1], &[&[8, 0x0D][..], &huge].concat())),
            "holds more than 50000 entries",
        ),
        ("names too few", of(&altered(&list, &files, &[0, 0, 5, 2])), "not that of its files"),
        ("names of no length", of(&altered(&list, &[0x11, 19, 0], &[0x11, 0, 0])), "cut off"),
        (
            "packed bytes behind the end",
            of(&altered(&list, &[&[9][..], &size].concat(), &[&[9][..], &huge].concat())),
            "beyond its end",
        ),
        (
            "unpacked bytes without end",
            of(&altered(&list, &[&[0x0C][..], &size].concat(), &[&[0x0C][..], &huge].concat())),
            "more than is allowed",
        ),
        ("files larger than their block", of(&larger), "the archive is damaged"),
        (
            "coders in a ring",
            of(&altered(&list, &[&coder[..3], &[0x0C], &size].concat(), &ring)),
            "do not fit together",
        ),
    ];
    expect_refused(&bench, &cases);
    bench.write("download.7z", &of(&list));
    bench.ok(&["rack", "add", "download.7z"]);
    assert!(bench.ok(&["rack", "list"]).contains("lens"), "what is as it says is taken");
}

#[test]
fn a_7z_that_is_packed_in_no_way_that_is_known_or_allowed_is_refused() {
    let dll = library();
    let len = dll.len() as u64;
    let list = plain_list(len);
    let number = seven_zip_number;
    let of = |list: &[u8]| seven_zip(&dll, list);
    let packing = |method, properties: &[u8]| {
        of(&seven_zip_list(method, properties, (len, len), &[("lens.dll", len)]))
    };
    let mut behind = of(&list);
    behind[12] ^= 0x40;
    let checksum = crc32fast::hash(&behind[12..32]);
    behind[8..12].copy_from_slice(&checksum.to_le_bytes());
    let mut unguarded = of(&list);
    unguarded[8..32].fill(0);
    let packed_list = |properties: &[u8], size: u64| {
        let mut header = vec![0x17, 0x06, 0x00, 0x01, 0x09];
        header.extend(number(len));
        header.extend([0x00, 0x07, 0x0B, 0x01, 0x00, 0x01, 0x23, 0x03, 0x01, 0x01]);
        header.extend(number(properties.len() as u64));
        header.extend(properties);
        header.push(0x0C);
        header.extend(number(size));
        header.extend([0x00, 0x00]);
        of(&header)
    };
    let cases = [
        ("a stranger's coder", packing(&[0x7F, 0x01], &[]), "a coder of an unknown form"),
        ("a password", packing(&[0x06, 0xF1, 0x07, 0x01], &[0; 2]), "it is encrypted"),
        (
            "another packer",
            packing(&[0x04, 0x02, 0x02], &[]),
            "packed by BZip2, which is not supported",
        ),
        (
            "properties cut short",
            packing(LZMA, &[0x5D, 0, 0]),
            "the properties of a coder are wrong",
        ),
        (
            "a dictionary of a gigabyte",
            packing(LZMA, &[0x5D, 0, 0, 0, 0x40]),
            "needs 1024 MB of memory, and 256 MB are allowed",
        ),
        (
            "a dictionary of four",
            packing(LZMA2, &[40]),
            "needs 4096 MB of memory, and 256 MB are allowed",
        ),
        (
            "a list that takes a gigabyte",
            packed_list(&[0x5D, 0, 0, 0, 0x40], 9),
            "needs 1024 MB of memory",
        ),
        ("a list without end", packed_list(&[0x5D, 0, 0, 1, 0], 40 << 20), "longer than 32 MB"),
        ("a list that is none", packed_list(&[0x5D, 0, 0, 1, 0], 9), "the archive is damaged"),
        ("a list behind the end", behind, "beyond its end"),
        ("a beginning without checksum", unguarded, "the checksum of its beginning"),
        ("no list", of(&[]), "it has no list of contents"),
        (
            "45 bytes",
            of(&[1, 4, 6, 0, 0, 0, 5, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF]),
            "the archive is damaged",
        ),
    ];
    expect_refused(&Bench::empty(), &cases);
}

#[test]
fn a_larger_dictionary_can_be_allowed() {
    let dll = library();
    let len = dll.len() as u64;
    let list = seven_zip_list(LZMA2, &[33], (len, len), &[("lens.dll", len)]);
    let bench = Bench::empty();
    bench.write("download.7z", &seven_zip(&dll, &list));
    let said = errors(&bench.run(&["rack", "add", "download.7z"]).code(1));
    assert!(said.contains("384 MB of memory") && said.contains("`dictionary-mb`"), "{said}");
    bench.write("home/settings.toml", b"[limits]\ndictionary-mb = 400\n");
    let said = errors(&bench.run(&["rack", "add", "download.7z"]).code(1));
    assert!(said.contains("cannot be unpacked"), "it is looked into now: {said}");
}

#[test]
fn a_zip_that_says_one_thing_here_and_another_there_is_refused() {
    let dll = library();
    let good = ZipFile::of("lens.dll", &dll);
    let before = |alter: &dyn Fn(&mut ZipHeader)| {
        let mut file = good.clone();
        alter(&mut file.before);
        zip_of(&[file])
    };
    let whole = zip_of(std::slice::from_ref(&good));
    let mut many = whole.clone();
    let end = whole.len() - 22;
    many[end + 8..end + 12].fill(0xF0);
    let mut elsewhere = whole.clone();
    elsewhere[end + 16] ^= 1;
    let inside = ZipFile { at: Some(0), ..ZipFile::of("second.txt", b"x") };
    let same_place = ZipFile {
        before: good.before.clone(),
        at: Some(0),
        ..ZipFile { listed: good.listed.clone(), ..ZipFile::default() }
    };
    let overlapping = zip_of(&[good.clone(), same_place]);
    let second = ZipFile::of("b.txt", b"x");
    let mut first = ZipFile::of("a.txt", b"");
    // The first holds all of the second.
    let second_len = (30 + second.before.name.len() + 1) as u32;
    for header in [&mut first.before, &mut first.listed] {
        (header.packed, header.unpacked) = (second_len, second_len);
    }
    let nested = zip_of(&[first, second]);
    let bench = Bench::empty();
    let cases = [
        (
            "another name",
            before(&|header| header.name = b"lens.txt".to_vec()),
            "has one name in the list",
        ),
        ("another method", before(&|header| header.method = 8), "has one method in the list"),
        ("a password", before(&|header| header.flags = 1), "has one encryption in the list"),
        ("another length", before(&|header| header.unpacked -= 1), "has one size in the list"),
        ("another length, packed", before(&|header| header.packed = 9), "has one size in the list"),
        (
            "another checksum",
            before(&|header| header.checksum ^= 1),
            "has one checksum in the list",
        ),
        ("a name twice", zip_of(&[good.clone(), good.clone()]), "`lens.dll` is there twice"),
        ("a name in one place twice", overlapping, "`lens.dll` is there twice"),
        ("one inside another", nested, "shares its bytes with another"),
        ("the place of another", zip_of(&[good.clone(), inside]), "has one name in the list"),
        ("more than it lists", many, "holds more than 50000 entries"),
        ("a list elsewhere", elsewhere, "in the wrong place"),
        ("something beyond its end", [&whole[..], b"junk"].concat(), "does not end like a zip"),
        ("half of it", whole[..whole.len() / 2].to_vec(), "does not end like a zip"),
    ];
    expect_refused(&bench, &cases);
    let mut later = good.clone();
    // Sizes that were unknown before the file was written follow it.
    (later.before.flags, later.listed.flags) = (8, 8);
    (later.before.checksum, later.before.packed, later.before.unpacked) = (0, 0, 0);
    later.content.extend(b"PK\x07\x08");
    for header in [later.listed.checksum, later.listed.packed, later.listed.unpacked] {
        later.content.extend(header.to_le_bytes());
    }
    bench.write("download.zip", &zip_of(&[later]));
    bench.ok(&["rack", "add", "download.zip"]);
}

#[test]
fn names_are_taken_as_what_they_mean() {
    let bench = Bench::empty();
    let dll = library();
    bench.write(
        "download.zip",
        &archive::zip(&[("./lens.dll", &dll), ("a//b.txt", b"text")], (2026, 1, 1)),
    );
    let said = bench.ok(&["rack", "add", "download.zip", "-v"]);
    assert!(said.contains("a/b.txt") && !said.contains("./lens.dll"), "{said}");
}

#[test]
fn an_archive_unpacks_to_no_more_than_its_length_warrants() {
    let bench = Bench::empty();
    let dll = library();
    // Zeros take a thousandth of their length.
    let zeros = packed_well(&[("lens.dll", &dll), ("zeros.bin", &vec![0; 70 << 20])]);
    bench.write("download.zip", &zeros);
    let said = errors(&bench.run(&["rack", "add", "download.zip"]).code(1));
    assert!(said.contains("it unpacks to 71 MB, and 64 MB are allowed"), "{said}");
    // The content of inner archives counts too.
    let inner = packed_well(&[("zeros.bin", &vec![0; 40 << 20])]);
    let pack = packed_well(&[("lens.dll", &dll[..]), ("a.zip", &inner), ("b.zip", &inner)]);
    bench.write("download.zip", &pack);
    let said = errors(&bench.run(&["rack", "add", "download.zip"]).code(1));
    assert!(said.contains("MB are allowed"), "{said}");
}

fn packed_well(entries: &[(&str, &[u8])]) -> Vec<u8> {
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let options = zip::write::SimpleFileOptions::default().compression_level(Some(9));
    for (name, content) in entries {
        writer.start_file(*name, options).unwrap();
        writer.write_all(content).unwrap();
    }
    writer.finish().unwrap().into_inner()
}

#[test]
fn what_a_killed_run_unpacked_goes_with_the_next_and_is_known_to_the_doctor() {
    let bench = Bench::empty();
    bench.write("download.zip", &archive::zip(&[("lens.dll", &library())], (2026, 1, 1)));
    bench.ok(&["rack", "add", "download.zip"]);
    let left = || fs::read_dir(bench.file("home/scratch")).unwrap().count();
    assert_eq!(left(), 0, "it goes with the run");
    bench.write("home/scratch/aB3/0", b"left");
    let said = bench.ok(&["doctor"]);
    assert!(said.contains("scratch"), "{said}");
    assert_eq!(left(), 0);
    bench.write("home/scratch/aB3/0", b"left");
    bench.ok(&["rack", "add", "download.zip"]);
    assert_eq!(left(), 0);
}

#[test]
fn an_archive_for_which_there_is_no_room_is_refused_before_it_is_unpacked() {
    let bench = Bench::empty();
    let filler: Vec<u8> = (0..3 << 20).map(|n: u32| (n ^ n >> 7) as u8).collect();
    let pack = [("lens.dll", &library()[..]), ("filler.bin", &filler)];
    bench.write("download.zip", &archive::zip(&pack, (2026, 1, 1)));
    let mut command = bench.program(&["rack", "add", "download.zip"]);
    command.env("SPANNER_FAULT", "room:1500000");
    let output = crate::common::started(|| command.output());
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(1), "{said}");
    assert!(said.contains("needs 4 MB, and the home folder's disk has only 1 MB free"), "{said}");
}

/// In a process that may have so much memory and so much time, every one ends with a sentence.
#[cfg(target_os = "linux")]
#[test]
fn hostile_archives_take_little_memory() {
    let dll = library();
    let len = dll.len() as u64;
    let bench = Bench::empty();
    let mut lzma = Vec::new();
    let options = lzma_rust2::LzmaOptions::with_preset(0);
    let mut writer = lzma_rust2::LzmaWriter::new_no_header(&mut lzma, &options, false).unwrap();
    writer.write_all(&vec![0; 63 << 20]).unwrap();
    writer.finish().unwrap();
    let sizes = (lzma.len() as u64, 63 << 20);
    // As much as is allowed, with the largest dictionary that is.
    let bomb = seven_zip_list(LZMA, &[0x5D, 0, 0, 0, 0x10], sizes, &[("zeros.bin", 63 << 20)]);
    let mut counts = zip_of(&[ZipFile::of("lens.dll", &dll)]);
    let end = counts.len() - 22;
    counts[end + 8..end + 12].fill(0xC3);
    for bytes in [
        seven_zip(&lzma, &bomb),
        seven_zip(&dll, &seven_zip_list(LZMA2, &[39], (len, len), &[("lens.dll", len)])),
        counts,
    ] {
        bench.write("download", &bytes);
        let program = env!("CARGO_BIN_EXE_spanner");
        let script = format!("ulimit -v 409600; exec '{program}' rack add download");
        let mut shell = std::process::Command::new("sh");
        shell.args(["-c", &script]).current_dir(bench.path());
        let output = shell.env("SPANNER_HOME", bench.path().join("home")).output().unwrap();
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.code(), Some(1), "{said}");
        assert!(said.contains("error: download"), "{said}");
    }
}
