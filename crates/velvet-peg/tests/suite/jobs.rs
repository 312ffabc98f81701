//! Jobs: read and refused with line and column, run, run again, held back by their checks, and
//! carried elsewhere.

use std::path::{Path, PathBuf};
use velvet_peg::job::{JobLog, RunOptions, STEP_KINDS, WORDS, steps_table};
use velvet_peg::pack::{PackOptions, pack_job};
use velvet_peg::{Crs, Job, Layer, WriteOptions, definition, demo};

fn laid_out() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    demo::lay_out(folder.path(), false).unwrap();
    folder
}

fn run(file: &Path, overwrite: bool) -> Result<JobLog, String> {
    let options = RunOptions { overwrite, ..RunOptions::default() };
    Job::read(file).and_then(|job| job.run(file, &options)).map_err(|error| error.to_string())
}

/// Every file of a folder with its bytes.
fn files(folder: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let mut found: Vec<(PathBuf, Vec<u8>)> = std::fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .filter(|path| path.is_file())
        .map(|path| (path.file_name().unwrap().into(), std::fs::read(&path).unwrap()))
        .collect();
    found.sort();
    found
}

/// What is wrong with a job, and its text.
const WRONG: &str = include_str!("../data/jobs-wrong.txt");

/// The same of jobs that can be read, but do not fit the demo data.
const UNPLANNED: &str = include_str!("../data/jobs-unplanned.txt");

#[test]
fn jobs_that_are_not_valid_are_refused_with_line_and_column() {
    let mut cases = 0;
    for case in WRONG.split("\n====\n").skip(1) {
        let (wanted, text) = case.split_once('\n').unwrap();
        let error = Job::parse(text).unwrap_err().to_string();
        assert!(error.contains(wanted), "wanted: {wanted}\nfound: {error}\n{text}");
        cases += 1;
    }
    assert!(cases >= 12, "{cases}");
}

#[test]
fn every_word_of_a_job_has_its_place() {
    let text = "job = 1\nvariables = { out = \"o\" }\n\n[sources.a]\nfile = \"a.csv\"\n\n[[steps]]\n\
                do = \"lines\"\nfrom = \"a\"\nby = [\"x\", \"y\"]\n\n[[steps]]\ndo = \"fields\"\n\
                from = \"lines-1\"\nrename = { x = \"z\" }\n";
    let job = Job::parse(text).unwrap();
    for (word, place) in [
        ("job", Some((1, 7))),
        ("variables.out", Some((2, 21))),
        ("sources.a.file", Some((5, 8))),
        ("steps.0", Some((7, 1))),
        ("steps.0.by", Some((10, 6))),
        ("steps.0.by.1", Some((10, 12))),
        ("steps.1.rename.x", Some((15, 16))),
        // What is not said is where it would belong.
        ("steps.1.where", Some((12, 1))),
        ("steps.0.by.7", Some((10, 6))),
        ("checks.0.of", None),
    ] {
        assert_eq!(job.spans.find(word), place, "{word}");
    }
    // A job made in code has no text, and its errors no places.
    let step = velvet_peg::job::DeclareStep::default().into();
    let made = Job::of_step(Default::default(), None, step, Default::default());
    assert_eq!(made.spans.find("steps.0"), None);
}

#[test]
fn jobs_that_do_not_fit_are_refused_before_anything_runs() {
    let folder = laid_out();
    let file = folder.path().join("j.toml");
    let before = files(folder.path());
    let (mut cases, mut wrong) = (0, String::new());
    for case in UNPLANNED.split("\n====\n").skip(1) {
        let (wanted, text) = case.split_once('\n').unwrap();
        let planned = Job::parse(&format!("job = 1\n{text}"))
            .and_then(|job| job.plan(&file, &RunOptions::default()));
        let error = planned.map(|plan| format!("{plan:?}")).unwrap_err().to_string();
        let error = error.replace(&format!("{}/", folder.path().display()), "");
        if !error.contains(wanted) {
            wrong.push_str(&format!("wanted: {wanted}\nfound: {error}\n{text}\n"));
        }
        cases += 1;
    }
    assert!(cases >= 20 && wrong.is_empty(), "{cases}\n{wrong}");
    assert!(before == files(folder.path()));
}

#[test]
fn the_story_of_the_demo_runs_and_runs_again_to_the_same_bytes() {
    let folder = laid_out();
    let job = folder.path().join("tumblewick.toml");
    let log = run(&job, false).unwrap();
    assert!(log.holds(), "{}", log.to_text());
    let counts: Vec<(&str, u64, u64, u64)> =
        log.steps.iter().map(|s| (s.name.as_str(), s.rows_in, s.out, s.rejected)).collect();
    assert_eq!(counts[0], ("gates", 40, 34, 4));
    assert_eq!(counts[1], ("laterals", 95, 9, 0));
    assert_eq!(counts[3], ("tracts", 10, 2, 0));
    // The tracts close as the deeds do, the gates have their beat.
    assert_eq!(log.steps[3].closures[0].one_in.map(f64::round), Some(20_520.0));
    let first = files(&folder.path().join("out"));
    assert!(first.len() > 8);
    let text = std::fs::read_to_string(folder.path().join("tumblewick.log")).unwrap();
    assert!(text.contains("points → gates: 40 in, 34 out, 2 left out, 4 rejected"), "{text}");
    assert!(text.contains("known to 4 m"), "{text}");
    // Outputs are not replaced unasked.
    let error = run(&job, false).unwrap_err();
    assert!(error.contains("exists already"), "{error}");
    std::thread::sleep(std::time::Duration::from_millis(1100));
    let log = run(&job, true).unwrap();
    assert_eq!(log.outputs.len(), first.len());
    for ((name, before), (_, after)) in first.iter().zip(files(&folder.path().join("out"))) {
        assert_eq!(before.len(), after.len(), "{}", name.display());
        assert!(*before == after, "{} differs", name.display());
    }
}

#[test]
fn a_job_with_its_data_runs_elsewhere() {
    let (folder, elsewhere, outside) = (laid_out(), tempfile::tempdir().unwrap(), laid_out());
    let job = folder.path().join("tumblewick.toml");
    run(&job, false).unwrap();
    // One source from outside the job's folder.
    let text = std::fs::read_to_string(&job).unwrap();
    let beats = outside.path().join("beats.csv");
    let text = text.replace("file = \"beats.csv\"", &format!("file = \"{}\"", beats.display()));
    std::fs::write(&job, text).unwrap();
    let zip = elsewhere.path().join("job.zip");
    let packed = pack_job(&job, &zip, &PackOptions::default()).unwrap();
    assert!(packed.files.iter().any(|(name, _)| name == "data/beats.csv"), "{:?}", packed.files);
    let mut archive = zip::ZipArchive::new(std::fs::File::open(&zip).unwrap()).unwrap();
    // The date of the files is that of the job, or the one that is named.
    let date = |archive: &mut zip::ZipArchive<std::fs::File>| {
        let date = archive.by_index(0).unwrap().last_modified().unwrap();
        (date.year(), date.month(), date.day())
    };
    assert_eq!(date(&mut archive), (2026, 9, 1));
    let named = |date: &str| PackOptions {
        date: Some(date.into()),
        overwrite: true,
        ..PackOptions::default()
    };
    let again = elsewhere.path().join("again.zip");
    pack_job(&job, &again, &named("2027-02-28")).unwrap();
    let mut other = zip::ZipArchive::new(std::fs::File::open(&again).unwrap()).unwrap();
    assert_eq!(date(&mut other), (2027, 2, 28));
    for wrong in ["1979-12-31", "2027-02-29", "soon"] {
        let error = pack_job(&job, &again, &named(wrong)).unwrap_err().to_string();
        assert!(error.contains("is no date of a zip"), "{error}");
    }
    archive.extract(elsewhere.path()).unwrap();
    drop(outside);
    run(&elsewhere.path().join("tumblewick.toml"), false).unwrap();
    assert_eq!(files(&folder.path().join("out")).len(), files(&elsewhere.path().join("out")).len());
    for ((name, here), (_, there)) in
        files(&folder.path().join("out")).iter().zip(files(&elsewhere.path().join("out")))
    {
        assert!(*here == there, "{} differs", name.display());
    }
}

#[test]
fn every_format_comes_out_the_same_when_run_again() {
    let (folder, elsewhere) = (laid_out(), laid_out());
    let formats = [
        "gpkg", "shp", "geojson", "geojsonl", "fgb", "parquet", "kml", "gpx", "dxf", "xml", "csv",
        "xlsx", "svg", "png", "md", "html",
    ];
    let mut text = String::from(
        "job = 1\ndate = \"2026-09-01\"\nsources.g.file = \"headgates.csv\"\n[[steps]]\n\
         do = \"points\"\nfrom = \"g\"\nas = \"gates\"\ncrs = \"EPSG:4326\"\nx = \"longitude\"\n\
         y = \"latitude\"\n",
    );
    for format in formats {
        text.push_str(&format!(
            "[[outputs]]\nfile = \"out/{format}/gates.{format}\"\nfrom = [\"gates\"]\n"
        ));
    }
    text.push_str("[pack]\nfile = \"out/all.zip\"\noutputs = [\"out/gpkg/gates.gpkg\"]\n");
    // In two folders, a second and more apart: neither place nor time goes into the files.
    for (number, folder) in [&folder, &elsewhere].into_iter().enumerate() {
        std::thread::sleep(std::time::Duration::from_millis(1100 * number as u64));
        let job = folder.path().join("j.toml");
        std::fs::write(&job, &text).unwrap();
        let log = run(&job, false).unwrap();
        assert!(log.outputs.len() > formats.len(), "{:?}", log.outputs);
    }
    let mut compared = 0;
    for part in formats.iter().copied().chain([""]) {
        let at = |folder: &tempfile::TempDir| files(&folder.path().join("out").join(part));
        let (here, there) = (at(&folder), at(&elsewhere));
        assert!(!here.is_empty() && here.len() == there.len(), "{part}");
        for ((name, here), (_, there)) in here.iter().zip(&there) {
            assert!(here == there, "{part}: {} differs", name.display());
            compared += 1;
        }
    }
    assert!(compared > formats.len() + 4, "{compared}");
}

#[test]
fn references_told_by_files_go_along() {
    let (folder, elsewhere, outside) = (laid_out(), tempfile::tempdir().unwrap(), laid_out());
    let like = outside.path().join("turnouts.shp");
    let grid = definition::wkt1(&Crs::from_epsg(2285).unwrap()).unwrap();
    std::fs::write(folder.path().join("grid.prj"), grid).unwrap();
    let text = format!(
        "job = 1\nsources.fields.file = \"fields.geojson\"\n[[steps]]\ndo = \"fields\"\nfrom = \"fields\"\n\
         coords = [\"like:{}:utm_e,utm_n:2\", \"file:grid.prj:e,n:1\"]\nas = \"f\"\n\
         [[outputs]]\nfile = \"f.csv\"\nfrom = [\"f\"]\n",
        like.display()
    );
    let job = folder.path().join("j.toml");
    std::fs::write(&job, text).unwrap();
    run(&job, false).unwrap();
    let zip = elsewhere.path().join("j.zip");
    let packed = pack_job(&job, &zip, &PackOptions::default()).unwrap();
    let names: Vec<&str> = packed.files.iter().map(|(name, _)| name.as_str()).collect();
    for name in ["grid.prj", "data/turnouts.shp", "data/turnouts.prj"] {
        assert!(names.contains(&name), "{names:?}");
    }
    zip::ZipArchive::new(std::fs::File::open(&zip).unwrap())
        .unwrap()
        .extract(elsewhere.path())
        .unwrap();
    drop(outside);
    run(&elsewhere.path().join("j.toml"), false).unwrap();
    let read = |folder: &Path| std::fs::read_to_string(folder.join("f.csv")).unwrap();
    assert_eq!(read(folder.path()), read(elsewhere.path()));
}

#[test]
fn rejects_of_an_earlier_run_do_not_stay() {
    let folder = laid_out();
    let job = folder.path().join("j.toml");
    let text = "job = 1\nsources.g.file = \"g.csv\"\n[[steps]]\ndo = \"points\"\nfrom = \"g\"\n\
                as = \"p\"\n[[outputs]]\nfile = \"p.csv\"\nfrom = [\"p\"]\n";
    std::fs::write(&job, text).unwrap();
    let rejects = folder.path().join("p.rejects.csv");
    for (rows, wanted) in [("1,2\n?,3\n", true), ("1,2\n2,3\n", false)] {
        std::fs::write(folder.path().join("g.csv"), format!("x,y\n{rows}")).unwrap();
        run(&job, true).unwrap();
        assert_eq!(rejects.exists(), wanted, "{rows}");
    }
}

/// A check, and whether it holds.
const CHECKS: &[(&str, bool)] = &[
    ("count = 16", true),
    ("count = 17", false),
    ("key = [\"field\"]", true),
    ("key = [\"ditch\"]", false),
    ("complete = [\"crop\"]", true),
    ("crs = \"EPSG:2285\"", true),
    ("crs = \"EPSG:4326\"", false),
    ("every = \"right_acres > 20\"", true),
    ("every = \"right_acres > 25\"", false),
];

#[test]
fn outputs_appear_only_if_every_check_holds() {
    let folder = laid_out();
    let job = folder.path().join("j.toml");
    let out = folder.path().join("fields.fgb");
    std::fs::write(&out, "old").unwrap();
    for (check, holds) in CHECKS {
        let text = format!(
            "job = 1\n[sources.fields]\nfile = \"fields.geojson\"\n[[steps]]\ndo = \"convert\"\n\
             from = \"fields\"\nto = \"EPSG:2285\"\nas = \"sp\"\n[[checks]]\nof = [\"sp\"]\n{check}\n\
             [[outputs]]\nfile = \"fields.fgb\"\nfrom = [\"sp\"]\n"
        );
        std::fs::write(&job, text).unwrap();
        let log = run(&job, true).unwrap();
        assert_eq!(log.holds(), *holds, "{check}: {:?}", log.checks);
        let written = std::fs::read(&out).unwrap() != b"old";
        assert_eq!(written, *holds, "{check}");
        assert_eq!(log.outputs.is_empty(), !holds);
        std::fs::write(&out, "old").unwrap();
    }
    // A step that fails leaves the old output as well, and nothing beside it.
    let before = std::fs::read_dir(folder.path()).unwrap().count();
    let text = std::fs::read_to_string(&job).unwrap();
    let tag =
        "[[steps]]\ndo = \"tag\"\nfrom = \"sp\"\nwith = \"fields\"\nas = \"tagged\"\n[[checks]]";
    std::fs::write(&job, text.replace("[[checks]]", tag)).unwrap();
    let error = run(&job, true).unwrap_err();
    assert!(
        error.contains("line 10, column 6: step 2 (tag → tagged)")
            && error.contains("points are what is tagged"),
        "{error}"
    );
    assert_eq!(std::fs::read(&out).unwrap(), b"old");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), before);
}

#[test]
fn sources_are_checked_as_the_job_reads_them() {
    let folder = laid_out();
    let at = |name: &str| folder.path().join(name);
    // Two layers in one file, of which the job takes one, in a system that it gives.
    let points = |name: &str, count: i64| {
        let mut layer = Layer::new(name, None);
        for n in 0..count {
            layer.push((1_835_000.0 + 9.0 * n as f64, 155_000.0), [("n", n.into())]).unwrap();
        }
        layer
    };
    points("wells", 5).write(at("both.gpkg")).unwrap();
    let append =
        WriteOptions { append: true, layer: Some("weirs".into()), ..WriteOptions::default() };
    points("weirs", 3).write_with(at("both.gpkg"), &append).unwrap();
    let text = "job = 1\nsources.w = { file = \"both.gpkg\", layer = \"weirs\", crs = \"EPSG:2285\" }\n\
                [[checks]]\nof = [\"w\"]\ncount = 3\nkey = [\"n\"]\ncrs = \"EPSG:2285\"\n\
                every = \"n < 3\"\n[[outputs]]\nfile = \"sheet.md\"\nfrom = [\"w\"]\n";
    std::fs::write(at("j.toml"), text).unwrap();
    let log = run(&at("j.toml"), false).unwrap();
    assert!(log.holds(), "{:?}", log.checks);
    let sheet = std::fs::read_to_string(at("sheet.md")).unwrap();
    assert!(sheet.contains("| features | 3 (3 point) |") && !sheet.contains("wells"), "{sheet}");
    assert!(sheet.contains("| source | both.gpkg") && sheet.contains("EPSG:2285"), "{sheet}");
}

#[test]
fn words_that_depend_on_the_data_are_read_in_any_letters() {
    let folder = laid_out();
    let file = folder.path().join("j.toml");
    // The fields lie across the edge of two zones of UTM, in one of state plane.
    for (word, fits) in [("state-plane", true), ("State-Plane-M", true), ("UTM", false)] {
        let text = format!(
            "job = 1\nsources.f.file = \"fields.geojson\"\n[[steps]]\ndo = \"convert\"\n\
             from = \"f\"\nto = \"{word}\"\nas = \"g\"\n[[outputs]]\nfile = \"g.fgb\"\nfrom = [\"g\"]\n"
        );
        std::fs::write(&file, text).unwrap();
        match run(&file, true) {
            Ok(log) => assert!(fits && log.steps[0].out == 16, "{word}"),
            Err(error) => assert!(
                !fits && error.contains("line 6, column 6") && error.contains("straddles"),
                "{word}: {error}"
            ),
        }
    }
}

#[test]
fn variables_fill_paths_and_the_plan_tells_what_will_be_done() {
    let folder = laid_out();
    let file = folder.path().join("j.toml");
    let text = "job = 1\n[variables]\nyear = \"2026\"\n[sources.f]\nfile = \"{what}.geojson\"\n[[outputs]]\nfile = \"o/{year}.gpkg\"\nfrom = [\"f\"]\n";
    std::fs::write(&file, text).unwrap();
    let job = Job::read(&file).unwrap();
    let error = job.plan(&file, &RunOptions::default()).unwrap_err().to_string();
    assert!(error.contains("no variable `what`; the job has year"), "{error}");
    let options =
        RunOptions { variables: vec![("what".into(), "fields".into())], ..RunOptions::default() };
    let plan = job.plan(&file, &options).unwrap();
    assert_eq!(plan.lines.len(), 2);
    assert!(plan.lines[0].1.contains("layer fields, 16 features, EPSG:4326"), "{plan:?}");
    assert!(!folder.path().join("o").exists(), "a plan does nothing");
    job.run(&file, &options).unwrap();
    assert!(folder.path().join("o/2026.gpkg").exists());
    for (from, to, why) in [
        ("geojson", "nix", "is not there"),
        (
            "from = [\"f\"]",
            "from = [\"f\"]\n[[steps]]\ndo=\"lines\"\nfrom=\"f\"",
            "starts from a table",
        ),
        (
            "from = [\"f\"]",
            "from = [\"f\"]\n[[steps]]\ndo=\"declare\"\nfrom=\"f\"\ncrs=\"EPSG:1\"",
            "step 1",
        ),
    ] {
        std::fs::write(&file, text.replace(from, to)).unwrap();
        let error = Job::read(&file).unwrap().plan(&file, &options).unwrap_err().to_string();
        assert!(error.contains(why), "{error}");
    }
}

#[test]
fn the_documentation_has_every_step_and_word() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/jobs.md");
    let text = std::fs::read_to_string(path).unwrap();
    assert!(text.contains(&steps_table()), "run `cargo run -p velvet-peg --example steps_table`");
    for kind in STEP_KINDS {
        for word in kind.needs.iter().chain(kind.may) {
            assert!(WORDS.iter().any(|(known, _)| known == word), "{word} is not explained");
        }
    }
}

/// What each word may say, in a step that says all of its words.
const FULL: &str = include_str!("../data/jobs-full.toml");

#[test]
fn every_word_of_every_step_is_read_and_written_down() {
    let job = Job::parse(FULL).unwrap();
    let mut said: Vec<&str> = Vec::new();
    for kind in STEP_KINDS {
        let step = job.steps.iter().find(|step| step.kind().name == kind.name);
        let step = step.unwrap_or_else(|| panic!("no step `{}`", kind.name));
        let text = Job::of_step(Default::default(), None, step.clone(), Default::default());
        let text = text.to_toml().unwrap();
        for word in kind.needs.iter().chain(kind.may) {
            let written = text.lines().any(|line| {
                line.split([' ', '.', ']'])
                    .next()
                    .is_some_and(|first| first.trim_matches('"') == *word)
                    || line.contains(&format!("steps.{word}"))
            });
            assert!(written, "`{word}` of `{}` is lost:\n{text}", kind.name);
            said.push(word);
        }
    }
    assert!(WORDS.iter().skip(3).all(|(word, _)| said.contains(word)));
    let again = Job::parse(&job.to_toml().unwrap()).unwrap();
    assert_eq!(again.steps, job.steps);
    assert_eq!(again.sources, job.sources);
}
