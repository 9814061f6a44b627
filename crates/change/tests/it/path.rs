//! Paths: accepted paths are kept exactly, and names that a system cannot have are refused with the reason.

use std::path::Path;

use proptest::prelude::*;
use upright_spanner_change::TreePath;

#[test]
fn what_some_system_cannot_hold_is_refused_with_the_reason() {
    for (text, why) in [
        ("", "empty"),
        ("a//b", "empty"),
        ("/a", "empty"),
        ("../a", "leads out"),
        ("a/./b", "leads out"),
        ("note 12:30.txt", "stream"),
        ("C:/x", "drive"),
        ("a\u{1b}b", "control"),
        ("a?b", "< > \" | ? *"),
        ("dir./x", "dot or a space"),
        ("x ", "dot or a space"),
        ("nul", "device"),
        ("a/CON.txt", "device"),
        ("com1.dll", "device"),
        ("Lpt9", "device"),
    ] {
        let error = TreePath::new(text).unwrap_err().to_string();
        assert!(error.contains(why), "{text:?}: {error}");
        assert!(
            text.is_empty()
                || text == "/a"
                || TreePath::below(Path::new("/r"), &Path::new("/r").join(text)).is_err()
                || text.contains("/./")
                || text.contains("//")
        );
    }
    for text in ["a", "a/b c/ä.dll", "com10.dll", "console.txt", ".hidden", "a..b", "nulls"] {
        assert_eq!(TreePath::new(text).unwrap().as_str(), text);
    }
    assert_eq!(TreePath::new(r"a\b").unwrap().as_str(), "a/b");
}

#[cfg(unix)]
#[test]
fn a_name_that_is_not_unicode_is_refused_with_words() {
    use std::os::unix::ffi::OsStrExt;
    let name = Path::new("/r").join(std::ffi::OsStr::from_bytes(b"x\xff"));
    let error = TreePath::below(Path::new("/r"), &name).unwrap_err().to_string();
    assert!(error.contains("not Unicode"), "{error}");
    let bay =
        upright_spanner_change::Place::new(Path::new("/r"), &name, TreePath::new("a").unwrap());
    assert!(bay.unwrap_err().to_string().contains("not Unicode"));
    assert!(TreePath::below(Path::new("/r"), Path::new(r"/r/a\b")).is_err());
}

proptest! {
    /// A path that is accepted is the same again from its text, and from the disk's.
    #[test]
    fn paths_and_their_texts_are_closed_under_each_other(text in "\\PC{0,12}(/\\PC{1,12}){0,3}") {
        if let Ok(path) = TreePath::new(&text) {
            prop_assert_eq!(&TreePath::new(path.as_str()).unwrap(), &path);
            let root = Path::new(if cfg!(windows) { r"C:\games" } else { "/games" });
            prop_assert_eq!(&TreePath::below(root, &path.on(root)).unwrap(), &path);
            let stored = serde_json::to_string(&path).unwrap();
            prop_assert_eq!(&serde_json::from_str::<TreePath>(&stored).unwrap(), &path);
        }
    }
}
