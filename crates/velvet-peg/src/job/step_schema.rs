//! The steps of jobs: which there are, and what each may say. Each word is declared once, with its
//! type and what it says; each kind of step once, with its words. Reading with line and column, the
//! documentation, planning, running and writing down follow from it.

use super::step_values::{
    AreaUnitName, Column, ColumnOfWith, CoordinatesText, Edges, Epoch, LengthUnitName,
    OperationCode, PixelSize, SystemText, WayOfResampling, WordValue,
};
use crate::error::Error;
use indexmap::IndexMap;
use serde::de::{Deserialize, IntoDeserializer};
use serde::ser::{Serialize, SerializeMap, Serializer};
use std::ops::Range;
use toml_edit::{Item, Table};

/// Makes an error with the line and column of a span.
pub(super) type At<'a> = &'a dyn Fn(Option<Range<usize>>, &str) -> Error;

macro_rules! words {
    ($($field:ident $word:literal: $kind:ty = $says:literal;)*) => {
        /// The words of steps, and what each says.
        pub const WORDS: &[(&str, &str)] = &[
            ("do", "the kind of step"),
            ("from", "the source or earlier step that it starts from"),
            (
                "as",
                "the name of what comes out, for later steps; the kind and number if not given",
            ),
            $(($word, $says)),*
        ];

        /// The type of a word, by the name of its field.
        macro_rules! word_type {
            $(($field) => { $kind };)*
        }

        /// The words, by the names of their fields.
        #[allow(non_upper_case_globals)]
        mod names {
            $(pub(super) const $field: &str = $word;)*
        }
    };
}

words! {
    crs "crs": Option<SystemText> = "the reference system (REF) of the data";
    to "to": Option<SystemText> = "the reference system to carry it to";
    epoch "epoch": Option<Epoch> = "epoch of the coordinates in decimal years";
    operations "operations": Vec<OperationCode> =
        "the operations to take from datum to datum: [\"EPSG:1188\"]; the best if not given";
    require_best "require-best": bool =
        "true to refuse where a better operation needs what is not there";
    x "x": Option<Column> = "column of longitudes or eastings; of courses, that of where a parcel begins";
    y "y": Option<Column> = "column of latitudes or northings; of courses, that of where a parcel begins";
    z "z": Option<Column> = "column of heights";
    packed "packed": bool = "true for angles packed as DDDMMSS.s";
    decimal_comma "decimal-comma": bool = "true for a comma as the decimal point of coordinates";
    thousands "thousands": Option<char> = "what groups thousands in coordinates";
    geometry "geometry": Option<Column> = "column with geometries as text";
    by "by": Vec<Column> = "columns that tell features apart";
    order "order": Option<Column> = "column that puts vertices in order";
    part "part": Option<Column> = "column that tells the parts of a feature apart";
    ring "ring": Option<Column> = "column that tells the rings of a polygon apart";
    repair "repair": bool = "true to repair what can be repaired without guessing";
    bearing "bearing": Option<Column> = "column of directions";
    distance "distance": Option<Column> = "column of distances";
    radius "radius": Option<Column> = "column of radii of curves";
    delta "delta": Option<Column> = "column of central angles of curves";
    turn "turn": Option<Column> = "column of the turns of curves, left or right";
    start "start": Option<(f64, f64)> = "where the first course begins: [easting, northing]";
    unit "unit": Option<LengthUnitName> = "unit of distances: m, ftUS, ft-intl, chUS, …";
    combined_factor "combined-factor": Option<f64> = "combined factor between ground and grid";
    rotate "rotate": Option<f64> = "degrees added to every bearing";
    adjust "adjust": bool = "true to spread the misclosure by the compass rule";
    condition "where": Option<String> = "SQL condition for what is kept";
    set "set": Vec<String> = "columns computed as SQL: [\"acres = Acres(ST_Area(geometry))\"]";
    keep "keep": Vec<String> = "columns to keep, in this order";
    drop "drop": Vec<String> = "columns to leave out";
    first "first": Vec<String> = "columns that come first";
    rename "rename": IndexMap<String, String> = "new names by old ones: { old = \"new\" }";
    constant "constant": IndexMap<String, String> =
        "columns of one value: { district = \"Tumblewick\" }";
    round "round": IndexMap<String, usize> = "decimals by column: { acres = 2 }";
    format "format": IndexMap<String, String> =
        "numbers written as text, by column: { acres = \"2\" } or { acres = \",2\" }";
    coords "coords": Vec<CoordinatesText> =
        "coordinates as columns: [\"EPSG:32611:utm_e,utm_n:2\"]";
    pixel "pixel": Option<PixelSize> =
        "rasters: width and height of a pixel in the unit of the target, `10` or `[10, 5]`; so that \
         nothing is lost if not given";
    extent "extent": Option<Edges> =
        "rasters: edges of the output in its unit, `[west, south, east, north]`; the whole raster if \
         not given";
    align "align": Option<String> =
        "rasters: the raster whose pixels those of the output lie on: a source or an earlier step";
    resample "resample": Option<WayOfResampling> =
        "rasters: how values between pixels come about, nearest, bilinear, cubic or average (tags: \
         nearest or bilinear); by what the numbers are if not given";
    with "with": Option<String> =
        "the table to join, or the polygons or raster to tag from: a source or an earlier step";
    on "on": Option<Column> = "the key column of the layer";
    key "key": Option<ColumnOfWith> = "the key column of the table, if it has another name";
    columns "columns": Vec<ColumnOfWith> =
        "columns to take over, of a raster `band1` or `band1:name`; all if not given";
    prefix "prefix": Option<String> = "put in front of their names";
    many "many": bool = "true to let a feature come out once for each row of its key";
    loose "loose": bool = "true for keys without regard to capitals, blanks and leading zeros";
    matched_only "matched-only": bool =
        "true to leave out features whose key is not in the table";
    within "within": Option<f64> = "metres within which the nearest polygon is taken";
    tolerance "tolerance": Option<f64> =
        "tags: metres from a boundary that count as on it (0.001); courses: how far curves may be \
         from their chords, in the system's unit (1 mm)";
    distance_column "distance-column": Option<String> = "column for the distance to the polygon, metres";
    grid "grid": Option<SystemText> = "projected system for plane figures";
    height "height": Option<f64> = "ellipsoidal height of the ground, metres";
    length_units "length-units": Vec<LengthUnitName> = "units of lengths: [\"m\", \"ftUS\"]";
    area_units "area-units": Vec<AreaUnitName> = "units of areas: [\"m2\", \"acUS\"]";
}

/// What a step starts from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum StartsFrom {
    /// A table, or a layer of attributes alone.
    Table,
    /// A layer.
    Layer,
    /// Either: the rows of a table stay rows.
    Either,
    /// A layer or a raster.
    LayerOrRaster,
}

impl StartsFrom {
    /// In words.
    pub fn name(self) -> &'static str {
        match self {
            StartsFrom::Table => "a table",
            StartsFrom::Layer => "a layer",
            StartsFrom::Either => "a layer or table",
            StartsFrom::LayerOrRaster => "a layer or raster",
        }
    }
}

/// A kind of step.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct StepKind {
    /// Its name, as `do` has it.
    pub name: &'static str,
    /// What it does.
    pub does: &'static str,
    /// What it starts from.
    pub starts_from: StartsFrom,
    /// What it has to say, besides `do` and `from`.
    pub needs: &'static [&'static str],
    /// What it may say, besides `as`.
    pub may: &'static [&'static str],
}

macro_rules! steps {
    ($(
        $kind:ident($step:ident) $name:literal from $table:ident: $does:literal
        needs [$($need:ident),*] may [$($may:ident),*]
    )*) => {
        /// Every kind of step.
        pub const STEP_KINDS: &[StepKind] = &[$(StepKind {
            name: $name,
            does: $does,
            starts_from: StartsFrom::$table,
            needs: &[$(names::$need),*],
            may: &[$(names::$may),*],
        }),*];

        $(
            #[doc = concat!("The step `", $name, "`: ", $does, ". Its words are explained in [`WORDS`].")]
            #[derive(Clone, Debug, Default, PartialEq)]
            #[allow(missing_docs)]
            pub struct $step {
                pub from: String,
                /// The name of what comes out (`as`).
                pub name: Option<String>,
                $(pub $need: word_type!($need),)*
                $(pub $may: word_type!($may),)*
            }

            impl From<$step> for Step {
                fn from(step: $step) -> Step {
                    Step::$kind(step)
                }
            }
        )*

        /// A step of a job.
        #[derive(Clone, Debug, PartialEq)]
        #[non_exhaustive]
        pub enum Step {
            $(
                #[doc = $does]
                $kind($step),
            )*
        }

        impl Step {
            /// What is known of its kind.
            pub fn kind(&self) -> &'static StepKind {
                let name = match self {
                    $(Step::$kind(_) => $name,)*
                };
                STEP_KINDS.iter().find(|kind| kind.name == name).unwrap_or(&STEP_KINDS[0])
            }

            /// The source or earlier step that it starts from.
            pub fn from(&self) -> &str {
                match self {
                    $(Step::$kind(step) => &step.from,)*
                }
            }

            /// The name of what comes out, if it has been given one.
            pub fn name(&self) -> Option<&str> {
                match self {
                    $(Step::$kind(step) => step.name.as_deref(),)*
                }
            }

            pub(super) fn set_names(&mut self, from: &str, name: &str) {
                match self {
                    $(Step::$kind(step) => {
                        step.from = from.to_string();
                        step.name = Some(name.to_string());
                    })*
                }
            }

            /// Shows every word with what it says.
            pub(super) fn each_word<'a>(&'a self, each: &mut dyn FnMut(&'static str, &'a dyn WordValue)) {
                match self {
                    $(Step::$kind(step) => {
                        $(each(names::$need, &step.$need);)*
                        $(each(names::$may, &step.$may);)*
                    })*
                }
            }

            /// Every text with a reference system in it.
            pub(super) fn systems_mut(&mut self) -> Vec<&mut String> {
                let mut texts = Vec::new();
                match self {
                    $(Step::$kind(step) => {
                        $(texts.extend(step.$need.systems_mut());)*
                        $(texts.extend(step.$may.systems_mut());)*
                    })*
                }
                texts
            }

            /// Reads the words of a step whose kind is known and whose words are those it may say.
            fn read(kind: &StepKind, table: &Table, at: At<'_>) -> Result<Step, Error> {
                match kind.name {
                    $($name => Ok(Step::$kind($step {
                        from: word(table, "from", at)?.unwrap_or_default(),
                        name: word(table, "as", at)?,
                        $($need: word::<word_type!($need)>(table, names::$need, at)?.unwrap_or_default(),)*
                        $($may: word::<word_type!($may)>(table, names::$may, at)?.unwrap_or_default(),)*
                    })),)*
                    _ => Err(at(table.span(), "this step is not known")),
                }
            }
        }

        impl Serialize for Step {
            fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                let mut map = serializer.serialize_map(None)?;
                map.serialize_entry("do", self.kind().name)?;
                map.serialize_entry("from", self.from())?;
                if let Some(name) = self.name() {
                    map.serialize_entry("as", name)?;
                }
                match self {
                    $(Step::$kind(step) => {
                        $(said(&mut map, names::$need, &step.$need)?;)*
                        $(said(&mut map, names::$may, &step.$may)?;)*
                    })*
                }
                map.end()
            }
        }
    };
}

steps! {
    Points(PointsStep) "points" from Table: "one point of every row of a table"
        needs []
        may [crs, to, epoch, operations, require_best, x, y, z, packed, condition, set, keep, decimal_comma, thousands]
    Features(FeaturesStep) "features" from Table: "features of a column with geometries as text"
        needs []
        may [crs, to, epoch, operations, require_best, geometry, condition, set, keep]
    Lines(LinesStep) "lines" from Table: "lines of rows of vertices"
        needs []
        may [
            crs, to, epoch, operations, require_best, x, y, z, packed, by, order, part, repair, condition, set, keep,
            decimal_comma, thousands
        ]
    Polygons(PolygonsStep) "polygons" from Table: "polygons of rows of vertices"
        needs []
        may [
            crs, to, epoch, operations, require_best, x, y, z, packed, by, order, part, ring, repair, condition, set, keep,
            decimal_comma, thousands
        ]
    Courses(CoursesStep) "courses" from Table: "polygons of the courses of deeds"
        needs []
        may [
            crs, to, epoch, operations, require_best, by, bearing, distance, radius, delta, turn, start, x, y, unit,
            combined_factor, rotate, adjust, tolerance, condition, set, keep
        ]
    Declare(DeclareStep) "declare" from LayerOrRaster:
        "gives a layer or raster its reference system, moving no coordinate"
        needs [crs]
        may []
    Convert(ConvertStep) "convert" from LayerOrRaster:
        "carries a layer or raster into another reference system"
        needs [to]
        may [epoch, operations, require_best, condition, set, keep, pixel, extent, align, resample]
    Fields(FieldsStep) "fields" from Either: "chooses features, computes and shapes columns"
        needs []
        may [condition, set, keep, drop, first, rename, constant, round, format, coords]
    Join(JoinStep) "join" from Layer: "takes over columns of a table by key"
        needs [with, on]
        may [key, columns, prefix, many, loose, matched_only]
    Tag(TagStep) "tag" from Layer:
        "points take columns of the polygon that they fall in, or values of a raster"
        needs [with]
        may [columns, prefix, within, tolerance, distance_column, resample]
    Measure(MeasureStep) "measure" from Layer: "lengths and areas as new columns"
        needs []
        may [grid, height, combined_factor, length_units, area_units]
}

/// What a word of a table says, if it is there.
fn word<T: for<'de> Deserialize<'de>>(
    table: &Table,
    word: &str,
    at: At<'_>,
) -> Result<Option<T>, Error> {
    let Some(item) = table.get(word) else { return Ok(None) };
    let wrong = |what: &str| at(item.span(), &format!("`{word}`: {}", what.trim()));
    let value = item.clone().into_value().map_err(|_| wrong("a value is missing"))?;
    T::deserialize(value.into_deserializer()).map(Some).map_err(|error| wrong(error.message()))
}

/// Writes a word down, unless it says nothing.
fn said<M: SerializeMap, T: Serialize + Default + PartialEq>(
    map: &mut M,
    word: &'static str,
    value: &T,
) -> Result<(), M::Error> {
    if *value == T::default() { Ok(()) } else { map.serialize_entry(word, value) }
}

impl StepKind {
    /// The kind of this name.
    pub fn named(name: &str) -> Option<&'static StepKind> {
        STEP_KINDS.iter().find(|kind| kind.name == name)
    }

    /// True if the step may say this word.
    pub fn takes(&self, word: &str) -> bool {
        ["do", "from", "as"].contains(&word)
            || self.needs.contains(&word)
            || self.may.contains(&word)
    }
}

impl Step {
    /// The raster that it is aligned with.
    pub fn align(&self) -> Option<&str> {
        match self {
            Step::Convert(step) => step.align.as_deref(),
            _ => None,
        }
    }

    /// What it is done with: the table to join, or the polygons or raster to tag from.
    pub fn with(&self) -> Option<&str> {
        match self {
            Step::Join(step) => step.with.as_deref(),
            Step::Tag(step) => step.with.as_deref(),
            _ => None,
        }
    }

    pub(super) fn set_with(&mut self, with: &str) {
        match self {
            Step::Join(JoinStep { with: name, .. }) | Step::Tag(TagStep { with: name, .. }) => {
                *name = Some(with.to_string());
            }
            Step::Convert(step) => step.align = Some(with.to_string()),
            _ => {}
        }
    }
}

/// Reads the steps of a job: every one has a kind that there is, says what it has to, nothing that
/// it cannot, and values that can be read.
pub(super) fn read_steps(root: &Table, at: At<'_>) -> Result<Vec<Step>, Error> {
    let Some(item) = root.get("steps") else { return Ok(Vec::new()) };
    let Some(steps) = item.as_array_of_tables() else {
        return Err(at(item.span(), "steps are written as [[steps]], one after the other"));
    };
    steps.iter().map(|table| read_step(table, at)).collect()
}

fn read_step(table: &Table, at: At<'_>) -> Result<Step, Error> {
    let name = table.get("do").and_then(Item::as_str);
    let kinds: Vec<&str> = STEP_KINDS.iter().map(|kind| kind.name).collect();
    let Some(name) = name else {
        let what = format!("a step says what it does: do = one of {}", kinds.join(", "));
        return Err(at(table.span(), &what));
    };
    let Some(kind) = StepKind::named(name) else {
        let what = format!("there is no step `{name}`: the steps are {}", kinds.join(", "));
        return Err(at(table.get("do").and_then(Item::span), &what));
    };
    for (word, _) in table {
        if !kind.takes(word) {
            let what = format!(
                "`{word}` is no word of the step `{name}`: it may say {}",
                kind.needs.iter().chain(kind.may).copied().collect::<Vec<_>>().join(", ")
            );
            return Err(at(table.key(word).and_then(|key| key.span()), &what));
        }
    }
    for word in ["from"].iter().chain(kind.needs) {
        if table.get(word).is_none() {
            return Err(at(table.span(), &format!("the step `{name}` needs `{word}`")));
        }
    }
    Step::read(kind, table, at)
}

/// The table of steps and words in Markdown, as `docs/jobs.md` has it.
pub fn steps_table() -> String {
    let mut out = String::from("| step | does | needs | may say |\n| --- | --- | --- | --- |\n");
    let list = |words: &[&str]| {
        words.iter().map(|word| format!("`{word}`")).collect::<Vec<_>>().join(", ")
    };
    for kind in STEP_KINDS {
        let from = kind.starts_from.name();
        out.push_str(&format!(
            "| `{}` | {} (from {from}) | {} | {} |\n",
            kind.name,
            kind.does,
            list(kind.needs),
            list(kind.may)
        ));
    }
    out.push_str("\n| word | says |\n| --- | --- |\n");
    for (word, says) in WORDS {
        out.push_str(&format!("| `{word}` | {says} |\n"));
    }
    out
}
