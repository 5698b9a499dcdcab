//! The bytes of a text that the browser has decoded.
//!
//! The protocol hands text out as text; what came over the line was bytes in the page's own
//! encoding. Sizes, places in the document and a second serving of the page need those bytes.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};

/// The bytes that a decoded text came as, where putting it back into its encoding gives as many
/// bytes as were received; else `None`. `received` is 0 where nobody counted.
pub fn original(text: &str, charset: &str, received: u64) -> Option<Vec<u8>> {
    let encoding = Encoding::for_label(charset.as_bytes()).unwrap_or(UTF_8);
    let fits = |bytes: &Vec<u8>| bytes.len() as u64 == received;
    if received == 0 {
        return (encoding == UTF_8).then(|| text.as_bytes().to_vec());
    }
    if encoding == UTF_16LE || encoding == UTF_16BE {
        let big = encoding == UTF_16BE;
        let units = |text: &str| -> Vec<u8> {
            text.encode_utf16().flat_map(|unit| if big { unit.to_be_bytes() } else { unit.to_le_bytes() }).collect()
        };
        return Some(units(text)).filter(fits).or_else(|| Some(units(&format!("\u{feff}{text}"))).filter(fits));
    }
    let (bytes, _, unmappable) = encoding.encode(text);
    let bytes = bytes.into_owned();
    if !unmappable && fits(&bytes) {
        return Some(bytes);
    }
    // Decoding takes a byte-order mark away.
    Some([b"\xef\xbb\xbf", text.as_bytes()].concat()).filter(fits)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_put_back_into_its_encoding() {
        let islands = "Möweninsel — café";
        let (latin, _, _) = encoding_rs::WINDOWS_1252.encode(islands);
        assert_eq!(original(islands, "windows-1252", latin.len() as u64).as_deref(), Some(&*latin));
        assert_ne!(latin.len(), islands.len(), "the two differ in length");
        assert_eq!(original("渡し船", "shift_jis", 6).map(|b| b.len()), Some(6));
        assert_eq!(original(islands, "utf-8", islands.len() as u64).as_deref(), Some(islands.as_bytes()));
        let marked = original("Gull", "utf-8", 7).expect("with its mark");
        assert_eq!(marked, b"\xef\xbb\xbfGull");
        assert_eq!(original("Gull", "utf-16le", 8).as_deref(), Some(b"G\0u\0l\0l\0".as_slice()));
        assert_eq!(original("Gull", "utf-16be", 10).map(|b| b[..2].to_vec()), Some(vec![0xfe, 0xff]));
    }

    #[test]
    fn what_does_not_come_out_even_is_not_claimed() {
        // Bytes that were no valid text were replaced, and cannot be known from the text.
        assert_eq!(original("Gu\u{fffd}l", "utf-8", 4), None);
        assert_eq!(original("船", "windows-1252", 1), None);
        assert_eq!(original("Gull", "", 0).as_deref(), Some(b"Gull".as_slice()), "nobody counted, and it is UTF-8");
        assert_eq!(original("Gull", "utf-16le", 0), None);
    }
}
