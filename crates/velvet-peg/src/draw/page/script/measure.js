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
