//! GML: names of systems and the order of numbers, every kind of geometry, properties, schemas.

use std::path::{Path, PathBuf};
use velvet_peg::layer::Unreadable;
use velvet_peg::look;
use velvet_peg::look::{Look, LookOptions};
use velvet_peg::{Layer, LayerReader, Value};

fn cases(name: &str) -> Vec<csv::StringRecord> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data").join(name);
    csv::Reader::from_path(path).unwrap().records().map(Result::unwrap).collect()
}

const SPACES: &str = "xmlns=\"http://www.opengis.net/gml/3.2\" \
                      xmlns:xlink=\"http://www.w3.org/1999/xlink\" xmlns:t=\"urn:t\"";

/// A file of one feature with these properties.
fn file(folder: &Path, properties: &str) -> PathBuf {
    let path = folder.join("one.gml");
    let text = format!(
        "<FeatureCollection {SPACES}><featureMember><t:gate>{properties}</t:gate></featureMember>\
         </FeatureCollection>"
    );
    std::fs::write(&path, text).unwrap();
    path
}

fn only(path: &Path) -> LayerReader {
    let mut layers = LayerReader::open_all(path).unwrap();
    assert_eq!(layers.len(), 1);
    layers.remove(0)
}

/// The features of a layer, and the records that none could be made of.
fn counted(reader: &LayerReader) -> (usize, Vec<Unreadable>) {
    let (mut features, mut records) = (0, Vec::new());
    reader
        .for_each_batch(&mut |batch| {
            features += batch.len();
            records.extend(batch.unreadable().iter().cloned());
            Ok(())
        })
        .unwrap();
    (features, records)
}

fn texts(layer: &Layer) -> String {
    let batches = layer.batches();
    let of = |batch: &velvet_peg::layer::Batch| -> Vec<String> {
        (0..batch.len()).map(|at| batch.geometry().text_of(at)).collect()
    };
    batches.flat_map(of).collect::<Vec<_>>().join("; ")
}

#[test]
fn the_name_of_a_system_says_the_order_of_its_numbers() {
    let folder = tempfile::tempdir().unwrap();
    for case in cases("gml-systems.csv") {
        let [name, label, first, second, order] = [0, 1, 2, 3, 4].map(|at| &case[at]);
        let escaped = name.replace('&', "&amp;");
        let point = format!(
            "<t:at><Point srsName=\"{escaped}\"><pos srsDimension=\"2\">{first} {second}</pos></Point></t:at>"
        );
        let reader = only(&file(folder.path(), &point));
        let crs = reader.info().crs.as_ref().map_or("none".to_string(), velvet_peg::Crs::label);
        assert_eq!(crs, label, "{name}");
        let wanted = match order {
            "turned" => format!("POINT ({second} {first})"),
            _ => format!("POINT ({first} {second})"),
        };
        assert_eq!(texts(&reader.read().unwrap()), wanted, "{name}");
        let told = |what: &str| reader.notices.iter().any(|notice| notice.text.contains(what));
        assert_eq!(told("leaves the order of the numbers open"), order == "open", "{name}");
        assert_eq!(told("of the file cannot be used"), order == "refused", "{name}");
    }
    // Degrees that the name says the wrong way round lie elsewhere.
    for (name, first, second, wrong) in [
        ("urn:ogc:def:crs:EPSG::4326", -120.25, 47.5, true),
        ("urn:ogc:def:crs:EPSG::4269", -75.0, 47.5, true),
        ("EPSG:4326", 47.5, -120.25, true),
        ("urn:ogc:def:crs:EPSG::4326", 47.5, 20.25, false),
    ] {
        let point =
            format!("<t:at><Point srsName='{name}'><pos>{first} {second}</pos></Point></t:at>");
        let file = file(folder.path(), &point);
        let Look::Layers { layers, .. } = look(&file, &LookOptions::default()).unwrap() else {
            panic!("{name} is a table");
        };
        let told = layers[0].1.iter().any(|notice| notice.text.contains("the wrong way round?"));
        assert_eq!(told, wrong, "{name} {first} {second}: {:?}", layers[0].1);
    }
}

#[test]
fn every_kind_of_geometry_is_read_or_told() {
    let folder = tempfile::tempdir().unwrap();
    for case in cases("gml-shapes.csv") {
        let (shape, becomes) = (&case[0], &case[1]);
        let reader = only(&file(folder.path(), &format!("<t:at>{shape}</t:at><t:n>7</t:n>")));
        if let Some(why) = becomes.strip_prefix("refused: ") {
            let (features, records) = counted(&reader);
            let [record] = records.as_slice() else { panic!("{shape}: {records:?}") };
            assert!(record.reason.contains(why), "{shape}: {}", record.reason);
            assert_eq!(record.values, [("n".to_string(), "7".to_string())], "{shape}");
            assert_eq!(features, 0, "{shape}");
            continue;
        }
        let layer = reader.read().unwrap();
        for feature in layer.features() {
            assert_eq!(feature.value("n"), Some(Value::Integer(7)), "{shape}");
        }
        let words: Vec<&str> = becomes.split(' ').collect();
        let Some(size) = words
            .get(2)
            .and_then(|size| size.parse::<f64>().ok())
            .filter(|_| matches!(words[0], "line" | "polygon"))
        else {
            assert_eq!(texts(&layer), becomes, "{shape}");
            continue;
        };
        let batch = layer.batches().next().unwrap();
        let (x, y) = (&batch.geometry().x, &batch.geometry().y);
        let found = match words[0] {
            "polygon" => velvet_peg::planar::ring_area(x, y).abs(),
            _ => {
                let legs = x.windows(2).zip(y.windows(2));
                legs.map(|(x, y)| (x[1] - x[0]).hypot(y[1] - y[0])).sum()
            }
        };
        // Of chords within a thousandth of a circle of 10 the length is less by 1.4e-4 of itself at
        // the most, and the area by twice that.
        assert!((-3e-4..=1e-12).contains(&(found / size - 1.0)), "{shape}: {found} {size}");
        assert!(x.len() > 10, "{shape}");
    }
}

#[test]
fn properties_are_columns_by_the_types_of_the_schema() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(
        folder.path(),
        "<t:code>12</t:code><t:flow uom='cfs'>4</t:flow><t:open>1</t:open><t:when>2026-05-03</t:when>\
         <t:note/><t:gone xlink:href='#g'/><t:a><t:B><t:c>5</t:c></t:B></t:a><t:use>x</t:use><t:use>y</t:use>\
         <t:id>own</t:id><description>a &lt;b&gt;</description>",
    );
    let described = |reader: &LayerReader| -> Vec<String> {
        let layer = reader.read().unwrap();
        let fields = layer.info().schema.fields().clone();
        let feature = layer.features().next().unwrap();
        let each = fields.iter().map(|field| {
            format!("{}={:?}", field.name(), feature.value(field.name()).unwrap_or(Value::Null))
        });
        each.collect()
    };
    let plain = [
        "code=Integer(12)",
        "flow=Integer(4)",
        "flow_uom=Text(\"cfs\")",
        "open=Integer(1)",
        "when=Text(\"2026-05-03\")",
        "gone=Text(\"#g\")",
        "a_c=Integer(5)",
        "use=Text(\"x\")",
        "use_2=Text(\"y\")",
        "id=Text(\"own\")",
        "description=Text(\"a <b>\")",
    ];
    assert_eq!(described(&only(&path)), plain);
    std::fs::write(
        path.with_extension("xsd"),
        "<xs:schema xmlns:xs='http://www.w3.org/2001/XMLSchema'><xs:element name='code' type='xs:string'/>\
         <xs:element name='flow'><xs:complexType><xs:simpleContent><xs:restriction base='xs:double'/>\
         </xs:simpleContent></xs:complexType></xs:element><xs:element name='open' type='xs:boolean'/>\
         <xs:element name='c' type='xs:int'/></xs:schema>",
    )
    .unwrap();
    let mut typed = plain.map(ToString::to_string);
    typed[0] = "code=Text(\"12\")".into();
    typed[1] = "flow=Real(4.0)".into();
    typed[3] = "open=Boolean(true)".into();
    assert_eq!(described(&only(&path)), typed);
    // A schema that is no XML is told, not passed over.
    std::fs::write(path.with_extension("xsd"), "<xs:schema>").unwrap();
    let error = LayerReader::open_all(&path).unwrap_err().to_string();
    assert!(error.contains("one.xsd") && error.contains("is cut short"), "{error}");
}

#[test]
fn documents_of_other_forms_are_read_or_told_what_they_are() {
    let folder = tempfile::tempdir().unwrap();
    let gate = "<t:gate><t:at><Point srsName='EPSG:2286'><pos>1 2</pos></Point></t:at></t:gate>";
    let deep = format!("{}{}", "<Ring>".repeat(5000), "</Ring>".repeat(5000));
    for (name, text, what) in [
        ("members.gml", format!("<FeatureCollection {SPACES}><featureMembers>{gate}{gate}</featureMembers></FeatureCollection>"), "gate 2"),
        ("own.gml", format!("<t:Gates {SPACES}><featureMember>{gate}</featureMember></t:Gates>"), "gate 1"),
        ("nested.gml", format!("<t:FeatureCollection {SPACES}><t:member><t:FeatureCollection><t:member>{gate}</t:member></t:FeatureCollection></t:member></t:FeatureCollection>"), "gate 1"),
        ("single.gml", gate.replacen("<t:gate>", &format!("<t:gate {SPACES}>"), 1), "gate 1"),
        ("geometry.gml", format!("<Point {SPACES}><pos>1 2</pos></Point>"), "Point 1"),
        ("nothing.gml", format!("<t:FeatureCollection {SPACES}/>"), "nothing 0"),
        // Any XML by its first bytes.
        ("answer.xml", format!("<?xml version='1.0'?>\n<t:FeatureCollection {SPACES}><t:member>{gate}</t:member></t:FeatureCollection>"), "gate 1"),
        ("plan.xml", "<?xml version='1.0'?><kml xmlns='http://www.opengis.net/kml/2.2'><Placemark/></kml>".into(), "plan 1"),
        ("deep.gml", format!("<t:FeatureCollection {SPACES}><t:member><t:gate><t:at>{deep}</t:at></t:gate></t:member></t:FeatureCollection>"), "gate 0"),
        ("refused.xml", "<ows:ExceptionReport xmlns:ows='http://www.opengis.net/ows/1.1'><ows:Exception><ows:ExceptionText>no type\n t:wier</ows:ExceptionText></ows:Exception></ows:ExceptionReport>".into(), "error: is the refusal of a service, not data: no type t:wier"),
        ("refused.gml", "<?xml version='1.0'?><ServiceExceptionReport xmlns='http://www.opengis.net/ogc'><ServiceException code='x'>login needed</ServiceException></ServiceExceptionReport>".into(), "error: is the refusal of a service, not data: login needed"),
        ("cut.gml", format!("<FeatureCollection {SPACES}><featureMembers>{gate}"), "error: is cut short"),
        ("blank.gml", String::new(), "error: is not a GML file"),
        ("other.xml", "<invoice><total>3</total></invoice>".into(), "error: is XML with the root element `invoice`"),
    ] {
        let path = folder.path().join(name);
        std::fs::write(&path, text).unwrap();
        match (LayerReader::open_all(&path), what.strip_prefix("error: ")) {
            (Ok(layers), None) => {
                let found: Vec<String> = layers
                    .iter()
                    .map(|layer| format!("{} {}", layer.info().name, counted(layer).0))
                    .collect();
                assert_eq!(found, [what], "{name}");
            }
            (Err(error), Some(why)) => assert!(error.to_string().contains(why), "{name}: {error}"),
            (found, _) => panic!("{name}: {found:?}"),
        }
    }
}
