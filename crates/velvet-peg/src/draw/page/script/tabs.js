  // The tabs, and what stands around the map of each.
  const layerLine = (layer) => {
    const line = element("li");
    const label = element("label");
    const box = element("input", undefined, { type: "checkbox" });
    box.checked = layer.shown;
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
    return line;
  };
  const rasterLine = (raster) => {
    const line = element("li");
    const label = element("label");
    const box = element("input", undefined, { type: "checkbox" });
    box.checked = raster.shown;
    box.addEventListener("change", () => { raster.shown = box.checked; draw(); });
    label.append(box, raster.title);
    const what = !raster.address ? "raster, none of it on this map" : raster.values ? `raster, ${raster.valuesOf}` : "raster, in its own colours";
    label.append(element("span", ` ${what}`, { class: "count" }));
    line.append(label);
    if (raster.values) {
      const shades = element("p", undefined, { class: "shades" });
      const bar = element("span", undefined, { class: "bar", "aria-hidden": "true" });
      bar.style.background = `linear-gradient(to right, ${raster.shades.join(", ")})`;
      shades.append(element("span", raster.values[0]), bar, element("span", raster.values[1]));
      line.append(shades);
    }
    return line;
  };
  const listLayers = () => {
    for (const id of ["layers", "choose", "flag-list", "fact-list", "moved-list"]) $(id).replaceChildren();
    const layers = data.view ? data.layers.filter(isSeen) : [];
    for (const layer of layers) $("layers").append(layerLine(layer));
    const rasters = data.rasters ?? [];
    for (const raster of rasters) $("layers").append(rasterLine(raster));
    $("layers-part").hidden = !layers.length && !rasters.length;
    data.layers.forEach((layer, at) => {
      const tabled = !layer.context && isSeen(layer) && (!layer.before || data.shows === "before");
      if (tabled) $("choose").append(element("option", layer.title, { value: at }));
    });
    $("records").hidden = !$("choose").options.length;
    for (const flag of data.view ? flagged().flatMap((layer) => layer.flags) : []) {
      const item = element("li");
      const button = element("button", flag.text, { type: "button" });
      button.addEventListener("click", () => moveTo(flag.x, flag.y));
      item.append(button);
      $("flag-list").append(item);
    }
    $("flags").hidden = !$("flag-list").children.length;
    for (const [name, words] of data.facts ?? []) $("fact-list").append(element("dt", name), element("dd", words));
    if (data.why) $("fact-list").append(element("dt", "no map"), element("dd", data.why));
    $("facts-title").textContent = data.tab ?? "";
    $("facts").hidden = !$("fact-list").children.length;
    for (const words of data.moves && !data.shows ? data.moves.told : []) $("moved-list").append(element("li", words));
    $("moved").hidden = !$("moved-list").children.length;
  };
  const openTab = (at) => {
    // The place that is looked at stays, where the other tab has it.
    const place = data && moved ? placeOf(view.x, view.y) : null;
    const perMetre = data?.metres ? across() / data.metres : null;
    const last = chosen && { at: data.layers.indexOf(chosen.layer), row: chosen.row, title: chosen.layer.title };
    choose(null);
    data = prepared(at);
    all.tabs.forEach((tab, other) => {
      const button = $(`tab${other}`);
      if (!button) return;
      button.setAttribute("aria-selected", String(other === at));
      button.tabIndex = other === at ? 0 : -1;
    });
    if (all.tabs.length > 1) document.querySelector("main").setAttribute("aria-labelledby", `tab${at}`);
    $("title").textContent = all.title ?? data.title;
    $("where").textContent = data.where ?? "";
    $("system").textContent = (data.system ?? "") + (data.coarse ? "; lines and polygons are simplified, there are too many vertices for a page" : "") + error();
    $("sources").textContent = [...(data.sources ?? []), all.date].filter(Boolean).join(" · ");
    canvas.setAttribute("aria-label", `Map: ${[data.title, data.tab].filter(Boolean).join(", ")}`);
    measuring = [];
    measured();
    listLayers();
    sorted = { column: -1, down: false };
    rowsShown = PAGE;
    fill();
    const there = place && data.lookup ? coordinateOf(place) : null;
    const held = there && there[0] >= data.view.west && there[0] <= data.view.east && there[1] >= data.view.south && there[1] <= data.view.north;
    if (held && perMetre) {
      view.scale = perMetre * data.metres / data.squeeze;
      moveTo(...there);
    } else {
      whole();
    }
    const same = last && data.layers[last.at]?.features.find((feature) => feature.row === last.row);
    if (same && data.layers[last.at].title === last.title) choose(same);
    $("pointer").textContent = "";
    if (wide > 1) tell([wide / 2, high / 2]);
  };
  if (all.tabs.length > 1) {
    $("tabs").hidden = false;
    all.tabs.forEach((tab, at) => {
      const button = element("button", tab.tab, { type: "button", role: "tab", id: `tab${at}`, "aria-controls": "panel" });
      button.addEventListener("click", () => openTab(at));
      $("tabs").append(button);
    });
    $("panel").setAttribute("role", "tabpanel");
    $("tabs").addEventListener("keydown", (event) => {
      const many = all.tabs.length;
      const to = { ArrowRight: data.at + 1, ArrowLeft: data.at - 1 + many, Home: 0, End: many - 1 }[event.key];
      if (to === undefined) return;
      event.preventDefault();
      openTab(to % many);
      $(`tab${to % many}`).focus();
    });
  }
