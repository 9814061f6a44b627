//! Shortcuts of Windows ("Shell Link (.LNK) Binary File Format", MS-SHLLINK). No library writes everything that
//! Windows looks for, and little is needed.
//!
//! The target is named three times: as the list of items by which the shell goes there, as a path with its
//! volume, and as a text. Which of them counts differs from one version of Windows to the next.

use std::path::{Path, PathBuf};

use super::target::ShortcutTarget;
use crate::game::command_line::typed;

/// `LinkFlags`: the parts that follow.
const HAS_ITEMS: u32 = 1;
const HAS_LINK_INFO: u32 = 1 << 1;
const HAS_NAME: u32 = 1 << 2;
const HAS_WORKING_FOLDER: u32 = 1 << 4;
const HAS_ARGUMENTS: u32 = 1 << 5;
const HAS_ICON: u32 = 1 << 6;
const IS_UNICODE: u32 = 1 << 7;
const HAS_TARGET_TEXT: u32 = 1 << 9;

/// `LinkCLSID`.
const LINK_CLASS: [u8; 16] = [1, 0x14, 2, 0, 0, 0, 0, 0, 0xC0, 0, 0, 0, 0, 0, 0, 0x46];
/// The folder of all drives, as the first item.
const COMPUTER: [u8; 16] = [
    0xE0, 0x4F, 0xD0, 0x20, 0xEA, 0x3A, 0x69, 0x10, 0xA2, 0xD8, 0x08, 0x00, 0x2B, 0x30, 0x30, 0x9D,
];

const ATTRIBUTE_DIRECTORY: u16 = 0x10;
const ATTRIBUTE_ARCHIVE: u16 = 0x20;

/// Characters that the text of the target has room for, with its final zero.
const TARGET_TEXT: usize = 260;

/// A shortcut to a program.
///
/// # Errors
/// Says what cannot be written into one.
pub(super) fn link(
    title: &str,
    target: &ShortcutTarget,
    icon: Option<&PathBuf>,
) -> Result<Vec<u8>, String> {
    let (program, arguments) = target.words.split_first().ok_or("the target is empty")?;
    let program = program.replace('/', "\\");
    let folder = target.folder.to_str().ok_or("its folder has a name that is not Unicode")?;
    let on_drive = program.split_once(":\\").filter(|(drive, _)| drive.len() == 1);
    let has_text = program.encode_utf16().count() < TARGET_TEXT;
    if on_drive.is_none() && !has_text {
        return Err(format!("the path {program} is too long"));
    }

    let mut flags = HAS_NAME | HAS_WORKING_FOLDER | IS_UNICODE;
    flags |= if on_drive.is_some() { HAS_ITEMS | HAS_LINK_INFO } else { 0 };
    flags |= if arguments.is_empty() { 0 } else { HAS_ARGUMENTS };
    flags |= if icon.is_some() { HAS_ICON } else { 0 };
    flags |= if has_text { HAS_TARGET_TEXT } else { 0 };
    let mut out = head(flags);
    if let Some((drive, path)) = on_drive {
        out.extend(items(drive, path));
        out.extend(link_info(&program));
    }
    let texts = [Some(title.to_owned()), Some(folder.replace('/', "\\"))];
    let arguments = (!arguments.is_empty()).then(|| typed(arguments));
    let icon = icon.map(|icon| icon.to_string_lossy().replace('/', "\\"));
    for text in texts.into_iter().chain([arguments, icon]).flatten() {
        out.extend(counted(&text)?);
    }
    if has_text {
        out.extend(target_text(&program));
    }
    // The end of what may follow.
    out.extend([0; 4]);
    Ok(out)
}

/// `ShellLinkHeader`: the target's dates and size are looked up by Windows, the window is as usual.
fn head(flags: u32) -> Vec<u8> {
    let mut out = 0x4C_u32.to_le_bytes().to_vec();
    out.extend(LINK_CLASS);
    out.extend(flags.to_le_bytes());
    out.extend(u32::from(ATTRIBUTE_ARCHIVE).to_le_bytes());
    out.extend([0; 3 * 8 + 4 + 4]);
    out.extend(1_u32.to_le_bytes());
    out.extend([0; 12]);
    out
}

/// `LinkTargetIDList`: all drives, the drive, each folder, the file.
fn items(drive: &str, path: &str) -> Vec<u8> {
    let computer = [&[0x1F, 0x50][..], &COMPUTER].concat();
    let mut drive_item = vec![0x2F];
    drive_item.extend(format!("{drive}:\\").bytes());
    drive_item.resize(23, 0);
    let mut items = vec![computer, drive_item];
    let parts: Vec<&str> = path.split('\\').filter(|part| !part.is_empty()).collect();
    let last = parts.len().saturating_sub(1);
    items.extend(parts.iter().enumerate().map(|(at, part)| file_item(part, at == last)));

    let mut list = Vec::new();
    for item in items {
        list.extend((item.len() as u16 + 2).to_le_bytes());
        list.extend(item);
    }
    list.extend([0, 0]);
    [&(list.len() as u16).to_le_bytes()[..], &list].concat()
}

/// An item of a folder or file: its short name, and in a block behind it the long one.
fn file_item(name: &str, is_file: bool) -> Vec<u8> {
    let (kind, attributes) =
        if is_file { (0x32, ATTRIBUTE_ARCHIVE) } else { (0x31, ATTRIBUTE_DIRECTORY) };
    // Size and date are not looked at.
    let mut item = vec![kind, 0];
    item.extend([0; 8]);
    item.extend(attributes.to_le_bytes());
    item.extend(name.chars().map(|c| if c.is_ascii() { c as u8 } else { b'?' }));
    // The block behind it begins at an even place of the item, which two bytes of length precede.
    item.push(0);
    if item.len() % 2 == 1 {
        item.push(0);
    }

    let block_at = item.len() as u16 + 2;
    let mut block = 3_u16.to_le_bytes().to_vec();
    block.extend(0xBEEF_0004_u32.to_le_bytes());
    block.extend([0; 8]);
    block.extend(0x14_u16.to_le_bytes());
    block.extend([0, 0]);
    block.extend(utf16(name));
    block.extend([0, 0]);
    block.extend(block_at.to_le_bytes());
    item.extend((block.len() as u16 + 2).to_le_bytes());
    item.extend(block);
    item
}

/// `LinkInfo`: an unspecified volume, and the path in both spellings.
fn link_info(path: &str) -> Vec<u8> {
    const HEAD: u32 = 0x24;
    const VOLUME: u32 = 0x11;
    let narrow: Vec<u8> = path.chars().map(|c| if c.is_ascii() { c as u8 } else { b'?' }).collect();
    let wide = utf16(path);
    let (path_at, suffix_at) = (HEAD + VOLUME, HEAD + VOLUME + narrow.len() as u32 + 1);
    let wide_at = suffix_at + 1;
    let wide_suffix_at = wide_at + wide.len() as u32 + 2;
    let size = wide_suffix_at + 2;

    let mut out = Vec::new();
    for word in [size, HEAD, 1, HEAD, path_at, 0, suffix_at, wide_at, wide_suffix_at] {
        out.extend(word.to_le_bytes());
    }
    // `VolumeID`: its size, a fixed drive, no number, and where its label is, which is empty.
    for word in [VOLUME, 3, 0, 0x10] {
        out.extend(word.to_le_bytes());
    }
    out.push(0);
    out.extend(narrow);
    out.extend([0, 0]);
    out.extend(wide);
    out.extend([0; 4]);
    out
}

/// `EnvironmentVariableDataBlock`: the path as a text, in both spellings.
fn target_text(path: &str) -> Vec<u8> {
    let mut out = 0x314_u32.to_le_bytes().to_vec();
    out.extend(0xA000_0001_u32.to_le_bytes());
    let mut narrow: Vec<u8> =
        path.chars().map(|c| if c.is_ascii() { c as u8 } else { b'?' }).collect();
    narrow.resize(TARGET_TEXT, 0);
    let mut wide = utf16(path);
    wide.resize(TARGET_TEXT * 2, 0);
    out.extend(narrow);
    out.extend(wide);
    out
}

/// `StringData`: the number of units, then these.
fn counted(text: &str) -> Result<Vec<u8>, String> {
    let units = utf16(text);
    let count = u16::try_from(units.len() / 2).map_err(|_| format!("`{text}` is too long"))?;
    Ok([&count.to_le_bytes()[..], &units].concat())
}

fn utf16(text: &str) -> Vec<u8> {
    text.encode_utf16().flat_map(u16::to_le_bytes).collect()
}

/// A shortcut to an address, which is a text.
pub(super) fn address(address: &str, icon: Option<&PathBuf>) -> Vec<u8> {
    let mut text = format!("[InternetShortcut]\r\nURL={address}\r\n");
    if let Some(icon) = icon {
        let icon = Path::new(icon).to_string_lossy().replace('/', "\\");
        text = format!("{text}IconFile={icon}\r\nIconIndex=0\r\n");
    }
    text.into_bytes()
}

#[cfg(test)]
mod tests {
    use super::*;
    use lnk::extradata::ExtraDataBlock;

    /// What another reader finds in a shortcut.
    fn read(target: &ShortcutTarget, icon: Option<&PathBuf>) -> lnk::ShellLink {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.lnk");
        std::fs::write(&path, link("Żółw & Pier", target, icon).unwrap()).unwrap();
        lnk::ShellLink::open(path, lnk::encoding::WINDOWS_1252).unwrap()
    }

    fn target(words: &[&str], folder: &str) -> ShortcutTarget {
        let words = words.iter().map(|&word| word.to_owned()).collect();
        ShortcutTarget::through(words, folder.into())
    }

    #[test]
    fn another_reader_finds_everything_in_it() {
        let program = r"D:\Spiele\Żółw (2) & Co\bin\Pier 龜.exe";
        let icon = PathBuf::from(program);
        let target = target(&[program, "-map", "two words"], r"D:\Spiele\Żółw (2) & Co\bin");
        let found = read(&target, Some(&icon));
        assert_eq!(found.link_target().as_deref(), Some(program));
        let texts = found.string_data();
        assert_eq!(texts.name_string().as_deref(), Some("Żółw & Pier"));
        assert_eq!(texts.working_dir().as_deref(), Some(r"D:\Spiele\Żółw (2) & Co\bin"));
        assert_eq!(texts.command_line_arguments().as_deref(), Some("-map \"two words\""));
        assert_eq!(texts.icon_location().as_deref(), Some(program));

        // All drives, the drive, three folders and the file: each with its name.
        let list = found.linktarget_id_list().as_ref().unwrap();
        let names = ["", "D:\\", "Spiele", "Żółw (2) & Co", "bin", "Pier 龜.exe"];
        assert_eq!(list.id_list().len(), names.len());
        for (item, name) in list.id_list().iter().zip(names).skip(2) {
            let wide = [&utf16(name)[..], &[0, 0]].concat();
            assert!(item.data().windows(wide.len()).any(|part| part == wide), "{name}");
        }
    }

    #[test]
    fn a_path_of_a_network_is_a_text_alone_and_what_is_too_long_is_refused() {
        let found = read(&target(&[r"\\server\games\Pier.exe"], r"\\server\games"), None);
        assert_eq!(found.link_target(), None);
        let [ExtraDataBlock::EnvironmentProps(text)] = &found.extra_data().blocks()[..] else {
            panic!("the target has no text");
        };
        assert_eq!(text.target_unicode().as_deref(), Some(r"\\server\games\Pier.exe"));
        let long = format!(r"\\server\{}\Pier.exe", "x".repeat(300));
        assert!(link("Pier", &target(&[&long], "."), None).is_err());
        let long = format!(r"C:\{}\Pier.exe", "x".repeat(300));
        assert_eq!(read(&target(&[&long], "."), None).link_target(), Some(long));
        let text = "x".repeat(70_000);
        assert!(link(&text, &target(&[r"C:\a.exe"], "."), None).is_err());
    }

    #[test]
    fn an_address_is_a_text_with_an_icon() {
        let text = address("launcher://pier/1", Some(&PathBuf::from("C:/Pier.exe")));
        let wanted = "[InternetShortcut]\r\nURL=launcher://pier/1\r\nIconFile=C:\\Pier.exe\r\nIconIndex=0\r\n";
        assert_eq!(String::from_utf8(text).unwrap(), wanted);
    }
}
