//! A cluster of a scheduler and two executors as processes.

use crate::reports::shifts;
use crate::support::Wkb;
use std::net::TcpListener;
use std::path::Path;
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

/// A port that nobody listens on.
fn port() -> u16 {
    TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

fn program() -> Command {
    Command::new(env!("CARGO_BIN_EXE_vpeg-sql"))
}

/// Ends with its owner.
struct Process(Child);

impl Drop for Process {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

fn start(words: &[&str]) -> Process {
    Process(program().args(words).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap())
}

struct Cluster {
    at: String,
    _scheduler: Process,
    executors: Vec<Process>,
}

impl Cluster {
    fn of(executors: usize) -> Cluster {
        let at = port().to_string();
        let scheduler = start(&["scheduler", "--port", &at, "--executor-timeout", "8"]);
        let began = Instant::now();
        while std::net::TcpStream::connect(format!("127.0.0.1:{at}")).is_err() {
            assert!(began.elapsed() < Duration::from_secs(30), "no scheduler");
            std::thread::sleep(Duration::from_millis(50));
        }
        let mut cluster = Cluster { at, _scheduler: scheduler, executors: Vec::new() };
        (0..executors).for_each(|_| cluster.add_executor());
        cluster
    }

    fn add_executor(&mut self) {
        let (own, control) = (port().to_string(), port().to_string());
        let scheduler = format!("127.0.0.1:{}", self.at);
        let mut words = vec!["executor", "--scheduler", &scheduler, "--port", &own];
        words.extend(["--control-port", &control, "--heartbeat", "2"]);
        self.executors.push(start(&words));
    }

    fn url(&self) -> String {
        format!("http://127.0.0.1:{}", self.at)
    }

    fn ask(&self, sql: &str) -> Output {
        program().args(["--cluster", &self.url(), "-c", sql]).output().unwrap()
    }
}

/// A table of so many numbers as a file, and what it is called in a query.
fn numbers(folder: &Path, count: u64) -> String {
    let file = folder.join("numbers.parquet");
    let file = file.display();
    let made = format!(
        "COPY (SELECT value FROM generate_series(1, {count})) TO '{file}' STORED AS PARQUET"
    );
    assert!(program().args(["-c", &made]).status().unwrap().success());
    format!("CREATE EXTERNAL TABLE numbers STORED AS PARQUET LOCATION '{file}';")
}

/// Points in a grid of places of North America.
const POINTS: &str = "(SELECT st_point(-123.0 + (value % 1000) * 0.01, 45.0 + (value % 997) * 0.002, 'EPSG:4326') \
                      AS p, value FROM numbers)";

/// Two polygons beside each other, in another system.
fn fields() -> String {
    let square = |west: f64| {
        let ring = [west, 45.2, west + 3.0, 45.2, west + 3.0, 46.4, west, 46.4, west, 45.2];
        Wkb::of(3).count(1).count(5).doubles(&ring).literal()
    };
    format!(
        "(SELECT field, declare_system(shape, 'EPSG:4269') AS boundary \
         FROM (VALUES ('west', {}), ('east', {})) AS t (field, shape))",
        square(-122.5),
        square(-119.5)
    )
}

fn text(output: &Output) -> String {
    let out = String::from_utf8_lossy(&output.stdout);
    format!("{out}{}", String::from_utf8_lossy(&output.stderr))
}

#[test]
fn a_cluster_gives_what_one_process_gives() {
    let folder = tempfile::tempdir().unwrap();
    let table = numbers(folder.path(), 100_000);
    let cluster = Cluster::of(2);
    for (query, has) in [
        (
            format!(
                "SELECT utm_zone(p) AS zone, count(*) AS n, \
                 sum(round(st_x(st_transform(p, 'EPSG:2285')))) AS east \
                 FROM {POINTS} GROUP BY utm_zone(p) ORDER BY zone"
            ),
            "11N",
        ),
        (
            format!(
                "SELECT max(st_distance(p, st_transform(p, 'EPSG:32611'))) < 0.001 AS same \
                 FROM {POINTS}"
            ),
            "true",
        ),
        (
            format!(
                "SELECT field, count(*) AS n FROM {POINTS} AS points LEFT JOIN {} AS fields \
                 ON falls_in(p, boundary) GROUP BY field ORDER BY field",
                fields()
            ),
            "| west  | ",
        ),
        (
            format!(
                "SELECT count(*) FROM {POINTS} AS points JOIN {} AS fields \
                 ON st_within(p, boundary) AND value > 70000",
                fields()
            ),
            "| ",
        ),
        ("SELECT st_point(value, value, 'EPSG:99999') FROM numbers".to_string(), "99999"),
    ] {
        let sql = format!("{table} {query}");
        let here = text(&program().args(["-c", &sql]).output().unwrap());
        assert!(here.contains(has), "{query}: {here}");
        assert_eq!(text(&cluster.ask(&sql)), here, "{query}");
    }
    // Points and polygons are joined with an index there, too.
    let sql = format!(
        "{table} EXPLAIN SELECT count(*) FROM {POINTS} AS points JOIN {} AS fields ON st_within(p, boundary)",
        fields()
    );
    let plan = text(&cluster.ask(&sql));
    assert!(plan.contains("PolygonJoin") && !plan.contains("NestedLoop"), "{plan}");
    // GeoParquet goes out and comes in: what one process writes the cluster reads, and the other way round.
    let file = folder.path().join("points.parquet").display().to_string();
    let other = folder.path().join("again.parquet").display().to_string();
    let copy = |to: &str| {
        format!(
            "{table} COPY (SELECT value, p FROM {POINTS}) TO '{to}' STORED AS GEOPARQUET \
             OPTIONS ('format.max_row_group_size' '10000')"
        )
    };
    assert!(text(&program().args(["-c", &copy(&file)]).output().unwrap()).contains("100000"));
    assert!(text(&cluster.ask(&copy(&other))).contains("100000"));
    let answers: Vec<String> = [&file, &other]
        .into_iter()
        .flat_map(|file| {
            let sql = format!(
                "CREATE EXTERNAL TABLE places STORED AS GEOPARQUET LOCATION '{file}'; \
                 SELECT utm_zone(p) AS zone, count(*) AS n FROM places WHERE st_x(p) < -120.5 \
                 AND st_y(p) < 46 GROUP BY utm_zone(p) ORDER BY zone"
            );
            [text(&program().args(["-c", &sql]).output().unwrap()), text(&cluster.ask(&sql))]
        })
        .collect();
    assert!(answers[0].contains("10N"), "{}", answers[0]);
    assert!(answers.iter().all(|answer| *answer == answers[0]), "{answers:#?}");
    // The machine that plans has grid files that those that compute do not have.
    let grids = folder.path().join("grids");
    std::fs::create_dir(&grids).unwrap();
    for name in ["conus.las", "conus.los"] {
        std::fs::write(grids.join(name), shifts(&|_, _| 1.0)).unwrap();
    }
    let shifted = format!(
        "{table} SET velvet_peg.area = '47.3,-120.7,47.7,-120.3'; SELECT max(st_x(st_transform(st_point(-120.5, 47.5, 4267), 4269))) FROM numbers"
    );
    let shifted = shifted.replace("-120.5", "-120.5 + value * 1e-9");
    let output = program()
        .args([
            "--cluster",
            &cluster.url(),
            "--grids",
            &grids.display().to_string(),
            "-c",
            &shifted,
        ])
        .output()
        .unwrap();
    assert!(text(&output).contains("all machines need the same grid files"), "{}", text(&output));
    // A row that cannot be computed ends the query there, too.
    let sql = format!(
        "{table} SET velvet_peg.fail = true; \
         SELECT count(st_transform(st_point(0, value, 'EPSG:4326'), 'EPSG:32610')) FROM numbers"
    );
    let told = text(&cluster.ask(&sql));
    assert!(told.contains("cannot be carried from EPSG:4326"), "{told}");
}

/// One of two executors dies while a query runs: the other ends it, or it fails and says so. Run by hand, since the
/// scheduler waits before it takes an executor for dead: `cargo test -- --ignored`.
#[test]
#[ignore = "takes minutes"]
fn a_query_survives_an_executor_or_fails_cleanly() {
    let folder = tempfile::tempdir().unwrap();
    let table = numbers(folder.path(), 2_000_000);
    let sql = format!(
        "{table} SELECT utm_zone(p) AS zone, count(*) AS n, \
         sum(round(st_x(st_transform(p, 'EPSG:2285')))) AS east \
         FROM {POINTS} GROUP BY utm_zone(p) ORDER BY zone"
    );
    let began = Instant::now();
    let here = text(&program().args(["-c", &sql]).output().unwrap());
    let takes = began.elapsed();
    let mut ended = 0;
    for part in [0.2, 0.5, 0.8] {
        let mut cluster = Cluster::of(2);
        // Both are known to the scheduler when both have done something.
        assert!(text(&cluster.ask("SELECT 1")).contains('1'));
        std::thread::sleep(Duration::from_secs(2));
        let url = cluster.url();
        let query = sql.clone();
        let asked = std::thread::spawn(move || {
            program().args(["--cluster", &url, "-c", &query]).output().unwrap()
        });
        std::thread::sleep(takes.mul_f64(part));
        drop(cluster.executors.remove(0));
        let began = Instant::now();
        let output = asked.join().unwrap();
        assert!(began.elapsed() < Duration::from_secs(120), "{part}");
        match output.status.success() {
            true => {
                ended += 1;
                assert_eq!(text(&output), here, "{part}");
            }
            false => assert!(text(&output).starts_with("error: "), "{part}: {}", text(&output)),
        }
        // The one that is left goes on, and so does one that comes back.
        assert_eq!(text(&cluster.ask(&sql)), here, "{part}: the query after it");
        cluster.add_executor();
        std::thread::sleep(Duration::from_secs(2));
        assert_eq!(text(&cluster.ask(&sql)), here, "{part}: with a new executor");
    }
    assert!(ended > 0, "no query survived");
    // A file that is written when its executor dies is whole, or not there.
    let mut cluster = Cluster::of(2);
    for part in [0.3, 0.6, 0.9] {
        let to = folder.path().join(format!("{part}.parquet"));
        let copy = format!(
            "{table} COPY (SELECT value, st_transform(p, 'EPSG:2285') AS place FROM {POINTS}) \
             TO '{}' STORED AS GEOPARQUET",
            to.display()
        );
        let url = cluster.url();
        let asked = std::thread::spawn(move || {
            program().args(["--cluster", &url, "-c", &copy]).output().unwrap()
        });
        std::thread::sleep(takes.mul_f64(part));
        drop(cluster.executors.remove(0));
        let done = asked.join().unwrap();
        if done.status.success() || to.exists() {
            let count = format!(
                "CREATE EXTERNAL TABLE c STORED AS GEOPARQUET LOCATION '{}'; \
                 SELECT count(place) AS n FROM c",
                to.display()
            );
            let counted = text(&program().args(["-c", &count]).output().unwrap());
            assert!(counted.contains("| 2000000 |"), "{part}: {counted} {}", text(&done));
        } else {
            assert!(text(&done).starts_with("error: "), "{part}: {}", text(&done));
        }
        cluster.add_executor();
        std::thread::sleep(Duration::from_secs(2));
    }
}
