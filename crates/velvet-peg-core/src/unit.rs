//! Units of length and angle, and of area for the answers people want.
//!
//! Every unit carries its exact factor. The two feet are two units: the US survey foot
//! (1200/3937 m) and the international foot (0.3048 m); neither is called "ft" alone.

use crate::error::{Error, Kind, Result};
use velvet_peg_epsg::UnitRow;

/// A unit of length.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LengthUnit {
    name: &'static str,
    symbol: &'static str,
    metres: f64,
    code: u32,
}

impl LengthUnit {
    /// The metre.
    pub const METRE: LengthUnit =
        LengthUnit { name: "metre", symbol: "m", metres: 1.0, code: 9001 };
    /// The international foot, 0.3048 m exactly.
    pub const FOOT: LengthUnit =
        LengthUnit { name: "international foot", symbol: "ft", metres: 0.3048, code: 9002 };
    /// The US survey foot, 1200/3937 m exactly.
    pub const US_SURVEY_FOOT: LengthUnit =
        LengthUnit { name: "US survey foot", symbol: "ftUS", metres: 1200.0 / 3937.0, code: 9003 };

    /// A unit of length of the registry.
    ///
    /// ```
    /// use velvet_peg_core::LengthUnit;
    /// assert_eq!(LengthUnit::from_epsg(9003)?, LengthUnit::US_SURVEY_FOOT);
    /// assert!(LengthUnit::US_SURVEY_FOOT.metres() > LengthUnit::FOOT.metres());
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the code is not one of a unit of length.
    pub fn from_epsg(code: u32) -> Result<LengthUnit> {
        match code {
            9001 => return Ok(LengthUnit::METRE),
            9002 => return Ok(LengthUnit::FOOT),
            9003 => return Ok(LengthUnit::US_SURVEY_FOOT),
            _ => {}
        }
        let (name, metres) = factor(code, "length")?;
        Ok(LengthUnit { name, symbol: name, metres, code })
    }

    /// The unit of so many metres: the registry's, if it has one of this length (to a part in
    /// 10¹⁰, which keeps all its feet apart), otherwise one without a code.
    ///
    /// ```
    /// use velvet_peg_core::LengthUnit;
    /// assert_eq!(LengthUnit::of_metres(0.304800609601219)?, LengthUnit::US_SURVEY_FOOT);
    /// assert_eq!(LengthUnit::of_metres(0.75)?.code(), 0);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the length is not positive.
    pub fn of_metres(metres: f64) -> Result<LengthUnit> {
        if !(metres > 0.0 && metres.is_finite()) {
            return Err(Error::malformed(format!("a unit of length cannot have {metres} m")));
        }
        let fits = |unit: &LengthUnit| (unit.metres / metres - 1.0).abs() < 1e-10;
        let common = [LengthUnit::METRE, LengthUnit::FOOT, LengthUnit::US_SURVEY_FOOT];
        let known = common.into_iter().find(fits).or_else(|| {
            UnitRow::all()
                .filter(|row| row.kind == "length")
                .filter_map(|row| LengthUnit::from_epsg(row.code).ok())
                .find(fits)
        });
        Ok(known.unwrap_or(LengthUnit { name: "unnamed unit", symbol: "units", metres, code: 0 }))
    }

    /// Name, such as "US survey foot".
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// Name for more than one: `US survey feet`.
    pub fn plural(&self) -> String {
        match self.name.strip_suffix("foot") {
            Some(kind) => format!("{kind}feet"),
            None => format!("{}s", self.name),
        }
    }

    /// Short form: `m`, `ftUS`, `ft` (international), otherwise the name.
    pub fn symbol(&self) -> &'static str {
        self.symbol
    }

    /// Metres in one unit.
    pub fn metres(&self) -> f64 {
        self.metres
    }

    /// EPSG code.
    pub fn code(&self) -> u32 {
        self.code
    }
}

/// A unit of angle.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct AngleUnit {
    name: &'static str,
    degrees: f64,
    code: u32,
}

impl AngleUnit {
    /// The degree.
    pub const DEGREE: AngleUnit = AngleUnit { name: "degree", degrees: 1.0, code: 9102 };

    /// A unit of angle of the registry. The packed and supplier-defined representations of
    /// degrees count as degrees.
    ///
    /// ```
    /// use velvet_peg_core::AngleUnit;
    /// assert_eq!(AngleUnit::from_epsg(9105)?.degrees(), 0.9); // the grad
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the code is not one of a unit of angle.
    pub fn from_epsg(code: u32) -> Result<AngleUnit> {
        let degrees = match code {
            // Degree, and representations of degrees (hemisphere, packed, supplier to define).
            9102 | 9107 | 9108 | 9110 | 9111 | 9115..=9122 => return Ok(AngleUnit::DEGREE),
            9105 | 9106 => 0.9, // grad, gon: 400 to the turn
            9104 => 1.0 / 3600.0,
            9103 => 1.0 / 60.0,
            9112 => 0.9 / 100.0,
            9113 => 0.9 / 10_000.0,
            1031 => 1.0 / 3_600_000.0,
            // The table's factors carry π to 15 digits; only their quotient with it is meant.
            _ => factor(code, "angle")?.1.to_degrees(),
        };
        let name = UnitRow::find(code).map_or("angle", |row| row.name);
        Ok(AngleUnit { name, degrees, code })
    }

    /// The unit of so many radians: the registry's, if it has one of this size (to a part in
    /// 10¹⁰), otherwise one without a code.
    ///
    /// # Errors
    /// If the size is not positive.
    pub fn of_radians(radians: f64) -> Result<AngleUnit> {
        let degrees = radians.to_degrees();
        if !(degrees > 0.0 && degrees.is_finite()) {
            return Err(Error::malformed(format!("a unit of angle cannot have {radians} radian")));
        }
        let known = [9102, 9105, 9101, 9104, 9103, 9109, 9112, 9113]
            .into_iter()
            .filter_map(|code| AngleUnit::from_epsg(code).ok())
            .find(|unit| (unit.degrees / degrees - 1.0).abs() < 1e-10);
        Ok(known.unwrap_or(AngleUnit { name: "unnamed unit", degrees, code: 0 }))
    }

    /// Name, such as "degree".
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// Degrees in one unit.
    pub fn degrees(&self) -> f64 {
        self.degrees
    }

    /// EPSG code.
    pub fn code(&self) -> u32 {
        self.code
    }
}

/// The factor of a registry unit to its standard unit (metre, radian, unity).
pub(crate) fn factor(code: u32, kind: &str) -> Result<(&'static str, f64)> {
    let row = UnitRow::find(code)
        .ok_or_else(|| Error::new(Kind::Unknown, format!("the registry has no unit {code}")))?;
    match (row.factor_b, row.factor_c) {
        (Some(b), Some(c)) if row.kind == kind => Ok((row.name, b.to_f64() / c.to_f64())),
        _ => Err(Error::unsupported(format!(
            "unit {code} ({}) is not a unit of {kind} with a factor",
            row.name
        ))),
    }
}

/// A unit of area for answers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AreaUnit {
    /// m².
    SquareMetre,
    /// 10 000 m².
    Hectare,
    /// 43 560 square US survey feet: the acre of United States land records.
    UsSurveyAcre,
    /// 43 560 square international feet, 4046.8564224 m².
    Acre,
}

impl AreaUnit {
    /// Square metres in one unit.
    pub fn square_metres(self) -> f64 {
        match self {
            AreaUnit::SquareMetre => 1.0,
            AreaUnit::Hectare => 10_000.0,
            AreaUnit::UsSurveyAcre => 43_560.0 * (1200.0 / 3937.0) * (1200.0 / 3937.0),
            AreaUnit::Acre => 4_046.856_422_4,
        }
    }

    /// Name with the kind of foot behind it.
    pub fn name(self) -> &'static str {
        match self {
            AreaUnit::SquareMetre => "square metre",
            AreaUnit::Hectare => "hectare",
            AreaUnit::UsSurveyAcre => "acre (US survey)",
            AreaUnit::Acre => "acre (international)",
        }
    }
}
