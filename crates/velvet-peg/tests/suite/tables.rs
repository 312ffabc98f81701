//! Reading text tables, adding columns to them, and what is said when that fails.

use velvet_peg::course::{CourseColumns, CourseTable};
use velvet_peg::look::{Look, LookOptions, TableLook};
use velvet_peg::table::AppendOptions;
use velvet_peg::table::{CoordinateColumns, Quoting, TableOptions};
use velvet_peg::{BuildPoints, ConvertTable, Crs, Geographic, Result, Summary, look};

struct Bench(tempfile::TempDir);

impl Bench {
    fn with(name: &str, content: impl AsRef<[u8]>) -> Bench {
        let bench = Bench(tempfile::tempdir().unwrap());
        std::fs::write(bench.at(name), content).unwrap();
        bench
    }

    fn at(&self, name: &str) -> std::path::PathBuf {
        self.0.path().join(name)
    }

    fn text(&self, name: &str) -> String {
        std::fs::read_to_string(self.at(name)).unwrap()
    }

    fn look(&self, name: &str) -> TableLook {
        match look(&self.at(name), &LookOptions::default()).unwrap() {
            Look::Table(table) => *table,
            Look::Layers { .. } | Look::Raster(_) => panic!("{name} is a table"),
        }
    }
}

/// Degrees of WGS 84 to UTM zone 10, centimetres.
fn to_utm(decimals: usize) -> ConvertTable {
    ConvertTable {
        columns: CoordinateColumns::default(),
        source: Crs::from_epsg(4326).unwrap(),
        target: Crs::from_epsg(32610).unwrap(),
        way: velvet_peg::convert::Way::default(),
        decimals: Some(decimals),
        packed: false,
        append: AppendOptions::default(),
    }
}

fn convert(bench: &Bench) -> Result<Summary> {
    to_utm(2).run(&bench.at("in.csv"), &bench.at("out.csv")).map(|(outcome, _)| outcome)
}

/// Bytes that are no text cost their row, whether the encoding was told or named.
#[test]
fn bytes_that_are_not_text_make_a_reject() {
    let rows = b"caf\xC3\xA9,lat,lon\n\xC3\xA9,47,-120\n\xC3\xA9\xFF,47,-120\n\xC3\xA9,47.1,-120\n";
    for (encoding, bom) in [(None, false), (None, true), (Some("utf-8"), false)] {
        let mark: &[u8] = if bom { b"\xEF\xBB\xBF" } else { b"" };
        let bench = Bench::with("in.csv", [mark, rows].concat());
        let mut convert = to_utm(2);
        convert.append.table.encoding = encoding.map(String::from);
        let done = convert.run(&bench.at("in.csv"), &bench.at("out.csv"));
        let (outcome, _) = done.unwrap();
        assert_eq!((outcome.rows_in, outcome.out, outcome.rejected.count), (3, 2, 1));
        assert!(bench.text("out.csv").starts_with("café,"));
        let rejects = bench.text("out.csv.rejects.csv");
        assert!(rejects.contains("\n3,column `café` holds bytes that are not UTF-8"), "{rejects}");
    }
}

#[test]
fn delimiters_and_encodings_are_told_apart() {
    for (content, delimiter, encoding, columns) in [
        (&b"a,b,c\n1,2,3\n"[..], "comma", "UTF-8", 3),
        (b"a;b;c\n1,5;2,5;3,5\n4,5;5,5;6,5\n", "semicolon", "UTF-8", 3),
        (b"a\tb, c\n1\t2, 3\n4\t5\n", "tab", "UTF-8", 2),
        (b"a|b\n1|2\n", "vertical bar", "UTF-8", 2),
        (b"only\n1\n2\n", "comma", "UTF-8", 1),
        (b"\xEF\xBB\xBFa,b\n1,2\n", "comma", "UTF-8", 2),
        (b"stra\xDFe,ort\nM\xFChle,K\xF6nigsau\n", "comma", "windows-1252", 2),
        (b"a,\"b;c;d\"\n1,\"2;3;4\"\n", "comma", "UTF-8", 2),
        // One wrong byte among many right ones.
        (b"\xC3\xA9,\xC3\xA9,\xC3\xA9,\xC3\xA9\n1,2,3,\xFF\n", "comma", "UTF-8", 4),
    ] {
        let bench = Bench::with("in.csv", content);
        let found = bench.look("in.csv");
        let name = String::from_utf8_lossy(content).into_owned();
        assert_eq!(
            {
                let text = found.text.unwrap();
                (text.delimiter, text.encoding, found.columns.len())
            },
            (delimiter, encoding, columns),
            "{name}"
        );
    }
    let bench = Bench::with("in.csv", b"stra\xDFe,ort\nM\xFChle,K\xF6nigsau\n");
    assert_eq!(bench.look("in.csv").columns[0].name, "straße");
}

#[test]
fn coordinate_columns_are_found_by_what_people_call_them() {
    for (header, x, y) in [
        ("id,Longitude,Latitude", Some("Longitude"), Some("Latitude")),
        ("LAT,LON,ELEV", Some("LON"), Some("LAT")),
        ("Northing (ftUS),Easting (ftUS)", Some("Easting (ftUS)"), Some("Northing (ftUS)")),
        ("point,X,Y,Z", Some("X"), Some("Y")),
        ("E,N", Some("E"), Some("N")),
        ("long_dd,lat_dd", Some("long_dd"), Some("lat_dd")),
        ("name,note", None, None),
        ("latitude,name", None, None),
        ("Länge,Breite", Some("Länge"), Some("Breite")),
        ("Rechtswert,Hochwert", Some("Rechtswert"), Some("Hochwert")),
        ("LONGITUD,latitud (gps)", Some("LONGITUD"), Some("latitud (gps)")),
        ("id,долгота,широта", Some("долгота"), Some("широта")),
        ("経度,緯度", Some("経度"), Some("緯度")),
        ("gate,gpsLon,gpsLat", Some("gpsLon"), Some("gpsLat")),
        // Two answers are none.
        ("lon,lat,easting,northing", None, None),
        ("start_lon,start_lat,end_lon,end_lat", None, None),
    ] {
        let bench = Bench::with("in.csv", format!("{header}\n1,2,3\n"));
        let found = bench.look("in.csv");
        assert_eq!((found.x.as_deref(), found.y.as_deref()), (x, y), "{header}");
    }
}

#[test]
fn coordinate_columns_are_found_by_their_values_or_asked_for() {
    let run = |rows: &str, columns: CoordinateColumns, crs: u32| {
        let bench = Bench::with("in.csv", rows);
        let points =
            BuildPoints { columns, ..BuildPoints::in_system(Crs::from_epsg(crs).unwrap()) };
        points
            .run(&bench.at("in.csv"), &bench.at("out.csv"))
            .map(|outcome| outcome.notices[0].text.clone())
            .unwrap_or_else(|error| error.to_string())
    };
    let none = CoordinateColumns::default;
    let degrees = "id,a,b\n1,47.4123,-120.0123\n2,47.4100,-119.9941\n3,47.4200,-120.0011\n";
    assert!(run(degrees, none(), 4326).contains("`b` and `a`, by their values"));
    let grid = "id,p,q\n1,726010.25,5254894.5\n2,726110.5,5254990.25\n3,726200.75,5255010.5\n";
    assert!(run(grid, none(), 32610).contains("`p` and `q`, because only so they lie where"));
    let swapped = "id,p,q\n1,5254894.5,726010.25\n2,5254990.25,726110.5\n3,5255010.5,726200.75\n";
    assert!(run(swapped, none(), 32610).contains("`q` and `p`, because only so they lie where"));
    // Where the area does not decide, neither do the digits.
    assert!(run(grid, none(), 2285).contains("either could be the easting"));
    let both = "id,a,b\n1,47.4123,12.0123\n2,47.4100,11.9941\n3,47.4200,12.0011\n";
    assert!(run(both, none(), 4326).contains("either could be the latitude"));
    // The system decides between pairs of names; what is named outdoes everything.
    let pairs = "lon,lat,easting,northing\n-120.01,47.41,726010.25,5254894.5\n";
    assert!(run(pairs, none(), 4326).contains("`lon` and `lat`"));
    assert!(run(pairs, none(), 32610).contains("`easting` and `northing`"));
    let named = CoordinateColumns { x: Some("a".into()), y: Some("b".into()), ..none() };
    assert!(!run(both, named, 4326).contains("by their"));
}

#[test]
fn every_column_and_character_stays_as_it_was() {
    let rows = "id,lat,lon,note\n\
                1,47.4,-120,\"said \"\"so\"\", twice\"\n\
                2,47.4,-120,\"two\nlines\"\n\
                003,47.40,-120.0, spaced \n";
    let bench = Bench::with("in.csv", rows);
    let outcome = convert(&bench).unwrap();
    assert_eq!((outcome.rows_in, outcome.out), (3, 3));
    let place = velvet_peg::Coordinate::xy(-120.0, 47.4);
    let job = to_utm(2);
    let to = velvet_peg::Converter::new(&job.source, &job.target).unwrap().convert(place).unwrap();
    let added = format!(",{:.2},{:.2}", to.x, to.y);
    let wanted = format!(
        "id,lat,lon,note,easting,northing\n\
         1,47.4,-120,\"said \"\"so\"\", twice\"{added}\n\
         2,47.4,-120,\"two\nlines\"{added}\n\
         003,47.40,-120.0, spaced {added}\n"
    );
    assert_eq!(bench.text("out.csv"), wanted);
    assert!(!bench.at("out.csv.rejects.csv").exists(), "no rejects, no file");
}

#[test]
fn rejects_keep_their_row_whatever_is_in_them() {
    let rows = "id,lat,lon\n1,47.4,-120\n2,,-120\n3,\"47,4\",-120\n4,47.4\n5,47.4,-120,extra\n6,-91,0\n7,47.4,200\n";
    let bench = Bench::with("in.csv", rows);
    let outcome = convert(&bench).unwrap();
    assert_eq!((outcome.rows_in, outcome.out, outcome.rejected.count), (7, 1, 6));
    assert_eq!(outcome.rejected.first.len(), 5, "the first few are named");
    let rejects = bench.text("out.csv.rejects.csv");
    let lines: Vec<&str> = rejects.lines().collect();
    assert_eq!(lines[0], "source_row,reason,id,lat,lon");
    for (line, start, end) in [
        (1, "3,the latitude is blank", "2,,-120"),
        (2, "4,", "3,\"47,4\",-120"),
        (3, "5,the row has 2 fields where the header has 3", "4,47.4"),
        (4, "6,the row has 4 fields where the header has 3", "5,47.4,-120,extra"),
        (5, "7,`-91`: latitude beyond 90°", "6,-91,0"),
        (6, "8,`200`: longitude beyond 180°: counted 0 to 360?", "7,47.4,200"),
    ] {
        assert!(lines[line].starts_with(start) && lines[line].ends_with(end), "{}", lines[line]);
    }
}

#[test]
fn tables_of_which_nothing_can_be_used_are_refused_with_advice() {
    for (rows, says) in [
        ("id,lat,lon\n1,north,west\n", "there is no number in it"),
        ("id,lat,lon\n1,-120,47.4\n2,-120.1,47.4\n", "Swapping the two columns"),
        ("id,lat,lon\n1,5250000,726000\n", "look like projected coordinates"),
    ] {
        let bench = Bench::with("in.csv", rows);
        let error = convert(&bench).unwrap_err();
        assert!(error.is_data() && error.to_string().contains(says), "{error}");
        assert!(error.to_string().contains("in.csv"), "{error}");
        assert!(!bench.at("out.csv").exists());
        let build = BuildPoints::in_system(Crs::from_epsg(4326).unwrap());
        let error = build.run(&bench.at("in.csv"), &bench.at("out.gpkg")).unwrap_err();
        assert!(error.to_string().contains(says), "{error}");
        assert!(!bench.at("out.gpkg").exists());
    }
    let bench = Bench::with("in.csv", "id,lat,lon\n");
    assert!(convert(&bench).unwrap_err().to_string().contains("no rows"));
}

#[test]
fn a_bad_beginning_does_not_spoil_a_table() {
    let bad = "x,,\n".repeat(3000);
    let bench = Bench::with("in.csv", format!("id,lat,lon\n{bad}1,47.4,-120\n"));
    let outcome = convert(&bench).unwrap();
    assert_eq!((outcome.rows_in, outcome.out, outcome.rejected.count), (3001, 1, 3000));
    let bench = Bench::with("in.csv", format!("id,lat,lon\n{bad}"));
    let error = convert(&bench).unwrap_err();
    assert!(error.to_string().contains("none of the 3000 rows can be used"), "{error}");
    assert!(!bench.at("out.csv").exists() && !bench.at("out.csv.rejects.csv").exists());
}

#[test]
fn what_is_asked_for_wrongly_is_told_before_any_work() {
    let bench = Bench::with("in.csv", "id,lat,lon\n1,47.4,-120\n");
    let run = |table: TableOptions| {
        let append = AppendOptions { table, ..AppendOptions::default() };
        ConvertTable { append, ..to_utm(2) }
            .run(&bench.at("in.csv"), &bench.at("out.csv"))
            .unwrap_err()
    };
    let encoding =
        run(TableOptions { encoding: Some("klingon".into()), ..TableOptions::default() });
    assert!(
        encoding.is_usage() && encoding.to_string().contains("not the label of an encoding"),
        "{encoding}"
    );
    let delimiter = run(TableOptions { delimiter: Some('→'), ..TableOptions::default() });
    assert!(delimiter.to_string().contains("not a single byte"), "{delimiter}");
    let quote =
        run(TableOptions { quoting: Some(Quoting::With('“')), ..TableOptions::default() });
    assert!(quote.to_string().contains("not a single byte"), "{quote}");
    let wrong = run(TableOptions { delimiter: Some(';'), ..TableOptions::default() });
    assert!(wrong.is_usage() && wrong.to_string().contains("`id,lat,lon`"), "{wrong}");
    let folder = to_utm(2).run(bench.0.path(), &bench.at("out.csv")).unwrap_err();
    assert!(folder.to_string().contains("is a folder"), "{folder}");
    assert!(!bench.at("out.csv").exists());
}

#[test]
fn routes_are_planned_for_where_the_table_lies() {
    // NAD27 covers a continent; in Washington the operation for the western states serves.
    let bench = Bench::with("in.csv", "id,lat,lon\n1,47.4,-120\n2,47.5,-120.1\n");
    let job = ConvertTable {
        source: Crs::from_epsg(4267).unwrap(),
        target: Crs::from_epsg(4326).unwrap(),
        ..to_utm(9)
    };
    let (_, converter) = job.run(&bench.at("in.csv"), &bench.at("west.csv")).unwrap();
    let west = converter.route().operations().next().unwrap().clone();
    assert!(
        west.extent().contains(Geographic { lat: 47.4, lon: -120.0 })
            && converter.route().covers_area,
        "{}",
        west.name()
    );
    let bench = Bench::with("in.csv", "id,lat,lon\n1,22.0,-80\n2,22.1,-80.1\n");
    let (_, converter) = job.run(&bench.at("in.csv"), &bench.at("cuba.csv")).unwrap();
    let cuba = converter.route().operations().next().unwrap().clone();
    assert!(cuba.extent().contains(Geographic { lat: 22.0, lon: -80.0 }), "{}", cuba.name());
    assert_ne!(west.code(), cuba.code());
}

#[test]
fn courses_go_there_and_back_in_one_table() {
    let bench = Bench::with(
        "in.csv",
        "id,x1,y1,x2,y2\n1,-120,47.4,-119.9,47.5\n2,10,-20,-170,20.5\n3,0,0,0,0\n",
    );
    let pair = |x: &str, y: &str| (x.to_string(), y.to_string());
    let job = |columns| CourseTable {
        columns,
        crs: Crs::from_epsg(4326).unwrap(),
        decimals: Some(12),
        append: AppendOptions::default(),
    };
    let between = CourseColumns::Between { from: pair("x1", "y1"), to: pair("x2", "y2") };
    job(between).run(&bench.at("in.csv"), &bench.at("there.csv")).unwrap();
    let along = CourseColumns::Along {
        start: pair("x1", "y1"),
        azimuth: "azimuth_from".to_string(),
        distance: "distance_m".to_string(),
    };
    let outcome = job(along).run(&bench.at("there.csv"), &bench.at("back.csv")).unwrap();
    assert_eq!(outcome.out, 3);
    assert!(
        outcome.notices.iter().any(|n| n.text.contains("`azimuth_to_2`")),
        "{:?}",
        outcome.notices
    );
    let mut reader = csv::Reader::from_path(bench.at("back.csv")).unwrap();
    for record in reader.records() {
        let record = record.unwrap();
        let number = |at: usize| record[at].parse::<f64>().unwrap();
        let east = (number(8) - number(3) + 180.0).rem_euclid(360.0) - 180.0;
        assert!(east.abs() < 1e-11 && (number(9) - number(4)).abs() < 1e-11, "{record:?}");
        assert!((number(7) - number(10)).abs() < 1e-9 || number(5) == 0.0, "{record:?}");
    }
}

#[test]
fn long_tables_tell_how_far_they_are() {
    struct Heard(Vec<(u64, Option<u64>)>);
    impl velvet_peg::Progress for Heard {
        fn at(&mut self, done: u64, total: Option<u64>) {
            self.0.push((done, total));
        }
    }
    let rows: String = (0..20_000).map(|i| format!("{i},47.4,-120.{:04}\n", i % 10_000)).collect();
    let bench = Bench::with("in.csv", format!("id,lat,lon\n{rows}"));
    let mut heard = Heard(Vec::new());
    to_utm(3).run_watched(&bench.at("in.csv"), &bench.at("out.csv"), &mut heard).unwrap();
    assert!(heard.0.len() > 2, "{:?}", heard.0);
    assert!(heard.0.windows(2).all(|pair| pair[0].0 <= pair[1].0));
    assert!(heard.0.iter().all(|(done, total)| total.is_some_and(|total| *done <= total)));
}

/// Coordinates are written with the digits that they have, ties to the even digit, however many are
/// asked for.
#[test]
fn numbers_are_written_with_the_digits_that_they_have() {
    let mut numbers =
        vec![0.0, -0.0, 0.5, 1.5, 2.5, 0.125, -0.375, 1e-7, -4.9e-324, 89.999_999_999_999_99];
    let mut seed = 0x2545_f491_4f6c_dd1d_u64;
    for _ in 0..3000 {
        seed ^= seed << 13;
        seed ^= seed >> 7;
        seed ^= seed << 17;
        // Of every size below 90, and near the middle between two numbers of few digits.
        let share = (seed >> 11) as f64 / (1_u64 << 53) as f64;
        let size = 90.0 * share.powi((seed % 9) as i32 + 1);
        let tie = (size * 1e4).round() / 1e4 + 0.5e-4;
        numbers.extend([size, -size, tie]);
    }
    numbers.retain(|number| number.abs() <= 90.0);
    let mut text = String::from("lon,lat\n");
    numbers.iter().for_each(|number| text += &format!("{number},{number}\n"));
    let bench = Bench::with("in.csv", text);
    for decimals in [0, 1, 3, 4, 7, 9, 12, 15, 17, 18, 30] {
        let convert = ConvertTable {
            target: Crs::from_epsg(4326).unwrap(),
            decimals: Some(decimals),
            append: AppendOptions { overwrite: true, ..AppendOptions::default() },
            ..to_utm(2)
        };
        convert.run(&bench.at("in.csv"), &bench.at("out.csv")).unwrap();
        let written = std::fs::read_to_string(bench.at("out.csv")).unwrap();
        for (line, number) in written.lines().skip(1).zip(&numbers) {
            let expected = format!("{number},{number},{number:.decimals$},{number:.decimals$}");
            assert_eq!(line, expected, "{decimals}");
        }
    }
}
