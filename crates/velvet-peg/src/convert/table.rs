//! Carrying the coordinate columns of a table into another reference system.

use crate::error::{Error, Result};
use crate::format_support::{SourceRow, coordinate_names, default_decimals, push_fixed};
use crate::outcome::Summary;
use crate::plausibility::{
    CoordinateRange, FirstReasons, MIDDLE, PositionSample, RowsApart, no_way, wrong_zone,
};
use crate::progress::{NoProgress, Progress};
use crate::reproject::{Way, area_of, heights_in_space, no_heights, not_carried, raises};
use crate::table::{
    AddedCells, AppendOptions, CoordinateColumns, Found, Notation, Session, read_pair,
};
use csv::StringRecord;
use std::path::Path;
use velvet_peg_core::{Converter, Coordinate, Crs};

/// Converts the coordinate columns of a text table.
#[derive(Clone, Debug)]
pub struct ConvertTable {
    /// Coordinate columns; guessed from the headers where not named.
    pub columns: CoordinateColumns,
    /// Reference system of the table's coordinates.
    pub source: Crs,
    /// Reference system to carry them to.
    pub target: Crs,
    /// Which way they are carried there.
    pub way: Way,
    /// Digits behind the point; none for 9 in degrees and 4 in lengths.
    pub decimals: Option<usize>,
    /// True if angles are packed as DDDMMSS.s.
    pub packed: bool,
    /// Where the table goes and how.
    pub append: AppendOptions,
}

impl ConvertTable {
    /// Keeps every column and appends the converted coordinates: `lon, lat` or `easting,
    /// northing` (and `height` where heights took part).
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::convert::Way;
    /// use velvet_peg::{ConvertTable, Crs};
    /// use velvet_peg::table::AppendOptions;
    /// use velvet_peg::table::CoordinateColumns;
    /// let convert = ConvertTable {
    ///     columns: CoordinateColumns {
    ///         x: Some("east".into()),
    ///         y: Some("north".into()),
    ///         ..CoordinateColumns::default()
    ///     },
    ///     source: Crs::from_epsg(2285)?,
    ///     target: Crs::from_epsg(4269)?,
    ///     way: Way::default(),
    ///     decimals: Some(7),
    ///     packed: false,
    ///     append: AppendOptions::default(),
    /// };
    /// let (outcome, _) = convert.run(&file("old-weirs.csv"), &file("weirs.csv"))?;
    /// assert_eq!(outcome.out, 16);
    /// assert!(std::fs::read_to_string(file("weirs.csv"))?.starts_with("weir,east,north,crest_ft,type,lon,lat"));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read, a column is missing, no operation joins the systems, an
    /// output exists, or no row can be converted.
    pub fn run(&self, input: &Path, out: &Path) -> Result<(Summary, Converter)> {
        self.run_watched(input, out, &mut NoProgress)
    }

    /// As [`ConvertTable::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`ConvertTable::run`].
    pub fn run_watched(
        &self,
        input: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<(Summary, Converter)> {
        let session = Session::open(input, &self.append)?;
        let head: Vec<StringRecord> = session.head().take(200).cloned().collect();
        let (found, why) = self
            .columns
            .find(&session.headers, &head, Some(&self.source))
            .map_err(|error| error.in_file(input))?;
        drop(head);
        let notation = if self.packed { Notation::Packed } else { Notation::Detected };
        let judge = CoordinateRange::new(Some(&self.source))?;
        let mut head = crate::layer::Extender::default();
        let mut cloud = PositionSample::default();
        let mut reasons = FirstReasons::default();
        let mut usable = 0;
        for (at, record) in session.head().enumerate() {
            match read_pair(record, &found, Some(&self.source), notation)
                .and_then(|(x, y, z)| Ok(judge.check(x, y).map(|()| (x, y, z))?))
            {
                Ok((x, y, _)) => {
                    usable += 1;
                    head.point(x, y);
                    cloud.gather(x, y);
                }
                Err(reason) => reasons.add(at as u64 + 2, &reason, record, Some(&found)),
            }
        }
        if usable == 0 && session.is_short() && session.head().next().is_some() {
            let (why, advice) = reasons.explained(Some(&self.source));
            let text = format!("none of the rows has coordinates that can be used. {why}");
            return Err(Error::data(text).advise_if(advice).in_file(input));
        }
        cloud.settle();
        let extent = head.bounds();
        let area = extent.as_ref().and_then(|extent| area_of(&self.source, extent));
        let converter = Converter::plan(&self.source, &self.target, &self.way.plan(area))
            .map_err(|error| no_way(error, &self.source, extent.as_ref()).in_file(input))?;
        let heights = found.z.is_some() && converter.changes_height();
        let geocentric = self.target.is_geocentric();
        let mut columns: Vec<&str> = match geocentric {
            true => vec!["x", "y", "z"],
            false => coordinate_names(Some(&self.target)).to_vec(),
        };
        if heights && !geocentric {
            columns.push("height");
        }
        let decimals = self.decimals.unwrap_or(default_decimals(Some(&self.target)));
        let mut flat = 0;
        cloud.set_system(Some(&self.source));
        let mut apart = RowsApart::new(&cloud, &self.source);
        let carrying = Carrying {
            converter: &converter,
            source: &self.source,
            found,
            notation,
            judge: &judge,
            count: columns.len(),
            decimals,
        };
        let mut outcome = session.run(
            out,
            &columns,
            |rows, added| carrying.fill(rows, added),
            |seen| {
                flat += seen.flat;
                seen.places.iter().for_each(|(row, x, y)| apart.see(*row, *x, *y));
            },
            watch,
        )?;
        outcome.notices.splice(..0, why);
        outcome.notices.extend(no_heights(&converter, outcome.rows_in, flat));
        let (all, strays) = apart.judged();
        outcome.notices.extend(strays);
        outcome.notices.extend(heights_in_space(&converter, flat, outcome.rows_in));
        let cloud = if all.centre().is_some() { all } else { cloud };
        let astray = cloud.against(&self.source);
        // Where the source is wrong already, the target has nothing to tell.
        let wrong = || wrong_zone(&self.source, &self.target, MIDDLE, cloud.centre()?);
        outcome.notices.extend(astray.or_else(wrong));
        outcome.converter = Some(converter.clone());
        Ok((outcome, converter))
    }
}

/// How rows are carried.
struct Carrying<'a> {
    converter: &'a Converter,
    source: &'a Crs,
    found: Found,
    notation: Notation,
    judge: &'a CoordinateRange,
    /// Columns that are added.
    count: usize,
    decimals: usize,
}

/// What else is seen of rows that are carried.
#[derive(Default)]
struct Seen {
    /// Rows without a height.
    flat: u64,
    /// The number and place of each row that was carried.
    places: Vec<(u64, f64, f64)>,
}

impl Carrying<'_> {
    /// Adds the converted coordinates of rows.
    fn fill(&self, rows: &[&SourceRow], added: &mut AddedCells) -> Seen {
        let read: Vec<_> = rows
            .iter()
            .map(|row| read_pair(&row.texts, &self.found, Some(self.source), self.notation))
            .collect();
        let mut seen = Seen::default();
        // A place without a height lies on the ellipsoid only where space demands a height.
        let none = if raises(self.converter) { 0.0 } else { f64::NAN };
        let (mut x, mut y, mut z) = (Vec::new(), Vec::new(), Vec::new());
        for (to_x, to_y, to_z) in read.iter().flatten() {
            seen.flat += u64::from(to_z.is_none());
            x.push(*to_x);
            y.push(*to_y);
            z.push(to_z.unwrap_or(none));
        }
        self.converter.convert_columns(&mut x, &mut y, Some(&mut z));
        let mut carried = x.into_iter().zip(y).zip(z);
        let geocentric = self.converter.target().is_geocentric();
        for (row, read) in rows.iter().zip(read) {
            added.row(|cells| {
                let (x, y, z) = read?;
                let ((to_x, to_y), to_z) = carried.next().ok_or("it was not carried")?;
                if to_x.is_nan() {
                    let at = Coordinate { x, y, z: z.unwrap_or(none) };
                    self.judge.check(x, y)?;
                    return Err(not_carried(self.converter, at).into());
                }
                for (at, value) in [to_x, to_y, to_z].into_iter().take(self.count).enumerate() {
                    cells.cell(|text| {
                        // A height that is not there stays blank.
                        if at < 2 || z.is_some() || geocentric {
                            push_fixed(text, value, self.decimals);
                        }
                    });
                }
                seen.places.push((row.number, x, y));
                Ok(())
            });
        }
        seen
    }
}
