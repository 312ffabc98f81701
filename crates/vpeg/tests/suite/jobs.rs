//! Lines, polygons, deeds, fields, joins, tags, measures, checks, jobs and deliverables, as a
//! technician would type them on the demo data.

use crate::support::Bench;
use serde_json::Value as Json;
use std::process::{Command, Stdio};
use std::time::Duration;

/// The demo, with gates, fields and beats in state-plane feet.
fn district() -> Bench {
    let bench = Bench::with_demo();
    for (arguments, code) in [
        (
            "build points headgates.csv --lon longitude --lat latitude --crs EPSG:4326 --to EPSG:2285 -o gates.gpkg",
            3,
        ),
        ("convert fields.geojson --to EPSG:2285 -o fields.gpkg", 0),
        (
            "build polygons beats.csv --by beat,rider --order corner --crs EPSG:2285 -o beats.gpkg",
            0,
        ),
    ] {
        let run = bench.run(&words(arguments));
        assert_eq!(run.code, code, "{}", run.err);
    }
    bench
}

fn words(line: &str) -> Vec<String> {
    line.split(' ').map(|word| word.replace('_', " ").replace('~', "_")).collect()
}

/// Each command line with an output: `{}` stands for its name without extension.
const SAVED: &[&str] = &[
    "build points headgates.csv --lon longitude --lat latitude --crs EPSG:4326 --to EPSG:2285 --keep gate,cfs -o {}.fgb",
    "build points quoted.csv --quote none --delimiter , --header --crs EPSG:4326 -o {}.fgb",
    "build points headgates.csv --same headgate=gate,no --crs EPSG:4326 -o {}.fgb",
    "build points headgates.parquet --crs EPSG:4326 --keep gate -o {}.fgb",
    "build points records.gpkg --sheet headgates --crs EPSG:4326 -o {}.fgb",
    "fields headgates.csv --keep gate,cfs --where cfs_>_2 -o {}.parquet",
    "fields register.xlsx --sheet Shares --first shares -o {}.csv",
    "convert fields.geojson --to EPSG:2285 --metadata -o {}.csv",
    "build lines lateral-vertices.csv --by ditch,name --order point --z invert~ft --repair --crs EPSG:2285 -o {}.fgb",
    "build polygons beats.csv --by beat --order corner --crs EPSG:2285 --to EPSG:4326 -o {}.fgb",
    "build courses deed.csv --by tract --x start~e --y start~n --adjust --tolerance 0.5 --crs EPSG:2285 -o {}.fgb",
    "declare turnouts.shp --crs EPSG:32611 -o {}.fgb",
    "convert turnouts.shp --crs EPSG:32611 --to EPSG:2285 --where size~in_>_12 -o {}.fgb",
    "convert fields.geojson --to state-plane --output-layer f --decimals 2 -o {}.csv",
    "fields fields.gpkg --set acres_=_Acres(ST~Area(geometry)) --round acres=2 --rename crop=plant --constant year=2026 --constant a=1 --coords EPSG:4269:lon,lat:6 --drop ditch --first acres -o {}.fgb",
    "join fields.gpkg register.xlsx --sheet Shares --on field --columns shares -o {}.fgb",
    "tag gates.gpkg --from beats.gpkg --columns beat --within 50 -o {}.fgb",
    "measure fields.gpkg --height 350 --area-unit acUS -o {}.fgb",
    "declare district-1951.tif --crs EPSG:26711 -o {}.tif",
    "convert district-1951.tif --crs EPSG:26711 --to state-plane --overviews -o {}.tif",
    "convert heights.asc --to EPSG:32611 --pixel 100,50 --extent 270000,5254000,275000,5257000 --resample cubic -o {}.tif",
    "convert heights.asc --to EPSG:26911 --align district-1951.tif -o {}.tif",
    "convert heights.asc --to utm -o {}.asc",
    "tag gates.gpkg --from heights.asc --columns band1:ground~m --prefix h~ --resample nearest -o {}.fgb",
];

#[test]
fn what_was_done_is_saved_as_a_job_that_does_the_same() {
    let bench = district();
    for table in ["headgates.parquet", "records.gpkg"] {
        bench.ok(&["fields", "headgates.csv", "-o", table]);
    }
    bench.ok(&["fields", "beats.csv", "-o", "records.gpkg", "--append", "--output-layer", "b"]);
    bench.write("quoted.csv", "gate,lat,lon\n\"7,47.4,-120\n\"8,47.5,-120.1\n");
    for line in SAVED {
        let mut typed = words(&line.replace("{}", "first"));
        typed.extend(words("--save-job saved.toml --overwrite"));
        let run = bench.run(&typed);
        assert!(run.code == 0 || run.code == 3, "{line}: {}", run.err);
        assert!(run.err.contains("the job is written down: vpeg run saved.toml"), "{}", run.err);
        let name = line.rsplit(' ').next().unwrap().replace("{}", "first");
        let first = std::fs::read(bench.path(&name)).unwrap();
        std::fs::remove_file(bench.path(&name)).unwrap();
        let again = bench.run(&["run", "saved.toml", "--overwrite"]);
        assert!(again.code == run.code, "{line}: {} {}", again.out, again.err);
        let second = std::fs::read(bench.path(&name)).unwrap();
        assert!(
            first == second,
            "{line}: the job wrote something else\n{}",
            bench.read("saved.toml")
        );
    }
    std::fs::create_dir(bench.path("d")).unwrap();
    for (line, why) in [
        ("convert fields.gpkg -o -", "from files to files"),
        ("convert fields.gpkg gates.gpkg -o d", "there are several"),
        ("convert headgates.csv --crs EPSG:4326 --to EPSG:2285 -o a.csv", "is a table"),
        ("convert heights.asc --to EPSG:32611 -o a.png", "in a job a .png is a map"),
        ("convert heights.asc -o a.tif", "add --to REF"),
        ("declare heights.asc --crs EPSG:26711", "written anew"),
    ] {
        let run = bench.run(&words(&format!("{line} --save-job x.toml")));
        assert!(run.code == 1 && !bench.has("x.toml"), "{line}: {}", run.err);
        assert!(run.err.contains("--save-job") && run.err.contains(why), "{}", run.err);
    }
    // Reference systems that files tell are found from the job's own folder.
    let line = "fields fields.gpkg --coords like:turnouts.shp:e,n:1 -o c.csv --save-job d/c.toml";
    bench.ok(&words(line));
    let text = bench.read("d/c.toml");
    assert!(text.contains("like:../turnouts.shp:e,n:1"), "{text}");
    bench.ok(&words("run d/c.toml --overwrite --outside"));
}

#[test]
fn what_is_done_next_is_added_to_the_job() {
    let bench = district();
    let lines = [
        "build polygons beats.csv --by beat,rider --order corner --crs EPSG:2285 -o b1.gpkg",
        "convert b1.gpkg --to EPSG:4326 -o b2.fgb",
        "tag gates.gpkg --from b1.gpkg --columns rider -o t.fgb",
        "fields b2.fgb --keep beat -o b3.fgb",
        "join fields.gpkg register.xlsx --sheet Shares --on field -o j.fgb",
        "measure fields.gpkg -o m.fgb",
    ];
    for (number, line) in lines.iter().enumerate() {
        bench.ok(&words(&format!("{line} --save-job all.toml")));
        if number == 0 {
            bench.write("all.toml", format!("# The whole story.\n{}", bench.read("all.toml")));
        }
    }
    let text = bench.read("all.toml");
    assert!(text.starts_with("# The whole story."), "{text}");
    let job = velvet_peg::Job::parse(&text).unwrap();
    assert_eq!((job.steps.len(), job.outputs.len()), (lines.len(), lines.len()));
    let from: Vec<&str> = job.steps.iter().map(velvet_peg::job::Step::from).collect();
    // What an earlier step makes is not read from its file, and what is read twice is one source.
    assert_eq!(from[1], "result", "{text}");
    assert_eq!(from[3], job.steps[1].name().unwrap(), "{text}");
    assert_eq!(from[5], from[4], "{text}");
    assert_eq!(job.sources.len(), 4, "{text}");
    let outputs = ["b2.fgb", "t.fgb", "b3.fgb", "j.fgb", "m.fgb"];
    let first: Vec<Vec<u8>> =
        outputs.iter().map(|name| std::fs::read(bench.path(name)).unwrap()).collect();
    for name in outputs.iter().chain(&["b1.gpkg"]) {
        std::fs::remove_file(bench.path(name)).unwrap();
    }
    bench.ok(&["run", "all.toml"]);
    for (name, first) in outputs.iter().zip(first) {
        assert!(std::fs::read(bench.path(name)).unwrap() == first, "{name}");
    }
    for (line, job, why) in [
        (lines[5], "all.toml", "writes m.fgb already"),
        (lines[5], "beats.csv", "is there, and is no job"),
    ] {
        let run = bench.run(&words(&format!("{line} --save-job {job}")));
        assert!(run.code == 1 && run.err.contains(why), "{job}: {}", run.err);
    }
    assert_eq!(bench.read("all.toml"), text);
    // What comes back from GeoJSON is in another system than what went there.
    bench.ok(&words("convert fields.gpkg -o q.geojson --save-job q.toml"));
    let run = bench.run(&words("measure q.geojson -o q.gpkg --save-job q.toml"));
    assert!(run.code == 1 && !bench.has("q.gpkg"), "{}", run.err);
    assert!(run.err.contains("writes q.geojson, which may hold something else"), "{}", run.err);
}

#[test]
fn a_job_that_is_killed_leaves_old_or_new_outputs_whole() {
    let bench = Bench::with_demo();
    let outputs = |bench: &Bench| -> Vec<(String, Vec<u8>)> {
        let mut files: Vec<(String, Vec<u8>)> = std::fs::read_dir(bench.path("out"))
            .unwrap()
            .map(|entry| entry.unwrap())
            .filter(|entry| entry.file_type().unwrap().is_file())
            .map(|entry| {
                let name = entry.file_name().into_string().unwrap();
                (name, std::fs::read(entry.path()).unwrap())
            })
            .collect();
        files.sort();
        files
    };
    let old_job = bench.read("tumblewick.toml");
    bench.write(
        "new.toml",
        old_job.replace("2026-09-01", "2027-09-01").replace("beats, fields", "all"),
    );
    bench.run(&["run", "new.toml"]);
    let new = outputs(&bench);
    bench.run(&["run", "tumblewick.toml", "--overwrite"]);
    let old = outputs(&bench);
    assert!(old.iter().zip(&new).any(|(a, b)| a.1 != b.1), "the two runs differ");
    let mut replaced = 0;
    for wait in (1..=10).map(|n| Duration::from_millis(n * 50)) {
        let mut child = Command::new(env!("CARGO_BIN_EXE_vpeg"))
            .args(["run", "new.toml", "--overwrite"])
            .current_dir(bench.path(""))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(wait);
        let _ = child.kill();
        child.wait().unwrap();
        let found = outputs(&bench);
        assert_eq!(found.len(), old.len(), "after {wait:?}");
        for ((name, bytes), (before, after)) in found.iter().zip(old.iter().zip(&new)) {
            assert!(*bytes == before.1 || *bytes == after.1, "{name} is neither after {wait:?}");
        }
        replaced += u64::from(found.iter().zip(&new).all(|(a, b)| a.1 == b.1));
        bench.run(&["run", "tumblewick.toml", "--overwrite"]);
    }
    // The last ones had the time to end, the first had not.
    assert!(replaced < 10, "every run ended before it was killed");
}

#[test]
fn jobs_are_planned_run_and_refused() {
    let bench = Bench::with_demo();
    let plan = bench.ok(&["run", "tumblewick.toml", "--plan"]);
    assert!(plan.out.contains("join fields-sp") && plan.err.contains("nothing was done"));
    assert!(!bench.has("out"));
    let run = bench.run(&["run", "tumblewick.toml"]);
    assert_eq!(run.code, 3, "with rejects: {}", run.err);
    let row = |name: &str| -> Vec<&str> {
        let line = run.out.lines().find(|line| line.split_whitespace().nth(1) == Some(name));
        line.unwrap_or_else(|| panic!("{name}: {}", run.out)).split_whitespace().collect()
    };
    assert_eq!(row("tracts")[..4], ["courses", "tracts", "10", "2"]);
    assert_eq!(row("sheet-declared")[2..5], ["280000", "280000", "pixels"]);
    assert!(run.err.contains("from 4 to 6 (rows 91 and 92)"), "{}", run.err);
    let log: Json = serde_json::from_str(&bench.read("tumblewick.log.json")).unwrap();
    assert_eq!(log["steps"].as_array().unwrap().len(), 18);
    assert_eq!(log["inputs"][0]["sha256"].as_str().unwrap().len(), 64);
    assert_eq!(log["steps"][0]["route"]["accuracy_m"], 4.0);
    let run = bench.run(&["run", "tumblewick.toml"]);
    assert!(run.code == 1 && run.err.contains("exists already"), "{}", run.err);
    let run = bench.ok(&["run", "tumblewick.toml", "--plan"]);
    assert!(run.err.contains("need --overwrite"), "{}", run.err);
    // Paths are told as the job has them, also where it lies in the current folder.
    bench.write(
        "here.toml",
        "job = 1\nsources.f.file = \"fields.geojson\"\n[[outputs]]\nfile = \"f.shp\"\nfrom = [\"f\"]\n",
    );
    let run = bench.ok(&["run", "here.toml"]);
    assert!(run.out.contains("bytes  f.shp") && run.out.contains("bytes  f.prj"), "{}", run.out);
    bench.write("bad.toml", "job = 1\n[[steps]]\ndo = \"dance\"\n");
    let run = bench.run(&["run", "bad.toml"]);
    assert!(run.code == 1 && run.err.contains("bad.toml: line 3, column 6"), "{}", run.err);
}

#[test]
fn deliverables_hold_all_that_belongs_to_them() {
    let bench = district();
    bench.ok(&words("convert fields.gpkg -o fields.shp"));
    let packed =
        bench.ok(&words("pack fields.shp gates.gpkg --title Fields_of_2026 -o d.zip --json"));
    let manifest = packed.json();
    let names: Vec<&str> =
        manifest["files"].as_array().unwrap().iter().map(|f| f["path"].as_str().unwrap()).collect();
    assert_eq!(
        names,
        [
            "fields.shp",
            "fields.shx",
            "fields.dbf",
            "fields.prj",
            "fields.cpg",
            "gates.gpkg",
            "gates.gpkg.rejects.csv"
        ]
    );
    assert_eq!(manifest["files"][0]["layers"][0]["crs"], "EPSG:2285");
    assert_eq!(manifest["title"], "Fields of 2026");
    std::fs::remove_file(bench.path("fields.prj")).unwrap();
    let run = bench.run(&words("pack fields.shp -o e.zip"));
    assert!(run.err.contains("fields.prj is missing"), "{}", run.err);
    let run = bench.run(&words("pack fields.shp -o d.zip"));
    assert!(run.code == 1 && run.err.contains("exists already"), "{}", run.err);
    let run = bench.run(&words("pack nix.shp -o n.zip"));
    assert!(run.code == 1 && !bench.has("n.zip"), "{}", run.err);
}

/// A command line, its exit status, and what it says.
const SAID: &[(&str, i32, &str)] = &[
    ("check fields.gpkg --key field", 0, "field: 16 different values"),
    ("check fields.gpkg --key ditch", 3, "ditch is not unique"),
    ("check fields.gpkg --expect-crs EPSG:4326", 3, "where EPSG:4326 WGS 84 is expected"),
    ("check fields.gpkg beats.gpkg", 0, "overlapping: fields and beats"),
    ("check headgates.csv --crs EPSG:4326", 3, "sign turned"),
    ("check fields.gpkg --title Fields -o sheet.html", 0, "wrote the report to sheet.html"),
    ("check fields.gpkg -o sheet.pdf", 1, ".md or .json, and the report as .html"),
    ("join fields.gpkg register.xlsx --sheet Shares --on field", 0, "15 of 16 have their key"),
    ("join fields.gpkg register.xlsx --sheet Owners --on field -o j.gpkg", 1, "no column `field`"),
    (
        "join fields.gpkg register.xlsx --sheet Owners --on field=owner~id -o j.gpkg",
        1,
        "no key of the layer",
    ),
    ("tag gates.gpkg --from beats.gpkg -o t.gpkg", 0, "in no polygon"),
    ("tag gates.gpkg --from beats.gpkg", 0, "34 points in one polygon, 0 in several, 2 in none"),
    ("tag fields.gpkg --from beats.gpkg -o t2.gpkg", 1, "points are what is tagged"),
    ("measure fields.gpkg --by crop --limit 1", 0, "sample std dev"),
    ("measure fields.gpkg --sort area --descending --limit 1 --area-unit ha", 0, "F-13"),
    ("measure fields.gpkg --courses 3", 0, "12 courses"),
    ("measure fields.gpkg --courses 99", 1, "no feature 99"),
    ("measure fields.gpkg --area-unit acre", 1, "acUS"),
    ("measure fields.geojson --grid EPSG:4326", 1, "degrees, which have no length"),
    ("measure fields.geojson --grid EPSG:3857", 0, "its mean scale factor here is 1.47"),
    ("measure laterals.geojson --combined-factor 0.9999", 1, "there is no grid"),
    ("fields fields.gpkg --coords EPSG:4269:lon -o f.gpkg", 1, "write REF:X,Y"),
    ("fields fields.gpkg --rename crop -o f.gpkg", 2, "NAME=VALUE"),
    ("fields fields.gpkg --where 1=0 -o e.gpkg", 0, "the condition is true for no feature"),
    (
        "build points headgates.csv --crs EPSG:4326 --lon longitude --lat latitude --where cfs<0 -o n.gpkg",
        0,
        "the condition is true for no feature",
    ),
    ("build lines headgates.csv --by ditch --crs EPSG:4326 -o l.gpkg", 3, "8 features out"),
    (
        "build courses deed.csv --by tract --crs EPSG:2285 -o c.gpkg",
        0,
        "parcels begin where columns `start_e` and `start_n` say",
    ),
    ("build courses deed.csv --by tract --crs EPSG:4326 -o degrees.gpkg", 1, "plane grid"),
];

/// What a run says, on one line.
fn said(run: &crate::support::Run) -> String {
    let all = format!("{} {}", run.out, run.err);
    all.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[test]
fn every_command_answers_and_ends_as_scripts_expect() {
    let bench = district();
    for (line, code, says) in SAID {
        let run = bench.run(&words(line));
        let said = said(&run);
        assert_eq!(run.code, *code, "{line}: {said}");
        assert!(said.contains(says), "{line}: {said}");
    }
    let sheet = bench.read("sheet.html");
    assert!(sheet.contains("<h1>Fields</h1>") && sheet.contains("with the EPSG dataset 12."));
    // With --strict a warning is a fault.
    let run = bench.run(&words("check fields.gpkg gates.gpkg --strict"));
    assert_eq!(run.code, 3, "{}", run.err);
}

/// What a careless user types, and what the answer must say; nothing may be left behind.
const CARELESS: &[(&str, i32, &str)] = &[
    ("build lines lateral-vertices.csv --by dich --crs EPSG:2285 -o o.gpkg", 1, "no column `dich`"),
    (
        "build lines lateral-vertices.csv --by ditch --order name --ring x --crs EPSG:2285 -o o.gpkg",
        2,
        "--ring",
    ),
    ("build polygons headgates.csv --crs EPSG:4326 -o o", 1, "names no format"),
    ("build polygons fields.geojson --crs EPSG:4326 -o o.gpkg", 1, "holds features already"),
    ("build courses headgates.csv -o o.gpkg", 1, "--bearing"),
    ("build courses deed.csv --start here -o o.gpkg", 2, "EASTING,NORTHING"),
    (
        "build courses deed.csv --by tract --start 1832900,155850 --crs EPSG:2285 -o o.gpkg",
        1,
        "there are 2 parcels, and one start would put them all on one point",
    ),
    ("build courses deed.csv --unit ft --start 1,2 -o o.gpkg", 1, "ftUS"),
    ("fields fields.gpkg --keep crop --drop ditch -o o.gpkg", 2, "cannot be used with"),
    ("fields fields.gpkg -o fields.gpkg", 1, "exists already"),
    ("join fields.gpkg headgates.csv -o o.gpkg", 2, "--on"),
    ("join headgates.csv fields.gpkg --on field -o o.gpkg", 1, "is a table"),
    ("join fields.gpkg register.xlsx --on field -o o.gpkg", 1, "--sheet"),
    ("join fields.gpkg register.xlsx --sheet Share --on field -o o.gpkg", 1, "Shares"),
    ("tag beats.gpkg --from gates.gpkg -o o.gpkg", 1, "points are tagged from polygons"),
    ("tag gates.gpkg -o o.gpkg", 2, "--from"),
    ("tag gates.gpkg --from beats.gpkg --columns beet -o o.gpkg", 1, "no column `beet`"),
    ("measure gates.csv", 1, "gates.csv"),
    ("measure fields.gpkg --height high", 2, "high"),
    ("measure fields.gpkg --by corp", 1, "no column `corp`"),
    ("check nix.gpkg", 1, "nix.gpkg"),
    ("check fields.gpkg beats.gpkg --key nix", 1, "none of the layers has a column `nix`"),
    ("run headgates.csv", 1, "line 1"),
    ("run nix.toml", 1, "nix.toml"),
    ("run tumblewick.toml --var out", 2, "NAME=VALUE"),
    ("pack -o o.zip", 2, "FILES"),
    ("pack fields.gpkg -o fields.gpkg --overwrite", 1, "choose another name"),
    ("pack tumblewick.toml fields.gpkg -o headgates.csv", 1, "exists already"),
    (
        "pack late.toml -o o.zip",
        1,
        "late.toml: line 6, column 6: step 1 (lines): there is no column `dich`",
    ),
    ("run late.toml", 1, "late.toml: line 6, column 6: step 1 (lines): there is no column `dich`"),
    ("check headgates.csv", 1, "needs a geographic reference system"),
    (
        "build points headgates.csv -o o.gpkg",
        1,
        "such as EPSG:4326 (WGS 84) for what hand-held receivers give: add --crs REF",
    ),
    ("build courses deed.csv --by tract --unit cubit -o o.gpkg", 1, "cubit"),
    // Damaged files, for every command that reads them.
    ("look broken.xlsx", 1, "broken.xlsx: cannot be read as a workbook"),
    ("join fields.gpkg broken.xlsx --on field -o o.gpkg", 1, "broken.xlsx: cannot be read"),
    ("join fields.gpkg cut.gpkg --on field -o o.gpkg", 1, "cut.gpkg: cannot be read"),
    ("tag gates.gpkg --from cut.gpkg -o o.gpkg", 1, "cut.gpkg: cannot be read as a GeoPackage"),
    ("tag cut.geojson --from beats.gpkg -o o.gpkg", 1, "cut.geojson: cannot be read as GeoJSON"),
    ("fields cut.geojson --drop crop -o o.gpkg", 1, "cut.geojson: cannot be read as GeoJSON"),
    ("measure cut.geojson", 1, "cut.geojson: cannot be read as GeoJSON"),
    ("check fields.gpkg cut.gpkg", 1, "cut.gpkg: cannot be read as a GeoPackage"),
    ("check broken.xlsx", 1, "broken.xlsx: cannot be read as a workbook"),
    ("draw cut.gpkg -o o.png", 1, "cut.gpkg: cannot be read as a GeoPackage"),
    ("pack cut.gpkg -o o.zip", 1, "cut.gpkg: cannot be read as a GeoPackage"),
    ("declare cut.geojson --crs EPSG:2285 -o o.gpkg", 1, "cut.geojson: cannot be read"),
    ("zone cut.geojson", 1, "cut.geojson: cannot be read as GeoJSON"),
];

#[test]
fn careless_words_get_an_answer_that_says_what_to_do() {
    let bench = district();
    bench.write("broken.xlsx", b"PK\x03\x04junk");
    for (whole, cut) in [("fields.gpkg", "cut.gpkg"), ("fields.geojson", "cut.geojson")] {
        let bytes = std::fs::read(bench.path(whole)).unwrap();
        bench.write(cut, &bytes[..3000]);
    }
    let late = "job = 1\nsources.v.file = \"lateral-vertices.csv\"\n[[steps]]\ndo = \
                \"lines\"\nfrom = \"v\"\nby = [\"dich\"]\n[[outputs]]\nfile = \"o.gpkg\"\nfrom = \
                [\"lines-1\"]\n";
    bench.write("late.toml", late);
    for (line, code, says) in CARELESS {
        let run = bench.run(&words(line));
        let said = said(&run);
        assert_eq!(run.code, *code, "{line}: {said}");
        assert!(said.contains(says) && !said.contains("panicked"), "{line}: {said}");
        for left in ["o.gpkg", "o.png", "o.zip", "o.gpkg.rejects.csv"] {
            assert!(!bench.has(left), "{line} left {left}");
        }
    }
    let left = std::fs::read_dir(bench.path("")).unwrap();
    let hidden: Vec<_> = left
        .map(|entry| entry.unwrap().file_name())
        .filter(|name| name.to_string_lossy().starts_with('.'))
        .collect();
    assert!(hidden.is_empty(), "{hidden:?}");
}

/// What goes to a command on standard input, the command, and what it says.
const PIPED: &[(&str, &str, &str)] = &[
    (
        "lateral-vertices.csv",
        "build lines - --by ditch,name --order point --crs EPSG:2285 -o p.gpkg",
        "95 rows in, 9 features out",
    ),
    (
        "beats.csv",
        "build polygons - --by beat --order corner --crs EPSG:2285 -o p.gpkg",
        "40 rows in, 4 features out",
    ),
    (
        "deed.csv",
        "build courses - --by tract --x start~e --y start~n --crs EPSG:2285 -o p.gpkg",
        "10 rows in, 2 features out",
    ),
    (
        "register.xlsx",
        "join fields.gpkg - --sheet Shares --on field -o p.gpkg",
        "15 of 16 have their key in the table",
    ),
    ("register.xlsx", "join fields.gpkg - --sheet Shares --on field", "15 of 16 have their key"),
    ("beats.gpkg", "tag gates.gpkg --from - --columns beat -o p.gpkg", "34 points in one polygon"),
    ("gates.gpkg", "tag - --from beats.gpkg --columns beat -o p.gpkg", "34 points in one polygon"),
    ("fields.geojson", "fields - --keep field -o p.gpkg", "16 features out"),
    ("fields.geojson", "measure - --limit 1", "sample std dev"),
    ("fields.geojson", "check -", "16 (16 polygon)"),
    ("headgates.csv", "check - --crs EPSG:4326", "(delimited text)"),
];

#[test]
fn standard_input_is_read_once_and_whole() {
    let bench = district();
    for (file, line, says) in PIPED {
        let input = std::fs::read(bench.path(file)).unwrap();
        let run = bench.run_with(&words(line), &input);
        let said = said(&run);
        assert!([0, 3].contains(&run.code), "{line}: {said}");
        assert!(said.contains(says), "{line}: {said}");
        if line.ends_with("p.gpkg") {
            std::fs::remove_file(bench.path("p.gpkg")).unwrap();
        }
    }
}

#[test]
fn answers_are_json_when_asked_for() {
    let bench = district();
    let report = bench.run(&words("check gates.gpkg fields.gpkg beats.gpkg --json")).json();
    assert_eq!(report["sheets"][1]["kinds"]["polygon"], 16);
    assert_eq!(report["agreement"]["elsewhere"].as_array().unwrap().len(), 0);
    assert_eq!(report["passes"], true);
    let keys =
        bench.ok(&words("join fields.gpkg register.xlsx --sheet Shares --on field --json")).json();
    assert_eq!(
        (keys["features_met"].as_u64(), keys["rows_unmet"]["first"][0].as_str()),
        (Some(15), Some("F-17"))
    );
    let parcels =
        bench.ok(&words("build courses deed.csv --by tract --x start~e --y start~n --crs EPSG:2285 -o d.gpkg --json")).json();
    assert_eq!(parcels["parcels"][0]["courses"], 6);
    assert_eq!(parcels["parcels"][0]["unit"], "US survey foot");
    assert!((parcels["parcels"][0]["closes_1_in"].as_f64().unwrap() - 20520.4).abs() < 1.0);
    let tagged = bench.run(&words("tag gates.gpkg --from beats.gpkg -o t.gpkg --json")).json();
    assert_eq!(
        (tagged["points"]["inside"].as_u64(), tagged["points"]["none"].as_u64()),
        (Some(34), Some(2))
    );
    let measures = bench.ok(&words("measure fields.gpkg --by crop --json")).json();
    assert_eq!(measures["groups"].as_array().unwrap().len(), 7);
    assert_eq!(measures["statistics"]["area_ellipsoid_m2"]["count"], 16);
    let first = &measures["features"][0];
    let scale = first["scale_factor"].as_f64().unwrap();
    let ppm = first["grid_minus_ellipsoid_ppm"].as_f64().unwrap();
    assert!(((scale * scale - 1.0) * 1e6 - ppm).abs() < 0.05, "{scale} explains {ppm}");
    let legs = bench.ok(&words("measure fields.gpkg --courses 1 --json")).json();
    assert_eq!(legs.as_array().unwrap().len(), 6);
}

#[test]
fn jobs_and_the_demo_tell_paths_as_they_are_from_here_and_all_that_they_made() {
    let bench = Bench::new();
    let demo = bench.ok(&["demo", "district"]).out;
    let (_, made) = demo.split_once("Made:").unwrap();
    let mut told: Vec<&str> =
        made.lines().filter_map(|line| Some(line.split_once(" bytes  ")?.1)).collect();
    let mut there = Vec::new();
    for folder in ["district", "district/out"] {
        for entry in std::fs::read_dir(bench.path(folder)).unwrap().flatten() {
            if entry.file_type().unwrap().is_file() {
                there.push(format!("{folder}/{}", entry.file_name().to_string_lossy()));
            }
        }
    }
    told.sort_unstable();
    there.sort();
    assert_eq!(told, there);
    let run = bench.run(&["run", "district/tumblewick.toml", "--overwrite"]);
    assert_eq!(run.code, 3, "rows were rejected: {}", run.err);
    let (_, wrote) = run.out.split_once("wrote\n").unwrap();
    let paths: Vec<&str> =
        wrote.lines().filter_map(|line| Some(line.split_once(" bytes  ")?.1)).collect();
    assert!(paths.len() > 8 && paths.iter().all(|path| bench.has(path)), "{paths:?}");
    assert!(wrote.trim_end().ends_with("log: district/tumblewick.log"), "{wrote}");
    assert!(run.err.contains("warning: district/out/fields.shp: "), "{}", run.err);
    // Under --quiet, what is warned of still names its step.
    let quiet = bench.run(&["run", "district/tumblewick.toml", "--overwrite", "--quiet"]).err;
    assert!(
        quiet.contains("rejected: gates, 11: ") && quiet.contains("warning: laterals: gaps"),
        "{quiet}"
    );
}

/// What a job writes elsewhere is told as what it is.
#[test]
fn outputs_outside_of_the_folder_of_a_job_are_told_as_they_are_from_here() {
    let bench = Bench::with_demo();
    std::fs::create_dir_all(bench.path("jobs/in")).unwrap();
    let job = "job = 1\n[sources.a]\nfile = \"../../fields.geojson\"\n";
    let output = |file: &str| format!("[[outputs]]\nfile = \"{file}\"\nfrom = [\"a\"]\n");
    bench.write("jobs/in/j.toml", format!("{job}{}{}", output("../up.fgb"), output("in.fgb")));
    // A stranger's job does not write where it likes.
    let refused = bench.run(&words("run jobs/in/j.toml"));
    assert_eq!(refused.code, 1, "{}", refused.err);
    for says in ["writes outside of its folder: jobs/in/../up.fgb", "--plan", "--outside"] {
        assert!(refused.err.contains(says), "{says}: {}", refused.err);
    }
    assert!(!bench.has("jobs/up.fgb") && !bench.has("jobs/in/in.fgb"));
    let plan = bench.ok(&words("run jobs/in/j.toml --plan"));
    assert!(plan.err.contains("outside of the job's folder"), "{}", plan.err);
    assert!(plan.err.contains("leave out --plan and add --outside to run it"), "{}", plan.err);
    let run = bench.ok(&words("run jobs/in/j.toml --outside"));
    let wrote: Vec<&str> =
        run.out.lines().filter_map(|line| line.split(" bytes  ").nth(1)).collect();
    assert_eq!(wrote, ["jobs/in/../up.fgb", "jobs/in/in.fgb"], "{}", run.out);
    assert!(bench.has("jobs/up.fgb") && bench.has("jobs/in/in.fgb"));
    // Archives, logs, rejects and links lead outside too; what a job writes in its folder does not.
    #[cfg(unix)]
    {
        let link = std::os::unix::fs::symlink::<_, std::path::PathBuf>;
        link(bench.path("jobs"), bench.path("jobs/in/link")).unwrap();
        link("../not-there.log".into(), bench.path("jobs/in/nowhere.log")).unwrap();
    }
    for (more, outside) in [
        ("pack = { file = \"../up.zip\" }\n", true),
        ("log = \"../up.log\"\n", true),
        ("rejects = \"/rejects\"\n", true),
        ("log = \"link/up.log\"\n", cfg!(unix)),
        ("log = \"nowhere.log\"\n", cfg!(unix)),
        ("log = \"new/../it.log\"\n", false),
    ] {
        let text = format!("{more}{job}{}", output("again.fgb"));
        bench.write("jobs/in/k.toml", text);
        let run = bench.run(&words("run jobs/in/k.toml --overwrite"));
        assert_eq!(
            run.err.contains("writes outside of its folder"),
            outside,
            "{more}: {}",
            run.err
        );
        assert_eq!(run.code, i32::from(outside), "{more}: {}", run.err);
    }
    // A command whose output is outside of where its job is says how to run that.
    let line = "convert fields.geojson -o out.fgb --save-job jobs/in/saved.toml";
    let saved = bench.ok(&words(line));
    assert!(saved.err.contains("vpeg run jobs/in/saved.toml --outside"), "{}", saved.err);
    bench.ok(&words("run jobs/in/saved.toml --outside --overwrite"));
}
