//! The fixed tables of a GeoPackage and the triggers of its R-tree (12-128r18 clauses 1.1.2,
//! 1.1.3, 2.1 and annex F.3).

/// `GPKG` in the file's application id, and version 1.3.1 in its user version.
pub(super) const IDENTITY: &str =
    "PRAGMA application_id = 1196444487; PRAGMA user_version = 10301;";

pub(super) const TABLES: &str = "
CREATE TABLE gpkg_spatial_ref_sys (
  srs_name TEXT NOT NULL,
  srs_id INTEGER NOT NULL PRIMARY KEY,
  organization TEXT NOT NULL,
  organization_coordsys_id INTEGER NOT NULL,
  definition TEXT NOT NULL,
  description TEXT
);
CREATE TABLE gpkg_contents (
  table_name TEXT NOT NULL PRIMARY KEY,
  data_type TEXT NOT NULL,
  identifier TEXT UNIQUE,
  description TEXT DEFAULT '',
  last_change DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')),
  min_x DOUBLE,
  min_y DOUBLE,
  max_x DOUBLE,
  max_y DOUBLE,
  srs_id INTEGER,
  CONSTRAINT fk_gc_r_srs_id FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys(srs_id)
);
CREATE TABLE gpkg_geometry_columns (
  table_name TEXT NOT NULL,
  column_name TEXT NOT NULL,
  geometry_type_name TEXT NOT NULL,
  srs_id INTEGER NOT NULL,
  z TINYINT NOT NULL,
  m TINYINT NOT NULL,
  CONSTRAINT pk_geom_cols PRIMARY KEY (table_name, column_name),
  CONSTRAINT uk_gc_table_name UNIQUE (table_name),
  CONSTRAINT fk_gc_tn FOREIGN KEY (table_name) REFERENCES gpkg_contents(table_name),
  CONSTRAINT fk_gc_srs FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys(srs_id)
);
CREATE TABLE gpkg_extensions (
  table_name TEXT,
  column_name TEXT,
  extension_name TEXT NOT NULL,
  definition TEXT NOT NULL,
  scope TEXT NOT NULL,
  CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name)
);
INSERT INTO gpkg_spatial_ref_sys VALUES
  ('Undefined Cartesian', -1, 'NONE', -1, 'undefined', 'undefined Cartesian coordinate reference system'),
  ('Undefined geographic', 0, 'NONE', 0, 'undefined', 'undefined geographic coordinate reference system');
";

/// The table of extensions, which a file without any may lack.
pub(super) const EXTENSIONS: &str = "
CREATE TABLE IF NOT EXISTS gpkg_extensions (
  table_name TEXT,
  column_name TEXT,
  extension_name TEXT NOT NULL,
  definition TEXT NOT NULL,
  scope TEXT NOT NULL,
  CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name)
);
";

/// The triggers that keep the R-tree true, for a table `t`, geometry column `c` and key `i`.
pub(super) fn triggers(t: &str, c: &str, i: &str) -> String {
    let [t, c, i] = [t, c, i].map(|name| name.replace('"', "\"\""));
    let values = format!(
        "NEW.\"{i}\", ST_MinX(NEW.\"{c}\"), ST_MaxX(NEW.\"{c}\"), ST_MinY(NEW.\"{c}\"), ST_MaxY(NEW.\"{c}\")"
    );
    let filled = format!("(NEW.\"{c}\" NOT NULL AND NOT ST_IsEmpty(NEW.\"{c}\"))");
    let vacant = format!("(NEW.\"{c}\" ISNULL OR ST_IsEmpty(NEW.\"{c}\"))");
    let index = format!("\"rtree_{t}_{c}\"");
    let name = |suffix: &str| format!("\"rtree_{t}_{c}_{suffix}\"");
    format!(
        "CREATE TRIGGER {insert} AFTER INSERT ON \"{t}\" WHEN {filled}
         BEGIN INSERT OR REPLACE INTO {index} VALUES ({values}); END;
         CREATE TRIGGER {update1} AFTER UPDATE OF \"{c}\" ON \"{t}\"
         WHEN OLD.\"{i}\" = NEW.\"{i}\" AND {filled}
         BEGIN INSERT OR REPLACE INTO {index} VALUES ({values}); END;
         CREATE TRIGGER {update2} AFTER UPDATE OF \"{c}\" ON \"{t}\"
         WHEN OLD.\"{i}\" = NEW.\"{i}\" AND {vacant}
         BEGIN DELETE FROM {index} WHERE id = OLD.\"{i}\"; END;
         CREATE TRIGGER {update3} AFTER UPDATE ON \"{t}\"
         WHEN OLD.\"{i}\" != NEW.\"{i}\" AND {filled}
         BEGIN DELETE FROM {index} WHERE id = OLD.\"{i}\";
         INSERT OR REPLACE INTO {index} VALUES ({values}); END;
         CREATE TRIGGER {update4} AFTER UPDATE ON \"{t}\"
         WHEN OLD.\"{i}\" != NEW.\"{i}\" AND {vacant}
         BEGIN DELETE FROM {index} WHERE id IN (OLD.\"{i}\", NEW.\"{i}\"); END;
         CREATE TRIGGER {delete} AFTER DELETE ON \"{t}\" WHEN OLD.\"{c}\" NOT NULL
         BEGIN DELETE FROM {index} WHERE id = OLD.\"{i}\"; END;",
        insert = name("insert"),
        update1 = name("update1"),
        update2 = name("update2"),
        update3 = name("update3"),
        update4 = name("update4"),
        delete = name("delete"),
    )
}
