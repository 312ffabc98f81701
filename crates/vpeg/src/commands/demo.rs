//! `vpeg demo`: the whole story on the demo data.

use super::Arguments;
use crate::arguments::heading;
use crate::{Ending, show};
use clap::{Args, Parser};
use std::path::PathBuf;
use velvet_peg::{Error, demo};

#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// Folder to lay the demo out in.
    #[arg(default_value = "vpeg-demo")]
    folder: PathBuf,
    /// Replace files of an earlier run.
    #[arg(long, help_heading = heading::OUTPUT)]
    overwrite: bool,
}

/// What is said before each step, and its arguments; `@/` stands for the folder.
const STEPS: &[(&str, &[&str])] = &[
    (
        "Look first: what is in the table of headgates, and what is wrong with it?",
        &["look", "@/headgates.csv"],
    ),
    (
        "Make points of it. A hand-held receiver gives WGS 84, EPSG:4326. Rows that cannot be used are \
         kept apart with their reasons.",
        &[
            "build",
            "points",
            "@/headgates.csv",
            "--lon",
            "longitude",
            "--lat",
            "latitude",
            "--crs",
            "EPSG:4326",
            "-o",
            "@/headgates.gpkg",
        ],
    ),
    (
        "An old table of weirs came without a word about its system. It can be built, but not used yet.",
        &[
            "build",
            "points",
            "@/old-weirs.csv",
            "--e",
            "east",
            "--n",
            "north",
            "-o",
            "@/weirs-undeclared.gpkg",
        ],
    ),
    (
        "Where would its numbers land among the fields? Ask which systems bring them there.",
        &[
            "crs",
            "guess",
            "@/old-weirs.csv",
            "--e",
            "east",
            "--n",
            "north",
            "--like",
            "@/fields.geojson",
            "--limit",
            "3",
        ],
    ),
    (
        "Which zones is this? The district lies across the edge of two UTM zones, but in one of state \
         plane.",
        &["zone", "@/fields.geojson"],
    ),
    (
        "The cover sheet agrees: NAD83 state plane, Washington North, in US survey feet. Declare that; no \
         coordinate moves.",
        &[
            "declare",
            "@/weirs-undeclared.gpkg",
            "--crs",
            "nad83 washington north ftus",
            "-o",
            "@/weirs.gpkg",
        ],
    ),
    (
        "Carry the headgates to the same state-plane system. Read what is known of the change of datum.",
        &["convert", "@/headgates.gpkg", "--to", "EPSG:2285", "-o", "@/headgates-state-plane.gpkg"],
    ),
    (
        "And the fields.",
        &["convert", "@/fields.geojson", "--to", "EPSG:2285", "-o", "@/fields-state-plane.gpkg"],
    ),
    (
        "Laterals come as a table of vertices, several ditches in one. Lines are made of them; what looks \
         doubtful in their order is told.",
        &[
            "build",
            "lines",
            "@/lateral-vertices.csv",
            "--by",
            "ditch,name",
            "--order",
            "point",
            "--z",
            "invert_ft",
            "--repair",
            "--crs",
            "EPSG:2285",
            "-o",
            "@/laterals-state-plane.gpkg",
        ],
    ),
    (
        "The ditch riders' beats, corner by corner.",
        &[
            "build",
            "polygons",
            "@/beats.csv",
            "--by",
            "beat,rider",
            "--order",
            "corner",
            "--crs",
            "EPSG:2285",
            "-o",
            "@/beats.gpkg",
        ],
    ),
    (
        "Two tracts are known by their deeds only: bearings and distances, a curve, chains in one of them. \
         How well do they close?",
        &[
            "build",
            "courses",
            "@/deed.csv",
            "--by",
            "tract",
            "--x",
            "start_e",
            "--y",
            "start_n",
            "--adjust",
            "--crs",
            "EPSG:2285",
            "-o",
            "@/tracts.gpkg",
        ],
    ),
    (
        "The turnouts came with a reference system. Do they lie with the rest?",
        &["check", "@/fields-state-plane.gpkg", "@/weirs.gpkg", "@/turnouts.shp"],
    ),
    (
        "They do not: it is the next zone. Declare what they are in.",
        &["declare", "@/turnouts.shp", "--crs", "EPSG:32611", "-o", "@/turnouts.gpkg"],
    ),
    (
        "See what that changed: where they were, and where they are now.",
        &[
            "draw",
            "@/turnouts.gpkg",
            "--before",
            "@/turnouts.shp",
            "--title",
            "Turnouts, declared anew",
            "-o",
            "@/turnouts.png",
        ],
    ),
    (
        "The register has shares by field. First see how the keys meet, then join.",
        &[
            "join",
            "@/fields-state-plane.gpkg",
            "@/register.xlsx",
            "--sheet",
            "Shares",
            "--on",
            "field",
            "-o",
            "@/fields-shares.gpkg",
        ],
    ),
    (
        "Which beat is each headgate in?",
        &[
            "tag",
            "@/headgates-state-plane.gpkg",
            "--from",
            "@/beats.gpkg",
            "--columns",
            "beat,rider",
            "--prefix",
            "by_",
            "-o",
            "@/headgates-beats.gpkg",
        ],
    ),
    (
        "Measure the fields: true size on the ellipsoid beside what the grid makes of it, and on the \
         ground at 350 m.",
        &["measure", "@/fields-shares.gpkg", "--height", "350"],
    ),
    ("The ditches' lengths.", &["measure", "@/laterals-state-plane.gpkg", "--name", "name"]),
    (
        "A sheet of 1951 was scanned. Under the laterals its ditches lie some 220 m beside them.",
        &[
            "draw",
            "@/district-1951.tif",
            "@/laterals-state-plane.gpkg",
            "-o",
            "@/district-as-found.png",
        ],
    ),
    (
        "Its keys say NAD83, its margin says NAD27. Declare that; no pixel moves.",
        &["declare", "@/district-1951.tif", "--crs", "EPSG:26711", "-o", "@/district.tif"],
    ),
    (
        "Carry it to where the laterals are. Nothing of its area or its resolution is lost.",
        &["convert", "@/district.tif", "--to", "EPSG:2285", "-o", "@/district-state-plane.tif"],
    ),
    (
        "See it all on a map, the beats under the rest.",
        &[
            "draw",
            "@/fields-state-plane.gpkg",
            "@/laterals-state-plane.gpkg",
            "@/weirs.gpkg",
            "@/tracts.gpkg",
            "--context",
            "@/beats.gpkg",
            "--color",
            "crop",
            "--label",
            "field",
            "--title",
            "Tumblewick Irrigation District: fields by crop, laterals and weirs",
            "-o",
            "@/map.png",
        ],
    ),
    (
        "All of this is written down as a job, which does it again: with checks that have to hold, one \
         GeoPackage, a quality sheet and a deliverable. Its log says what went in and out.",
        &["run", "@/tumblewick.toml"],
    ),
];

impl Demo {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let mut made = demo::lay_out(&self.folder, self.overwrite)?;
        let laid_out = made.len();
        show::answer(&format!(
            "The Tumblewick Irrigation District (made up) is laid out in {}.",
            self.folder.display()
        ))?;
        for (number, (sentence, arguments)) in STEPS.iter().enumerate() {
            let folder = self.folder.display().to_string();
            let mut words: Vec<String> =
                arguments.iter().map(|word| word.replace('@', &folder)).collect();
            let typed: Vec<String> = words
                .iter()
                .map(|word| if word.contains(' ') { format!("\"{word}\"") } else { word.clone() })
                .collect();
            show::answer(&format!(
                "\n{} {sentence}\n$ vpeg {}",
                show::heading(&format!("{}.", number + 1)),
                typed.join(" ")
            ))?;
            if let Some(at) = words.iter().position(|word| word == "-o") {
                made.push(PathBuf::from(&words[at + 1]));
            }
            let writes = words.contains(&"-o".to_string()) || words[0] == "run";
            if self.overwrite && writes {
                words.push("--overwrite".to_string());
            }
            words.insert(0, "vpeg".to_string());
            let step =
                Arguments::try_parse_from(&words).map_err(|e| Error::usage(e.to_string()))?;
            step.run()?;
        }
        let rejects = velvet_peg::convert::rejects_beside(&self.folder.join("headgates.gpkg"));
        made.extend(rejects.exists().then_some(rejects));
        made.extend(["tumblewick.log", "tumblewick.log.json"].map(|name| self.folder.join(name)));
        let out = self.folder.join("out");
        for entry in std::fs::read_dir(&out).map_err(Error::from)? {
            made.push(entry.map_err(Error::from)?.path());
        }
        made[laid_out..].sort();
        show::answer(&format!("\n{}", show::heading("Made:")))?;
        let lines: Vec<String> = made
            .iter()
            .map(|path| {
                let size = std::fs::metadata(path).map_or(0, |metadata| metadata.len());
                format!("  {:>8} bytes  {}", size, path.display())
            })
            .collect();
        show::answer(&lines.join("\n"))?;
        Ok(Ending::Done)
    }
}
