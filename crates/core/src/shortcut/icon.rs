//! A program's icon as a picture.

use std::io::Cursor;
use std::path::Path;

use image::{ImageFormat, ImageReader, Limits};

use crate::guard::contained;

/// Icons have at most 256 points a side.
const LARGEST: u32 = 1024;

/// The largest picture of a program's icon, as PNG; nothing where it has none that can be read.
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
