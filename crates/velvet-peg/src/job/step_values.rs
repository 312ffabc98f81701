//! What the words of a step may say: texts that stand for columns, reference systems or units, and
//! plain values. Each kind of value says what planning has to look at.

use indexmap::IndexMap;
use serde::{Deserialize, Serialize};
use std::ops::Deref;
use std::str::FromStr;
use velvet_peg_core::raster::Resampling;
use velvet_peg_core::{AreaUnit, Bounds, LengthUnit, check_epoch};

/// What a word says, as planning sees it.
pub(super) trait WordValue {
    /// False if the word was left out.
    fn is_said(&self) -> bool {
        true
    }

    /// Columns of what the step starts from.
    fn columns(&self) -> Vec<&str> {
        Vec::new()
    }

    /// Columns of what the step is done with.
    fn columns_of_with(&self) -> Vec<&str> {
        Vec::new()
    }

    /// A reference system.
    fn system(&self) -> Option<&str> {
        None
    }

    /// Every text with a reference system in it.
    fn systems_mut(&mut self) -> Vec<&mut String> {
        Vec::new()
    }
}

macro_rules! words_that_are {
    ($(#[$doc:meta] $name:ident { $($method:tt)* })*) => {$(
        #[$doc]
        #[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
        #[serde(transparent)]
        pub struct $name(String);

        impl Deref for $name {
            type Target = str;

            fn deref(&self) -> &str {
                &self.0
            }
        }

        impl From<&str> for $name {
            fn from(text: &str) -> $name {
                $name(text.to_string())
            }
        }

        impl From<String> for $name {
            fn from(text: String) -> $name {
                $name(text)
            }
        }

        impl WordValue for $name {
            $($method)*
        }
    )*};
}

words_that_are! {
    /// The name of a column of what the step starts from.
    Column {
        fn columns(&self) -> Vec<&str> {
            vec![&self.0]
        }
    }
    /// The name of a column of what the step is done with.
    ColumnOfWith {
        fn columns_of_with(&self) -> Vec<&str> {
            vec![&self.0]
        }
    }
    /// A reference system (REF).
    SystemText {
        fn system(&self) -> Option<&str> {
            Some(&self.0)
        }
        fn systems_mut(&mut self) -> Vec<&mut String> {
            vec![&mut self.0]
        }
    }
    /// Coordinates as columns: a reference system, names and decimals.
    CoordinatesText {
        fn systems_mut(&mut self) -> Vec<&mut String> {
            vec![&mut self.0]
        }
    }
}

macro_rules! units {
    ($(#[$doc:meta] $name:ident($unit:ty))*) => {$(
        #[$doc]
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
        #[serde(try_from = "String", into = "String")]
        pub struct $name { text: String, unit: $unit }

        impl $name {
            /// The unit of a name.
            ///
            /// # Errors
            /// If there is no such unit.
            pub fn named(text: &str) -> crate::error::Result<$name> {
                Ok($name { text: text.to_string(), unit: <$unit>::named(text)? })
            }

            /// The unit.
            pub fn unit(&self) -> $unit {
                self.unit
            }
        }

        impl TryFrom<String> for $name {
            type Error = crate::error::Error;

            fn try_from(text: String) -> crate::error::Result<$name> {
                $name::named(&text)
            }
        }

        impl From<$name> for String {
            fn from(name: $name) -> String {
                name.text
            }
        }

        impl WordValue for $name {}
    )*};
}

units! {
    /// A unit of length by one of its names.
    LengthUnitName(LengthUnit)
    /// A unit of area by one of its names.
    AreaUnitName(AreaUnit)
}

/// An epoch of coordinates in decimal years.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "f64", into = "f64")]
pub struct Epoch(f64);

impl Epoch {
    /// The epoch of a year with decimals.
    ///
    /// # Errors
    /// If it is not from 1900 to 2100.
    pub fn new(year: f64) -> crate::error::Result<Epoch> {
        Ok(Epoch(check_epoch(year)?))
    }

    /// Decimal years.
    pub fn year(self) -> f64 {
        self.0
    }
}

impl TryFrom<f64> for Epoch {
    type Error = crate::error::Error;

    fn try_from(year: f64) -> crate::error::Result<Epoch> {
        Epoch::new(year)
    }
}

impl From<Epoch> for f64 {
    fn from(epoch: Epoch) -> f64 {
        epoch.0
    }
}

impl WordValue for Epoch {}

/// An operation from datum to datum by its EPSG code: `EPSG:1188`, or the number alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct OperationCode(u32);

impl OperationCode {
    /// The code as a number.
    pub fn code(self) -> u32 {
        self.0
    }
}

impl FromStr for OperationCode {
    type Err = crate::error::Error;

    fn from_str(text: &str) -> crate::error::Result<OperationCode> {
        let text = text.trim();
        let digits = match text.split_once(':') {
            Some((authority, digits)) if authority.eq_ignore_ascii_case("epsg") => digits,
            Some(_) => "",
            None => text,
        };
        digits.parse().map(OperationCode).map_err(|_| {
            crate::error::Error::usage(format!(
                "`{text}` is no operation: write its code in the registry, such as EPSG:1188"
            ))
        })
    }
}

impl TryFrom<String> for OperationCode {
    type Error = crate::error::Error;

    fn try_from(text: String) -> crate::error::Result<OperationCode> {
        text.parse()
    }
}

impl From<OperationCode> for String {
    fn from(operation: OperationCode) -> String {
        format!("EPSG:{}", operation.0)
    }
}

impl WordValue for OperationCode {}

/// Width and height of a pixel, in the unit of its system: one number of a square, or two.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "OneOrTwo", into = "OneOrTwo")]
pub struct PixelSize {
    width: f64,
    height: f64,
}

#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum OneOrTwo {
    One(f64),
    Two(f64, f64),
}

impl PixelSize {
    /// Of a width and a height.
    ///
    /// # Errors
    /// If one of them is no number above 0.
    pub fn new(width: f64, height: f64) -> crate::error::Result<PixelSize> {
        match [width, height].iter().all(|size| *size > 0.0 && size.is_finite()) {
            true => Ok(PixelSize { width, height }),
            false => Err(crate::error::Error::usage("the size of a pixel is a number above 0")),
        }
    }

    /// Width and height.
    pub fn sides(self) -> (f64, f64) {
        (self.width, self.height)
    }
}

impl TryFrom<OneOrTwo> for PixelSize {
    type Error = crate::error::Error;

    fn try_from(sizes: OneOrTwo) -> crate::error::Result<PixelSize> {
        match sizes {
            OneOrTwo::One(size) => PixelSize::new(size, size),
            OneOrTwo::Two(width, height) => PixelSize::new(width, height),
        }
    }
}

impl From<PixelSize> for OneOrTwo {
    fn from(size: PixelSize) -> OneOrTwo {
        match size.width == size.height {
            true => OneOrTwo::One(size.width),
            false => OneOrTwo::Two(size.width, size.height),
        }
    }
}

impl WordValue for PixelSize {}

/// Edges of a raster, in the unit of its system.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "[f64; 4]", into = "[f64; 4]")]
pub struct Edges(Bounds);

impl Edges {
    /// Of a box.
    ///
    /// # Errors
    /// If it is empty.
    pub fn new(bounds: Bounds) -> crate::error::Result<Edges> {
        match bounds.west < bounds.east && bounds.south < bounds.north {
            true => Ok(Edges(bounds)),
            false => Err(crate::error::Error::usage(
                "edges are west, south, east, north: west is less than east, and south less than north",
            )),
        }
    }

    /// The box.
    pub fn bounds(self) -> Bounds {
        self.0
    }
}

impl TryFrom<[f64; 4]> for Edges {
    type Error = crate::error::Error;

    fn try_from([west, south, east, north]: [f64; 4]) -> crate::error::Result<Edges> {
        Edges::new(Bounds { south, west, north, east })
    }
}

impl From<Edges> for [f64; 4] {
    fn from(Edges(edges): Edges) -> [f64; 4] {
        [edges.west, edges.south, edges.east, edges.north]
    }
}

impl WordValue for Edges {}

/// How values between pixels come about, by its name.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct WayOfResampling(pub Resampling);

impl TryFrom<String> for WayOfResampling {
    type Error = crate::error::Error;

    fn try_from(text: String) -> crate::error::Result<WayOfResampling> {
        Resampling::named(&text).map(WayOfResampling).ok_or_else(|| {
            let names: Vec<&str> = Resampling::ALL.iter().map(|way| way.name()).collect();
            crate::error::Error::usage(format!(
                "values come about by one of {}, not by `{text}`",
                names.join(", ")
            ))
        })
    }
}

impl From<WayOfResampling> for String {
    fn from(way: WayOfResampling) -> String {
        way.0.name().to_string()
    }
}

impl WordValue for WayOfResampling {}

impl WordValue for String {}
impl WordValue for f64 {}
impl WordValue for char {}
impl WordValue for bool {
    fn is_said(&self) -> bool {
        *self
    }
}
impl WordValue for (f64, f64) {}

impl<T: WordValue> WordValue for Option<T> {
    fn is_said(&self) -> bool {
        self.is_some()
    }

    fn columns(&self) -> Vec<&str> {
        self.as_ref().map(T::columns).unwrap_or_default()
    }

    fn columns_of_with(&self) -> Vec<&str> {
        self.as_ref().map(T::columns_of_with).unwrap_or_default()
    }

    fn system(&self) -> Option<&str> {
        self.as_ref()?.system()
    }

    fn systems_mut(&mut self) -> Vec<&mut String> {
        self.as_mut().map(T::systems_mut).unwrap_or_default()
    }
}

impl<T: WordValue> WordValue for Vec<T> {
    fn is_said(&self) -> bool {
        !self.is_empty()
    }

    fn columns(&self) -> Vec<&str> {
        self.iter().flat_map(T::columns).collect()
    }

    fn columns_of_with(&self) -> Vec<&str> {
        self.iter().flat_map(T::columns_of_with).collect()
    }

    fn systems_mut(&mut self) -> Vec<&mut String> {
        self.iter_mut().flat_map(T::systems_mut).collect()
    }
}

impl<T> WordValue for IndexMap<String, T> {
    fn is_said(&self) -> bool {
        !self.is_empty()
    }
}
