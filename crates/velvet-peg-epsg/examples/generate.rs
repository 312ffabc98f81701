//! Writes the embedded tables from the EPSG dataset's CSV tables.
//!
//! ```text
//! cargo run -p velvet-peg-epsg --example generate -- TABLES_DIR VERSION
//! ```
//!
//! `TABLES_DIR` holds one CSV a table with the dataset's own column names, and
//! `TERMS-OF-USE.md`. The result goes to this crate's `data/` folder.

mod topology;

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::error::Error;
use std::fs;
use std::path::{Path, PathBuf};
use topology::layout;

type Row = HashMap<String, String>;
type Table = BTreeMap<u32, Vec<u8>>;
type Result<T> = std::result::Result<T, Box<dyn Error>>;

fn main() -> Result<()> {
    let mut arguments = std::env::args().skip(1);
    let usage = "usage: generate TABLES_DIR VERSION";
    let source = PathBuf::from(arguments.next().ok_or(usage)?);
    let version = arguments.next().ok_or(usage)?;
    let out = Path::new(env!("CARGO_MANIFEST_DIR")).join("data");
    fs::create_dir_all(&out)?;
    fs::write(out.join("VERSION"), version)?;
    // Read and written, not copied: a copy would keep a read-only mark.
    fs::write(out.join("TERMS-OF-USE.md"), fs::read(source.join("TERMS-OF-USE.md"))?)?;

    let links = Links::read(&source)?;
    let datums = datums(&source)?;
    let written = [
        ("crs", crs(&source, &links)?),
        ("crs_aliases", aliases(&source, "epsg_coordinatereferencesystem")?),
        ("datum_aliases", aliases(&source, "epsg_datum")?),
        ("operations", operations(&source, &links)?),
        ("datum_operations", datum_operations(&source)?),
        ("datums", datums),
        ("ellipsoids", ellipsoids(&source)?),
        ("prime_meridians", prime_meridians(&source)?),
        ("units", units(&source)?),
        ("coordinate_systems", coordinate_systems(&source)?),
        ("extents", extents(&source)?),
        ("methods", names(&source, "coordoperationmethod", "coord_op_method")?),
        ("parameters", names(&source, "coordoperationparam", "parameter")?),
    ];
    let mut total = 0;
    for (name, table) in written {
        let bytes = layout(&table);
        println!("{name}: {} rows, {} bytes", table.len(), bytes.len());
        total += bytes.len();
        fs::write(out.join(format!("{name}.bin")), bytes)?;
    }
    println!("together {total} bytes");
    Ok(())
}

/// Ties from objects to areas and to replacements, which the dataset keeps in tables apart.
struct Links {
    extents: HashMap<(String, u32), Vec<u32>>,
    replaced: HashMap<(String, u32), Vec<u32>>,
    superseded: HashMap<(String, u32), Vec<u32>>,
}

impl Links {
    fn read(source: &Path) -> Result<Links> {
        let gather = |table: &str, target: &str| -> Result<HashMap<(String, u32), Vec<u32>>> {
            let mut map: HashMap<_, Vec<u32>> = HashMap::new();
            for row in read(source, table)? {
                if let Some(to) = optional(&row, target) {
                    let key = (row["object_table_name"].clone(), code(&row, "object_code"));
                    let list = map.entry(key).or_default();
                    if !list.contains(&to) {
                        list.push(to);
                    }
                }
            }
            Ok(map)
        };
        Ok(Links {
            extents: gather("usage", "extent_code")?,
            replaced: gather("deprecation", "replaced_by")?,
            superseded: gather("supersession", "superseded_by")?,
        })
    }
}

fn of<'a>(map: &'a HashMap<(String, u32), Vec<u32>>, table: &str, code: u32) -> &'a [u32] {
    map.get(&(table.to_string(), code)).map_or(&[], Vec::as_slice)
}

fn crs(source: &Path, links: &Links) -> Result<Table> {
    let mut table = Table::new();
    for row in read(source, "coordinatereferencesystem")? {
        let code = code(&row, "coord_ref_sys_code");
        let kind = match row["coord_ref_sys_kind"].as_str() {
            "projected" => 0,
            "geographic 2D" => 1,
            "geographic 3D" => 2,
            "geocentric" => 3,
            "vertical" => 4,
            "compound" => 5,
            "engineering" => 6,
            "derived" => 7,
            other => return Err(format!("kind {other} of system {code}").into()),
        };
        let mut bytes = vec![kind << 1 | deprecated(&row)];
        text(&mut bytes, &row["coord_ref_sys_name"]);
        for column in [
            "coord_sys_code",
            "datum_code",
            "base_crs_code",
            "projection_conv_code",
            "cmpd_horizcrs_code",
            "cmpd_vertcrs_code",
        ] {
            number(&mut bytes, optional(&row, column).unwrap_or(0).into());
        }
        codes(&mut bytes, of(&links.extents, "epsg_coordinatereferencesystem", code));
        codes(&mut bytes, of(&links.replaced, "epsg_coordinatereferencesystem", code));
        table.insert(code, bytes);
    }
    Ok(table)
}

/// Other names of the objects of one table.
fn aliases(source: &Path, table: &str) -> Result<Table> {
    let mut aliases: BTreeMap<u32, BTreeSet<String>> = BTreeMap::new();
    for row in read(source, "alias")? {
        if row["object_table_name"] == table {
            let list = aliases.entry(code(&row, "object_code")).or_default();
            list.insert(row["alias"].clone());
        }
    }
    Ok(aliases
        .into_iter()
        .map(|(code, list)| {
            let mut bytes = Vec::new();
            number(&mut bytes, list.len() as u64);
            list.iter().for_each(|alias| text(&mut bytes, alias));
            (code, bytes)
        })
        .collect())
}

fn operations(source: &Path, links: &Links) -> Result<Table> {
    let mut order: HashMap<(u32, u32), u32> = HashMap::new();
    for row in read(source, "coordoperationparamusage")? {
        let key = (code(&row, "coord_op_method_code"), code(&row, "parameter_code"));
        order.insert(key, code(&row, "sort_order"));
    }
    let mut parameters: HashMap<u32, Vec<(u32, Vec<u8>)>> = HashMap::new();
    for row in read(source, "coordoperationparamvalue")? {
        let parameter = code(&row, "parameter_code");
        let mut bytes = Vec::new();
        number(&mut bytes, parameter.into());
        if row["parameter_value"].is_empty() {
            bytes.push(1);
            text(&mut bytes, &row["param_value_file_ref"]);
        } else {
            bytes.push(0);
            decimal(&mut bytes, &row["parameter_value"])?;
            number(&mut bytes, optional(&row, "uom_code").unwrap_or(0).into());
        }
        let key = (code(&row, "coord_op_method_code"), parameter);
        parameters
            .entry(code(&row, "coord_op_code"))
            .or_default()
            .push((order.get(&key).copied().unwrap_or(u32::MAX), bytes));
    }
    let mut steps: HashMap<u32, BTreeMap<u32, u32>> = HashMap::new();
    for row in read(source, "coordoperationpath")? {
        steps
            .entry(code(&row, "concat_operation_code"))
            .or_default()
            .insert(code(&row, "op_path_step"), code(&row, "single_operation_code"));
    }
    let mut table = Table::new();
    for row in read(source, "coordoperation")? {
        let code = code(&row, "coord_op_code");
        let kind = match row["coord_op_type"].as_str() {
            "conversion" => 0,
            "transformation" => 1,
            "concatenated operation" => 2,
            "point motion operation" => 3,
            other => return Err(format!("type {other} of operation {code}").into()),
        };
        let mut bytes = vec![kind << 1 | deprecated(&row)];
        text(&mut bytes, &row["coord_op_name"]);
        for column in ["coord_op_method_code", "source_crs_code", "target_crs_code"] {
            number(&mut bytes, optional(&row, column).unwrap_or(0).into());
        }
        optional_decimal(&mut bytes, &row["coord_op_accuracy"])?;
        number(&mut bytes, optional(&row, "coord_op_variant").unwrap_or(0).into());
        codes(&mut bytes, of(&links.extents, "epsg_coordoperation", code));
        codes(&mut bytes, of(&links.superseded, "epsg_coordoperation", code));
        let steps: Vec<u32> =
            steps.remove(&code).map(|list| list.into_values().collect()).unwrap_or_default();
        codes(&mut bytes, &steps);
        let mut values = parameters.remove(&code).unwrap_or_default();
        values.sort_by_key(|(order, _)| *order);
        number(&mut bytes, values.len() as u64);
        values.iter().for_each(|(_, value)| bytes.extend(value));
        table.insert(code, bytes);
    }
    Ok(table)
}

/// Which transformations touch which datum, so that a route is found without reading them all.
fn datum_operations(source: &Path) -> Result<Table> {
    let systems: HashMap<u32, Row> = read(source, "coordinatereferencesystem")?
        .into_iter()
        .map(|row| (code(&row, "coord_ref_sys_code"), row))
        .collect();
    let datum_of = |mut at: u32| -> Option<u32> {
        loop {
            let row = systems.get(&at)?;
            match optional(row, "datum_code") {
                Some(datum) => return Some(datum),
                None => at = optional(row, "base_crs_code")?,
            }
        }
    };
    let mut touching: BTreeMap<u32, BTreeSet<u32>> = BTreeMap::new();
    for row in read(source, "coordoperation")? {
        if row["coord_op_type"] == "conversion" {
            continue;
        }
        for column in ["source_crs_code", "target_crs_code"] {
            if let Some(datum) = optional(&row, column).and_then(datum_of) {
                touching.entry(datum).or_default().insert(code(&row, "coord_op_code"));
            }
        }
    }
    Ok(touching
        .into_iter()
        .map(|(datum, list)| {
            let mut bytes = Vec::new();
            codes(&mut bytes, &list.into_iter().collect::<Vec<_>>());
            (datum, bytes)
        })
        .collect())
}

fn datums(source: &Path) -> Result<Table> {
    let mut members: HashMap<u32, BTreeMap<u32, u32>> = HashMap::new();
    for row in read(source, "datumensemblemember")? {
        members
            .entry(code(&row, "datum_ensemble_code"))
            .or_default()
            .insert(code(&row, "datum_sequence"), code(&row, "datum_code"));
    }
    let accuracy: HashMap<u32, String> = read(source, "datumensemble")?
        .into_iter()
        .map(|row| (code(&row, "datum_ensemble_code"), row["ensemble_accuracy"].clone()))
        .collect();
    let rows = read(source, "datum")?;
    let by_code: HashMap<u32, &Row> =
        rows.iter().map(|row| (code(row, "datum_code"), row)).collect();
    let mut table = Table::new();
    for row in &rows {
        let code = code(row, "datum_code");
        let kind = match row["datum_type"].as_str() {
            "geodetic" => 0,
            "dynamic geodetic" => 1,
            "vertical" | "dynamic vertical" => 2,
            "engineering" => 3,
            "ensemble" => 4,
            other => return Err(format!("type {other} of datum {code}").into()),
        };
        let list: Vec<u32> =
            members.get(&code).map(|list| list.values().copied().collect()).unwrap_or_default();
        let model = list.first().and_then(|first| by_code.get(first)).copied().unwrap_or(row);
        let mut bytes = vec![kind << 1 | deprecated(row)];
        text(&mut bytes, &row["datum_name"]);
        for column in ["ellipsoid_code", "prime_meridian_code"] {
            number(&mut bytes, optional(model, column).unwrap_or(0).into());
        }
        optional_decimal(&mut bytes, &row["frame_reference_epoch"])?;
        optional_decimal(&mut bytes, accuracy.get(&code).map_or("", String::as_str))?;
        codes(&mut bytes, &list);
        table.insert(code, bytes);
    }
    Ok(table)
}

fn ellipsoids(source: &Path) -> Result<Table> {
    let mut table = Table::new();
    for row in read(source, "ellipsoid")? {
        let mut bytes = Vec::new();
        text(&mut bytes, &row["ellipsoid_name"]);
        decimal(&mut bytes, &row["semi_major_axis"])?;
        number(&mut bytes, code(&row, "uom_code").into());
        optional_decimal(&mut bytes, &row["inv_flattening"])?;
        optional_decimal(&mut bytes, &row["semi_minor_axis"])?;
        table.insert(code(&row, "ellipsoid_code"), bytes);
    }
    Ok(table)
}

fn prime_meridians(source: &Path) -> Result<Table> {
    let mut table = Table::new();
    for row in read(source, "primemeridian")? {
        let mut bytes = Vec::new();
        text(&mut bytes, &row["prime_meridian_name"]);
        decimal(&mut bytes, &row["greenwich_longitude"])?;
        number(&mut bytes, code(&row, "uom_code").into());
        table.insert(code(&row, "prime_meridian_code"), bytes);
    }
    Ok(table)
}

fn units(source: &Path) -> Result<Table> {
    let mut table = Table::new();
    for row in read(source, "unitofmeasure")? {
        let mut bytes = Vec::new();
        text(&mut bytes, &row["unit_of_meas_name"]);
        text(&mut bytes, &row["unit_of_meas_type"]);
        number(&mut bytes, optional(&row, "target_uom_code").unwrap_or(0).into());
        optional_decimal(&mut bytes, &row["factor_b"])?;
        optional_decimal(&mut bytes, &row["factor_c"])?;
        table.insert(code(&row, "uom_code"), bytes);
    }
    Ok(table)
}

fn coordinate_systems(source: &Path) -> Result<Table> {
    let names: HashMap<u32, String> = read(source, "coordinateaxisname")?
        .into_iter()
        .map(|row| (code(&row, "coord_axis_name_code"), row["coord_axis_name"].clone()))
        .collect();
    let mut axes: HashMap<u32, BTreeMap<u32, Row>> = HashMap::new();
    for row in read(source, "coordinateaxis")? {
        axes.entry(code(&row, "coord_sys_code"))
            .or_default()
            .insert(code(&row, "coord_axis_order"), row);
    }
    let mut table = Table::new();
    for row in read(source, "coordinatesystem")? {
        let code_of_system = code(&row, "coord_sys_code");
        let list = axes.remove(&code_of_system).unwrap_or_default();
        let mut bytes = Vec::new();
        text(&mut bytes, &row["coord_sys_type"]);
        number(&mut bytes, list.len() as u64);
        for axis in list.values() {
            text(&mut bytes, &names[&code(axis, "coord_axis_name_code")]);
            text(&mut bytes, &axis["coord_axis_abbreviation"]);
            text(&mut bytes, &axis["coord_axis_orientation"]);
            number(&mut bytes, optional(axis, "uom_code").unwrap_or(0).into());
        }
        table.insert(code_of_system, bytes);
    }
    Ok(table)
}

fn extents(source: &Path) -> Result<Table> {
    let mut table = Table::new();
    for row in read(source, "extent")? {
        let mut bytes = Vec::new();
        text(&mut bytes, &row["extent_name"]);
        text(&mut bytes, &row["extent_description"]);
        let limits = ["south_bound_lat", "west_bound_lon", "north_bound_lat", "east_bound_lon"]
            .map(|side| row[&format!("bbox_{side}")].as_str());
        if limits.iter().any(|limit| limit.is_empty()) {
            bytes.push(0);
        } else {
            bytes.push(1);
            for limit in limits {
                decimal(&mut bytes, limit)?;
            }
        }
        table.insert(code(&row, "extent_code"), bytes);
    }
    Ok(table)
}

fn names(source: &Path, file: &str, column: &str) -> Result<Table> {
    let mut table = Table::new();
    for row in read(source, file)? {
        let mut bytes = Vec::new();
        text(&mut bytes, &row[&format!("{column}_name")]);
        table.insert(code(&row, &format!("{column}_code")), bytes);
    }
    Ok(table)
}

fn read(source: &Path, table: &str) -> Result<Vec<Row>> {
    let path = source.join(format!("{table}.csv"));
    let mut reader =
        csv::Reader::from_path(&path).map_err(|e| format!("{}: {e}", path.display()))?;
    Ok(reader.deserialize().collect::<std::result::Result<_, _>>()?)
}

fn optional(row: &Row, column: &str) -> Option<u32> {
    row[column].trim().parse().ok()
}

fn code(row: &Row, column: &str) -> u32 {
    optional(row, column).unwrap_or_else(|| panic!("{column} is not a code in {row:?}"))
}

fn deprecated(row: &Row) -> u8 {
    u8::from(row["deprecated"] == "1")
}

fn number(bytes: &mut Vec<u8>, mut value: u64) {
    while value >= 0x80 {
        bytes.push(value as u8 | 0x80);
        value >>= 7;
    }
    bytes.push(value as u8);
}

fn codes(bytes: &mut Vec<u8>, list: &[u32]) {
    number(bytes, list.len() as u64);
    list.iter().for_each(|code| number(bytes, (*code).into()));
}

fn text(bytes: &mut Vec<u8>, value: &str) {
    number(bytes, value.len() as u64);
    bytes.extend(value.as_bytes());
}

fn optional_decimal(bytes: &mut Vec<u8>, value: &str) -> Result<()> {
    bytes.push(u8::from(!value.is_empty()));
    if value.is_empty() { Ok(()) } else { decimal(bytes, value) }
}

/// Splits the printed number into all its digits and a power of ten; trailing zeros go.
fn decimal(bytes: &mut Vec<u8>, value: &str) -> Result<()> {
    let (digits, exponent) = value.split_once(['e', 'E']).unwrap_or((value, "0"));
    let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
    let mut exponent = exponent.parse::<i32>()? - i32::try_from(fraction.len())?;
    let mut mantissa: i64 =
        format!("{whole}{fraction}").parse().map_err(|e| format!("{value}: {e}"))?;
    while mantissa != 0 && mantissa % 10 == 0 {
        mantissa /= 10;
        exponent += 1;
    }
    if mantissa == 0 {
        exponent = 0;
    }
    let back: f64 = format!("{mantissa}e{exponent}").parse()?;
    if back != value.parse::<f64>()? {
        return Err(format!("{value} does not survive").into());
    }
    number(bytes, (mantissa << 1 ^ mantissa >> 63) as u64);
    bytes.push(i8::try_from(exponent)? as u8);
    Ok(())
}
