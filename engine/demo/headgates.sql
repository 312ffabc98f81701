-- The headgates of the Tumblewick Irrigation District by ditch: how many there are, in which UTM zone they lie, and
-- what the grid of Washington North does to lengths there. A gate whose position cannot be read has no place.
CREATE EXTERNAL TABLE headgates
STORED AS CSV
LOCATION '../crates/velvet-peg/demo/headgates.csv'
OPTIONS ('format.has_header' 'true');

CREATE VIEW gates AS
SELECT gate, ditch, st_point(longitude_degrees(longitude), latitude_degrees(latitude), 'EPSG:4326') AS place
FROM headgates;

SELECT gate, latitude, longitude FROM headgates JOIN gates USING (gate) WHERE place IS NULL;

SELECT gates.ditch, utm_zone(place) AS zone, count(*) AS gates,
       round(min(st_x(plane)), 2) AS least_easting_ftus,
       round(avg(scale_factor(plane)), 7) AS mean_scale
FROM (SELECT *, st_transform(place, 'EPSG:2285') AS plane FROM gates) AS gates
WHERE place IS NOT NULL
GROUP BY gates.ditch, utm_zone(place)
ORDER BY gates.ditch, zone;

-- The fields that gates lie in, and the water that each of these fields has by right. The fields are a file of
-- GeoParquet, which `vpeg convert fields.geojson -o fields.parquet` makes of the demo's layer.
CREATE EXTERNAL TABLE fields STORED AS GEOPARQUET LOCATION 'demo/fields.parquet';

SELECT field, crop, right_acres, count(gate) AS gates, round(st_area(geometry) / 4046.8564224, 1) AS acres
FROM fields JOIN gates ON falls_in(place, geometry)
GROUP BY field, crop, right_acres, geometry
ORDER BY field;
