//! Digests are written as 64 lower-case digits and read back as they were.

use proptest::prelude::*;
use upright_spanner_change::{Content, Digest};

#[test]
fn a_content_has_the_digest_that_other_programs_give_it() {
    // As `b3sum` prints them.
    for (bytes, wanted) in [
        (&b""[..], "af1349b9f5f9a1a6a0404dea36dcc9499bcb25c9adc112b7cc9a93cae41f3262"),
        (b"abc", "6437b3ac38465133ffb63b75273a8db548c558465d79db03fd359c6cd5bd9d85"),
    ] {
        let content = Content::of_bytes(bytes);
        assert_eq!(content.blake3.to_string(), wanted);
        assert_eq!(content.blake3.short(), wanted[..8]);
        assert_eq!(content.size, bytes.len() as u64);
    }
}

#[test]
fn what_is_not_a_digest_is_refused_with_what_it_is() {
    let digit = "0".repeat(63);
    for text in
        ["", "af13", &digit, &format!("{digit}g"), &format!("{digit}00"), &format!("{digit}é")]
    {
        let error = text.parse::<Digest>().unwrap_err();
        assert!(error.contains(&format!("`{text}`")) && error.contains("64"), "{error}");
    }
}

proptest! {
    #[test]
    fn a_digest_is_read_as_it_was_written(bytes in any::<[u8; 32]>()) {
        let digest = Digest::from_bytes(bytes);
        let text = digest.to_string();
        let plain = bytes.map(|byte| format!("{byte:02x}")).concat();
        prop_assert_eq!(&text, &plain);
        prop_assert_eq!(text.parse::<Digest>(), Ok(digest));
        prop_assert_eq!(text.to_uppercase().parse::<Digest>(), Ok(digest));
        prop_assert_eq!(serde_json::to_string(&digest).unwrap(), format!("\"{text}\""));
    }
}
