//! Operations by grids of shifts, on small grids that the tests make.

use std::collections::HashMap;
use std::sync::mpsc::{Receiver, channel};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use velvet_peg_core::grid::{GridFiles, Grids, ShiftGrid};
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, PlanOptions};

/// Files in memory, by name in lower case.
#[derive(Debug, Default)]
struct Memory(HashMap<String, Vec<u8>>);

impl GridFiles for Memory {
    fn read(&self, name: &str) -> std::io::Result<Option<Vec<u8>>> {
        Ok(self.0.get(&name.to_lowercase()).cloned())
    }
}

/// Shift in seconds, north and east, as a plane that any interpolation reproduces.
fn plane(lon: f64, lat: f64) -> (f32, f32) {
    ((1.0 + 0.02 * (lat - 46.0)) as f32, (-3.0 + 0.04 * (lon + 124.0)) as f32)
}

/// An NTv2 file: one grid of half a degree, with a denser one inside whose shifts are a second
/// larger.
fn ntv2(big_endian: bool) -> Vec<u8> {
    let mut bytes = Vec::new();
    let int = |value: i32| if big_endian { value.to_be_bytes() } else { value.to_le_bytes() };
    let real = |value: f64| if big_endian { value.to_be_bytes() } else { value.to_le_bytes() };
    let single = |value: f32| if big_endian { value.to_be_bytes() } else { value.to_le_bytes() };
    let text = |value: &str| format!("{value:<8}").into_bytes();
    for (name, value) in [("NUM_OREC", 11), ("NUM_SREC", 11), ("NUM_FILE", 2)] {
        bytes.extend(text(name));
        bytes.extend(int(value));
        bytes.extend([0; 4]);
    }
    for (name, value) in
        [("GS_TYPE", "SECONDS"), ("VERSION", "NTv2.0"), ("SYSTEM_F", "OLD"), ("SYSTEM_T", "NEW")]
    {
        bytes.extend(text(name));
        bytes.extend(text(value));
    }
    for name in ["MAJOR_F", "MINOR_F", "MAJOR_T", "MINOR_T"] {
        bytes.extend(text(name));
        bytes.extend(real(6_378_000.0));
    }
    for (name, parent, south, north, east, west, step, more) in [
        ("MAIN", "NONE", 46.0, 48.0, 118.0, 122.0, 0.5, 0.0),
        ("DENSE", "MAIN", 47.0, 47.5, 120.0, 120.5, 0.25, 1.0),
    ] {
        for (key, value) in
            [("SUB_NAME", name), ("PARENT", parent), ("CREATED", ""), ("UPDATED", "")]
        {
            bytes.extend(text(key));
            bytes.extend(text(value));
        }
        for (key, value) in [
            ("S_LAT", south),
            ("N_LAT", north),
            ("E_LONG", east),
            ("W_LONG", west),
            ("LAT_INC", step),
            ("LONG_INC", step),
        ] {
            bytes.extend(text(key));
            bytes.extend(real(value * 3600.0));
        }
        let (rows, columns) =
            (((north - south) / step) as usize + 1, ((west - east) / step) as usize + 1);
        bytes.extend(text("GS_COUNT"));
        bytes.extend(int((rows * columns) as i32));
        bytes.extend([0; 4]);
        for row in 0..rows {
            for column in 0..columns {
                // From the east westward; the shift of longitude counts west.
                let (lat, lon) = (south + step * row as f64, -(east + step * column as f64));
                let (north, east) = plane(lon, lat);
                for value in [north + more as f32, -(east + more as f32), 0.1, 0.1] {
                    bytes.extend(single(value));
                }
            }
        }
    }
    bytes.extend(text("END"));
    bytes
}

/// The pair of NADCON files over the same area, a degree apart in both ways.
fn nadcon() -> (Vec<u8>, Vec<u8>) {
    let (rows, columns) = (6usize, 30usize);
    let file = |pick: &dyn Fn(f64, f64) -> f32| {
        let mut bytes = format!("{:<56}{:<8}", "TUMBLEWICK", "made up").into_bytes();
        for value in [columns as i32, rows as i32, 1] {
            bytes.extend(value.to_le_bytes());
        }
        for value in [-130.0f32, 1.0, 44.0, 1.0, 0.0] {
            bytes.extend(value.to_le_bytes());
        }
        bytes.resize((columns + 1) * 4, 0);
        for row in 0..rows {
            bytes.extend(((row + 1) as i32).to_le_bytes());
            for column in 0..columns {
                let (lon, lat) = (-130.0 + column as f64, 44.0 + row as f64);
                bytes.extend(pick(lon, lat).to_le_bytes());
            }
        }
        bytes
    };
    (file(&|lon, lat| plane(lon, lat).0), file(&|lon, lat| -plane(lon, lat).1))
}

/// One NADCON5 file, big-endian between the lengths of its records.
fn nadcon5(pick: &dyn Fn(f64, f64) -> f32) -> Vec<u8> {
    let (rows, columns) = (9i32, 17i32);
    let mut bytes = 44i32.to_be_bytes().to_vec();
    for value in [46.0f64, 238.0, 0.25, 0.25] {
        bytes.extend(value.to_be_bytes());
    }
    for value in [rows, columns, 1, 44] {
        bytes.extend(value.to_be_bytes());
    }
    for row in 0..rows {
        let length = (columns * 4).to_be_bytes();
        bytes.extend(length);
        for column in 0..columns {
            let (lon, lat) = (-122.0 + 0.25 * f64::from(column), 46.0 + 0.25 * f64::from(row));
            bytes.extend(pick(lon, lat).to_be_bytes());
        }
        bytes.extend(length);
    }
    bytes
}

fn options(files: Memory) -> PlanOptions {
    let area = Bounds { south: 47.3, west: -120.1, north: 47.5, east: -119.9 };
    PlanOptions {
        area: Some(area),
        grids: Some(Arc::new(Grids::new(files))),
        ..PlanOptions::default()
    }
}

#[test]
fn a_grid_file_makes_the_better_operation_usable() {
    let (nad27, nad83) = (Crs::from_epsg(4267).unwrap(), Crs::from_epsg(4269).unwrap());
    let (lat, lon) = nadcon();
    let files = Memory(HashMap::from([("conus.las".into(), lat), ("conus.los".into(), lon)]));
    let options = options(files);
    let there = Converter::plan(&nad27, &nad83, &options).unwrap();
    let route = there.route();
    assert_eq!(route.operations().next().unwrap().code(), Some(1241), "{}", route.summary());
    assert_eq!(route.accuracy_m(), Some(0.15));
    let at = Coordinate::xy(-120.05, 47.41);
    let found = there.convert(at).unwrap();
    let (north, east) = plane(at.x, at.y);
    assert!((found.y - at.y - f64::from(north) / 3600.0).abs() < 1e-9);
    assert!((found.x - at.x - f64::from(east) / 3600.0).abs() < 1e-9);
    // Backwards the place is found whose image it is.
    let back = Converter::plan(&nad83, &nad27, &options).unwrap().convert(found).unwrap();
    assert!((back.x - at.x).abs() < 1e-13 && (back.y - at.y).abs() < 1e-13, "{back:?}");
    // Outside the grid there is no answer, rather than a wrong one.
    let outside = there.convert(Coordinate::xy(-80.0, 40.0)).unwrap_err();
    assert!(outside.is_out_of_domain(), "{outside}");
}

/// NAD83 to WGS 84 in Quebec, which goes by a file of this name; the test's lies elsewhere.
fn through_quebec(grid: Vec<u8>) -> Converter {
    let files = Memory(HashMap::from([("na83scrs.gsb".into(), grid)]));
    Converter::plan(
        &Crs::from_epsg(4269).unwrap(),
        &Crs::from_epsg(4326).unwrap(),
        &PlanOptions {
            area: Some(Bounds { south: 47.0, west: -72.0, north: 48.0, east: -71.0 }),
            grids: Some(Arc::new(Grids::new(files))),
            ..PlanOptions::default()
        },
    )
    .unwrap()
}

#[test]
fn grids_that_are_each_others_parents_come_to_an_end() {
    let mut bytes = ntv2(false);
    let find =
        |bytes: &[u8], word: &[u8]| bytes.windows(word.len()).position(|w| w == word).unwrap();
    let main = find(&bytes, b"SUB_NAMEMAIN");
    let dense = find(&bytes, b"SUB_NAMEDENSE");
    // A third grid: again MAIN, whose parent is DENSE, whose parent is MAIN.
    let mut again = bytes[main..dense].to_vec();
    let parent = find(&again, b"NONE    ");
    again[parent..parent + 8].copy_from_slice(b"DENSE   ");
    let end = bytes.len() - 8;
    bytes.splice(end..end, again);
    let count = find(&bytes, b"NUM_FILE") + 8;
    bytes[count] = 3;
    let operation = through_quebec(bytes);
    // Both grids are within seconds of arc of each other; which one answers is not settled.
    let at = operation.convert(Coordinate::xy(-120.2, 47.2)).unwrap();
    assert!((at.x + 120.2).abs() < 0.01 && (at.y - 47.2).abs() < 0.01, "{at:?}");
    assert!(at.x != -120.2 && at.y != 47.2, "{at:?}");
}

#[test]
fn ntv2_grids_read_in_both_orders_of_bytes_and_use_the_densest() {
    for big_endian in [false, true] {
        let grid = ShiftGrid::parse(9615, &[&ntv2(big_endian)]).unwrap();
        assert!(format!("{grid:?}").contains("DENSE"));
        let operation = through_quebec(ntv2(big_endian));
        assert_eq!(operation.route().accuracy_m(), Some(1.5), "{}", operation.route().summary());
        let at = |lon, lat| operation.convert(Coordinate::xy(lon, lat));
        let (coarse, dense) = (at(-119.3, 46.8).unwrap(), at(-120.2, 47.2).unwrap());
        for (found, lon, lat, more) in [(coarse, -119.3, 46.8, 0.0), (dense, -120.2, 47.2, 1.0)] {
            let (north, east) = plane(lon, lat);
            assert!((found.y - lat - (f64::from(north) + more) / 3600.0).abs() < 1e-9);
            assert!((found.x - lon - (f64::from(east) + more) / 3600.0).abs() < 1e-9);
        }
        assert!(at(-110.0, 47.0).is_err());
    }
}

#[test]
fn nadcon5_grids_carry_heights() {
    let north = nadcon5(&|lon, lat| plane(lon, lat).0);
    let east = nadcon5(&|lon, lat| plane(lon, lat).1);
    let up = nadcon5(&|lon, lat| (0.5 + 0.01 * (lat - 46.0) * (lon + 122.0)) as f32);
    let names = "nadcon5.nad83_2007.nad83_2011.conus";
    let files = Memory(HashMap::from([
        (format!("{names}.lat.trn.20160901.b"), north),
        (format!("{names}.lon.trn.20160901.b"), east),
        (format!("{names}.eht.trn.20160901.b"), up),
    ]));
    let (from, to) = (Crs::from_epsg(4893).unwrap(), Crs::from_epsg(6319).unwrap());
    let converter = Converter::plan(&from, &to, &options(files)).unwrap();
    let at = Coordinate { x: -120.05, y: 47.41, z: 350.0 };
    let found = converter.convert(at).unwrap();
    assert!((found.z - 350.0 - 0.5 - 0.01 * 1.41 * 1.95).abs() < 1e-6, "{found:?}");
    let (north, _) = plane(at.x, at.y);
    assert!((found.y - at.y - f64::from(north) / 3600.0).abs() < 1e-9, "{found:?}");
}

#[test]
fn damaged_grids_are_refused_wherever_they_are_cut() {
    let (lat, lon) = nadcon();
    let whole = ntv2(false);
    for percent in 0..100 {
        let cut = |bytes: &[u8]| bytes[..bytes.len() * percent / 100].to_vec();
        assert!(ShiftGrid::parse(9613, &[&cut(&lat), &lon]).is_err(), "at {percent} %");
        // What is missing behind the last node does not matter.
        if percent < 99 {
            assert!(ShiftGrid::parse(9615, &[&cut(&whole)]).is_err(), "at {percent} %");
        }
    }
    let (nad27, nad83) = (Crs::from_epsg(4267).unwrap(), Crs::from_epsg(4269).unwrap());
    let files = Memory(HashMap::from([
        ("conus.las".into(), lat[..90].to_vec()),
        ("conus.los".into(), lon),
    ]));
    let converter = Converter::plan(&nad27, &nad83, &options(files)).unwrap();
    let needs = &converter.route().unavailable[0].needs;
    assert!(needs.contains("a sound file conus.las"), "{needs}");
}

/// Files that somebody puts into the folder later on, and that are counted when they are read.
#[derive(Debug, Default, Clone)]
struct Arriving(Arc<Mutex<Arrived>>);

#[derive(Debug, Default)]
struct Arrived {
    files: HashMap<String, Vec<u8>>,
    reads: usize,
}

impl GridFiles for Arriving {
    fn read(&self, name: &str) -> std::io::Result<Option<Vec<u8>>> {
        let mut held = self.0.lock().unwrap();
        let found = held.files.get(&name.to_lowercase()).cloned();
        held.reads += usize::from(found.is_some());
        Ok(found)
    }
}

#[test]
fn a_grid_that_was_missing_is_found_when_it_is_there_and_read_once() {
    let (nad27, nad83) = (Crs::from_epsg(4267).unwrap(), Crs::from_epsg(4269).unwrap());
    let files = Arriving::default();
    let options = PlanOptions {
        grids: Some(Arc::new(Grids::new(files.clone()))),
        ..options(Memory::default())
    };
    let plan = || Converter::plan(&nad27, &nad83, &options).unwrap();
    let missing = plan().route().unavailable.len();
    let (lat, lon) = nadcon();
    files.0.lock().unwrap().files.extend([("conus.las".into(), lat), ("conus.los".into(), lon)]);
    let there = plan();
    assert!(missing > 0 && there.route().operations().next().unwrap().code() == Some(1241));
    plan();
    // What was read is kept.
    assert_eq!(files.0.lock().unwrap().reads, 2);
}

/// Files of which the first is read only after another thread has read another.
#[derive(Debug)]
struct Slow(Memory, Mutex<Receiver<()>>);

impl GridFiles for Slow {
    fn read(&self, name: &str) -> std::io::Result<Option<Vec<u8>>> {
        if name.eq_ignore_ascii_case("conus.las") {
            let waited = self.1.lock().unwrap().recv_timeout(Duration::from_secs(20));
            waited.map_err(std::io::Error::other)?;
        }
        self.0.read(name)
    }
}

#[test]
fn one_grid_is_read_while_another_is() {
    let (lat, lon) = nadcon();
    let memory = Memory(HashMap::from([("conus.las".into(), lat), ("conus.los".into(), lon)]));
    let (other_has_read, waiting) = channel();
    let grids = Arc::new(Grids::new(Slow(memory, Mutex::new(waiting))));
    let plan = |source: u32, target: u32, area: Bounds| {
        let options =
            PlanOptions { grids: Some(grids.clone()), area: Some(area), ..PlanOptions::default() };
        let (source, target) = (Crs::from_epsg(source).unwrap(), Crs::from_epsg(target).unwrap());
        Converter::plan(&source, &target, &options)
    };
    let here = Bounds { south: 47.3, west: -120.1, north: 47.5, east: -119.9 };
    let australia = Bounds { south: -34.0, west: 150.0, north: -33.0, east: 151.0 };
    std::thread::scope(|scope| {
        let first = scope.spawn(|| plan(4267, 4269, here).unwrap().route().unavailable.len());
        // Elsewhere the grids are other files. Were they read under one lock, the two would wait for
        // each other.
        scope.spawn(|| {
            let _ = plan(4283, 7844, australia);
            other_has_read.send(()).unwrap();
        });
        assert!(first.join().unwrap() < plan_without_grids());
    });
}

fn plan_without_grids() -> usize {
    let (nad27, nad83) = (Crs::from_epsg(4267).unwrap(), Crs::from_epsg(4269).unwrap());
    Converter::plan(&nad27, &nad83, &options(Memory::default())).unwrap().route().unavailable.len()
}
