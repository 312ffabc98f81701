//! Rasters in jobs: declared, carried, sampled, checked, drawn, written and packed as by hand.

use std::fs;
use std::path::Path;
use velvet_peg::convert::Way;
use velvet_peg::job::{JobLog, RunOptions};
use velvet_peg::raster::{ConvertRaster, RasterReader, declare_raster};
use velvet_peg::{Crs, Job, Layer, NoProgress, Value, demo};

const JOB: &str = r#"
job = 1
sources.sheet.file = "district-1951.tif"
sources.turnouts = { file = "turnouts.shp", crs = "EPSG:32611" }
sources.heights.file = "heights.asc"

[[steps]]
do = "declare"
from = "sheet"
as = "declared"
crs = "EPSG:26711"

[[steps]]
do = "convert"
from = "declared"
as = "the sheet"
to = "state-plane"

[[steps]]
do = "convert"
from = "heights"
as = "heights-sp"
to = "EPSG:2285"
align = "the sheet"
resample = "cubic"

[[steps]]
do = "tag"
from = "turnouts"
as = "tagged"
with = "heights-sp"
columns = ["band1:ground_m"]

[[checks]]
of = ["the sheet", "heights-sp", "tagged"]

[[outputs]]
file = "out/sheet.tif"
from = ["the sheet"]
overviews = true

[[outputs]]
file = "out/heights.asc"
from = ["heights-sp"]

[[outputs]]
file = "out/turnouts.gpkg"
from = ["tagged"]

[[outputs]]
file = "out/map.svg"
from = ["tagged", "the sheet"]
map = { context = ["heights"], no-backdrop = true }

[pack]
file = "out/all.zip"
"#;

fn run(folder: &Path, text: &str, options: RunOptions) -> Result<JobLog, String> {
    let file = folder.join("job.toml");
    fs::write(&file, text).unwrap();
    Job::read(&file).and_then(|job| job.run(&file, &options)).map_err(|error| error.to_string())
}

fn numbers(path: &Path) -> Vec<f64> {
    let raster = RasterReader::open(path).unwrap();
    let (columns, rows) = (raster.info().columns, raster.info().rows);
    let samples = raster.window(0, 0, columns, rows).unwrap();
    (0..samples.len()).map(|at| samples.get(at)).collect()
}

#[test]
fn a_job_does_with_rasters_what_is_done_by_hand() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    demo::lay_out(folder.path(), false).unwrap();
    let pages = RunOptions {
        report: Some(at("report.html")),
        map: Some(at("stages.html")),
        ..RunOptions::default()
    };
    let log = run(folder.path(), JOB, pages).unwrap();
    assert!(log.holds(), "{}", log.to_text());

    // By hand.
    let open = |name: &str| RasterReader::open(&at(name)).unwrap();
    let crs = |code| Crs::from_epsg(code).unwrap();
    let sheet = open("district-1951.tif");
    declare_raster(sheet, &crs(26711), &at("a.tif"), false, &mut NoProgress).unwrap();
    let to = ConvertRaster { target: Some(crs(2285)), way: Way::default(), ..Default::default() };
    to.run(&open("a.tif"), &at("b.tif")).unwrap();
    let aligned = ConvertRaster {
        align: open("b.tif").info().grid,
        resampling: velvet_peg::raster::Resampling::named("cubic"),
        ..to
    };
    aligned.run(&open("heights.asc"), &at("c.tif")).unwrap();
    assert_eq!(open("out/sheet.tif").info().grid, open("b.tif").info().grid);
    assert_eq!(open("out/sheet.tif").info().colours, open("b.tif").info().colours);
    assert!(open("out/sheet.tif").info().overviews > 0);
    assert!(numbers(&at("out/sheet.tif")) == numbers(&at("b.tif")));
    let (written, by_hand) = (numbers(&at("out/heights.asc")), numbers(&at("c.tif")));
    assert_eq!(written.len(), by_hand.len());
    let none = open("out/heights.asc").info().no_data.unwrap();
    for (written, by_hand) in written.into_iter().zip(by_hand) {
        let same = if by_hand.is_nan() { written == none } else { written == by_hand };
        assert!(same, "{written} {by_hand}");
    }
    assert_eq!(open("out/heights.asc").info().crs, Some(crs(2285)));

    // Pixels are counted as such, in and out.
    let [declared, carried, ..] = &log.steps[..] else { panic!() };
    assert_eq!((declared.rows_in, declared.out, declared.pixels), (280_000, 280_000, true));
    let grid = open("b.tif").info().grid.unwrap();
    assert_eq!(carried.out, (grid.columns() * grid.rows()) as u64);
    assert!(carried.route.as_ref().unwrap().by.contains("NAD27"));
    assert!(carried.line().contains("280000 pixels in"), "{}", carried.line());
    assert!(carried.position_error_pixels.is_some_and(|off| off <= 0.05));
    assert!(!log.steps[3].pixels && log.steps[3].out == 14);

    // Points took their heights.
    let turnouts = Layer::read(at("out/turnouts.gpkg")).unwrap();
    let mut heights = 0;
    for feature in turnouts.features() {
        let Some(Value::Real(height)) = feature.value("ground_m") else { continue };
        assert!((340.0..440.0).contains(&height), "{height}");
        heights += 1;
    }
    assert_eq!(heights, 14);

    // The map calls a raster as its step is called, and a page of stages shows it.
    let map = fs::read_to_string(at("out/map.svg")).unwrap();
    assert!(map.contains(">the sheet<") && map.matches("<image").count() == 2);
    let stages = fs::read_to_string(at("stages.html")).unwrap();
    assert!(stages.contains("data:image/png") && stages.contains("280000 pixels"));
    let report = fs::read_to_string(at("report.html")).unwrap();
    assert!(report.contains("<image") && report.contains("img-src data:"));

    // Inputs and outputs are logged with what lies beside them, and packed.
    let named = |files: &[velvet_peg::job::LoggedFile], name: &str| {
        files.iter().any(|file| file.path == Path::new(name))
    };
    assert!(named(&log.inputs, "heights.prj") && named(&log.outputs, "out/heights.prj"));
    let packed = zip::ZipArchive::new(fs::File::open(at("out/all.zip")).unwrap()).unwrap();
    let names: Vec<String> = packed.file_names().map(|name| name.unwrap().into_owned()).collect();
    for name in ["sheet.tif", "heights.asc", "heights.prj", "turnouts.gpkg", "map.svg"] {
        assert!(names.iter().any(|packed| packed.ends_with(name)), "{name}: {names:?}");
    }
}

/// Run again in another system, nothing of the old outputs stays that would contradict the new ones.
#[test]
fn what_contradicts_a_new_raster_goes_away() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    demo::lay_out(folder.path(), false).unwrap();
    run(folder.path(), JOB, RunOptions::default()).unwrap();
    fs::write(at("out/sheet.tfw"), "1\n0\n0\n-1\n0\n0\n").unwrap();
    let again = || RunOptions { overwrite: true, ..RunOptions::default() };
    let log = run(folder.path(), JOB, again()).unwrap();
    assert!(!at("out/sheet.tfw").exists() && at("out/heights.prj").exists());
    assert!(
        log.notices.iter().any(|notice| notice.text.contains("sheet.tfw")),
        "{:?}",
        log.notices
    );
    // What a step made is called as the step is, in errors, too.
    let lost = JOB.replace("crs = \"EPSG:26711\"", "crs = \"EPSG:26717\"");
    let error = run(folder.path(), &lost, again()).unwrap_err();
    assert!(error.contains("declared: the data lies in no state-plane zone"), "{error}");
    // A raster that lies elsewhere fails the check, and the outputs stay as they were.
    let before = fs::read(at("out/sheet.tif")).unwrap();
    let wrong = JOB
        .replace("crs = \"EPSG:26711\"", "crs = \"EPSG:26717\"")
        .replace("to = \"state-plane\"", "to = \"EPSG:2285\"")
        .replace("align = \"the sheet\"\n", "");
    let log = run(folder.path(), &wrong, again()).unwrap();
    assert!(!log.holds(), "{}", log.to_text());
    let told = log.to_text();
    assert!(told.contains("FAILS") && told.contains("the sheet"), "{told}");
    assert!(fs::read(at("out/sheet.tif")).unwrap() == before);
}
