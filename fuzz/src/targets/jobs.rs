//! Job files, and the courses of deeds.

use super::bench::{file, with_folder};
use velvet_peg::Job;
use velvet_peg::features::BuildCourses;
use velvet_peg::job::RunOptions;

/// A job that is read is written down and read again as it was; a plan of it does nothing.
pub fn job(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let Ok(job) = Job::parse(text) else { return };
    let written = job.to_toml().expect("a job can be written");
    let again = Job::parse(&written)
        .unwrap_or_else(|error| panic!("what is written is not read: {error}\n{written}"));
    assert_eq!(again.steps, job.steps);
    assert_eq!(again.outputs, job.outputs);
    with_folder(|folder| {
        file(folder, "a.csv", b"x,y,n\n1,2,3\n4,5,6\n");
        let point = br#"{"type":"Feature","geometry":{"type":"Point","coordinates":[1,2]},"properties":{"n":1}}"#;
        file(folder, "a.geojson", point);
        let path = file(folder, "job.toml", data);
        let _ = job.plan(&path, &RunOptions::default());
        assert_eq!(
            std::fs::read_dir(folder).expect("it is there").count(),
            3,
            "a plan does nothing"
        );
    });
}

/// A table of courses: each row takes part, or is rejected.
pub fn deed(data: &[u8]) {
    with_folder(|folder| {
        let mut table = b"tract,bearing,distance,radius,delta,turn\n".to_vec();
        table.extend_from_slice(data);
        let path = file(folder, "deed.csv", &table);
        let courses = BuildCourses {
            group: vec!["tract".to_string()],
            start: Some((1000.0, 2000.0)),
            ..BuildCourses::default()
        };
        if let Ok((summary, _)) = courses.run(&path, &folder.join("tracts.fgb")) {
            let (rows, rejected) = (summary.rows_in, summary.rejected.count);
            assert!(rejected <= rows && summary.out <= rows - rejected, "{summary:?}");
        }
    });
}
