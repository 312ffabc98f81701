//! Code pages of tables: by the label of a `.cpg` beside them, by the mark in their header, or by what
//! their bytes are.

use encoding_rs::Encoding;
use oem_cp::code_table::DECODING_TABLE_CP_MAP;
use oem_cp::code_table_type::TableType;
use std::borrow::Cow;

/// A code page.
#[derive(Clone, Copy, Debug)]
pub(in crate::format) enum CodePage {
    /// One of the web's (WHATWG Encoding).
    Web(&'static Encoding),
    /// One of the systems before.
    Oem(u16, &'static TableType),
}

impl CodePage {
    /// Of a number, such as 850 or 1252.
    fn numbered(number: u16) -> Option<CodePage> {
        let web = match number {
            65001 => encoding_rs::UTF_8,
            866 => encoding_rs::IBM866,
            874 => encoding_rs::WINDOWS_874,
            932 => encoding_rs::SHIFT_JIS,
            936 => encoding_rs::GBK,
            949 => encoding_rs::EUC_KR,
            950 => encoding_rs::BIG5,
            10000 => encoding_rs::MACINTOSH,
            10007 => encoding_rs::X_MAC_CYRILLIC,
            1250..=1258 => Encoding::for_label(format!("windows-{number}").as_bytes())?,
            _ => {
                let table = DECODING_TABLE_CP_MAP.get(&number)?;
                return Some(CodePage::Oem(number, table));
            }
        };
        Some(CodePage::Web(web))
    }

    /// Of a label: of the web's, a number with or without a word in front (`1252`, `CP437`,
    /// `IBM 850`, `OEM 865`), a part of ISO 8859 (`88591`, `ISO 8859-2`), or the mark of a header
    /// (`LDID/87`). `OEM` and `ANSI` alone mean 437 and 1252.
    pub(in crate::format) fn by_label(label: &str) -> Option<CodePage> {
        let label = label.trim().trim_start_matches('\u{feff}').to_ascii_lowercase();
        if let Some(mark) = label.strip_prefix("ldid/") {
            return CodePage::by_mark(mark.trim().parse().ok()?);
        }
        let word: String = label.chars().filter(char::is_ascii_alphanumeric).collect();
        match word.as_str() {
            "oem" => return CodePage::numbered(437),
            "ansi" => return CodePage::numbered(1252),
            _ => {}
        }
        if let Some(web) = Encoding::for_label(label.as_bytes()) {
            return Some(CodePage::Web(web));
        }
        let number = ["codepage", "windows", "ansi", "ibm", "oem", "cp", "dos"]
            .iter()
            .find_map(|front| word.strip_prefix(front))
            .unwrap_or(&word);
        if let Some(part) = number.strip_prefix("iso8859").or(number.strip_prefix("8859")) {
            return Encoding::for_label(format!("iso-8859-{part}").as_bytes()).map(CodePage::Web);
        }
        CodePage::numbered(number.parse().ok()?)
    }

    /// Of the mark of a header.
    pub(in crate::format) fn by_mark(mark: u8) -> Option<CodePage> {
        CodePage::numbered(match mark {
            0x01 | 0x09 | 0x0b | 0x0d | 0x0f | 0x11 | 0x15 | 0x18 | 0x19 | 0x1b => 437,
            0x02 | 0x0a | 0x0e | 0x10 | 0x12 | 0x14 | 0x16 | 0x1a | 0x1d | 0x25 | 0x37 => 850,
            0x03 | 0x57..=0x59 => 1252,
            0x04 => 10000,
            0x08 | 0x17 | 0x66 => 865,
            0x13 | 0x7b => 932,
            0x1c | 0x6c => 863,
            0x1f | 0x22 | 0x23 | 0x40 | 0x64 | 0x87 => 852,
            0x24 => 860,
            0x26 | 0x65 => 866,
            0x4d | 0x7a => 936,
            0x4e | 0x79 => 949,
            0x4f | 0x78 => 950,
            0x50 | 0x7c => 874,
            0x67 => 861,
            0x6a | 0x86 => 737,
            0x6b | 0x88 => 857,
            0x7d => 1255,
            0x7e => 1256,
            0x96 => 10007,
            0xc8 => 1250,
            0xc9 => 1251,
            0xca => 1254,
            0xcb => 1253,
            0xcc => 1257,
            _ => return None,
        })
    }

    /// Bytes as text, and whether some of them are none.
    pub(super) fn decode<'a>(&self, bytes: &'a [u8]) -> (Cow<'a, str>, bool) {
        match self {
            CodePage::Web(encoding) => encoding.decode_without_bom_handling(bytes),
            CodePage::Oem(_, table) => match table.decode_string_checked(bytes) {
                Some(text) => (text.into(), false),
                None => (table.decode_string_lossy(bytes).into(), true),
            },
        }
    }

    /// Its name.
    pub(super) fn name(&self) -> String {
        match self {
            CodePage::Web(encoding) => encoding.name().to_string(),
            CodePage::Oem(number, _) => format!("code page {number}"),
        }
    }
}
