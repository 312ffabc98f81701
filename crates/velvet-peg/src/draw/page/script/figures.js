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
