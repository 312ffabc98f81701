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
  // Coordinates of a place of the map in another system: a polynomial of third degree between exact
  // nodes.
  const interpolated = (table, x, y) => {
    const last = table.nodes - 1;
    const column = (x - table.west) / table.across, row = (y - table.south) / table.up;
    if (column < 0 || row < 0 || column > last || row > last) return null;
    const start = (value) => Math.min(Math.max(Math.floor(value) - 1, 0), table.nodes - 4);
    const weights = (t) => [
      -(t - 1) * (t - 2) * (t - 3) / 6, t * (t - 2) * (t - 3) / 2,
      -t * (t - 1) * (t - 3) / 2, t * (t - 1) * (t - 2) / 6];
    const [i, j] = [start(column), start(row)];
    const [u, v] = [weights(column - i), weights(row - j)];
    let first = 0, second = 0;
    for (let b = 0; b < 4; b += 1) for (let a = 0; a < 4; a += 1) {
      const node = (j + b) * table.nodes + i + a;
      first += u[a] * v[b] * table.first[node];
      second += u[a] * v[b] * table.second[node];
    }
    return [first, second];
  };
  const placeOf = (x, y) => {
    const at = data.lookup && interpolated(data.lookup, x, y);
    return at ? { lon: within(at[0]), lat: at[1] } : null;
  };
  // Where a latitude and longitude is on the map: Newton's steps back through the grid, from the
  // middle.
  const coordinateOf = ({ lon, lat }) => {
    let x = (data.view.west + data.view.east) / 2, y = (data.view.south + data.view.north) / 2;
    const reach = Math.max(data.view.east - data.view.west, data.view.north - data.view.south) * 1e-4;
    for (let again = 0; again < 20; again += 1) {
      const [here, right, above] = [placeOf(x, y), placeOf(x + reach, y), placeOf(x, y + reach)];
      if (!here || !right || !above) return null;
      const [a, b] = [within(right.lon - here.lon) / reach, within(above.lon - here.lon) / reach];
      const [c, d] = [(right.lat - here.lat) / reach, (above.lat - here.lat) / reach];
      const [east, north] = [within(lon - here.lon), lat - here.lat];
      const turn = a * d - b * c;
      const [dx, dy] = [(east * d - north * b) / turn, (north * a - east * c) / turn];
      if (!Number.isFinite(dx + dy)) return null;
      x += dx;
      y += dy;
      if (Math.hypot(dx, dy) < reach) return [x, y];
    }
    return null;
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
    for (const table of data.others ?? []) {
      const there = interpolated(table, x, y);
      if (!there) continue;
      const first = table.degrees ? within(there[0]) : there[0];
      const told = [first, there[1]].map((value) => value.toFixed(table.degrees ? 8 : 3) + (table.degrees ? "°" : ` ${table.unit}`));
      found.push(`${told.join(", ")} (${table.name}${table.degrees ? ": longitude, latitude" : ""})`);
    }
    return found;
  };
  // How far off interpolated coordinates may be, in words.
  const inWords = (metres) =>
    metres < 0.001 ? "a millimetre" : metres < 1 ? `${(metres * 1000).toFixed(0)} mm` : `${grouped(metres, 0)} m`;
  const error = () => {
    const tables = [data.lookup, ...(data.others ?? [])].filter(Boolean);
    if (!tables.length) return "";
    const what = data.others?.length ? "coordinates in other systems" : "latitudes and longitudes";
    // What a change of datum is known to is more than that.
    const known = (data.others ?? []).filter((table) => table.known !== 0).map((table) =>
      `; ${table.name} by a change of datum known to ${table.known === null ? "an accuracy that is not stated" : `${table.known} m`}`);
    return `; ${what} at the pointer are interpolated, to ${inWords(Math.max(...tables.map((table) => table.error)))}${known.join("")}`;
  };
  const said = (value) =>
    value === null || value === undefined ? "" : value === true ? "yes" : value === false ? "no" : String(value);

  const scaleBar = () => {
    $("scale").style.display = data.metres ? "" : "none";
    if (!data.metres) return;
    const perPixel = data.metres / across();
    const length = roundStep(160 * perPixel) > 160 * perPixel ? roundStep(160 * perPixel / 2.01) : roundStep(160 * perPixel);
    $("bar").style.width = `${length / perPixel}px`;
    $("length").textContent = length >= 1000 ? `${grouped(length / 1000, 0)} km` : `${grouped(length, length < 1 ? 3 : 0)} m`;
  };
