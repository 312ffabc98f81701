//! Rasters: TIFF, PNG, JPEG and ASCII grids, with what may lie beside them.

use super::bench::{file, parts, with_folder};
use velvet_peg::Crs;
use velvet_peg::raster::{ConvertRaster, RasterReader};

/// Pixels that are carried at most: what is larger is looked at only.
const MOST: usize = 1 << 16;

/// A raster, its world file and its `.prj`: looked at, written anew, carried.
pub fn raster(data: &[u8]) {
    let [world, prj, raster] = parts(data);
    with_folder(|folder| {
        let path = file(folder, "raster.img", raster);
        if !world.is_empty() {
            file(folder, "raster.wld", world);
        }
        if !prj.is_empty() {
            file(folder, "raster.prj", prj);
        }
        let Ok(mut reader) = RasterReader::open(&path) else { return };
        let info = reader.info();
        let (columns, rows) = (info.columns, info.rows);
        assert!(columns > 0 && rows > 0 && info.bands > 0);
        let _ = reader.window(columns - 1, rows - 1, columns, rows);
        if columns.saturating_mul(rows).saturating_mul(info.bands) > MOST {
            return;
        }
        if let Ok(all) = reader.window(0, 0, columns, rows) {
            assert_eq!(all.len(), columns * rows * info.bands);
        }
        // Written is read again and compared by what writes it.
        let _ = ConvertRaster::default().run(&reader, &folder.join("copy.tif"));
        if reader.info().crs.is_none() {
            reader.assume(Crs::from_epsg(32611).expect("it is there"));
        }
        let target = Crs::from_epsg(32610).ok();
        let carried = ConvertRaster { target, ..ConvertRaster::default() };
        if let Ok(done) = carried.run(&reader, &folder.join("carried.tif")) {
            assert!(done.position_error <= 0.05, "{}", done.position_error);
        }
    });
}
