//! The command line with its examples: one source of help texts, man pages and completions.

use clap::{Command, CommandFactory};

/// Examples of each command: what is typed, and what that does. The files are those of the demo
/// or of names that speak for themselves.
const EXAMPLES: &[(&str, &[(&str, &str)])] = &[
    (
        "look",
        &[
            ("vpeg look headgates.csv", "a table: columns, coordinates, what looks wrong"),
            ("vpeg look register.xlsx --sheet Shares", "one sheet of a workbook"),
            ("vpeg look fields.geojson", "layers: features, reference system, extent"),
            ("vpeg look heights.asc", "an image or a grid: its numbers, place and system"),
        ],
    ),
    (
        "build points",
        &[
            (
                "vpeg build points gates.csv --lon lon --lat lat --crs EPSG:4326 -o gates.gpkg",
                "degrees on WGS 84",
            ),
            (
                "vpeg build points readings.xlsx --sheet Gates --crs EPSG:32610 --to EPSG:2285 -o readings.shp",
                "a sheet in UTM, carried to state plane",
            ),
        ],
    ),
    (
        "build lines",
        &[(
            "vpeg build lines lateral-vertices.csv --by ditch --order point --crs EPSG:2285 -o laterals.gpkg",
            "one line of the vertices of each ditch",
        )],
    ),
    (
        "build polygons",
        &[(
            "vpeg build polygons beats.csv --by beat --order corner --crs EPSG:2285 -o beats.gpkg",
            "one polygon of the corners of each beat",
        )],
    ),
    (
        "build courses",
        &[(
            "vpeg build courses deed.csv --by tract --adjust --crs EPSG:2285 -o tracts.gpkg",
            "tracts by bearings and distances, and how they close",
        )],
    ),
    (
        "build features",
        &[(
            "vpeg build features shapes.csv --geometry wkt --crs EPSG:4326 -o shapes.gpkg",
            "geometries as text in the column wkt",
        )],
    ),
    (
        "declare",
        &[
            ("vpeg declare old-weirs.gpkg --crs EPSG:2285 -o weirs.gpkg", "by its code"),
            (
                "vpeg declare old-weirs.gpkg --crs 'nad83 washington north ftus' --overwrite",
                "by words that match one system, in the file itself",
            ),
        ],
    ),
    (
        "convert",
        &[
            ("vpeg convert gates.gpkg --to EPSG:2285 -o gates-sp.gpkg", "to another system"),
            ("vpeg convert gates.shp -o gates.parquet", "to another format"),
            ("vpeg convert heights.asc --to utm -o heights-utm.tif", "a grid or an image"),
            (
                "vpeg convert gates.gpkg --to utm --where 'cfs > 2' -o gates-utm.gpkg",
                "what a condition keeps, to the UTM zone that it lies in",
            ),
        ],
    ),
    (
        "fields",
        &[
            (
                "vpeg fields fields.gpkg --set 'acres = Acres(ST_Area(geometry))' --round acres=2 -o acres.gpkg",
                "a column computed and rounded",
            ),
            (
                "vpeg fields gates.gpkg --coords EPSG:32611:utm_e,utm_n:2 --drop note -o gates.csv",
                "coordinates in another system as columns",
            ),
        ],
    ),
    (
        "join",
        &[
            (
                "vpeg join fields.gpkg register.xlsx --sheet Shares --on field",
                "how the keys meet; nothing is written",
            ),
            (
                "vpeg join fields.gpkg register.xlsx --sheet Shares --on field -o fields-shares.gpkg",
                "the columns of the table joined to the features",
            ),
        ],
    ),
    (
        "tag",
        &[
            (
                "vpeg tag gates.gpkg --from beats.gpkg --columns beat --within 50 -o gates-beats.gpkg",
                "the beat that each gate lies in, or the nearest within 50 m",
            ),
            (
                "vpeg tag gates.gpkg --from heights.asc --columns band1:ground_m -o gates-heights.gpkg",
                "the height of the ground at each gate, from a grid",
            ),
        ],
    ),
    (
        "measure",
        &[
            ("vpeg measure fields.gpkg --height 350", "ellipsoid, grid, and ground at 350 m"),
            (
                "vpeg measure fields.gpkg --by crop --area-unit ha,acUS",
                "statistics for each crop, in hectares and US survey acres",
            ),
            ("vpeg measure fields.gpkg --courses 3", "bearings and distances of feature 3"),
        ],
    ),
    (
        "check",
        &[
            (
                "vpeg check fields.gpkg weirs.gpkg --key field",
                "sheets, keys, and whether they agree",
            ),
            ("vpeg check fields.gpkg -o quality.html", "the sheet to hand in"),
        ],
    ),
    (
        "position",
        &[
            ("vpeg position '47.4083, -120.0042'", "degrees, latitude first"),
            ("vpeg position '10T GT 26010 54894'", "a grid reference"),
            (
                "vpeg position 'N 155850.12 E 1832900.45' --crs EPSG:2285 --to EPSG:32610",
                "a position of state plane, in UTM",
            ),
        ],
    ),
    (
        "zone",
        &[
            ("vpeg zone '47.40, -120.01'", "zones of a place"),
            ("vpeg zone 'Douglas county, Washington'", "of a county"),
            ("vpeg zone fields.geojson", "of data"),
        ],
    ),
    (
        "grids",
        &[
            (
                "vpeg grids --from EPSG:4267 --to EPSG:4269 --at '47.4, -120.0'",
                "files that are needed",
            ),
            (
                "vpeg grids --from EPSG:6319 --to EPSG:6349",
                "models between the ellipsoid and NAVD88",
            ),
        ],
    ),
    (
        "course",
        &[
            ("vpeg course '47.40, -120.01' '47.41, -119.99'", "distance and azimuths"),
            (
                "vpeg course pairs.csv --from lon1,lat1 --to lon2,lat2 -o courses.csv",
                "of every row of a table",
            ),
        ],
    ),
    (
        "crs find",
        &[
            ("vpeg crs find washington north feet", "by words"),
            ("vpeg crs find utm --at '47.4, -120.0' --unit metre", "by words, at a place"),
        ],
    ),
    (
        "crs fit",
        &[(
            "vpeg crs fit yard-pegs.csv --to EPSG:2285 -o yard.wkt",
            "the system of a yard, by pegs that are known in it and in state plane",
        )],
    ),
    (
        "crs guess",
        &[
            (
                "vpeg crs guess old-weirs.csv --e east --n north --near '47.4, -120.0'",
                "what brings the numbers near a place",
            ),
            (
                "vpeg crs guess old-weirs.csv --e east --n north --like fields.geojson",
                "what brings them among other features",
            ),
        ],
    ),
    (
        "crs make ground",
        &[
            (
                "vpeg crs make ground EPSG:2285 --at 47.4,-120 --height 380 -o ground.prj",
                "state plane at the height of the ground",
            ),
            (
                "vpeg crs make ground EPSG:2285 --at 47.4,-120 --height 380 --rotate 12 -o g.wkt",
                "turned, too",
            ),
        ],
    ),
    (
        "crs make low-distortion",
        &[(
            "vpeg crs make low-distortion --like fields.geojson --height 380 -o ldp.wkt",
            "a projection for the fields, against the usual ones",
        )],
    ),
    (
        "crs show",
        &[
            ("vpeg crs show EPSG:2285", "what it is, in plain words"),
            ("vpeg crs show EPSG:2285 --to EPSG:4326", "every way to another, and its accuracy"),
            ("vpeg crs show EPSG:2285 --as wkt2", "its definition"),
        ],
    ),
    (
        "draw",
        &[(
            "vpeg draw beats.gpkg fields.gpkg weirs.gpkg --label field -o map.png",
            "three layers, fields labelled",
        )],
    ),
    (
        "run",
        &[
            ("vpeg run tumblewick.toml --plan", "what would be done"),
            ("vpeg run tumblewick.toml", "do it"),
        ],
    ),
    (
        "pack",
        &[(
            "vpeg pack fields.shp gates.gpkg --title 'Fields of 2026' -o fields.zip",
            "a zip with manifest and quality sheet",
        )],
    ),
    ("demo", &[("vpeg demo district", "lay the demo out in a folder and run its story")]),
    (
        "completions",
        &[(
            "vpeg completions bash > vpeg.bash",
            "then `source vpeg.bash`, or where your shell looks",
        )],
    ),
    (
        "manual",
        &[("vpeg manual man1", "the pages in a folder; read one with `man -l man1/vpeg.1`")],
    ),
];

/// A command line with its examples.
pub(crate) fn command<Arguments: CommandFactory>() -> Command {
    let mut whole = Arguments::command();
    for (path, examples) in EXAMPLES {
        let text = text(examples);
        whole = with_help(whole, &path.split(' ').collect::<Vec<_>>(), &text);
    }
    whole
}

/// A command whose subcommand of that path has a text behind its options.
fn with_help(command: Command, path: &[&'static str], text: &str) -> Command {
    match path.split_first() {
        None => command.after_help(text.to_string()),
        Some((first, rest)) => command.mut_subcommand(first, |inner| with_help(inner, rest, text)),
    }
}

fn text(examples: &[(&str, &str)]) -> String {
    let lines: Vec<String> =
        examples.iter().map(|(typed, does)| format!("  {typed}\n      {does}")).collect();
    format!("Examples:\n{}", lines.join("\n"))
}
