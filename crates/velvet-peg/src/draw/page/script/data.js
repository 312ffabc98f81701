"use strict";
// The map of the data that this page holds. Nothing is asked for from anywhere; texts of the data
// are only ever set as text.
(() => {
  const all = JSON.parse(document.getElementById("data").textContent);
  const $ = (id) => document.getElementById(id);
  const canvas = $("map");
  const pen = canvas.getContext("2d");
  const root = document.documentElement;
  // The tab that is open.
  let data = null;

  const ROW = -1, POINT = 0, POLYGON = 2;
  // A tab is made ready when it is opened first.
  const prepared = (at) => {
    const tab = all.tabs[at];
    if (tab.ready) return tab;
    tab.ready = true;
    tab.at = at;
    // Another sight of the same.
    if (tab.of !== undefined) return Object.assign(tab, { ...prepared(tab.of), ...tab });
    // Vertices of a ring: differences in whole steps, from the origin.
    const ringOf = (numbers) => {
      const ring = new Float64Array(numbers.length);
      let x = 0, y = 0;
      for (let at = 0; at < numbers.length; at += 2) {
        x += numbers[at];
        y += numbers[at + 1];
        ring[at] = tab.origin[0] + x * tab.step;
        ring[at + 1] = tab.origin[1] + y * tab.step;
      }
      return ring;
    };
    for (const layer of tab.layers) {
      if (layer.same !== undefined) {
        const { columns, values, numbers, measures } = prepared(0).layers[layer.same];
        Object.assign(layer, { columns, values, numbers, measures });
      }
      layer.shown = true;
      // Rows of a table have no shapes.
      const shapes = layer.shapes ?? layer.numbers.map(() => [ROW, []]);
      layer.features = shapes.map(([kind, parts], row) => {
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
    for (const raster of tab.rasters ?? []) {
      raster.shown = true;
      if (!raster.address) continue;
      raster.image = new Image();
      raster.image.addEventListener("load", () => draw());
      raster.image.src = raster.address;
    }
    for (const [name, lines] of Object.entries(tab.backdrop ?? {})) {
      if (name !== "names") tab.backdrop[name] = lines.map(ringOf);
    }
    return tab;
  };
