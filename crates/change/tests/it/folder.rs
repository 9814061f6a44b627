//! Folders held open, and the territory of a change: nothing is followed, nothing waits, and nothing that
//! is there is written over.

use std::fs;
use std::path::{Path, PathBuf};

use tempfile::TempDir;
use upright_spanner_change::{
    BadPath, Content, Error, Folder, Found, Grant, Place, Scope, State, Target, Territory, TreePath,
};

struct Bench {
    dir: TempDir,
    folder: Folder,
}

fn bench(files: &[(&str, &str)]) -> Bench {
    let dir = tempfile::tempdir().unwrap();
    for (path, text) in files {
        let path = dir.path().join("game").join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    }
    fs::create_dir_all(dir.path().join("game")).unwrap();
    let folder = Folder::open(&dir.path().join("game")).unwrap();
    Bench { dir, folder }
}

impl Bench {
    fn file(&self, path: &str) -> PathBuf {
        self.dir.path().join("game").join(path)
    }

    fn text(&self, path: &str) -> String {
        fs::read_to_string(self.file(path)).unwrap()
    }

    fn territory(&self) -> Territory {
        let scope = Scope { root: self.dir.path().join("game"), ..Scope::default() };
        Territory::open(&scope).unwrap()
    }
}

fn path(text: &str) -> TreePath {
    TreePath::new(text).unwrap()
}

fn place(text: &str) -> Place {
    path(text).into()
}

fn names(places: &[Place]) -> Vec<String> {
    places.iter().map(ToString::to_string).collect()
}

#[test]
fn what_stands_under_a_name_is_told() {
    let bench = bench(&[("lens.dll", "lens"), ("bin/one.dll", "one")]);
    assert!(matches!(bench.folder.find("lens.dll").unwrap(), Found::File(m) if m.len() == 4));
    assert!(matches!(bench.folder.find("bin").unwrap(), Found::Folder(_)));
    assert!(matches!(bench.folder.find("none").unwrap(), Found::Nothing));
    assert!(bench.folder.read("none").unwrap().is_none());
    let error = bench.folder.read("bin").unwrap_err();
    assert!(
        error.to_string().ends_with("bin is a folder, which is never followed, opened or replaced")
    );
    assert!(bench.folder.below("bin").unwrap().is_some());
    assert!(bench.folder.below("none/deeper").unwrap().is_none());
    let error = bench.folder.below("lens.dll").unwrap_err();
    assert!(error.to_string().contains("lens.dll is a file"), "{error}");
}

#[test]
fn a_new_name_is_given_to_nothing_that_is_there() {
    let bench = bench(&[("lens.dll", "mine"), ("new.dll", "new"), ("bin/one.dll", "one")]);
    let folder = &bench.folder;
    let refused = |error: Error| assert!(matches!(error, Error::Io { .. }), "{error}");
    refused(folder.create("lens.dll", None).map(drop).unwrap_err());
    refused(folder.make_folder("bin").unwrap_err());
    refused(folder.make_folder("lens.dll").unwrap_err());
    refused(folder.rename_new("new.dll", folder, "lens.dll").unwrap_err());
    refused(folder.rename_new("new.dll", folder, "bin").unwrap_err());
    assert_eq!((bench.text("lens.dll").as_str(), bench.text("new.dll").as_str()), ("mine", "new"));

    let bin = folder.below("bin").unwrap().unwrap();
    folder.rename_new("new.dll", &bin, "two.dll").unwrap();
    assert!(!bench.file("new.dll").exists());
    assert_eq!(bench.text("bin/two.dll"), "new");
    bin.rename("two.dll", folder, "lens.dll").unwrap();
    assert_eq!(bench.text("lens.dll"), "new", "that one was told to be replaced");
}

#[test]
fn two_files_change_places_and_what_interrupts_that_is_ended() {
    let texts = |bench: &Bench| {
        let mut names = bench.folder.names().unwrap();
        names.sort();
        let text = |name: &std::ffi::OsString| bench.text(name.to_str().unwrap());
        names
            .iter()
            .map(|name| format!("{} {}", name.to_string_lossy(), text(name)))
            .collect::<Vec<_>>()
    };
    let files = [("lens.dll", "old"), (".spare", "new")];
    let swapped = [".spare old", "lens.dll new"];
    for swap in [Folder::swap, Folder::swap_by_names] {
        let bench = bench(&files);
        assert!(swap(&bench.folder, ".spare", &bench.folder, "lens.dll").unwrap());
        assert_eq!(texts(&bench), swapped);
    }

    let before = bench(&files);
    fs::hard_link(before.file("lens.dll"), before.file(".spare-old")).unwrap();
    before.folder.end_swap(".spare").unwrap();
    assert_eq!(texts(&before), [".spare new", "lens.dll old"]);

    let after = bench(&files);
    fs::hard_link(after.file("lens.dll"), after.file(".spare-old")).unwrap();
    fs::rename(after.file(".spare"), after.file("lens.dll")).unwrap();
    after.folder.end_swap(".spare").unwrap();
    assert_eq!(texts(&after), swapped);
    after.folder.end_swap(".spare").unwrap();
    assert_eq!(texts(&after), swapped);
}

#[test]
fn only_what_was_meant_is_removed() {
    let bench = bench(&[("lens.dll", "lens"), ("bin/one.dll", "one")]);
    let error = bench.folder.remove_file("bin").unwrap_err();
    assert!(matches!(error, Error::NotPlain { what: "a folder", .. }), "{error}");
    assert!(!bench.folder.remove_folder("bin").unwrap(), "it is not empty");
    assert!(bench.file("bin/one.dll").exists());
    let bin = bench.folder.below("bin").unwrap().unwrap();
    bin.remove_file("one.dll").unwrap();
    bin.remove_file("one.dll").unwrap();
    drop(bin);
    assert!(bench.folder.remove_folder("bin").unwrap());
    assert!(bench.folder.remove_folder("bin").unwrap(), "it is gone already");
    assert!(bench.folder.remove_folder("lens.dll").is_err());
    assert_eq!(bench.text("lens.dll"), "lens");
}

#[test]
fn a_read_only_file_is_marked_replaced_and_removed() {
    let bench = bench(&[("lens.dll", "old"), ("new.dll", "new"), ("gone.dll", "gone")]);
    for name in ["lens.dll", "gone.dll"] {
        bench.folder.set_read_only(name, true).unwrap();
        assert!(fs::metadata(bench.file(name)).unwrap().permissions().readonly());
    }
    bench.folder.rename("new.dll", &bench.folder, "lens.dll").unwrap();
    assert_eq!(bench.text("lens.dll"), "new");
    bench.folder.remove_file("gone.dll").unwrap();
    assert!(!bench.file("gone.dll").exists());
    let error = bench.folder.set_read_only("none.dll", true).unwrap_err();
    assert!(error.to_string().contains("none.dll"), "{error}");
}

#[test]
fn names_are_found_as_the_folder_spells_them() {
    let bench = bench(&[("Bin/X64/Lens.DLL", "lens"), ("Äpfel.txt", "x")]);
    let spelled = |text: &str| bench.territory().spelled(&place(text)).unwrap().to_string();
    assert_eq!(spelled("bin/x64/lens.dll"), "Bin/X64/Lens.DLL");
    assert_eq!(spelled("BIN/other/Lens.dll"), "Bin/other/Lens.dll", "as far as it is there");
    assert_eq!(spelled("none/x64/lens.dll"), "none/x64/lens.dll");
    assert_eq!(spelled("äPFEL.TXT"), "Äpfel.txt");
}

/// If two names differ only in case, the requested one is meant.
#[cfg(target_os = "linux")]
#[test]
fn of_two_spellings_side_by_side_the_one_asked_for_is_meant() {
    let bench = bench(&[("bin/Lens.dll", "one"), ("bin/lens.dll", "two")]);
    let spelled = |text: &str| bench.territory().spelled(&place(text)).unwrap().to_string();
    assert_eq!(spelled("bin/lens.dll"), "bin/lens.dll");
    assert_eq!(spelled("bin/Lens.dll"), "bin/Lens.dll");
    assert_eq!(spelled("BIN/LENS.DLL"), "bin/Lens.dll", "the first in order, each time");
}

#[test]
fn the_territory_tells_what_is_missing_and_what_is_in_a_folder() {
    let bench = bench(&[("bin/one.dll", "one"), ("bin/deep/two.dll", "two")]);
    let territory = bench.territory();
    let missing = territory.missing_folders(&place("bin/new/er/lens.dll")).unwrap();
    assert_eq!(names(&missing), ["bin/new", "bin/new/er"]);
    assert_eq!(territory.missing_folders(&place("bin/lens.dll")).unwrap(), []);
    assert_eq!(territory.missing_folders(&place("lens.dll")).unwrap(), []);
    let (mut entries, others) = territory.entries(&place("bin")).unwrap();
    entries.sort();
    assert_eq!((names(&entries), others), (vec!["bin/deep".into(), "bin/one.dll".into()], 0));
    assert_eq!(territory.entries(&place("none")).unwrap(), (vec![], 0));

    let state = territory.file(&place("bin/one.dll")).unwrap();
    assert_eq!(state.content(), Some(Content::of_bytes(b"one")));
    assert_eq!(territory.file(&place("none/one.dll")).unwrap(), State::Absent);
    assert_eq!(territory.bytes(&place("bin/one.dll"), 3).unwrap(), b"one");
    let error = territory.bytes(&place("bin/one.dll"), 2).unwrap_err();
    assert!(error.to_string().contains("one.dll"), "{error}");
    territory.bytes(&place("none.dll"), 2).unwrap_err();
    territory.remove_file(&place("bin/one.dll")).unwrap();
    territory.remove_file(&place("none/one.dll")).unwrap();
    assert!(!bench.file("bin/one.dll").exists());
}

#[cfg(target_os = "linux")]
#[test]
fn names_that_cannot_be_a_path_are_counted() {
    use std::os::unix::ffi::OsStrExt;
    let bench = bench(&[("bin/one.dll", "one"), ("bin/a:b.txt", "x")]);
    fs::write(bench.file("bin").join(std::ffi::OsStr::from_bytes(b"\xff.dll")), "x").unwrap();
    let (entries, others) = bench.territory().entries(&place("bin")).unwrap();
    assert_eq!((names(&entries), others), (vec!["bin/one.dll".to_owned()], 2));
}

#[test]
fn a_place_is_below_the_root_or_a_folder_of_the_scope() {
    let bench = bench(&[("lens.dll", "lens")]);
    let root = bench.dir.path().join("game");
    let (bay, granted) = (bench.dir.path().join("bay"), bench.dir.path().join("granted"));
    for folder in [&bay, &granted] {
        fs::create_dir(folder).unwrap();
        fs::write(folder.join("one.dll"), "one").unwrap();
    }
    let grants = vec![Grant { folder: granted.clone(), why: "the user said so".to_owned() }];
    let missing = bench.dir.path().join("missing");
    let bays = vec![bay.clone(), missing.clone()];
    let territory =
        Territory::open(&Scope { root: root.clone(), bays, grants, run_with: None }).unwrap();
    let at = |folder: &Path| Place::new(&root, folder, path("one.dll")).unwrap();
    for folder in [&bay, &granted] {
        assert_eq!(territory.file(&at(folder)).unwrap().content(), Some(Content::of_bytes(b"one")));
    }
    let outside = bench.dir.path().join("outside");
    assert!(matches!(territory.file(&at(&outside)), Err(Error::NotGranted { .. })));
    let error = territory.file(&at(&missing)).unwrap_err();
    assert!(matches!(&error, Error::Io { path, .. } if *path == missing), "{error}");
    // A folder inside the game is not a place outside of it.
    assert_eq!(at(&root.join("bin")).bay(), None);
    assert_eq!(at(&root.join("bin")).to_string(), "bin/one.dll");
}

#[test]
fn a_moved_folder_takes_its_places_along() {
    let (from, to) = if cfg!(windows) { (r"E:\Old", r"F:\New") } else { ("/old", "/new") };
    let (from, to) = (Path::new(from), Path::new(to));
    let root = Path::new(if cfg!(windows) { r"D:\Game" } else { "/game" });
    let at = |folder: &Path| Place::new(root, folder, path("one.dll")).unwrap();
    assert_eq!(at(from).moved(from, to), at(to));
    assert_eq!(at(&from.join("deep")).moved(from, to), at(&to.join("deep")));
    assert_eq!(at(Path::new("other")).moved(from, to), at(Path::new("other")));
    assert_eq!(place("one.dll").moved(from, to), place("one.dll"), "it goes with its root");
    let target = Target::ReadOnly(at(from)).moved(from, to);
    assert_eq!((target.kind(), target.place()), ("read-only", Some(&at(to))));
}

#[test]
fn the_same_folder_is_known_by_whatever_name() {
    let bench = bench(&[("bin/one.dll", "one")]);
    let identity = |path: &Path| Folder::open(path).unwrap().identity().unwrap();
    let own = bench.folder.identity().unwrap();
    assert_eq!(identity(&bench.dir.path().join("game")), own);
    assert_eq!(identity(&bench.file("bin").join("..")), own);
    assert_ne!(identity(&bench.file("bin")), own);
}

#[test]
fn texts_that_are_no_path_say_why() {
    let why = |text: &str| TreePath::new(text).map_err(|BadPath { why, .. }| why).unwrap_err();
    assert_eq!(why("bin//lens.dll"), "a part of it is empty");
    assert_eq!(why("bin/../lens.dll"), "it leads out of the folder");
    let sibling = path("bin/lens.dll").sibling("other.dll").unwrap();
    assert_eq!(sibling, path("bin/other.dll"));
    assert_eq!(path("lens.dll").sibling("other.dll").unwrap(), path("other.dll"));
    path("bin/lens.dll").sibling("..").unwrap_err();
    let beside = place("bin/lens.dll").beside(&path("data/one.bin"));
    assert_eq!(beside, place("bin/data/one.bin"));
    assert_eq!(names(&place("a/b/c.dll").folders()), ["a/b", "a"]);
}

/// Whatever replaces a folder's path after it was opened, operations affect the opened folder.
#[cfg(unix)]
#[test]
fn a_folder_that_is_held_is_not_left_for_what_takes_its_place() {
    use std::os::unix::fs::symlink;
    let bench = bench(&[("bin/lens.dll", "old")]);
    let outside = bench.dir.path().join("outside");
    fs::create_dir(&outside).unwrap();
    fs::write(outside.join("lens.dll"), "theirs").unwrap();
    let bin = bench.folder.below("bin").unwrap().unwrap();
    fs::rename(bench.file("bin"), bench.file("moved")).unwrap();
    symlink(&outside, bench.file("bin")).unwrap();

    drop(bin.create("new.dll", None).unwrap());
    bin.rename("new.dll", &bin, "lens.dll").unwrap();
    bin.make_folder("deep").unwrap();
    assert_eq!(bench.text("moved/lens.dll"), "");
    assert!(bench.file("moved/deep").is_dir());
    assert_eq!(fs::read_to_string(outside.join("lens.dll")).unwrap(), "theirs");
    assert_eq!(fs::read_dir(&outside).unwrap().count(), 1);
    // Opening it by path is an error.
    let error = bench.folder.below("bin").unwrap_err();
    assert!(matches!(error, Error::NotPlain { what: "a link", .. }), "{error}");
    let territory = bench.territory();
    for error in [
        territory.file(&place("bin/lens.dll")).map(drop).unwrap_err(),
        territory.find(&place("bin/lens.dll")).map(drop).unwrap_err(),
        territory.entries(&place("bin")).map(drop).unwrap_err(),
        territory.missing_folders(&place("bin/deep/lens.dll")).map(drop).unwrap_err(),
        territory.remove_file(&place("bin/lens.dll")).unwrap_err(),
    ] {
        assert!(error.to_string().contains("bin is a link, which is never followed"), "{error}");
    }
}

/// A pipe without a writer would be waited for; a device may do anything.
#[cfg(target_os = "linux")]
#[test]
fn what_is_no_plain_file_is_neither_opened_nor_waited_for() {
    use std::os::unix::net::UnixListener;
    let bench = bench(&[]);
    let pipe = rustix::fs::FileType::Fifo;
    let mode = rustix::fs::Mode::RWXU;
    rustix::fs::mknodat(rustix::fs::CWD, bench.file("pipe"), pipe, mode, 0).unwrap();
    let _socket = UnixListener::bind(bench.file("socket")).unwrap();
    std::os::unix::fs::symlink("/dev/zero", bench.file("link")).unwrap();
    for name in ["pipe", "socket", "link"] {
        let error = bench.folder.read(name).unwrap_err();
        assert!(matches!(error, Error::NotPlain { .. }), "{name}: {error}");
        let error = bench.folder.remove_file(name).unwrap_err();
        assert!(matches!(error, Error::NotPlain { .. }), "{name}: {error}");
        bench.folder.set_read_only(name, true).unwrap_err();
        assert!(bench.file(name).symlink_metadata().is_ok(), "{name} stays");
    }
    let devices = Folder::open(Path::new("/dev")).unwrap();
    let error = devices.read("zero").unwrap_err();
    assert!(matches!(error, Error::NotPlain { .. }), "{error}");
}
