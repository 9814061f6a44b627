//! Images made to be expensive: each is read quickly, a table over its budget is reported, and the others still
//! count.

use std::fs::File;
use std::io::{Cursor, Read, Seek, SeekFrom, Write};

use proptest::prelude::*;
use upright_spanner_image::{Image, ImageError, Signature, SignatureStatus};

/// The start of the only section: in memory, and in the file.
const MEMORY: u32 = 0x1000;
const START: usize = 0x400;

const EXPORT: usize = 0;
const IMPORT: usize = 1;
const RESOURCE: usize = 2;
const SECURITY: usize = 4;

/// A 64-bit library of one section that holds `body`, with some data directories.
fn image(directories: &[(usize, u32, u32)], body: &[u8]) -> Vec<u8> {
    let mut bytes = vec![0; START];
    bytes[..2].copy_from_slice(b"MZ");
    bytes[60] = 64;
    let mut at = 64;
    let mut put = |part: &[u8]| {
        bytes[at..at + part.len()].copy_from_slice(part);
        at += part.len();
    };
    put(b"PE\0\0");
    put(&0x8664_u16.to_le_bytes());
    put(&1_u16.to_le_bytes());
    put(&[0; 12]);
    put(&240_u16.to_le_bytes());
    put(&0x2022_u16.to_le_bytes());
    let mut optional = [0; 240];
    optional[..2].copy_from_slice(&0x20B_u16.to_le_bytes());
    optional[60..64].copy_from_slice(&(START as u32).to_le_bytes());
    optional[108..112].copy_from_slice(&16_u32.to_le_bytes());
    for (index, address, len) in directories {
        let entry = 112 + 8 * index;
        optional[entry..entry + 4].copy_from_slice(&address.to_le_bytes());
        optional[entry + 4..entry + 8].copy_from_slice(&len.to_le_bytes());
    }
    put(&optional);
    let len = body.len() as u32;
    put(b".all\0\0\0\0");
    for value in [len, MEMORY, len, START as u32, 0, 0, 0, 0x4000_0040] {
        put(&value.to_le_bytes());
    }
    bytes.extend_from_slice(body);
    bytes
}

fn words(values: impl IntoIterator<Item = u32>) -> Vec<u8> {
    values.into_iter().flat_map(u32::to_le_bytes).collect()
}

fn read(bytes: Vec<u8>) -> Image {
    Image::from_reader(Cursor::new(bytes)).unwrap()
}

/// The fault that is named, and no other.
fn fault(image: &Image) -> &str {
    assert_eq!(image.facts.faults.len(), 1, "{:?}", image.facts.faults);
    let (_, what) = image.facts.faults[0].split_once("to do harm: ").unwrap();
    what.strip_suffix(" is larger than in any real image").unwrap()
}

#[test]
fn a_resource_directory_that_leads_to_itself_ends() {
    // Three levels of 2,000 entries, each of which leads back to the same directory.
    let mut body = vec![0; 12];
    body.extend([0_u16, 2000].map(u16::to_le_bytes).concat());
    body.extend(words([16, 1 << 31].repeat(2000)));
    let image = read(image(&[(RESOURCE, MEMORY, body.len() as u32)], &body));
    assert_eq!(fault(&image), "the resource directory");
}

#[test]
fn one_long_text_under_many_names_is_not_kept_many_times() {
    // One function that lives elsewhere, and 60,000 names of it.
    let (names, long) = (60_000, 4000);
    let (texts, ordinals) = (MEMORY + 40 + 4, MEMORY + 40 + 4 + 4 * names);
    let name = ordinals + 2 * names;
    let elsewhere = name + 2;
    let head = [0, 0, 0, name, 1, 1, names, MEMORY + 40, texts, ordinals];
    let mut body = words(head);
    body.extend(words([elsewhere]));
    body.extend(words((0..names).map(|_| name)));
    body.extend(vec![0; 2 * names as usize]);
    body.extend(b"f\0");
    body.extend(vec![b'x'; long]);
    body.push(0);
    let image = read(image(&[(EXPORT, MEMORY, body.len() as u32)], &body));
    assert_eq!(fault(&image), "the export table");
    assert!(image.exports.is_empty());
}

#[test]
fn a_table_of_a_million_functions_is_refused_before_it_is_read() {
    let body = words([0, 0, 0, 0, 1, 1_000_000, 0, MEMORY, 0, 0]);
    let image = read(image(&[(EXPORT, MEMORY, body.len() as u32)], &body));
    assert_eq!(fault(&image), "the export table");
}

#[test]
fn imports_without_end_are_counted() {
    let name = MEMORY + 40;
    let mut one_library = words([MEMORY + 48, 0, 0, name, 0, 0, 0, 0, 0, 0]);
    one_library.extend(b"own.dll\0");
    one_library.extend((1_u64 | 1 << 63).to_le_bytes().repeat(100_000));
    let symbols = read(image(&[(IMPORT, MEMORY, 40)], &one_library));
    assert_eq!(fault(&symbols), "the import table");
    assert_eq!(symbols.facts.imported_dlls, ["own.dll"], "what is not over a budget stands");

    let many = 5000;
    let name = MEMORY + 20 * (many + 1);
    let mut libraries = words((0..many).flat_map(|_| [0, 0, 0, name, 0]));
    libraries.extend(words([0; 5]));
    libraries.extend(b"own.dll\0");
    let libraries = read(image(&[(IMPORT, MEMORY, 40)], &libraries));
    assert_eq!(fault(&libraries), "the import table");
}

#[test]
fn many_sections_are_not_searched_for_each_name() {
    let mut bytes = image(&[], &[]);
    bytes[70..72].copy_from_slice(&u16::MAX.to_le_bytes());
    bytes.resize(START + 40 * usize::from(u16::MAX), 0);
    assert_eq!(fault(&read(bytes)), "the section table");
}

/// A file, and how many bytes of it were read.
struct Counted(File, u64);

impl Read for Counted {
    fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
        let len = self.0.read(buffer)?;
        self.1 += len as u64;
        Ok(len)
    }
}

impl Seek for Counted {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        self.0.seek(to)
    }
}

#[test]
fn names_all_over_a_large_file_are_not_read_from_all_over_it() {
    // 20,000 symbols with their names a block apart, in a file that is mostly a hole.
    let (symbols, apart) = (20_000_u32, 32 << 10);
    let lookup = MEMORY + 48;
    let mut body = words([lookup, 0, 0, MEMORY + 40, 0, 0, 0, 0, 0, 0]);
    body.extend(b"own.dll\0");
    let first = MEMORY + (1 << 20);
    body.extend(words((0..symbols).flat_map(|n| [first + n * apart, 0])));
    body.extend(words([0, 0]));
    let mut bytes = image(&[(IMPORT, MEMORY, 40)], &body);
    let len = (1 << 20) + symbols * apart + 16;
    let section = 64 + 24 + 240;
    for at in [section + 8, section + 16] {
        bytes[at..at + 4].copy_from_slice(&len.to_le_bytes());
    }
    let mut file = tempfile::tempfile().unwrap();
    file.write_all(&bytes).unwrap();
    file.set_len(START as u64 + u64::from(len)).unwrap();
    let mut counted = Counted(file, 0);
    let image = Image::from_reader(&mut counted).unwrap();
    assert_eq!(fault(&image), "the import table");
    assert!(counted.1 <= 64 << 20, "{} bytes were read", counted.1);
}

#[test]
fn a_version_resource_of_nothing_but_strings_keeps_so_many() {
    // A resource of the greatest length, in 60 languages, with the shortest strings.
    let unit = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<_>>();
    let block = |key: &str, content: &[u8]| {
        let mut key = unit(&format!("{key}\0"));
        key.resize((6 + key.len()).next_multiple_of(4) - 6, 0);
        let len = (6 + key.len() + content.len()) as u16;
        [&[len, 0, 1].map(u16::to_le_bytes).concat()[..], &key, content].concat()
    };
    let string = block("a", &unit("b\0"));
    let string = [&string[..], &vec![0; string.len().next_multiple_of(4) - string.len()]].concat();
    let table = block("040904B0", &string.repeat(900));
    let resource = block("VS_VERSION_INFO", &block("StringFileInfo", &table));

    let languages = 60_u32;
    let (names, tongues) = (16 + 8, 2 * (16 + 8));
    let entry = tongues + 16 + 8 * languages;
    let data = entry + 16;
    let directory = |count: u32| [&[0; 14][..], &(count as u16).to_le_bytes()].concat();
    let mut body = directory(1);
    body.extend(words([16, 1 << 31 | names]));
    body.extend(directory(1));
    body.extend(words([1, 1 << 31 | tongues]));
    body.extend(directory(languages));
    body.extend(words((0..languages).flat_map(|n| [n, entry])));
    body.extend(words([MEMORY + data, resource.len() as u32, 0, 0]));
    body.extend(&resource);
    let image = read(image(&[(RESOURCE, MEMORY, body.len() as u32)], &body));
    let strings: usize =
        image.facts.version_info.tables.iter().map(|table| table.strings.len()).sum();
    assert!((1000..=4096).contains(&strings), "{strings}");
    assert_eq!(image.facts.faults, ["the version resource is damaged in places"]);
}

#[test]
fn a_security_directory_of_gigabytes_is_no_signature() {
    let bytes = image(&[(SECURITY, START as u32, 1 << 30)], &[0; 64]);
    let signature = Signature::check_reader(Cursor::new(bytes), None).unwrap();
    assert_eq!(signature.status, SignatureStatus::Unreadable);
    assert!(signature.reason.unwrap().contains("the security directory"));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 256, ..ProptestConfig::default() })]

    /// Directories that point to random bytes: whatever is there, the image has facts.
    #[test]
    fn whatever_tables_hold_the_rest_stands(
        directories in prop::collection::vec((0_usize..16, 0x0FF0_u32..0x1400, 0_u32..4096), 0..6),
        body in prop::collection::vec(prop_oneof![Just(0_u8), 0_u8..32, any::<u8>()], 0..512),
    ) {
        match Image::from_reader(Cursor::new(image(&directories, &body))) {
            Ok(image) => prop_assert!(image.facts.faults.len() <= 16),
            Err(error) => prop_assert!(!matches!(error, ImageError::Unreadable(_)), "{error}"),
        }
    }
}
