//! A picture of red, green and blue carried from one UTM zone into the next, against a plain decoding and
//! encoding of the same picture: `rasters [COLUMNS]`, 6,000 if no other number is given.

use flate2::Compression;
use flate2::write::ZlibEncoder;
use std::fs::File;
use std::io::{BufReader, BufWriter, Write};
use std::num::NonZeroUsize;
use std::path::Path;
use std::time::Instant;
use tiff::decoder::{Decoder, DecodingResult};
use tiff::encoder::TiffEncoder;
use tiff::encoder::colortype::RGB8;
use velvet_peg::raster::{ConvertRaster, RasterReader, Resampling};
use velvet_peg::{Crs, limit_threads};

type Failure = Box<dyn std::error::Error>;

/// Rows of a strip.
const STRIP: u32 = 16;

/// Shades that change slowly, with a little noise, as of a photograph.
fn picture(path: &Path, size: u32) -> Result<(), Failure> {
    let mut encoder = TiffEncoder::new(BufWriter::new(File::create(path)?))?;
    let mut image = encoder.new_image::<RGB8>(size, size)?;
    image.rows_per_strip(STRIP)?;
    std::fs::write(path.with_extension("tfw"), "0.5\n0\n0\n-0.5\n281000.25\n5259999.75\n")?;
    let mut noise = 1u32;
    let mut row = 0;
    while image.next_strip_sample_count() > 0 {
        let mut strip = Vec::with_capacity(image.next_strip_sample_count() as usize);
        for line in row..(row + STRIP).min(size) {
            for column in 0..size {
                noise = noise.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let n = noise >> 30;
                strip.extend([
                    ((column / 16 + line / 32) as u8).wrapping_add(n as u8),
                    (column / 64 + line / 8 + n) as u8,
                    (line / 128) as u8,
                ]);
            }
        }
        image.write_strip(&strip)?;
        row += STRIP;
    }
    image.finish()?;
    Ok(())
}

/// Every tile decoded and packed again, as differences from pixel to pixel.
fn plain(from: &Path, to: &Path) -> Result<(), Failure> {
    let mut decoder = Decoder::new(BufReader::new(File::open(from)?))?;
    let mut out = BufWriter::new(File::create(to)?);
    for tile in 0..decoder.tile_count()? {
        let columns = decoder.chunk_data_dimensions(tile).0 as usize;
        let DecodingResult::U8(mut numbers) = decoder.read_chunk(tile)? else {
            return Err("the picture has other numbers than were written".into());
        };
        for row in numbers.chunks_exact_mut(3 * columns) {
            for at in (3..row.len()).rev() {
                row[at] = row[at].wrapping_sub(row[at - 3]);
            }
        }
        let mut encoder = ZlibEncoder::new(Vec::new(), Compression::new(6));
        encoder.write_all(&numbers)?;
        out.write_all(&encoder.finish()?)?;
    }
    out.flush()?;
    Ok(())
}

fn main() -> Result<(), Failure> {
    let size: u32 = match std::env::args().nth(1) {
        Some(text) => text.parse()?,
        None => 6_000,
    };
    let folder = tempfile::tempdir()?;
    let at = |name: &str| folder.path().join(name);
    picture(&at("raw.tif"), size)?;
    let mut raw = RasterReader::open(&at("raw.tif"))?;
    raw.assume(Crs::from_epsg(32611)?);
    ConvertRaster::default().run(&raw, &at("in.tif"))?;
    println!("{size} × {size} pixels of three bands, from UTM zone 11 to zone 10\n");
    let target = Some(Crs::from_epsg(32610)?);
    let ways = [Resampling::Nearest, Resampling::Bilinear, Resampling::Cubic];
    let mut floors = Vec::new();
    // Of each way the seconds with one thread, and with all.
    let mut carried = vec![[Vec::new(), Vec::new()]; ways.len()];
    for _ in 0..3 {
        // By turns, so that a busy machine does not matter to one of them alone.
        let began = Instant::now();
        plain(&at("in.tif"), &at("plain.tif"))?;
        floors.push(began.elapsed().as_secs_f64());
        for (way, times) in ways.iter().zip(&mut carried) {
            for (threads, times) in [NonZeroUsize::new(1), None].into_iter().zip(times) {
                limit_threads(threads);
                let convert = ConvertRaster {
                    target: target.clone(),
                    resampling: Some(*way),
                    overwrite: true,
                    ..ConvertRaster::default()
                };
                let began = Instant::now();
                convert.run(&RasterReader::open(&at("in.tif"))?, &at("out.tif"))?;
                times.push(began.elapsed().as_secs_f64());
            }
        }
    }
    let floor = middle(&mut floors);
    println!("plain decoding and encoding, one thread: {floor:.2} s\n");
    println!("way       one thread: s   ratio   all threads: s   ratio");
    for (way, [one, all]) in ways.iter().zip(&mut carried) {
        let (one, all) = (middle(one), middle(all));
        println!(
            "{:<10}{one:>13.2}{:>8.2}{all:>17.2}{:>8.2}",
            way.name(),
            one / floor,
            all / floor
        );
    }
    println!(
        "\n(each is read again and compared, which the plain one is not; the output has a band of opacity more)"
    );
    Ok(())
}

fn middle(times: &mut [f64]) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}
