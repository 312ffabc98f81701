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
    const paper = dark() ? all.dark : all.light;
    pen.setTransform(ratio, 0, 0, ratio, 0, 0);
    pen.lineJoin = "round";
    pen.fillStyle = paper.plain;
    pen.fillRect(0, 0, wide, high);
    if (!data.view) return nothing(paper);
    const { backdrop } = data;
    area(backdrop.water, paper.water);
    area(backdrop.land, paper.land);
    area(backdrop.countyLand, paper.land);
    lines(backdrop.coasts, paper.state, 0.8);
    lines(backdrop.counties, paper.county, 0.8);
    lines(backdrop.states, paper.state, 1.3);
    lines(backdrop.countries, paper.state, 1.1);
    rasters();
    grid(paper);
    pen.textAlign = "center";
    for (const name of backdrop.names) {
      text(name.text, pixelX(name.x), pixelY(name.y), name.size, paper.name, paper.land);
    }
    const box = shownBox();
    for (const layer of order()) layerMarks(layer, box);
    arrows(paper);
    flags(paper);
    labels(paper, box);
    if (chosen) mark(chosen, paper.flag);
    if (measuring.length) measureMarks(paper);
    if (document.activeElement === canvas) cross(paper);
    scaleBar();
    canvas.dataset.ms = (performance.now() - began).toFixed(1);
  };
  const fontOf = (size) => `${size}px "Noto Sans", "DejaVu Sans", Arial, sans-serif`;
  const text = (words, x, y, size, color, rim) => {
    pen.font = fontOf(size);
    pen.lineWidth = 3;
    pen.strokeStyle = rim;
    pen.strokeText(words, x, y);
    pen.fillStyle = color;
    pen.fillText(words, x, y);
  };
  const rasters = () => {
    for (const { shown, image, corners } of data.rasters ?? []) {
      if (!shown || !image?.naturalWidth) continue;
      const left = pixelX(corners[0]), top = pixelY(corners[1]);
      const across = pixelX(corners[2]) - left;
      // Enlarged, its pixels are seen as they are.
      pen.imageSmoothingEnabled = across < 2 * image.naturalWidth;
      pen.drawImage(image, left, top, across, pixelY(corners[3]) - top);
    }
  };
  // All that has positions to look at.
  const flagged = () => [...data.layers.filter(isSeen), ...data.rasters ?? []];
  // What a tab has no map of says so.
  const nothing = (paper) => {
    pen.textAlign = "center";
    text("There are no shapes to draw.", wide / 2, high / 2, 14, paper.ink, paper.plain);
    $("scale").style.display = "none";
    canvas.dataset.ms = 0;
  };
  // Before and after have tabs of their own.
  const isSeen = (layer) =>
    !(data.shows === "before" && !layer.before && !layer.context) && !(data.shows === "after" && layer.before);
  // From where each feature was to where it is.
  const arrows = (paper) => {
    if (!data.moves || data.shows) return;
    pen.beginPath();
    for (const [x, y, u, v] of data.moves.arrows) {
      const [ax, ay, bx, by] = [pixelX(x), pixelY(y), pixelX(u), pixelY(v)];
      const far = Math.hypot(bx - ax, by - ay);
      if (far < 1) continue;
      pen.moveTo(ax, ay);
      pen.lineTo(bx, by);
      const head = Math.min(9, far);
      const [ux, uy] = [(bx - ax) / far, (by - ay) / far];
      for (const side of [-0.45, 0.45]) {
        pen.moveTo(bx, by);
        pen.lineTo(bx - head * (ux + side * uy), by - head * (uy - side * ux));
      }
    }
    pen.strokeStyle = paper.flag;
    pen.lineWidth = 1.4;
    pen.stroke();
  };
  const height = { polygon: 0, line: 1, point: 2 };
  const order = () =>
    data.layers.filter((layer) => layer.shown && isSeen(layer)).sort((a, b) =>
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
    if (!all.label) return;
    const taken = [];
    pen.font = "11px \"Noto Sans\", \"DejaVu Sans\", Arial, sans-serif";
    pen.textAlign = "start";
    for (const layer of order()) {
      const at = layer.columns.indexOf(all.label);
      if (at < 0 || layer.context || (layer.before && !data.shows)) continue;
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
    for (const layer of flagged()) {
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
