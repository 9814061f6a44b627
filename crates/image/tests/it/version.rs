//! Versions read and order as people mean them.

use proptest::prelude::*;
use upright_spanner_image::requirement::{Coverage, Requirement};
use upright_spanner_image::version::Version;

fn version(text: &str) -> Version {
    text.parse().unwrap_or_else(|error| panic!("{error}"))
}

#[test]
fn what_authors_write_is_read() {
    for (text, read) in [
        ("1.2.3.4", "1.2.3.4"),
        ("1, 0, 12, 4", "1.0.12.4"),
        ("1 , 2 , 3", "1.2.3"),
        ("v3.0.0-rc1", "3.0.0-rc1"),
        ("3.0.0 RC 1", "3.0.0-rc1"),
        ("2.1b3", "2.1-beta3"),
        ("2.1 beta", "2.1-beta"),
        ("1.0.2k", "1.0.2k"),
        ("22_4_7", "22.4.7"),
        ("Version 2.5", "2.5"),
        ("10.0.19041.1 (Build.160101.0800)", "10.0.19041.1"),
        ("7", "7"),
        ("1.2-custom build", "1.2"),
        ("1.4.0+abc123", "1.4.0"),
        ("2.0-hotfix2", "2.0-p2"),
        ("99999999999999999999.1", "18446744073709551615.1"),
    ] {
        assert_eq!(version(text).to_string(), read, "{text}");
    }
    for text in ["", "v", "none", ".5", "-1", "rc1", "TODO: version"] {
        assert!(text.parse::<Version>().is_err(), "{text}");
    }
}

#[test]
fn they_order_as_people_mean_it() {
    let ascending = [
        "0.9",
        "1.0-dev",
        "1.0-alpha",
        "1.0a2",
        "1.0-beta",
        "1.0b2",
        "1.0-pre",
        "1.0-rc1",
        "1.0-rc2",
        "1.0",
        "1.0-p1",
        "1.0.0.1",
        "1.0.2",
        "1.0.2a",
        "1.0.2k",
        "1.0.10",
        "1.2",
        "2.9.1",
        "2026.3.0",
    ];
    for pair in ascending.windows(2) {
        assert!(version(pair[0]) < version(pair[1]), "{} < {}", pair[0], pair[1]);
    }
    assert_eq!(version("2.1"), version("2.1.0.0"));
    assert_eq!(version("1, 6, 0, 0"), version("v1.6"));
}

#[test]
fn a_version_is_found_inside_a_name() {
    for (name, least, found) in [
        ("lampwright-22.4.7", 3, Some(("lampwright", "22.4.7"))),
        ("pack-v0.3.1-x64", 2, Some(("pack", "0.3.1"))),
        ("libsalt64__v0.3.23-246-gcc_10", 3, Some(("libsalt64", "0.3.23"))),
        ("d3d11", 2, None),
        ("name2", 1, None),
        ("tool_2", 2, None),
    ] {
        let expected = found.map(|(before, text)| (before, version(text)));
        assert_eq!(Version::find_in(name, least), expected, "{name}");
    }
}

proptest! {
    #[test]
    fn any_text_is_read_or_refused(text in ".{0,60}") {
        if let Ok(version) = text.parse::<Version>() {
            prop_assert_eq!(version.to_string().parse::<Version>().unwrap(), version);
        }
        let _ = Version::find_in(&text, 2);
    }

    #[test]
    fn order_is_total(texts in proptest::collection::vec("[0-3](\\.[0-3]){0,3}([a-c]|rc1|-p2)?", 3)) {
        let [a, b, c] = [version(&texts[0]), version(&texts[1]), version(&texts[2])];
        prop_assert_eq!(a.cmp(&b), b.cmp(&a).reverse());
        if a <= b && b <= c {
            prop_assert!(a <= c);
        }
    }
}

#[test]
fn requirements_are_read_and_tell_too_new_from_too_old() {
    use Coverage::{Between, Inside, TooNew, TooOld};
    for (text, cases) in [
        ("8.3.2210", &[("8.3.2210.0", Inside), ("8.3.2211", TooNew), ("8.3.2209", TooOld)][..]),
        ("8.3.*", &[("8.3", Inside), ("8.3.9.9", Inside), ("8.4", TooNew), ("7.9.60", TooOld)]),
        (
            "7.9 - 8.2.400",
            &[("7.9", Inside), ("8.2.400", Inside), ("8.2.401", TooNew), ("7.8", TooOld)],
        ),
        ("1.5..1.6", &[("1.5.3", Inside), ("1.6.1", TooNew)]),
        (">=7.5 <8.3.2100", &[("8.3.2099", Inside), ("8.3.2100", TooNew), ("7.4.9", TooOld)]),
        ("> 2", &[("2.0.1", Inside), ("2", TooOld)]),
        (
            "1.4, 1.7.*",
            &[("1.4", Inside), ("1.5", Between), ("1.7.3", Inside), ("1.3", TooOld), ("2", TooNew)],
        ),
        ("2.x", &[("2.9", Inside), ("3", TooNew)]),
    ] {
        let requirement: Requirement = text.parse().unwrap_or_else(|error| panic!("{error}"));
        for (candidate, fit) in cases {
            assert_eq!(requirement.check(&version(candidate)), *fit, "{candidate} in {text}");
        }
        assert_eq!(requirement.to_string(), text);
    }
    for text in ["", "new", "1.2,", ">=", "1.2 (or so)", "1.2 - x"] {
        assert!(text.parse::<Requirement>().is_err(), "{text}");
    }
}
