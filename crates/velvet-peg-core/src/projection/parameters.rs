//! Parameters of an operation, each converted by its own unit as it is read.

use crate::error::{Error, Result};
use crate::unit::{AngleUnit, LengthUnit, factor};
use velvet_peg_epsg::{UnitRow, Value, parameter_name};

/// A parameter's value in the library's own units.
#[derive(Clone, Debug, PartialEq)]
pub enum Quantity {
    /// Degrees.
    Angle(f64),
    /// Metres.
    Length(f64),
    /// A ratio; 1 is unity.
    Scale(f64),
    /// Degrees, metres or unity a year (or a time, in years), as the parameter says.
    Rate(f64),
    /// The name of a file.
    File(String),
}

/// One parameter: its EPSG code, its value, and how the registry prints it.
#[derive(Clone, Debug)]
pub struct Parameter {
    /// EPSG parameter code, such as 8801.
    pub code: u32,
    /// Value in the library's units.
    pub quantity: Quantity,
    /// Value as printed in the registry, with its unit code; none for parameters given in
    /// code.
    pub printed: Option<(velvet_peg_epsg::Decimal, u32)>,
}

impl Parameter {
    /// The number in the library's unit; none for the name of a file.
    pub fn value(&self) -> Option<f64> {
        match self.quantity {
            Quantity::Angle(value)
            | Quantity::Length(value)
            | Quantity::Scale(value)
            | Quantity::Rate(value) => Some(value),
            Quantity::File(_) => None,
        }
    }

    /// The registry's name of the parameter.
    pub fn name(&self) -> &'static str {
        parameter_name(self.code).unwrap_or("parameter")
    }
}

/// The parameters of one operation.
#[derive(Clone, Debug, Default)]
pub struct Parameters(Vec<Parameter>);

impl Parameters {
    /// Starts an empty list, to be filled with [`Parameters::angle`] and its like.
    pub fn new() -> Parameters {
        Parameters::default()
    }

    /// Adds an angle in degrees.
    pub fn angle(self, code: u32, degrees: f64) -> Parameters {
        self.with(code, Quantity::Angle(degrees))
    }

    /// Adds a length in metres.
    pub fn length(self, code: u32, metres: f64) -> Parameters {
        self.with(code, Quantity::Length(metres))
    }

    /// Adds a ratio, such as a scale factor.
    pub fn scale(self, code: u32, ratio: f64) -> Parameters {
        self.with(code, Quantity::Scale(ratio))
    }

    /// Adds a length given in a unit.
    pub(crate) fn length_in(self, code: u32, value: f64, unit: LengthUnit) -> Parameters {
        self.length(code, value * unit.metres())
    }

    /// Adds a parameter as it is.
    pub(crate) fn and(mut self, parameter: Parameter) -> Parameters {
        self.0.push(parameter);
        self
    }

    fn with(mut self, code: u32, quantity: Quantity) -> Parameters {
        self.0.push(Parameter { code, quantity, printed: None });
        self
    }

    /// All parameters in the order of the method.
    pub fn iter(&self) -> impl Iterator<Item = &Parameter> {
        self.0.iter()
    }

    /// The parameters of a row of the registry, each converted by its own unit.
    ///
    /// ```
    /// use velvet_peg_core::projection::Parameters;
    /// use velvet_peg_core::registry::OperationRow;
    /// let row = OperationRow::find(1314).unwrap(); // OSGB36 to WGS 84 (6)
    /// let shift = Parameters::from_registry(&row.parameters)?;
    /// assert_eq!(shift.iter().next().unwrap().value(), Some(446.448)); // metres along X
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If a unit is none that is known.
    pub fn from_registry(values: &[(u32, Value)]) -> Result<Parameters> {
        values
            .iter()
            .map(|(code, value)| {
                Ok(Parameter {
                    code: *code,
                    quantity: quantity(*code, value)?,
                    printed: match value {
                        Value::Number(number, unit) => Some((*number, unit.unwrap_or(0))),
                        Value::File(_) => None,
                    },
                })
            })
            .collect::<Result<Vec<_>>>()
            .map(Parameters)
    }

    fn find(&self, code: u32) -> Result<&Quantity> {
        let found = self.0.iter().find(|parameter| parameter.code == code);
        found.map(|parameter| &parameter.quantity).ok_or_else(|| {
            Error::malformed(format!(
                "the operation lacks its parameter {code} ({})",
                parameter_name(code).unwrap_or("unknown")
            ))
        })
    }

    /// Refuses a natural origin that is not on the equator, for methods that state its latitude for
    /// completeness only (EPSG Guidance Note 7-2, Mercator variant A).
    pub(crate) fn origin_on_equator(&self) -> Result<()> {
        let latitude = self.degrees(super::parameter_code::LATITUDE_OF_NATURAL_ORIGIN)?;
        if latitude == 0.0 {
            return Ok(());
        }
        Err(Error::unsupported(format!(
            "the method has its natural origin on the equator, not at latitude {latitude}°: of the \
             variants of Mercator, B has a standard parallel, and C a parallel where northings begin"
        )))
    }

    /// Degrees of an angle.
    pub(crate) fn degrees(&self, code: u32) -> Result<f64> {
        match self.find(code)? {
            Quantity::Angle(degrees) if degrees.abs() <= 360.0 => Ok(*degrees),
            Quantity::Angle(degrees) => Err(Error::malformed(format!(
                "parameter {code} ({}) is {degrees}°, beyond a full circle",
                parameter_name(code).unwrap_or("unknown")
            ))),
            other => Err(wrong_kind(code, "an angle", other)),
        }
    }

    /// Metres of a length.
    pub(crate) fn metres(&self, code: u32) -> Result<f64> {
        match self.find(code)? {
            Quantity::Length(metres) if metres.is_finite() => Ok(*metres),
            other => Err(wrong_kind(code, "a length", other)),
        }
    }

    /// A ratio.
    pub(crate) fn ratio(&self, code: u32) -> Result<f64> {
        match self.find(code)? {
            Quantity::Scale(ratio) if ratio.is_finite() => Ok(*ratio),
            other => Err(wrong_kind(code, "a ratio", other)),
        }
    }

    /// Degrees, metres or unity a year, or a time in years.
    pub(crate) fn rate(&self, code: u32) -> Result<f64> {
        match self.find(code)? {
            Quantity::Rate(rate) if rate.is_finite() => Ok(*rate),
            other => Err(wrong_kind(code, "a rate or a time", other)),
        }
    }

    pub(crate) fn file(&self) -> Option<&str> {
        self.files().next()
    }

    /// Names of files, in the order of the method.
    pub(crate) fn files(&self) -> impl Iterator<Item = &str> {
        self.0.iter().filter_map(|parameter| match &parameter.quantity {
            Quantity::File(name) => Some(name.as_str()),
            _ => None,
        })
    }
}

fn wrong_kind(code: u32, wanted: &str, given: &Quantity) -> Error {
    let given = match given {
        Quantity::Angle(degrees) => format!("an angle of {degrees}°"),
        Quantity::Length(metres) => format!("a length of {metres} m"),
        Quantity::Scale(ratio) => format!("a ratio of {ratio}"),
        Quantity::Rate(rate) => format!("a rate of {rate} a year"),
        Quantity::File(name) => format!("the file {name}"),
    };
    Error::malformed(format!(
        "parameter {code} ({}) is {wanted}, and {given} was given",
        parameter_name(code).unwrap_or("unknown")
    ))
}

fn quantity(parameter: u32, value: &Value) -> Result<Quantity> {
    let (number, unit) = match value {
        Value::File(name) => return Ok(Quantity::File((*name).to_string())),
        Value::Number(number, unit) => (*number, *unit),
    };
    let value = number.to_f64();
    let Some(unit) = unit else {
        return Ok(Quantity::Scale(value));
    };
    // A few withdrawn rows give a scale factor in metres or parts per million; a value near
    // one can only be a ratio.
    if parameter == 8805 && (0.5..2.0).contains(&value) {
        return Ok(Quantity::Scale(value));
    }
    Ok(match unit {
        9110 => Quantity::Angle(number.packed_degrees()),
        9102 => Quantity::Angle(value),
        // Ways to write coordinates, not sizes of parameters.
        9107 | 9108 | 9111 | 9115..=9122 => {
            return Err(Error::unsupported(format!(
                "parameter {parameter} is in unit {unit}, which says how an angle is written and not \
                 how large it is"
            )));
        }
        9201 => Quantity::Scale(value),
        9202 => Quantity::Scale(value / 1e6),
        1028 => Quantity::Scale(value / 1e9),
        1029 => Quantity::Rate(value),
        1027 => Quantity::Rate(value / 1e3),
        1034 => Quantity::Rate(value / 1e2),
        1042 => Quantity::Rate(value),
        1032 => Quantity::Rate(value / 3_600_000.0),
        1043 => Quantity::Rate(value / 3600.0),
        1030 => Quantity::Rate(value / 1e9),
        1041 => Quantity::Rate(value / 1e6),
        _ => match UnitRow::find(unit).map(|row| row.kind) {
            Some("length") => Quantity::Length(value * LengthUnit::from_epsg(unit)?.metres()),
            Some("angle") => Quantity::Angle(value * AngleUnit::from_epsg(unit)?.degrees()),
            Some("scale") => Quantity::Scale(value * factor(unit, "scale")?.1),
            _ => Quantity::Scale(value),
        },
    })
}
