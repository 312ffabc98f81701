//! What was there before survives: files that are read, files of others, databases that another
//! program has open, two programs at once, links and permissions.

use crate::support::{Bench, words};
use rusqlite::Connection;
use std::path::PathBuf;
use std::process::{Child, Command, Output, Stdio};
use std::time::Duration;

fn bench() -> Bench {
    let bench = Bench::with_demo();
    for folder in ["a", "b", "out", "sub", "folder.gpkg"] {
        std::fs::create_dir(bench.path(folder)).unwrap();
    }
    bench.write("notes.txt", "what I know of the ditches\n");
    for (from, to) in
        [("fields", "f.json"), ("fields", "a/fields.geojson"), ("fields", "b/fields.geojson")]
    {
        std::fs::copy(bench.path(&format!("{from}.geojson")), bench.path(to)).unwrap();
    }
    bench.run(&words("build points headgates.csv --crs EPSG:4326 -o gates.gpkg"));
    let beats =
        "build polygons beats.csv --by beat --order corner --crs EPSG:2285 -o beats.geojson";
    bench.ok(&words(beats));
    #[cfg(unix)]
    std::os::unix::fs::symlink("headgates.csv", bench.path("link.csv")).unwrap();
    bench
}

/// A job that makes points of the weirs, with these lines in front and this output.
fn job(front: &str, output: &str) -> String {
    format!(
        "job = 1\n{front}\n[sources.w]\nfile = \"old-weirs.csv\"\ncrs = \"EPSG:2285\"\n[[steps]]\n\
         do = \"points\"\nfrom = \"w\"\nas = \"p\"\n[[outputs]]\nfile = \"q.gpkg\"\nfrom = [\"p\"]\n\
         [[outputs]]\nfile = \"{output}\"\nfrom = [\"p\"]\n"
    )
}

#[test]
fn nothing_that_is_read_or_is_not_ours_is_written_over() {
    let bench = bench();
    for (name, front, output) in [
        ("log-is-source", "log = \"old-weirs.csv\"", "p.gpkg"),
        ("log-is-job", "log = \"log-is-job.toml\"", "p.gpkg"),
        ("log-is-notes", "log = \"notes.txt\"", "p.gpkg"),
        ("log-is-output", "log = \"p.gpkg\"", "p.gpkg"),
        ("output-is-source", "", "old-weirs.csv"),
        ("output-is-folder", "", "folder.gpkg"),
    ] {
        bench.write(&format!("{name}.toml"), job(front, output));
    }
    for line in include_str!("../data/refused.txt").lines().filter(|line| !line.starts_with('#')) {
        let parts: Vec<&str> = line.split(" | ").collect();
        let [command, code, says, files] = parts[..] else { panic!("{line}") };
        if command.contains("link") && !cfg!(unix) {
            continue;
        }
        let (gone, kept): (Vec<&str>, Vec<&str>) =
            words(files).into_iter().partition(|file| file.starts_with('-'));
        let bytes = |file: &str| std::fs::read(bench.path(file)).unwrap();
        let before: Vec<Vec<u8>> = kept.iter().map(|file| bytes(file)).collect();
        let run = bench.run(&words(command));
        assert_eq!(run.code.to_string(), code, "{command}: {}", run.err);
        assert!(run.err.contains(says), "{command}: {}", run.err);
        for (file, before) in kept.iter().zip(before) {
            assert!(bytes(file) == before, "{command} changed {file}");
        }
        for file in gone.iter().map(|file| &file[1..]).filter(|file| !file.is_empty()) {
            assert!(!bench.has(file), "{command} made {file}");
        }
    }
}

/// A GeoPackage with two layers, styles and notes.
fn district(bench: &Bench) -> Connection {
    bench.ok(&words("convert fields.geojson -o d.gpkg"));
    bench.ok(&words(
        "build points old-weirs.csv --crs EPSG:2285 --append --output-layer weirs -o d.gpkg",
    ));
    let database = Connection::open(bench.path("d.gpkg")).unwrap();
    database
        .execute_batch(
            "CREATE TABLE layer_styles (id INTEGER PRIMARY KEY, layer TEXT, style TEXT);
             INSERT INTO layer_styles VALUES (1, 'fields', 'green');
             CREATE TABLE notes (text TEXT);
             CREATE TABLE counts (number INTEGER);
             INSERT INTO counts VALUES (16);
             CREATE TRIGGER more AFTER INSERT ON weirs BEGIN UPDATE counts SET number = number + 1; END;
             CREATE TRIGGER fewer AFTER DELETE ON weirs BEGIN UPDATE counts SET number = number - 1; END;
             CREATE INDEX by_crop ON fields (crop);",
        )
        .unwrap();
    database
}

/// What a database holds: numbers of rows, systems, and whether it is sound.
fn state(database: &Connection) -> String {
    let number = |sql: &str| -> i64 { database.query_row(sql, [], |row| row.get(0)).unwrap() };
    let check: String = database.query_row("PRAGMA integrity_check", [], |row| row.get(0)).unwrap();
    format!(
        "fields {} weirs {} indexed {} notes {} styles {} counted {} system {} {check}",
        number("SELECT count(*) FROM fields"),
        number("SELECT count(*) FROM weirs"),
        number("SELECT count(*) FROM rtree_weirs_geom"),
        number("SELECT count(*) FROM notes"),
        number("SELECT count(*) FROM layer_styles"),
        number("SELECT number FROM counts"),
        number("SELECT srs_id FROM gpkg_contents WHERE table_name = 'weirs'"),
    )
}

#[test]
fn a_database_that_is_open_elsewhere_keeps_what_is_in_it() {
    for mode in ["DELETE", "WAL"] {
        let bench = Bench::with_demo();
        let database = district(&bench);
        database.pragma_update(None, "journal_mode", mode).unwrap();
        database.execute("INSERT INTO notes VALUES ('before')", []).unwrap();
        for (command, wanted) in [
            (
                "build points old-weirs.csv --crs EPSG:2285 --append --output-layer weirs -o d.gpkg",
                "fields 16 weirs 32 indexed 32 notes 1 styles 1 counted 32 system 2285 ok",
            ),
            (
                "declare d.gpkg --layer weirs --crs EPSG:2286 --overwrite",
                "fields 16 weirs 32 indexed 32 notes 1 styles 1 counted 32 system 2286 ok",
            ),
            (
                "build points old-weirs.csv --crs EPSG:2285 --overwrite --output-layer weirs -o d.gpkg",
                "fields 16 weirs 16 indexed 16 notes 1 styles 1 counted 16 system 2285 ok",
            ),
            (
                "convert d.gpkg --layer weirs --where weir<>'W-01' --keep weir --overwrite -o d.gpkg",
                "fields 16 weirs 15 indexed 15 notes 1 styles 1 counted 15 system 2285 ok",
            ),
        ] {
            bench.ok(&words(command));
            // The counting trigger sees a table of other columns being made anew, too.
            let now = state(&database);
            let (now, wanted) = match command.starts_with("convert") {
                true => (
                    now.split(" counted").next().unwrap(),
                    wanted.split(" counted").next().unwrap(),
                ),
                false => (now.as_str(), wanted),
            };
            assert_eq!(now, wanted, "{mode}: {command}");
        }
        database.execute("INSERT INTO notes VALUES ('after')", []).unwrap();
        // As a whole it is replaced only if nobody has it open with a log.
        let whole = bench.run(&words("convert fields.geojson --replace-file -o d.gpkg"));
        match mode {
            "WAL" => {
                assert_eq!(whole.code, 1, "{}", whole.err);
                assert!(whole.err.contains("is in use"), "{}", whole.err);
                assert!(state(&database).contains("notes 2"));
            }
            _ => assert_eq!(whole.code, 0, "{}", whole.err),
        }
        drop(database);
        bench.ok(&words("convert fields.geojson --replace-file -o d.gpkg"));
        let again = Connection::open(bench.path("d.gpkg")).unwrap();
        let tables: i64 = again
            .query_row(
                "SELECT count(*) FROM sqlite_master WHERE name IN ('notes', 'weirs')",
                [],
                |r| r.get(0),
            )
            .unwrap();
        assert_eq!(tables, 0, "{mode}: replaced as a whole");
        assert!(!bench.has("d.gpkg-wal") && !bench.has("d.gpkg-journal"));
    }
}

#[test]
fn a_change_left_half_done_by_a_crash_is_taken_back() {
    for command in [
        "convert fields.geojson --append -o d.gpkg",
        "convert fields.geojson --overwrite -o d.gpkg",
        "convert fields.geojson --replace-file -o d.gpkg",
        "declare d.gpkg --layer weirs --crs EPSG:2286 --overwrite",
        "look d.gpkg",
    ] {
        let bench = Bench::with_demo();
        drop(district(&bench));
        // The files as a crash leaves them, in the middle of a transaction.
        let half = Connection::open(bench.path("d.gpkg")).unwrap();
        half.execute_batch(
            "PRAGMA cache_size = 1; BEGIN; DELETE FROM weirs; CREATE TABLE big (x);",
        )
        .unwrap();
        for _ in 0..300 {
            half.execute("INSERT INTO big VALUES (zeroblob(2000))", []).unwrap();
        }
        for name in ["d.gpkg", "d.gpkg-journal"] {
            std::fs::copy(bench.path(name), bench.path(&format!("crashed-{name}"))).unwrap();
        }
        half.execute_batch("ROLLBACK").unwrap();
        drop(half);
        for name in ["d.gpkg", "d.gpkg-journal"] {
            std::fs::rename(bench.path(&format!("crashed-{name}")), bench.path(name)).unwrap();
        }
        bench.ok(&words(command));
        assert!(!bench.has("d.gpkg-journal"), "{command}");
        let database = Connection::open(bench.path("d.gpkg")).unwrap();
        let check: String =
            database.query_row("PRAGMA integrity_check", [], |row| row.get(0)).unwrap();
        assert_eq!(check, "ok", "{command}");
        if !command.contains("--replace-file") {
            let weirs: i64 =
                database.query_row("SELECT count(*) FROM weirs", [], |row| row.get(0)).unwrap();
            assert_eq!(weirs, 16, "{command}: the deletion was never completed");
        }
    }
}

#[test]
fn a_database_that_is_locked_is_left_alone_and_said_to_be_in_use() {
    let bench = Bench::with_demo();
    let database = district(&bench);
    let before = state(&database);
    database.execute_batch("BEGIN IMMEDIATE").unwrap();
    let run = bench.run(&words("declare d.gpkg --layer weirs --crs EPSG:2286 --overwrite"));
    assert_eq!(run.code, 1, "{}", run.err);
    assert!(run.err.contains("d.gpkg: is in use"), "{}", run.err);
    database.execute_batch("COMMIT").unwrap();
    assert_eq!(state(&database), before);
}

fn start(bench: &Bench, line: &str) -> Child {
    Command::new(env!("CARGO_BIN_EXE_vpeg"))
        .args(words(line))
        .current_dir(bench.path(""))
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap()
}

#[test]
fn programs_that_add_to_one_file_at_once_lose_nothing() {
    let bench = Bench::with_demo();
    for out in ["w.gpkg", "w.shp", "w.geojson", "w.fgb", "w.parquet", "w.geojsonl"] {
        let line = format!("build points old-weirs.csv --crs EPSG:2285 -o {out} --append");
        bench.ok(&words(&line));
        let running: Vec<Child> = (0..4).map(|_| start(&bench, &line)).collect();
        for mut child in running {
            assert!(child.wait().unwrap().success(), "{out}");
        }
        let look = bench.ok(&["look", out, "--json"]).json();
        assert_eq!(look["layers"][0]["features"], 80, "{out}: {look}");
    }
}

/// A layer goes into a GeoPackage by one transaction, beside which nothing is laid down but its journal: that is
/// all that a run that is killed can leave, and the next one takes it back.
#[test]
fn nothing_but_a_journal_lies_beside_a_geopackage_that_is_added_to() {
    let bench = Bench::with_demo();
    let line = "build points old-weirs.csv --crs EPSG:2285 -o w.gpkg --append";
    bench.ok(&words(line));
    let mut seen = std::collections::BTreeSet::new();
    for _ in 0..6 {
        let mut child = start(&bench, line);
        while child.try_wait().unwrap().is_none() {
            let names = std::fs::read_dir(bench.path("")).unwrap();
            let names = names.filter_map(|entry| entry.unwrap().file_name().into_string().ok());
            seen.extend(names.filter(|name| name.starts_with("w.gpkg-")));
        }
        assert!(child.wait().unwrap().success());
    }
    assert_eq!(seen.into_iter().collect::<Vec<_>>(), ["w.gpkg-journal"]);
}

/// Where nothing is there yet, the first makes the file; whoever comes too late to add to it and
/// too early to see it is refused. Whatever was said to be written is there.
#[test]
fn programs_that_begin_one_file_at_once_lose_nothing_that_they_report() {
    let bench = Bench::with_demo();
    for round in 0..3 {
        for ending in ["gpkg", "shp", "geojson", "fgb", "parquet", "geojsonl"] {
            let out = format!("new-{round}.{ending}");
            let line = format!("build points old-weirs.csv --crs EPSG:2285 -o {out} --append");
            let running: Vec<Child> = (0..4).map(|_| start(&bench, &line)).collect();
            let written =
                running.into_iter().filter_map(|mut c| c.wait().ok()).filter(|s| s.success());
            let wanted = 16 * written.count();
            assert!(wanted > 0, "{out}");
            let look = bench.ok(&["look", &out, "--json"]).json();
            assert_eq!(look["layers"][0]["features"], wanted, "{out}: {look}");
        }
    }
}

#[test]
fn rejects_are_added_to_where_features_are() {
    let bench = Bench::with_demo();
    let line = words("build points headgates.csv --crs EPSG:4326 -o g.gpkg --append");
    for times in 1..=3 {
        assert_eq!(bench.run(&line).code, 3);
        assert_eq!(bench.table("g.gpkg.rejects.csv").1.len(), 4 * times);
    }
    // Those of another table go to a file of their own.
    bench.write("other.csv", "latitude,longitude,gate\n47.4,-120.0,G-1\nnowhere,,G-2\n");
    let run = bench.run(&words("build points other.csv --crs EPSG:4326 -o g.gpkg --append"));
    assert!(run.err.contains("g.gpkg.rejects-2.csv"), "{}", run.err);
    assert_eq!(bench.table("g.gpkg.rejects.csv").1.len(), 12);
    // A device is written to, and stays what it is.
    #[cfg(unix)]
    {
        use std::os::unix::fs::FileTypeExt;
        let run = bench.run(&words(
            "build points headgates.csv --crs EPSG:4326 -o h.gpkg --rejects /dev/null --overwrite",
        ));
        assert_eq!(run.code, 3, "{}", run.err);
        assert!(std::fs::metadata("/dev/null").unwrap().file_type().is_char_device());
    }
}

#[cfg(unix)]
#[test]
fn links_are_followed_and_permissions_kept() {
    use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
    let bench = Bench::with_demo();
    std::fs::create_dir(bench.path("real")).unwrap();
    for (out, place) in
        [("l.geojson", "real/f.geojson"), ("l.gpkg", "real/f.gpkg"), ("l.csv", "real/f.csv")]
    {
        symlink(place, bench.path(out)).unwrap();
        bench.ok(&["convert", "fields.geojson", "-o", out]);
        let is_link =
            |name: &str| std::fs::symlink_metadata(bench.path(name)).unwrap().is_symlink();
        assert!(is_link(out) && !is_link(place), "{out}");
        std::fs::set_permissions(bench.path(place), std::fs::Permissions::from_mode(0o600))
            .unwrap();
        bench.ok(&["convert", "fields.geojson", "-o", out, "--overwrite"]);
        assert!(is_link(out), "{out}");
        assert_eq!(std::fs::metadata(bench.path(place)).unwrap().mode() & 0o777, 0o600, "{out}");
    }
    // A new file is as open as the user lets files be.
    let shell = |mask: &str, out: &str| {
        let command = format!("umask {mask}; exec \"$0\" convert fields.geojson -o {out}");
        let done = Command::new("sh")
            .args(["-c", &command, env!("CARGO_BIN_EXE_vpeg")])
            .current_dir(bench.path(""))
            .output()
            .unwrap();
        assert!(done.status.success());
        std::fs::metadata(bench.path(out)).unwrap().mode() & 0o777
    };
    for format in ["gpkg", "geojson", "shp", "xlsx"] {
        assert_eq!(shell("077", &format!("closed.{format}")), 0o600, "{format}");
        assert_eq!(shell("022", &format!("open.{format}")), 0o644, "{format}");
    }
}

fn hidden(folder: PathBuf) -> Vec<String> {
    std::fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .filter(|name| name.starts_with(".vpeg-"))
        .collect()
}

/// Runs a command whose files may not grow beyond 200 KB, those of the temporary folder `sub` included.
#[cfg(unix)]
fn on_a_full_disk(bench: &Bench, command: &str) -> Output {
    Command::new("sh")
        .args(["-c", &format!("trap '' XFSZ; ulimit -f 400; exec \"$0\" {command}")])
        .arg(env!("CARGO_BIN_EXE_vpeg"))
        .current_dir(bench.path(""))
        .env("TMPDIR", bench.path("sub"))
        .output()
        .unwrap()
}

/// Files that may not grow so far, as on a disk that is full: whichever thread meets it, the command ends
/// with the file's name, the old file whole and nothing hidden beside it.
#[cfg(unix)]
#[test]
fn a_disk_that_is_full_is_told_and_the_old_file_kept() {
    let bench = bench();
    let rows: String = (0..60_000).map(|n| format!("{n},-120.{n:06},47.4\n")).collect();
    bench.write("big.csv", format!("no,lon,lat\n{rows}"));
    for format in ["gpkg", "geojson", "geojsonl", "parquet", "shp", "fgb", "kml", "csv"] {
        for threads in 1..=2 {
            let out = format!("out.{format}");
            bench.write(&out, "old");
            let done = on_a_full_disk(
                &bench,
                &format!(
                    "build points big.csv --crs EPSG:4326 --threads {threads} -o {out} --overwrite"
                ),
            );
            let told = String::from_utf8_lossy(&done.stderr);
            assert_eq!(done.status.code(), Some(1), "{out}: {told}");
            assert!(told.contains(&format!("error: {out}: cannot be written")), "{told}");
            assert_eq!(std::fs::read(bench.path(&out)).unwrap(), b"old", "{out}");
            let remains = [hidden(bench.path("")), hidden(bench.path("sub"))].concat();
            assert_eq!(remains, Vec::<String>::new(), "{out}");
        }
    }
}

/// What is put in order on disk meets a disk that is full: the folder is told, and no figure is shown.
#[cfg(unix)]
#[test]
fn figures_that_cannot_be_put_in_order_are_told() {
    let bench = bench();
    let line = |n: u32| {
        let y = 47.0 + f64::from(n) * 1e-5;
        format!(
            r#"{{"type":"Feature","properties":{{"no":{n}}},"geometry":{{"type":"LineString","coordinates":[[-120.1,{y:.5}],[-120.2,{y:.5}]]}}}}"#
        )
    };
    let lines: Vec<String> = (0..140_000).map(line).collect();
    bench.write("lines.geojsonl", lines.join("\n"));
    for command in ["measure", "check"] {
        let done = on_a_full_disk(&bench, &format!("{command} lines.geojsonl"));
        let told = String::from_utf8_lossy(&done.stderr);
        assert_eq!(done.status.code(), Some(1), "{command}: {told}");
        let wanted = "sub: the folder of temporary files cannot hold what is put in order there";
        assert!(told.contains(wanted), "{command}: {told}");
        assert_eq!(String::from_utf8_lossy(&done.stdout), "", "{command}");
        assert_eq!(hidden(bench.path("sub")), Vec::<String>::new(), "{command}");
    }
}

#[cfg(unix)]
#[test]
fn nothing_hidden_is_left_behind() {
    let bench = Bench::with_demo();
    std::fs::create_dir(bench.path("tmp")).unwrap();
    let rows: String = (0..400_000).map(|n| format!("{n},-120.{n:06},47.4\n")).collect();
    bench.write("big.csv", format!("no,lon,lat\n{rows}"));
    for (signal, left) in [("-INT", false), ("-TERM", false), ("-KILL", true)] {
        let mut child = Command::new(env!("CARGO_BIN_EXE_vpeg"))
            .args(words("build points - --crs EPSG:4326 -o out.gpkg"))
            .current_dir(bench.path(""))
            .env("TMPDIR", bench.path("tmp"))
            .stdin(std::fs::File::open(bench.path("big.csv")).unwrap())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let began = std::time::Instant::now();
        while hidden(bench.path("")).is_empty() && began.elapsed() < Duration::from_secs(20) {
            std::thread::sleep(Duration::from_millis(5));
        }
        Command::new("kill").args([signal, &child.id().to_string()]).status().unwrap();
        assert!(!child.wait().unwrap().success(), "{signal}");
        assert!(!bench.has("out.gpkg"), "{signal}");
        let remains = [hidden(bench.path("")), hidden(bench.path("tmp"))].concat();
        assert_eq!(!remains.is_empty(), left, "{signal}: {remains:?}");
    }
    // What a killed run left is cleared away by the next, also where it had just made its folder, or had all but
    // removed it.
    std::fs::create_dir(bench.path(".vpeg-empty")).unwrap();
    bench.ok(&words("convert fields.geojson -o out.gpkg"));
    assert_eq!(hidden(bench.path("")), Vec::<String>::new());
}

#[test]
fn moves_that_a_killed_run_had_begun_are_completed() {
    let bench = Bench::with_demo();
    bench.ok(&words("build points old-weirs.csv --crs EPSG:2285 -o w.shp"));
    bench.ok(&words("build points old-weirs.csv --crs EPSG:2286 -o x.shp"));
    let new = bench.path(".vpeg-killed");
    std::fs::create_dir(&new).unwrap();
    std::fs::write(new.join(".lock"), "").unwrap();
    // The side files have moved, the main one has not: it stands aside.
    let mut moves = Vec::new();
    for part in ["shp", "prj"] {
        let (from, to) = (new.join(format!("w.{part}")), bench.path(&format!("w.{part}")));
        std::fs::copy(bench.path(&format!("x.{part}")), &from).unwrap();
        moves.push((from, to));
    }
    std::fs::rename(bench.path("w.shp"), new.join(".old-1")).unwrap();
    std::fs::rename(&moves[1].0, &moves[1].1).unwrap();
    let list = serde_json::json!({"moves": moves, "stale": []});
    std::fs::write(new.join(".moves"), list.to_string()).unwrap();
    bench.ok(&words("convert fields.geojson -o out.gpkg"));
    assert!(!new.exists());
    let look = bench.ok(&["look", "w.shp"]).out;
    assert!(look.contains("EPSG:2286") && look.contains("16 point"), "{look}");
}

/// A list of moves that was left half done is completed for the user whose it is, and for nobody
/// else: in a folder that many may write to it would move files at another's wish.
#[cfg(unix)]
#[test]
fn lists_of_moves_of_other_users_and_links_are_left_alone() {
    let bench = bench();
    let lay = |name: &str| {
        std::fs::create_dir(bench.path(name)).unwrap();
        let from = bench.path(&format!("{name}/left"));
        let list = serde_json::json!({
            "moves": [[from, bench.path(&format!("{name}.taken").replace(".vpeg-", "of-"))]],
            "stale": [],
        });
        bench.write(&format!("{name}/.lock"), "");
        bench.write(&format!("{name}/left"), "whole");
        bench.write(&format!("{name}/.moves"), list.to_string());
    };
    for name in [".vpeg-own", ".vpeg-other", "elsewhere"] {
        lay(name);
    }
    std::os::unix::fs::symlink("elsewhere", bench.path(".vpeg-link")).unwrap();
    // Only the superuser can give a folder away; for others it stays their own.
    let given = std::os::unix::fs::chown(bench.path(".vpeg-other"), Some(4321), None).is_ok();
    bench.ok(&words("convert fields.geojson -o swept.gpkg"));
    assert_eq!(bench.read("of-own.taken"), "whole");
    assert!(!bench.has(".vpeg-own"));
    assert_eq!(bench.has("of-other.taken"), !given);
    assert_eq!(bench.has(".vpeg-other/left"), given);
    assert!(bench.has("elsewhere/left") && !bench.has("elsewhere.taken"));
}
