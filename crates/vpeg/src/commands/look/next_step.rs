//! The commands that most likely come next after looking at a file.

use crate::arguments::{ReadArguments, TableArguments, Typed, in_shell, path_in_shell};
use crate::project;
use std::path::Path;
use velvet_peg::Geographic;
use velvet_peg::layer::LayerInfo;
use velvet_peg::look::{Look, TableLook};
use velvet_peg::zones::{UtmZone, ZoneSet, state_plane_zones_at};

/// Commands as they can be pasted, each with what has to be known of it.
#[derive(Default)]
pub(super) struct Proposals(Vec<(String, Option<&'static str>)>, Option<String>);

const FIND: &str = "find REF, the system that the coordinates are in, with `vpeg crs find WORDS` or `vpeg crs guess`";

impl Proposals {
    fn one(command: String, remark: Option<&'static str>) -> Proposals {
        Proposals(vec![(command, remark)], None)
    }

    fn or(mut self, command: String, remark: Option<&'static str>) -> Proposals {
        self.0.push((command, remark));
        self
    }

    /// One command a line, what has to be known of it in brackets below.
    pub(super) fn text(&self) -> String {
        let mut lines = Vec::new();
        for (number, (command, remark)) in self.0.iter().enumerate() {
            lines.push(format!("{} {command}", if number == 0 { "next:" } else { "or:  " }));
            lines.extend(remark.map(|remark| format!("      ({remark})")));
        }
        lines.extend(self.1.as_ref().map(|of_all| format!("      ({of_all})")));
        lines.join("\n")
    }
}

/// What comes next, with the options that the file was looked at with.
pub(super) fn next(
    found: &Look,
    file: &Path,
    table: &TableArguments,
    read: &ReadArguments,
) -> Proposals {
    let is_stdin = file == Path::new("-");
    let stem = if is_stdin { "points".into() } else { file.with_extension("") };
    let beside = |end: &str| path_in_shell(Path::new(&format!("{}{end}", stem.display())));
    match found {
        Look::Table(look) => {
            let sheet = match (&look.sheet, look.sheets.len()) {
                (Some(sheet), 2..) if !table.names_sheets() => Some(sheet),
                _ => None,
            };
            let typed = Typed::default().value("--sheet", sheet).text() + &table.typed();
            // A command without --crs takes what the project says, but for standard input.
            let of_project = project::current().filter(|_| look.crs.is_none() && !is_stdin);
            let system =
                of_project.and_then(|of| Some((of, of.system(look.degrees == Some(true))?)));
            let proposals = of_table(
                look,
                &format!("{}{typed}", path_in_shell(file)),
                &beside(".gpkg"),
                look.crs.is_some() || system.is_some(),
            );
            let told = system.map(|(of, system)| {
                format!("{} names {} for such data", of.file.display(), system.crs.label())
            });
            Proposals(proposals.0, told)
        }
        Look::Raster(info) => {
            let plain = path_in_shell(file);
            match (&info.grid, &info.crs) {
                (None, _) => Proposals::one(
                    format!(
                        "vpeg declare {plain} --points CONTROL.csv --crs REF -o {}",
                        beside("-placed.tif")
                    ),
                    Some(
                        "CONTROL.csv is a table of control points with columns pixel, line, easting and \
                         northing; or put the world file of the picture beside it",
                    ),
                ),
                (Some(_), None) => Proposals::one(
                    format!("vpeg declare {plain} --crs REF -o {}", beside("-declared.tif")),
                    Some(FIND),
                ),
                (Some(_), Some(crs)) if crs.is_geographic() => Proposals::one(
                    format!("vpeg convert {plain} --to utm -o {}", beside("-utm.tif")),
                    Some("or to another system"),
                ),
                (Some(_), Some(_)) => Proposals::one(
                    format!("vpeg convert {plain} --to EPSG:4326 -o {}", beside("-degrees.tif")),
                    Some("or to another system"),
                ),
            }
        }
        Look::Layers { layers, .. } => {
            let layer = layers.first().filter(|_| layers.len() > 1).map(|(info, _)| &info.name);
            let layer = Typed::default().value("--layer", layer).text();
            let plain = format!("{}{layer}", path_in_shell(file));
            let encoding = Typed::default().value("--encoding", table.encoding.as_ref()).text();
            let file = format!("{plain}{}", read.typed());
            match layers.first() {
                Some((info, _)) if info.bare => Proposals::one(
                    format!("vpeg fields {file}{encoding} -o {}", beside(".csv")),
                    None,
                )
                .or(
                    format!("vpeg join FEATURES {plain} --on KEY -o {}", beside("-joined.gpkg")),
                    Some("its rows as a table, or joined to the features that they are of"),
                ),
                Some((info, _)) if info.crs.is_none() => {
                    let out = beside("-declared.gpkg");
                    let command = format!("vpeg declare {file}{encoding} --crs REF -o {out}");
                    Proposals::one(command, Some(FIND))
                }
                // Nothing has a place: there is nothing to measure.
                Some((info, _)) if info.kind.is_none() && info.extent.is_none() => {
                    Proposals::one(format!("vpeg check {file}"), None)
                }
                Some((info, _)) if info.crs.as_ref().is_some_and(|crs| crs.is_geographic()) => {
                    let measure = format!("vpeg measure {file}");
                    let Some(zone) = zone_of(info) else {
                        return Proposals::one(measure, None);
                    };
                    let out = beside(&format!("-{zone}.gpkg"));
                    let command = format!("vpeg convert {file}{encoding} --to {zone} -o {out}");
                    Proposals::one(command, Some("or to another system")).or(measure, None)
                }
                _ => Proposals::one(format!("vpeg measure {file}"), None)
                    .or(format!("vpeg draw {plain} -o {}", beside(".png")), None),
            }
        }
    }
}

/// The kind of zones of which a layer lies in one alone.
fn zone_of(info: &LayerInfo) -> Option<&'static str> {
    let bounds = info.extent?;
    let corners = [
        Geographic { lat: bounds.south, lon: bounds.west },
        Geographic { lat: bounds.south, lon: bounds.east },
        Geographic { lat: bounds.north, lon: bounds.west },
        Geographic { lat: bounds.north, lon: bounds.east },
    ];
    let utm = corners.map(UtmZone::of);
    if utm[0].is_some() && utm.iter().all(|zone| *zone == utm[0]) {
        return Some("utm");
    }
    let areas = |at: &Geographic| -> Vec<u32> {
        state_plane_zones_at(ZoneSet::Spcs83, *at).iter().map(|hit| hit.zone.area).collect()
    };
    let first = areas(&corners[0]);
    (first.len() == 1 && corners.iter().all(|at| areas(at) == first)).then_some("state-plane")
}

/// What comes next for a table, whose system may be known.
fn of_table(look: &TableLook, file: &str, out: &str, known: bool) -> Proposals {
    // What a file beside the table or the project says need not be said again.
    let (system, find) = match known {
        true => ("", None),
        false => (" --crs REF", Some(FIND)),
    };
    let wgs84 = !known && look.degrees == Some(true);
    let (crs, found) = match wgs84 {
        true => (
            " --crs EPSG:4326",
            Some(
                "EPSG:4326 is WGS 84, what hand-held receivers give; name another if it is another",
            ),
        ),
        false => (system, find),
    };
    let option = |name: &str, value: &String| Typed::default().value(name, Some(value)).text();
    if let Some(geometry) = &look.geometry {
        let column = option("--geometry", geometry);
        return Proposals::one(
            format!("vpeg build features {file}{column}{system} -o {out}"),
            find,
        );
    }
    if look.courses {
        return Proposals::one(
            format!("vpeg build courses {file} --start EASTING,NORTHING{system} -o {out}"),
            Some("the courses of deeds; --by COLUMN if it holds several parcels"),
        );
    }
    if let Some((by, order)) = &look.vertices {
        let columns = option("--by", by) + &option("--order", order);
        return Proposals::one(
            format!("vpeg build lines {file}{columns}{crs} -o {out}"),
            Some("the rows look like vertices; `build polygons` if they are corners"),
        )
        .or(format!("vpeg build points {file}{crs} -o {out}"), found);
    }
    if let Some(names) = &look.point_file {
        let names = in_shell(names.join(","));
        return Proposals::one(
            format!("vpeg build points {file} --names {names} --z elevation{system} -o {out}"),
            Some(
                "the order of most point files; if the easting comes first in this one, exchange \
                 `northing` and `easting`. REF is the system that the coordinates are in: \
                 `vpeg crs find WORDS` searches for it",
            ),
        );
    }
    match (&look.x, &look.y) {
        (Some(x), Some(y)) => {
            let (one, other) =
                if look.degrees == Some(true) { ("--lon", "--lat") } else { ("--e", "--n") };
            let comma = if look.decimal_comma { " --decimal-comma" } else { "" };
            let columns = option(one, x) + &option(other, y) + comma;
            Proposals::one(format!("vpeg build points {file}{columns}{crs} -o {out}"), found)
        }
        _ => Proposals::one(
            format!("vpeg build points {file} --x COLUMN --y COLUMN{system} -o {out}"),
            Some("say which columns hold the coordinates"),
        ),
    }
}
