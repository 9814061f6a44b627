//! Descriptions of launchers, and the texts extracted from their records.

use std::path::Path;

use proptest::prelude::*;
use upright_spanner_core::launcher::{Launcher, parse};

fn described(more: &str) -> Launcher {
    let text = format!(
        r#"schema = 1
[[launcher]]
name = "Quay Hand"
records = ["{{library}}/*.berth"]
patterns = ['(?m)^called (?<title>.+)$', '(?m)^in (?<folder>.+)$', '(?m)^load (?<build>\S+)( then (?<next>\S+))?', '(?m)^id (?<id>.+)$', '(?m)^(?<waiting>pending)$']
{more}
"#
    );
    parse(Path::new("launcher.toml"), &text).unwrap().remove(0)
}

#[test]
fn table_of_records() {
    let launcher = described("start = \"quay://{id}/{build}\"");
    assert_eq!(launcher.name, "quay-hand");
    let read = |text: &str| {
        let stated = launcher.read(text);
        let start = launcher.start_of(&stated);
        (stated.title, stated.build, stated.waiting, start)
    };
    let some = |text: &str| Some(text.to_owned());
    for (text, title, build, waiting, start) in [
        ("", None, None, false, None),
        ("called Kite\nload 12\nid a-1\n", some("Kite"), some("12"), false, some("quay://a-1/12")),
        ("load 12 then 13\nid a\n", None, some("12"), true, some("quay://a/12")),
        ("load 12 then 12\nid a\n", None, some("12"), false, some("quay://a/12")),
        ("load 12\npending\nid a b\n", None, some("12"), true, None),
        ("called  \u{7} Kite\u{1b}[1m \nid x;y\nload 1\n", some("Kite[1m"), some("1"), false, None),
    ] {
        assert_eq!(read(text), (title, build, waiting, start), "{text:?}");
    }
}

#[test]
fn a_command_takes_nothing_but_names() {
    let launcher = described("start = '\"C:\\Quay\\quay.exe\" run {id}'");
    let start = |id: &str| launcher.start_of(&launcher.read(&format!("id {id}\n")));
    assert_eq!(start("kite_1.x").as_deref(), Some("\"C:\\Quay\\quay.exe\" run kite_1.x"));
    for id in ["a b", "a\"b", "$(a)", "a/b", "a\\b", "%a%", "ä"] {
        assert_eq!(start(id), None, "{id}");
    }
    assert_eq!(described("").start_of(&launcher.read("id a\n")), None);
}

proptest! {
    #[test]
    fn no_text_is_too_much(text in ".{0,300}", lines in proptest::collection::vec("(called|in|load|id) .{0,40}", 0..6)) {
        let _ = parse(Path::new("launcher.toml"), &text);
        let launcher = described("start = \"quay://{id}\"");
        for record in [text, lines.join("\n")] {
            let stated = launcher.read(&record);
            let parts = [&stated.title, &stated.folder, &stated.build, &stated.next, &stated.id];
            for part in parts.into_iter().flatten() {
                prop_assert!(!part.contains(char::is_control) && !part.is_empty());
                prop_assert!(part.chars().count() <= 400);
            }
            let start = launcher.start_of(&stated).unwrap_or_default();
            prop_assert!(start.is_ascii() && !start.contains(char::is_whitespace));
        }
    }
}
