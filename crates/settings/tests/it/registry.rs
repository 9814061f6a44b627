//! Values of the registry in texts: `.reg` files and the text of a prefix.

use proptest::prelude::*;
use upright_spanner_settings::registry::{
    PrefixRegistry, RegFile, RegItem, RegLine, Value, ValueName, kind,
};

const PREFIX: &str = "WINE REGISTRY Version 2\n;; All keys relative to REGISTRY\\\\User\n\n#arch=win64\n\n\
    [Software\\\\Maker\\\\Brine] 1700000000\n#time=1da1\n\"Depth\"=dword:0000000a\n\
    \"Name\"=\"J\\x00fcrgen \\\"x\\\" c:\\\\d\"\n\"Blob\"=hex:01,02,\\\n  03,04\n@=\"\"\n\
    \"Path\"=str(2):\"%HOME%\\\\x\"\n\"Many\"=str(7):\"a\\0b\\0\"\n\n\
    [Software\\\\Maker\\\\Brine\\\\Deep] 1700000000\n\"x\"=\"1\"\n";

fn name(key: &str, name: &str) -> ValueName {
    ValueName::new(key, name).unwrap()
}

fn registry(text: &str) -> PrefixRegistry<'_> {
    PrefixRegistry::read(text).unwrap()
}

fn utf16(text: &str) -> Vec<u8> {
    text.encode_utf16().flat_map(u16::to_le_bytes).collect()
}

#[test]
fn a_prefix_says_what_its_values_hold() {
    let read = registry(PREFIX);
    let get = |value: &str| read.get(&name("software\\MAKER\\Brine", value));
    assert_eq!(get("depth"), Some(Value::dword(10)));
    assert_eq!(get("Name"), Some(Value::text("J\u{fc}rgen \"x\" c:\\d")));
    assert_eq!(get("Blob"), Some(Value { kind: kind::BINARY, data: vec![1, 2, 3, 4] }));
    assert_eq!(get(""), Some(Value::text("")), "there, and empty");
    assert_eq!(get("Path").unwrap().as_text().unwrap(), "%HOME%\\x");
    assert_eq!(get("Many"), Some(Value { kind: kind::MULTI_SZ, data: utf16("a\0b\0\0") }));
    assert_eq!(get("Other"), None);
    assert_eq!(read.values("Software\\Maker\\Brine").len(), 6);
    for (key, levels) in [
        ("Software\\Maker\\Brine", 3),
        ("Software\\Maker", 2),
        ("Software\\Other\\Brine", 1),
        ("Else", 0),
    ] {
        assert_eq!(read.levels(&name(key, "x")), levels, "{key}");
    }
}

#[test]
fn a_value_set_in_a_prefix_and_taken_away_leaves_the_text_as_it_was() {
    for (key, value, new) in [
        ("Software\\Maker\\Brine", "Depth", Value::dword(11)),
        ("Software\\Maker\\Brine", "Blob", Value::text("\u{1F600} \"\\\n")),
        ("Software\\Maker\\Brine", "New", Value { kind: kind::QWORD, data: vec![1; 8] }),
        ("Software\\Maker\\Brine\\Deep", "", Value { kind: 0, data: Vec::new() }),
        ("Software\\Maker", "New", Value::text("x")),
        ("Software\\[\u{fc}]\\b", "", Value { kind: kind::EXPAND_SZ, data: utf16("%x%\0") }),
        ("Else", "odd", Value { kind: kind::SZ, data: vec![1] }),
    ] {
        let of = name(key, value);
        let was = registry(PREFIX).get(&of);
        let levels = registry(PREFIX).levels(&of);
        let altered = registry(PREFIX).set(&of, &new).unwrap();
        assert_eq!(registry(&altered).get(&of), Some(new));
        assert_eq!(registry(&altered).levels(&of), of.levels().count());
        let back = match was {
            Some(was) => registry(&altered).set(&of, &was).unwrap(),
            None => registry(&altered).unset(&of, levels),
        };
        let expected = PREFIX.replace("hex:01,02,\\\n  03,04", "hex:01,02,03,04");
        let expected = if value == "Blob" { expected } else { PREFIX.to_owned() };
        assert_eq!(back, expected, "{of}");
    }
    assert!(PrefixRegistry::read("REGEDIT4\n").is_none());
    let unknown = registry(PREFIX).unset(&name("Else", "x"), 0);
    assert_eq!(unknown, PREFIX);
}

#[test]
fn a_reg_file_says_what_it_does() {
    let text = "Windows Registry Editor Version 5.00\r\n\r\n; a comment\r\n\
        [HKEY_CURRENT_USER\\Software\\Maker]\r\n\"a\"=\"c:\\\\d \\\"x\\\"\"\r\n@=\"\"\r\n\
        \"b\"=dword:ff ; why\r\n\"c\"=hex:01,\\\r\n  ; between\r\n  2,\\\r\n  03\r\n\
        \"d\"=hex(2):41,00,00,00\r\n\"e\"=-\r\n\"f\"=dword:123456789\r\nnonsense\r\n\
        [-HKEY_CURRENT_USER\\Software\\Old]\r\n\"lost\"=\"x\"\r\n";
    let read = RegFile::read(&[&[0xFF, 0xFE], &utf16(text)[..]].concat()).unwrap();
    let items: Vec<(usize, &RegItem)> = read.lines.iter().map(|l| (l.number, &l.item)).collect();
    let set = |name: &str, value: Value| RegItem::Set(name.to_owned(), value);
    assert_eq!(
        items,
        [
            (4, &RegItem::MakeKey),
            (5, &set("a", Value::text("c:\\d \"x\""))),
            (6, &set("", Value::text(""))),
            (7, &set("b", Value::dword(255))),
            (8, &set("c", Value { kind: kind::BINARY, data: vec![1, 2, 3] })),
            (12, &set("d", Value { kind: kind::EXPAND_SZ, data: utf16("A\0") })),
            (13, &RegItem::Delete("e".to_owned())),
            (16, &RegItem::DeleteKey),
        ]
    );
    assert_eq!(read.passed_over, [14, 15, 17]);
    let old = b"REGEDIT4\n[HKEY_CURRENT_USER\\a]\n\"x\"=hex(2):fc,00\n\"y\"=\"\xfc\"\n";
    let old = RegFile::read(old).unwrap();
    assert_eq!(
        old.lines[1].item,
        set("x", Value { kind: kind::EXPAND_SZ, data: utf16("\u{fc}\0") })
    );
    assert_eq!(old.lines[2].item, set("y", Value::text("\u{fc}")));
    assert_eq!(RegFile::read(b"[HKEY_CURRENT_USER\\a]\n"), None, "without a heading it is none");
}

#[test]
fn a_value_is_read_as_people_write_it_and_shown_so() {
    for (kind, text, data) in [
        (kind::SZ, "high", utf16("high\0")),
        (kind::DWORD, "144", vec![144, 0, 0, 0]),
        (kind::QWORD, "1", vec![1, 0, 0, 0, 0, 0, 0, 0]),
        (kind::BINARY, "01,ff", vec![1, 255]),
        (kind::MULTI_SZ, "a", utf16("a\0\0")),
    ] {
        let value = Value::parse(kind, text).unwrap();
        assert_eq!(value.data, data);
        assert_eq!(value.to_string(), text);
    }
    for (kind, text) in [(kind::DWORD, "x"), (kind::DWORD, "4294967296"), (kind::BINARY, "1")] {
        assert_eq!(Value::parse(kind, text), None, "{text}");
    }
}

fn any_value() -> impl Strategy<Value = Value> {
    let text = "[ -~\u{fc}\u{1F600}\n\t]{0,12}";
    prop_oneof![
        text.prop_map(|text| Value::text(&text)),
        any::<u32>().prop_map(Value::dword),
        (0_u32..12, prop::collection::vec(any::<u8>(), 0..8))
            .prop_map(|(kind, data)| Value { kind, data }),
    ]
}

proptest! {
    #[test]
    fn values_set_and_taken_away_leave_a_prefix_as_it_was(
        changes in prop::collection::vec(("[ab](\\\\[ab\u{fc}]){0,2}", "[x-z\"\\\\ ]{0,2}", any_value()), 1..5),
    ) {
        let (mut now, mut done) = (PREFIX.to_owned(), Vec::new());
        for (key, value_name, value) in changes {
            let of = name(&key, &value_name);
            let (was, levels) = (registry(&now).get(&of), registry(&now).levels(&of));
            let altered = registry(&now).set(&of, &value).unwrap();
            prop_assert_eq!(registry(&altered).get(&of), Some(value));
            done.push((of, was, levels));
            now = altered;
        }
        for (of, was, levels) in done.into_iter().rev() {
            now = match was {
                Some(was) => registry(&now).set(&of, &was).unwrap(),
                None => registry(&now).unset(&of, levels),
            };
        }
        prop_assert_eq!(now, PREFIX);
    }

    #[test]
    fn what_is_written_to_a_reg_file_is_read_from_it(
        items in prop::collection::vec(("[ab\u{fc}]{1,3}", "[x-z\"\\\\ ]{0,2}", prop::option::of(any_value())), 0..6),
    ) {
        let lines: Vec<RegLine> = items.into_iter().map(|(key, name, value)| RegLine {
            number: 0,
            key: format!("HKEY_CURRENT_USER\\{key}"),
            item: value.map_or(RegItem::Delete(name.clone()), |value| RegItem::Set(name, value)),
        }).collect();
        let read = RegFile::read(&RegFile::write(&lines)).unwrap();
        prop_assert!(read.passed_over.is_empty());
        let without_keys = read.lines.into_iter().filter(|line| line.item != RegItem::MakeKey);
        let without_keys: Vec<_> = without_keys.map(|line| RegLine { number: 0, ..line }).collect();
        // A text without its final zero cannot be expressed in a file.
        let whole = lines.into_iter().map(|line| match line.item {
            RegItem::Set(name, value) => RegLine { item: RegItem::Set(name, with_zero(value)), ..line },
            _ => line,
        });
        prop_assert_eq!(without_keys, whole.collect::<Vec<_>>());
    }

    #[test]
    fn no_text_is_too_much(text in "[\\[\\]\"=@\\\\hexdword():,;0-9a-z\n \r-]{0,80}") {
        let _ = RegFile::read(format!("REGEDIT4\n{text}").as_bytes());
        let whole = format!("WINE REGISTRY Version 2\n{text}");
        let of = name("a\\b", "c");
        let read = registry(&whole);
        let _ = (read.get(&of), read.levels(&of), read.unset(&of, 0));
        if let Some(altered) = read.set(&of, &Value::dword(1)) {
            prop_assert_eq!(registry(&altered).get(&of), Some(Value::dword(1)));
        }
    }
}

fn with_zero(value: Value) -> Value {
    let is_text = matches!(value.kind, kind::SZ | kind::EXPAND_SZ | kind::MULTI_SZ);
    let whole = value.data.len() / 2 * 2;
    let lacks = whole < 2 || value.data[whole - 2..whole] != [0, 0];
    let data = if is_text && lacks && !value.data.is_empty() {
        [&value.data[..], &[0, 0]].concat()
    } else {
        value.data
    };
    Value { data, ..value }
}
