//! Sizes as file managers show them.

use humansize::{FormatSizeOptions, WINDOWS, format_size};

/// A number of bytes in words, as in `40.2 MB`: 1 MB is 1,048,576 bytes, as on Windows.
pub fn humane(bytes: u64) -> String {
    if bytes < 1024 {
        return format!("{bytes} B");
    }
    let options = FormatSizeOptions::from(WINDOWS).decimal_places(1).decimal_zeroes(1);
    // The library writes `kB` there.
    format_size(bytes, options).replace("kB", "KB")
}
