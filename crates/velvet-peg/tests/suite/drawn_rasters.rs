//! Rasters under the layers of a map: seen in the picture, pixel by pixel, where their places are.

use super::tiff_files::{Made, keys, placed};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use std::fs;
use std::path::{Path, PathBuf};
use velvet_peg::draw::{DrawOptions, LayerStyle, MapLayers, MapRaster, Theme, draw_layers};
use velvet_peg::raster::RasterReader;
use velvet_peg::{Converter, Coordinate, Crs, Geometry, Layer, LayerReader, NoProgress, Notice};

/// Columns, rows and size of a pixel in metres of the sheet, and its north-western corner.
const SIZE: (usize, usize) = (9, 6);
const PIXEL: f64 = 250.0;
const CORNER: (f64, f64) = (280_000.0, 5_260_000.0);

/// A colour of its own for each pixel of the sheet.
fn colour(column: usize, row: usize) -> [u8; 3] {
    [(20 + 25 * column) as u8, (30 + 35 * row) as u8, (250 - 20 * column - 8 * row) as u8]
}

fn in_utm(made: Made, folder: &Path, number: impl Fn(usize, usize, usize) -> f64) -> PathBuf {
    let mut made = Made { size: SIZE, ..made };
    made.tags.extend(placed(CORNER, PIXEL));
    made.tags.push(keys(&[(1024, 1), (1025, 1), (3072, 32611)]));
    let path = folder.join("sheet.tif");
    fs::write(&path, made.bytes(number)).unwrap();
    path
}

fn colours(folder: &Path) -> PathBuf {
    let made = Made { bands: 3, photometric: 2, ..Made::default() };
    in_utm(made, folder, |column, row, band| f64::from(colour(column, row)[band]))
}

fn raster(path: &Path) -> MapRaster {
    MapRaster::new(RasterReader::open(path).unwrap()).unwrap()
}

/// Points in degrees at the middles of all pixels, row by row.
fn middles() -> Layer {
    let crs = Crs::from_epsg(4326).unwrap();
    let to = Converter::new(&Crs::from_epsg(32611).unwrap(), &crs).unwrap();
    let mut layer = Layer::new("middles", Some(crs));
    for at in 0..SIZE.0 * SIZE.1 {
        let (column, row) = ((at % SIZE.0) as f64 + 0.5, (at / SIZE.0) as f64 + 0.5);
        let utm = Coordinate::xy(CORNER.0 + PIXEL * column, CORNER.1 - PIXEL * row);
        let place = to.convert(utm).unwrap();
        layer.push(Geometry::Point((place.x, place.y)), []).unwrap();
    }
    layer
}

fn reader(layer: &Layer) -> LayerReader {
    LayerReader::of_layer(layer, Path::new("layer"))
}

/// The map as it is written: SVG, PNG or page.
fn drawn(layers: &MapLayers, name: &str, options: DrawOptions) -> (Vec<u8>, Vec<Notice>) {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join(name);
    let notices = draw_layers(layers, &out, &options, &mut NoProgress).unwrap();
    (fs::read(out).unwrap(), notices)
}

fn svg(layers: &MapLayers, options: DrawOptions) -> String {
    String::from_utf8(drawn(layers, "map.svg", options).0).unwrap()
}

/// An attribute of an element.
fn attribute<'a>(element: &'a str, name: &str) -> &'a str {
    let from = element.split(&format!(" {name}=\"")).nth(1).unwrap();
    from.split('"').next().unwrap()
}

/// Pixels of a PNG: red, green, blue and opacity.
struct Pixels {
    columns: usize,
    all: Vec<[u8; 4]>,
}

impl Pixels {
    fn of(bytes: &[u8]) -> Pixels {
        let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
        let mut data = vec![0; reader.output_buffer_size().unwrap()];
        let info = reader.next_frame(&mut data).unwrap();
        let all = match info.color_type {
            png::ColorType::Rgb => data.chunks_exact(3).map(|p| [p[0], p[1], p[2], 255]).collect(),
            png::ColorType::Rgba => data.as_chunks::<4>().0.to_vec(),
            other => panic!("{other:?}"),
        };
        Pixels { columns: info.width as usize, all }
    }

    fn at(&self, x: f64, y: f64) -> [u8; 4] {
        self.all[y as usize * self.columns + x as usize]
    }
}

/// The image in a map, and where its left upper corner lies.
struct Image {
    corner: (f64, f64),
    pixels: Pixels,
}

impl Image {
    fn of(svg: &str) -> Image {
        let element = svg.split("<image").nth(1).expect("an image");
        let element = element.split("/>").next().unwrap();
        let data = attribute(element, "href").strip_prefix("data:image/png;base64,").unwrap();
        let pixels = Pixels::of(&STANDARD.decode(data).unwrap());
        let number = |name| attribute(element, name).parse::<f64>().unwrap();
        assert_eq!(number("width"), pixels.columns as f64);
        assert_eq!(number("height"), (pixels.all.len() / pixels.columns) as f64);
        Image { corner: (number("x"), number("y")), pixels }
    }

    /// The colour at a place of the map.
    fn at(&self, (x, y): (f64, f64)) -> [u8; 4] {
        self.pixels.at(x - self.corner.0, y - self.corner.1)
    }
}

/// Middles of the circles of a map, in its pixels, in their order.
fn circles(svg: &str) -> Vec<(f64, f64)> {
    let of_layers = svg.split("<g id=\"layers").nth(1).unwrap();
    let circles = of_layers.split("<circle").skip(1).take(SIZE.0 * SIZE.1);
    circles
        .map(|circle| {
            let number = |name| attribute(circle, name).parse::<f64>().unwrap();
            (number("cx"), number("cy"))
        })
        .collect()
}

/// Every pixel lies where a point at its middle is drawn, whichever system the map is in.
#[test]
fn pixels_lie_where_points_lie() {
    let folder = tempfile::tempdir().unwrap();
    let path = colours(folder.path());
    // UTM of the sheet and of the next zone, degrees, feet, an old datum, the southern form.
    for code in [32611, 32610, 4326, 2285, 26711, 32711] {
        agrees(&path, &middles(), Some(code));
    }
    // Axes that run west and south.
    let mut made = Made { size: SIZE, bands: 3, photometric: 2, ..Made::default() };
    made.tags.extend(placed((-20_000.0, 3_700_000.0), PIXEL));
    made.tags.push(keys(&[(1024, 1), (1025, 1), (3072, 2048)]));
    let south = folder.path().join("south.tif");
    let number = |column, row, band: usize| f64::from(colour(column, row)[band]);
    fs::write(&south, made.bytes(number)).unwrap();
    let mut middles = Layer::new("middles", Some(Crs::from_epsg(2048).unwrap()));
    for at in 0..SIZE.0 * SIZE.1 {
        let (column, row) = ((at % SIZE.0) as f64 + 0.5, (at / SIZE.0) as f64 + 0.5);
        let place = (-20_000.0 + PIXEL * column, 3_700_000.0 - PIXEL * row);
        middles.push(Geometry::Point(place), []).unwrap();
    }
    agrees(&south, &middles, None);
    agrees(&south, &middles, Some(4326));
    // A map of bare numbers, of what says no system.
    let bare = folder.path().join("bare.tif");
    let mut made = Made { size: SIZE, bands: 3, photometric: 2, ..Made::default() };
    made.tags.extend(placed((100.0, 200.0), 1.0));
    fs::write(&bare, made.bytes(number)).unwrap();
    let mut middles = Layer::new("middles", None);
    for at in 0..SIZE.0 * SIZE.1 {
        let (column, row) = ((at % SIZE.0) as f64 + 0.5, (at / SIZE.0) as f64 + 0.5);
        middles.push(Geometry::Point((100.0 + column, 200.0 - row)), []).unwrap();
    }
    agrees(&bare, &middles, None);
}

fn agrees(sheet: &Path, middles: &Layer, code: Option<u32>) {
    let layers = MapLayers {
        layers: vec![reader(middles)],
        rasters: vec![raster(sheet)],
        ..MapLayers::default()
    };
    let crs = code.map(|code| Crs::from_epsg(code).unwrap());
    let svg = svg(&layers, DrawOptions { crs, ..DrawOptions::default() });
    let (image, circles) = (Image::of(&svg), circles(&svg));
    assert_eq!(circles.len(), SIZE.0 * SIZE.1, "{code:?}");
    for (at, middle) in circles.into_iter().enumerate() {
        let [red, green, blue] = colour(at % SIZE.0, at / SIZE.0);
        assert_eq!(image.at(middle), [red, green, blue, 255], "{sheet:?} {code:?}: pixel {at}");
    }
}

/// What the picture shows is what the file of the picture holds, below the layers.
#[test]
fn a_png_shows_the_raster_below_the_layers() {
    let folder = tempfile::tempdir().unwrap();
    let layers = MapLayers {
        layers: vec![reader(&middles())],
        rasters: vec![raster(&colours(folder.path()))],
        ..MapLayers::default()
    };
    let places = circles(&svg(&layers, DrawOptions::default()));
    let style = LayerStyle {
        layer: "middles".into(),
        color: Some([255, 255, 255]),
        width: Some(9.0),
        ..LayerStyle::default()
    };
    let options = DrawOptions { styles: vec![style], backdrop: false, ..DrawOptions::default() };
    let picture = Pixels::of(&drawn(&layers, "map.png", options).0);
    for (at, (x, y)) in places.into_iter().enumerate() {
        let [red, green, blue] = colour(at % SIZE.0, at / SIZE.0);
        assert_eq!(picture.at(x, y), [255, 255, 255, 255], "point {at} is on top");
        // Lines of round values may cross a pixel at a place, not at all four.
        let around = [(12.0, 0.0), (0.0, 12.0), (-12.0, 0.0), (0.0, -12.0)];
        let seen = |(right, down)| picture.at(x + right, y + down) == [red, green, blue, 255];
        assert!(around.into_iter().filter(|at| seen(*at)).count() >= 2, "pixel {at}");
    }
}

/// Numbers without colours are shaded from the lowest to the highest; what has no value is not there.
#[test]
fn numbers_are_shaded_from_low_to_high() {
    let folder = tempfile::tempdir().unwrap();
    let none = -3.402_823_466_385_29e38;
    let mut made = Made { bits: 32, form: 3, ..Made::default() };
    made.texts.push((42113, format!("{none}")));
    let value = |column: usize, row: usize| 350.0 + (column * SIZE.1 + row) as f64;
    let path = in_utm(made, folder.path(), |column, row, _| match (column, row) {
        (0, 0) => f64::from(f32::MIN),
        (column, row) => value(column, row),
    });
    let layers = MapLayers {
        layers: vec![reader(&middles())],
        rasters: vec![raster(&path)],
        ..MapLayers::default()
    };
    for theme in [Theme::Light, Theme::Dark] {
        let svg = svg(&layers, DrawOptions { theme, ..DrawOptions::default() });
        assert!(svg.contains(">351.00<") && svg.contains(">403.00<"), "the ends are told");
        assert!(svg.contains("values, of a unit"), "and that no unit is said");
        let (image, circles) = (Image::of(&svg), circles(&svg));
        assert_eq!(image.at(circles[0])[3], 0, "no value");
        let lightness = |at: usize| {
            let [red, green, blue, opacity] = image.at(circles[at]);
            assert_eq!(opacity, 255);
            f64::from(red) * 0.3 + f64::from(green) * 0.6 + f64::from(blue) * 0.1
        };
        // Ten shades or more apart there is no doubt which is higher.
        let at = |column: usize, row: usize| row * SIZE.0 + column;
        for column in 0..SIZE.0 - 2 {
            let (low, high) = (lightness(at(column, 1)), lightness(at(column + 2, 1)));
            assert_eq!(low > high, theme == Theme::Light, "column {column}");
        }
    }
}

/// Places in a list of colours are seen in these; one of them may be transparent.
#[test]
fn lists_of_colours_are_seen_in_their_colours() {
    let folder = tempfile::tempdir().unwrap();
    let mut made = Made { photometric: 3, ..Made::default() };
    let part = |of: fn(usize) -> f64| (0..256).map(of);
    let list = part(|at| (at * 257) as f64)
        .chain(part(|at| ((255 - at) * 257) as f64))
        .chain(part(|_| 128.0 * 257.0))
        .collect();
    made.tags.push((320, 3, list));
    made.texts.push((42113, "7".to_string()));
    let path = in_utm(made, folder.path(), |column, row, _| (row * SIZE.0 + column) as f64);
    let layers = MapLayers {
        layers: vec![reader(&middles())],
        rasters: vec![raster(&path)],
        ..MapLayers::default()
    };
    let svg = svg(&layers, DrawOptions::default());
    assert!(svg.contains("in its own colours"));
    let (image, circles) = (Image::of(&svg), circles(&svg));
    for (at, middle) in circles.into_iter().enumerate() {
        let expected = if at == 7 { [0; 4] } else { [at as u8, 255 - at as u8, 128, 255] };
        let found = image.at(middle);
        assert!(found == expected || (at == 7 && found[3] == 0), "place {at}: {found:?}");
    }
}

/// Colours of 16 bits seldom use them all: the brightest is as bright as can be.
#[test]
fn colours_of_sixteen_bits_are_seen_as_colours() {
    let folder = tempfile::tempdir().unwrap();
    let made = Made { bands: 3, bits: 16, photometric: 2, ..Made::default() };
    let number = |column, row, band: usize| 8.0 * f64::from(colour(column, row)[band]);
    let path = in_utm(made, folder.path(), number);
    let layers = MapLayers {
        layers: vec![reader(&middles())],
        rasters: vec![raster(&path)],
        ..MapLayers::default()
    };
    let svg = svg(&layers, DrawOptions::default());
    let (image, circles) = (Image::of(&svg), circles(&svg));
    let all = || (0..SIZE.0 * SIZE.1).map(|at| colour(at % SIZE.0, at / SIZE.0));
    let brightest = f64::from(all().flatten().max().unwrap());
    for (middle, colour) in circles.into_iter().zip(all()) {
        let [red, green, blue] =
            colour.map(|part| (f64::from(part) / brightest * 255.0).round() as u8);
        assert_eq!(image.at(middle), [red, green, blue, 255]);
    }
}

/// A raster of finer pixels than the map's is averaged, not thinned out.
#[test]
fn fine_pixels_are_averaged() {
    let folder = tempfile::tempdir().unwrap();
    let mut made = Made { size: (2000, 1500), rows_per_strip: 64, ..Made::default() };
    made.tags.extend(placed(CORNER, 4.0));
    made.tags.push(keys(&[(1024, 1), (1025, 1), (3072, 32611)]));
    let path = folder.path().join("fine.tif");
    // Black and white in turn, as on a chessboard: grey from afar.
    fs::write(&path, made.bytes(|column, row, _| f64::from((column + row) as u32 % 2 * 255)))
        .unwrap();
    let layers = MapLayers { rasters: vec![raster(&path)], ..MapLayers::default() };
    let image = Image::of(&svg(&layers, DrawOptions::default()));
    let inner = image.pixels.all.iter().filter(|pixel| pixel[3] == 255);
    let (mut count, mut off) = (0, 0);
    for [red, ..] in inner {
        count += 1;
        off += usize::from(!(118..=138).contains(red));
    }
    assert!(count > 300_000 && off == 0, "{off} of {count} pixels are not grey");
}

/// A raster that is context has no say in what the map shows; one of the others has.
#[test]
fn context_has_no_say() {
    let folder = tempfile::tempdir().unwrap();
    let path = colours(folder.path());
    let mut far = Layer::new("far", Some(Crs::from_epsg(32611).unwrap()));
    far.push(Geometry::Point((500_000.0, 5_250_000.0)), []).unwrap();
    let with = |raster: MapRaster| MapLayers {
        layers: vec![reader(&far)],
        rasters: vec![raster],
        ..MapLayers::default()
    };
    let aside = svg(&with(raster(&path).as_context()), DrawOptions::default());
    assert!(!aside.contains("<image") && aside.contains("none of it on this map"));
    let shown = svg(&with(raster(&path)), DrawOptions::default());
    assert!(shown.contains("<image"));
}

/// A page holds the image in its data, and lets the browser show it; a page without one does not.
#[test]
fn pages_hold_the_image() {
    let folder = tempfile::tempdir().unwrap();
    let page = |rasters: Vec<MapRaster>| {
        let layers =
            MapLayers { layers: vec![reader(&middles())], rasters, ..MapLayers::default() };
        String::from_utf8(drawn(&layers, "map.html", DrawOptions::default()).0).unwrap()
    };
    let with = page(vec![raster(&colours(folder.path()))]);
    assert!(with.contains("img-src data:;") && with.contains("\"title\":\"sheet\""));
    let data = with.split("data:image/png;base64,").nth(1).unwrap().split('"').next().unwrap();
    let pixels = Pixels::of(&STANDARD.decode(data).unwrap());
    let mut seen: Vec<[u8; 4]> = pixels.all.into_iter().filter(|pixel| pixel[3] == 255).collect();
    seen.sort_unstable();
    seen.dedup();
    assert_eq!(seen.len(), SIZE.0 * SIZE.1, "every colour is there, and no other");
    assert!(!page(Vec::new()).contains("img-src"));
}

/// What has no place cannot be drawn, and the error names the file.
#[test]
fn a_raster_without_a_place_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("scan.tif");
    fs::write(&path, Made::default().bytes(|column, row, _| (column + row) as f64)).unwrap();
    let error = MapRaster::new(RasterReader::open(&path).unwrap()).unwrap_err().to_string();
    assert!(error.contains("scan.tif") && error.contains("where its pixels lie"), "{error}");
}

/// What a raster cannot be drawn by is refused, not passed over.
#[test]
fn looks_of_layers_are_refused_for_rasters() {
    let folder = tempfile::tempdir().unwrap();
    let path = colours(folder.path());
    let style = LayerStyle { layer: "sheet".into(), ..LayerStyle::default() };
    let styled = |style: LayerStyle| DrawOptions { styles: vec![style], ..DrawOptions::default() };
    for (options, says) in [
        (styled(LayerStyle { color: Some([255, 0, 0]), ..style.clone() }), "`sheet` is a raster"),
        (styled(LayerStyle { width: Some(2.0), ..style.clone() }), "`sheet` is a raster"),
        (DrawOptions { label: Some("crop".into()), ..DrawOptions::default() }, "there is none"),
    ] {
        let layers = MapLayers { rasters: vec![raster(&path)], ..MapLayers::default() };
        let out = folder.path().join("map.svg");
        let error = draw_layers(&layers, &out, &options, &mut NoProgress).unwrap_err();
        assert!(error.to_string().contains(says), "{error}");
        assert!(!out.exists());
    }
    let titled = styled(LayerStyle { title: Some("The sheet".into()), ..style });
    let layers = MapLayers { rasters: vec![raster(&path)], ..MapLayers::default() };
    assert!(svg(&layers, titled).contains(">The sheet<"));
}
