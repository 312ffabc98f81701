//! Where the features of a layer come from.

use crate::error::Result;
use crate::layer::{Batch, LayerInfo};
use crate::notice::Notice;
use std::fmt::Debug;

/// Where the features of a layer come from: one a format.
pub(crate) trait Source: Debug + Send {
    /// Hands every batch of features to `each`, in order.
    fn read(&self, info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()>;

    /// The column of whole numbers that features are known by in the file, if there is one that the
    /// columns of the layer may leave out, because it merely counts them.
    fn key(&self) -> Option<&str> {
        None
    }
}

/// A layer as its format opens it: what is known of it, its features, and what was noticed.
pub(crate) type OpenedLayer = (LayerInfo, Box<dyn Source>, Vec<Notice>);
