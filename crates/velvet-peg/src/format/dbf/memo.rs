//! Texts that lie in a file beside a table: `.dbt` of dBASE III and IV, `.fpt` of its relatives.

use super::beside;
use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom};
use std::path::Path;

/// How a file of texts is laid out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Layout {
    /// A text runs to its mark of the end.
    Marked,
    /// Eight bytes in front of a text say how long these and it are.
    Counted,
    /// A kind and a length in front of a text, most significant byte first.
    Typed,
}

/// A file of texts.
#[derive(Debug)]
pub(super) struct Memo {
    input: BufReader<File>,
    layout: Layout,
    /// Bytes of a block.
    block: u64,
    length: u64,
}

/// The mark of a text's end.
const END: u8 = 0x1a;

impl Memo {
    /// Opens the texts beside a table whose header begins with this byte; none if there are none.
    pub(super) fn open(table: &Path, version: u8) -> io::Result<Option<Memo>> {
        let (dbt, fpt) = (beside(table, "dbt"), beside(table, "fpt"));
        let (path, typed) = if fpt.is_file() { (fpt, true) } else { (dbt, false) };
        if !path.is_file() {
            return Ok(None);
        }
        let mut input = BufReader::new(File::open(path)?);
        let mut head = [0; 24];
        input.read_exact(&mut head)?;
        let stated = match typed {
            true => u64::from(u16::from_be_bytes([head[6], head[7]])),
            false => u64::from(u16::from_le_bytes([head[20], head[21]])),
        };
        let layout = match (typed, version) {
            (true, _) => Layout::Typed,
            // dBASE III and its clones leave the size of a block open.
            (false, 0x83) => Layout::Marked,
            (false, _) => Layout::Counted,
        };
        let block = match (layout, stated) {
            (Layout::Marked, _) | (Layout::Counted, 0) => 512,
            // Blocks of single bytes.
            (Layout::Typed, 0) => 1,
            (_, stated) => stated,
        };
        let length = input.get_ref().metadata()?.len();
        Ok(Some(Memo { input, layout, block, length }))
    }

    /// The bytes of a text; none where there is no such block.
    pub(super) fn text(&mut self, number: u64) -> io::Result<Option<Vec<u8>>> {
        let start = number.saturating_mul(self.block);
        if number == 0 || start + 8 > self.length {
            return Ok(None);
        }
        self.input.seek(SeekFrom::Start(start))?;
        let left = self.length - start;
        if self.layout == Layout::Marked {
            let mut bytes = Vec::new();
            let mut chunk = [0; 512];
            loop {
                let count = self.input.read(&mut chunk)?;
                if let Some(end) = chunk[..count].iter().position(|byte| *byte == END) {
                    bytes.extend(&chunk[..end]);
                    return Ok(Some(bytes));
                }
                bytes.extend(&chunk[..count]);
                if count == 0 {
                    return Ok(Some(bytes));
                }
            }
        }
        let mut head = [0; 8];
        self.input.read_exact(&mut head)?;
        let word = [head[4], head[5], head[6], head[7]];
        let size = match self.layout {
            Layout::Typed => u64::from(u32::from_be_bytes(word)),
            _ => u64::from(u32::from_le_bytes(word)).saturating_sub(8),
        };
        // A length that reaches beyond the file is damaged.
        if size > left - 8 {
            return Ok(None);
        }
        let mut bytes = vec![0; size as usize];
        self.input.read_exact(&mut bytes)?;
        Ok(Some(bytes))
    }
}
