//! Hatches: the outlines of their areas, which are rings of lines, arcs, pieces of ellipses and of
//! splines.

use super::curve::{Ellipse, Vertex, bulged};
use super::pairs::Pair;
use super::spline::Spline;
use crate::format_support::nested_rings::{Polygons, nested};
use std::f64::consts::TAU;

/// The pairs of a hatch, read in their order.
struct Reader<'a> {
    rest: &'a [Pair],
    height: f64,
    tolerance: f64,
    curves: u64,
}

impl Reader<'_> {
    /// The number behind the next pair, which has to have this code.
    fn number(&mut self, code: i32) -> Result<f64, String> {
        match self.rest.split_first() {
            Some((pair, rest)) if pair.code == code && pair.number().is_finite() => {
                self.rest = rest;
                Ok(pair.number())
            }
            Some((pair, _)) => Err(format!(
                "its outline has `{}` of group code {} where {code} belongs",
                pair.value.trim(),
                pair.code
            )),
            None => Err(format!("its outline ends where group code {code} belongs")),
        }
    }

    fn optional(&mut self, code: i32) -> Result<Option<f64>, String> {
        match self.rest.first().is_some_and(|pair| pair.code == code) {
            true => self.number(code).map(Some),
            false => Ok(None),
        }
    }

    fn count(&mut self, code: i32) -> Result<usize, String> {
        let count = self.number(code)?;
        match (0.0..=self.rest.len() as f64).contains(&count) {
            true => Ok(count as usize),
            false => Err(format!("its outline counts {count} things and has fewer")),
        }
    }

    fn place(&mut self, code: i32) -> Result<[f64; 3], String> {
        Ok([self.number(code)?, self.number(code + 10)?, self.height])
    }

    /// A direction in the plane.
    fn direction(&mut self, code: i32) -> Result<[f64; 3], String> {
        Ok([self.number(code)?, self.number(code + 10)?, 0.0])
    }

    /// An outline that is a polyline.
    fn polyline(&mut self) -> Result<Vec<[f64; 3]>, String> {
        let bulges = self.number(72)? != 0.0;
        let _closed = self.number(73)?;
        let mut vertices = Vec::new();
        for _ in 0..self.count(93)? {
            let place = self.place(10)?;
            let bulge = if bulges { self.optional(42)?.unwrap_or(0.0) } else { 0.0 };
            vertices.push(Vertex { place, bulge });
        }
        let (places, curves) = bulged(&vertices, true, self.tolerance);
        self.curves += curves;
        Ok(places)
    }

    /// The places of an edge, from its beginning to its end.
    fn edge(&mut self) -> Result<Vec<[f64; 3]>, String> {
        let kind = self.number(72)?;
        if kind == 1.0 {
            return Ok(vec![self.place(10)?, self.place(11)?]);
        }
        self.curves += 1;
        match kind {
            2.0 => {
                let centre = self.place(10)?;
                let radius = self.number(40)?;
                let whole = Ellipse::circle(centre, radius);
                Ok(self.between(whole)?.places(self.tolerance))
            }
            3.0 => {
                let centre = self.place(10)?;
                let major = self.direction(11)?;
                let ratio = self.number(40)?;
                let minor = [-major[1] * ratio, major[0] * ratio, 0.0];
                let whole = Ellipse { centre, major, minor, start: 0.0, turn: TAU };
                Ok(self.between(whole)?.places(self.tolerance))
            }
            4.0 => self.spline(),
            other => Err(format!("its outline has an edge of type {other}")),
        }
    }

    /// The piece between two angles, which count the other way round where it runs clockwise.
    fn between(&mut self, whole: Ellipse) -> Result<Ellipse, String> {
        let (from, to) = (self.number(50)?.to_radians(), self.number(51)?.to_radians());
        let round = (to - from).rem_euclid(TAU);
        let turn = if round < 1e-9 { TAU } else { round };
        Ok(match self.number(73)? == 0.0 {
            false => Ellipse { start: from, turn, ..whole },
            true => Ellipse { start: -from, turn: -turn, ..whole },
        })
    }

    fn spline(&mut self) -> Result<Vec<[f64; 3]>, String> {
        let degree = self.number(94)? as usize;
        let rational = self.number(73)? != 0.0;
        let _periodic = self.number(74)?;
        let (knots, controls) = (self.count(95)?, self.count(96)?);
        let mut spline = Spline { degree, ..Spline::default() };
        for _ in 0..knots {
            spline.knots.push(self.number(40)?);
        }
        for _ in 0..controls {
            spline.controls.push(self.place(10)?);
            if let Some(weight) = self.optional(42)?.filter(|_| rational) {
                spline.weights.push(weight);
            }
        }
        // Places that it was drawn through, and its directions at the ends.
        if let Some(fits) = self
            .optional(97)?
            .filter(|_| self.rest.first().is_some_and(|pair| matches!(pair.code, 11..=13)))
        {
            for _ in 0..fits as usize {
                self.place(11)?;
            }
            for code in [12, 13] {
                if self.rest.first().is_some_and(|pair| pair.code == code) {
                    self.place(code)?;
                }
            }
        }
        spline.places(self.tolerance)
    }

    fn ring(&mut self) -> Result<Vec<[f64; 3]>, String> {
        let flags = self.number(92)? as i64;
        let mut ring: Vec<[f64; 3]> = Vec::new();
        if flags & 2 != 0 {
            ring = self.polyline()?;
        } else {
            for _ in 0..self.count(93)? {
                let edge = self.edge()?;
                // Each begins where the one before it ended.
                let skip = usize::from(!ring.is_empty());
                ring.extend(edge.into_iter().skip(skip));
            }
        }
        if let Some(sources) = self.optional(97)? {
            for _ in 0..sources as usize {
                match self.rest.split_first() {
                    Some((pair, rest)) if pair.code == 330 => self.rest = rest,
                    _ => break,
                }
            }
        }
        Ok(ring)
    }
}

/// The areas of a hatch in its plane, and the curves in their outlines.
///
/// # Errors
/// If an outline cannot be read.
pub(super) fn areas(
    pairs: &[Pair],
    height: f64,
    tolerance: f64,
) -> Result<(Polygons, u64), String> {
    let start = pairs.iter().position(|pair| pair.code == 91);
    let rest = start.map_or(&pairs[..0], |start| &pairs[start..]);
    let mut reader = Reader { rest, height, tolerance, curves: 0 };
    let mut rings = Vec::new();
    for _ in 0..reader.count(91)? {
        let mut ring = reader.ring()?;
        if ring.len() < 3 {
            continue;
        }
        // The end repeats the beginning, within what numbers of files are rounded to.
        let near = |a: [f64; 3], b: [f64; 3]| (a[0] - b[0]).hypot(a[1] - b[1]) <= 1e-6;
        if near(ring[0], ring[ring.len() - 1]) {
            ring.pop();
        }
        ring.push(ring[0]);
        rings.push(ring);
    }
    match rings.is_empty() {
        true => Err("it has no outline of three places or more".to_string()),
        false => Ok((nested(rings), reader.curves)),
    }
}
