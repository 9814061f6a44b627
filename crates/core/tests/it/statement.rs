//! Texts' statements about the versions of a game, and the parsed requirements.

use proptest::prelude::*;
use upright_spanner_core::rack::stated_support;

#[test]
fn sentences_are_read_as_what_they_say() {
    for (text, inside, outside) in [
        (
            "Supports versions 4.5.0 to 4.6.9",
            &["4.5.0", "4.5.9", "4.6.9"][..],
            &["4.4.9", "4.6.10"][..],
        ),
        (
            "supported versions: 4.5.3, 4.5.4 and 4.6.0",
            &["4.5.3", "4.5.4", "4.6.0"],
            &["4.5.5", "4.5.0"],
        ),
        ("This build requires game version 3.2 or newer.", &["3.2", "3.9", "4.0"], &["3.1.9"]),
        ("For 3.1 and later.", &["3.1", "9.0"], &["3.0.9"]),
        ("Not compatible with 3.3", &["3.2.9", "3.3.1", "4.0"], &["3.3", "3.3.0"]),
        ("It is compatible with game versions up to 5.1.2", &["5.1.2", "1.0"], &["5.1.3"]),
        (
            "works with the game from 2.1.0 through 2.4.0 only",
            &["2.1.0", "2.4.0"],
            &["2.4.1", "2.0.9"],
        ),
        ("Supports game versions between 2.1 and 2.4.", &["2.1", "2.3.9", "2.4"], &["2.5"]),
        ("Supported: 4.5.x", &["4.5.0", "4.5.77"], &["4.6.0"]),
        ("Compatible with 7.2.1+", &["7.2.1", "8.0"], &["7.2.0"]),
        ("Supports game version >= 7.2.1", &["7.2.1", "8.0"], &["7.2.0"]),
        ("Supports game versions before 6.0", &["5.9.9"], &["6.0", "6.1"]),
        ("Supports game versions newer than 6.0", &["6.0.1"], &["6.0"]),
        ("- made for version 22.4.7 of the game", &["22.4.7"], &["22.4.8"]),
        ("Does not work with game version 3.3 or newer", &["3.2.9"], &["3.3", "3.4"]),
        ("Supports Kite Harbour version 1.0.4 - 1.0.8", &["1.0.4", "1.0.8"], &["1.0.9"]),
        ("Not compatible with 3.3 and 3.5", &["3.4", "3.2", "3.6"], &["3.3", "3.5"]),
        (
            "supports versions 4.5.0 \u{2013} 4.6.9, and 4.8.1",
            &["4.5.1", "4.8.1"],
            &["4.7", "4.8.2"],
        ),
    ] {
        let found = stated_support(text).unwrap_or_else(|| panic!("nothing is read in: {text}"));
        for version in inside {
            let is_in = found.supports.includes(&version.parse().unwrap());
            assert!(is_in, "{text}: {version} is not in {}", found.supports);
        }
        for version in outside {
            let is_in = found.supports.includes(&version.parse().unwrap());
            assert!(!is_in, "{text}: {version} is in {}", found.supports);
        }
    }
}

#[test]
fn what_is_about_something_else_is_not_taken_for_the_game() {
    for text in [
        "Supports shader model 6.6",
        "Needs the runtime environment of 14.2 or newer installed",
        "Version 2.3.0",
        "for the 2.0.3 release we rewrote the menu",
        "Thanks for 1.000.000 downloads",
        "Requires driver 31.0.15 or newer",
        "",
    ] {
        assert_eq!(stated_support(text), None, "{text}");
    }
}

#[test]
fn what_is_supported_stands_before_what_is_not() {
    let text = "Not compatible with 3.3\nSupports game versions 3.0 to 3.9\n";
    let found = stated_support(text).unwrap();
    assert_eq!(found.supports.to_string(), "3.0 - 3.9");
    assert_eq!(found.line, "Supports game versions 3.0 to 3.9");
}

proptest! {
    #[test]
    fn no_text_makes_it_fail(text in "(supports|for|not compatible with|requires game version|[a-z ,.:<>=+-]{0,9}|[0-9.x*]{1,9}| ){0,40}") {
        let _ = stated_support(&text);
    }
}
