//! The old sheet of the made-up district: drawn, placed, written as a GeoTIFF with a list of colours. Its
//! coordinates are NAD27 / UTM zone 11N, and its keys say NAD83, a mistake that the demo finds and mends.
//!
//! `cargo run -p velvet-peg --example district_sheet` draws it anew and compares it with the one of the demo;
//! with `-- --write` it takes its place.
use std::path::{Path, PathBuf};
use velvet_peg::raster::{ConvertRaster, PixelGrid, RasterReader, Samples};
use velvet_peg::{Crs, Layer, Result};

const COLUMNS: usize = 700;
const ROWS: usize = 400;
/// Metres.
const PIXEL: f64 = 12.0;
const WEST: f64 = 269_400.0;
const NORTH: f64 = 5_258_400.0;
/// Paper, contour lines, every fifth of them, fields, their edges, ditches, frame, grid.
const COLOURS: [[u8; 3]; 8] = [
    [250, 246, 232],
    [214, 180, 140],
    [178, 128, 84],
    [222, 234, 200],
    [96, 128, 76],
    [58, 108, 168],
    [40, 38, 36],
    [198, 194, 184],
];
const PAPER: u8 = 0;
const CONTOUR: u8 = 1;
const FIFTH: u8 = 2;
const FIELD: u8 = 3;
const EDGE: u8 = 4;
const DITCH: u8 = 5;
const FRAME: u8 = 6;
const GRID: u8 = 7;

struct Sheet(Vec<u8>);

impl Sheet {
    fn paint(&mut self, column: i64, row: i64, colour: u8) {
        let inside = (0..COLUMNS as i64).contains(&column) && (0..ROWS as i64).contains(&row);
        if inside {
            self.0[row as usize * COLUMNS + column as usize] = colour;
        }
    }

    /// A line between two places, some pixels wide.
    fn line(&mut self, from: (f64, f64), to: (f64, f64), width: i64, colour: u8) {
        let (from, to) = (pixel(from), pixel(to));
        let steps = ((to.0 - from.0).abs().max((to.1 - from.1).abs()) * 2.0).ceil().max(1.0);
        for step in 0..=steps as usize {
            let share = step as f64 / steps;
            let at = (from.0 + share * (to.0 - from.0), from.1 + share * (to.1 - from.1));
            for side in 0..width * width {
                let (right, down) = (side % width, side / width);
                self.paint(at.0.floor() as i64 + right, at.1.floor() as i64 + down, colour);
            }
        }
    }

    fn area(&mut self, rings: &[Ring], colour: u8) {
        for at in 0..COLUMNS * ROWS {
            let (column, row) = ((at % COLUMNS) as f64 + 0.5, (at / COLUMNS) as f64 + 0.5);
            let place = (WEST + PIXEL * column, NORTH - PIXEL * row);
            let crossed = |ring: &Ring| {
                ring.windows(2)
                    .filter(|pair| {
                        let ((x, y), (u, v)) = (pair[0], pair[1]);
                        (y > place.1) != (v > place.1)
                            && place.0 < x + (place.1 - y) / (v - y) * (u - x)
                    })
                    .count()
            };
            if rings.iter().map(crossed).sum::<usize>() % 2 == 1 {
                self.0[at] = colour;
            }
        }
    }
}

fn pixel((x, y): (f64, f64)) -> (f64, f64) {
    ((x - WEST) / PIXEL, (NORTH - y) / PIXEL)
}

/// Metres above the sea, as the grid of heights has them.
struct Heights {
    grid: PixelGrid,
    metres: Samples,
}

impl Heights {
    fn at(&self, (x, y): (f64, f64)) -> f64 {
        let (columns, rows) = (self.grid.columns(), self.grid.rows());
        let (column, row) = self.grid.pixel((x, y));
        let within = |at: f64, count: usize| (at - 0.5).clamp(0.0, count as f64 - 1.001);
        let (column, row) = (within(column, columns), within(row, rows));
        let own = |right: usize, down: usize| {
            self.metres.get((row as usize + down) * columns + column as usize + right)
        };
        let (u, v) = (column.fract(), row.fract());
        let upper = own(0, 0) * (1.0 - u) + own(1, 0) * u;
        let lower = own(0, 1) * (1.0 - u) + own(1, 1) * u;
        upper * (1.0 - v) + lower * v
    }
}

/// Places along a ring or a line.
type Ring = Vec<(f64, f64)>;

/// The rings or lines of each feature, in NAD27 / UTM zone 11N.
fn shapes(file: &Path) -> Result<Vec<Vec<Ring>>> {
    let layer = Layer::read(file)?.convert(&Crs::from_epsg(26711)?)?.into_layer();
    let mut shapes = Vec::new();
    for batch in layer.batches() {
        let geometry = batch.geometry();
        for feature in 0..geometry.len() {
            let rings = geometry.parts(feature).flat_map(|part| geometry.rings(part));
            let places = |ring| geometry.ring(ring).map(|at| (geometry.x[at], geometry.y[at]));
            shapes.push(rings.map(|ring| places(ring).collect()).collect());
        }
    }
    Ok(shapes)
}

fn drawn(demo: &Path) -> Result<Sheet> {
    let mut sheet = Sheet(vec![PAPER; COLUMNS * ROWS]);
    let fields = shapes(&demo.join("fields.geojson"))?;
    fields.iter().for_each(|rings| sheet.area(rings, FIELD));
    let heights = RasterReader::open(&demo.join("heights.asc"))?;
    let grid = heights.info().grid.expect("the grid says where it lies");
    let metres = heights.window(0, 0, grid.columns(), grid.rows())?;
    let heights = Heights { grid, metres };
    // Contour lines every five metres.
    let band = |column: usize, row: usize| {
        let place = (WEST + PIXEL * column as f64, NORTH - PIXEL * row as f64);
        (heights.at(place) / 5.0).floor() as i64
    };
    for at in 0..COLUMNS * ROWS {
        let (column, row) = (at % COLUMNS, at / COLUMNS);
        let (own, right, below) = (band(column, row), band(column + 1, row), band(column, row + 1));
        if own != right || own != below {
            let fifth = own.max(right).max(below) % 5 == 0;
            sheet.0[at] = if fifth { FIFTH } else { CONTOUR };
        }
    }
    for kilometre in 0..20 {
        let at = f64::from(kilometre) * 1000.0;
        sheet.line((268_000.0 + at, NORTH), (268_000.0 + at, 5_253_000.0), 1, GRID);
        sheet.line((WEST, 5_250_000.0 + at), (278_000.0, 5_250_000.0 + at), 1, GRID);
    }
    for ring in fields.iter().flatten() {
        ring.windows(2).for_each(|pair| sheet.line(pair[0], pair[1], 1, EDGE));
    }
    for line in shapes(&demo.join("laterals.geojson"))?.iter().flatten() {
        line.windows(2).for_each(|pair| sheet.line(pair[0], pair[1], 2, DITCH));
    }
    let (east, south) =
        (WEST + PIXEL * (COLUMNS as f64 - 0.5), NORTH - PIXEL * (ROWS as f64 - 0.5));
    let corners = [(WEST, NORTH), (east, NORTH), (east, south), (WEST, south), (WEST, NORTH)];
    corners.windows(2).for_each(|pair| sheet.line(pair[0], pair[1], 1, FRAME));
    Ok(sheet)
}

/// Writes it as PNG with a world file, which becomes the GeoTIFF.
fn written(sheet: &Sheet, folder: &Path) -> Result<PathBuf> {
    let picture = folder.join("district-1951.png");
    let mut file = std::fs::File::create(&picture).expect("a folder of our own can be written");
    let mut encoder = png::Encoder::new(&mut file, COLUMNS as u32, ROWS as u32);
    encoder.set_color(png::ColorType::Indexed);
    encoder.set_palette(COLOURS.concat());
    let mut writer = encoder.write_header().expect("the header is in order");
    writer.write_image_data(&sheet.0).expect("there are as many pixels as it says");
    writer.finish().expect("the file can be written");
    let (x, y) = (WEST + PIXEL / 2.0, NORTH - PIXEL / 2.0);
    let world = format!("{PIXEL}\n0\n0\n-{PIXEL}\n{x}\n{y}\n");
    std::fs::write(folder.join("district-1951.pgw"), world).expect("so can its world file");
    let mut reader = RasterReader::open(&picture)?;
    reader.assume(Crs::from_epsg(26911)?);
    let out = folder.join("district-1951.tif");
    ConvertRaster::default().run(&reader, &out)?;
    Ok(out)
}

fn main() -> Result<()> {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("demo");
    let folder = tempfile::tempdir().expect("a temporary folder");
    let out = written(&drawn(&demo)?, folder.path())?;
    let of_demo = demo.join("district-1951.tif");
    if std::env::args().any(|argument| argument == "--write") {
        std::fs::copy(&out, &of_demo).expect("the demo can be written");
    }
    let (new, old) = (RasterReader::open(&out)?, RasterReader::open(&of_demo)?);
    let all = |raster: &RasterReader| raster.window(0, 0, COLUMNS, ROWS);
    assert_eq!((new.info().grid, &new.info().crs), (old.info().grid, &old.info().crs));
    assert!(
        all(&new)? == all(&old)?,
        "the sheet of the demo is drawn otherwise: run with -- --write"
    );
    println!("{COLUMNS} × {ROWS} pixels of {PIXEL} m, as in the demo");
    Ok(())
}
