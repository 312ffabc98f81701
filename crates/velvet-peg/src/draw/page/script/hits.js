  // Which features a pixel hits, the uppermost first.
  const hits = (px, py, reach) => {
    const found = [];
    const [x, y] = [mapX(px), mapY(py)];
    for (const layer of order().reverse()) {
      if (layer.context || (layer.before && data.shows !== "before")) continue;
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
  const reachOf = (event) => all.tolerance ?? (event.pointerType === "touch" ? 18 : 5);
