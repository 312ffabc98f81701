//! What the numbers of a raster stand for.

/// What the numbers of a raster stand for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Colours {
    /// Figures: heights, counts, measurements.
    Values,
    /// Shades from black (0) to white (the largest number of the bits).
    Grey,
    /// Red, green and blue, the first three bands.
    Rgb,
    /// Places in a list of colours: red, green, blue, opacity.
    Palette(Vec<[u8; 4]>),
}

impl Colours {
    /// In words.
    pub fn name(&self) -> &'static str {
        match self {
            Colours::Values => "values",
            Colours::Grey => "shades of grey",
            Colours::Rgb => "red, green and blue",
            Colours::Palette(_) => "places in a list of colours",
        }
    }

    /// Bands that it takes, without one of opacity.
    pub(super) fn bands(&self) -> Option<usize> {
        match self {
            Colours::Values => None,
            Colours::Grey | Colours::Palette(_) => Some(1),
            Colours::Rgb => Some(3),
        }
    }
}
