//! What makes no sense is refused when it is given, by name.

use velvet_peg_core::definition::{self, Spelling};
use velvet_peg_core::projection::ParameterKind;
use velvet_peg_core::projection::{
    Parameters, Projection, kind_of_parameter, method_codes, parameters_of,
};
use velvet_peg_core::registry;
use velvet_peg_core::zones::UtmZone;
use velvet_peg_core::{Crs, Ellipsoid};

/// A value for a parameter that its method takes, of the right kind or of another.
fn with(parameters: Parameters, code: u32, kind: ParameterKind, latitude: f64) -> Parameters {
    match kind {
        // In the middle latitudes, apart from each other and from zero.
        // A polar method has its origin at the pole, a width of zones is six degrees.
        ParameterKind::Angle if code == 8831 => parameters.angle(code, 6.0),
        // The equator stays where it is.
        ParameterKind::Angle if code == 8801 && latitude == 0.0 => parameters.angle(code, 0.0),
        ParameterKind::Angle => parameters.angle(code, latitude + f64::from(code % 10)),
        ParameterKind::Length => parameters.length(code, 500_000.0),
        ParameterKind::Scale => parameters.scale(code, 1.0),
    }
}

#[test]
fn every_parameter_of_every_method_is_checked_for_its_kind() {
    let grs80 = Ellipsoid::from_epsg(7019).unwrap();
    let other = |kind| match kind {
        ParameterKind::Angle => ParameterKind::Length,
        ParameterKind::Length => ParameterKind::Scale,
        ParameterKind::Scale => ParameterKind::Angle,
    };
    let mut checked = 0;
    for method in method_codes() {
        let codes = parameters_of(method).unwrap();
        let latitude = match method {
            9810 | 9829 | 9830 => 89.0,
            // Its origin lies on the equator.
            9804 | 1024 | 9841 => 0.0,
            _ => 40.0,
        };
        for wrong in codes {
            let given = codes.iter().fold(Parameters::new(), |given, code| {
                let kind = kind_of_parameter(*code);
                with(given, *code, if code == wrong { other(kind) } else { kind }, latitude)
            });
            let Err(error) = Projection::new(method, &given, &grs80) else {
                panic!("{method} does not look at parameter {wrong}");
            };
            let error = error.to_string();
            let name = registry::parameter_name(*wrong).unwrap();
            assert!(
                error.contains(&format!("parameter {wrong} ({name}) is a")),
                "{method}: {error}"
            );
            checked += 1;
        }
    }
    assert!(checked > 200, "{checked}");
    let far = Parameters::new().angle(8801, 0.0).angle(8802, 500_000.0).scale(8805, 1.0);
    let far = far.length(8806, 0.0).length(8807, 0.0);
    let error = Projection::new(9807, &far, &grs80).unwrap_err().to_string();
    assert!(error.contains("500000°, beyond a full circle"), "{error}");
    let lacking = Parameters::new().angle(8801, 0.0);
    let error = Projection::new(9807, &lacking, &grs80).unwrap_err().to_string();
    assert!(error.contains("lacks its parameter 8802"), "{error}");
}

#[test]
fn there_are_sixty_utm_zones() {
    for number in 0..=255 {
        for north in [true, false] {
            match UtmZone::new(number, north) {
                Ok(zone) => {
                    assert!((1..=60).contains(&number));
                    assert_eq!((zone.number(), zone.is_north()), (number, north));
                    assert_eq!(
                        zone.crs().unwrap().code(),
                        Some(if north { 32600 } else { 32700 } + u32::from(number))
                    );
                }
                Err(error) => {
                    assert!(!(1..=60).contains(&number));
                    assert!(error.is_unknown() && error.to_string().contains("from 1 to 60"));
                }
            }
        }
    }
}

#[test]
fn local_systems_are_kept_apart_and_read_back() {
    let plan =
        |name: &str, axes: &str| definition::parse(&format!("LOCAL_CS[\"{name}\"{axes}]")).unwrap();
    let metres = ",LOCAL_DATUM[\"site\",0],UNIT[\"metre\",1],AXIS[\"x\",EAST],AXIS[\"y\",NORTH]";
    let feet = ",LOCAL_DATUM[\"site\",0],UNIT[\"foot\",0.3048],AXIS[\"x\",EAST],AXIS[\"y\",NORTH]";
    let turned = ",LOCAL_DATUM[\"site\",0],UNIT[\"metre\",1],AXIS[\"x\",NORTH],AXIS[\"y\",EAST]";
    let systems = [
        plan("Pump house", metres),
        plan("Weir", metres),
        plan("Weir", feet),
        plan("Weir", turned),
        plan("Weir", ""),
        plan("Weir", ",UNIT[\"metre\",1]"),
        plan("Weir", ",UNIT[\"foot\",0.3048]"),
    ];
    let unit = |at: usize| systems[at].length_unit().map(|unit| unit.symbol());
    assert_eq!(
        [unit(0), unit(2), unit(4), unit(6)],
        [Some("m"), Some("ft-intl"), None, Some("ft-intl")]
    );
    for (at, system) in systems.iter().enumerate() {
        for (other_at, other) in systems.iter().enumerate() {
            assert_eq!(system == other, at == other_at, "{at} {other_at}");
        }
        for (notation, text) in [
            ("wkt2", definition::wkt2(system)),
            ("json", definition::json(system)),
            ("wkt1", definition::wkt1(system)),
            ("side file", definition::wkt1_spelled(system, Spelling::SideFile)),
        ] {
            let text =
                text.unwrap_or_else(|| panic!("{notation} has no word for {}", system.name()));
            let read =
                definition::parse(&text).unwrap_or_else(|e| panic!("{notation}: {text}: {e}"));
            // The side files have no axes... but a local system has nothing else.
            assert_eq!(&read, system, "{notation}: {text}");
        }
    }
    assert_ne!(systems[0], Crs::from_epsg(32610).unwrap());
}

#[test]
fn letters_beyond_ascii_stand_anywhere_in_a_definition() {
    for axis in ["é", "é (ö)", "(é)", "北 (北)", "Ж", "", "()", "🜨"] {
        let text = format!(
            "GEOGCS[\"Système é\",DATUM[\"é\",SPHEROID[\"ö\",6378137,298.257222101]],PRIMEM[\"Ж\",0],\
             UNIT[\"degré\",0.0174532925199433],AXIS[\"{axis}\",NORTH],AXIS[\"x\",EAST]]"
        );
        let read = definition::parse(&text);
        let Ok(crs) = read else { continue };
        assert_eq!(crs.axes().len(), 2, "{axis}");
        for text in [definition::wkt2(&crs), definition::json(&crs), definition::wkt1(&crs)] {
            assert_eq!(definition::parse(&text.unwrap()).unwrap(), crs, "{axis}");
        }
    }
}

/// The method, its parameters, and why it is refused, if it is.
type Definition = (&'static str, &'static [(&'static str, f64)], Option<&'static str>);

/// Parameters of a side file that their method does not have: passed over where they say nothing
/// more, refused where they would move every coordinate.
#[test]
fn no_parameter_of_a_definition_is_dropped_without_a_word() {
    let text = |method: &str, parameters: &[(&str, f64)]| {
        let given: Vec<String> = parameters
            .iter()
            .map(|(name, value)| format!(",PARAMETER[\"{name}\",{value}]"))
            .collect();
        format!(
            "PROJCS[\"x\",GEOGCS[\"GCS_WGS_1984\",DATUM[\"D_WGS_1984\",SPHEROID[\"WGS_1984\",\
             6378137,298.257223563]],PRIMEM[\"Greenwich\",0],UNIT[\"Degree\",0.0174532925199433]],\
             PROJECTION[\"{method}\"],PARAMETER[\"False_Easting\",0],PARAMETER[\"False_Northing\",0],\
             PARAMETER[\"Central_Meridian\",-120]{},UNIT[\"Meter\",1]]",
            given.concat()
        )
    };
    const ORIGIN: (&str, f64) = ("Latitude_Of_Origin", 45.0);
    let cases: &[Definition] = &[
        ("Transverse_Mercator", &[("Scale_Factor", 1.0), ORIGIN], None),
        (
            "Transverse_Mercator",
            &[("Scale_Factor", 1.0), ORIGIN, ("Standard_Parallel_1", 30.0)],
            Some("`Standard_Parallel_1` is not a parameter"),
        ),
        (
            "Transverse_Mercator",
            &[("Scale_Factor", 1.0), ORIGIN, ("Standard_Parallel_1", 45.0)],
            None,
        ),
        ("Mercator", &[("Standard_Parallel_1", 0.0), ("Latitude_Of_Origin", 0.0)], None),
        (
            "Mercator",
            &[("Standard_Parallel_1", 0.0), ORIGIN],
            Some("`Latitude_Of_Origin` is not a parameter"),
        ),
        (
            "Mercator",
            &[("Standard_Parallel_1", 30.0), ("Central_Parallel", 12.0)],
            Some("`Central_Parallel` is not a parameter"),
        ),
        ("Mercator_1SP", &[("Scale_Factor", 1.0), ("Latitude_Of_Origin", 0.0)], None),
        (
            "Mercator_1SP",
            &[("Scale_Factor", 1.0), ORIGIN],
            Some("natural origin on the equator, not at latitude 45°"),
        ),
        (
            "Mercator",
            &[("Standard_Parallel_1", 0.0), ("XY_Plane_Rotation", 12.0)],
            Some("`XY_Plane_Rotation` is not a parameter"),
        ),
    ];
    for (method, parameters, refused) in cases {
        let read = definition::parse(&text(method, parameters));
        match (read, refused) {
            (Ok(crs), None) => assert!(crs.projection().is_ok(), "{method} {parameters:?}"),
            (Err(error), Some(why)) => {
                assert!(error.to_string().contains(why), "{method} {parameters:?}: {error}");
            }
            (Ok(_), Some(why)) => panic!("{method} {parameters:?} was read: not {why}"),
            (Err(error), None) => panic!("{method} {parameters:?}: {error}"),
        }
    }
}
