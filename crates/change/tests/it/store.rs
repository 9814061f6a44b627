//! The store: contents are complete and durable, damage is noticed and repaired, and links are not followed.

use std::fs;
use std::path::{Path, PathBuf};

use proptest::prelude::*;
use tempfile::TempDir;
use upright_spanner_change::{Content, Error, Store};

fn store() -> (TempDir, Store) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("store")).unwrap();
    (folder, store)
}

/// Every file below a folder.
fn files(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() { found.extend(files(&path)) } else { found.push(path) }
    }
    found.sort();
    found
}

/// Writes into a stored file behind the store's back, as a bad disk would.
#[expect(clippy::permissions_set_readonly_false, reason = "the file is about to be overwritten")]
fn spoil(path: &Path, bytes: &[u8]) {
    let mut permissions = fs::metadata(path).unwrap().permissions();
    permissions.set_readonly(false);
    fs::set_permissions(path, permissions).unwrap();
    fs::write(path, bytes).unwrap();
}

#[test]
fn a_content_is_stored_once_under_its_digest() {
    let (folder, store) = store();
    let content = store.keep_bytes(b"lens").unwrap();
    assert_eq!(store.keep_bytes(b"lens").unwrap(), content);
    fs::write(folder.path().join("lens.dll"), b"lens").unwrap();
    let path = folder.path().join("lens.dll");
    store.keep(&fs::File::open(&path).unwrap(), &content, &path).unwrap();

    let stored = files(store.folder());
    assert_eq!(stored, [store.path(&content)]);
    let name = content.blake3.to_string();
    assert!(stored[0].ends_with(Path::new(&name[..2]).join(&name)), "{}", stored[0].display());
    assert!(fs::metadata(&stored[0]).unwrap().permissions().readonly());
    assert_eq!(store.contents().unwrap(), [content]);
    assert_eq!(store.bytes(&content).unwrap(), b"lens");
}

#[test]
fn a_file_that_is_another_by_now_is_not_taken_in() {
    let (folder, store) = store();
    let expected = Content::of_bytes(b"lens as it was");
    let path = folder.path().join("lens.dll");
    for bytes in [&b"lens as it is!"[..], b"lens as it", b""] {
        fs::write(&path, bytes).unwrap();
        let error = store.keep(&fs::File::open(&path).unwrap(), &expected, &path).unwrap_err();
        assert!(
            matches!(&error, Error::NotAsExpected { path: named } if *named == path),
            "{error}"
        );
    }
    assert!(!store.has(&expected));
    assert_eq!(files(store.folder()), Vec::<PathBuf>::new(), "and nothing is left of the attempt");
}

#[test]
fn what_went_bad_in_the_store_shows_and_is_mended_by_the_same_content() {
    let (_folder, store) = store();
    let content = store.keep_bytes(b"lens").unwrap();
    // Of the same length, cut off, longer, empty.
    for bytes in [&b"lenz"[..], b"le", b"lens and more", b""] {
        spoil(&store.path(&content), bytes);
        assert!(!store.is_whole(&content));
        assert_eq!(store.has(&content), bytes.len() == 4, "a glance sees the length alone");
        let error = store.bytes(&content).unwrap_err();
        let named = store.path(&content);
        assert!(matches!(&error, Error::DamagedContent { path } if *path == named), "{error}");
        store.keep_bytes(b"lens").unwrap();
        assert!(store.is_whole(&content), "mended after {bytes:?}");
    }
    assert_eq!(files(store.folder()).len(), 1);
}

#[test]
fn what_is_dropped_is_gone_and_the_rest_stays() {
    let (_folder, store) = store();
    let one = store.keep_bytes(b"one").unwrap();
    let two = store.keep_bytes(b"two").unwrap();
    store.drop_content(&one).unwrap();
    store.drop_content(&one).unwrap();
    store.drop_content(&Content::of_bytes(b"never")).unwrap();
    assert_eq!(store.contents().unwrap(), [two]);
    let error = store.open_content(&one).unwrap_err();
    assert!(matches!(error, Error::DamagedContent { .. }), "{error}");
    assert!(store.file(&two).unwrap().is_file());
}

#[test]
fn what_an_interrupted_run_was_writing_is_cleared_and_contents_are_not() {
    let (_folder, store) = store();
    let content = store.keep_bytes(b"lens").unwrap();
    let shelf = store.path(&content).parent().unwrap().to_owned();
    // On the shelf, and beside the shelves, where sharing of blocks is tried.
    fs::write(shelf.join("0123456789abcdef"), "half").unwrap();
    fs::write(store.folder().join("fedcba9876543210"), "half").unwrap();
    // A file that something else put there is left alone.
    let stray = store.folder().join("readme.txt");
    fs::write(&stray, "mine").unwrap();
    assert_eq!(store.contents().unwrap(), [content], "half a file is no content");
    assert_eq!(store.clear_partial().unwrap(), 2);
    assert_eq!(store.clear_partial().unwrap(), 0);
    let mut stay = [store.path(&content), stray];
    stay.sort();
    assert_eq!(files(store.folder()), stay);
}

/// A name that differs in case is not a content of the store: it could not be found by its digest.
#[cfg(unix)]
#[test]
fn a_name_in_capitals_is_no_content() {
    let (_folder, store) = store();
    let content = store.keep_bytes(b"lens").unwrap();
    let name = content.blake3.to_string();
    fs::rename(store.path(&content), store.path(&content).with_file_name(name.to_uppercase()))
        .unwrap();
    assert_eq!(store.contents().unwrap(), []);
    assert!(!store.has(&content));
    // It may be all there is of it: it is not cleared away for half a file either.
    assert_eq!(store.clear_partial().unwrap(), 0);
}

#[cfg(unix)]
#[test]
fn a_link_in_the_store_is_neither_read_nor_written_through() {
    use std::os::unix::fs::symlink;
    let (folder, store) = store();
    let outside = folder.path().join("outside");
    fs::create_dir(&outside).unwrap();
    fs::write(outside.join("lens"), b"lens").unwrap();

    // A link in place of a content, although its target has the right bytes.
    let content = store.keep_bytes(b"lens").unwrap();
    fs::remove_file(store.path(&content)).unwrap();
    symlink(outside.join("lens"), store.path(&content)).unwrap();
    assert!(!store.has(&content) && !store.is_whole(&content));
    assert_eq!(store.contents().unwrap(), []);
    store.bytes(&content).unwrap_err();

    // A link in a shelf's place.
    let other = Content::of_bytes(b"other");
    symlink(&outside, store.path(&other).parent().unwrap()).unwrap();
    let error = store.keep_bytes(b"other").unwrap_err();
    assert!(error.to_string().contains("is a link, which is never followed"), "{error}");
    assert_eq!(files(&outside), [outside.join("lens")]);
    assert_eq!(fs::read(outside.join("lens")).unwrap(), b"lens");
}

#[test]
fn many_at_once_store_the_same_contents_without_harm() {
    let (_folder, store) = store();
    let contents: Vec<Vec<u8>> = (0..6u8).map(|n| vec![n; 40_000]).collect();
    std::thread::scope(|scope| {
        for _ in 0..8 {
            scope.spawn(|| {
                for bytes in &contents {
                    store.keep_bytes(bytes).unwrap();
                }
            });
        }
    });
    let mut all: Vec<Content> = contents.iter().map(|bytes| Content::of_bytes(bytes)).collect();
    all.sort();
    assert_eq!(store.contents().unwrap(), all);
    assert!(all.iter().all(|content| store.is_whole(content)));
    assert_eq!(files(store.folder()).len(), all.len());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(windows) { 16 } else { 64 }))]

    /// Read in blocks on one thread or on several, content is what its bytes are.
    #[test]
    fn a_file_and_its_bytes_have_one_content(
        length in prop_oneof![0usize..5000, 500_000usize..1_200_000],
        seed in any::<u8>(),
    ) {
        let bytes: Vec<u8> =
            (0..length).map(|n| (n as u8).wrapping_mul(31).wrapping_add(seed)).collect();
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("lens.dll");
        fs::write(&path, &bytes).unwrap();
        let expected = Content::of_bytes(&bytes);
        let open = || fs::File::open(&path).unwrap();
        prop_assert_eq!(Content::of_open(&open()).unwrap(), expected);
        let pool = rayon::ThreadPoolBuilder::new().num_threads(2).build().unwrap();
        prop_assert_eq!(pool.install(|| Content::of_open(&open()).unwrap()), expected);
        let store = Store::open(&folder.path().join("store")).unwrap();
        store.keep(&open(), &expected, &path).unwrap();
        prop_assert!(store.is_whole(&expected));
    }
}
