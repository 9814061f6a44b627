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
