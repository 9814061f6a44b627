//! A merge of settings loses nothing of the user's, whatever the text looks like.

use proptest::prelude::*;
use upright_spanner_settings::{is_mergeable, merge};

fn merged(user: &str, new: &str) -> String {
    String::from_utf8(merge(user.as_bytes(), new.as_bytes(), None).bytes).unwrap()
}

#[test]
fn what_is_new_comes_in_with_its_comments_and_the_users_stays() {
    let user = "; mine\n[Loader]\nDelay = 250 ; tuned\n\n; last words\n";
    let new = "[Loader]\nDelay=0\n\n; Writes a log.\nLog=off\n[Extra]\n; More.\nDepth=3\n";
    assert_eq!(
        merged(user, new),
        "; mine\n[Loader]\nDelay = 250 ; tuned\n; Writes a log.\nLog=off\n\n; last words\n\
         \n[Extra]\n; More.\nDepth=3\n"
    );
    let report = merge(user.as_bytes(), new.as_bytes(), None);
    assert_eq!(report.added, ["[Loader] Log=off", "[Extra] Depth=3"]);
}

#[test]
fn table_of_merges() {
    for (user, new, expected) in [
        ("", "[A]\nx=1\n", "[A]\nx=1\n"),
        ("[A]\nx=1", "[A]\ny=2\n", "[A]\nx=1\ny=2\n"),
        ("[a]\nX=1\n", "[A]\nx=9\n", "[a]\nX=1\n"),
        ("x=1\n[A]\n", "y=2\n", "x=1\ny=2\n[A]\n"),
        ("[A]\nx=1\n", "y=2\n", "y=2\n[A]\nx=1\n"),
        ("[A]\n[B]\n", "[A]\nx=1\n", "[A]\nx=1\n[B]\n"),
        ("[A]\nx=1\n[B]\n[A]\nz=1\n", "[A]\ny=1\n", "[A]\nx=1\n[B]\n[A]\nz=1\ny=1\n"),
        ("[A]\n;x=1\n", "[A]\nx=2\n", "[A]\nx=2\n;x=1\n"),
        ("[A]\r\nx=1\r\n", "[A]\ny=2\n", "[A]\r\nx=1\r\ny=2\r\n"),
        ("words\n[A]\nx=\n", "[A]\nx=5\n", "words\n[A]\nx=\n"),
    ] {
        assert_eq!(merged(user, new), expected, "{user:?} with {new:?}");
    }
}

#[test]
fn a_value_that_the_user_never_changed_follows_the_newer_build() {
    let old = b"[A]\nspeed=1\nlook=soft\ngone=1\n";
    let user = b"[A]\nspeed=1\nlook=hard\ngone=1\n";
    let new = b"[A]\nspeed=2\nlook=smooth\n";
    let report = merge(user, new, Some(old));
    assert_eq!(report.bytes, b"[A]\nspeed=2\nlook=hard\ngone=1\n");
    assert_eq!(report.followed, ["[A] speed=2"]);
    assert_eq!(report.vanished, ["[a] gone=1"]);
}

#[test]
fn each_encoding_stays_what_it_was() {
    let utf16 = |text: &str| -> Vec<u8> {
        [0xFEFF].into_iter().chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect()
    };
    let big = |text: &str| -> Vec<u8> {
        [0xFEFF].into_iter().chain(text.encode_utf16()).flat_map(u16::to_be_bytes).collect()
    };
    let new = "[A]\n; gr\u{fc}n \u{2713}\ny=2\n";
    for (user, expected) in [
        (utf16("[A]\r\nx=\u{e9}\r\n"), utf16("[A]\r\nx=\u{e9}\r\n; gr\u{fc}n \u{2713}\r\ny=2\r\n")),
        (big("[A]\nx=1\n"), big("[A]\nx=1\n; gr\u{fc}n \u{2713}\ny=2\n")),
        // Without a mark, every second byte of ASCII is zero.
        (utf16("[Alpha]\nx=1\n")[2..].to_vec(), {
            utf16("[Alpha]\nx=1\n\n[A]\n; gr\u{fc}n \u{2713}\ny=2\n")[2..].to_vec()
        }),
        (
            b"\xEF\xBB\xBF[A]\nx=1\n".to_vec(),
            "\u{feff}[A]\nx=1\n; gr\u{fc}n \u{2713}\ny=2\n".into(),
        ),
        (b"[A]\nx=\xE9\n".to_vec(), b"[A]\nx=\xE9\ny=2\n".to_vec()),
    ] {
        assert_eq!(merge(&user, new.as_bytes(), None).bytes, expected);
    }
}

#[test]
fn letters_do_not_come_into_a_file_whose_code_page_nothing_names() {
    let user = b"[A]\nname=caf\xE9\nkept=\xFC\n";
    let new = "[A]\nname=caf\u{e9}\nkept=1\nplain=1\ntitle=\u{e9}t\u{e9}\n";
    let merged = merge(user, new.as_bytes(), None);
    assert_eq!(merged.bytes, [&user[..], b"plain=1\n"].concat());
    assert_eq!(merged.left_out, ["[A] title=\u{e9}t\u{e9}"]);
}

#[test]
fn a_text_of_more_lines_than_anybody_writes_is_left_alone() {
    let many = "k=1\n".repeat(60_000);
    assert_eq!(merge(many.as_bytes(), b"[a]\nb=1\n", None).bytes, many.as_bytes());
    assert_eq!(merge(b"[a]\nb=1\n", many.as_bytes(), None).bytes, b"[a]\nb=1\n");
    assert!(!is_mergeable(many.as_bytes()));
    // Many sections with a value each, of which none is there yet, come in at once.
    let sections = |from: usize| -> String {
        let section = |n: usize| format!("[s{n}]\nk=1\n");
        (from..from + 8_000).map(section).collect()
    };
    let merged = merge(sections(0).as_bytes(), sections(8_000).as_bytes(), None);
    assert_eq!(merged.added.len(), 8_000);
    let long = format!("[{}]\nk=1\n", "s".repeat(300));
    assert_eq!(merge(long.as_bytes(), b"k=2\n", None).added, Vec::<String>::new());
}

#[test]
fn what_is_no_settings_text_is_not_merged() {
    assert!(is_mergeable(b"[A]\nx=1\n"));
    for bytes in [&b"{ \"x\": 1 }"[..], b"", b"MZ\0\0x=1\n", b"only words\n"] {
        assert!(!is_mergeable(bytes), "{bytes:?}");
    }
}

#[test]
fn what_would_make_the_file_look_like_another_encoding_stays_out() {
    let user = b"[A]\nx=\xE9\n";
    let once = merge(user, b"\n\xFF\xFEy=2\n", None);
    assert_eq!((once.bytes.as_slice(), once.added.len()), (&user[..], 0));
}

#[test]
fn a_file_that_claims_an_encoding_and_breaks_it_is_left_alone() {
    for user in [&b"\xFF\xFE\x00\xD8\x0A\x00a="[..], b"\xFF\xFE[\x00A\x00]\x00\n\x00x"] {
        let once = merge(user, b"[A]\ny=1\n", None);
        assert_eq!((once.bytes.as_slice(), once.added.len()), (user, 0));
        assert!(!is_mergeable(user));
    }
}

/// Lines as settings files have them, and some that they should not have.
fn file() -> impl Strategy<Value = String> {
    let line = prop_oneof![
        "[a-cA-C]=[0-9]{0,2}",
        " ?[a-c] = [0-9] ; why",
        "\\[[XYxy]\\]",
        "[;#] ?[a-z =]{0,8}",
        "",
        "[a-z\u{e9}\u{2713} ]{0,6}",
        "=[0-9]",
        "\\[[a-z]{0,3}",
    ];
    (proptest::collection::vec((line, prop_oneof!["\n", "\r\n"]), 0..14), any::<bool>()).prop_map(
        |(lines, open)| {
            let mut text: String = lines.into_iter().flat_map(|(line, end)| [line, end]).collect();
            if open {
                text.truncate(text.trim_end().len());
            }
            text
        },
    )
}

/// First value by section and key, as a reader of such files finds them.
fn values(text: &str) -> Vec<(String, String)> {
    let mut section = String::new();
    let mut out: Vec<(String, String)> = Vec::new();
    for line in text.lines() {
        let line = line.trim();
        if line.starts_with([';', '#']) {
            continue;
        }
        if let Some((name, _)) = line.strip_prefix('[').and_then(|rest| rest.split_once(']')) {
            section = name.to_lowercase();
        } else if let Some((key, value)) =
            line.split_once('=').filter(|(key, _)| !line.starts_with('[') && !key.trim().is_empty())
        {
            let id = format!("{section}/{}", key.trim().to_lowercase());
            if !out.iter().any(|(known, _)| *known == id) {
                out.push((id, value.trim().to_owned()));
            }
        }
    }
    out
}

/// How files of each encoding begin, with a section if it can be one.
const STARTS: &[&[u8]] = &[
    b"[a]\nb = 1\n",
    b"\xEF\xBB\xBF[a]\nb = 1\n",
    b"\xFF\xFE[\0a\0]\0\n\0b\0=\x001\0\n\0",
    b"\xFE\xFF\0[\0a\0]\0\n\0b\0=\x001\0\n",
    b"[\0a\0]\0\n\0b\0=\x001\0\n\0",
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    #[test]
    fn the_users_lines_all_stay_in_their_order(user in file(), new in file()) {
        let after = merged(&user, &new);
        let mut lines = after.lines();
        for line in user.lines() {
            prop_assert!(lines.any(|other| other == line), "{line:?} is gone from {after:?}");
        }
        for (id, value) in values(&user) {
            let found = values(&after).into_iter().find(|(known, _)| *known == id);
            prop_assert_eq!(found, Some((id, value)));
        }
        let known: Vec<String> = values(&after).into_iter().map(|(id, _)| id).collect();
        for (id, _) in values(&new) {
            prop_assert!(known.contains(&id), "{} did not come in", id);
        }
    }

    #[test]
    fn merging_twice_is_merging_once(user in file(), new in file()) {
        let once = merge(user.as_bytes(), new.as_bytes(), None);
        let twice = merge(&once.bytes, new.as_bytes(), None);
        prop_assert_eq!(&twice.bytes, &once.bytes);
        prop_assert!(twice.added.is_empty());
    }

    #[test]
    fn any_bytes_are_merged_without_loss(
        start in prop::sample::select(STARTS),
        user in proptest::collection::vec(any::<u8>(), 0..120),
        new in proptest::collection::vec(any::<u8>(), 0..120),
    ) {
        let user = [start, &user].concat();
        let new = [start, &new].concat();
        let once = merge(&user, &new, None);
        prop_assert!(once.bytes.len() >= user.len());
        let unchanged = merge(&user, b"", None);
        prop_assert_eq!(unchanged.bytes, user);
    }
}
