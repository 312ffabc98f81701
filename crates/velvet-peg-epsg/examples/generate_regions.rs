//! Writes `data/region_cells.bin` and `data/extent_regions.bin`: which country or state of the United States a place lies in beyond
//! doubt, and which of them an area of use names in words.
//!
//! ```sh
//! cargo run -p velvet-peg-epsg --example generate_regions -- COUNTRIES.topojson TABLES_DIR
//! ```
//!
//! The countries are those of Natural Earth at 1:110 000 000 (public domain), with the numbers of
//! ISO 3166-1; the states are those of the US Census Bureau in `data/counties.bin` (public domain);
//! the words are those of the areas of use of the EPSG dataset, which has the same numbers. A cell
//! of a quarter of a degree belongs to a region where all cells around it do, so that the coarse
//! lines decide nothing near a border.

mod topology;

use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::{env, error::Error, fs};
use topology::{layout, number};

type Result<T> = std::result::Result<T, Box<dyn Error>>;
type Line = Vec<(f64, f64)>;

const STEP: f64 = 0.25;
const COLUMNS: usize = 1440;
const ROWS: usize = 720;

/// The number of the United States in ISO 3166-1; states follow from 1000 on by their FIPS numbers.
const USA: u32 = 840;
const STATES: u32 = 1000;

/// States and territories that are not conterminous with the others: Alaska, Hawaii and the islands.
const APART: &[u32] = &[2, 15, 60, 66, 69, 72, 78];
const ISLANDS: &[u32] = &[60, 66, 69, 72, 78];

/// Boxes that are left out (south, west, north, east): parts that the dataset has under a name of
/// their own, and lands that more than one country claims.
const LEFT_OUT: &[(u32, [f64; 4])] = &[
    (250, [-10.0, -65.0, 20.0, -30.0]),
    (578, [72.0, -10.0, 85.0, 40.0]),
    (643, [44.0, 32.3, 46.4, 36.8]),
    (804, [44.0, 32.3, 46.4, 36.8]),
    (356, [32.0, 72.0, 37.5, 81.0]),
    (586, [32.0, 72.0, 37.5, 81.0]),
    (156, [32.0, 72.0, 37.5, 81.0]),
];

/// Countries with other lines elsewhere, or part of another when areas were written down.
const NOT_TOLD: &[u32] = &[732, 504, 275, 376, 10, 260, 688];

/// Words of a country that its own areas do not have.
const OTHER_WORDS: &[(u32, &[&str])] = &[
    (728, &["South Sudan", "Sudan"]),
    (826, &["UK", "United Kingdom", "Great Britain", "England", "Scotland", "Wales", "Ireland"]),
    (840, &["USA", "United States", "CONUS", "Conus"]),
    (372, &["Ireland"]),
    (203, &["Czech Republic", "Czechia", "Czechoslovakia"]),
    (703, &["Slovakia", "Czechoslovakia"]),
    (104, &["Myanmar", "Burma"]),
    (748, &["Swaziland", "Eswatini"]),
    (807, &["Macedonia"]),
    (70, &["Bosnia"]),
    (499, &["Montenegro"]),
    (626, &["Timor"]),
    (384, &["Ivory", "Ivoire"]),
    (180, &["Congo DR", "Zaire", "Democratic Republic of the Congo"]),
    (410, &["Korea"]),
    (408, &["Korea"]),
    (231, &["Ethiopia"]),
    (262, &["Djibouti"]),
];

fn main() -> Result<()> {
    let mut arguments = env::args().skip(1);
    let usage = "usage: generate_regions COUNTRIES.topojson TABLES_DIR";
    let topology: Value =
        serde_json::from_str(&fs::read_to_string(arguments.next().ok_or(usage)?)?)?;
    let tables = arguments.next().ok_or(usage)?;
    let areas = areas(Path::new(&tables))?;
    let countries = countries(&topology)?;
    let states = states();

    let mut raster = vec![0; COLUMNS * ROWS];
    for (id, lines) in &countries {
        fill(&mut raster, *id, lines);
    }
    for (id, boxes) in LEFT_OUT {
        for (at, cell) in raster.iter_mut().enumerate() {
            let (lon, lat) = centre(at);
            let [south, west, north, east] = boxes;
            if cell == id && (south..=north).contains(&&lat) && (west..=east).contains(&&lon) {
                *cell = 0;
            }
        }
    }
    let mut in_states = vec![0; COLUMNS * ROWS];
    for (id, (_, lines)) in &states {
        fill(&mut in_states, *id, lines);
    }
    let (sure, sure_state) = (eroded(&raster), eroded(&in_states));
    let cells: Vec<u32> = sure
        .iter()
        .zip(&sure_state)
        .map(|(country, state)| if *country == USA && *state != 0 { *state } else { *country })
        .collect();

    let rows = cells.chunks(COLUMNS).zip(0..).map(|(row, at)| {
        let mut bytes = Vec::new();
        for run in row.chunk_by(|a, b| a == b) {
            number(&mut bytes, run.len() as u64);
            number(&mut bytes, u64::from(run[0]));
        }
        (at, bytes)
    });
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("data");
    let bytes = layout(&rows.collect());
    println!("cells: {} bytes", bytes.len());
    fs::write(data.join("region_cells.bin"), bytes)?;

    let named = named(&areas, &countries, &states);
    tell_doubtful(&areas, &named, &cells);
    let rows = named.iter().map(|(code, regions)| {
        let mut bytes = Vec::new();
        number(&mut bytes, regions.len() as u64);
        regions.iter().for_each(|region| number(&mut bytes, u64::from(*region)));
        (*code, bytes)
    });
    let bytes = layout(&rows.collect());
    let (limited, all) = (named.len(), areas.len());
    println!("areas limited by words: {limited} of {all}, {} bytes", bytes.len());
    fs::write(data.join("extent_regions.bin"), bytes)?;
    Ok(())
}

/// An area of use.
struct Area {
    code: u32,
    name: String,
    description: String,
    bounds: Option<[f64; 4]>,
    country: Option<u32>,
}

fn areas(tables: &Path) -> Result<Vec<Area>> {
    let mut reader = csv::Reader::from_path(tables.join("extent.csv"))?;
    let mut areas = Vec::new();
    for row in reader.deserialize::<BTreeMap<String, String>>() {
        let row = row?;
        let value = |key: &str| row[key].parse::<f64>().ok();
        let bounds = ["south_bound_lat", "west_bound_lon", "north_bound_lat", "east_bound_lon"]
            .map(|side| value(&format!("bbox_{side}")));
        areas.push(Area {
            code: row["extent_code"].parse()?,
            name: row["extent_name"].clone(),
            description: row["extent_description"].clone(),
            bounds: match bounds {
                [Some(south), Some(west), Some(north), Some(east)] => {
                    Some([south, west, north, east])
                }
                _ => None,
            },
            country: row["iso_n_code"].parse().ok(),
        });
    }
    Ok(areas)
}

fn lead(name: &str) -> &str {
    name.split(" - ").next().unwrap_or_default().trim_end_matches('.')
}

fn countries(topology: &Value) -> Result<BTreeMap<u32, Vec<Line>>> {
    let number = |value: &Value| value.as_f64().unwrap_or_default();
    let transform = &topology["transform"];
    let of = |key: &str, at: usize| number(&transform[key][at]);
    let mut arcs: Vec<Line> = Vec::new();
    for arc in topology["arcs"].as_array().ok_or("no arcs")? {
        let (mut x, mut y) = (0.0, 0.0);
        let mut line = Line::new();
        for step in arc.as_array().into_iter().flatten() {
            x += number(&step[0]);
            y += number(&step[1]);
            line.push((
                x * of("scale", 0) + of("translate", 0),
                y * of("scale", 1) + of("translate", 1),
            ));
        }
        arcs.push(line);
    }
    let list = topology["objects"]["countries"]["geometries"].as_array().ok_or("no countries")?;
    let mut found = BTreeMap::new();
    for country in list {
        let Some(id) = country["id"].as_str().and_then(|id| id.parse::<u32>().ok()) else {
            continue;
        };
        if NOT_TOLD.contains(&id) {
            continue;
        }
        let mut lines = Vec::new();
        gather(&country["arcs"], &arcs, &mut lines);
        found.insert(id, lines);
    }
    Ok(found)
}

/// All lines of arcs, however deep their numbers are nested.
fn gather(value: &Value, arcs: &[Line], lines: &mut Vec<Line>) {
    match (value.as_array(), value.as_i64()) {
        (Some(list), _) => list.iter().for_each(|item| gather(item, arcs, lines)),
        (None, Some(arc)) => {
            lines.push(arcs[usize::try_from(if arc < 0 { !arc } else { arc }).unwrap()].clone())
        }
        (None, None) => {}
    }
}

fn states() -> BTreeMap<u32, (&'static str, Vec<Line>)> {
    let outlines = velvet_peg_epsg::outlines();
    let mut states = BTreeMap::new();
    for (fips, name) in &outlines.states {
        let counties = outlines.counties.iter().filter(|county| county.fips / 1000 == *fips);
        let lines = counties
            .flat_map(|county| county.polygons.iter().flatten().flatten())
            .map(|arc| {
                outlines.arcs[usize::try_from(if *arc < 0 { !*arc } else { *arc }).unwrap()].clone()
            })
            .collect();
        states.insert(STATES + fips, (*name, lines));
    }
    states
}

fn centre(at: usize) -> (f64, f64) {
    let (row, column) = (at / COLUMNS, at % COLUMNS);
    ((column as f64 + 0.5) * STEP - 180.0, (row as f64 + 0.5) * STEP - 90.0)
}

/// Gives the cells whose middle lies within the lines (even-odd rule) a number.
fn fill(raster: &mut [u32], id: u32, lines: &[Line]) {
    // Lines that run across 180° are taken eastward from Greenwich.
    let crosses = |line: &Line| line.windows(2).any(|pair| (pair[1].0 - pair[0].0).abs() > 180.0);
    let east = |lon: f64| if lon < 0.0 { lon + 360.0 } else { lon };
    let lines: Vec<Line> = match lines.iter().any(crosses) {
        true => lines
            .iter()
            .map(|line| line.iter().map(|(lon, lat)| (east(*lon), *lat)).collect())
            .collect(),
        false => lines.to_vec(),
    };
    for row in 0..ROWS {
        // Off the grid of the sources, so that no vertex lies on the line.
        let lat = centre(row * COLUMNS).1 + 1.3e-7;
        let mut crossings: Vec<f64> = lines
            .iter()
            .flat_map(|line| line.windows(2))
            .filter(|pair| (pair[0].1 > lat) != (pair[1].1 > lat))
            .map(|pair| {
                let ((x1, y1), (x2, y2)) = (pair[0], pair[1]);
                (x2 - x1) * (lat - y1) / (y2 - y1) + x1
            })
            .collect();
        crossings.sort_by(f64::total_cmp);
        for pair in crossings.chunks_exact(2) {
            for column in 0..COLUMNS {
                let (lon, _) = centre(row * COLUMNS + column);
                if (pair[0]..pair[1]).contains(&lon) || (pair[0]..pair[1]).contains(&(lon + 360.0))
                {
                    raster[row * COLUMNS + column] = id;
                }
            }
        }
    }
}

/// The cells whose neighbours are all of their region: two to either side, one above and below.
fn eroded(raster: &[u32]) -> Vec<u32> {
    let cell = |row: usize, column: usize| raster[row * COLUMNS + column % COLUMNS];
    (0..raster.len())
        .map(|at| {
            let (row, column) = (at / COLUMNS, at % COLUMNS);
            if row == 0 || row == ROWS - 1 {
                return 0;
            }
            let here = raster[at];
            let all = (row - 1..=row + 1)
                .all(|row| (0..5).all(|step| cell(row, column + COLUMNS + step - 2) == here));
            if all { here } else { 0 }
        })
        .collect()
}

/// The regions that each area names, where its words limit it to countries.
fn named(
    areas: &[Area],
    countries: &BTreeMap<u32, Vec<Line>>,
    states: &BTreeMap<u32, (&str, Vec<Line>)>,
) -> BTreeMap<u32, BTreeSet<u32>> {
    let mut spellings: BTreeMap<u32, BTreeSet<String>> = BTreeMap::new();
    let mut leads: BTreeSet<String> = BTreeSet::new();
    for area in areas {
        let Some(country) = area.country else { continue };
        let own = spellings.entry(country).or_default();
        for text in [lead(&area.name), lead(&area.description)] {
            leads.insert(text.to_string());
            for part in text.split(['(', ')', ';', '.']) {
                own.insert(part.trim().to_string());
            }
        }
        own.retain(|word| word.len() > 1);
    }
    for (country, words) in OTHER_WORDS {
        let own = spellings.entry(*country).or_default();
        own.extend(words.iter().map(|word| word.to_string()));
    }
    let mut found = BTreeMap::new();
    for area in areas.iter().filter(|area| leads.contains(lead(&area.name))) {
        let text = format!("{} {}", area.name, area.description);
        if text.contains("adjacent areas") {
            continue;
        }
        let text = text.replace("New Mexico", "New_Mexico").replace("Gulf of Mexico", "Gulf");
        let mut regions: BTreeSet<u32> = countries
            .keys()
            .filter(|country| {
                spellings.get(country).is_some_and(|own| own.iter().any(|word| says(&text, word)))
            })
            .copied()
            .collect();
        if regions.contains(&USA) {
            let conterminous = says(&text.to_uppercase(), "CONUS");
            let told = |(id, (name, _)): &(&u32, &(&str, Vec<Line>))| {
                let name = name.replace("New Mexico", "New_Mexico");
                says(&text, &name) || (conterminous && !APART.contains(&(**id - STATES)))
            };
            let names = states.iter().filter(|(id, _)| !ISLANDS.contains(&(**id - STATES)));
            regions.extend(names.filter(told).map(|(id, _)| *id));
        }
        found.insert(area.code, regions);
    }
    found
}

/// Whether a text has a phrase, between what are no letters.
fn says(text: &str, phrase: &str) -> bool {
    text.match_indices(phrase).any(|(at, _)| {
        let ends = |side: Option<char>| side.is_none_or(|c| !c.is_alphabetic());
        ends(text[..at].chars().next_back()) && ends(text[at + phrase.len()..].chars().next())
    })
}

/// Prints the areas whose words leave out most of what their box holds: a spelling may be missing.
fn tell_doubtful(areas: &[Area], named: &BTreeMap<u32, BTreeSet<u32>>, cells: &[u32]) {
    for area in areas {
        let (Some(regions), Some([south, west, north, east])) =
            (named.get(&area.code), area.bounds)
        else {
            continue;
        };
        let (mut kept, mut excluded) = (0, BTreeMap::<u32, usize>::new());
        for (at, cell) in cells.iter().enumerate().filter(|(_, cell)| **cell != 0) {
            let (lon, lat) = centre(at);
            let across = if west <= east {
                (west..=east).contains(&lon)
            } else {
                lon >= west || lon <= east
            };
            if !across || !(south..=north).contains(&lat) {
                continue;
            }
            match holds(regions, *cell) {
                true => kept += 1,
                false => *excluded.entry(*cell).or_default() += 1,
            }
        }
        let out: usize = excluded.values().sum();
        if out > 8 && kept < out {
            let text: String = area.description.chars().take(90).collect();
            println!("{} {}: {kept} kept, {excluded:?} not; {text}", area.code, area.name);
        }
    }
}

/// Whether an area that names these regions may hold a cell of a region.
fn holds(regions: &BTreeSet<u32>, cell: u32) -> bool {
    let country = if cell > STATES { USA } else { cell };
    let no_states = regions.iter().all(|region| *region < STATES);
    regions.contains(&country) && (cell < STATES || no_states || regions.contains(&cell))
}
