//! The examples, run as programs.

use std::path::PathBuf;
use std::process::Command;

fn run(name: &str, arguments: &[&str]) -> String {
    // Cargo builds examples into a folder beside the one that tests run from.
    let mut folder = std::env::current_exe().unwrap();
    folder.pop();
    folder.pop();
    let program: PathBuf =
        folder.join("examples").join(format!("{name}{}", std::env::consts::EXE_SUFFIX));
    let output = Command::new(&program)
        .args(arguments)
        .output()
        .unwrap_or_else(|e| panic!("{}: {e}", program.display()));
    assert!(output.status.success(), "{name}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

#[test]
fn the_examples_run_and_say_what_they_should() {
    let story = run("whole_story", &[]);
    assert!(story.contains("40 rows in, 36 gates, 4 rejected"), "{story}");
    assert!(story.contains("16 fields, 473.1"), "{story}");
    let position = run("one_position", &["47.4, -121.5"]);
    assert!(position.contains("EPSG:32610") && position.contains("47°24′00.00000″N"), "{position}");
    let million = run("million_positions", &[]);
    assert!(
        million.contains("1000000 positions") && million.contains(", 0 could not be converted"),
        "{million}"
    );
    let parcel = run("parcel_area", &[]);
    let areas: Vec<f64> = parcel
        .lines()
        .map(|line| line.split(" m²").next().unwrap().rsplit(' ').next().unwrap().parse().unwrap())
        .collect();
    // Grid and ground are both larger than the ellipsoid here, by some hundred-thousandths.
    assert!(
        areas[1] > areas[0] && areas[2] > areas[0] && areas[2] < areas[0] * 1.000_2,
        "{parcel}"
    );
    for (name, says) in [
        ("features_from_code", "Some(Text(\"Alder Lateral\")) [(-120.0"),
        ("deed", "misses by 0.077 in 1576.73: 1 in Some(20520"),
        ("join_and_tag", "15 of 16 fields have shares\n34 of 36 gates are in a beat"),
        ("quality", "declared as EPSG:32611"),
        ("job", "out/tumblewick.gpkg"),
    ] {
        let out = run(name, &[]);
        assert!(out.contains(says), "{name}: {out}");
    }
}
