//! Units of length and angle, and of area for the answers people want.
//!
//! Every unit carries its exact factor. The two feet are two units: the US survey foot
//! (1200/3937 m) and the international foot (0.3048 m); neither is called "ft" alone.

use crate::error::{Error, Kind, Result};
use crate::spelling::nearest;
use std::fmt;
use std::str::FromStr;
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
        LengthUnit { name: "international foot", symbol: "ft-intl", metres: 0.3048, code: 9002 };
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
        let symbol = match code {
            9036 => "km",
            9035 => "miUS",
            9093 => "mi-intl",
            9033 => "chUS",
            9097 => "ch-intl",
            9034 => "linkUS",
            9098 => "link-intl",
            9096 => "yd",
            9030 => "nmi",
            _ => name,
        };
        Ok(LengthUnit { name, symbol, metres, code })
    }

    /// The unit of so many metres: the registry's, if it has one of this length (to a part in
    /// 10¹⁰, which keeps all its feet apart; the metre and the feet in use are also known by seven
    /// digits, as 0.3048006), otherwise one without a code.
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
        let fits = |unit: &LengthUnit, part: f64| (unit.metres / metres - 1.0).abs() < part;
        let common = [LengthUnit::METRE, LengthUnit::FOOT, LengthUnit::US_SURVEY_FOOT];
        let known = common.into_iter().find(|unit| fits(unit, 1e-7)).or_else(|| {
            UnitRow::all()
                .filter(|row| row.kind == "length")
                .filter_map(|row| LengthUnit::from_epsg(row.code).ok())
                .find(|unit| fits(unit, 1e-10))
        });
        Ok(known.unwrap_or(LengthUnit { name: "unnamed unit", symbol: "units", metres, code: 0 }))
    }

    /// The unit of a word as people write it: `m`, `km`, `ftUS`, `ft-intl`, `miUS`, `mi-intl`,
    /// `chUS`, `ch-intl`, `linkUS`, `link-intl`, `yd`, `nmi`, or the registry's name.
    ///
    /// ```
    /// use velvet_peg_core::LengthUnit;
    /// assert_eq!(LengthUnit::named("ftUS")?, LengthUnit::US_SURVEY_FOOT);
    /// assert_eq!(LengthUnit::named("US survey chain")?, LengthUnit::named("chUS")?);
    /// assert!(LengthUnit::named("ft").is_err()); // which foot?
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the word is none of these, or leaves open which of two units is meant.
    pub fn named(text: &str) -> Result<LengthUnit> {
        let word: String =
            text.chars().filter(|c| !" .-_".contains(*c)).collect::<String>().to_lowercase();
        let code = match word.as_str() {
            "m" | "metre" | "metres" | "meter" | "meters" => 9001,
            "km" | "kilometre" | "kilometres" | "kilometer" | "kilometers" => 9036,
            "ftus" | "usft" | "ussurveyfoot" | "ussurveyfeet" | "sft" => 9003,
            "ftintl" | "intlft" | "internationalfoot" | "internationalfeet" | "ift" => 9002,
            "mius" | "ussurveymile" | "ussurveymiles" => 9035,
            "miintl" | "statutemile" | "internationalmile" => 9093,
            "chus" | "ussurveychain" | "ussurveychains" => 9033,
            "chintl" | "internationalchain" => 9097,
            "linkus" | "lkus" | "ussurveylink" | "ussurveylinks" => 9034,
            "linkintl" | "lkintl" | "internationallink" => 9098,
            "yd" | "yard" | "yards" => 9096,
            "nmi" | "nauticalmile" | "nauticalmiles" => 9030,
            "ft" | "foot" | "feet" | "'" => return Err(which(text, "ftUS", "ft-intl")),
            "mi" | "mile" | "miles" => return Err(which(text, "miUS", "mi-intl")),
            "ch" | "chain" | "chains" => return Err(which(text, "chUS", "ch-intl")),
            "link" | "links" | "lk" => return Err(which(text, "linkUS", "link-intl")),
            _ => {
                let named = UnitRow::all()
                    .find(|row| row.kind == "length" && row.name.eq_ignore_ascii_case(text.trim()));
                let row = named.ok_or_else(|| {
                    let names = UnitRow::all().filter(|row| row.kind == "length");
                    let names = LENGTHS.into_iter().chain(names.map(|row| row.name));
                    Error::malformed(format!(
                        "`{text}` is no unit of length known here: use {}{}",
                        LENGTHS.join(", "),
                        meant(text, names)
                    ))
                })?;
                row.code
            }
        };
        LengthUnit::from_epsg(code)
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

    /// Short form: `m`, `ftUS`, `ft-intl`, otherwise the name.
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

/// Symbols of units of length that are asked for.
const LENGTHS: [&str; 12] = [
    "m",
    "km",
    "ftUS",
    "ft-intl",
    "miUS",
    "mi-intl",
    "chUS",
    "ch-intl",
    "linkUS",
    "link-intl",
    "yd",
    "nmi",
];

/// The end of a message about a word that is spelled like another.
fn meant(text: &str, names: impl Iterator<Item = &'static str>) -> String {
    nearest(text, names).map_or(String::new(), |name| format!("; did you mean `{name}`?"))
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

    /// The unit of so many radians: the registry's, if it has one of this size (to a part in a
    /// million: 0.0174533 is the degree), otherwise one without a code.
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
            .find(|unit| (unit.degrees / degrees - 1.0).abs() < 1e-6);
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

/// Which of two units is meant has to be said.
fn which(text: &str, us: &str, international: &str) -> Error {
    Error::malformed(format!(
        "`{text}` leaves open which is meant: write {us} (US survey) or {international} \
         (international)"
    ))
}

/// A unit of area for answers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AreaUnit {
    /// m².
    SquareMetre,
    /// 10 000 m².
    Hectare,
    /// 1 000 000 m².
    SquareKilometre,
    /// 43 560 square US survey feet: the acre of United States land records.
    UsSurveyAcre,
    /// 43 560 square international feet, 4046.8564224 m².
    Acre,
    /// (1200/3937 m)².
    SquareUsSurveyFoot,
    /// (0.3048 m)².
    SquareFoot,
}

impl AreaUnit {
    /// All of them.
    pub const ALL: [AreaUnit; 7] = [
        AreaUnit::SquareMetre,
        AreaUnit::Hectare,
        AreaUnit::SquareKilometre,
        AreaUnit::UsSurveyAcre,
        AreaUnit::Acre,
        AreaUnit::SquareUsSurveyFoot,
        AreaUnit::SquareFoot,
    ];

    /// The unit of a word as people write it: `m2`, `ha`, `km2`, `acUS`, `ac-intl`, `ft2US`,
    /// `ft2-intl`.
    ///
    /// ```
    /// use velvet_peg_core::AreaUnit;
    /// assert_eq!(AreaUnit::named("acUS")?, AreaUnit::UsSurveyAcre);
    /// assert!(AreaUnit::named("acre").is_err()); // of which foot?
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the word is none of these, or leaves open which of two units is meant.
    pub fn named(text: &str) -> Result<AreaUnit> {
        let word: String =
            text.chars().filter(|c| !" .-_".contains(*c)).collect::<String>().to_lowercase();
        match word.replace('²', "2").as_str() {
            "ac" | "acre" | "acres" => return Err(which(text, "acUS", "ac-intl")),
            "ft2" | "sqft" => return Err(which(text, "ft2US", "ft2-intl")),
            word => AreaUnit::ALL.into_iter().find(|unit| {
                let symbol = unit.symbol().replace('²', "2").replace('-', "").to_lowercase();
                symbol == word || unit.name() == text.trim()
            }),
        }
        .ok_or_else(|| {
            const SYMBOLS: [&str; 7] = ["m2", "ha", "km2", "acUS", "ac-intl", "ft2US", "ft2-intl"];
            let names = SYMBOLS.into_iter().chain(AreaUnit::ALL.map(AreaUnit::name));
            Error::malformed(format!(
                "`{text}` is no unit of area known here: use {}{}",
                SYMBOLS.join(", "),
                meant(text, names)
            ))
        })
    }

    /// Square metres in one unit.
    pub fn square_metres(self) -> f64 {
        let us_foot = 1200.0 / 3937.0;
        match self {
            AreaUnit::SquareMetre => 1.0,
            AreaUnit::Hectare => 10_000.0,
            AreaUnit::SquareKilometre => 1_000_000.0,
            AreaUnit::UsSurveyAcre => 43_560.0 * us_foot * us_foot,
            AreaUnit::Acre => 4_046.856_422_4,
            AreaUnit::SquareUsSurveyFoot => us_foot * us_foot,
            AreaUnit::SquareFoot => 0.092_903_04,
        }
    }

    /// Name with the kind of foot behind it.
    pub fn name(self) -> &'static str {
        match self {
            AreaUnit::SquareMetre => "square metre",
            AreaUnit::Hectare => "hectare",
            AreaUnit::SquareKilometre => "square kilometre",
            AreaUnit::UsSurveyAcre => "acre (US survey)",
            AreaUnit::Acre => "acre (international)",
            AreaUnit::SquareUsSurveyFoot => "square US survey foot",
            AreaUnit::SquareFoot => "square international foot",
        }
    }

    /// Short form, which `named` reads.
    pub fn symbol(self) -> &'static str {
        match self {
            AreaUnit::SquareMetre => "m²",
            AreaUnit::Hectare => "ha",
            AreaUnit::SquareKilometre => "km²",
            AreaUnit::UsSurveyAcre => "acUS",
            AreaUnit::Acre => "ac-intl",
            AreaUnit::SquareUsSurveyFoot => "ft²US",
            AreaUnit::SquareFoot => "ft²-intl",
        }
    }
}

/// As [`LengthUnit::named`].
impl FromStr for LengthUnit {
    type Err = Error;

    fn from_str(text: &str) -> Result<LengthUnit> {
        LengthUnit::named(text)
    }
}

/// As [`AreaUnit::named`].
impl FromStr for AreaUnit {
    type Err = Error;

    fn from_str(text: &str) -> Result<AreaUnit> {
        AreaUnit::named(text)
    }
}

/// The symbol, such as `ftUS`.
impl fmt::Display for LengthUnit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.symbol())
    }
}

/// The symbol, such as `acUS`.
impl fmt::Display for AreaUnit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.symbol())
    }
}
