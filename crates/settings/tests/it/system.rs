//! `.reg` files of every form, compared with the system's own import.
use std::collections::BTreeMap;
use std::fs;
use std::process::Command;

use upright_spanner_settings::registry::{RegFile, RegItem, folded};
use winreg::RegKey;
use winreg::enums::{HKEY_CURRENT_USER, KEY_ALL_ACCESS, KEY_READ};

const KEY: &str = r"Software\Spanner Forms";

/// Values by folded key and name; a key alone has an empty value without type.
type Registry = BTreeMap<(String, String), (u32, Vec<u8>)>;

const NO_VALUE: &str = "\0";

/// The present values below the key.
fn there() -> Registry {
    let mut found = Registry::new();
    let mut keys = vec![KEY.to_owned()];
    while let Some(name) = keys.pop() {
        let Ok(key) = RegKey::predef(HKEY_CURRENT_USER).open_subkey_with_flags(&name, KEY_READ)
        else {
            continue;
        };
        found.insert((folded(&name), NO_VALUE.to_owned()), (0, Vec::new()));
        for (value, content) in key.enum_values().flatten() {
            let content = (content.vtype as u32, content.bytes.into_owned());
            found.insert((folded(&name), folded(&value)), content);
        }
        keys.extend(key.enum_keys().flatten().map(|inner| format!(r"{name}\{inner}")));
    }
    found
}

/// The effect of a file as parsed here.
fn applied(file: &RegFile, mut to: Registry) -> Registry {
    for line in &file.lines {
        let Some((root, key)) = line.key.split_once('\\') else { continue };
        if !root.eq_ignore_ascii_case("HKEY_CURRENT_USER") {
            continue;
        }
        let key = folded(key.trim_end_matches('\\'));
        match &line.item {
            RegItem::DeleteKey => {
                to.retain(|(other, _), _| *other != key && !other.starts_with(&format!("{key}\\")))
            }
            RegItem::Delete(name) => drop(to.remove(&(key, folded(name)))),
            RegItem::MakeKey | RegItem::Set(..) => {
                let parts: Vec<&str> = key.split('\\').collect();
                for depth in 2..=parts.len() {
                    let around = parts[..depth].join("\\");
                    to.entry((around, NO_VALUE.to_owned())).or_insert((0, Vec::new()));
                }
                if let RegItem::Set(name, value) = &line.item {
                    to.insert((key, folded(name)), (value.kind, value.data.clone()));
                }
            }
        }
    }
    to
}

fn utf16(text: &str) -> Vec<u8> {
    [0xFF, 0xFE].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect()
}

const NEW: &str = "Windows Registry Editor Version 5.00\r\n\r\n";
const OLD: &str = "REGEDIT4\r\n\r\n";
const HEAD: &str = "[HKEY_CURRENT_USER\\Software\\Spanner Forms]\r\n";

/// The lines after the heading and the key.
const FORMS: [&str; 36] = [
    "\"a\"=\"text\"\r\n",
    "@=\"default\"\r\n@=\"\"\r\n",
    "\"a\"=\"c:\\\\games\\\\x \\\"quoted\\\"\"\r\n",
    "\"a\"=dword:0000000a\r\n\"b\"=dword:ff\r\n\"c\"=dword:FFFFFFFF\r\n",
    "\"a\"=dword:123456789\r\n\"b\"=dword:\r\n\"c\"=dword:xyz\r\n\"d\"=\"after\"\r\n",
    "\"a\"=hex:01,02,ff\r\n",
    "\"a\"=hex:\r\n\"b\"=hex:1\r\n",
    "\"a\"=hex:01,\\\r\n  02,\\\r\n  03\r\n\"b\"=\"after\"\r\n",
    "\"a\"=hex(0):\r\n\"b\"=hex(0):01\r\n",
    "\"a\"=hex(1):41,00,00,00\r\n",
    "\"a\"=hex(1):41,00\r\n",
    "\"a\"=hex(2):25,00,78,00,25,00,00,00\r\n",
    "\"a\"=hex(3):01\r\n",
    "\"a\"=hex(4):0a,00,00,00\r\n",
    "\"a\"=hex(5):00,00,00,0a\r\n",
    "\"a\"=hex(6):41,00\r\n",
    "\"a\"=hex(7):41,00,00,00,42,00,00,00,00,00\r\n",
    "\"a\"=hex(7):41,00,00,00,42,00\r\n",
    "\"a\"=hex(b):01,00,00,00,00,00,00,00\r\n",
    "\"a\"=hex(8):01\r\n\"b\"=hex(9):02\r\n\"c\"=hex(a):03\r\n",
    "\"a\"=\"1\"\r\n\"a\"=\"2\"\r\n\"A\"=\"3\"\r\n",
    "\"a\"=\"1\"\r\n\"a\"=-\r\n\"b\"=-\r\n@=-\r\n",
    "; a comment\r\n  ; another\r\n\"a\"=\"1\" ; behind\r\n\"b\"=dword:1 ; behind\r\n",
    "  \"a\"  =  \"1\"\r\n\t\"b\"\t=\tdword:2\r\n",
    "\"a\"=\"1\"trailing\r\n\"b\"=\"2\"\r\n",
    "nonsense\r\na=1\r\n\"b=\"\r\n\"c\"\r\n\"d\"=\r\n\"e\"=\"5\"\r\n",
    "\"a\"=\"with = sign\"\r\n\"b = c\"=\"2\"\r\n\"\"=\"empty\"\r\n",
    "\"a\"=\"1\"\r\n\r\n[HKEY_CURRENT_USER\\Software\\Spanner Forms\\Deep\\Er]\r\n\"b\"=\"2\"\r\n",
    "\"a\"=\"1\"\r\n[HKEY_CURRENT_USER\\Software\\Spanner Forms\\x]\r\n\"b\"=\"2\"\r\n[-HKEY_CURRENT_USER\\Software\\Spanner Forms\\x]\r\n\"c\"=\"3\"\r\n",
    "[HKEY_CURRENT_USER\\Software\\Spanner Forms\\Only]\r\n[HKEY_CURRENT_USER\\Software\\Spanner Forms\\Wi[th]ed]\r\n\"x\"=\"1\"\r\n",
    "\"a\"=hex:01,02\r\n\"b\"=hex:01,02,\r\n\"c\"=hex: 01,02\r\n\"d\"=hex:01 ,02\r\n\"e\"=hex:01, 02\r\n\"f\"=hex:01,02 \r\n",
    "\"a\"=hex:0g\r\n\"b\"=\"2\"\r\n",
    "\"a\"=hex:01,\\\r\n\r\n  02\r\n\"b\"=\"2\"\r\n",
    "\"a\"=hex:01,\\\r\n  ; between\r\n  02\r\n\"b\"=\"2\"\r\n",
    "\"J\u{fc}rgen\"=\"gr\u{fc}n\"\r\n",
    "\"a\"=\"1\"",
];

#[test]
fn every_form_comes_to_what_the_system_imports() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("form.reg");
    let user = RegKey::predef(HKEY_CURRENT_USER);
    let narrow =
        |text: &str| text.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect::<Vec<u8>>();
    let mut files: Vec<(String, Vec<u8>)> = Vec::new();
    for form in FORMS {
        let text = format!("{NEW}{HEAD}{form}");
        files.push((text.clone(), utf16(&text)));
        let text = format!("{OLD}{HEAD}{form}");
        files.push((text.clone(), narrow(&text)));
    }
    let plain = format!("{NEW}{HEAD}\"a\"=\"1\"\r\n");
    for (name, bytes) in [
        ("version 5 without UTF-16", narrow(&plain)),
        ("without a heading", narrow(&format!("{HEAD}\"a\"=\"1\"\r\n"))),
        ("line feeds alone", utf16(&plain.replace('\r', ""))),
        (
            "old texts in bytes",
            narrow(&format!(
                "{OLD}{HEAD}\"a\"=hex(2):25,78,25,00\r\n\"b\"=hex(7):41,00,42,00,00\r\n"
            )),
        ),
    ] {
        files.push((name.to_owned(), bytes));
    }

    let mut wrong = Vec::new();
    for (text, bytes) in &files {
        let _ = user.delete_subkey_all(KEY);
        let (key, _) = user.create_subkey(KEY).unwrap();
        key.set_value("a", &"before").unwrap();
        drop(key);
        let before = there();
        fs::write(&path, bytes).unwrap();
        let imported = Command::new("reg").arg("import").arg(&path).output().unwrap();
        let read = RegFile::read(bytes);
        let ours =
            read.as_ref().map_or_else(|| before.clone(), |file| applied(file, before.clone()));
        let theirs = there();
        if ours != theirs {
            wrong.push(format!("{text}\n ours:   {ours:?}\n theirs: {theirs:?}\n {imported:?}"));
        }
    }
    let _ = user
        .open_subkey_with_flags("Software", KEY_ALL_ACCESS)
        .unwrap()
        .delete_subkey_all("Spanner Forms");
    assert!(wrong.is_empty(), "{} of {}:\n{}", wrong.len(), files.len(), wrong.join("\n\n"));
}
