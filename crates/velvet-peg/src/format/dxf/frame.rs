//! What stands around the entities of a drawing: header, tables, blocks and objects, as the form of
//! 2007 (AC1021, texts in UTF-8) asks for them.

use super::APPLICATION;
use std::collections::BTreeSet;
use std::fmt::Write;
use velvet_peg_core::Bounds;

/// The handle of the model, which owns the entities.
pub(super) const MODEL: &str = "1F";
const SHEET: &str = "1B";
/// The first handle that entities have.
pub(super) const FIRST: u64 = 0x100;

/// The end of the entities and all behind them.
pub(super) const END: &str = "0\nENDSEC\n0\nSECTION\n2\nOBJECTS\n\
    0\nDICTIONARY\n5\nC\n330\n0\n100\nAcDbDictionary\n281\n1\n3\nACAD_GROUP\n350\nD\n\
    0\nDICTIONARY\n5\nD\n330\nC\n100\nAcDbDictionary\n281\n1\n0\nENDSEC\n0\nEOF\n";

/// The sections before the entities. Handles from `next` on are free.
pub(super) fn before(
    layers: &BTreeSet<String>,
    extent: Option<Bounds>,
    unit: i64,
    mut next: u64,
) -> String {
    let mut handle = || {
        next += 1;
        format!("{:X}", next - 1)
    };
    let mut tables = view(extent);
    tables += &table("LTYPE", "5", 3);
    for (handle, name) in [("14", "ByBlock"), ("15", "ByLayer"), ("16", "Continuous")] {
        tables += &record("LTYPE", handle, "5", "AcDbLinetypeTableRecord", name);
        tables += "70\n0\n3\n\n72\n65\n73\n0\n40\n0.0\n";
    }
    let named: Vec<&String> = layers.iter().filter(|name| *name != "0").collect();
    tables += "0\nENDTAB\n";
    tables += &table("LAYER", "2", named.len() + 1);
    let mut layer = |handle: &str, name: &str| {
        tables += &record("LAYER", handle, "2", "AcDbLayerTableRecord", name);
        tables += "70\n0\n62\n7\n6\nContinuous\n370\n-3\n";
    };
    layer("10", "0");
    for name in named {
        layer(&handle(), name);
    }
    tables += "0\nENDTAB\n";
    tables += &table("STYLE", "3", 1);
    tables += &record("STYLE", "11", "3", "AcDbTextStyleTableRecord", "Standard");
    tables += "70\n0\n40\n0.0\n41\n1.0\n50\n0.0\n71\n0\n42\n1.0\n3\ntxt\n4\n\n0\nENDTAB\n";
    tables += &(table("VIEW", "6", 0) + "0\nENDTAB\n" + &table("UCS", "7", 0) + "0\nENDTAB\n");
    tables += &table("APPID", "9", 2);
    for (handle, name) in [("12", "ACAD"), ("13", APPLICATION)] {
        tables += &record("APPID", handle, "9", "AcDbRegAppTableRecord", name);
        tables += "70\n0\n";
    }
    tables += "0\nENDTAB\n";
    tables += &table("DIMSTYLE", "A", 1);
    tables += "100\nAcDbDimStyleTable\n71\n0\n0\nDIMSTYLE\n105\n27\n330\nA\n\
        100\nAcDbSymbolTableRecord\n100\nAcDbDimStyleTableRecord\n2\nStandard\n70\n0\n0\nENDTAB\n";
    tables += &table("BLOCK_RECORD", "1", 2);
    let spaces = [(MODEL, "*Model_Space"), (SHEET, "*Paper_Space")];
    for (handle, name) in spaces {
        tables += &record("BLOCK_RECORD", handle, "1", "AcDbBlockTableRecord", name);
        tables += "340\n0\n";
    }
    tables += "0\nENDTAB\n";
    let mut blocks = String::new();
    for (owner, name) in spaces {
        // Writing to a string does not fail.
        let _ = write!(
            blocks,
            "0\nBLOCK\n5\n{}\n330\n{owner}\n100\nAcDbEntity\n8\n0\n100\nAcDbBlockBegin\n2\n{name}\n\
             70\n0\n10\n0.0\n20\n0.0\n30\n0.0\n3\n{name}\n1\n\n\
             0\nENDBLK\n5\n{}\n330\n{owner}\n100\nAcDbEntity\n8\n0\n100\nAcDbBlockEnd\n",
            handle(),
            handle()
        );
    }
    let section = |name: &str, text: &str| format!("0\nSECTION\n2\n{name}\n{text}0\nENDSEC\n");
    let head = header(extent, unit, &handle());
    section("HEADER", &head)
        + &section("CLASSES", "")
        + &section("TABLES", &tables)
        + &section("BLOCKS", &blocks)
        + "0\nSECTION\n2\nENTITIES\n"
}

fn header(extent: Option<Bounds>, unit: i64, free: &str) -> String {
    let mut text = format!(
        "9\n$ACADVER\n1\nAC1021\n9\n$DWGCODEPAGE\n3\nANSI_1252\n9\n$HANDSEED\n5\n{free}\n\
         9\n$INSUNITS\n70\n{unit}\n9\n$MEASUREMENT\n70\n{}\n",
        u8::from(unit == 6)
    );
    if let Some(b) = extent {
        let (west, south, east, north) = (b.west, b.south, b.east, b.north);
        let _ = write!(
            text,
            "9\n$EXTMIN\n10\n{west}\n20\n{south}\n30\n0.0\n9\n$EXTMAX\n10\n{east}\n20\n{north}\n30\n0.0\n"
        );
    }
    text
}

/// The view that a drawing opens with: all of it.
fn view(extent: Option<Bounds>) -> String {
    let b = extent.unwrap_or(Bounds { south: 0.0, west: 0.0, north: 1.0, east: 1.0 });
    let (x, y) = ((b.west + b.east) / 2.0, (b.south + b.north) / 2.0);
    let height = (b.north - b.south).max((b.east - b.west) / 1.5).max(1e-3) * 1.1;
    table("VPORT", "8", 1)
        + &record("VPORT", "29", "8", "AcDbViewportTableRecord", "*Active")
        + &format!(
            "70\n0\n10\n0.0\n20\n0.0\n11\n1.0\n21\n1.0\n12\n{x}\n22\n{y}\n13\n0.0\n23\n0.0\n\
             14\n1.0\n24\n1.0\n15\n1.0\n25\n1.0\n16\n0.0\n26\n0.0\n36\n1.0\n17\n0.0\n27\n0.0\n\
             37\n0.0\n40\n{height}\n41\n1.5\n42\n50.0\n43\n0.0\n44\n0.0\n50\n0.0\n51\n0.0\n71\n0\n\
             72\n100\n73\n1\n74\n3\n75\n0\n76\n0\n77\n0\n78\n0\n0\nENDTAB\n"
        )
}

fn table(name: &str, handle: &str, count: usize) -> String {
    format!("0\nTABLE\n2\n{name}\n5\n{handle}\n330\n0\n100\nAcDbSymbolTable\n70\n{count}\n")
}

fn record(kind: &str, handle: &str, owner: &str, class: &str, name: &str) -> String {
    format!(
        "0\n{kind}\n5\n{handle}\n330\n{owner}\n100\nAcDbSymbolTableRecord\n100\n{class}\n2\n{name}\n"
    )
}
