//! The words of a job file: which steps there are, and what each may say. The table drives the
//! reading, the messages and the documentation.

/// A kind of step.
#[derive(Clone, Copy, Debug)]
pub struct StepKind {
    /// Its name, as `do` has it.
    pub name: &'static str,
    /// What it does.
    pub does: &'static str,
    /// True if it starts from a table, not a layer.
    pub from_table: bool,
    /// What it has to say, besides `do` and `from`.
    pub needs: &'static [&'static str],
    /// What it may say, besides `as`.
    pub may: &'static [&'static str],
}

/// Every kind of step.
pub const STEP_KINDS: &[StepKind] = &[
    StepKind {
        name: "points",
        does: "one point of every row of a table",
        from_table: true,
        needs: &[],
        may: &[
            "crs",
            "to",
            "epoch",
            "x",
            "y",
            "z",
            "packed",
            "where",
            "set",
            "keep",
            "decimal-comma",
            "thousands",
        ],
    },
    StepKind {
        name: "features",
        does: "features of a column with geometries as text",
        from_table: true,
        needs: &[],
        may: &["crs", "to", "epoch", "geometry", "where", "set", "keep"],
    },
    StepKind {
        name: "lines",
        does: "lines of rows of vertices",
        from_table: true,
        needs: &[],
        may: &[
            "crs",
            "to",
            "epoch",
            "x",
            "y",
            "z",
            "packed",
            "by",
            "order",
            "part",
            "repair",
            "where",
            "set",
            "keep",
            "decimal-comma",
            "thousands",
        ],
    },
    StepKind {
        name: "polygons",
        does: "polygons of rows of vertices",
        from_table: true,
        needs: &[],
        may: &[
            "crs",
            "to",
            "epoch",
            "x",
            "y",
            "z",
            "packed",
            "by",
            "order",
            "part",
            "ring",
            "repair",
            "where",
            "set",
            "keep",
            "decimal-comma",
            "thousands",
        ],
    },
    StepKind {
        name: "courses",
        does: "polygons of the courses of deeds",
        from_table: true,
        needs: &[],
        may: &[
            "crs",
            "to",
            "epoch",
            "by",
            "bearing",
            "distance",
            "radius",
            "delta",
            "turn",
            "start",
            "x",
            "y",
            "unit",
            "combined-factor",
            "rotate",
            "adjust",
            "tolerance",
            "where",
            "set",
            "keep",
        ],
    },
    StepKind {
        name: "declare",
        does: "gives a layer its reference system, moving no coordinate",
        from_table: false,
        needs: &["crs"],
        may: &[],
    },
    StepKind {
        name: "convert",
        does: "carries a layer into another reference system",
        from_table: false,
        needs: &["to"],
        may: &["epoch", "where", "set", "keep"],
    },
    StepKind {
        name: "fields",
        does: "chooses features, computes and shapes columns",
        from_table: false,
        needs: &[],
        may: &[
            "where", "set", "keep", "drop", "first", "rename", "constant", "round", "format",
            "coords",
        ],
    },
    StepKind {
        name: "join",
        does: "takes over columns of a table by key",
        from_table: false,
        needs: &["with", "on"],
        may: &["key", "columns", "prefix", "many", "loose", "matched-only"],
    },
    StepKind {
        name: "tag",
        does: "points take columns of the polygon that they fall in",
        from_table: false,
        needs: &["with"],
        may: &["columns", "prefix", "within", "tolerance", "distance-column"],
    },
    StepKind {
        name: "measure",
        does: "lengths and areas as new columns",
        from_table: false,
        needs: &[],
        may: &["grid", "height", "combined-factor", "length-units", "area-units"],
    },
];

/// A word and what it says.
pub const WORDS: &[(&str, &str)] = &[
    ("do", "the kind of step"),
    ("from", "the source or earlier step that it starts from"),
    ("as", "the name of what comes out, for later steps; the kind and number if not given"),
    ("crs", "the reference system (REF) of the data"),
    ("to", "the reference system to carry it to"),
    ("epoch", "epoch of the coordinates in decimal years"),
    ("x", "column of longitudes or eastings; of courses, that of where a parcel begins"),
    ("y", "column of latitudes or northings; of courses, that of where a parcel begins"),
    ("z", "column of heights"),
    ("packed", "true for angles packed as DDDMMSS.s"),
    ("decimal-comma", "true for a comma as the decimal point of coordinates"),
    ("thousands", "what groups thousands in coordinates"),
    ("geometry", "column with geometries as text"),
    ("by", "columns that tell features apart"),
    ("order", "column that puts vertices in order"),
    ("part", "column that tells the parts of a feature apart"),
    ("ring", "column that tells the rings of a polygon apart"),
    ("repair", "true to repair what can be repaired without guessing"),
    ("bearing", "column of directions"),
    ("distance", "column of distances"),
    ("radius", "column of radii of curves"),
    ("delta", "column of central angles of curves"),
    ("turn", "column of the turns of curves, left or right"),
    ("start", "where the first course begins: [easting, northing]"),
    ("unit", "unit of distances: m, ftUS, ft-intl, chUS, …"),
    ("combined-factor", "combined factor between ground and grid"),
    ("rotate", "degrees added to every bearing"),
    ("adjust", "true to spread the misclosure by the compass rule"),
    ("where", "SQL condition for what is kept"),
    ("set", "columns computed as SQL: [\"acres = Acres(ST_Area(geometry))\"]"),
    ("keep", "columns to keep, in this order"),
    ("drop", "columns to leave out"),
    ("first", "columns that come first"),
    ("rename", "new names by old ones: { old = \"new\" }"),
    ("constant", "columns of one value: { district = \"Tumblewick\" }"),
    ("round", "decimals by column: { acres = 2 }"),
    ("format", "numbers written as text, by column: { acres = \"2\" } or { acres = \",2\" }"),
    ("coords", "coordinates as columns: [\"EPSG:32611:utm_e,utm_n:2\"]"),
    ("with", "the table to join, or the polygons to tag from: a source or an earlier step"),
    ("on", "the key column of the layer"),
    ("key", "the key column of the table, if it has another name"),
    ("columns", "columns to take over; all if not given"),
    ("prefix", "put in front of their names"),
    ("many", "true to let a feature come out once for each row of its key"),
    ("loose", "true for keys without regard to capitals, blanks and leading zeros"),
    ("matched-only", "true to leave out features whose key is not in the table"),
    ("within", "metres within which the nearest polygon is taken"),
    (
        "tolerance",
        "tags: metres from a boundary that count as on it (0.001); courses: how far curves may be \
         from their chords, in the system's unit (1 mm)",
    ),
    ("distance-column", "column for the distance to the polygon, metres"),
    ("grid", "projected system for plane figures"),
    ("height", "ellipsoidal height of the ground, metres"),
    ("length-units", "units of lengths: [\"m\", \"ftUS\"]"),
    ("area-units", "units of areas: [\"m2\", \"acUS\"]"),
];

/// The table of steps and words in Markdown, as `docs/jobs.md` has it.
pub fn steps_table() -> String {
    let mut out = String::from("| step | does | needs | may say |\n| --- | --- | --- | --- |\n");
    let list = |words: &[&str]| {
        words.iter().map(|word| format!("`{word}`")).collect::<Vec<_>>().join(", ")
    };
    for kind in STEP_KINDS {
        let from = if kind.from_table { "table" } else { "layer" };
        out.push_str(&format!(
            "| `{}` | {} (from a {from}) | {} | {} |\n",
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
