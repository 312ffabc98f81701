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
  // Pixels of the figures of the grid.
  const SIZE = 10.5;
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
    pen.font = fontOf(SIZE);
    // A figure of which a part is missing is another figure: of two that meet in the corner, and of one
    // that the edge would cut, none is written.
    const widths = written.map(([words]) => pen.measureText(words).width);
    const corner = Math.max(0, ...written.map(([, , y, align], at) => (align === "end" && y > high - 2 * SIZE ? widths[at] + 10 : 0)));
    written.forEach(([words, x, y, align], at) => {
      const fits = align === "end" ? y > SIZE : x - widths[at] / 2 > 2 && x + widths[at] / 2 < wide - 2 - corner;
      if (!fits) return;
      pen.textAlign = align;
      text(words, x, y, SIZE, paper.ink, paper.land);
    });
  };
  const axis = (value, step, letters) => {
    if (!data.degrees) return grouped(value, step >= 1 ? 0 : Math.ceil(-Math.log10(step)));
    const degrees = letters === "EW" ? within(value * data.degrees) : value * data.degrees;
    return sexagesimal(degrees, letters, step * data.degrees * 3600 > 59.9 ? 0 : 1);
  };
