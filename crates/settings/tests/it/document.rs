//! One key of a settings file of any kind: a value that is set is read back, a value that is removed leaves the text
//! as before, and nothing else changes.

use proptest::prelude::*;
use upright_spanner_settings::document::{can_hold, entries, get, plain, set, unset, written};
use upright_spanner_settings::{Fault, Format, KeyPath, Lookup};

fn path(text: &str) -> KeyPath {
    KeyPath::new(text.split('/')).unwrap()
}

fn text(bytes: Vec<u8>) -> String {
    String::from_utf8(bytes).unwrap()
}

/// The text with a key set, and with the key restored.
fn there_and_back(format: Format, before: &str, key: &str, value: &str) -> String {
    let key = path(key);
    let was = get(format, before.as_bytes(), &key).unwrap();
    let set_to = set(format, before.as_bytes(), &key, value).unwrap();
    let back = match was {
        Lookup::Value(old) => set(format, &set_to, &key, &old),
        Lookup::Absent { around } => unset(format, &set_to, &key, around),
    };
    assert_eq!(text(back.unwrap()), before, "{key} of {before:?}");
    text(set_to)
}

#[test]
fn table_of_ini_keys() {
    for (before, key, value, after) in [
        ("", "depth", "3", "depth=3\n"),
        ("[A]\nx = 1 ; why\n", "a/X", "2", "[A]\nx = 2 ; why\n"),
        ("[A]\r\nx = 1\r\n[B]\r\n", "A/y", "2", "[A]\r\nx = 1\r\ny = 2\r\n[B]\r\n"),
        ("[A]\nx=1", "A/y", "2", "[A]\nx=1\ny=2"),
        ("[A]\nx=1", "B/y", "2", "[A]\nx=1\n[B]\ny=2"),
        ("; words\n", "B/y", "2", "; words\n[B]\ny=2\n"),
        ("; words\n[B]\n", "x", "2", "x=2\n; words\n[B]\n"),
        ("[A]\ncolour = #ff0000 # red\n", "A/colour", "#00ff00", "[A]\ncolour = #00ff00 # red\n"),
        ("[A]\npath = \"c:\\x ;y\" ; z\n", "A/path", "\"d\"", "[A]\npath = \"d\" ; z\n"),
        ("[A]\nx=\n[A]\nx=2\n", "A/x", "1", "[A]\nx=1\n[A]\nx=2\n"),
    ] {
        assert_eq!(there_and_back(Format::Ini, before, key, value), after);
    }
}

#[test]
fn table_of_toml_keys() {
    for (before, key, value, after) in [
        ("", "depth", "3", "depth = 3\n"),
        ("[a]\nx = 1 # why\n", "a/x", "\"two\"", "[a]\nx = \"two\" # why\n"),
        ("# top\nz = 1\n\n[a]\nx = 1\n", "y", "2", "# top\nz = 1\ny = 2\n\n[a]\nx = 1\n"),
        ("[a]\nx = 1 # c\n\n[b]\n", "a/y", "2", "[a]\nx = 1 # c\ny = 2\n\n[b]\n"),
        ("[a] # c\n[b]\n", "a/y", "2", "[a] # c\ny = 2\n[b]\n"),
        ("[a]\nx = 1", "b/c/y", "2", "[a]\nx = 1\n[b.c]\ny = 2"),
        ("[a.b]\nx = 1\n", "a/y", "2", "[a.b]\nx = 1\n[a]\ny = 2\n"),
        ("a.b = 1\n", "a/b", "2", "a.b = 2\n"),
        ("a = { b = 1, c = 2 }\n", "a/b", "3", "a = { b = 3, c = 2 }\n"),
        ("[a]\nx = [\n  1,\n]\n", "a/y", "2", "[a]\nx = [\n  1,\n]\ny = 2\n"),
        ("[\"a b\"]\nx = 1\n", "a b/max fps", "2", "[\"a b\"]\nx = 1\n\"max fps\" = 2\n"),
    ] {
        assert_eq!(there_and_back(Format::Toml, before, key, value), after);
    }
}

#[test]
fn table_of_json_keys() {
    for (before, key, value, after) in [
        ("{}", "depth", "3", "{\"depth\": 3}"),
        ("{ }\n", "a/b", "3", "{\"a\": {\"b\": 3} }\n"),
        ("{\n  \"x\": 1\n}\n", "y", "2", "{\n  \"x\": 1,\n  \"y\": 2\n}\n"),
        ("{\n  // why\n  \"x\": 1,\n}\n", "x", "\"t\"", "{\n  // why\n  \"x\": \"t\",\n}\n"),
        ("{\n  \"x\": 1,\n}\n", "y", "2", "{\n  \"x\": 1,\n  \"y\": 2,\n}\n"),
        ("{\"a\":{\"x\":[1,2]},\"b\":null}", "a/x", "[]", "{\"a\":{\"x\":[]},\"b\":null}"),
        ("{\"a\": {\"x\": 1}}", "a/c/d", "2", "{\"a\": {\"x\": 1,\"c\": {\"d\": 2}}}"),
    ] {
        assert_eq!(there_and_back(Format::Json, before, key, value), after);
    }
}

#[test]
fn table_of_xml_keys() {
    let named = "<c>\n  <s name=\"q\" value=\"1\"/>\n  <s name=\"r\" value=\"2\"/>\n</c>\n";
    for (before, key, value, after) in [
        ("<c x=\"1\"/>", "c/@x", "2", "<c x=\"2\"/>"),
        ("<c x='1' />", "c/@y", "2", "<c x='1' y=\"2\" />"),
        ("<c><d>one</d></c>", "c/d", "two", "<c><d>two</d></c>"),
        ("<c><d/></c>", "c/d", "two", "<c><d>two</d></c>"),
        ("<c><d></d></c>", "c/d", "two", "<c><d>two</d></c>"),
        ("<c>\n  <d>1</d>\n</c>", "c/e", "2", "<c>\n  <d>1</d>\n  <e>2</e>\n</c>"),
        ("<c>\n  <d>1</d>\n</c>", "c/e/f/@g", "2", "<c>\n  <d>1</d>\n  <e><f g=\"2\"/></e>\n</c>"),
        ("<c></c>", "c/e", "2", "<c><e>2</e></c>"),
        (named, "c/s[name=r]/@value", "3", &named.replace("\"2\"", "\"3\"")),
        (named, "c/s[2]/@value", "3", &named.replace("\"2\"", "\"3\"")),
        (
            "<c>\n <s name=\"q\"/>\n</c>",
            "c/s[name=t]/@value",
            "1",
            "<c>\n <s name=\"q\"/>\n <s name=\"t\" value=\"1\"/>\n</c>",
        ),
    ] {
        assert_eq!(there_and_back(Format::Xml, before, key, value), after);
    }
}

#[test]
fn keys_are_listed_with_the_comments_above_them() {
    let listed = |format, text: &str| -> Vec<(String, String, String)> {
        let all = entries(format, text.as_bytes()).unwrap().into_iter();
        all.map(|entry| (entry.path.to_string(), entry.value, entry.comment)).collect()
    };
    let row = |path: &str, value: &str, comment: &str| (path.into(), value.into(), comment.into());
    assert_eq!(
        listed(Format::Ini, "a=1\n[B]\n; How deep.\n; Up to 3.\nc = 2 ; x\n"),
        [row("a", "1", ""), row("B/c", "2", "How deep. Up to 3.")]
    );
    assert_eq!(
        listed(Format::Toml, "a = 1\n[b]\n# How deep.\nc = \"x\"\nd = { e = 1 }\n"),
        [row("a", "1", ""), row("b/c", "\"x\"", "How deep."), row("b/d/e", "1", "")]
    );
    assert_eq!(
        listed(Format::Json, "{\n  // How deep.\n  \"a\": {\"b\": 1},\n  \"c\": [1]\n}"),
        [row("a/b", "1", ""), row("c", "[1]", "")]
    );
    assert_eq!(
        listed(
            Format::Xml,
            "<c><!-- How deep. -->\n<s id=\"a\" v=\"1\"/><s id=\"b\" v=\"2\">t</s></c>"
        ),
        [
            row("c/s[id=a]/@v", "1", "How deep."),
            row("c/s[id=b]/@v", "2", ""),
            row("c/s[id=b]", "t", "")
        ]
    );
}

#[test]
fn values_are_written_as_their_format_writes_them() {
    for (format, value, like, expected) in [
        (Format::Ini, "high", None, "high"),
        (Format::Ini, "high", Some("\"low\""), "\"high\""),
        (Format::Toml, "high", None, "\"high\""),
        (Format::Toml, "144", None, "144"),
        (Format::Toml, "144", Some("\"60\""), "\"144\""),
        (Format::Toml, "true", Some("false"), "true"),
        (Format::Json, "high", None, "\"high\""),
        (Format::Json, "1.5", Some("2"), "1.5"),
        (Format::Json, "1.5", Some("\"2\""), "\"1.5\""),
        (Format::Xml, "a<b & \"c\"", None, "a&lt;b &amp; &quot;c&quot;"),
    ] {
        let raw = written(format, value, like);
        assert_eq!(raw, expected, "{format:?}");
        assert_eq!(plain(format, &raw), value, "{format:?}");
    }
}

#[test]
fn what_would_spoil_a_file_is_refused_and_what_is_no_such_file_too() {
    for (format, text, key, value) in [
        (Format::Ini, "[A]\nx=1\n", "A/x", "1\n[B]\ny=2"),
        (Format::Ini, "[A]\nx=1\n", "A/x", " 1"),
        (Format::Ini, "[A]\nx=1\n", "A/B/x", "1"),
        (Format::Toml, "x = 1\n", "x", "high"),
        (Format::Toml, "x = 1\n", "x/y", "2"),
        (Format::Json, "{\"x\": 1}", "x", "1, \"y\": 2"),
        (Format::Json, "{\"x\": 1}", "x/y", "2"),
        (Format::Xml, "<c x=\"1\"/>", "c/@x", "1\" y=\"2"),
        (Format::Xml, "<c><d/></c>", "c", "text"),
    ] {
        let refused = set(format, text.as_bytes(), &path(key), value);
        assert!(refused.is_err(), "{format:?} {key}: {refused:?}");
    }
    let deep = |open: &str| open.repeat(300_000);
    for (format, bytes) in [
        (Format::Toml, b"x = ".to_vec()),
        (Format::Json, b"[1]".to_vec()),
        (Format::Json, deep("{\"a\":").into_bytes()),
        (Format::Json, deep("[\"]\",").into_bytes()),
        (Format::Toml, format!("a = {}", deep("[")).into_bytes()),
        (Format::Xml, deep("<a>").into_bytes()),
        (Format::Xml, b"<!DOCTYPE a [<!ENTITY x \"y\">]><a>&x;</a>".to_vec()),
        (Format::Ini, b"x=1\0".to_vec()),
        (Format::Ini, vec![b'='; 3 << 20]),
    ] {
        assert!(entries(format, &bytes).is_err(), "{format:?}");
    }
    let old = b"[A]\nname=J\xFCrgen\n";
    assert!(set(Format::Ini, old, &path("A/x"), "1").is_ok());
    assert!(!can_hold(old, "\u{fc}") && can_hold(old, "u"), "its code page is not known");
    assert!(can_hold("name=J\u{fc}rgen".as_bytes(), "\u{fc}"));
    // The old value is still restored.
    let other = set(Format::Ini, old, &path("A/name"), "x").unwrap();
    let Lookup::Value(was) = get(Format::Ini, old, &path("A/name")).unwrap() else { panic!() };
    assert_eq!(plain(Format::Ini, &was), "J\u{fc}rgen");
    assert_eq!(set(Format::Ini, &other, &path("A/name"), &was).unwrap(), old);
    assert!(set(Format::Ini, old, &path("A/x"), "\u{20ac}").is_err());
}

/// Some file with some keys, in any of the formats, with comments, blank lines and both line ends.
fn any_file() -> impl Strategy<Value = (Format, String)> {
    let name = "[a-d]( [a-d])?";
    let value = "[1-9][0-9]{0,2}";
    let keys = prop::collection::btree_map(name, value, 0..4);
    let sections = prop::collection::btree_map("[s-v]", keys, 0..3);
    let style = (any::<bool>(), any::<bool>(), any::<bool>());
    (prop::sample::select(&Format::ALL[..]), sections, style).prop_map(
        |(format, sections, style)| {
            let (commented, windows, open) = style;
            let mut text = String::new();
            match format {
                Format::Ini | Format::Toml => {
                    for (section, keys) in &sections {
                        text.extend(["[", section, "]\n"]);
                        for (key, value) in keys {
                            if commented {
                                text += "# a comment\n\n";
                            }
                            let quote = if format == Format::Toml { "\"" } else { "" };
                            text.extend([quote, key, quote, " = ", value, " # behind\n"]);
                        }
                    }
                    if open {
                        text.truncate(text.trim_end().len());
                    }
                }
                Format::Json => {
                    let objects = sections.iter().map(|(section, keys)| {
                        let keys =
                            keys.iter().map(|(key, value)| format!("\n    \"{key}\": {value}"));
                        format!("\n  \"{section}\": {{{}}}", keys.collect::<Vec<_>>().join(","))
                    });
                    text = format!("{{{}\n}}\n", objects.collect::<Vec<_>>().join(","));
                }
                Format::Xml => {
                    let elements = sections.iter().map(|(section, keys)| {
                        let keys = keys.iter().map(|(key, value)| {
                            format!("\n    <s name=\"{key}\" value=\"{value}\"/>")
                        });
                        format!("\n  <{section}>{}\n  </{section}>", keys.collect::<String>())
                    });
                    text = format!("<c>{}\n</c>\n", elements.collect::<String>());
                }
            }
            let text = if windows { text.replace('\n', "\r\n") } else { text };
            (format, text)
        },
    )
}

fn any_key(format: Format, section: &str, key: &str) -> KeyPath {
    match format {
        Format::Xml => KeyPath::new(["c", section, &format!("s[name={key}]"), "@value"]),
        _ => KeyPath::new([section, key]),
    }
    .unwrap()
}

/// A text in one of the encodings that programs write.
fn encoded(text: &str, how: u8) -> Vec<u8> {
    let units = || text.encode_utf16();
    match how {
        0 => text.as_bytes().to_vec(),
        1 => [b"\xEF\xBB\xBF", text.as_bytes()].concat(),
        2 => [0xFF, 0xFE].into_iter().chain(units().flat_map(u16::to_le_bytes)).collect(),
        _ => [0xFE, 0xFF].into_iter().chain(units().flat_map(u16::to_be_bytes)).collect(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn set_and_taken_back_a_file_is_the_same_byte_by_byte(
        (format, text) in any_file(),
        changes in prop::collection::vec(("[s-w]", "[a-e]", "[1-9][0-9]{0,2}"), 1..4),
        how in 0_u8..4,
    ) {
        let before = encoded(&text, how);
        let (mut now, mut done) = (before.clone(), Vec::new());
        for (section, key, value) in changes {
            let key = any_key(format, &section, &key);
            let was = get(format, &now, &key).unwrap();
            let others = |bytes: &[u8]| -> Vec<_> {
                let all = entries(format, bytes).unwrap().into_iter();
                all.filter(|entry| entry.path != key).map(|e| (e.path, e.value, e.comment)).collect()
            };
            let set_to = match set(format, &now, &key, &value) {
                Ok(set_to) => set_to,
                // Into an element or a table that is written closed nothing can be put.
                Err(Fault::CannotHold(_)) => continue,
                Err(error) => panic!("{error}: {text:?}"),
            };
            prop_assert_eq!(others(&set_to), others(&now));
            prop_assert_eq!(get(format, &set_to, &key).unwrap(), Lookup::Value(value));
            done.push((key, was));
            now = set_to;
        }
        for (key, was) in done.into_iter().rev() {
            now = match was {
                Lookup::Value(old) => set(format, &now, &key, &old).unwrap(),
                Lookup::Absent { around } => unset(format, &now, &key, around).unwrap(),
            };
        }
        prop_assert_eq!(now, before);
    }

    #[test]
    fn nothing_that_a_file_may_hold_is_too_much(
        bytes in prop::collection::vec(any::<u8>(), 0..200),
        text in "[\\[\\]{}\"'<>/=:,;#a-c0-2 \r\n@]{0,80}",
        key in "[a-c@]/[a-c]",
    ) {
        for format in Format::ALL {
            for bytes in [&bytes, text.as_bytes()] {
                let _ = entries(format, bytes);
                if let Ok(set_to) = set(format, bytes, &path(&key), "1") {
                    prop_assert_eq!(get(format, &set_to, &path(&key)).unwrap(), Lookup::Value("1".into()));
                }
                let _ = unset(format, bytes, &path(&key), 0);
            }
        }
    }
}
