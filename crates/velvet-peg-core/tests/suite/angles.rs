//! Angles as people write them: a table of cases, and laws.

use crate::support::data;
use proptest::prelude::*;
use velvet_peg_core::angle::{Axis, Style, format, parse, parse_packed, parse_position};

#[test]
fn every_notation_reads_or_says_why_not() {
    for row in data("angles.csv") {
        let (text, says) = (row.text("text"), row.text("says"));
        let axis = match row.text("axis") {
            "lat" => Axis::Latitude,
            "lon" => Axis::Longitude,
            _ => Axis::Free,
        };
        match (parse(text, axis), row.optional("degrees")) {
            (Ok(found), Some(wanted)) => assert_eq!(found, wanted, "{text}"),
            (Err(error), None) => {
                assert!(error.to_string().contains(says), "{text}: {error}");
                assert!(error.is_malformed() || error.is_out_of_domain());
            }
            (found, wanted) => panic!("{text}: {found:?} for {wanted:?}"),
        }
    }
}

#[test]
fn packed_angles_are_read_only_when_asked_for() {
    assert_eq!(parse_packed("472430.0", Axis::Latitude).unwrap(), 47.0 + 24.5 / 60.0);
    assert_eq!(parse_packed("W1200015", Axis::Longitude).unwrap(), -(120.0 + 15.0 / 3600.0));
    for wrong in ["476030", "472460", "12", "47.2430", "47 24 30"] {
        assert!(parse_packed(wrong, Axis::Latitude).is_err(), "{wrong}");
    }
    assert!(parse("472430.0", Axis::Latitude).is_err());
}

#[test]
fn positions_are_split_into_latitude_and_longitude() {
    for text in [
        "47.5, -120.25",
        "47.5 -120.25",
        "47.5N 120.25W",
        "120.25W, 47.5N",
        "N47.5 W120.25",
        "47 30 N 120 15 W",
        "47°30'N 120°15'W",
        "47 30 00 N, 120 15 00 W",
        "W 120 15; N 47 30",
    ] {
        let found = parse_position(text);
        // Six words without letters are two triples; with one letter the sign is known.
        let at = found.unwrap_or_else(|e| panic!("{text}: {e}"));
        assert_eq!((at.lat, at.lon.abs()), (47.5, 120.25), "{text}");
    }
    assert!(parse_position("47.5").is_err());
    assert!(parse_position("").is_err());
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn what_is_written_reads_back(degrees in -180.0..180.0f64, decimals in 0usize..9) {
        for (style, unit) in [(Style::Decimal, 1.0), (Style::Minutes, 60.0), (Style::Seconds, 3600.0)] {
            let text = format(degrees, Axis::Longitude, style, decimals);
            let back = parse(&text, Axis::Longitude).unwrap();
            let half = 0.5 / unit / 10f64.powi(decimals as i32);
            // Half the last digit, and a last place of the degrees themselves.
            let bound = half * (1.0 + 1e-6) + 3e-14;
            prop_assert!((back - degrees).abs() <= bound, "{} -> {} -> {}", degrees, text, back);
            prop_assert!(!text.contains("°60") && !text.contains("′60"), "{}", text);
        }
    }

    #[test]
    fn nothing_panics(text in "\\PC{0,24}") {
        for axis in [Axis::Latitude, Axis::Longitude, Axis::Free] {
            let _ = parse(&text, axis);
            let _ = parse_packed(&text, axis);
        }
        let _ = parse_position(&text);
    }
}
