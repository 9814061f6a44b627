//! Sizes are written as people know them.

use proptest::prelude::*;
use upright_spanner_core::size::humane;

#[test]
fn sizes_are_written_as_file_managers_do() {
    for (bytes, wanted) in [
        (0, "0 B"),
        (1, "1 B"),
        (1023, "1023 B"),
        (1024, "1.0 KB"),
        (1536, "1.5 KB"),
        (1 << 20, "1.0 MB"),
        (42_152_755, "40.2 MB"),
        (1 << 30, "1.0 GB"),
        (5 << 40, "5.0 TB"),
    ] {
        assert_eq!(humane(bytes), wanted);
    }
}

proptest! {
    /// The number is short, and read back it has the same size up to rounding.
    #[test]
    fn a_size_can_be_read_back(bytes in 1024u64..1 << 50) {
        let text = humane(bytes);
        let (number, unit) = text.split_once(' ').unwrap();
        let power = ["B", "KB", "MB", "GB", "TB"].iter().position(|u| *u == unit).unwrap();
        let number: f64 = number.parse().unwrap();
        prop_assert!((1.0..1024.05).contains(&number), "{text}");
        let back = number * 1024_f64.powi(i32::try_from(power).unwrap());
        #[expect(clippy::cast_precision_loss, reason = "what is lost is far below a tenth")]
        let off = (back - bytes as f64).abs() / bytes as f64;
        prop_assert!(off <= 0.05, "{text} for {bytes}");
    }
}
