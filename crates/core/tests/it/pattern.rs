//! Patterns match names as documented, whatever characters they contain.

use proptest::prelude::*;
use upright_spanner_core::catalog::Pattern;

fn matches(pattern: &str, text: &str) -> bool {
    Pattern::new(pattern).unwrap().is_match(text)
}

#[test]
fn stars_question_marks_and_brackets_stand_for_what_is_documented() {
    for (pattern, text) in [
        ("lens.dll", "LENS.dll"),
        ("LENS*", "lens-2.dll"),
        ("*", ""),
        ("*.dll", "a.b.dll"),
        ("l?ns.dll", "lÄns.dll"),
        ("lens[12].dll", "lens2.dll"),
        ("lens[a-c].dll", "lensB.dll"),
        ("lens[!12].dll", "lens3.dll"),
        ("lens[]].dll", "lens].dll"),
        ("lens[*].dll", "lens*.dll"),
        ("lens[a-].dll", "lens-.dll"),
        ("*a*b*c", "xxaxbxbc"),
        ("ÄPFEL", "äpfel"),
    ] {
        assert!(matches(pattern, text), "{pattern} {text}");
    }
    for (pattern, text) in [
        ("lens.dll", "lens.dl"),
        ("lens.dll", "lens_dll"),
        ("lens?", "lens"),
        ("lens[12].dll", "lens3.dll"),
        ("lens[!12].dll", "lens1.dll"),
        ("*.dll", "a.dll2"),
        ("*a*b*c", "xxbxaxc"),
    ] {
        assert!(!matches(pattern, text), "{pattern} {text}");
    }
    for (pattern, wanted) in [
        ("lens[12", "a `[` without its `]`"),
        ("lens{a,b}", "write a brace as"),
        (&*"*".repeat(2000), "it is longer than 1000"),
    ] {
        let said = Pattern::new(pattern).unwrap_err();
        assert!(said.contains(wanted), "{said}");
    }
}

/// The same in the simplest way that there is.
fn simply(pattern: &[char], text: &[char]) -> bool {
    match (pattern, text) {
        (['*', rest @ ..], _) => (0..=text.len()).any(|taken| simply(rest, &text[taken..])),
        (['?', rest @ ..], [_, others @ ..]) => simply(rest, others),
        ([own, rest @ ..], [c, others @ ..]) => own == c && simply(rest, others),
        ([], []) => true,
        _ => false,
    }
}

proptest! {
    #[test]
    fn they_match_what_the_simplest_reader_says(pattern in "[ab*?]{0,7}", text in "[ab]{0,9}") {
        let chars = |text: &str| text.chars().collect::<Vec<_>>();
        prop_assert_eq!(matches(&pattern, &text), simply(&chars(&pattern), &chars(&text)));
    }

    #[test]
    fn any_text_is_a_pattern_or_said_to_be_none(pattern in any::<String>(), text in any::<String>()) {
        if let Ok(pattern) = Pattern::new(&pattern) {
            let _ = pattern.is_match(&text);
        }
    }
}
