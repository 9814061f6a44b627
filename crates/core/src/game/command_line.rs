//! Typed commands: splitting into words and joining again; and the start setting of a game.
//!
//! The rule is the same on every system, so that a setting can be carried from one to another: blanks
//! separate words, quotation marks hold one together, and nothing else means anything. A backslash is part
//! of a path.

use std::path::{Path, PathBuf};

use crate::path::TreePath;

/// The words of a command. A text that is the path of a file is one word.
///
/// # Errors
/// If a quotation mark has no second.
pub(crate) fn words(text: &str) -> Result<Vec<String>, String> {
    if Path::new(text).is_file() {
        return Ok(vec![text.to_owned()]);
    }
    let mut words = Vec::new();
    let mut word: Option<String> = None;
    let mut is_quoted = false;
    for c in text.chars() {
        match c {
            '"' => {
                is_quoted = !is_quoted;
                word.get_or_insert_default();
            }
            c if c.is_whitespace() && !is_quoted => words.extend(word.take()),
            c => word.get_or_insert_default().push(c),
        }
    }
    if is_quoted {
        return Err("a quotation mark has no second".to_owned());
    }
    words.extend(word);
    Ok(words)
}

/// Words as one types them.
pub fn typed(words: &[String]) -> String {
    let quoted = words.iter().map(|word| {
        let is_plain = !word.is_empty() && !word.contains(char::is_whitespace);
        if is_plain { word.clone() } else { format!("\"{word}\"") }
    });
    quoted.collect::<Vec<_>>().join(" ")
}

/// The start setting of a game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum StartSetting {
    /// A file of the game.
    File(TreePath),
    /// A command: its program and its arguments.
    Command(Vec<String>),
    /// An address, such as `launcher://game`.
    Address(String),
}

impl StartSetting {
    /// The start setting that a text means for a game in a folder.
    ///
    /// # Errors
    /// If it cannot be taken apart.
    pub fn of(root: &Path, text: &str) -> Result<Self, String> {
        if is_address(text) {
            return Ok(Self::Address(text.to_owned()));
        }
        let inside = TreePath::new(&text.replace('\\', "/")).ok();
        let inside = inside.or_else(|| TreePath::below(root, Path::new(text)).ok());
        match inside.filter(|path| path.on(root).is_file()) {
            Some(path) => Ok(Self::File(path)),
            None => words(text).map(Self::Command),
        }
    }
}

/// Whether a text is an address: a scheme of two letters at least, which no drive has.
fn is_address(text: &str) -> bool {
    let scheme = text.split_once("://").map(|(scheme, _)| scheme);
    scheme.is_some_and(|scheme| {
        scheme.len() > 1
            && scheme.starts_with(|c: char| c.is_ascii_alphabetic())
            && scheme.chars().all(|c| c.is_ascii_alphanumeric() || "+-.".contains(c))
    })
}

/// The program of a command, if it is there: by its path, or in one of the folders in which the system looks for
/// programs.
pub(crate) fn program_of(command: &[String]) -> Option<PathBuf> {
    let program = Path::new(command.first()?);
    if program.components().count() > 1 || program.is_absolute() {
        return program.is_file().then(|| program.to_owned());
    }
    let folders = std::env::var_os("PATH")?;
    let with_ending = cfg!(windows) && program.extension().is_none();
    let program = if with_ending { program.with_extension("exe") } else { program.to_owned() };
    std::env::split_paths(&folders).map(|folder| folder.join(&program)).find(|path| path.is_file())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn blanks_separate_and_quotation_marks_hold_together() {
        let own = |text: &str| words(text).unwrap();
        assert_eq!(own(""), Vec::<String>::new());
        assert_eq!(own("  -map   \"two words\"\t-x"), ["-map", "two words", "-x"]);
        assert_eq!(
            own(r#"C:\Games\a.exe "C:\Pier 2\b.exe" -d"a b"c"#),
            [r"C:\Games\a.exe", r"C:\Pier 2\b.exe", "-da bc"]
        );
        assert_eq!(own("\"\" x"), ["", "x"]);
        assert!(words("a \"b").is_err());
    }

    #[test]
    fn an_address_has_a_scheme_and_a_drive_is_none() {
        for (text, is) in [
            ("launcher://game/1", true),
            ("x-game+1.0://a b", true),
            ("C://Games/a.exe", false),
            ("1a://x", false),
            ("://x", false),
            ("a b://x", false),
            ("game.exe", false),
        ] {
            assert_eq!(is_address(text), is, "{text}");
        }
    }

    #[test]
    fn what_lies_outside_of_the_game_is_no_file_of_it() {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().join("game");
        std::fs::create_dir_all(root.join("bin")).unwrap();
        std::fs::write(root.join("bin/a.exe"), "").unwrap();
        std::fs::write(folder.path().join("b.exe"), "").unwrap();
        let of = |text: &str| StartSetting::of(&root, text).unwrap();
        let inside = StartSetting::File(TreePath::new("bin/a.exe").unwrap());
        assert_eq!(of("bin/a.exe"), inside);
        assert_eq!(of(r"bin\a.exe"), inside);
        assert_eq!(of(&root.join("bin").join("a.exe").to_string_lossy()), inside);
        assert_eq!(of("../b.exe"), StartSetting::Command(vec!["../b.exe".to_owned()]));
        let outside = folder.path().join("b.exe").to_string_lossy().into_owned();
        assert_eq!(of(&outside), StartSetting::Command(vec![outside.clone()]));
        assert_eq!(program_of(&[outside]).as_deref(), Some(&*folder.path().join("b.exe")));
        assert_eq!(program_of(&["no-such-program-anywhere".to_owned()]), None);
        assert_eq!(program_of(&[]), None);
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

        #[test]
        fn words_that_are_typed_come_apart_again(all in prop::collection::vec("[^\"]{0,12}", 0..6)) {
            let text = typed(&all);
            // A text that is the path of a file is one word.
            prop_assume!(!Path::new(&text).is_file());
            prop_assert_eq!(words(&text), Ok(all));
        }
    }
}
