//! Any bytes as the files of a feed: as a signature, as a head, as a part of it, and as the content of a part.
#![no_main]

use libfuzzer_sys::fuzz_target;
use upright_spanner_core::Address;
use upright_spanner_core::content::Content;
use upright_spanner_core::feed::{Key, Piece, Secret, read_listings, verified};

fuzz_target!(|parts: (&[u8], &[u8], &str)| {
    let (signature, head, text) = parts;
    let _ = verified(signature, head, None);
    // A signature that names the head, so that this is looked at.
    let Content { blake3, size } = Content::of_bytes(head);
    let named = format!(
        "untrusted comment: \nRUQ/AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA=\n\
         trusted comment: feed 1 serial 1 head {blake3} bytes {size}\n\
         AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA==\n"
    );
    let _ = verified(named.as_bytes(), head, None);

    let piece = |unpacked: usize| Piece { blake3, size, unpacked: unpacked as u64 };
    let _ = read_listings(head, &piece(signature.len()));
    // Packed as a stored frame, so that the content is read.
    let mut frame = vec![0x28, 0xb5, 0x2f, 0xfd, 0xa0];
    frame.extend((head.len() as u32).to_le_bytes());
    frame.extend(&((head.len() as u32) << 3 | 1).to_le_bytes()[..3]);
    frame.extend(head);
    let _ = read_listings(&frame, &piece(head.len()));
    let _ = Key::new(text);
    let _ = Secret::open(text, None);
    if let Ok(address) = Address::new(text) {
        let again = Address::new(&address.to_string());
        assert_eq!(again.ok(), Some(address));
    }
});
