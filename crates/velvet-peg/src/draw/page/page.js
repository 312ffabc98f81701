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

  // What is shown: the middle in units of the system, and pixels to a unit along y.
  const view = { x: 0, y: 0, scale: 1 };
  let wide = 1, high = 1, ratio = 1;
  const signX = data.flipped[0] ? -1 : 1, signY = data.flipped[1] ? -1 : 1;
  const across = () => view.scale * data.squeeze;
  const pixelX = (x) => wide / 2 + (x - view.x) * across() * signX;
  const pixelY = (y) => high / 2 - (y - view.y) * view.scale * signY;
  const mapX = (px) => view.x + ((px - wide / 2) / across()) * signX;
  const mapY = (py) => view.y - ((py - high / 2) / view.scale) * signY;
  const whole = () => {
    const { west, south, east, north } = data.view;
    view.x = (west + east) / 2;
    view.y = (south + north) / 2;
    view.scale = Math.min(wide / ((east - west) * data.squeeze), high / (north - south));
    draw();
  };
  const zoom = (factor, px = wide / 2, py = high / 2) => {
    const [x, y] = [mapX(px), mapY(py)];
    const { west, east } = data.view;
    const most = 20000 / ((east - west) * data.squeeze) * wide;
    const least = 0.02 * wide / ((east - west) * data.squeeze);
    view.scale = Math.min(Math.max(view.scale * factor, least), most);
    view.x += x - mapX(px);
    view.y += y - mapY(py);
    draw();
  };

  // Drawing, at most once a frame.
  let waiting = false;
  const draw = () => {
    if (waiting) return;
    waiting = true;
    requestAnimationFrame(() => { waiting = false; paint(); });
  };
  const dark = () => root.dataset.theme === "dark";
  const trace = (ring) => {
    for (let at = 0; at < ring.length; at += 2) {
      const x = pixelX(ring[at]), y = pixelY(ring[at + 1]);
      if (at === 0) pen.moveTo(x, y); else pen.lineTo(x, y);
    }
  };
  const area = (rings, color) => {
    pen.beginPath();
    for (const ring of rings) { trace(ring); pen.closePath(); }
    pen.fillStyle = color;
    pen.fill("evenodd");
  };
  const lines = (rings, color, width) => {
    pen.beginPath();
    for (const ring of rings) trace(ring);
    pen.strokeStyle = color;
    pen.lineWidth = width;
    pen.stroke();
  };
  const seen = (box, [west, south, east, north]) =>
    box[0] <= east && box[2] >= west && box[1] <= north && box[3] >= south;
  const shownBox = () => {
    const xs = [mapX(-20), mapX(wide + 20)], ys = [mapY(-20), mapY(high + 20)];
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
  };
  const paint = () => {
    const began = performance.now();
    const paper = dark() ? data.dark : data.light;
    pen.setTransform(ratio, 0, 0, ratio, 0, 0);
    pen.lineJoin = "round";
    pen.fillStyle = paper.plain;
    pen.fillRect(0, 0, wide, high);
    area(backdrop.water, paper.water);
    area(backdrop.land, paper.land);
    area(backdrop.countyLand, paper.land);
    lines(backdrop.coasts, paper.state, 0.8);
    lines(backdrop.counties, paper.county, 0.8);
    lines(backdrop.states, paper.state, 1.3);
    lines(backdrop.countries, paper.state, 1.1);
    grid(paper);
    pen.textAlign = "center";
    for (const name of backdrop.names) {
      text(name.text, pixelX(name.x), pixelY(name.y), name.size, paper.name, paper.land);
    }
    const box = shownBox();
    for (const layer of order()) layerMarks(layer, box);
    flags(paper);
    labels(paper, box);
    if (chosen) mark(chosen, paper.flag);
    if (measuring.length) measureMarks(paper);
    if (document.activeElement === canvas) cross(paper);
    scaleBar();
    canvas.dataset.ms = (performance.now() - began).toFixed(1);
  };
  const text = (words, x, y, size, color, rim) => {
    pen.font = `${size}px "Noto Sans", "DejaVu Sans", Arial, sans-serif`;
    pen.lineWidth = 3;
    pen.strokeStyle = rim;
    pen.strokeText(words, x, y);
    pen.fillStyle = color;
    pen.fillText(words, x, y);
  };
  const height = { polygon: 0, line: 1, point: 2 };
  const order = () =>
    data.layers.filter((layer) => layer.shown).sort((a, b) =>
      (b.context || b.before) - (a.context || a.before) || (height[a.kind] ?? 0) - (height[b.kind] ?? 0));
  const layerMarks = (layer, box) => {
    layer.classes.forEach((look, number) => {
      let solid = false, stroked = false;
      // Polygons that overlap are filled one by one: a hole is one in its own polygon only.
      const fill = () => {
        pen.globalAlpha = 0.75;
        pen.fillStyle = look.fill;
        pen.fill("evenodd");
        pen.globalAlpha = 1;
        pen.strokeStyle = look.line;
        pen.lineWidth = 1.2;
        pen.stroke();
      };
      pen.beginPath();
      for (const feature of layer.features) {
        if (feature.class !== number || !seen(feature.box, box)) continue;
        if (feature.kind === POLYGON) {
          pen.beginPath();
          for (const ring of feature.rings.flat()) { trace(ring); pen.closePath(); }
          fill();
          pen.beginPath();
          continue;
        }
        for (const rings of feature.rings) {
          for (const ring of rings) {
            if (feature.kind === POINT) {
              const x = pixelX(ring[0]), y = pixelY(ring[1]);
              pen.moveTo(x + layer.radius, y);
              pen.arc(x, y, layer.radius, 0, 7);
              solid = true;
            } else {
              trace(ring);
              stroked = true;
            }
          }
        }
      }
      if (solid) {
        pen.fillStyle = look.fill;
        pen.fill();
      }
      pen.strokeStyle = stroked && layer.by ? look.fill : look.line;
      pen.lineWidth = stroked ? layer.width : 1.2;
      pen.stroke();
    });
  };
  const labels = (paper, box) => {
    if (!data.label) return;
    const taken = [];
    pen.font = "11px \"Noto Sans\", \"DejaVu Sans\", Arial, sans-serif";
    pen.textAlign = "start";
    for (const layer of order()) {
      const at = layer.columns.indexOf(data.label);
      if (at < 0 || layer.context) continue;
      for (const feature of layer.features) {
        if (taken.length > 600) return;
        const words = said(layer.values[at][feature.row]);
        if (!words || !seen(feature.box, box)) continue;
        const [x, y] = middle(feature);
        const half = feature.kind === POINT ? 0 : pen.measureText(words).width / 2;
        const left = pixelX(x) + (feature.kind === POINT ? layer.radius + 3 : -half);
        const place = [left, pixelY(y) - 9, left + pen.measureText(words).width, pixelY(y) + 4];
        if (taken.some((o) => place[0] < o[2] && o[0] < place[2] && place[1] < o[3] && o[1] < place[3])) continue;
        taken.push(place);
        text(words, left, pixelY(y) + 4, 11, paper.ink, paper.land);
      }
    }
  };
  const middle = (feature) => {
    const { box } = feature;
    if (feature.kind === 1) {
      const ring = feature.rings[0][0];
      const at = Math.floor(ring.length / 4) * 2;
      return [ring[at], ring[at + 1]];
    }
    return [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
  };
  const flags = (paper) => {
    let number = 0;
    for (const layer of data.layers) {
      for (const flag of layer.flags) {
        number += 1;
        if (!layer.shown || number > 99) continue;
        const x = pixelX(flag.x), y = pixelY(flag.y);
        pen.beginPath();
        pen.arc(x, y, 9, 0, 7);
        pen.strokeStyle = paper.flag;
        pen.lineWidth = 2;
        pen.stroke();
        pen.textAlign = "start";
        text(String(number), x + 11, y - 6, 12, paper.flag, paper.land);
      }
    }
  };
  const mark = (feature, color) => {
    pen.beginPath();
    for (const ring of feature.rings.flat()) {
      if (feature.kind === POINT) {
        pen.moveTo(pixelX(ring[0]) + 9, pixelY(ring[1]));
        pen.arc(pixelX(ring[0]), pixelY(ring[1]), 9, 0, 7);
      } else {
        trace(ring);
        if (feature.kind === POLYGON) pen.closePath();
      }
    }
    pen.strokeStyle = color;
    pen.lineWidth = 3;
    pen.stroke();
  };
  const cross = (paper) => {
    pen.beginPath();
    pen.moveTo(wide / 2 - 7, high / 2); pen.lineTo(wide / 2 + 7, high / 2);
    pen.moveTo(wide / 2, high / 2 - 7); pen.lineTo(wide / 2, high / 2 + 7);
    pen.strokeStyle = paper.ink;
    pen.lineWidth = 1;
    pen.stroke();
  };

  // Round steps of the system's unit, or of degrees.
  const ARC = [0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 18000, 36000, 108000];
  const roundStep = (least) => {
    const power = 10 ** Math.floor(Math.log10(least));
    return [1, 2, 5, 10].map((factor) => factor * power).find((step) => step >= least * (1 - 1e-9));
  };
  const step = (least) => {
    if (!data.degrees) return roundStep(least);
    const seconds = least * data.degrees * 3600;
    return (ARC.find((arc) => arc >= seconds) ?? 162000) / 3600 / data.degrees;
  };
  const grid = (paper) => {
    const [west, south, east, north] = shownBox();
    const [stepX, stepY] = [step(130 / across()), step(90 / view.scale)];
    pen.strokeStyle = paper.grid;
    pen.lineWidth = 0.7;
    pen.beginPath();
    const written = [];
    for (let n = Math.ceil(west / stepX); n * stepX <= east; n += 1) {
      const x = pixelX(n * stepX);
      pen.moveTo(x, 0); pen.lineTo(x, high);
      written.push([axis(n * stepX, stepX, "EW"), x, high - 4, "center"]);
    }
    for (let n = Math.ceil(south / stepY); n * stepY <= north; n += 1) {
      const y = pixelY(n * stepY);
      pen.moveTo(0, y); pen.lineTo(wide, y);
      written.push([axis(n * stepY, stepY, "NS"), wide - 4, y - 3, "end"]);
    }
    pen.stroke();
    for (const [words, x, y, align] of written) {
      pen.textAlign = align;
      text(words, x, y, 10.5, paper.ink, paper.land);
    }
  };
  const axis = (value, step, letters) => {
    if (!data.degrees) return grouped(value, step >= 1 ? 0 : Math.ceil(-Math.log10(step)));
    const degrees = letters === "EW" ? within(value * data.degrees) : value * data.degrees;
    return sexagesimal(degrees, letters, step * data.degrees * 3600 > 59.9 ? 0 : 1);
  };

  // Figures and positions in words.
  const within = (lon) => lon - Math.round(lon / 360) * 360;
  const grouped = (value, decimals) => {
    const [whole, fraction] = Math.abs(value).toFixed(decimals).split(".");
    const sign = value < 0 && Number(value.toFixed(decimals)) !== 0 ? "−" : "";
    return sign + whole.replace(/\B(?=(\d{3})+$)/g, "\u2009") + (fraction ? "." + fraction : "");
  };
  const sexagesimal = (degrees, letters, level) => {
    const letter = letters[degrees < 0 ? 1 : 0];
    const total = Math.round(Math.abs(degrees) * [60, 3600, 36000000][level]);
    if (level === 0) return `${Math.floor(total / 60)}°${String(total % 60).padStart(2, "0")}′${letter}`;
    const second = level === 2 ? (total / 10000) % 60 : total % 60;
    const minutes = Math.floor(level === 2 ? total / 600000 : total / 60);
    const shown = level === 2 ? second.toFixed(4).padStart(7, "0") : String(second).padStart(2, "0");
    return `${Math.floor(minutes / 60)}°${String(minutes % 60).padStart(2, "0")}′${shown}″${letter}`;
  };
  // Latitude and longitude of a coordinate: a polynomial of third degree between exact nodes.
  const placeOf = (x, y) => {
    const table = data.lookup;
    if (!table) return null;
    const last = table.nodes - 1;
    const column = (x - table.west) / table.across, row = (y - table.south) / table.up;
    if (column < 0 || row < 0 || column > last || row > last) return null;
    const start = (value) => Math.min(Math.max(Math.floor(value) - 1, 0), table.nodes - 4);
    const weights = (t) => [
      -(t - 1) * (t - 2) * (t - 3) / 6, t * (t - 2) * (t - 3) / 2,
      -t * (t - 1) * (t - 3) / 2, t * (t - 1) * (t - 2) / 6];
    const [i, j] = [start(column), start(row)];
    const [u, v] = [weights(column - i), weights(row - j)];
    let lon = 0, lat = 0;
    for (let b = 0; b < 4; b += 1) for (let a = 0; a < 4; a += 1) {
      const node = (j + b) * table.nodes + i + a;
      lon += u[a] * v[b] * table.lon[node];
      lat += u[a] * v[b] * table.lat[node];
    }
    return { lon: within(lon), lat };
  };
  const decimals = () => {
    const pixel = 1 / view.scale;
    return Math.min(Math.max(0, Math.ceil(-Math.log10(pixel))), data.degrees ? 9 : 3);
  };
  const forms = (x, y, fine) => {
    const unit = data.degrees ? "°" : data.unit ? " " + data.unit : "";
    const digits = fine ?? decimals();
    const found = [`${(data.degrees ? within(x * data.degrees) / data.degrees : x).toFixed(digits)}${unit}, ${y.toFixed(digits)}${unit}`];
    const at = placeOf(x, y);
    if (at) {
      found.push(`${at.lat.toFixed(8)}°, ${at.lon.toFixed(8)}° (latitude, longitude)`);
      found.push(`${sexagesimal(at.lat, "NS", 2)} ${sexagesimal(at.lon, "EW", 2)}`);
    }
    return found;
  };
  const error = data.lookup
    ? `; latitudes and longitudes at the pointer are interpolated, to ${data.lookup.error < 0.001 ? "a millimetre" : data.lookup.error < 1 ? (data.lookup.error * 1000).toFixed(0) + " mm" : grouped(data.lookup.error, 0) + " m"}`
    : "";
  const said = (value) =>
    value === null || value === undefined ? "" : value === true ? "yes" : value === false ? "no" : String(value);

  const scaleBar = () => {
    if (!data.metres) { $("scale").style.display = "none"; return; }
    const perPixel = data.metres / across();
    const length = roundStep(160 * perPixel) > 160 * perPixel ? roundStep(160 * perPixel / 2.01) : roundStep(160 * perPixel);
    $("bar").style.width = `${length / perPixel}px`;
    $("length").textContent = length >= 1000 ? `${grouped(length / 1000, 0)} km` : `${grouped(length, length < 1 ? 3 : 0)} m`;
  };

  // Which features a pixel hits, the uppermost first.
  const hits = (px, py, reach) => {
    const found = [];
    const [x, y] = [mapX(px), mapY(py)];
    for (const layer of order().reverse()) {
      if (layer.context || layer.before) continue;
      const room = reach + (layer.kind === "point" ? layer.radius : 0);
      const [dx, dy] = [room / across(), room / view.scale];
      for (let at = layer.features.length - 1; at >= 0; at -= 1) {
        const feature = layer.features[at];
        if (x < feature.box[0] - dx || x > feature.box[2] + dx || y < feature.box[1] - dy || y > feature.box[3] + dy) continue;
        if (near(feature, px, py, x, y, room)) found.push(feature);
        if (found.length > 20) return found;
      }
    }
    return found;
  };
  const near = (feature, px, py, x, y, room) => {
    for (const rings of feature.rings) {
      let inside = false;
      for (const ring of rings) {
        for (let at = 0; at < ring.length; at += 2) {
          if (feature.kind === POINT) {
            if (Math.hypot(pixelX(ring[0]) - px, pixelY(ring[1]) - py) <= room) return true;
            continue;
          }
          const to = at + 2 < ring.length ? at + 2 : feature.kind === POLYGON ? 0 : at;
          const [x1, y1, x2, y2] = [ring[at], ring[at + 1], ring[to], ring[to + 1]];
          if ((y1 > y) !== (y2 > y) && x < (x2 - x1) * (y - y1) / (y2 - y1) + x1) inside = !inside;
          const [ax, ay, bx, by] = [pixelX(x1) - px, pixelY(y1) - py, pixelX(x2) - px, pixelY(y2) - py];
          const [ux, uy] = [bx - ax, by - ay];
          const square = ux * ux + uy * uy;
          const along = square ? Math.min(Math.max(-(ax * ux + ay * uy) / square, 0), 1) : 0;
          if (Math.hypot(ax + along * ux, ay + along * uy) <= room) return true;
        }
      }
      if (inside && feature.kind === POLYGON) return true;
    }
    return false;
  };
  const reachOf = (event) => data.tolerance ?? (event.pointerType === "touch" ? 18 : 5);

  // Elements; texts are set as text, never as markup.
  const element = (name, words, attributes = {}) => {
    const made = document.createElement(name);
    if (words !== undefined) made.textContent = words;
    for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
    return made;
  };
  // An address that a value leads to: of the web, of mail, of a file, or relative; none otherwise.
  const addressOf = (value) => {
    const words = said(value).trim();
    if (!words || /[\u0000-\u001f\u007f]/.test(words)) return null;
    const scheme = /^([a-z][a-z0-9+.-]*):/i.exec(words);
    if (scheme) return ["http", "https", "mailto", "file"].includes(scheme[1].toLowerCase()) ? words : null;
    if (words.startsWith("//") || words.startsWith("\\")) return null;
    const path = words.split("/").map(encodeURIComponent).join("/");
    if (!data.linkBase) return path;
    return data.linkBase.replace(/\/?$/, "/") + path.replace(/^\/+/, "");
  };
  const nameOf = (feature) => said(feature.layer.values[0]?.[feature.row]) || `feature ${feature.layer.numbers[feature.row]}`;

  let chosen = null;
  const choose = (feature, move) => {
    chosen = feature;
    const card = $("card");
    card.replaceChildren();
    card.hidden = !feature;
    for (const row of document.querySelectorAll("tbody tr.chosen")) row.classList.remove("chosen");
    if (!feature) return draw();
    const { layer, row } = feature;
    const head = element("h2", nameOf(feature));
    const close = element("button", "Close", { type: "button" });
    close.addEventListener("click", () => { choose(null); canvas.focus(); });
    head.append(close);
    card.append(head, element("p", `${layer.title}, feature ${layer.numbers[row]}`, { class: "count" }));
    const list = element("dl");
    layer.columns.forEach((column, at) => {
      const value = layer.values[at][row];
      const shown = element("dd");
      const address = data.link.includes(column) ? addressOf(value) : null;
      if (address) {
        shown.append(element("a", said(value), { href: address, rel: "noopener noreferrer", target: "_blank" }));
      } else {
        shown.textContent = said(value);
      }
      list.append(element("dt", column), shown);
    });
    const measures = layer.measures;
    if (measures && measures.length[row] !== null && feature.kind !== POINT) {
      const name = feature.kind === POLYGON ? "perimeter" : "length";
      list.append(element("dt", name), element("dd", `${grouped(measures.length[row], 2)} m on ${measures.ellipsoid}`));
      if (feature.kind === POLYGON) {
        list.append(element("dt", "area"), element("dd", `${grouped(measures.area[row], 1)} m² on ${measures.ellipsoid}`));
      }
    }
    card.append(list);
    const [x, y] = middle(feature);
    const what = feature.kind === POINT ? "Position" : "Middle";
    card.append(element("p", what, { class: "count" }));
    for (const form of forms(x, y, data.degrees ? 9 : 3)) {
      const line = element("p", form + " ");
      const copy = element("button", "Copy", { type: "button", "aria-label": `Copy ${form}` });
      copy.addEventListener("click", () => {
        const done = () => { copy.textContent = "Copied"; };
        if (navigator.clipboard) navigator.clipboard.writeText(form).then(done, () => {}); 
      });
      line.append(copy);
      card.append(line);
    }
    if (move) reveal(feature);
    if ($("choose").value !== String(data.layers.indexOf(layer))) {
      $("choose").value = String(data.layers.indexOf(layer));
      fill();
    }
    const own = document.querySelector(`tbody tr[data-row="${row}"]`);
    if (own) { own.classList.add("chosen"); own.scrollIntoView({ block: "nearest" }); }
    draw();
  };
  const reveal = (feature) => {
    const { box } = feature;
    [view.x, view.y] = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
    const room = Math.min(wide / ((box[2] - box[0]) * data.squeeze || 1e-12), high / (box[3] - box[1] || 1e-12)) * 0.5;
    const { west, east } = data.view;
    const close = 8 * wide / ((east - west) * data.squeeze);
    view.scale = Math.min(Math.max(view.scale, Math.min(room, close)), room);
    draw();
  };

  // The table of one layer.
  const PAGE = 200;
  let sorted = { column: -1, down: false }, rowsShown = PAGE;
  const tabled = () => data.layers[Number($("choose").value)];
  const found = () => {
    const layer = tabled();
    const wanted = $("search").value.trim().toLowerCase();
    const rows = [];
    for (const feature of layer.features) {
      if (!wanted || layer.values.some((column) => said(column[feature.row]).toLowerCase().includes(wanted))) rows.push(feature);
    }
    if (sorted.column >= 0) {
      const column = layer.values[sorted.column];
      const sense = sorted.down ? -1 : 1;
      rows.sort((a, b) => {
        const [u, v] = [column[a.row], column[b.row]];
        if (u === null || v === null) return (u === null) - (v === null);
        if (typeof u === "number" && typeof v === "number") return (u - v) * sense;
        return said(u).localeCompare(said(v), "en", { numeric: true }) * sense;
      });
    }
    return rows;
  };
  const fill = () => {
    const layer = tabled();
    if (!layer) return;
    const rows = found();
    const head = element("tr");
    head.append(element("th", "", { scope: "col" }));
    layer.columns.forEach((column, at) => {
      const cell = element("th", undefined, { scope: "col", "aria-sort": sorted.column === at ? (sorted.down ? "descending" : "ascending") : "none" });
      const sign = sorted.column === at ? (sorted.down ? " ▾" : " ▴") : "";
      const button = element("button", column + sign, { type: "button" });
      button.addEventListener("click", () => {
        sorted = { column: at, down: sorted.column === at && !sorted.down };
        fill();
        document.querySelectorAll("thead button")[at].focus();
      });
      cell.append(button);
      head.append(cell);
    });
    document.querySelector("thead").replaceChildren(head);
    const body = document.createDocumentFragment();
    for (const feature of rows.slice(0, rowsShown)) {
      const line = element("tr", undefined, { "data-row": feature.row });
      if (feature === chosen) line.classList.add("chosen");
      const first = element("td");
      const button = element("button", "Show", { type: "button", "aria-label": `Show ${nameOf(feature)}` });
      first.append(button);
      line.append(first);
      line.addEventListener("click", () => choose(feature, true));
      for (const column of layer.values) {
        const value = column[feature.row];
        line.append(element("td", said(value), typeof value === "number" ? { class: "number" } : {}));
      }
      body.append(line);
    }
    document.querySelector("tbody").replaceChildren(body);
    const all = layer.features.length;
    $("counted").textContent = rows.length === all ? `${grouped(all, 0)} features` : `${grouped(rows.length, 0)} of ${grouped(all, 0)} features`;
    $("more").hidden = rows.length <= rowsShown;
  };

  // Measuring: along clicks, on the ellipsoid and on the grid.
  let measuring = [], isMeasuring = false;
  const geodesic = (from, to) => {
    // Vincenty (1975), inverse; the ellipsoid is of the map's datum.
    const { a, f } = data.ellipsoid, b = a * (1 - f), rad = Math.PI / 180;
    const L = within(to.lon - from.lon) * rad;
    const [u1, u2] = [from, to].map((at) => Math.atan((1 - f) * Math.tan(at.lat * rad)));
    let lambda = L, again = 0, sigma = 0, sinSigma = 0, cosSigma = 1, cosSq = 1, cos2m = 0;
    for (;;) {
      const [sl, cl] = [Math.sin(lambda), Math.cos(lambda)];
      sinSigma = Math.hypot(Math.cos(u2) * sl, Math.cos(u1) * Math.sin(u2) - Math.sin(u1) * Math.cos(u2) * cl);
      if (sinSigma === 0) return 0;
      cosSigma = Math.sin(u1) * Math.sin(u2) + Math.cos(u1) * Math.cos(u2) * cl;
      sigma = Math.atan2(sinSigma, cosSigma);
      const sinAlpha = Math.cos(u1) * Math.cos(u2) * sl / sinSigma;
      cosSq = 1 - sinAlpha * sinAlpha;
      cos2m = cosSq === 0 ? 0 : cosSigma - 2 * Math.sin(u1) * Math.sin(u2) / cosSq;
      const C = f / 16 * cosSq * (4 + f * (4 - 3 * cosSq));
      const last = lambda;
      lambda = L + (1 - C) * f * sinAlpha * (sigma + C * sinSigma * (cos2m + C * cosSigma * (2 * cos2m * cos2m - 1)));
      again += 1;
      if (Math.abs(lambda - last) < 1e-13) break;
      if (again > 100) return NaN;
    }
    const square = cosSq * (a * a - b * b) / (b * b);
    const A = 1 + square / 16384 * (4096 + square * (-768 + square * (320 - 175 * square)));
    const B = square / 1024 * (256 + square * (-128 + square * (74 - 47 * square)));
    const delta = B * sinSigma * (cos2m + B / 4 * (cosSigma * (2 * cos2m * cos2m - 1) -
      B / 6 * cos2m * (4 * sinSigma * sinSigma - 3) * (4 * cos2m * cos2m - 3)));
    return b * A * (sigma - delta);
  };
  const measureMarks = (paper) => {
    pen.beginPath();
    measuring.forEach(([x, y], at) => (at ? pen.lineTo(pixelX(x), pixelY(y)) : pen.moveTo(pixelX(x), pixelY(y))));
    pen.strokeStyle = paper.flag;
    pen.lineWidth = 2;
    pen.stroke();
    for (const [x, y] of measuring) { pen.beginPath(); pen.arc(pixelX(x), pixelY(y), 3.5, 0, 7); pen.fillStyle = paper.flag; pen.fill(); }
  };
  const measured = () => {
    const shown = $("measured");
    shown.hidden = !isMeasuring;
    shown.replaceChildren(element("h2", "Measured"));
    if (measuring.length < 2) {
      shown.append(element("p", "Click from place to place. Three and more places bound an area."));
      return;
    }
    let ground = 0, plane = 0, twice = 0;
    measuring.forEach(([x, y], at) => {
      const [u, v] = measuring[(at + 1) % measuring.length];
      twice += (x - view.x) * (v - view.y) - (u - view.x) * (y - view.y);
      if (at + 1 === measuring.length) return;
      plane += Math.hypot(u - x, v - y);
      const [from, to] = [placeOf(x, y), placeOf(u, v)];
      ground += from && to && data.ellipsoid ? geodesic(from, to) : NaN;
    });
    const list = element("dl");
    const tell = (name, words) => list.append(element("dt", name), element("dd", words));
    tell("on the ellipsoid", Number.isNaN(ground) ? "not known here" : `${grouped(ground, 3)} m`);
    if (!data.degrees) {
      tell("on the grid", `${grouped(plane, 3)} ${data.unit ?? "units"}`);
      if (measuring.length > 2) tell("area, on the grid", `${grouped(Math.abs(twice) / 2, 1)} ${data.unit ?? "units"}²`);
    }
    shown.append(list);
  };

  // Pointers: one moves, two zoom, a still one opens.
  const pointers = new Map();
  let began = null;
  const placed = (event) => {
    const box = canvas.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    pointers.set(event.pointerId, placed(event));
    began = { at: placed(event), moved: false };
  });
  canvas.addEventListener("pointermove", (event) => {
    const at = placed(event);
    tell(at, event);
    const before = pointers.get(event.pointerId);
    if (!before) return;
    if (pointers.size === 2) {
      const other = [...pointers].find(([id]) => id !== event.pointerId)[1];
      const apart = (a, b) => Math.max(1, Math.hypot(a[0] - b[0], a[1] - b[1]));
      zoom(apart(at, other) / apart(before, other), (at[0] + other[0]) / 2, (at[1] + other[1]) / 2);
      began = null;
    } else {
      if (began && Math.hypot(at[0] - began.at[0], at[1] - began.at[1]) > 4) began.moved = true;
      if (began?.moved) {
        view.x += mapX(before[0]) - mapX(at[0]);
        view.y += mapY(before[1]) - mapY(at[1]);
        draw();
      }
    }
    pointers.set(event.pointerId, at);
  });
  const lifted = (event) => {
    pointers.delete(event.pointerId);
    if (event.type === "pointerup" && began && !began.moved) {
      const at = placed(event);
      if (isMeasuring) {
        measuring.push([mapX(at[0]), mapY(at[1])]);
        measured();
        draw();
      } else {
        // A second click at a place opens what lies under the first.
        const under = hits(...at, reachOf(event));
        choose(under[(under.indexOf(chosen) + 1) % Math.max(under.length, 1)] ?? null);
      }
    }
    began = null;
  };
  canvas.addEventListener("pointerup", lifted);
  canvas.addEventListener("pointercancel", lifted);
  canvas.addEventListener("pointerleave", () => { $("tip").style.display = "none"; });
  canvas.addEventListener("wheel", (event) => {
    event.preventDefault();
    zoom(Math.exp(-event.deltaY / 400), ...placed(event));
  }, { passive: false });
  canvas.addEventListener("dblclick", (event) => zoom(2, ...placed(event)));
  canvas.addEventListener("keydown", (event) => {
    const move = { ArrowLeft: [-60, 0], ArrowRight: [60, 0], ArrowUp: [0, -60], ArrowDown: [0, 60] }[event.key];
    if (move) {
      [view.x, view.y] = [mapX(wide / 2 + move[0]), mapY(high / 2 + move[1])];
      draw();
    } else if (event.key === "+" || event.key === "=") zoom(1.5);
    else if (event.key === "-") zoom(1 / 1.5);
    else if (event.key === "0") whole();
    else if (event.key === "Escape") choose(null);
    else if (event.key === "Enter") {
      if (isMeasuring) { measuring.push([view.x, view.y]); measured(); draw(); } else {
        const under = hits(wide / 2, high / 2, 24);
        choose(under[(under.indexOf(chosen) + 1) % Math.max(under.length, 1)] ?? null);
      }
    } else return;
    event.preventDefault();
    tell([wide / 2, high / 2]);
  });
  for (const name of ["focus", "blur"]) canvas.addEventListener(name, draw);
  const tell = (at, event) => {
    $("pointer").textContent = forms(mapX(at[0]), mapY(at[1])).join("   ·   ");
    const tip = $("tip");
    const under = event && event.pointerType !== "touch" && pointers.size === 0 ? hits(...at, reachOf(event))[0] : null;
    tip.style.display = under ? "block" : "none";
    if (under) {
      tip.textContent = `${nameOf(under)}, ${under.layer.title}`;
      tip.style.left = `${Math.min(at[0] + 12, wide - 160)}px`;
      tip.style.top = `${at[1] + 14}px`;
    }
  };

  // The rest of the page.
  $("title").textContent = data.title;
  $("where").textContent = data.where ?? "";
  $("system").textContent = data.system + (data.coarse ? "; lines and polygons are simplified, there are too many vertices for a page" : "") + error;
  $("sources").textContent = [...data.sources, data.date].filter(Boolean).join(" · ");
  canvas.setAttribute("aria-label", `Map: ${data.title}`);
  data.layers.forEach((layer, at) => {
    const line = element("li");
    const label = element("label");
    const box = element("input", undefined, { type: "checkbox" });
    box.checked = true;
    box.addEventListener("change", () => { layer.shown = box.checked; draw(); });
    const look = layer.classes[0];
    const swatch = (look) => {
      const made = element("span", undefined, { class: "swatch", "aria-hidden": "true" });
      if (layer.kind === "point") made.classList.add("round");
      if (layer.kind === "line") made.classList.add("thin");
      made.style.background = look.fill;
      made.style.borderColor = look.line;
      return made;
    };
    label.append(box);
    if (!layer.by) label.append(swatch(look));
    label.append(layer.before ? `before: ${layer.title}` : layer.title);
    const s = layer.features.length === 1 ? "" : "s";
    label.append(element("span", `${grouped(layer.features.length, 0)} ${layer.kind}${s}`, { class: "count" }));
    line.append(label);
    if (layer.by) {
      const list = element("ul", undefined, { class: "classes", "aria-label": `Colours by ${layer.by}` });
      list.append(element("li", `by ${layer.by}`));
      for (const one of layer.classes.filter((one) => one.count)) {
        const item = element("li");
        item.append(swatch(one), `${one.text} (${grouped(one.count, 0)})`);
        list.append(item);
      }
      line.append(list);
    }
    $("layers").append(line);
    if (!layer.context && !layer.before) $("choose").append(element("option", layer.title, { value: at }));
    for (const flag of layer.flags) {
      const item = element("li");
      const button = element("button", flag.text, { type: "button" });
      button.addEventListener("click", () => { [view.x, view.y] = [flag.x, flag.y]; draw(); });
      item.append(button);
      $("flag-list").append(item);
      $("flags").hidden = false;
    }
  });
  $("choose").addEventListener("change", () => { sorted = { column: -1, down: false }; rowsShown = PAGE; fill(); });
  $("search").addEventListener("input", () => { rowsShown = PAGE; fill(); });
  $("search").addEventListener("keydown", (event) => {
    if (event.key !== "Enter") return;
    const first = found()[0];
    if (first) choose(first, true);
  });
  $("more").addEventListener("click", () => { rowsShown += PAGE; fill(); });
  $("whole").addEventListener("click", whole);
  $("measure").addEventListener("click", () => {
    isMeasuring = !isMeasuring;
    measuring = [];
    $("measure").setAttribute("aria-pressed", String(isMeasuring));
    canvas.classList.toggle("measuring", isMeasuring);
    measured();
    draw();
  });
  $("theme").addEventListener("click", () => { root.dataset.theme = dark() ? "light" : "dark"; draw(); });
  const resize = () => {
    const box = canvas.getBoundingClientRect();
    const first = wide === 1;
    [wide, high, ratio] = [Math.max(box.width, 50), Math.max(box.height, 50), window.devicePixelRatio || 1];
    [canvas.width, canvas.height] = [Math.round(wide * ratio), Math.round(high * ratio)];
    if (first) { whole(); tell([wide / 2, high / 2]); } else draw();
  };
  new ResizeObserver(resize).observe(canvas);
  fill();
})();
