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
    if (!all.linkBase) return path;
    return all.linkBase.replace(/\/?$/, "/") + path.replace(/^\/+/, "");
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
      const address = all.link.includes(column) ? addressOf(value) : null;
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
    const [x, y] = feature.kind === ROW ? [] : middle(feature);
    const what = feature.kind === POINT ? "Position" : "Middle";
    if (feature.kind !== ROW) card.append(element("p", what, { class: "count" }));
    for (const form of feature.kind === ROW ? [] : forms(x, y, data.degrees ? 9 : 3)) {
      const line = element("p", form + " ");
      const copy = element("button", "Copy", { type: "button", "aria-label": `Copy ${form}` });
      copy.addEventListener("click", () => {
        const done = () => { copy.textContent = "Copied"; };
        if (navigator.clipboard) navigator.clipboard.writeText(form).then(done, () => {}); 
      });
      line.append(copy);
      card.append(line);
    }
    if (move && feature.kind !== ROW) reveal(feature);
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
    const room = Math.min(wide / ((box[2] - box[0]) * data.squeeze || 1e-12), high / (box[3] - box[1] || 1e-12)) * 0.5;
    const { west, east } = data.view;
    const close = 8 * wide / ((east - west) * data.squeeze);
    view.scale = Math.min(Math.max(view.scale, Math.min(room, close)), room);
    moveTo((box[0] + box[2]) / 2, (box[1] + box[3]) / 2);
  };
