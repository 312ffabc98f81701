//! Grid files of every layout, made for the tests from what stands at their nodes.

/// A grid by its south-western node and steps (latitude, longitude), and its nodes: rows from south to
/// north, each from west to east; NaN where there is no value.
pub struct Sheet {
    pub corner: (f64, f64),
    pub steps: (f64, f64),
    pub rows: usize,
    pub columns: usize,
    pub nodes: Vec<f64>,
}

impl Sheet {
    pub fn of(
        corner: (f64, f64),
        steps: (f64, f64),
        (rows, columns): (usize, usize),
        value: impl Fn(f64, f64) -> f64,
    ) -> Sheet {
        let place = |at: usize| ((at / columns) as f64 * steps.0, (at % columns) as f64 * steps.1);
        let nodes = (0..rows * columns).map(|at| value(place(at).0, place(at).1)).collect();
        Sheet { corner, steps, rows, columns, nodes }
    }

    fn place(&self, row: usize, column: usize) -> (f64, f64) {
        (self.corner.0 + row as f64 * self.steps.0, self.corner.1 + column as f64 * self.steps.1)
    }

    fn north(&self) -> f64 {
        self.place(self.rows - 1, 0).0
    }

    fn east(&self) -> f64 {
        self.place(0, self.columns - 1).1
    }

    /// Latitude, longitude and value of each node, rows from north to south, each from west to east.
    fn northern_first(&self) -> impl Iterator<Item = (f64, f64, f64)> {
        (0..self.rows).rev().flat_map(move |row| {
            (0..self.columns).map(move |column| {
                let (lat, lon) = self.place(row, column);
                (lat, lon, self.nodes[row * self.columns + column])
            })
        })
    }

    /// A line for each node that has a value.
    fn lines(&self, line: impl Fn((f64, f64, f64)) -> String) -> String {
        self.northern_first()
            .filter(|node| !node.2.is_nan())
            .map(|node| line(node) + "\n")
            .collect()
    }

    /// The values as text, with a word where there is none.
    fn values(&self, none: &str) -> Vec<String> {
        let word =
            |value: f64| if value.is_nan() { none.to_string() } else { format!("{value:.6}") };
        self.northern_first().map(|node| word(node.2)).collect()
    }

    /// The bytes of a file of this grid.
    pub fn file(&self, layout: &str) -> Vec<u8> {
        let ((south, west), (lat_step, lon_step)) = (self.corner, self.steps);
        let (north, east, rows, columns) = (self.north(), self.east(), self.rows, self.columns);
        let text = match layout {
            "list-named" => {
                let line = |(lat, lon, v): (f64, f64, f64)| format!("{lon:.8}, {v:.6}, {lat:.8}");
                format!("\u{feff}Longitude, offset, Latitude\n{}", self.lines(line))
            }
            "list-blank" => {
                let line =
                    |(lat, lon, v): (f64, f64, f64)| format!("  {lat:.6}   {lon:.6}  {v:.4}");
                format!("# made for a test\n\n{}", self.lines(line))
            }
            "list-lon-first" => self.lines(|(lat, lon, v)| format!("{lon:.6} {lat:.6} {v:.6} 12")),
            "list-semicolons" => {
                let line = |node: (f64, f64, f64)| {
                    format!("7;{:.6};{:.6};{:.6}", node.1, node.0, node.2).replace('.', ",")
                };
                format!("ID;Lambda;Phi;Undulation\r\n{}", self.lines(line).replace('\n', "\r\n"))
            }
            "ausgeoid98" => {
                let sexagesimal = |degrees: f64| {
                    let minutes = (degrees.abs() * 60.0).round();
                    format!("{:>3} {:>2}  0.00", (minutes / 60.0).floor(), minutes % 60.0)
                };
                let line = |(lat, lon, v): (f64, f64, f64)| {
                    format!(
                        "GEO  {v:>9.4} S{} E{}    -2.46     3.31",
                        sexagesimal(lat),
                        sexagesimal(lon)
                    )
                };
                format!("<html><pre>\nA sheet of the tests\n{}</pre></html>\n", self.lines(line))
            }
            "french-lines" => {
                let line = |(lat, lon, v): (f64, f64, f64)| {
                    format!("00002 {lon:.9} {lat:.9} {v:.5} 99 0158")
                };
                format!(
                    "GG 002024 024\nGG1 {west} {east} {south} {north} {lon_step} {lat_step}\n\
                     GG2 INTERPOLATION BILINEAIRE\nGG3 PREC CM 01:5 02:10\n{}",
                    self.lines(line)
                )
            }
            "french-rows" => format!(
                "{west} {east} {south} {north} {lon_step} {lat_step} 2 0 1 0 9999. For a test\n{}\n",
                self.values("9999.").join(" ")
            ),
            "french-placed" => {
                let node = |(lat, lon, v): (f64, f64, f64)| match v.is_nan() {
                    true => format!("{lon} {lat} -99.9 99"),
                    false => format!("{lon} {lat} {v:.6} 01"),
                };
                // Columns one after the other: the coordinates tell.
                let mut nodes: Vec<(f64, f64, f64)> = self.northern_first().collect();
                nodes.sort_by(|a, b| a.1.total_cmp(&b.1));
                let nodes: Vec<String> = nodes.into_iter().map(node).collect();
                format!(
                    "{west} {east} {south} {north} {lon_step} {lat_step} 3 1 1 1 -99.9\n{}\n",
                    nodes.join("\n")
                )
            }
            "cells-corner" => format!(
                "NCOLS {columns}\nNROWS {rows}\nXLLCORNER {}\nYLLCORNER {}\nDX {lon_step}\nDY {lat_step}\n\
                 NODATA_VALUE -32768\n{}\n",
                west - lon_step / 2.0,
                south - lat_step / 2.0,
                self.values("-32768").join("\n")
            ),
            "cells-centre" => format!(
                "ncols {columns}\nnrows {rows}\nxllcenter {west}\nyllcenter {south}\ncellsize {lon_step}\n{}\n",
                self.values("-9999").join(" ")
            ),
            "gravsoft" => format!(
                "{south} {north} {west} {east} {lat_step} {lon_step}\n{}\n",
                self.values("9999.0").join(" ")
            ),
            binary => return self.binary(binary),
        };
        text.into_bytes()
    }

    fn binary(&self, layout: &str) -> Vec<u8> {
        let ((south, west), (lat_step, lon_step)) = (self.corner, self.steps);
        let mut bytes = Vec::new();
        match layout {
            "vertcon" | "vertcon-millimetres" => {
                let scale = if layout == "vertcon" { 1.0 } else { 1000.0 };
                // The head takes the first record: narrower grids go on with their last column.
                let columns = self.columns.max(23);
                bytes.extend([b' '; 64]);
                bytes.extend([columns as i32, self.rows as i32, 1].map(i32::to_le_bytes).concat());
                let head = [west, lon_step, south, lat_step, 0.0];
                bytes.extend(head.map(|number| (number as f32).to_le_bytes()).concat());
                for (row, nodes) in self.nodes.chunks(self.columns).enumerate() {
                    bytes.resize((columns + 1) * 4 * (row + 1), 0);
                    bytes.extend((row as i32).to_le_bytes());
                    for column in 0..columns {
                        let node = nodes[column.min(self.columns - 1)];
                        bytes.extend(((node * scale) as f32).to_le_bytes());
                    }
                }
            }
            "gtx" => {
                bytes.extend([south, west, lat_step, lon_step].map(f64::to_be_bytes).concat());
                bytes
                    .extend([self.rows as i32, self.columns as i32].map(i32::to_be_bytes).concat());
                for node in &self.nodes {
                    let value = if node.is_nan() { -88.8888 } else { *node };
                    bytes.extend((value as f32).to_be_bytes());
                }
            }
            "byn" => {
                let seconds = |degrees: f64| ((degrees * 3600.0).round() as i32).to_le_bytes();
                bytes.extend([south, self.north(), west, self.east()].map(seconds).concat());
                for step in [lat_step, lon_step] {
                    bytes.extend(((step * 3600.0).round() as i16).to_le_bytes());
                }
                bytes.resize(24, 0);
                bytes.extend(10_000f64.to_le_bytes());
                bytes.resize(80, 0);
                for (_, _, value) in self.northern_first() {
                    let value =
                        if value.is_nan() { 99_990_000 } else { (value * 10_000.0).round() as i32 };
                    bytes.extend(value.to_le_bytes());
                }
            }
            "egm2008" | "egm2008-big-endian" => {
                let big_endian = layout != "egm2008";
                let raw = |bits: [u8; 4]| {
                    if big_endian { [bits[3], bits[2], bits[1], bits[0]] } else { bits }
                };
                for row in (0..self.rows).rev() {
                    let count = raw((self.columns as i32 * 4).to_le_bytes());
                    bytes.extend(count);
                    for node in &self.nodes[row * self.columns..(row + 1) * self.columns] {
                        bytes.extend(raw((*node as f32).to_le_bytes()));
                    }
                    bytes.extend(count);
                }
            }
            "geotiff-area" | "geotiff-nodes" => {
                use tiff::encoder::colortype::Gray32Float;
                bytes = self.geotiff::<Gray32Float>(layout == "geotiff-area", &[]);
            }
            // The heights, and two bands that are not theirs.
            "geotiff-bands" => {
                bytes =
                    self.geotiff::<tiff::encoder::colortype::RGB32Float>(true, &[0.25, -9999.0]);
            }
            other => panic!("no layout {other}"),
        }
        bytes
    }

    /// A GeoTIFF whose first band is the grid, with further bands of one value each.
    fn geotiff<C: tiff::encoder::colortype::ColorType<Inner = f32>>(
        &self,
        area: bool,
        further: &[f32],
    ) -> Vec<u8> {
        use tiff::encoder::{Compression, TiffEncoder};
        use tiff::tags::Tag;
        let mut bytes = std::io::Cursor::new(Vec::new());
        let encoder = TiffEncoder::new(&mut bytes).unwrap();
        let compression = if area { Compression::Lzw } else { Compression::Uncompressed };
        let mut encoder = encoder.with_compression(compression);
        let mut image = encoder.new_image::<C>(self.columns as u32, self.rows as u32).unwrap();
        let half = if area { 0.5 } else { 0.0 };
        let (lat_step, lon_step) = self.steps;
        let tie =
            [0.0, 0.0, 0.0, self.corner.1 - half * lon_step, self.north() + half * lat_step, 0.0];
        let kind = if area { 1 } else { 2 };
        let keys: [u16; 12] = [1, 1, 1, 2, 1024, 0, 1, 2, 1025, 0, 1, kind];
        let tags = image.encoder();
        tags.write_tag(Tag::ModelPixelScaleTag, &[lon_step, lat_step, 0.0][..]).unwrap();
        tags.write_tag(Tag::ModelTiepointTag, &tie[..]).unwrap();
        tags.write_tag(Tag::GeoKeyDirectoryTag, &keys[..]).unwrap();
        tags.write_tag(Tag::from_u16_exhaustive(42113), "-9999").unwrap();
        let values: Vec<f32> = self
            .northern_first()
            .map(|(_, _, value)| if value.is_nan() { -9999.0 } else { value as f32 })
            .flat_map(|value| std::iter::once(value).chain(further.iter().copied()))
            .collect();
        image.write_data(&values).unwrap();
        bytes.into_inner()
    }
}
