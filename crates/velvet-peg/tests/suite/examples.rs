//! The examples, run as programs.

use std::path::{Path, PathBuf};
use std::process::Command;

/// The folder of the examples, built as the tests are. All of the workspace is built together, as
/// whoever tests it has it built.
fn built() -> PathBuf {
    // Cargo builds examples into a folder beside the one that tests run from.
    let mut folder = std::env::current_exe().unwrap();
    folder.pop();
    folder.pop();
    let mut build = Command::new(env!("CARGO"));
    build.args(["build", "--quiet", "--workspace", "--examples", "--target-dir"]);
    build.arg(folder.parent().unwrap());
    if folder.ends_with("release") {
        build.arg("--release");
    }
    // What Cargo tells this test of its package would be another setting for build scripts that ask for
    // it: they, and all that is built on them, would be built once more.
    let of_package = ["CARGO_PKG_", "CARGO_MANIFEST_", "CARGO_BIN_", "CARGO_CRATE_", "OUT_DIR"];
    for (name, _) in std::env::vars_os() {
        if of_package.iter().any(|start| name.to_string_lossy().starts_with(start)) {
            build.env_remove(name);
        }
    }
    assert!(build.current_dir(env!("CARGO_MANIFEST_DIR")).status().unwrap().success());
    folder.join("examples")
}

fn run(folder: &Path, name: &str, arguments: &[&str]) -> String {
    let program = folder.join(format!("{name}{}", std::env::consts::EXE_SUFFIX));
    let output = Command::new(&program)
        .args(arguments)
        .output()
        .unwrap_or_else(|e| panic!("{}: {e}", program.display()));
    assert!(output.status.success(), "{name}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

#[test]
fn the_examples_run_and_say_what_they_should() {
    let folder = built();
    let story = run(&folder, "whole_story", &[]);
    assert!(story.contains("40 rows in, 36 gates, 4 rejected"), "{story}");
    assert!(story.contains("16 fields, 473.1"), "{story}");
    let position = run(&folder, "one_position", &["47.4, -121.5"]);
    assert!(position.contains("EPSG:32610") && position.contains("47°24′00.00000″N"), "{position}");
    let million = run(&folder, "million_positions", &[]);
    assert!(
        million.contains("1000000 positions") && million.contains(", 0 could not be converted"),
        "{million}"
    );
    let parcel = run(&folder, "parcel_area", &[]);
    let areas: Vec<f64> = parcel
        .lines()
        .map(|line| line.split(" m²").next().unwrap().rsplit(' ').next().unwrap().parse().unwrap())
        .collect();
    // Grid and ground are both larger than the ellipsoid here, by some hundred-thousandths.
    assert!(
        areas[1] > areas[0] && areas[2] > areas[0] && areas[2] < areas[0] * 1.000_2,
        "{parcel}"
    );
    let site = run(&folder, "site_system", &[]);
    let ppm: Vec<f64> = site
        .lines()
        .filter_map(|line| line.strip_suffix(" ppm")?.rsplit(' ').next()?.parse().ok())
        .collect();
    // The usual systems are off by tens of parts in a million. The ground system is right at its point; the
    // scale of its grid changes by (48.12° − 47.4°)/R, 2 ppm a kilometre northward, and the middle of the
    // course lies 1.25 km to the north. The projection for the area is off by one at most.
    assert!(ppm.len() == 4 && ppm[0] > 50.0 && ppm[1] < -20.0, "{site}");
    assert!((ppm[2] + 2.5).abs() < 0.5 && ppm[3].abs() < 1.0, "{site}");
    for (name, says) in [
        ("features_from_code", "Some(Text(\"Alder Lateral\")) [(-120.0"),
        ("deed", "misses by 0.077 in 1576.73: 1 in Some(20520"),
        ("join_and_tag", "15 of 16 fields have shares\n34 of 36 gates are in a beat"),
        ("quality", "declared as EPSG:32611"),
        ("job", "out/tumblewick.gpkg"),
    ] {
        let out = run(&folder, name, &[]);
        assert!(out.contains(says), "{name}: {out}");
    }
}
