//! `.reg` files, parsed as the system does: both headings, UTF-16 and the system's code page, all types, continued
//! lines, comments, and deletions of values and keys. Lines that the system ignores are ignored here too.

use encoding_rs::{UTF_16LE, WINDOWS_1252};

use super::line::{bytes, number, quoted, written};
use super::{Value, kind};

/// Longer than any file of a mod.
const LONGEST: usize = 16 << 20;

/// The heading of files in which texts among bytes are UTF-16.
const HEADING: &str = "Windows Registry Editor Version 5.00";

/// The heading of files in which they are in the system's code page.
const OLD_HEADING: &str = "REGEDIT4";

/// A `.reg` file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct RegFile {
    /// Its lines, in order.
    pub lines: Vec<RegLine>,
    /// The numbers of lines that mean nothing to the system, and that it passes over.
    pub passed_over: Vec<usize>,
}

/// One thing that a `.reg` file does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegLine {
    /// Its line number.
    pub number: usize,
    /// The key, from its root on, as in `HKEY_CURRENT_USER\Software\Maker`.
    pub key: String,
    /// The effect.
    pub item: RegItem,
}

/// The effect of a line on its key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RegItem {
    /// The key is made, if it is not there.
    MakeKey,
    /// The key goes, with all that is in it.
    DeleteKey,
    /// A value is set; the key's own has no name.
    Set(String, Value),
    /// A value goes.
    Delete(String),
}

impl RegLine {
    /// The effect in words; `None` for a key that is only created.
    pub fn in_words(&self) -> Option<String> {
        let named = |name: &str| if name.is_empty() { "(default)" } else { name }.to_owned();
        Some(match &self.item {
            RegItem::MakeKey => return None,
            RegItem::DeleteKey => format!("{} goes", self.key),
            RegItem::Delete(name) => format!(r"{}: {} goes", self.key, named(name)),
            RegItem::Set(name, value) => format!("{}: {} = {value}", self.key, named(name)),
        })
    }
}

impl RegFile {
    /// Parses a file; `None` if the system would refuse it.
    pub fn read(file: &[u8]) -> Option<Self> {
        if file.len() > LONGEST {
            return None;
        }
        let text = match file.strip_prefix(b"\xFF\xFE") {
            Some(units) => UTF_16LE.decode_without_bom_handling(units).0,
            None => match file.strip_prefix(b"\xEF\xBB\xBF") {
                Some(utf8) => String::from_utf8_lossy(utf8),
                None => WINDOWS_1252.decode_without_bom_handling(file).0,
            },
        };
        let mut lines =
            text.split('\n').map(|line| line.strip_suffix('\r').unwrap_or(line)).enumerate();
        let (_, heading) = lines.next()?;
        let wide = match heading.trim_end() {
            HEADING => true,
            OLD_HEADING => false,
            _ => return None,
        };
        let mut reader = Reader { file: Self::default(), key: None, wide };
        while let Some((at, line)) = lines.next() {
            let mut whole = line.to_owned();
            // A list of bytes continues in the next line behind its last comma and a `\`.
            while is_continued(&whole) {
                whole.truncate(whole.trim_end().len() - 1);
                let Some((_, next)) = lines.find(|(_, line)| !is_comment(line)) else { break };
                whole.push_str(next.trim_start_matches([' ', '\t']));
            }
            if reader.take(at + 1, &whole).is_none() {
                reader.file.passed_over.push(at + 1);
            }
        }
        Some(reader.file)
    }

    /// A file that does the same, as the system writes one.
    pub fn write(lines: &[RegLine]) -> Vec<u8> {
        let mut text = vec![HEADING.to_owned()];
        let mut key = None;
        for line in lines {
            if line.item == RegItem::DeleteKey {
                text.extend([String::new(), format!("[-{}]", line.key)]);
                key = None;
                continue;
            }
            if key != Some(&line.key) {
                text.extend([String::new(), format!("[{}]", line.key)]);
                key = Some(&line.key);
            }
            match &line.item {
                RegItem::Set(name, value) => {
                    text.push(format!("{}={}", named(name), value_text(value)));
                }
                RegItem::Delete(name) => text.push(format!("{}=-", named(name))),
                RegItem::MakeKey | RegItem::DeleteKey => {}
            }
        }
        let text = text.join("\r\n") + "\r\n";
        let units = text.encode_utf16().flat_map(u16::to_le_bytes);
        [0xFF, 0xFE].into_iter().chain(units).collect()
    }
}

fn named(name: &str) -> String {
    if name.is_empty() { "@".to_owned() } else { format!("\"{}\"", escaped(name)) }
}

fn value_text(value: &Value) -> String {
    let plain =
        value.as_text().filter(|text| value.kind == kind::SZ && !text.contains(['\r', '\n']));
    plain.map_or_else(|| written(value), |text| format!("\"{}\"", escaped(&text)))
}

fn escaped(text: &str) -> String {
    text.replace('\\', r"\\").replace('"', "\\\"")
}

fn unescaped(text: &str) -> String {
    let mut out = String::new();
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        match (c, c == '\\') {
            (_, false) => out.push(c),
            _ => match chars.next() {
                Some('n') => out.push('\n'),
                Some('r') => out.push('\r'),
                Some('0') => out.push('\0'),
                Some(c @ ('\\' | '"')) => out.push(c),
                Some(c) => out.extend(['\\', c]),
                None => out.push('\\'),
            },
        }
    }
    out
}

fn is_comment(line: &str) -> bool {
    let line = line.trim_start_matches([' ', '\t']);
    line.is_empty() || line.starts_with(';')
}

/// Whether a line is a list of bytes that continues.
fn is_continued(line: &str) -> bool {
    let Some(list) = line.trim_end_matches([' ', '\t']).strip_suffix('\\') else { return false };
    let behind = list.rsplit_once(':').map_or("", |(before, _)| before);
    let is_bytes = behind.rsplit_once('=').is_some_and(|(_, form)| form.trim().starts_with("hex"));
    is_bytes && (list.trim_end().ends_with([',', ':']))
}

struct Reader {
    file: RegFile,
    /// The key that the lines are about; none after one that goes, and before the first.
    key: Option<String>,
    wide: bool,
}

impl Reader {
    /// Takes a line; nothing if it means nothing.
    fn take(&mut self, number: usize, line: &str) -> Option<()> {
        let line = line.trim_start_matches([' ', '\t']);
        if is_comment(line) {
            return Some(());
        }
        let (key, item) = if let Some(inner) = line.strip_prefix('[') {
            self.key = None;
            let (key, _) = inner.rsplit_once(']')?;
            if let Some(gone) = key.strip_prefix('-') {
                (gone.to_owned(), RegItem::DeleteKey)
            } else {
                self.key = Some(key.to_owned());
                (key.to_owned(), RegItem::MakeKey)
            }
        } else {
            let item = self.value(line)?;
            (self.key.clone()?, item)
        };
        self.file.lines.push(RegLine { number, key, item });
        Some(())
    }

    fn value(&self, line: &str) -> Option<RegItem> {
        let (name, behind) = if let Some(behind) = line.strip_prefix('@') {
            (String::new(), behind)
        } else {
            let (name, behind) = quoted(line)?;
            (unescaped(name), behind)
        };
        let form = behind
            .trim_start_matches([' ', '\t'])
            .strip_prefix('=')?
            .trim_start_matches([' ', '\t']);
        let is_end = |rest: &str| is_comment(rest);
        if let Some(rest) = form.strip_prefix('-') {
            return is_end(rest).then_some(RegItem::Delete(name));
        }
        if form.starts_with('"') {
            let (text, rest) = quoted(form)?;
            return is_end(rest).then(|| RegItem::Set(name, Value::text(&unescaped(text))));
        }

        let form = form.split(';').next().unwrap_or_default().trim_end_matches([' ', '\t']);
        if let Some(digits) = form.strip_prefix("dword:") {
            return Some(RegItem::Set(
                name,
                Value::dword(number(digits.trim_start_matches([' ', '\t']))?),
            ));
        }
        let (kind, list) = if let Some(list) = form.strip_prefix("hex:") {
            (kind::BINARY, list)
        } else {
            let (kind, list) = form.strip_prefix("hex(")?.split_once("):")?;
            (number(kind)?, list)
        };
        Some(RegItem::Set(name, self.of_bytes(kind, bytes(list)?)))
    }

    /// A value in bytes: texts get the zero that they lack, and old files have them in the code page.
    fn of_bytes(&self, kind: u32, mut data: Vec<u8>) -> Value {
        let is_text = matches!(kind, kind::SZ | kind::EXPAND_SZ | kind::MULTI_SZ);
        if is_text && !data.is_empty() {
            if !self.wide {
                let text = WINDOWS_1252.decode_without_bom_handling(&data).0.into_owned();
                data = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
            }
            let whole = data.len() / 2 * 2;
            if whole < 2 || data[whole - 2..whole] != [0, 0] {
                data.extend([0, 0]);
            }
        }
        Value { kind, data }
    }
}
