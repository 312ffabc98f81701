//! Images and grids with a place on the Earth: where pixels lie, which frame holds a raster in another
//! reference system, and the values of pixels from those of another raster.
//!
//! Pixels are counted in columns to the right and rows downward. Positions among them are numbers with a
//! fraction from the outer corner of the first pixel: the middle of that pixel is 0.5, 0.5. Files are not
//! read or written here.

mod carrier;
mod footprint;
mod frame;
mod pixel_grid;
mod places;
mod resampling;
mod turn;
mod window;

pub use carrier::{Carrier, Unmoved};
pub use frame::{Frame, FrameOptions, frame, straight_frame};
pub use pixel_grid::PixelGrid;
pub use places::{At, Places, SourcePlaces};
pub use resampling::{Missing, Resampling, resample};
pub use turn::Turn;
pub use window::{Sample, Window};
