//! A layer in memory carried into another reference system.

use crate::error::Result;
use crate::layer::{Layer, no_system};
use crate::notice::Notice;
use crate::plausibility::{Evidence, MIDDLE, no_way, wrong_zone};
use crate::reproject::{area_of, route_notices};
use std::ops::Deref;
use velvet_peg_core::{Converter, Crs, PlanOptions, Route};

/// A layer that was carried into another reference system, and what is known of the way. It can be
/// used like the layer itself.
#[derive(Clone, Debug)]
pub struct Converted {
    layer: Layer,
    converter: Converter,
    notices: Vec<Notice>,
}

impl Converted {
    /// The layer on its own.
    pub fn into_layer(self) -> Layer {
        self.layer
    }

    /// The way that was taken.
    pub fn route(&self) -> &Route {
        self.converter.route()
    }

    /// What the change of datum is known to, metres; none if it states nothing, 0 without one.
    pub fn accuracy_m(&self) -> Option<f64> {
        self.route().accuracy_m()
    }

    /// What is to be known of the result: shifts known to metres only, data outside the area of the
    /// operation, a system that is for another place.
    pub fn notices(&self) -> &[Notice] {
        &self.notices
    }
}

impl Deref for Converted {
    type Target = Layer;

    fn deref(&self) -> &Layer {
        &self.layer
    }
}

/// A layer carried by the operation that is best where it lies, with the way.
fn carry(layer: &Layer, target: &Crs) -> Result<(Layer, Converter)> {
    let source = layer.crs().ok_or_else(|| no_system(layer.info()))?;
    let extent = layer.extent();
    let area = extent.as_ref().and_then(|extent| area_of(source, extent));
    let options = PlanOptions { area, ..PlanOptions::default() };
    let converter = Converter::plan(source, target, &options)
        .map_err(|error| no_way(error, source, extent.as_ref()))?;
    Ok((layer.carried(&converter)?, converter))
}

impl Layer {
    /// The layer carried into another reference system, by the operation that is best where the
    /// layer lies.
    ///
    /// ```
    /// use velvet_peg::{Crs, Layer};
    /// let mut gates = Layer::new("gates", Some(Crs::from_epsg(4326)?));
    /// gates.push((-123.0, 47.4), [("name", "Gate 7".into())])?;
    /// let utm = gates.convert(&Crs::from_epsg(32610)?)?;
    /// let (easting, _) = utm.features().next().unwrap().vertices()[0];
    /// assert!((easting - 500_000.0).abs() < 1e-6);
    /// assert_eq!(utm.accuracy_m(), Some(0.0)); // the same datum
    /// let feet = gates.convert(&Crs::from_epsg(2285)?)?;
    /// assert_eq!(feet.accuracy_m(), Some(4.0));
    /// assert!(feet.notices()[0].text.contains("up to about 4 m"));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the layer has no reference system, no operation joins the two, or a vertex cannot
    /// be converted.
    pub fn convert(&self, target: &Crs) -> Result<Converted> {
        let (layer, converter) = carry(self, target)?;
        let source = converter.source();
        let mut notices = route_notices(&converter);
        let mut evidence = Evidence::new(self.info(), Some(source));
        self.batches().for_each(|batch| evidence.add(batch));
        let middle = evidence.settle();
        let zone = || wrong_zone(source, target, MIDDLE, middle?);
        notices.extend(evidence.notice().or_else(zone));
        Ok(Converted { layer, converter, notices })
    }
}
