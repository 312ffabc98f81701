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
