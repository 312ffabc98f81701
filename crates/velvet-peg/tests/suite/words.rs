//! Systems found by words: what people type, names of side files, codes within texts, counties.

use velvet_peg::crs::find_systems;

/// How many of the queries may have none of what is meant among the first three.
const MISSED: usize = 5;

#[test]
fn what_is_meant_is_among_the_first_three() {
    let mut reader = csv::ReaderBuilder::new()
        .comment(Some(b'#'))
        .from_reader(include_str!("../data/words-in-three.csv").as_bytes());
    let (mut missed, mut asked) = (Vec::new(), 0);
    for row in reader.records() {
        let row = row.unwrap();
        let codes: Vec<u32> = row[1].split('|').map(|code| code.parse().unwrap()).collect();
        let found = find_systems(&row[0]).matches;
        asked += 1;
        if !found.iter().take(3).any(|one| codes.contains(&one.code)) {
            let first: Vec<String> =
                found.iter().take(3).map(|one| format!("{} {}", one.code, one.name)).collect();
            missed.push(format!("{}: {codes:?}, not {}", &row[0], first.join("; ")));
        }
    }
    assert!(
        asked > 250 && missed.len() <= MISSED,
        "{} of {asked}:\n{}",
        missed.len(),
        missed.join("\n")
    );
}

#[test]
fn words_that_do_not_fit_are_told() {
    for (query, code, left_out, taken_for) in [
        ("tumblewick nad83 utm 11n", 26911, "tumblewick", ""),
        ("my favourite nad83 utm 11", 26911, "favourite my", ""),
        ("nad83 hawaii zone 1 ftus", 26961, "ftus", ""),
        ("washinton south nad83 ftus", 2286, "", "washinton>washington"),
        ("the layer is in EPSG:2927, I think", 2927, "", ""),
        ("urn:ogc:def:crs:EPSG:12.057:6599", 6599, "", ""),
        ("http://www.opengis.net/def/crs/EPSG/0/26910", 26910, "", ""),
    ] {
        let found = find_systems(query);
        assert_eq!(found.matches.first().map(|one| one.code), Some(code), "{query}: {found:?}");
        let taken: Vec<String> =
            found.taken_for.iter().map(|(word, meant)| format!("{word}>{meant}")).collect();
        assert_eq!(
            (found.left_out.join(" "), taken.join(" ")),
            (left_out.into(), taken_for.into()),
            "{query}"
        );
    }
    // Words of which none is known find nothing, and neither does a code that is none.
    for query in ["qwrty zxcv", "favourite 11", "EPSG:1 qwrty"] {
        let found = find_systems(query);
        assert!(found.matches.is_empty() && found.left_out.is_empty(), "{query}: {found:?}");
    }
}

/// A county that is split by the zones has the systems of both, in turns.
#[test]
fn counties_bring_up_the_systems_of_their_zones() {
    for (query, codes) in [
        ("grant county washington feet", &[6597, 6599, 2285, 2286][..]),
        ("Miami-Dade ftus nad83(2011)", &[6438]),
        ("st louis city mo meters", &[6512, 26996]),
        ("orleans parish feet", &[6479, 3452]),
        ("county of guam", &[4414, 6637, 3993]),
    ] {
        let found: Vec<u32> = find_systems(query).matches.iter().map(|one| one.code).collect();
        assert_eq!(found.get(..codes.len()), Some(codes), "{query}: {found:?}");
    }
}

/// UTM of a county: the zone with most of it, then the others that it reaches into.
#[test]
fn utm_of_a_county_is_found_by_its_place() {
    for (query, first, also) in [
        ("utm douglas county washington", 6340, Some(6339)),
        ("utm douglas county washington nad83", 26911, Some(26910)),
        ("king county wa utm wgs84", 32610, None),
        ("utm harris county texas", 6344, None),
        ("utm nad27 miami-dade county florida", 26717, None),
    ] {
        let found = find_systems(query).matches;
        let zone = |code: u32| found.iter().position(|one| one.code == code);
        let at = zone(first).unwrap_or_else(|| panic!("{query}: {first} is not there: {found:?}"));
        assert!(at < 3, "{query}: {at}: {:?}", &found[..found.len().min(4)]);
        if let Some(also) = also {
            assert!(zone(also).is_some(), "{query}: {also} is not there");
        }
        assert!(found.iter().all(|one| one.name.contains("UTM")), "{query}");
    }
    // A county of another state is none of this one.
    let found = find_systems("utm nad27 dade county florida").matches;
    assert!(found.iter().all(|one| one.code != 26716), "{found:?}");
}

/// In a text of thousands of words nothing is found, or the words are told that nothing has.
#[test]
fn texts_that_are_no_names_are_told() {
    for word in ["strangeword", "county", "douglas", "washington", "utm"] {
        let text: Vec<String> = (0..3000).map(|at| format!("{word} w{at}q")).collect();
        let found = find_systems(&text.join(" "));
        let told = found.matches.is_empty() || found.left_out.len() > 2900;
        assert!(told, "{word}: {:?}, without {}", found.matches.first(), found.left_out.len());
    }
}
