  // What is shown: the middle in units of the system, and pixels to a unit along y.
  const view = { x: 0, y: 0, scale: 1 };
  let wide = 1, high = 1, ratio = 1;
  // Whether somebody moved the map since all of it was shown.
  let moved = false;
  const signX = () => (data.flipped[0] ? -1 : 1), signY = () => (data.flipped[1] ? -1 : 1);
  const across = () => view.scale * data.squeeze;
  const pixelX = (x) => wide / 2 + (x - view.x) * across() * signX();
  const pixelY = (y) => high / 2 - (y - view.y) * view.scale * signY();
  const mapX = (px) => view.x + ((px - wide / 2) / across()) * signX();
  const mapY = (py) => view.y - ((py - high / 2) / view.scale) * signY();
  const whole = () => {
    moved = false;
    if (!data.view) return draw();
    const { west, south, east, north } = data.view;
    view.x = (west + east) / 2;
    view.y = (south + north) / 2;
    view.scale = Math.min(wide / ((east - west) * data.squeeze), high / (north - south));
    draw();
  };
  const moveTo = (x, y) => {
    [view.x, view.y] = [x, y];
    moved = true;
    draw();
  };
  const zoom = (factor, px = wide / 2, py = high / 2) => {
    if (!data.view) return;
    const [x, y] = [mapX(px), mapY(py)];
    const { west, east } = data.view;
    const most = 20000 / ((east - west) * data.squeeze) * wide;
    const least = 0.02 * wide / ((east - west) * data.squeeze);
    view.scale = Math.min(Math.max(view.scale * factor, least), most);
    moveTo(view.x + x - mapX(px), view.y + y - mapY(py));
  };
