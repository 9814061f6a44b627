//! Files of checksummed lines: damage spoils one line, and whatever is written is whole or not there.

use std::fs;
use std::path::Path;

use proptest::prelude::*;
use tempfile::TempDir;
use upright_spanner_change::{Error, Folder, line};

const HEADING: &str = "spanner notes 1";

fn folder() -> (TempDir, Folder) {
    let dir = tempfile::tempdir().unwrap();
    let folder = Folder::open(dir.path()).unwrap();
    (dir, folder)
}

fn one(text: &str) -> String {
    line::line(&text, Path::new("notes")).unwrap()
}

fn of(texts: &[&str]) -> String {
    texts.iter().fold(format!("{HEADING}\n"), |file, text| file + &one(text))
}

fn values(text: &str) -> (Vec<String>, Vec<String>) {
    let read = line::parse::<String>(text, HEADING);
    let faults = read.faults.into_iter().map(|fault| fault.what).collect();
    (read.lines.into_iter().map(|(_, value)| value).collect(), faults)
}

#[test]
fn a_damaged_line_spoils_itself_and_is_named_by_its_number() {
    let whole = of(&["one", "two", "three"]);
    assert_eq!(values(&whole), (vec!["one".into(), "two".into(), "three".into()], vec![]));
    let (lines, faults) = values(&whole.replace("two", "twu"));
    assert_eq!(lines, ["one", "three"]);
    assert_eq!(faults, ["line 3: it is damaged"]);
    // A line with the right checksum but of another kind is a fault as well.
    let number = line::line(&7, Path::new("notes")).unwrap();
    let (lines, faults) = values(&format!("{whole}{number}"));
    assert_eq!(lines.len(), 3);
    assert!(faults[0].starts_with("line 5: invalid type"), "{faults:?}");
}

#[test]
fn a_file_of_another_format_is_said_to_be_one() {
    for text in [String::new(), one("one"), of(&["one"]).replace("notes 1", "notes 2")] {
        let (_, faults) = values(&text);
        assert_eq!(faults, ["it does not begin with `spanner notes 1`"], "{text:?}");
    }
}

#[test]
fn what_is_appended_after_a_cut_stands_on_a_line_of_its_own() {
    let (dir, folder) = folder();
    let whole = of(&["one", "two"]);
    // A loss of power may leave any part of the last line.
    let last = one("two").len();
    for cut in 0..last {
        fs::write(dir.path().join("notes"), &whole[..whole.len() - cut]).unwrap();
        line::append(&folder, "notes", &one("three")).unwrap();
        let text = line::read(&folder, "notes").unwrap().unwrap();
        let (lines, faults) = values(&text);
        // Without its end alone, the line is whole still.
        let is_whole = cut <= 1;
        assert_eq!(lines.contains(&"two".to_owned()), is_whole, "cut {cut}");
        assert_eq!(lines.last().unwrap(), "three", "cut {cut}");
        assert_eq!(faults.is_empty(), is_whole, "cut {cut}");
    }
    assert!(matches!(line::append(&folder, "missing", "x\n"), Err(Error::Io { .. })));
    assert!(!dir.path().join("missing").exists(), "what is not there is not made by appending");
}

#[test]
fn a_whole_file_is_new_or_takes_the_place_of_the_old_one() {
    let (dir, folder) = folder();
    line::write_new(&folder, "notes", &of(&["one"])).unwrap();
    let error = line::write_new(&folder, "notes", &of(&["two"])).unwrap_err();
    assert!(error.to_string().contains("notes"), "{error}");
    assert_eq!(fs::read_to_string(dir.path().join("notes")).unwrap(), of(&["one"]));
    line::write_over(&folder, "notes", &of(&["two"])).unwrap();
    line::write_over(&folder, "other", &of(&["three"])).unwrap();
    assert_eq!(fs::read_to_string(dir.path().join("notes")).unwrap(), of(&["two"]));
    let mut names: Vec<_> = folder.names().unwrap();
    names.sort();
    assert_eq!(names, ["notes", "other"], "nothing is left of what was refused");
    assert_eq!(line::read(&folder, "missing").unwrap(), None);
}

#[test]
fn bytes_that_are_no_text_are_damage_and_no_end() {
    let (dir, folder) = folder();
    let mut bytes = of(&["one", "two"]).into_bytes();
    let at = bytes.len() - 3;
    bytes[at] = 0xff;
    bytes.extend(one("three").into_bytes());
    fs::write(dir.path().join("notes"), bytes).unwrap();
    let (lines, faults) = values(&line::read(&folder, "notes").unwrap().unwrap());
    assert_eq!(lines, ["one", "three"]);
    assert_eq!(faults, ["line 3: it is damaged"]);
}

proptest! {
    #[test]
    fn any_text_comes_back(texts in proptest::collection::vec(".{0,30}", 0..5)) {
        let texts: Vec<&str> = texts.iter().map(String::as_str).collect();
        let (lines, faults) = values(&of(&texts));
        prop_assert_eq!(lines, texts);
        prop_assert_eq!(faults, Vec::<String>::new());
    }

    /// One bit of a line is enough for it to show.
    #[test]
    fn a_bit_that_turned_over_shows(at in any::<prop::sample::Index>(), bit in 0u8..8) {
        let whole = of(&["one", "two"]);
        let mut bytes = whole.clone().into_bytes();
        let at = at.index(bytes.len());
        bytes[at] ^= 1 << bit;
        let (lines, faults) = values(&String::from_utf8_lossy(&bytes));
        // If an end of a line becomes one of Windows' kind or the other way round, nothing is lost.
        prop_assert!(!faults.is_empty() || lines == ["one", "two"], "{lines:?}");
    }

    /// Lines before any bytes that follow are read.
    #[test]
    fn any_bytes_behind_a_line_are_a_fault(bytes in proptest::collection::vec(any::<u8>(), 1..300)) {
        let text = of(&["one"]) + &String::from_utf8_lossy(&bytes);
        let (lines, faults) = values(&text);
        prop_assert_eq!(lines, ["one"]);
        prop_assert!(!faults.is_empty() || text.trim_end() == of(&["one"]).trim_end(), "{text:?}");
    }
}
