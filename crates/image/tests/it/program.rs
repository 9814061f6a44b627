//! The resources of a program in addition to its version: its icon, and the rights that it requests.

use std::io::Cursor;

use proptest::prelude::*;
use upright_spanner_image::{
    ImageError, Rights, icon_from_reader, icon_of, rights_from_reader, rights_of,
};
use upright_spanner_sample::{Bits, Pe, VersionInfo};

const MANIFEST: &str = "<?xml version=\"1.0\"?><assembly><trustInfo><security><requestedPrivileges>\
    <requestedExecutionLevel level=\"requireAdministrator\" uiAccess=\"false\"/>\
    </requestedPrivileges></security></trustInfo></assembly>";

fn program(bits: Bits) -> Pe {
    Pe::exe(bits).version(&VersionInfo::new([1, 2, 3, 4]).with("ProductName", "Pier"))
}

fn icon(bytes: &[u8]) -> Result<Option<Vec<u8>>, ImageError> {
    icon_from_reader(Cursor::new(bytes))
}

fn rights(bytes: &[u8]) -> Result<Rights, ImageError> {
    rights_from_reader(Cursor::new(bytes))
}

#[test]
fn a_program_says_which_rights_it_asks_for() {
    for bits in [Bits::Bits32, Bits::Bits64] {
        assert_eq!(rights(&program(bits).to_bytes()).unwrap(), Rights::Starter);
        let asking = program(bits).manifest(MANIFEST);
        assert_eq!(rights(&asking.to_bytes()).unwrap(), Rights::Administrator);
        let highest =
            program(bits).manifest(&MANIFEST.replace("requireAdministrator", "highestAvailable"));
        assert_eq!(rights(&highest.to_bytes()).unwrap(), Rights::Highest);
    }
    let none = Pe::exe(Bits::Bits64).to_bytes();
    assert_eq!(rights(&none).unwrap(), Rights::Starter, "there is no resource at all");
}

#[test]
fn a_programs_icon_comes_as_a_file_of_one_picture() {
    let picture: Vec<u8> = (0..200).collect();
    for bits in [Bits::Bits32, Bits::Bits64] {
        let bytes = program(bits).icon(48, &picture).manifest(MANIFEST).to_bytes();
        let file = icon(&bytes).unwrap().unwrap();
        // A header, one entry with the position of the picture, and the picture.
        assert_eq!(file[..6], [0, 0, 1, 0, 1, 0]);
        assert_eq!(file[6..8], [48, 48]);
        assert_eq!(file[14..18], 200_u32.to_le_bytes());
        assert_eq!(file[18..22], 22_u32.to_le_bytes());
        assert_eq!(file[22..], picture);
        // What else is in there is still found.
        assert_eq!(rights(&bytes).unwrap(), Rights::Administrator);
        assert_eq!(icon(&program(bits).to_bytes()).unwrap(), None);
    }
}

#[test]
fn they_are_read_from_plain_files_alone() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pier.exe");
    std::fs::write(&path, program(Bits::Bits64).icon(16, &[1; 40]).manifest(MANIFEST).to_bytes())
        .unwrap();
    assert_eq!(rights_of(&path).unwrap(), Rights::Administrator);
    assert!(icon_of(&path).unwrap().is_some());
    assert!(icon_of(folder.path()).is_err());
    assert!(rights_of(&folder.path().join("nothing.exe")).is_err());
    #[cfg(unix)]
    {
        let link = folder.path().join("link.exe");
        std::os::unix::fs::symlink(&path, &link).unwrap();
        assert!(icon_of(&link).is_err() && rights_of(&link).is_err());
    }
}

#[test]
fn what_is_cut_short_is_an_error_or_nothing() {
    let bytes = program(Bits::Bits64).icon(48, &[9; 300]).manifest(MANIFEST).to_bytes();
    for len in (0..bytes.len()).step_by(37) {
        let cut = &bytes[..len];
        if let Ok(Some(icon)) = icon(cut) {
            assert!(icon.len() <= 22 + 300, "{len}");
        }
        let _ = rights(cut);
    }
    assert!(icon(b"MZ").is_err() && rights(b"").is_err());
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(200) })]

    /// A group may name a picture that is not there, or that is as long as it likes.
    #[test]
    fn altered_bytes_never_cost_more_than_a_picture(
        places in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..40),
    ) {
        let mut bytes = program(Bits::Bits64).icon(48, &[9; 300]).manifest(MANIFEST).to_bytes();
        for (place, value) in places {
            let at = place.index(bytes.len());
            bytes[at] = value;
        }
        if let Ok(Some(icon)) = icon(&bytes) {
            prop_assert!(icon.len() <= (512 << 10) + 22);
        }
        let _ = rights(&bytes);
    }
}
