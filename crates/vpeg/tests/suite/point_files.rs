//! Point files and other tables of text that are no plain CSV: no row is lost, and what was told by
//! looking at the file is said.

use crate::support::Bench;

struct Case {
    name: String,
    arguments: Vec<String>,
    count: usize,
    first: Vec<f64>,
    says: String,
    text: String,
}

fn cases() -> Vec<Case> {
    let mut cases: Vec<Case> = Vec::new();
    for line in
        include_str!("../data/point-files.txt").lines().filter(|line| !line.starts_with('#'))
    {
        if let Some(row) = line.strip_prefix("> ") {
            let case = cases.last_mut().unwrap();
            case.text += &row.replace("\\t", "\t");
            case.text.push('\n');
            continue;
        }
        let parts: Vec<&str> = line.split(" | ").collect();
        let [name, arguments, count, first, says] = parts[..] else { panic!("{line}") };
        cases.push(Case {
            name: name.to_string(),
            arguments: arguments.split_whitespace().map(String::from).collect(),
            count: count.parse().unwrap(),
            first: first.split(' ').map(|number| number.parse().unwrap()).collect(),
            says: says.to_string(),
            text: String::new(),
        });
    }
    cases
}

#[test]
fn every_row_of_every_dialect_becomes_a_point() {
    for case in cases() {
        let bench = Bench::new();
        bench.write("points.txt", &case.text);
        for input in ["points.txt", "-"] {
            let mut words = vec!["build".to_string(), "points".into(), input.into()];
            words.extend(case.arguments.iter().cloned());
            words.extend(["-o", "out.csv", "--wkt", "--overwrite"].map(String::from));
            let run = bench.run_with(&words, &case.text);
            assert!(run.code == 0 || run.code == 3, "{}: {}", case.name, run.err);
            assert!(run.err.contains(&case.says), "{}: {}", case.name, run.err);
            let (header, rows) = bench.table("out.csv");
            assert_eq!(rows.len(), case.count, "{}: {rows:?}", case.name);
            let at = header.iter().position(|name| name == "wkt").unwrap();
            let numbers: Vec<f64> = rows[0][at]
                .split(['(', ')', ' '])
                .filter_map(|number| number.parse().ok())
                .collect();
            assert_eq!(numbers.len(), case.first.len(), "{}: {}", case.name, rows[0][at]);
            for (number, wanted) in numbers.iter().zip(&case.first) {
                assert!((number - wanted).abs() < 1e-6, "{}: {}", case.name, rows[0][at]);
            }
        }
    }
}

#[test]
fn what_may_be_names_or_values_is_asked_and_never_dropped() {
    let bench = Bench::new();
    bench.write("odd.csv", "5,2000000,47\n4,-120.1,47.2\n3,-120.2,47.3\n");
    let line =
        ["build", "points", "odd.csv", "--x", "2", "--y", "3", "--crs", "4326", "-o", "o.csv"];
    let run = bench.run(&line);
    assert_eq!(run.code, 1, "{}", run.err);
    assert!(
        run.err.contains("--header or --no-header") && run.err.contains("`2000000`"),
        "{}",
        run.err
    );
    let header = bench.ok(&[&line[..], &["--header"]].concat());
    assert!(header.err.contains("2 rows in, 2 features out"), "{}", header.err);
    let none = bench.run(&[&line[..], &["--no-header", "--overwrite"]].concat());
    assert!(none.err.contains("3 rows in, 2 features out, 1 rejected"), "{}", none.err);
    // Looking shows it, and says what is to be decided.
    let look = bench.ok(&["look", "odd.csv"]);
    assert!(
        look.out.contains("3 rows") && look.err.contains("--header or --no-header"),
        "{}",
        look.err
    );
}

#[test]
fn looking_at_a_point_file_proposes_a_command_that_works() {
    for (text, options) in [
        ("101,155850.12,1832900.45,1200.50,IP\n102,155860.12,1832910.45,1201.50,CP\n", ""),
        ("155850.12 1832900.45 1200.50 IP\n155860.12 1832910.45 1201.50 CP\n", ""),
        ("155850.12;1832900.45;1200.50\n155860.12;1832910.45;1201.50\n", ""),
        (
            "# survey\n155850.12~1832900.45~1200.50\n155860.12~1832910.45~1201.50\n",
            "--skip-lines 1",
        ),
    ] {
        let bench = Bench::new();
        bench.write("points.txt", text);
        let mut look = vec!["look", "points.txt"];
        look.extend(options.split_whitespace());
        let out = bench.ok(&look).out;
        let next = out.lines().find_map(|line| line.strip_prefix("next: vpeg ")).unwrap();
        let next = next.replace("REF", "EPSG:2285");
        let words: Vec<&str> = next.split_whitespace().collect();
        let run = bench.ok(&words);
        assert!(run.err.contains("2 rows in, 2 features out, 0 rejected"), "{next}: {}", run.err);
        let layer = velvet_peg::Layer::read(bench.path("points.gpkg")).unwrap();
        let column = layer.batches().next().unwrap().geometry();
        assert_eq!((column.x[0], column.y[0], column.z[0]), (1_832_900.45, 155_850.12, 1200.5));
    }
}

#[test]
fn the_order_of_columns_without_names_is_asked_for_where_digits_contradict_it() {
    let bench = Bench::new();
    let file = |order: [usize; 2], eastings: [&str; 3], northings: [&str; 3]| {
        let row = |at: usize| {
            let cells = [northings[at], eastings[at]];
            format!("{},{},{},350.1,CP\n", 101 + at, cells[order[0]], cells[order[1]])
        };
        (0..3).map(row).collect::<String>()
    };
    let feet =
        (["1832900.45", "1832910.45", "1832920.45"], ["155850.12", "155860.12", "155870.12"]);
    let zone =
        (["726010.37", "726020.37", "726030.37"], ["5254894.22", "5254895.22", "5254896.22"]);
    for (name, order, (eastings, northings), settled) in [
        // Six digits first: a northing in feet, or an easting in metres.
        ("feet, northing first", [0, 1], feet, false),
        ("metres, easting first", [1, 0], zone, false),
        // Digits and the usual order agree.
        ("metres, northing first", [0, 1], zone, true),
    ] {
        bench.write("p.txt", file(order, eastings, northings));
        let run = bench.run(&["build", "points", "p.txt", "-o", "p.gpkg", "--overwrite"]);
        assert_eq!(run.code == 0, settled, "{name}: {}", run.err);
        assert_eq!(
            run.err.contains("either could be the easting"),
            !settled,
            "{name}: {}",
            run.err
        );
        let look = bench.ok(&["look", "p.txt"]).out;
        assert!(look.contains("--names point,northing,easting,elevation,description"), "{look}");
        assert_eq!(look.contains("either could be the easting"), !settled, "{name}: {look}");
    }
}
