//! Formats of rasters, by their extensions and first bytes.

use std::fmt;

/// A format of rasters.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RasterFormat {
    /// TIFF and BigTIFF, with a place in its keys (GeoTIFF 1.1, OGC 19-008r4) or in files beside it.
    GeoTiff,
    /// PNG with files beside it.
    Png,
    /// JPEG with files beside it; read only.
    Jpeg,
    /// A grid of numbers as text.
    AsciiGrid,
}

impl RasterFormat {
    /// All of them.
    pub const ALL: [RasterFormat; 4] =
        [RasterFormat::GeoTiff, RasterFormat::Png, RasterFormat::Jpeg, RasterFormat::AsciiGrid];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            RasterFormat::GeoTiff => "GeoTIFF",
            RasterFormat::Png => "PNG",
            RasterFormat::Jpeg => "JPEG",
            RasterFormat::AsciiGrid => "ASCII grid",
        }
    }

    /// Its extensions.
    pub fn extensions(self) -> &'static [&'static str] {
        match self {
            RasterFormat::GeoTiff => &["tif", "tiff", "gtiff", "gtif"],
            RasterFormat::Png => &["png"],
            RasterFormat::Jpeg => &["jpg", "jpeg"],
            RasterFormat::AsciiGrid => &["asc"],
        }
    }

    /// True if it can be written.
    pub fn writes(self) -> bool {
        self != RasterFormat::Jpeg
    }

    /// The format that the first bytes of a file show.
    pub(crate) fn of_bytes(start: &[u8]) -> Option<RasterFormat> {
        const PNG: &[u8] = b"\x89PNG\r\n\x1a\n";
        let tiff = [b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"];
        if tiff.iter().any(|magic| start.starts_with(*magic)) {
            return Some(RasterFormat::GeoTiff);
        }
        if start.starts_with(PNG) {
            return Some(RasterFormat::Png);
        }
        if start.starts_with(b"\xff\xd8\xff") {
            return Some(RasterFormat::Jpeg);
        }
        let text: Vec<u8> = start.iter().map(u8::to_ascii_lowercase).take(64).collect();
        let text = text.trim_ascii_start();
        let grid = text.starts_with(b"ncols") || text.starts_with(b"nrows");
        grid.then_some(RasterFormat::AsciiGrid)
    }

    /// The format of an extension, in small letters or capitals.
    pub(crate) fn of_extension(extension: &str) -> Option<RasterFormat> {
        let extension = extension.to_ascii_lowercase();
        RasterFormat::ALL
            .into_iter()
            .find(|format| format.extensions().contains(&extension.as_str()))
    }
}

/// The name.
impl fmt::Display for RasterFormat {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}
