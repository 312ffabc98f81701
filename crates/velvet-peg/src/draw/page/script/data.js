"use strict";
// The map of the data that this page holds. Nothing is asked for from anywhere; texts of the data
// are only ever set as text.
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const $ = (id) => document.getElementById(id);
  const canvas = $("map");
  const pen = canvas.getContext("2d");
  const root = document.documentElement;

  // Vertices of a ring: differences in whole steps, from the origin.
  const ringOf = (numbers) => {
    const ring = new Float64Array(numbers.length);
    let x = 0, y = 0;
    for (let at = 0; at < numbers.length; at += 2) {
      x += numbers[at];
      y += numbers[at + 1];
      ring[at] = data.origin[0] + x * data.step;
      ring[at + 1] = data.origin[1] + y * data.step;
    }
    return ring;
  };
  const POINT = 0, POLYGON = 2;
  for (const layer of data.layers) {
    layer.shown = true;
    layer.features = layer.shapes.map(([kind, parts], row) => {
      const rings = parts.map((part) => part.map(ringOf));
      const box = [Infinity, Infinity, -Infinity, -Infinity];
      for (const ring of rings.flat()) {
        for (let at = 0; at < ring.length; at += 2) {
          box[0] = Math.min(box[0], ring[at]);
          box[1] = Math.min(box[1], ring[at + 1]);
          box[2] = Math.max(box[2], ring[at]);
          box[3] = Math.max(box[3], ring[at + 1]);
        }
      }
      return { layer, kind, rings, box, row, class: layer.class[row] ?? 0 };
    });
    delete layer.shapes;
  }
  const backdrop = {};
  for (const [name, lines] of Object.entries(data.backdrop)) {
    backdrop[name] = name === "names" ? lines : lines.map(ringOf);
  }
