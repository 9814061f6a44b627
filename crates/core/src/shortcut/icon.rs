//! A program's icon as a picture.

use std::io::Cursor;
use std::path::Path;

use image::{ImageFormat, ImageReader, Limits};

use crate::guard::contained;

/// Icons have at most 256 points a side.
const LARGEST: u32 = 1024;

/// The largest picture of a program's icon, as PNG; nothing if it has none that can be read.
pub(crate) fn picture_of(program: &Path) -> Option<Vec<u8>> {
    let icon = upright_spanner_image::icon_of(program).ok()??;
    contained(|| {
        let mut reader = ImageReader::with_format(Cursor::new(icon), ImageFormat::Ico);
        let mut limits = Limits::default();
        limits.max_image_width = Some(LARGEST);
        limits.max_image_height = Some(LARGEST);
        reader.limits(limits);
        let picture = reader.decode().ok()?;
        let mut png = Vec::new();
        picture.write_to(&mut Cursor::new(&mut png), ImageFormat::Png).ok()?;
        Some(png)
    })?
}

#[cfg(test)]
mod tests {
    use super::*;
    use upright_spanner_sample::{Bits, Pe};

    /// A picture as icons had them before PNG: a bitmap of 32 bits from the last line to the first, and a mask.
    fn bitmap(edge: u32) -> Vec<u8> {
        let mut bytes = Vec::new();
        for word in [40, edge, 2 * edge, 1 | 32 << 16, 0, 0, 0, 0, 0, 0] {
            bytes.extend_from_slice(&u32::to_le_bytes(word));
        }
        for _ in 0..edge * edge {
            bytes.extend_from_slice(&[140, 130, 12, 255]);
        }
        let mask_line = edge.div_ceil(32) * 4;
        bytes.resize(bytes.len() + (mask_line * edge) as usize, 0);
        bytes
    }

    fn picture(program: &Pe) -> Option<Vec<u8>> {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.exe");
        std::fs::write(&path, program.to_bytes()).unwrap();
        picture_of(&path)
    }

    #[test]
    fn icons_of_both_kinds_become_pictures() {
        let exe = || Pe::exe(Bits::Bits64);
        let png = picture(&exe().icon(16, &bitmap(16))).unwrap();
        let drawn = image::load_from_memory(&png).unwrap().to_rgba8();
        assert_eq!(drawn.dimensions(), (16, 16));
        assert_eq!(drawn.get_pixel(3, 3).0, [12, 130, 140, 255]);
        // A picture is drawn again from a picture.
        let again = image::load_from_memory(&picture(&exe().icon(16, &png)).unwrap()).unwrap();
        assert_eq!(again.to_rgba8(), drawn);
    }

    #[test]
    fn what_is_no_picture_is_none() {
        let exe = || Pe::exe(Bits::Bits64);
        assert_eq!(picture(&exe()), None);
        assert_eq!(picture(&exe().icon(16, &[7; 500])), None);
        assert_eq!(picture(&exe().icon(16, &bitmap(16)[..60])), None);
        // A bitmap that states to be a million points wide.
        let mut huge = bitmap(16);
        huge[4..8].copy_from_slice(&1_000_000_u32.to_le_bytes());
        assert_eq!(picture(&exe().icon(16, &huge)), None);
    }
}
