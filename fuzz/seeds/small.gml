<?xml version="1.0" encoding="UTF-8"?>
<gml:FeatureCollection xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:t="urn:tumblewick">
<gml:featureMember><t:gate gml:id="g1"><t:name>Gate 7</t:name><t:place><gml:Point srsName="urn:ogc:def:crs:EPSG::4326"><gml:pos>47.4 -120.0</gml:pos></gml:Point></t:place></t:gate></gml:featureMember>
<gml:featureMember><t:field gml:id="f1"><t:crop>pears</t:crop><t:shape><gml:Polygon srsName="EPSG:32611" srsDimension="2"><gml:exterior><gml:LinearRing><gml:posList>0 0 10 0 10 10 0 0</gml:posList></gml:LinearRing></gml:exterior></gml:Polygon></t:shape></t:field></gml:featureMember>
</gml:FeatureCollection>
