//! Desktop entries ("Desktop Entry Specification" 1.5 of freedesktop.org).

use std::path::PathBuf;

use super::target::ShortcutTarget;

/// What opens addresses on desktops of Linux.
const OPENER: &str = "xdg-open";

/// The text of a desktop entry.
///
/// # Errors
/// Says what cannot be written into one.
pub(super) fn entry(
    title: &str,
    target: &ShortcutTarget,
    icon: Option<&PathBuf>,
) -> Result<String, String> {
    let mut words: Vec<String> = Vec::new();
    if target.is_address {
        words.push(OPENER.to_owned());
    }
    if !target.environment.is_empty() {
        words.push("env".to_owned());
        words.extend(target.environment.iter().map(|(name, value)| format!("{name}={value}")));
    }
    words.extend(target.words.iter().cloned());
    let command: Vec<String> = words.iter().map(|word| argument(word)).collect();

    let folder = target.folder.to_str().ok_or("its folder has a name that is not Unicode")?;
    let mut lines = vec![
        "[Desktop Entry]".to_owned(),
        "Type=Application".to_owned(),
        format!("Name={}", value(title)?),
        format!("Exec={}", value(&command.join(" "))?),
        format!("Path={}", value(folder)?),
    ];
    if let Some(icon) = icon.and_then(|icon| icon.to_str()) {
        lines.push(format!("Icon={}", value(icon)?));
    }
    lines.extend(["Terminal=false".to_owned(), "Categories=Game;".to_owned(), String::new()]);
    Ok(lines.join("\n"))
}

/// A word of a command: in quotation marks, where anything in it could mean something else ("The Exec key").
fn argument(word: &str) -> String {
    let word = word.replace('%', "%%");
    let is_plain = |c: char| c.is_alphanumeric() || "-_./:=+,@%".contains(c);
    if !word.is_empty() && word.chars().all(is_plain) {
        return word;
    }
    let mut out = String::from('"');
    for c in word.chars() {
        if "\"`$\\".contains(c) {
            out.push('\\');
        }
        out.push(c);
    }
    out + "\""
}

/// A text as the value of a key ("Possible value types").
fn value(text: &str) -> Result<String, String> {
    if text.contains(['\n', '\r', '\0']) {
        return Err(format!("`{}` is not one line", text.escape_debug()));
    }
    let text = text.replace('\\', r"\\").replace('\t', r"\t");
    Ok(match text.strip_prefix(' ') {
        Some(rest) => format!(r"\s{rest}"),
        None => text,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The command of an entry, parsed as the specification says: first the value's escapes, then its quotation
    /// marks, then field codes.
    fn command_in(entry: &str) -> Vec<String> {
        let line = entry.lines().find_map(|line| line.strip_prefix("Exec=")).unwrap();
        let mut text = String::new();
        let mut chars = line.chars();
        while let Some(c) = chars.next() {
            text.push(match c {
                '\\' => match chars.next().unwrap() {
                    's' => ' ',
                    't' => '\t',
                    other => other,
                },
                other => other,
            });
        }

        let (mut words, mut word, mut is_quoted) = (Vec::new(), None::<String>, false);
        let mut chars = text.chars();
        while let Some(c) = chars.next() {
            match c {
                '"' => {
                    is_quoted = !is_quoted;
                    word.get_or_insert_default();
                }
                '\\' if is_quoted => word.get_or_insert_default().push(chars.next().unwrap()),
                ' ' if !is_quoted => words.extend(word.take()),
                c => word.get_or_insert_default().push(c),
            }
        }
        words.extend(word);
        words.iter().map(|word| word.replace("%%", "%")).collect()
    }

    fn target(words: Vec<String>) -> ShortcutTarget {
        ShortcutTarget::through(words, PathBuf::from("/games/Pier"))
    }

    #[test]
    fn variables_and_addresses_are_set_and_opened_by_programs_for_that() {
        let mut own = target(vec!["/opt/run".to_owned(), "/games/Pier/a.exe".to_owned()]);
        own.environment.push(("PIER_MODE".to_owned(), "two words".to_owned()));
        let text = entry("Pier", &own, None).unwrap();
        let wanted = ["env", "PIER_MODE=two words", "/opt/run", "/games/Pier/a.exe"];
        assert_eq!(command_in(&text), wanted);
        assert!(!text.contains("Icon="), "{text}");

        let mut own = target(vec!["launcher://pier/%20".to_owned()]);
        own.is_address = true;
        assert_eq!(
            command_in(&entry("Pier", &own, None).unwrap()),
            [OPENER, "launcher://pier/%20"]
        );
        assert!(entry("two\nlines", &own, None).is_err());
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

        #[test]
        fn every_word_of_a_command_comes_through(
            words in prop::collection::vec("[^\\n\\r\0]{1,12}", 1..5),
        ) {
            let text = entry("Pier", &target(words.clone()), None).unwrap();
            prop_assert_eq!(command_in(&text), words);
        }
    }
}
