<?xml version="1.0" encoding="UTF-8"?>
<wfs:FeatureCollection xmlns:wfs="http://www.opengis.net/wfs/2.0" xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:tid="http://tumblewick.example/tid" xmlns:xlink="http://www.w3.org/1999/xlink" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance" numberMatched="unknown" numberReturned="5" timeStamp="2026-05-03T10:00:00Z">
  <wfs:boundedBy><gml:Envelope srsName="urn:ogc:def:crs:EPSG::4326"><gml:lowerCorner>47.4 -120</gml:lowerCorner><gml:upperCorner>47.5 -119.9</gml:upperCorner></gml:Envelope></wfs:boundedBy>
  <wfs:member>
    <tid:Headgate gml:id="Headgate.1">
      <gml:name>Alder &amp; Birch</gml:name>
      <tid:code>007</tid:code>
      <tid:flow uom="cfs">4.5</tid:flow>
      <tid:open>true</tid:open>
      <tid:owner xlink:href="#owner.9"/>
      <tid:use>stock</tid:use><tid:use>garden</tid:use>
      <tid:place><tid:Address><tid:road>Ditch Rd</tid:road><tid:number>12</tid:number></tid:Address></tid:place>
      <tid:checked xsi:nil="true" nilReason="unknown"/>
      <tid:position><gml:Point gml:id="p1" srsName="urn:ogc:def:crs:EPSG::4326"><gml:pos>47.4 -120.0</gml:pos></gml:Point></tid:position>
    </tid:Headgate>
  </wfs:member>
  <wfs:member>
    <tid:Headgate gml:id="Headgate.2"><tid:code>010</tid:code><tid:flow uom="cfs">3</tid:flow>
      <tid:position><gml:Point srsDimension="3"><gml:pos>47.41 -119.99 351.5</gml:pos></gml:Point></tid:position>
    </tid:Headgate>
  </wfs:member>
  <wfs:member><tid:Headgate gml:id="Headgate.3"><tid:code>011</tid:code></tid:Headgate></wfs:member>
  <wfs:member><tid:Headgate gml:id="Headgate.4"><tid:position><gml:Point><gml:pos>47.41 north</gml:pos></gml:Point></tid:position></tid:Headgate></wfs:member>
  <wfs:member>
    <tid:Field gml:id="F.1"><tid:name>North</tid:name>
      <tid:extent><gml:MultiSurface srsName="http://www.opengis.net/def/crs/EPSG/0/32611"><gml:surfaceMember>
       <gml:Surface><gml:patches><gml:PolygonPatch>
        <gml:exterior><gml:LinearRing><gml:posList>500000 5250000 500400 5250000 500400 5250400 500000 5250400 500000 5250000</gml:posList></gml:LinearRing></gml:exterior>
        <gml:interior><gml:Ring><gml:curveMember><gml:Curve><gml:segments><gml:Circle><gml:posList>500100 5250200 500200 5250300 500300 5250200</gml:posList></gml:Circle></gml:segments></gml:Curve></gml:curveMember></gml:Ring></gml:interior>
       </gml:PolygonPatch></gml:patches></gml:Surface></gml:surfaceMember></gml:MultiSurface></tid:extent>
      <tid:label><gml:Point srsName="http://www.opengis.net/def/crs/EPSG/0/32611"><gml:pos>500200 5250350</gml:pos></gml:Point></tid:label>
    </tid:Field>
  </wfs:member>
  <wfs:member>
    <tid:Field gml:id="F.2"><tid:name>South</tid:name>
      <tid:extent><gml:Solid srsName="http://www.opengis.net/def/crs/EPSG/0/32611"><gml:exterior/></gml:Solid></tid:extent>
    </tid:Field>
  </wfs:member>
  <wfs:member>
    <tid:Field gml:id="F.3"><tid:name>West</tid:name>
      <tid:extent><gml:Polygon srsName="EPSG:31468"><gml:exterior><gml:LinearRing><gml:posList>4500000 5400000 4500100 5400000 4500100 5400100 4500000 5400000</gml:posList></gml:LinearRing></gml:exterior></gml:Polygon></tid:extent>
    </tid:Field>
  </wfs:member>
</wfs:FeatureCollection>
