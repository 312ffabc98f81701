//! What the documents tell to type can be typed: every command of the README and the tutorial on
//! the demo data, of the cookbook on files of the names that it uses.

use crate::support::Bench;
use std::path::Path;

fn document(name: &str) -> String {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(name);
    std::fs::read_to_string(&path).unwrap_or_else(|e| panic!("{name}: {e}"))
}

/// The commands in the blocks of a document, each on one line.
fn blocks(text: &str) -> Vec<String> {
    let mut commands = Vec::new();
    for block in text.split("```sh\n").skip(1) {
        let block = block.split("```").next().unwrap().replace("\\\n", " ");
        commands.extend(block.lines().map(String::from));
    }
    commands.retain(|line| line.starts_with("vpeg "));
    commands
}

/// The words of a command as a shell takes them, without what comes behind `#`.
fn words(command: &str) -> Vec<String> {
    let (mut words, mut word, mut quoted) = (Vec::new(), None::<String>, false);
    let mut signs = command.chars();
    while let Some(sign) = signs.next() {
        match sign {
            '"' => {
                quoted = !quoted;
                word.get_or_insert_default();
            }
            '\\' => word.get_or_insert_default().extend(signs.next()),
            ' ' if !quoted => words.extend(word.take()),
            '#' if !quoted && word.is_none() => break,
            sign => word.get_or_insert_default().push(sign),
        }
    }
    words.extend(word);
    words.split_off(1)
}

/// Runs a command; what is wrong with it, if something is.
fn fails(bench: &Bench, command: &str) -> Option<String> {
    let words = words(command);
    let run = bench.run(&words);
    let out = words.iter().position(|word| word == "-o").map(|at| words[at + 1].as_str());
    // What goes to standard output leaves no file.
    let lacks = out.filter(|out| !out.starts_with('-') && !bench.has(out));
    let failed = ![0, 3].contains(&run.code) || lacks.is_some();
    failed.then(|| format!("{command}\n  {} {}{}\n", run.code, run.out, run.err))
}

#[test]
fn the_tutorial_leads_where_it_says() {
    let bench = Bench::with_demo();
    let text = document("docs/tutorial.md");
    let commands = blocks(&text);
    assert!(commands.len() > 15, "{}", commands.len());
    let mut said = String::new();
    for command in commands {
        let run = bench.run(&words(&command));
        assert!([0, 3].contains(&run.code), "{command}\n{}{}", run.out, run.err);
        said.push_str(&run.out);
        said.push_str(&run.err);
    }
    // What the text tells of the answers.
    let plain = text.replace('\n', " ");
    for (told, answer) in [
        ("Of 40 rows 36 become points and 4 go to", "40 rows in, 36 features out, 4 rejected"),
        ("`headgates.gpkg.rejects.csv`", "kept in headgates.gpkg.rejects.csv"),
        ("T-8 jumps from point 4 to 6", "from 4 to 6 (rows 91 and 92)"),
        ("1 in 20 520", "1 in 20520"),
        ("1 in 9 717", "1 in 9717"),
        ("declared as UTM zone 11", "EPSG:32611"),
        ("field F-13 has no shares", "F-13"),
        ("F-17 has shares but no field", "F-17"),
    ] {
        assert!(plain.contains(told), "{told}");
        assert!(said.contains(answer), "not said: {answer}");
    }
}

/// A folder with files of the names that the README and the cookbook use.
fn prepared() -> Bench {
    let bench = Bench::with_demo();
    bench.write(
        "gates.csv",
        "gate,name,lon,lat,cfs,note\nG-1,Alder 1,-120.0450,47.4230,3.4,a\n\
         G-2,Alder 2,-120.0470,47.4250,1.2,\nG-3,Alder 3,-120.0410,47.4210,2.5,b\n",
    );
    bench.write(
        "big.tsv",
        "gate\tname\tcfs\tstate\tlongitude\tlatitude\nG-1\tAlder\t3.4\topen\t-120.0450\t47.4230\n",
    );
    bench.write("day1.csv", "pt,lon,lat\n1,-120.01,47.40\n");
    bench.write("day2.csv", "pt,longitude,lat\n2,-120.02,47.41\n");
    bench.write("points.csv", "id,easting,northing\n1,721000,5256000\n2,721100,5256200\n");
    bench.write("plain.csv", "id,e,n\n1,721000,5256000\n2,721100,5256200\n");
    bench.write(
        "vertices.csv",
        "parcel,ring,ditch,point,easting,northing\nA,1,T-1,1,1835000,155000\nA,1,T-1,2,1835900,155000\n\
         A,1,T-1,3,1835900,155900\nA,2,T-2,1,1835700,155300\nA,2,T-2,2,1835800,155300\n\
         A,2,T-2,3,1835800,155400\n",
    );
    bench.write(
        "pairs.csv",
        "lon1,lat1,lon2,lat2\n-120.01,47.40,-119.99,47.41\n-120.02,47.40,-119.99,47.42\n",
    );
    for command in [
        "vpeg build points gates.csv --lon lon --lat lat --crs EPSG:4326 -o gates.gpkg",
        "vpeg build points old-weirs.csv --e east --n north -o old-weirs.gpkg",
        "vpeg declare old-weirs.gpkg --crs EPSG:2285 -o weirs.gpkg",
        "vpeg convert gates.gpkg -o gates.shp",
        "vpeg convert gates.gpkg --to EPSG:32610 --output-layer Gates -o readings.xlsx",
        "vpeg convert weirs.gpkg -o weirs.kml",
        "vpeg convert gates.gpkg --output-layer gates -o district.gpkg",
        "vpeg convert fields.geojson --to EPSG:2285 -o fields.gpkg",
        "vpeg convert fields.gpkg -o fields.shp",
        "vpeg convert weirs.gpkg -o plan.dxf",
        "vpeg build polygons beats.csv --by beat --order corner --crs EPSG:2285 -o beats.gpkg",
    ] {
        assert_eq!(fails(&bench, command), None);
    }
    for (name, like) in [
        ("corners.csv", "vertices.csv"),
        ("parcels.prj", "fields.prj"),
        ("county-zone.prj", "fields.prj"),
    ] {
        std::fs::copy(bench.path(like), bench.path(name)).unwrap();
    }
    bench
}

/// Files copied into a folder of their own, so that no command is in the way of another.
fn copied(prepared: &Bench) -> Bench {
    let bench = Bench::new();
    for entry in std::fs::read_dir(prepared.path("")).unwrap() {
        let entry = entry.unwrap();
        if entry.file_type().unwrap().is_file() {
            std::fs::copy(entry.path(), bench.path(&entry.file_name().to_string_lossy())).unwrap();
        }
    }
    bench
}

#[test]
fn commands_of_the_readme_run_one_after_the_other_on_what_the_demo_leaves() {
    let bench = Bench::new();
    bench.ok(&["demo", "."]);
    let text = document("README.md");
    let typed = text.split("as they stand, one after the other:").nth(1).unwrap();
    let commands = blocks(typed.split("```\n\n").next().unwrap());
    assert!(commands.len() > 30, "{}", commands.len());
    let before: Vec<_> =
        std::fs::read_dir(bench.path("")).unwrap().flatten().map(|f| f.file_name()).collect();
    for command in &commands {
        let words = words(command);
        if let Some(at) = words.iter().position(|word| word == "-o") {
            let new = !before.iter().any(|name| name.to_str() == Some(words[at + 1].as_str()));
            assert!(new, "{command}: the demo has that already");
        }
        assert_eq!(fails(&bench, command), None);
    }
}

#[test]
fn commands_of_the_cookbook_can_be_typed() {
    let prepared = prepared();
    let mut commands = Vec::new();
    let cookbook = document("docs/cookbook.md");
    // What stands between backticks in the column of answers.
    for row in cookbook.lines().filter(|line| line.starts_with("| ")) {
        let spans = row.split('`').skip(1).step_by(2);
        commands.extend(spans.filter(|span| span.starts_with("vpeg ")).map(String::from));
    }
    assert!(commands.len() > 35, "{}", commands.len());
    let failures: String = commands
        .iter()
        .filter(|command| !["WORDS", "PLACE"].iter().any(|word| command.contains(word)))
        .filter_map(|command| {
            let command = command.replace("FILE", "fields.gpkg").replace("REF", "EPSG:2285");
            let (bench, words) = (copied(&prepared), words(&command));
            // What it writes is not there yet, but for what it adds to.
            if let Some(at) = words.iter().position(|word| word == "-o") {
                let out = bench.path(&words[at + 1]);
                if out.exists() && !command.contains("--append") {
                    std::fs::remove_file(out).unwrap();
                }
            }
            fails(&bench, &command)
        })
        .collect();
    assert!(failures.is_empty(), "{failures}");
}

/// The commands of the tool with the pages of their help, read from the help itself.
fn pages(bench: &Bench, command: &str, found: &mut Vec<(String, String)>) {
    let mut line = vec!["help"];
    line.extend(command.split(' ').filter(|word| !word.is_empty()));
    let text = bench.ok(&line).out;
    let list = text.split("Commands:\n").nth(1).unwrap_or_default();
    let inner = list.lines().take_while(|line| line.starts_with("  "));
    let names =
        inner.filter(|line| !line.starts_with("   ")).filter_map(|l| l.split_whitespace().next());
    for name in names.filter(|name| *name != "help") {
        pages(bench, format!("{command} {name}").trim(), found);
    }
    found.push((command.to_string(), text));
}

#[test]
fn examples_of_every_help_page_can_be_typed() {
    let prepared = prepared();
    prepared.write("shapes.csv", "id,wkt\n1,\"POLYGON ((0 0, 1 0, 1 1, 0 0))\"\n");
    let mut found = Vec::new();
    pages(&prepared, "", &mut found);
    assert!(found.len() > 25, "{}", found.len());
    let mut wrong = String::new();
    for (command, text) in &found {
        let examples: Vec<&str> =
            text.lines().filter_map(|line| line.strip_prefix("  vpeg ")).collect();
        let leaf = !text.contains("\nCommands:\n");
        if leaf && examples.is_empty() {
            wrong += &format!("{command} has no example\n");
        }
        // What options of their own stand together: those of all commands come last.
        let general = text.find("\nGeneral:\n").unwrap_or_else(|| panic!("{command}: {text}"));
        let after = &text[general + 10..];
        if after.lines().any(|line| line.ends_with(':') && !line.starts_with([' ', 'E'])) {
            wrong += &format!("{command}: options behind the general ones\n");
        }
        for example in examples {
            let bench = copied(&prepared);
            let typed = match command.as_str() {
                "completions" => example.split(" > ").next().unwrap().to_string(),
                _ => example.replace('\'', "\""),
            };
            let words = words(&format!("vpeg {typed}"));
            if let Some(at) = words.iter().position(|word| word == "-o") {
                let out = bench.path(&words[at + 1]);
                let _ = std::fs::remove_file(out);
            }
            wrong.extend(fails(&bench, &format!("vpeg {typed}")));
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

#[test]
fn man_pages_and_completions_know_every_command_and_option() {
    let bench = Bench::new();
    bench.ok(&["manual", "man"]);
    let mut found = Vec::new();
    pages(&bench, "", &mut found);
    for (command, text) in &found {
        let name = format!("vpeg {command}").trim().replace(' ', "-");
        let page = bench.read(&format!("man/{name}.1")).replace("\\-", "-");
        let options = text.split_whitespace().filter(|word| word.starts_with("--"));
        for option in
            options.filter(|word| word[2..].chars().all(|c| c.is_ascii_lowercase() || c == '-'))
        {
            assert!(page.contains(option), "{name}: {option}");
        }
    }
    assert_eq!(bench.run(&["manual", "man"]).code, 1, "pages are not replaced unasked");
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        let script = bench.ok(&["completions", shell]).out;
        for word in ["position", "guess", "output-layer", "completions"] {
            assert!(script.contains(word), "{shell}: {word}");
        }
    }
}

#[test]
fn short_help_fits_a_screen_and_long_help_is_complete() {
    let bench = Bench::new();
    let mut found = Vec::new();
    pages(&bench, "", &mut found);
    for (command, long) in &found {
        let mut line: Vec<&str> = command.split(' ').filter(|word| !word.is_empty()).collect();
        line.push("-h");
        let short = bench.ok(&line).out;
        assert!(short.lines().count() <= 58, "{command}: {}", short.lines().count());
        assert!(long.contains("--no-sync") && long.contains("--grids"), "{command}");
    }
}

#[test]
fn options_of_the_cookbook_are_there() {
    let bench = Bench::new();
    let help: String = [
        "build points",
        "build lines",
        "build courses",
        "convert",
        "fields",
        "join",
        "tag",
        "measure",
        "look",
        "crs guess",
        "draw",
        "build",
    ]
    .iter()
    .map(|command| bench.ok(&words(&format!("vpeg {command} --help"))).out)
    .collect();
    let cookbook = document("docs/cookbook.md");
    let mut seen = 0;
    for span in cookbook.split('`').skip(1).step_by(2).filter(|span| span.starts_with("--")) {
        for option in span.split(' ').filter(|word| word.starts_with("--")) {
            assert!(
                help.contains(&format!("{option} ")) || help.contains(&format!("{option}\n")),
                "{option}"
            );
            seen += 1;
        }
    }
    assert!(seen > 12, "{seen}");
}
