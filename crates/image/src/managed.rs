//! The header of the .NET runtime (ECMA-335, "CLI header").

use std::io::{Read, Seek};

use object::LittleEndian as LE;
use object::{U32, pe};

use crate::error::ImageError;
use crate::headers::Headers;
use crate::source::Source;

const WHAT: &str = "the .NET header";

/// Offset of the flags in the header: behind its length, a version, and the place of the metadata.
const FLAGS: u64 = 16;
/// It contains no machine code.
const IL_ONLY: u32 = 0x1;
/// It wants a process of 32 bits ...
const WANTS_32_BITS: u32 = 0x2;
/// ... if there is a choice.
const IF_THERE_IS_A_CHOICE: u32 = 0x2_0000;

/// Whether a process of any machine can load the image.
pub(super) fn any_machine<R: Read + Seek>(
    headers: &Headers,
    source: &mut Source<R>,
) -> Result<bool, ImageError> {
    let Some(directory) = headers.directory(pe::IMAGE_DIRECTORY_ENTRY_COM_DESCRIPTOR) else {
        return Ok(false);
    };
    let at = headers.locate(directory.address, WHAT)?;
    let flags = source.pod::<U32<LE>>(at + FLAGS, WHAT)?.get(LE);
    let wants_32_bits = flags & WANTS_32_BITS != 0 && flags & IF_THERE_IS_A_CHOICE == 0;
    Ok(flags & IL_ONLY != 0 && !wants_32_bits)
}
