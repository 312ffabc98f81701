  // The table of one layer.
  const PAGE = 200;
  let sorted = { column: -1, down: false }, rowsShown = PAGE;
  const tabled = () => data.layers[Number($("choose").value)];
  const found = () => {
    const layer = tabled();
    if (!layer) return [];
    const wanted = $("search").value.trim().toLowerCase();
    const rows = [];
    for (const feature of layer.features) {
      if (!wanted || layer.values.some((column) => said(column[feature.row]).toLowerCase().includes(wanted))) rows.push(feature);
    }
    if (sorted.column >= 0) {
      const column = layer.values[sorted.column];
      const sense = sorted.down ? -1 : 1;
      rows.sort((a, b) => {
        const [u, v] = [column[a.row], column[b.row]];
        if (u === null || v === null) return (u === null) - (v === null);
        if (typeof u === "number" && typeof v === "number") return (u - v) * sense;
        return said(u).localeCompare(said(v), "en", { numeric: true }) * sense;
      });
    }
    return rows;
  };
  const fill = () => {
    const layer = tabled();
    if (!layer) return;
    const rows = found();
    const head = element("tr");
    head.append(element("th", "", { scope: "col" }));
    layer.columns.forEach((column, at) => {
      const cell = element("th", undefined, { scope: "col", "aria-sort": sorted.column === at ? (sorted.down ? "descending" : "ascending") : "none" });
      const sign = sorted.column === at ? (sorted.down ? " ▾" : " ▴") : "";
      const button = element("button", column + sign, { type: "button" });
      button.addEventListener("click", () => {
        sorted = { column: at, down: sorted.column === at && !sorted.down };
        fill();
        document.querySelectorAll("thead button")[at].focus();
      });
      cell.append(button);
      head.append(cell);
    });
    document.querySelector("thead").replaceChildren(head);
    const body = document.createDocumentFragment();
    for (const feature of rows.slice(0, rowsShown)) {
      const line = element("tr", undefined, { "data-row": feature.row });
      if (feature === chosen) line.classList.add("chosen");
      const first = element("td");
      const button = element("button", "Show", { type: "button", "aria-label": `Show ${nameOf(feature)}` });
      first.append(button);
      line.append(first);
      line.addEventListener("click", () => choose(feature, true));
      for (const column of layer.values) {
        const value = column[feature.row];
        line.append(element("td", said(value), typeof value === "number" ? { class: "number" } : {}));
      }
      body.append(line);
    }
    document.querySelector("tbody").replaceChildren(body);
    const all = layer.features.length;
    $("counted").textContent = rows.length === all ? `${grouped(all, 0)} features` : `${grouped(rows.length, 0)} of ${grouped(all, 0)} features`;
    $("more").hidden = rows.length <= rowsShown;
  };
