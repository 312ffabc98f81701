//! Notices and errors as data: what they are about, their figures, their place, and what can be
//! done. Texts are for people: nothing of them names the tool's options or commands.

use std::path::{Path, PathBuf};
use velvet_peg::convert::route_notices;
use velvet_peg::course::{CourseColumns, CourseTable};
use velvet_peg::features::{BuildCourses, BuildFeatures, BuildLines, BuildPolygons, CourseNames};
use velvet_peg::join::JoinTable;
use velvet_peg::look::{Look, LookOptions};
use velvet_peg::measure::{MeasureColumns, MeasureOptions};
use velvet_peg::reference::read_reference;
use velvet_peg::table::{AppendOptions, CoordinateColumns, TableFile, TableOptions};
use velvet_peg::tag::TagPoints;
use velvet_peg::{
    Advice, BuildPoints, ConvertLayer, ConvertTable, Crs, Error, Geometry, Layer, LayerReader,
    Notice, NoticeKind, Result, Selection, Severity, WriteOptions, declare, demo, look, measure,
};

/// Work in a folder with the demo data.
type Work = fn(&Folder) -> Result<Vec<Notice>>;

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Folder {
        let folder = Folder(tempfile::tempdir().unwrap());
        demo::lay_out(folder.0.path(), false).unwrap();
        folder
    }

    fn at(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn table(&self, text: &str) -> PathBuf {
        let path = self.at("t.csv");
        std::fs::write(&path, text).unwrap();
        path
    }

    fn out(&self) -> PathBuf {
        self.at("out.gpkg")
    }

    fn fields(&self) -> LayerReader {
        LayerReader::open(&self.at("fields.geojson"), None).unwrap()
    }

    /// A layer of one point without a reference system.
    fn bare(&self) -> LayerReader {
        let mut layer = Layer::new("bare", None);
        layer.push(Geometry::Point((1.0, 2.0)), [("no", 1.into())]).unwrap();
        let path = self.at("bare.gpkg");
        if !path.exists() {
            layer.write(&path).unwrap();
        }
        LayerReader::open(&path, None).unwrap()
    }

    fn points(&self, text: &str, epsg: u32) -> Result<Vec<Notice>> {
        let job = BuildPoints::in_system(Crs::from_epsg(epsg)?);
        Ok(job.run(&self.table(text), &self.out())?.notices)
    }
}

fn degrees() -> Crs {
    Crs::from_epsg(4326).unwrap()
}

fn utm() -> Crs {
    Crs::from_epsg(32610).unwrap()
}

/// Errors: the work, and what can be done about it.
const ERRORS: &[(&str, Work, Advice)] = &[
    (
        "a table read as a layer",
        |f| LayerReader::open(&f.at("headgates.csv"), None).map(|reader| reader.notices),
        Advice::BuildFirst,
    ),
    (
        "a layer read as a table",
        |f| {
            Ok(TableFile::open(&f.at("fields.geojson"), &TableOptions::default())?
                .notices()
                .to_vec())
        },
        Advice::UseLayer,
    ),
    (
        "a file of several layers",
        |f| {
            f.bare();
            let mut other = Layer::new("other", Some(utm()));
            other.push(Geometry::Point((6e5, 5e6)), [("no", 1.into())])?;
            let keep = WriteOptions { overwrite: true, ..WriteOptions::default() };
            other.write_with(f.at("bare.gpkg"), &keep)?;
            LayerReader::open(&f.at("bare.gpkg"), None).map(|reader| reader.notices)
        },
        Advice::NameLayer,
    ),
    (
        "a workbook of several sheets",
        |f| TableFile::open(&f.at("register.xlsx"), &TableOptions::default()).map(|_| Vec::new()),
        Advice::NameSheet,
    ),
    (
        "a layer without a system converted",
        |f| {
            let job = ConvertLayer { target: Some(utm()), ..ConvertLayer::default() };
            Ok(job.run(&f.bare(), &f.out())?.notices)
        },
        Advice::Declare(None),
    ),
    (
        "a layer without a system written as GeoJSON",
        |f| Ok(ConvertLayer::default().run(&f.bare(), &f.at("out.geojson"))?.notices),
        Advice::Declare(None),
    ),
    (
        "an output that is there",
        |f| {
            std::fs::write(f.out(), "something else").unwrap();
            Ok(ConvertLayer::default().run(&f.fields(), &f.out())?.notices)
        },
        Advice::Overwrite,
    ),
    (
        "a job that writes outside of its folder",
        |f| {
            std::fs::create_dir(f.at("in")).unwrap();
            let text = "job = 1\n[sources.a]\nfile = \"../fields.geojson\"\n\
                        [[outputs]]\nfile = \"../up.fgb\"\nfrom = [\"a\"]\n";
            std::fs::write(f.at("in/job.toml"), text).unwrap();
            let job = velvet_peg::Job::read(&f.at("in/job.toml"))?;
            job.run(&f.at("in/job.toml"), &Default::default()).map(|_| Vec::new())
        },
        Advice::Outside,
    ),
    (
        "a table converted without its system",
        |f| {
            let mut points = BuildPoints::default();
            points.build.to = Some(utm());
            Ok(points.run(&f.table("e,n\n1,2\n"), &f.out())?.notices)
        },
        Advice::StateSystem,
    ),
    (
        "angles without a system",
        |f| {
            let text = "lon,lat\n120°02'49\"W,47°24'11\"N\n120°02'50\"W,47°24'12\"N\n";
            Ok(BuildPoints::default().run(&f.table(text), &f.out())?.notices)
        },
        Advice::StateSystem,
    ),
    (
        "projected coordinates as degrees",
        |f| f.points("x,y\n705000,5254000\n705100,5254100\n", 4326),
        Advice::FindSystem,
    ),
    (
        "longitudes and latitudes the wrong way round",
        |f| f.points("x,y\n47.4,-120.1\n47.5,-120.2\n", 4326),
        Advice::NameCoordinateColumns,
    ),
    (
        "no columns of coordinates",
        |f| f.points("name,what\na,b\nc,d\n", 32610),
        Advice::NameCoordinateColumns,
    ),
    (
        "decimal commas",
        |f| f.points("e;n\n705000,5;5254000,5\n705000,5;5254000,5\n", 32610),
        Advice::StateNumberFormat,
    ),
    (
        "decimal commas in a table that is converted",
        |f| {
            let job = ConvertTable {
                columns: CoordinateColumns::default(),
                source: utm(),
                target: degrees(),
                way: velvet_peg::convert::Way::default(),
                decimals: None,
                packed: false,
                append: AppendOptions::default(),
            };
            let table = f.table("e;n\n705000,5;5254000,5\n");
            Ok(job.run(&table, &f.at("out.csv"))?.0.notices)
        },
        Advice::StateNumberFormat,
    ),
    (
        "no column of geometries",
        |f| Ok(BuildFeatures::default().run(&f.table("a,b\n1,2\n"), &f.out())?.notices),
        Advice::NameGeometryColumn,
    ),
    (
        "no column of bearings",
        |f| Ok(BuildCourses::default().run(&f.table("a,distance\n1,2\n"), &f.out())?.0.notices),
        Advice::NameCourseColumns,
    ),
    (
        "a parcel in a system without its start",
        |f| {
            let mut job =
                BuildCourses { columns: CourseNames::default(), ..BuildCourses::default() };
            job.build.crs = Some(utm());
            let table = f.table("bearing,distance\nN 0 E,100\nN 90 E,50\nS 45 W,120\n");
            Ok(job.run(&table, &f.out())?.0.notices)
        },
        Advice::StateStart,
    ),
    (
        "a parcel run in degrees",
        |f| {
            let mut job = BuildCourses { start: Some((0.0, 0.0)), ..BuildCourses::default() };
            job.build.crs = Some(degrees());
            Ok(job.run(&f.at("deed.csv"), &f.out())?.0.notices)
        },
        Advice::ConvertTo(String::new()),
    ),
    (
        "keys that nearly meet",
        |f| {
            let job = JoinTable { key: "field".into(), ..JoinTable::default() };
            let table = f.table("field,crop\nf-01,oats\nf-02,rye\n");
            Ok(job.run(f.fields(), &table, &f.out())?.0.notices)
        },
        Advice::LooseKeys,
    ),
    (
        "keys in several rows",
        |f| {
            let job = JoinTable { key: "field".into(), ..JoinTable::default() };
            let table = f.table("field,harvest\nF-01,oats\nF-01,rye\n");
            Ok(job.run(f.fields(), &table, &f.out())?.0.notices)
        },
        Advice::ManyRows,
    ),
    (
        "an assignment with a condition",
        |f| {
            let select =
                Selection { set: vec!["a = 1 WHERE b > 1".into()], ..Selection::default() };
            let job = ConvertLayer { select, ..ConvertLayer::default() };
            Ok(job.run(&f.fields(), &f.out())?.notices)
        },
        Advice::UseCondition,
    ),
    (
        "plane figures in degrees",
        |f| {
            let options = MeasureOptions { grid: Some(degrees()), ..MeasureOptions::default() };
            Ok(measure(&f.fields(), &options)?.notices)
        },
        Advice::NameGrid,
    ),
    (
        "a code that the registry does not have",
        |_| read_reference("EPSG:99999", Path::new("")).map(|_| Vec::new()),
        Advice::FindSystem,
    ),
    (
        "a zone where a system is wanted",
        |_| read_reference("utm", Path::new("")).map(|_| Vec::new()),
        Advice::ZonesOf(None),
    ),
    (
        "a first row that may be a header",
        |f| f.points("1,2\n3,4\n", 32610),
        Advice::NameCoordinateColumns,
    ),
    (
        "features with a column that the layer lacks",
        |f| {
            let layer = f.fields().read()?;
            layer.write(f.out())?;
            let mut more = Layer::new("fields", layer.crs().cloned());
            let square = vec![(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 0.0)];
            more.push(Geometry::Polygon(vec![square]), [("unheard_of", 1.into())])?;
            more.write_with(f.out(), &WriteOptions { append: true, ..WriteOptions::default() })
        },
        Advice::KeepColumns,
    ),
    (
        "courses between columns that are not there",
        |f| {
            let job = CourseTable {
                columns: CourseColumns::Between {
                    from: ("lon1".into(), "lat1".into()),
                    to: ("lon2".into(), "lat2".into()),
                },
                crs: degrees(),
                decimals: None,
                append: AppendOptions { overwrite: false, ..AppendOptions::default() },
            };
            let table = f.table("lon1,lat1,lon2,lat2\n-120,47,-120.1,47.1\n");
            std::fs::write(f.at("out.csv"), "there").unwrap();
            Ok(job.run(&table, &f.at("out.csv"))?.notices)
        },
        Advice::Overwrite,
    ),
];

/// A text must not speak of the tool.
fn plain(name: &str, text: &str) {
    assert!(!text.contains("--") && !text.contains("vpeg"), "{name}: {text}");
}

#[test]
fn errors_say_what_can_be_done_as_data() {
    let mut failed = Vec::new();
    for (name, work, wanted) in ERRORS {
        let folder = Folder::new();
        let error: Error = match work(&folder) {
            Err(error) => error,
            Ok(notices) => panic!("{name}: it was done, {notices:?}"),
        };
        plain(name, &error.to_string());
        match (error.advice(), wanted) {
            (Some(Advice::ConvertTo(system)), Advice::ConvertTo(_)) => {
                assert_eq!(system, "EPSG:4326", "{name}");
            }
            (advice, wanted) if advice == Some(wanted) => {}
            (advice, wanted) => failed.push(format!("{name}: {error}: {advice:?}, not {wanted:?}")),
        }
    }
    assert!(failed.is_empty(), "{}", failed.join("\n"));
}

/// A figure of a notice, with its unit.
type Wanted = (&'static str, f64, &'static str);

/// The work, the kind, the severity, the figures, and what can be done.
type Noticed = (&'static str, Work, NoticeKind, Severity, &'static [Wanted], Option<Advice>);

fn noticed() -> Vec<Noticed> {
    vec![
        (
            "a datum known to metres",
            |f| {
                let target = Some(Crs::from_epsg(2285)?);
                let job = ConvertLayer { target, ..ConvertLayer::default() };
                let converter = job.run(&f.fields(), &f.out())?.converter;
                Ok(converter.iter().flat_map(route_notices).collect())
            },
            NoticeKind::DatumChange,
            Severity::Warning,
            &[("accuracy", 4.0, "m")],
            None,
        ),
        (
            "points outside the area of their system",
            |f| f.points("lon,lat\n-120,47\n-121,47\n-60,47\n", 4152),
            NoticeKind::Area,
            Severity::Warning,
            &[("count", 1.0, "")],
            None,
        ),
        (
            "columns taken by their looks",
            |f| f.points("lon,lat\n-120,47\n", 4326),
            NoticeKind::Assumed,
            Severity::Note,
            &[],
            None,
        ),
        (
            "heights of which no column is named",
            |f| {
                let mut points = BuildPoints::default();
                points.build.crs = Some(Crs::parse("EPSG:32610+EPSG:5703")?);
                points.columns.x = Some("e".into());
                points.columns.y = Some("n".into());
                let table = f.table("e,n,elev\n705000,5254000,3\n705100,5254100,4\n");
                Ok(points.run(&table, &f.out())?.notices)
            },
            NoticeKind::Height,
            Severity::Warning,
            &[],
            Some(Advice::NameHeightColumn),
        ),
        (
            "vertices that make one line",
            |f| {
                let table = f.table("e,n\n600000,5250000\n600100,5250100\n");
                Ok(BuildLines::default().run(&table, &f.out())?.notices)
            },
            NoticeKind::Assumed,
            Severity::Note,
            &[],
            Some(Advice::NameGroupColumn),
        ),
        (
            "repeated vertices",
            |f| {
                let table = f.table("e,n\n0,0\n0,10\n0,10\n10,10\n10,0\n");
                Ok(BuildPolygons::default().run(&table, &f.out())?.notices)
            },
            NoticeKind::Shape,
            Severity::Note,
            &[("count", 1.0, "")],
            Some(Advice::Repair),
        ),
        (
            "a parcel that does not close",
            |f| {
                let text = "bearing,distance\nN 0 E,100\nN 90 E,50\nS 0 E,100\nS 90 W,40\n";
                Ok(BuildCourses::default().run(&f.table(text), &f.out())?.0.notices)
            },
            NoticeKind::Shape,
            Severity::Warning,
            &[("misclosure", 10.0, "units"), ("perimeter", 290.0, "units")],
            None,
        ),
        (
            "a layer declared anew",
            |f| {
                let crs = Crs::from_epsg(4269)?;
                Ok(declare(&f.fields(), &crs, &f.out(), &WriteOptions::default())?.notices)
            },
            NoticeKind::System,
            Severity::Note,
            &[],
            Some(Advice::Convert),
        ),
        (
            "keys without a partner",
            |f| {
                let job = JoinTable { key: "field".into(), ..JoinTable::default() };
                let table = f.table("field,harvest\nF-01,oats\nX-9,rye\nX-8,rye\n");
                Ok(job.run(f.fields(), &table, &f.out())?.0.notices)
            },
            NoticeKind::Keys,
            Severity::Warning,
            &[("count", 15.0, "")],
            None,
        ),
        (
            "columns of the same name",
            |f| {
                let job = JoinTable { key: "field".into(), ..JoinTable::default() };
                let table = f.table("field,crop\nF-01,oats\n");
                Ok(job.run(f.fields(), &table, &f.out())?.0.notices)
            },
            NoticeKind::ColumnChange,
            Severity::Note,
            &[],
            Some(Advice::PrefixColumns),
        ),
        (
            "points in no polygon",
            |f| {
                f.points("lon,lat\n-120.0445,47.4272\n-120.9,47.4\n-120.8,47.4\n", 4326)?;
                let points = LayerReader::open(&f.out(), None)?;
                let job = TagPoints { columns: vec!["field".into()], ..TagPoints::default() };
                Ok(job.run(points, &f.fields(), &f.at("tagged.gpkg"))?.0.notices)
            },
            NoticeKind::Containment,
            Severity::Warning,
            &[("count", 2.0, "")],
            None,
        ),
        (
            "no plane figures",
            |f| Ok(measure(&f.fields(), &MeasureOptions::default())?.notices),
            NoticeKind::Scale,
            Severity::Note,
            &[],
            Some(Advice::NameGrid),
        ),
        (
            "measures that a format does not hold",
            |f| {
                let mut layer = Layer::new("long-names", Some(utm()));
                let text = "x".repeat(300);
                layer.push(Geometry::Point((6e5, 5e6)), [("remark", text.as_str().into())])?;
                layer.write_with(f.at("out.shp"), &WriteOptions::default())
            },
            NoticeKind::FormatLimit,
            Severity::Warning,
            &[("count", 1.0, "")],
            None,
        ),
        (
            "a condition that is true for nothing",
            |f| {
                let select = Selection { condition: Some("1 > 2".into()), ..Selection::default() };
                let job = ConvertLayer { select, ..ConvertLayer::default() };
                Ok(job.run(&f.fields(), &f.out())?.notices)
            },
            NoticeKind::Empty,
            Severity::Warning,
            &[],
            None,
        ),
        (
            "rows that are not UTF-8",
            |f| {
                std::fs::write(f.at("b.csv"), b"e,n,name\n1,2,a\n3,4,\xff\xfe\n5,6,\xff\n")
                    .unwrap();
                let table =
                    TableOptions { encoding: Some("utf-8".into()), ..TableOptions::default() };
                let options = LookOptions { table, all: true, ..LookOptions::default() };
                match look(&f.at("b.csv"), &options)? {
                    Look::Table(table) => Ok(table.notices.clone()),
                    Look::Layers { .. } | Look::Raster(_) => Ok(Vec::new()),
                }
            },
            NoticeKind::Unreadable,
            Severity::Warning,
            &[("count", 2.0, "")],
            Some(Advice::NameEncoding),
        ),
        (
            "features without a system",
            |f| Ok(BuildPoints::default().run(&f.table("e,n\n1,2\n"), &f.out())?.notices),
            NoticeKind::System,
            Severity::Warning,
            &[],
            Some(Advice::DeclareLater(PathBuf::new())),
        ),
        (
            "a grid that distorts",
            |f| {
                let grid = Some(Crs::from_epsg(3857)?);
                let job = MeasureColumns {
                    measure: MeasureOptions { grid: grid.clone(), ..MeasureOptions::default() },
                    ..MeasureColumns::default()
                };
                job.run(f.fields(), &f.out())?;
                Ok(measure(&f.fields(), &MeasureOptions { grid, ..MeasureOptions::default() })?
                    .notices)
            },
            NoticeKind::Scale,
            Severity::Warning,
            &[],
            Some(Advice::StateHeight),
        ),
    ]
}

#[test]
fn notices_say_what_they_are_about_with_their_figures() {
    let mut failed = Vec::new();
    for (name, work, kind, severity, figures, advice) in noticed() {
        let folder = Folder::new();
        let notices = work(&folder).unwrap_or_else(|error| panic!("{name}: {error}"));
        notices.iter().for_each(|notice| plain(name, &notice.text));
        let fits = |notice: &&Notice| {
            let figure = |(name, value, unit): &Wanted| {
                let found = notice.figures.iter().find(|figure| figure.name == *name);
                found.is_some_and(|f| (f.value - value).abs() < 1e-9 && f.unit == *unit)
            };
            notice.kind == kind && notice.severity == severity && figures.iter().all(figure)
        };
        let found = notices.iter().find(|notice| {
            fits(notice)
                && match (&notice.advice, &advice) {
                    (Some(Advice::DeclareLater(out)), Some(Advice::DeclareLater(_))) => {
                        *out == folder.out()
                    }
                    (given, wanted) => given == wanted,
                }
        });
        let Some(found) = found else {
            failed.push(format!("{name}: {notices:#?}"));
            continue;
        };
        // A figure is in the text, too, unless the text rounds it.
        for figure in found.figures.iter().filter(|figure| figure.name == "count") {
            let told = found.text.contains(&format!("{}", figure.value)) || figure.value == 1.0;
            assert!(told, "{name}: {found:?}");
        }
    }
    assert!(failed.is_empty(), "{}", failed.join("\n"));
}

#[test]
fn notices_know_their_place() {
    let folder = Folder::new();
    // One sheet of a workbook with its header further down.
    let book = folder.at("late.xlsx");
    let mut sheet = Layer::new("late", None);
    for (a, b) in [("Gates of 2026", ""), ("", ""), ("gate", "cfs"), ("No. 1", "3"), ("No. 2", "4")]
    {
        sheet.add(Geometry::Point((0.0, 0.0)), vec![("a", a.into()), ("b", b.into())]).unwrap();
    }
    sheet.write(&book).unwrap();
    let options = TableOptions { header_row: Some(4), ..TableOptions::default() };
    let file = TableFile::open(&book, &options).unwrap();
    let header = file.notices().iter().find(|notice| notice.kind == NoticeKind::Assumed).unwrap();
    assert_eq!(header.location.sheet.as_deref(), file.sheet(), "{header:?}");
    assert_eq!(header.figure("row"), Some(4.0), "{header:?}");
    let text = format!(
        "{{\"type\":\"FeatureCollection\",\"features\":[{}]}}",
        "{\"type\":\"Feature\",\"properties\":{},\"geometry\":{\"type\":\"Point\",\"coordinates\":[705000,5254000]}}"
    );
    let projected = folder.at("projected.geojson");
    std::fs::write(&projected, text).unwrap();
    let reader = LayerReader::open(&projected, None).unwrap();
    let notice = reader.notices.iter().find(|notice| notice.kind == NoticeKind::System).unwrap();
    assert_eq!(notice.location.file.as_deref(), Some(projected.as_path()));
    assert_eq!(notice.advice, Some(Advice::Declare(Some(projected.clone()))));
}
