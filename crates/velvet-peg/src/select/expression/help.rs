//! What expressions can call: one table for the messages, the command line and the documentation.

/// A function of expressions.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FunctionHelp {
    /// Its name.
    pub name: &'static str,
    /// What it takes.
    pub takes: &'static str,
    /// What it gives.
    pub gives: &'static str,
    /// Unit of what it gives; a dash where there is none.
    pub unit: &'static str,
    /// A column that can be computed with it.
    pub example: &'static str,
}

macro_rules! functions {
    ($($name:literal $takes:literal $gives:literal $unit:literal $example:literal)*) => {
        &[$(FunctionHelp {
            name: $name, takes: $takes, gives: $gives, unit: $unit, example: $example,
        }),*]
    };
}

/// Every function.
pub const FUNCTIONS: &[FunctionHelp] = functions! {
    "ST_Area" "geometry" "area on the ellipsoid, holes taken off" "square metres" "area_m2 = ST_Area(geometry)"
    "ST_Length" "geometry" "length of lines on the ellipsoid" "metres" "length_m = ST_Length(geometry)"
    "ST_Perimeter" "geometry" "length of all rings of polygons on the ellipsoid, holes included" "metres" "around_m = ST_Perimeter(geometry)"
    "Plane_Area" "geometry" "area in the plane of a projected system" "square units of the system" "grid_area = Plane_Area(geometry)"
    "Plane_Length" "geometry" "length of lines in the plane" "units of the system" "grid_length = Plane_Length(geometry)"
    "Plane_Perimeter" "geometry" "length of all rings in the plane" "units of the system" "grid_around = Plane_Perimeter(geometry)"
    "Acres" "square metres" "the same in acres of the international foot (4046.8564224 m²)" "acres" "acres = Acres(ST_Area(geometry))"
    "US_Acres" "square metres" "the same in acres of the US survey foot (4046.8726099 m²)" "US survey acres" "acres = US_Acres(ST_Area(geometry))"
    "Hectares" "square metres" "the same in hectares" "hectares" "ha = Hectares(ST_Area(geometry))"
    "Square_Feet" "square metres" "the same in square international feet" "square feet" "sq_ft = Square_Feet(ST_Area(geometry))"
    "US_Square_Feet" "square metres" "the same in square US survey feet" "square US survey feet" "sq_ft = US_Square_Feet(ST_Area(geometry))"
    "Square_Kilometres" "square metres" "the same in square kilometres" "square kilometres" "sq_km = Square_Kilometres(ST_Area(geometry))"
    "Square_Miles" "square metres" "the same in square international miles" "square miles" "sq_mi = Square_Miles(ST_Area(geometry))"
    "Feet" "metres" "the same in international feet (0.3048 m)" "feet" "length_ft = Feet(ST_Length(geometry))"
    "US_Feet" "metres" "the same in US survey feet (1200/3937 m)" "US survey feet" "length_ft = US_Feet(ST_Length(geometry))"
    "Kilometres" "metres" "the same in kilometres" "kilometres" "length_km = Kilometres(ST_Length(geometry))"
    "Miles" "metres" "the same in international miles" "miles" "length_mi = Miles(ST_Length(geometry))"
    "ST_X" "geometry" "longitude or easting of a point" "that of the output's system" "e = ST_X(geometry)"
    "ST_Y" "geometry" "latitude or northing of a point" "that of the output's system" "n = ST_Y(geometry)"
    "ST_Z" "geometry" "height of a point" "that of the data" "h = ST_Z(geometry)"
    "ST_M" "geometry" "measure of a point" "that of the data" "m = ST_M(geometry)"
    "ST_XMin" "geometry" "smallest longitude or easting" "that of the output's system" "west = ST_XMin(geometry)"
    "ST_YMin" "geometry" "smallest latitude or northing" "that of the output's system" "south = ST_YMin(geometry)"
    "ST_XMax" "geometry" "largest longitude or easting" "that of the output's system" "east = ST_XMax(geometry)"
    "ST_YMax" "geometry" "largest latitude or northing" "that of the output's system" "north = ST_YMax(geometry)"
    "ST_NumPoints" "geometry" "number of vertices" "-" "vertices = ST_NumPoints(geometry)"
    "ST_NumGeometries" "geometry" "number of parts" "-" "parts = ST_NumGeometries(geometry)"
    "ST_GeometryType" "geometry" "kind of geometry" "-" "kind = ST_GeometryType(geometry)"
    "ST_IsEmpty" "geometry" "true if there is no geometry" "-" "bare = ST_IsEmpty(geometry)"
    "ST_AsText" "geometry" "well-known text (ISO 19125-1)" "coordinates of the output's system" "wkt = ST_AsText(geometry)"
    "ABS" "a number" "the number without its sign" "that of the number" "drop = ABS(-3.5)"
    "ROUND" "a number, digits behind the point (0 if left out)" "the number rounded, halves away from 0" "that of the number" "whole = ROUND(2.345, 1)"
    "FLOOR" "a number" "the next whole number below" "that of the number" "low = FLOOR(2.9)"
    "CEIL" "a number" "the next whole number above" "that of the number" "high = CEIL(2.1)"
    "SQRT" "a number" "its square root; nothing for negative ones" "-" "root = SQRT(2)"
    "COALESCE" "values" "the first that is there" "that of the values" "text = COALESCE(NULL, 'none')"
    "NULLIF" "two values" "nothing if they are equal, else the first" "that of the first" "known = NULLIF(-9999, -9999)"
    "UPPER" "a text" "the text in capitals" "-" "loud = UPPER('gate')"
    "LOWER" "a text" "the text in small letters" "-" "quiet = LOWER('GATE')"
    "TRIM" "a text" "the text without blanks at its ends" "-" "bare = TRIM(' x ')"
    "LENGTH" "a text" "number of characters" "-" "count = LENGTH('gate')"
    "SUBSTRING" "a text, place from 1, number of characters" "part of the text" "-" "part = SUBSTRING('gate', 2, 2)"
    "REPLACE" "a text, what to look for, what to put there" "the text with the replacement" "-" "plain = REPLACE('a-b', '-', ' ')"
    "CONCAT" "values" "their texts one after the other" "-" "name = CONCAT('gate ', 7)"
};

impl FunctionHelp {
    /// The table of the documentation, in Markdown.
    ///
    /// ```
    /// assert!(velvet_peg::select::FunctionHelp::table().contains("| `ST_Area` |"));
    /// ```
    pub fn table() -> String {
        let mut lines = vec![
            "| function | takes | gives | unit | example |".to_string(),
            "| --- ".repeat(5) + "|",
        ];
        lines.extend(FUNCTIONS.iter().map(|f| {
            format!("| `{}` | {} | {} | {} | `{}` |", f.name, f.takes, f.gives, f.unit, f.example)
        }));
        lines.join("\n") + "\n"
    }
}

/// Every name, for messages.
pub(super) fn names() -> String {
    FUNCTIONS.iter().map(|function| function.name).collect::<Vec<_>>().join(", ")
}

/// Metres (or square metres) in the unit that a function converts to.
pub(super) fn unit_of(function: &str) -> Option<f64> {
    const US_FOOT: f64 = 1200.0 / 3937.0;
    Some(match function {
        "ACRES" => 4_046.856_422_4,
        "US_ACRES" => 43_560.0 * US_FOOT * US_FOOT,
        "HECTARES" => 1e4,
        "SQUARE_FEET" => 0.092_903_04,
        "US_SQUARE_FEET" => US_FOOT * US_FOOT,
        "SQUARE_KILOMETRES" => 1e6,
        "SQUARE_MILES" => 2_589_988.110_336,
        "FEET" => 0.3048,
        "US_FEET" => US_FOOT,
        "KILOMETRES" => 1e3,
        "MILES" => 1_609.344,
        _ => return None,
    })
}
