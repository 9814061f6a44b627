//! Writes executable images, PE32 and PE32+, that Windows loads and runs.
//!
//! A library returns 1 from its entry point, and each export returns a number; an executable calls one imported
//! function if requested, and exits with its result. Before that both carry out their actions ([`Deed`]). Structures
//! after the "PE Format" specification.

use object::endian::LittleEndian as LE;
use object::pe;
use object::write::pe::{NtHeaders, SectionRange, Writer};

use crate::code::{Addresses, Code, KERNEL, Value};
use crate::deed::{Deed, Deeds};
use crate::resource::{self, ICON, ICON_GROUP, MANIFEST, Resource, VERSION, VersionInfo};

/// The machine that an image is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Bits {
    /// PE32 for x86.
    Bits32,
    /// PE32+ for x86-64.
    Bits64,
}

/// Length of the header of the .NET runtime.
const MANAGED_HEADER: usize = 72;

/// A recipe for one image.
#[derive(Debug, Clone)]
pub struct Pe {
    bits: Bits,
    dll: bool,
    built: u32,
    resources: Vec<Resource>,
    imports: Vec<(String, Vec<String>)>,
    delayed: Vec<(String, Vec<String>)>,
    exports: Vec<(String, Export)>,
    export_name: String,
    texts: Vec<String>,
    padding: usize,
    /// Whether it is made for the .NET runtime, and whether it wants 32 bits then.
    managed: Option<bool>,
    exit: Exit,
    deeds: Vec<Deed>,
}

#[derive(Debug, Clone)]
enum Export {
    Returns(u32),
    ForwardedTo(String),
}

/// How libraries are imported: at the start, or when first called.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum When {
    AtStart,
    Delayed,
}

#[derive(Debug, Clone)]
enum Exit {
    Code(u32),
    CallOf { dll: String, symbol: String },
}

impl Pe {
    /// A library named `name` in its own export directory.
    pub fn dll(bits: Bits, name: &str) -> Self {
        Self::new(bits, true, name)
    }

    /// An executable that exits with 0.
    pub fn exe(bits: Bits) -> Self {
        Self::new(bits, false, "")
    }

    fn new(bits: Bits, dll: bool, name: &str) -> Self {
        Self {
            bits,
            dll,
            built: 1_700_000_000,
            resources: Vec::new(),
            imports: Vec::new(),
            delayed: Vec::new(),
            exports: Vec::new(),
            export_name: name.to_owned(),
            texts: Vec::new(),
            padding: 0,
            managed: None,
            exit: Exit::Code(0),
            deeds: Vec::new(),
        }
    }

    /// Sets the version resource.
    #[must_use]
    pub fn version(self, version: &VersionInfo) -> Self {
        self.version_bytes(version.to_bytes())
    }

    /// Sets the version resource to these bytes, whatever they are.
    #[must_use]
    pub fn version_bytes(self, bytes: Vec<u8>) -> Self {
        self.resource(VERSION, bytes)
    }

    fn resource(mut self, kind: u32, bytes: Vec<u8>) -> Self {
        self.resources.retain(|(other, _, _)| *other != kind);
        self.resources.push((kind, 1, bytes));
        self.resources.sort_by_key(|(kind, name, _)| (*kind, *name));
        self
    }

    /// Sets the manifest.
    #[must_use]
    pub fn manifest(self, text: &str) -> Self {
        self.resource(MANIFEST, text.as_bytes().to_vec())
    }

    /// Sets the icon: a square picture, as in an icon file.
    #[must_use]
    pub fn icon(self, edge: u8, picture: &[u8]) -> Self {
        let group = resource::icon_group(edge, picture.len());
        self.resource(ICON, picture.to_vec()).resource(ICON_GROUP, group)
    }

    /// Sets the link time, in seconds since 1970.
    #[must_use]
    pub fn built(mut self, seconds: u32) -> Self {
        self.built = seconds;
        self
    }

    /// Imports functions from a library; a name such as `#12` imports by ordinal.
    #[must_use]
    pub fn imports(mut self, dll: &str, symbols: &[&str]) -> Self {
        self.imports.push((dll.to_owned(), symbols.iter().map(|&s| s.to_owned()).collect()));
        self
    }

    /// Imports functions from a library that is loaded when one of them is first called.
    #[must_use]
    pub fn delay_imports(mut self, dll: &str, symbols: &[&str]) -> Self {
        self.delayed.push((dll.to_owned(), symbols.iter().map(|&s| s.to_owned()).collect()));
        self
    }

    /// Exports a name that leads to another library's export, as in `other.go`.
    #[must_use]
    pub fn forward(mut self, name: &str, target: &str) -> Self {
        self.exports.push((name.to_owned(), Export::ForwardedTo(target.to_owned())));
        self
    }

    /// Exports a function that returns `value`.
    #[must_use]
    pub fn export(mut self, name: &str, value: u32) -> Self {
        self.exports.push((name.to_owned(), Export::Returns(value)));
        self
    }

    /// Puts a text among the image's data.
    #[must_use]
    pub fn text(mut self, text: &str) -> Self {
        self.texts.push(text.to_owned());
        self
    }

    /// Makes the image's data section at least `bytes` long.
    #[must_use]
    pub fn padding(mut self, bytes: usize) -> Self {
        self.padding = bytes;
        self
    }

    /// Gives the image the header of the .NET runtime, as one that holds no machine code; it may want 32
    /// bits all the same.
    #[must_use]
    pub fn managed(mut self, wants_32_bits: bool) -> Self {
        self.managed = Some(wants_32_bits);
        self
    }

    /// Makes the executable exit with what an imported function returns.
    #[must_use]
    pub fn exit_with_call(mut self, dll: &str, symbol: &str) -> Self {
        self.exit = Exit::CallOf { dll: dll.to_owned(), symbol: symbol.to_owned() };
        self.imports(dll, &[symbol])
    }

    /// Adds an action when the image is run or loaded.
    #[must_use]
    pub fn does(mut self, deed: Deed) -> Self {
        self.deeds.push(deed);
        self
    }

    /// The image as it is in a file.
    ///
    /// # Panics
    /// When the recipe does not fit into an image of 4 GiB.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut this = self.clone();
        let mut calls: Vec<&str> = this.deeds.iter().flat_map(Deed::calls).collect();
        if !this.dll {
            calls.push("ExitProcess");
        }
        calls.sort_unstable();
        calls.dedup();
        if !calls.is_empty() {
            this = this.imports(KERNEL, &calls);
        }
        this.write().expect("a recipe that fits into an image")
    }

    fn write(&self) -> object::write::Result<Vec<u8>> {
        let wide = self.bits == Bits::Bits64;
        let mut bytes = Vec::new();
        let mut writer = Writer::new(wide, 0x1000, 0x200, &mut bytes);

        writer.reserve_dos_header_and_stub();
        writer.reserve_nt_headers(16);
        let has_resources = !self.resources.is_empty();
        let has_delayed = !self.delayed.is_empty();
        let sections = [!self.exports.is_empty(), has_resources, has_delayed];
        let sections = 3 + sections.into_iter().filter(|&there| there).count();
        writer.reserve_section_headers(sections as u16);

        // Sizes do not depend on addresses, so each part is laid out at address 0 to measure it and again with its
        // final address.
        let data = self.data();
        let stubs_start = self.entry(0, &Unknown).len().next_multiple_of(16);
        let code_len = stubs_start + 16 * self.exports.len();
        let text = writer.reserve_text_section(code_len as u32);
        let rdata = writer.reserve_rdata_section(data.len() as u32);
        if self.managed.is_some() {
            let directory = pe::IMAGE_DIRECTORY_ENTRY_COM_DESCRIPTOR;
            writer.set_data_directory(directory, rdata.virtual_address, MANAGED_HEADER as u32);
        }
        let idata_len = self.import_section(When::AtStart, 0).bytes.len();
        let idata = writer.reserve_idata_section(idata_len as u32);
        let import = self.import_section(When::AtStart, idata.virtual_address);

        writer.set_data_directory(
            pe::IMAGE_DIRECTORY_ENTRY_IMPORT,
            idata.virtual_address,
            import.descriptors_len,
        );

        let delayed = has_delayed.then(|| {
            let len = self.import_section(When::Delayed, 0).bytes.len() as u32;
            let flags = pe::IMAGE_SCN_CNT_INITIALIZED_DATA
                | pe::IMAGE_SCN_MEM_READ
                | pe::IMAGE_SCN_MEM_WRITE;
            let range = writer.reserve_section(*b".didat\0\0", flags, len, len);
            let table = self.import_section(When::Delayed, range.virtual_address);
            let directory = pe::IMAGE_DIRECTORY_ENTRY_DELAY_IMPORT;
            writer.set_data_directory(directory, range.virtual_address, table.descriptors_len);
            (table, range)
        });

        let edata = (!self.exports.is_empty()).then(|| {
            let len = self.export_section(0, 0).len() as u32;
            let range = writer.reserve_edata_section(len);
            let directory = pe::IMAGE_DIRECTORY_ENTRY_EXPORT;
            writer.set_data_directory(directory, range.virtual_address, len);
            range
        });

        let rsrc = has_resources.then(|| {
            let len = resource::section(&self.resources, 0).len() as u32;
            let range = writer.reserve_rsrc_section(len);
            let directory = pe::IMAGE_DIRECTORY_ENTRY_RESOURCE;
            writer.set_data_directory(directory, range.virtual_address, len);
            range
        });

        writer.write_dos_header_and_stub()?;
        writer.write_nt_headers(self.headers(&text));
        writer.write_section_headers();
        let placed = Placed { texts: self.deed_texts(rdata.virtual_address), import: &import };
        let code = self.code(&text, &placed, code_len);
        writer.write_section(text.file_offset, &code);
        writer.write_section(rdata.file_offset, &data);
        writer.write_section(idata.file_offset, &import.bytes);
        if let Some((table, range)) = delayed {
            writer.write_section(range.file_offset, &table.bytes);
        }
        if let Some(range) = edata {
            let stubs = text.virtual_address + stubs_start as u32;
            let bytes = self.export_section(range.virtual_address, stubs);
            writer.write_section(range.file_offset, &bytes);
        }

        if let Some(range) = rsrc {
            let bytes = resource::section(&self.resources, range.virtual_address);
            writer.write_section(range.file_offset, &bytes);
        }
        write_checksum(&mut bytes);
        Ok(bytes)
    }

    fn image_base(&self) -> u64 {
        match (self.bits, self.dll) {
            (Bits::Bits32, false) => 0x0040_0000,
            (Bits::Bits32, true) => 0x1000_0000,
            (Bits::Bits64, false) => 0x1_4000_0000,
            (Bits::Bits64, true) => 0x1_8000_0000,
        }
    }

    fn headers(&self, text: &SectionRange) -> NtHeaders {
        let (machine, bits) = match self.bits {
            Bits::Bits32 => (pe::IMAGE_FILE_MACHINE_I386, pe::IMAGE_FILE_32BIT_MACHINE),
            Bits::Bits64 => (pe::IMAGE_FILE_MACHINE_AMD64, pe::IMAGE_FILE_LARGE_ADDRESS_AWARE),
        };
        // A library may be moved by the loader (it holds no absolute address); an executable with
        // absolute addresses in its code may not.
        let kind = if self.dll { pe::IMAGE_FILE_DLL } else { pe::IMAGE_FILE_RELOCS_STRIPPED };
        let stack = 0x10_0000;

        NtHeaders {
            machine,
            time_date_stamp: self.built,
            characteristics: pe::IMAGE_FILE_EXECUTABLE_IMAGE | bits | kind,
            major_linker_version: 14,
            minor_linker_version: 0,
            address_of_entry_point: text.virtual_address,
            image_base: self.image_base(),
            major_operating_system_version: 6,
            minor_operating_system_version: 0,
            major_image_version: 0,
            minor_image_version: 0,
            major_subsystem_version: 6,
            minor_subsystem_version: 0,
            subsystem: pe::IMAGE_SUBSYSTEM_WINDOWS_GUI,
            dll_characteristics: pe::IMAGE_DLLCHARACTERISTICS_NX_COMPAT,
            size_of_stack_reserve: stack,
            size_of_stack_commit: 0x1000,
            size_of_heap_reserve: stack,
            size_of_heap_commit: 0x1000,
        }
    }

    /// The header of the .NET runtime, if there is one, and texts.
    fn data_head(&self) -> Vec<u8> {
        let mut out = match self.managed {
            None => vec![0; 16],
            Some(wants_32_bits) => {
                // Its length, and behind a version and the place of the metadata the flags: no machine code,
                // and perhaps 32 bits.
                let mut header = vec![0; MANAGED_HEADER];
                header[0] = MANAGED_HEADER as u8;
                header[16] = 1 | if wants_32_bits { 2 } else { 0 };
                header
            }
        };
        for text in &self.texts {
            out.extend_from_slice(text.as_bytes());
            out.push(0);
        }
        out
    }

    /// The header data, the texts of its actions, the actions, then filler that resembles neither text nor zeros,
    /// repeated every 64 KiB.
    fn data(&self) -> Vec<u8> {
        let mut out = self.data_head();
        for text in self.deeds.iter().flat_map(Deed::texts) {
            out.extend_from_slice(text.as_bytes());
            out.push(0);
        }
        if !self.deeds.is_empty() {
            let imports = self.imports.iter().map(|(dll, _)| dll.clone()).collect();
            let deeds = Deeds { imports, deeds: self.deeds.clone() };
            out.extend_from_slice(deeds.to_text().as_bytes());
            out.push(0);
        }

        let versions = self.resources.iter().filter(|(kind, _, _)| *kind == VERSION);
        let stated = versions.flat_map(|(_, _, bytes)| bytes).map(|&byte| u32::from(byte));
        let seed = stated.fold(self.built, |seed, byte| seed.rotate_left(5) ^ byte);
        let mut state = seed | 1;
        let block: Vec<u8> = std::iter::repeat_with(|| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 24) as u8
        })
        .take(self.padding.min(0x1_0000))
        .collect();

        while out.len() < self.padding {
            out.extend_from_slice(&block[..block.len().min(self.padding - out.len())]);
        }
        out
    }

    fn code(&self, text: &SectionRange, placed: &Placed<'_>, len: usize) -> Vec<u8> {
        let mut code = self.entry(text.virtual_address, placed);
        code.resize(code.len().next_multiple_of(16), 0xCC);
        for (_, export) in &self.exports {
            let value = if let Export::Returns(value) = export { *value } else { 0 };
            code.push(0xB8);
            code.extend_from_slice(&value.to_le_bytes());
            code.push(0xC3);
            code.resize(code.len().next_multiple_of(16), 0xCC);
        }

        code.resize(len, 0xCC);
        code
    }

    /// The entry code: for a library its actions when a process loads it, for an executable everything.
    fn entry(&self, address: u32, addresses: &dyn Addresses) -> Vec<u8> {
        let wide = self.bits == Bits::Bits64;
        if self.dll && self.deeds.is_empty() {
            let returns = if wide { &[0xC3][..] } else { &[0xC2, 12, 0] };
            return [&[0xB8, 1, 0, 0, 0], returns].concat();
        }

        let mut code = Code::begin(wide, address, addresses);
        if self.dll {
            let skipped = code.jump_unless_attached();
            self.deeds.iter().for_each(|deed| deed.assemble(&mut code));
            code.land(skipped);
            // The module, the reason, and a reserved argument.
            code.end(12);
            return code.bytes;
        }
        self.deeds.iter().for_each(|deed| deed.assemble(&mut code));
        match &self.exit {
            Exit::Code(value) => code.call("ExitProcess", &[Value::Number(*value)]),
            Exit::CallOf { dll, symbol } => {
                code.call_slot(addresses.slot(dll, symbol));
                code.exit_with_result(addresses.slot(KERNEL, "ExitProcess"));
            }
        }
        code.bytes
    }

    /// The texts that deeds name, each with its place in the image.
    fn deed_texts(&self, rdata: u32) -> Vec<(String, u32)> {
        let mut at = rdata + self.data_head().len() as u32;
        let texts = self.deeds.iter().flat_map(Deed::texts).map(|text| {
            let here = at;
            at += text.len() as u32 + 1;
            (text.to_owned(), here)
        });
        texts.collect()
    }

    /// Descriptors, then for each library its lookup table, address table, names and own name.
    fn import_section(&self, when: When, base: u32) -> Imports {
        let word = if self.bits == Bits::Bits64 { 8 } else { 4 };
        let (imports, descriptor_len) = match when {
            When::AtStart => (&self.imports, 20),
            When::Delayed => (&self.delayed, 32),
        };
        let descriptors_len = (imports.len() + 1) * descriptor_len;
        let mut out = Imports { bytes: vec![0; descriptors_len], ..Imports::default() };
        out.descriptors_len = descriptors_len as u32;
        for (index, (dll, symbols)) in imports.iter().enumerate() {
            let bytes = &mut out.bytes;
            let table_len = (symbols.len() + 1) * word;
            bytes.resize(bytes.len().next_multiple_of(8), 0);
            let lookup = bytes.len();
            let addresses = lookup + table_len;
            bytes.resize(addresses + table_len, 0);
            for (n, symbol) in symbols.iter().enumerate() {
                let entry = if let Some(ordinal) = symbol.strip_prefix('#') {
                    let ordinal: u64 = ordinal.parse().unwrap_or(0);
                    ordinal | if word == 8 { 1 << 63 } else { 1 << 31 }
                } else {
                    bytes.resize(bytes.len().next_multiple_of(2), 0);
                    let hint = bytes.len();
                    bytes.extend_from_slice(&[0, 0]);
                    bytes.extend_from_slice(symbol.as_bytes());
                    bytes.push(0);
                    u64::from(base) + hint as u64
                };
                for table in [lookup, addresses] {
                    let at = table + n * word;
                    bytes[at..at + word].copy_from_slice(&entry.to_le_bytes()[..word]);
                }
                let slot = base + (addresses + n * word) as u32;
                out.slots.push((dll.clone(), symbol.clone(), slot));
            }
            let name = bytes.len();
            bytes.extend_from_slice(dll.as_bytes());
            bytes.push(0);
            let [lookup, name, addresses] = [lookup, name, addresses].map(|at| base + at as u32);
            // The delayed kind has a word of flags first (1: addresses are relative), and a place
            // for the library's handle: here the last word of the address table, which is zero.
            let handle = addresses + (symbols.len() * word) as u32;
            let descriptor = match when {
                When::AtStart => vec![lookup, 0, 0, name, addresses],
                When::Delayed => vec![1, name, handle, addresses, lookup, 0, 0, 0],
            };
            for (n, value) in descriptor.iter().enumerate() {
                let at = index * descriptor_len + n * 4;
                bytes[at..at + 4].copy_from_slice(&value.to_le_bytes());
            }
        }

        out
    }

    /// Export directory, then addresses, names, ordinals and the texts; names sorted, as required.
    fn export_section(&self, base: u32, stubs: u32) -> Vec<u8> {
        let count = self.exports.len() as u32;
        let mut order: Vec<usize> = (0..self.exports.len()).collect();
        order.sort_by_key(|&i| &self.exports[i].0);
        let addresses = 40;
        let names = addresses + 4 * count;
        let ordinals = names + 4 * count;
        let mut texts = ordinals + 2 * count;

        let mut tail = Vec::new();
        let mut place = |text: &str| {
            let at = base + texts;
            tail.extend_from_slice(text.as_bytes());
            tail.push(0);
            texts += text.len() as u32 + 1;
            at
        };
        let own_name = place(&self.export_name);
        let forwarded: Vec<Option<u32>> = self
            .exports
            .iter()
            .map(|(_, export)| match export {
                Export::Returns(_) => None,
                Export::ForwardedTo(target) => Some(place(target)),
            })
            .collect();

        let name_addresses: Vec<u32> = order.iter().map(|&i| place(&self.exports[i].0)).collect();

        let mut out = Vec::new();
        let directory = pe::ImageExportDirectory {
            characteristics: 0.into(),
            time_date_stamp: object::U32::new(LE, self.built),
            major_version: 0.into(),
            minor_version: 0.into(),
            name: object::U32::new(LE, own_name),
            base: 1.into(),
            number_of_functions: object::U32::new(LE, count),
            number_of_names: object::U32::new(LE, count),
            address_of_functions: object::U32::new(LE, base + addresses),
            address_of_names: object::U32::new(LE, base + names),
            address_of_name_ordinals: object::U32::new(LE, base + ordinals),
        };
        out.extend_from_slice(object::pod::bytes_of(&directory));
        out.extend(
            (0..count).zip(forwarded).flat_map(|(index, forwarded)| {
                forwarded.unwrap_or(stubs + 16 * index).to_le_bytes()
            }),
        );

        out.extend(name_addresses.iter().flat_map(|address| address.to_le_bytes()));
        out.extend(order.iter().flat_map(|&i| (i as u16).to_le_bytes()));
        out.extend_from_slice(&tail);
        out
    }
}

#[derive(Default)]
struct Imports {
    bytes: Vec<u8>,
    descriptors_len: u32,
    /// Library, symbol, relative address of the slot that the loader fills in.
    slots: Vec<(String, String, u32)>,
}

/// Where things are in an image whose parts have their places.
struct Placed<'a> {
    texts: Vec<(String, u32)>,
    import: &'a Imports,
}

impl Addresses for Placed<'_> {
    fn text(&self, text: &str) -> u32 {
        let found = self.texts.iter().find(|(other, _)| other == text);
        found.map_or(0, |(_, address)| *address)
    }

    fn slot(&self, dll: &str, symbol: &str) -> u32 {
        self.import.slot(dll, symbol)
    }
}

/// The same before addresses are known: only sizes are needed.
struct Unknown;

impl Addresses for Unknown {
    fn text(&self, _: &str) -> u32 {
        0
    }

    fn slot(&self, _: &str, _: &str) -> u32 {
        0
    }
}

impl Imports {
    fn slot(&self, dll: &str, symbol: &str) -> u32 {
        let slot = self.slots.iter().find(|(d, s, _)| d == dll && s == symbol);
        slot.map_or(0, |(_, _, address)| *address)
    }
}

/// The image checksum: 16-bit one's-complement sum of the file, the field itself left out, plus
/// the file's length.
fn write_checksum(bytes: &mut [u8]) {
    let nt = u32::from_le_bytes([bytes[0x3C], bytes[0x3D], bytes[0x3E], bytes[0x3F]]) as usize;
    let field = nt + 4 + 20 + 64;
    let mut sum = 0u32;

    for (index, pair) in bytes.chunks(2).enumerate() {
        if (field..field + 4).contains(&(index * 2)) {
            continue;
        }
        sum += u32::from(pair[0]) | u32::from(*pair.get(1).unwrap_or(&0)) << 8;
        sum = (sum & 0xFFFF) + (sum >> 16);
    }

    let total = sum + bytes.len() as u32;
    bytes[field..field + 4].copy_from_slice(&total.to_le_bytes());
}
