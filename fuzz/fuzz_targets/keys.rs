//! One key of a settings file and one value of a registry, whatever the texts: nothing panics, a value that is set is
//! read back, and a value that is removed leaves the text as before.
#![no_main]

use libfuzzer_sys::arbitrary::{self, Arbitrary};
use libfuzzer_sys::fuzz_target;
use upright_spanner_settings::document::{entries, get, set, unset};
use upright_spanner_settings::registry::{PrefixRegistry, RegFile, Value, ValueName};
use upright_spanner_settings::{Format, KeyPath, Lookup};

#[derive(Debug, Arbitrary)]
struct Input<'a> {
    format: u8,
    bytes: &'a [u8],
    key: [u8; 2],
    value: &'a str,
}

fuzz_target!(|input: Input<'_>| {
    let format = Format::ALL[usize::from(input.format) % Format::ALL.len()];
    let names = input.key.map(|letter| char::from(b'a' + letter % 5).to_string());
    let Some(path) = KeyPath::new(names.clone()) else { return };
    let _ = entries(format, input.bytes);
    let was = get(format, input.bytes, &path);
    if let Ok(altered) = set(format, input.bytes, &path, input.value) {
        assert_eq!(get(format, &altered, &path), Ok(Lookup::Value(input.value.to_owned())));
        if let Ok(Lookup::Value(was)) = was {
            assert_eq!(set(format, &altered, &path, &was).as_deref(), Ok(input.bytes));
        }
    }
    let _ = unset(format, input.bytes, &path, 0);

    let text = String::from_utf8_lossy(input.bytes);
    let _ = RegFile::read(format!("REGEDIT4\n{text}").as_bytes());
    let whole = format!("WINE REGISTRY Version 2\n{text}");
    let (Some(read), Ok(of)) = (PrefixRegistry::read(&whole), ValueName::new(&names[0], &names[1]))
    else {
        return;
    };
    let _ = (read.get(&of), read.unset(&of, 0));
    let new = Value::text(&input.value.replace('\0', ""));
    if let Some(altered) = read.set(&of, &new) {
        let altered = PrefixRegistry::read(&altered).expect("it is one still");
        assert_eq!(altered.get(&of), Some(new));
    }
});
