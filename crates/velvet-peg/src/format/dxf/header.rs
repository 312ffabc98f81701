//! What the header of a drawing says of the whole: its version, code page and unit of length.

use super::pairs::{Pairs, is_binary};
use crate::error::Result;
use crate::format_support::text_encoding::{by_label, encoding_of};
use encoding_rs::{Encoding, UTF_8, WINDOWS_1252};
use std::path::Path;
use velvet_peg_core::LengthUnit;

/// Variables of the header that say something of its data.
#[derive(Clone, Debug, Default)]
pub(super) struct Header {
    version: String,
    code_page: String,
    unit: i64,
}

/// The number of a unit (DXF reference, `$INSUNITS`), its name, and its number in the EPSG dataset
/// if drawings of land are measured in it.
const UNITS: [(i64, &str, Option<u32>); 24] = [
    (1, "inch", None),
    (2, "international foot", Some(9002)),
    (3, "mile", Some(9093)),
    (4, "millimetre", None),
    (5, "centimetre", None),
    (6, "metre", Some(9001)),
    (7, "kilometre", Some(9036)),
    (8, "microinch", None),
    (9, "thousandth of an inch", None),
    (10, "yard", Some(9096)),
    (11, "angstrom", None),
    (12, "nanometre", None),
    (13, "micrometre", None),
    (14, "decimetre", None),
    (15, "decametre", None),
    (16, "hectometre", None),
    (17, "gigametre", None),
    (18, "astronomical unit", None),
    (19, "light year", None),
    (20, "parsec", None),
    (21, "US survey foot", Some(9003)),
    (22, "US survey inch", None),
    (23, "US survey yard", None),
    (24, "US survey mile", Some(9035)),
];

/// The number of a unit of length in a header; 0 for one that has none.
pub(super) fn number_of(unit: LengthUnit) -> i64 {
    let same = |code: u32| LengthUnit::from_epsg(code).is_ok_and(|known| known == unit);
    UNITS.iter().find(|(_, _, code)| code.is_some_and(same)).map_or(0, |(number, ..)| *number)
}

/// Pairs of a header at most.
const MOST_PAIRS: usize = 100_000;

impl Header {
    pub(super) fn read(path: &Path) -> Result<Header> {
        let mut header = Header::default();
        let mut variable = String::new();
        let mut pairs = Pairs::open(path, WINDOWS_1252)?;
        for _ in 0..MOST_PAIRS {
            let Some(pair) = pairs.next()? else { break };
            let value = pair.value.trim();
            match (pair.code, variable.as_str()) {
                (0, _) if value == "ENDSEC" => break,
                (9, _) => variable = value.to_string(),
                (1, "$ACADVER") => header.version = value.to_string(),
                (3, "$DWGCODEPAGE") => header.code_page = value.to_string(),
                (70, "$INSUNITS") => header.unit = pair.number() as i64,
                _ => {}
            }
        }
        Ok(header)
    }

    /// The unit of length that is stated.
    pub(super) fn unit(&self) -> Option<LengthUnit> {
        let (_, _, code) = UNITS.iter().find(|(number, ..)| *number == self.unit)?;
        code.and_then(|code| LengthUnit::from_epsg(code).ok())
    }

    /// The name of a stated unit that land is not measured in.
    pub(super) fn odd_unit(&self) -> Option<&'static str> {
        let (_, name, code) = UNITS.iter().find(|(number, ..)| *number == self.unit)?;
        code.is_none().then_some(*name)
    }

    /// The encoding of the texts: the one asked for; UTF-8 since the version of 2007, and wherever
    /// the bytes are that; else the code page that is stated, or looks likeliest.
    pub(super) fn encoding(&self, path: &Path, asked: Option<&str>) -> Result<&'static Encoding> {
        if let Some(label) = asked {
            return by_label(label);
        }
        let recent = self.version.get(2..).and_then(|n| n.parse::<u32>().ok());
        if recent.is_some_and(|number| number >= 1021) {
            return Ok(UTF_8);
        }
        let stated = self.code_page.to_ascii_lowercase();
        let stated = match stated.as_str() {
            "ansi_932" => Some("shift_jis".to_string()),
            "ansi_936" | "gb2312" => Some("gbk".to_string()),
            "ansi_949" | "ksc5601" => Some("euc-kr".to_string()),
            "ansi_950" | "big5" => Some("big5".to_string()),
            "ansi_874" => Some("windows-874".to_string()),
            "mac-roman" => Some("macintosh".to_string()),
            "dos866" => Some("ibm866".to_string()),
            other => match (other.strip_prefix("ansi_"), other.strip_prefix("iso8859-")) {
                (Some(number), _) => Some(format!("windows-{number}")),
                (_, Some(part)) => Some(format!("iso-8859-{part}")),
                _ => None,
            },
        };
        let stated = stated.and_then(|label| Encoding::for_label(label.as_bytes()));
        if let (true, Some(stated)) = (is_binary(path)?, stated) {
            return Ok(stated);
        }
        let looks = encoding_of(path)?;
        Ok(if looks == UTF_8 { UTF_8 } else { stated.unwrap_or(looks) })
    }
}
