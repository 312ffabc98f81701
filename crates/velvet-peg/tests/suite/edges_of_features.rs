//! Features at the edges: the order of vertices, closures that are just good enough, names that a
//! format does not take, heights of formats that say what they are above.

use velvet_peg::features::{BuildCourses, BuildLines};
use velvet_peg::{BuildPoints, Crs, Geometry, Layer, NoticeKind, WriteOptions};

#[test]
fn vertices_follow_the_numbers_in_their_texts() {
    let folder = tempfile::tempdir().unwrap();
    // Values of the order's column as the rows come, and the rows in their order.
    for (values, wanted) in [
        (&["P2", "P10", "P007", "P1"][..], &[3, 0, 2, 1][..]),
        (&["10", "9", "100", "1"], &[3, 1, 0, 2]),
        (&["1.5", "1.25", "1.125"], &[2, 1, 0]),
        (&["a2b10", "a2b9", "a10b1", "a1b99"], &[3, 1, 0, 2]),
        (&["b1", "a2", "a10"], &[1, 2, 0]),
        (&["T00012", "T3", "T0004"], &[1, 2, 0]),
    ] {
        let rows: String = values
            .iter()
            .enumerate()
            .map(|(at, value)| format!("{value},{},5250000\n", 600_000 + at * 10))
            .collect();
        std::fs::write(folder.path().join("t.csv"), format!("no,e,n\n{rows}")).unwrap();
        let mut lines = BuildLines::default();
        lines.vertices.build.crs = Some(Crs::from_epsg(32610).unwrap());
        lines.vertices.build.write.overwrite = true;
        lines.vertices.order = Some("no".into());
        let out = folder.path().join("t.gpkg");
        lines.run(&folder.path().join("t.csv"), &out).unwrap();
        let layer = Layer::read(&out).unwrap();
        let vertices = layer.features().next().unwrap().vertices().to_vec();
        let order: Vec<usize> =
            vertices.iter().map(|(x, _)| ((x - 600_000.0) / 10.0).round() as usize).collect();
        assert_eq!(order, wanted, "{values:?}");
    }
}

#[test]
fn a_parcel_closes_well_from_one_in_five_thousand_on() {
    let folder = tempfile::tempdir().unwrap();
    // A square of 100 whose last side is too short, round it 400 but for that.
    for (short, told) in
        [(0.0, false), (0.070, false), (0.0785, false), (0.0815, true), (1.0, true)]
    {
        let last = 100.0 - short;
        let text =
            format!("bearing,distance\nN 0 E,100\nN 90 E,100\nS 0 E,100\nS 90 W,{last:.4}\n");
        std::fs::write(folder.path().join("d.csv"), text).unwrap();
        let mut courses = BuildCourses::default();
        courses.build.write.overwrite = true;
        let (summary, closures) =
            courses.run(&folder.path().join("d.csv"), &folder.path().join("d.gpkg")).unwrap();
        let warned = summary.notices.iter().find(|n| n.kind == NoticeKind::Shape);
        assert_eq!(warned.is_some(), told, "{short}: {warned:?}");
        assert!((closures[0].misclosure.length - short).abs() < 1e-9, "{short}");
        if let Some(notice) = warned {
            assert!((notice.figure("misclosure").unwrap() - short).abs() < 1e-9, "{notice:?}");
        }
    }
}

#[test]
fn names_that_a_shapefile_does_not_take_are_changed_and_told() {
    let folder = tempfile::tempdir().unwrap();
    for (names, wanted) in [
        (["gate", "cfs"], ["gate", "cfs"]),
        (["1st share", "ab-cd"], ["_1st_share", "ab_cd"]),
        (["a_very_long_name", "a_very_long_other"], ["a_very_lon", "a_very_l_2"]),
        (["Gate", "gate"], ["Gate", "gate_2"]),
        (["___", "débit"], ["column_1", "d_bit"]),
    ] {
        let mut layer = Layer::new("gates", Some(Crs::from_epsg(32610).unwrap()));
        let values = [(names[0], 1.into()), (names[1], 2.into())];
        if layer.push(Geometry::Point((6e5, 5e6)), values).is_err() {
            // Two names that differ in capitals only are one column to a layer.
            assert!(names[0].eq_ignore_ascii_case(names[1]), "{names:?}");
            continue;
        }
        let out = folder.path().join("gates.shp");
        let options = WriteOptions { overwrite: true, ..WriteOptions::default() };
        let notices = layer.write_with(&out, &options).unwrap();
        let told = notices.iter().any(|notice| notice.kind == NoticeKind::ColumnChange);
        assert_eq!(told, names != wanted, "{names:?}: {notices:?}");
        let schema = Layer::read(&out).unwrap().info().schema.clone();
        let found: Vec<String> = schema.fields().iter().map(|field| field.name().clone()).collect();
        assert_eq!(found, wanted, "{names:?}");
    }
}

#[test]
fn heights_of_kml_are_absolute_where_there_are_heights() {
    let folder = tempfile::tempdir().unwrap();
    for (heights, modes) in [(["", ""], 0), (["350", ""], 1), (["350", "351.5"], 2)] {
        let rows = heights.map(|height| format!("-120,47.4,{height}\n")).concat();
        std::fs::write(folder.path().join("t.csv"), format!("lon,lat,h\n{rows}")).unwrap();
        let mut points = BuildPoints::in_system(Crs::from_epsg(4979).unwrap());
        points.columns.z = Some("h".into());
        points.build.write.overwrite = true;
        let out = folder.path().join("gates.kml");
        points.run(&folder.path().join("t.csv"), &out).unwrap();
        let text = std::fs::read_to_string(&out).unwrap();
        let count = text.matches("<altitudeMode>absolute</altitudeMode>").count();
        assert_eq!(count, modes, "{text}");
    }
}
