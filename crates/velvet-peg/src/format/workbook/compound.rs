//! A compound file ([MS-CFB] 2.1 to 2.5), held against itself before it is read: what follows a chain of
//! sectors that leads back into itself would fill all memory.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

const SIGNATURE: &[u8] = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1";
/// Sectors from here on mean an end, a free one, or one of the tables.
const RESERVED: u32 = 0xffff_fffa;

/// What is wrong with the chains of a compound file; none if nothing is, or it is no such file.
pub(super) fn fault(path: &Path) -> std::io::Result<Option<String>> {
    let mut file = File::open(path)?;
    let length = file.metadata()?.len();
    let mut header = [0; 512];
    if length < 512 {
        return Ok(None);
    }
    file.read_exact(&mut header)?;
    let at = |place: usize| header[place..].first_chunk().map_or(0, |b| u32::from_le_bytes(*b));
    let size: u64 = match header[30] {
        _ if !header.starts_with(SIGNATURE) => return Ok(None),
        9 => 512,
        12 => 4096,
        _ => return Ok(Some("its sectors have no size that there is".to_string())),
    };
    let sectors = length / size;
    let mut read = |sector: u32| -> std::io::Result<Vec<u32>> {
        file.seek(SeekFrom::Start((u64::from(sector) + 1) * size))?;
        let mut bytes = Vec::new();
        (&mut file).take(size).read_to_end(&mut bytes)?;
        let numbers = bytes.chunks_exact(4);
        Ok(numbers.map(|n| n.first_chunk().map_or(0, |b| u32::from_le_bytes(*b))).collect())
    };
    // Sectors of the table of chains: 109 are listed in the header, others in sectors of their own.
    let mut tables: Vec<u32> = (0..109).map(|number| at(76 + 4 * number)).collect();
    let mut next = at(68);
    for _ in 0..sectors {
        if next >= RESERVED || u64::from(next) >= sectors {
            break;
        }
        tables.extend(read(next)?);
        next = tables.pop().unwrap_or(RESERVED);
    }
    let mut chains: Vec<u32> = Vec::new();
    for table in tables.into_iter().filter(|table| u64::from(*table) < sectors) {
        if chains.len() as u64 > sectors {
            break;
        }
        chains.extend(read(table)?);
    }
    Ok(leads_back(&chains).map(|sector| format!("the chain of its sector {sector} has no end")))
}

/// A sector whose chain leads back to itself.
fn leads_back(chains: &[u32]) -> Option<usize> {
    // Which walk has been at a sector; 0 for none.
    let mut walks = vec![0_u32; chains.len()];
    for start in 0..chains.len() {
        let walk = start as u32 + 1;
        let mut sector = start;
        while sector < chains.len() && walks[sector] == 0 {
            walks[sector] = walk;
            sector = chains[sector] as usize;
        }
        if sector < chains.len() && walks[sector] == walk {
            return Some(sector);
        }
    }
    None
}
