//! Many small records put in the order of a number, in bounded memory: what does not fit lies in a
//! temporary file, is sorted in runs and merged.

use crate::error::Error;
use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::fs::File;
use std::io::{BufWriter, Read, Result, Seek, SeekFrom, Write};

/// Records that are held and sorted at a time.
const RUN: usize = 1 << 17;

/// Records that are read of a run at a time.
const PART: usize = 1 << 10;

/// Records of so many words.
#[derive(Debug, Default)]
pub(crate) struct Records<const N: usize> {
    held: Vec<[u64; N]>,
    /// The records before those that are held.
    file: Option<File>,
    count: u64,
}

impl<const N: usize> Records<N> {
    pub(crate) fn push(&mut self, record: [u64; N]) -> Result<()> {
        self.held.push(record);
        self.count += 1;
        if self.held.len() < RUN {
            return Ok(());
        }
        let file = match &mut self.file {
            Some(file) => file,
            none => none.insert(tempfile::tempfile()?),
        };
        lay(file, self.held.drain(..))
    }

    pub(crate) fn len(&self) -> u64 {
        self.count
    }

    /// The records in the order of `key`; those of one key in the order in which they came.
    pub(crate) fn sorted(mut self, key: impl Fn(&[u64; N]) -> u64) -> Result<Sorted<N>> {
        let Some(mut file) = self.file else {
            self.held.sort_by_cached_key(&key);
            return Ok(Sorted::Held(self.held.into_iter()));
        };
        lay(&mut file, self.held.drain(..))?;
        let mut sorted = tempfile::tempfile()?;
        let mut runs = Vec::new();
        let mut whole = Run { at: 0, end: self.count, part: Vec::new().into_iter() };
        while whole.at < whole.end {
            let at = whole.at;
            let mut run = whole.read(&mut file, RUN)?;
            run.sort_by_cached_key(&key);
            lay(&mut sorted, run.into_iter())?;
            runs.push(Run { at, end: whole.at, part: Vec::new().into_iter() });
        }
        let mut merge = Merge { file: sorted, runs, next: BinaryHeap::new() };
        let keys: Vec<(usize, Option<[u64; N]>)> =
            (0..merge.runs.len()).map(|run| Ok((run, merge.take(run)?))).collect::<Result<_>>()?;
        for (run, record) in keys {
            merge.next.extend(record.map(|record| Reverse((key(&record), run, record))));
        }
        Ok(Sorted::Merged(Box::new(merge)))
    }
}

/// The error of records that cannot be held: their file has no name.
pub(crate) fn not_held(error: std::io::Error) -> Error {
    let what = "the folder of temporary files cannot hold what is put in order there";
    Error::file(&std::env::temp_dir(), what, error)
}

/// Writes records at the end of a file.
fn lay<const N: usize>(file: &mut File, records: impl Iterator<Item = [u64; N]>) -> Result<()> {
    file.seek(SeekFrom::End(0))?;
    let mut out = BufWriter::with_capacity(1 << 16, file);
    for word in records.flatten() {
        out.write_all(&word.to_le_bytes())?;
    }
    out.flush()
}

/// Records in order, one after the other.
pub(crate) enum Sorted<const N: usize> {
    Held(std::vec::IntoIter<[u64; N]>),
    Merged(Box<Merge<N>>),
}

impl<const N: usize> Sorted<N> {
    /// The next record, by the key that they were sorted by.
    pub(crate) fn next(&mut self, key: impl Fn(&[u64; N]) -> u64) -> Result<Option<[u64; N]>> {
        match self {
            Sorted::Held(records) => Ok(records.next()),
            Sorted::Merged(merge) => merge.next(key),
        }
    }
}

/// Sorted runs of a file.
pub(crate) struct Merge<const N: usize> {
    file: File,
    runs: Vec<Run<N>>,
    /// The next record of each run, by its key.
    next: BinaryHeap<Reverse<(u64, usize, [u64; N])>>,
}

impl<const N: usize> Merge<N> {
    fn next(&mut self, key: impl Fn(&[u64; N]) -> u64) -> Result<Option<[u64; N]>> {
        let Some(Reverse((_, run, record))) = self.next.pop() else { return Ok(None) };
        if let Some(following) = self.take(run)? {
            self.next.push(Reverse((key(&following), run, following)));
        }
        Ok(Some(record))
    }

    fn take(&mut self, run: usize) -> Result<Option<[u64; N]>> {
        let run = &mut self.runs[run];
        if run.part.len() == 0 && run.at < run.end {
            run.part = run.read(&mut self.file, PART)?.into_iter();
        }
        Ok(run.part.next())
    }
}

/// Records of a file, by their numbers in it.
struct Run<const N: usize> {
    at: u64,
    end: u64,
    part: std::vec::IntoIter<[u64; N]>,
}

impl<const N: usize> Run<N> {
    fn read(&mut self, file: &mut File, most: usize) -> Result<Vec<[u64; N]>> {
        let count = (self.end - self.at).min(most as u64);
        let mut bytes = vec![0; count as usize * N * 8];
        file.seek(SeekFrom::Start(self.at * N as u64 * 8))?;
        file.read_exact(&mut bytes)?;
        self.at += count;
        let mut words = bytes.chunks_exact(8).map(|word| {
            let mut all = [0; 8];
            all.copy_from_slice(word);
            u64::from_le_bytes(all)
        });
        Ok((0..count).map(|_| std::array::from_fn(|_| words.next().unwrap_or_default())).collect())
    }
}
