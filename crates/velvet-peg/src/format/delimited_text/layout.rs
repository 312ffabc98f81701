//! Text whose fields no single character divides: divided by runs of blanks, or standing in columns
//! of fixed width. It is read line by line as if it were delimited by commas, so that everything
//! behind it is the same.

use std::io::{self, BufRead, BufReader, Read};

/// How the fields of a line are told apart.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Layout {
    /// By runs of blanks; where it is known how many fields a line has, the last one takes the rest
    /// (a description of several words).
    Blanks(Option<usize>),
    /// By their widths in characters; what is beyond the last is one more field.
    Widths(Vec<usize>),
}

impl Layout {
    /// The fields of a line.
    pub(super) fn fields(&self, line: &str) -> Vec<String> {
        match self {
            Layout::Blanks(count) => blanks(line, *count),
            Layout::Widths(_) if line.trim().is_empty() => Vec::new(),
            Layout::Widths(widths) => {
                let mut rest = line.chars();
                let mut fields: Vec<String> = widths
                    .iter()
                    .map(|width| rest.by_ref().take(*width).collect::<String>().trim().to_string())
                    .collect();
                let beyond = rest.as_str().trim();
                if !beyond.is_empty() {
                    fields.push(beyond.to_string());
                }
                fields
            }
        }
    }

    /// The layout of blanks for a sample of lines: the fields in front are figures (but for the
    /// first, which may be the name of a point), and what follows them is one description.
    pub(super) fn of_blanks(sample: &str, header: bool) -> Layout {
        let mut lines = sample.lines().filter(|line| !line.trim().is_empty());
        if header {
            let count = lines.next().map(|line| blanks(line, None).len());
            return Layout::Blanks(count);
        }
        let (mut front, mut longest) = (usize::MAX, 0);
        for line in lines.take(1000) {
            let fields = blanks(line, None);
            let figures = fields
                .iter()
                .skip(1)
                .take_while(|f| crate::format_support::first_row::is_figure(f));
            front = front.min(1 + figures.count());
            longest = longest.max(fields.len());
        }
        match front {
            usize::MAX => Layout::Blanks(None),
            front => Layout::Blanks(Some(front + usize::from(longest > front))),
        }
    }
}

fn blanks(line: &str, count: Option<usize>) -> Vec<String> {
    let mut fields = Vec::new();
    let mut rest = line.trim();
    while !rest.is_empty() {
        if count.is_some_and(|count| fields.len() + 1 == count) {
            fields.push(rest.to_string());
            break;
        }
        // A text in quotation marks may hold blanks.
        if let Some(end) = rest.strip_prefix('"').and_then(|text| text.find('"')) {
            fields.push(rest[1..=end].to_string());
            rest = rest[end + 2..].trim_start();
            continue;
        }
        let end = rest.find(char::is_whitespace).unwrap_or(rest.len());
        fields.push(rest[..end].to_string());
        rest = rest[end..].trim_start();
    }
    if let Some(count) = count {
        // A point without a description.
        if fields.len() + 1 == count {
            fields.push(String::new());
        }
    }
    fields
}

/// Reads text of a layout as text delimited by commas, a line for a line.
pub(super) struct Laid<R> {
    input: BufReader<R>,
    layout: Layout,
    /// Lines that begin with it pass as they are.
    comment: Option<u8>,
    out: Vec<u8>,
    at: usize,
}

impl<R: Read> Laid<R> {
    pub(super) fn new(input: R, layout: Layout, comment: Option<u8>) -> Laid<R> {
        Laid { input: BufReader::new(input), layout, comment, out: Vec::new(), at: 0 }
    }

    fn line(&mut self) -> io::Result<()> {
        let mut bytes = Vec::new();
        self.out.clear();
        self.at = 0;
        if self.input.read_until(b'\n', &mut bytes)? == 0 {
            return Ok(());
        }
        if self.comment.is_some() && bytes.first().copied() == self.comment {
            self.out = bytes;
            return Ok(());
        }
        // Bytes that are no text stay what they are, so that the row is told of.
        let text = match std::str::from_utf8(&bytes) {
            Ok(text) => text.trim_end_matches(['\r', '\n']),
            Err(_) => {
                self.out = bytes;
                return Ok(());
            }
        };
        let mut first = true;
        for field in self.layout.fields(text) {
            if !std::mem::take(&mut first) {
                self.out.push(b',');
            }
            self.out.push(b'"');
            self.out.extend(field.replace('"', "\"\"").bytes());
            self.out.push(b'"');
        }
        self.out.push(b'\n');
        Ok(())
    }
}

impl<R: Read> Read for Laid<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.at == self.out.len() {
            self.line()?;
        }
        let count = buffer.len().min(self.out.len() - self.at);
        buffer[..count].copy_from_slice(&self.out[self.at..self.at + count]);
        self.at += count;
        Ok(count)
    }
}
