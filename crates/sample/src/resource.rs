//! Writes a version resource (`VS_VERSIONINFO`) and the resource directory around it.
//!
//! Layout after the Windows SDK's "Version Information" and the PE format's ".rsrc Section":
//! everything little-endian, every block aligned to 32 bits, lengths in bytes but for string
//! values, which count UTF-16 units with their terminator.

/// The content of a version resource: the fixed block and one string table.
#[derive(Debug, Clone)]
pub struct VersionInfo {
    /// `FileVersion` of the fixed block.
    pub file_version: [u16; 4],
    /// `ProductVersion` of the fixed block.
    pub product_version: [u16; 4],
    /// `FileFlags` of the fixed block (1 debug, 2 pre-release, 4 patched, 8 private).
    pub flags: u32,
    /// The string tables, in file order.
    pub tables: Vec<StringTable>,
}

/// One `StringTable`: a language, a code page and the strings in file order.
#[derive(Debug, Clone)]
pub struct StringTable {
    /// Windows language identifier, such as `0x0409`.
    pub language: u16,
    /// Code page identifier; 1200 is UTF-16.
    pub code_page: u16,
    /// Key and value of each string.
    pub strings: Vec<(String, String)>,
}

impl VersionInfo {
    /// A resource with equal file and product version and no strings yet.
    pub fn new(version: [u16; 4]) -> Self {
        let table = StringTable { language: 0x0409, code_page: 1200, strings: Vec::new() };
        Self { file_version: version, product_version: version, flags: 0, tables: vec![table] }
    }

    /// Adds a string to the first table.
    #[must_use]
    pub fn with(mut self, key: &str, value: &str) -> Self {
        self.tables[0].strings.push((key.to_owned(), value.to_owned()));
        self
    }

    /// Adds another table in another language.
    #[must_use]
    pub fn with_table(mut self, language: u16, code_page: u16, strings: &[(&str, &str)]) -> Self {
        let strings = strings.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
        self.tables.push(StringTable { language, code_page, strings });
        self
    }

    /// The `VS_VERSIONINFO` structure.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut fixed = Vec::new();
        let pair = |high: u16, low: u16| (u32::from(high) << 16) | u32::from(low);
        let [f, p] = [self.file_version, self.product_version];

        for word in [
            0xFEEF_04BD,
            0x0001_0000,
            pair(f[0], f[1]),
            pair(f[2], f[3]),
            pair(p[0], p[1]),
            pair(p[2], p[3]),
            0x3F,
            self.flags,
            0x0004_0004,
            2,
            0,
            0,
            0,
        ] {
            fixed.extend_from_slice(&u32::to_le_bytes(word));
        }

        let tables = self.tables.iter().map(|table| {
            let strings = table.strings.iter().map(|(key, value)| {
                let text = utf16z(value);
                block(key, 1, (text.len() / 2) as u16, &text, &[])
            });
            let key = format!("{:04X}{:04X}", table.language, table.code_page);
            block(&key, 1, 0, &[], &strings.collect::<Vec<_>>())
        });
        let string_info = block("StringFileInfo", 1, 0, &[], &tables.collect::<Vec<_>>());

        let mut pairs = Vec::new();
        for table in &self.tables {
            pairs.extend_from_slice(&table.language.to_le_bytes());
            pairs.extend_from_slice(&table.code_page.to_le_bytes());
        }

        let translation = block("Translation", 0, pairs.len() as u16, &pairs, &[]);
        let var_info = block("VarFileInfo", 1, 0, &[], &[translation]);
        block("VS_VERSION_INFO", 0, fixed.len() as u16, &fixed, &[string_info, var_info])
    }
}

/// One block: length, value length, type, key, padding, value, then the children.
fn block(key: &str, kind: u16, value_length: u16, value: &[u8], children: &[Vec<u8>]) -> Vec<u8> {
    let mut out = vec![0, 0];
    out.extend_from_slice(&value_length.to_le_bytes());
    out.extend_from_slice(&kind.to_le_bytes());
    out.extend_from_slice(&utf16z(key));
    align4(&mut out);
    out.extend_from_slice(value);
    for child in children {
        align4(&mut out);
        out.extend_from_slice(child);
    }

    let length = out.len() as u16;
    out[..2].copy_from_slice(&length.to_le_bytes());
    out
}

fn utf16z(text: &str) -> Vec<u8> {
    text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect()
}

fn align4(out: &mut Vec<u8>) {
    out.resize(out.len().next_multiple_of(4), 0);
}

/// A resource: type, name and content.
pub(crate) type Resource = (u32, u32, Vec<u8>);

/// The types that are written here.
pub(crate) const ICON: u32 = 3;
pub(crate) const ICON_GROUP: u32 = 14;
pub(crate) const VERSION: u32 = 16;
pub(crate) const MANIFEST: u32 = 24;

/// A resource section, each resource in language 0x0409; they are sorted by type and name.
pub(crate) fn section(resources: &[Resource], address: u32) -> Vec<u8> {
    const HEAD: u32 = 16;
    const ENTRY: u32 = 8;
    const DATA_ENTRY: u32 = 16;
    const SUBDIRECTORY: u32 = 0x8000_0000;
    let mut types: Vec<(u32, Vec<&Resource>)> = Vec::new();
    for resource in resources {
        match types.last_mut().filter(|(number, _)| *number == resource.0) {
            Some((_, named)) => named.push(resource),
            None => types.push((resource.0, vec![resource])),
        }
    }

    // First the directory of types, then one of names for each, then one of languages for each resource,
    // then what leads to the data, then these.
    let count = resources.len() as u32;
    let of_names = HEAD + ENTRY * types.len() as u32;
    let of_languages =
        of_names + types.iter().map(|(_, named)| HEAD + ENTRY * named.len() as u32).sum::<u32>();
    let of_data = of_languages + (HEAD + ENTRY) * count;
    let data = of_data + DATA_ENTRY * count;
    let mut out = Vec::new();
    let directory = |out: &mut Vec<u8>, entries: Vec<(u32, u32)>| {
        out.extend_from_slice(&[0; 12]);
        out.extend_from_slice(&[0, 0]);
        out.extend_from_slice(&(entries.len() as u16).to_le_bytes());
        for (id, to) in entries {
            out.extend_from_slice(&id.to_le_bytes());
            out.extend_from_slice(&to.to_le_bytes());
        }
    };

    let mut at = of_names;
    let numbers = types.iter().map(|(number, named)| {
        let here = at;
        at += HEAD + ENTRY * named.len() as u32;
        (*number, here | SUBDIRECTORY)
    });
    let numbers = numbers.collect();
    directory(&mut out, numbers);
    let mut at = of_languages;
    for (_, named) in &types {
        let names = named.iter().map(|(_, name, _)| {
            let here = at;
            at += HEAD + ENTRY;
            (*name, here | SUBDIRECTORY)
        });
        let names = names.collect();
        directory(&mut out, names);
    }
    for index in 0..count {
        directory(&mut out, vec![(0x0409, of_data + DATA_ENTRY * index)]);
    }
    let mut place = data;
    for (_, _, bytes) in resources {
        for word in [address + place, bytes.len() as u32, 0, 0] {
            out.extend_from_slice(&word.to_le_bytes());
        }
        place = (place + bytes.len() as u32).next_multiple_of(4);
    }
    for (_, _, bytes) in resources {
        out.extend_from_slice(bytes);
        align4(&mut out);
    }
    out
}

/// A group of one icon that is a square picture in its own format, such as PNG.
pub(crate) fn icon_group(edge: u8, len: usize) -> Vec<u8> {
    let mut out = vec![0, 0, 1, 0, 1, 0, edge, edge, 0, 0, 1, 0, 32, 0];
    out.extend_from_slice(&(len as u32).to_le_bytes());
    out.extend_from_slice(&1u16.to_le_bytes());
    out
}
