"use strict";
// Tables sort by the column whose title is pressed; once more turns the order.
(() => {
  for (const table of document.querySelectorAll("table.sorts")) {
    const heads = [...table.tHead.rows[0].cells];
    const body = table.tBodies[0];
    const asWritten = [...body.rows];
    const place = new Map(asWritten.map((row, at) => [row, at]));
    heads.forEach((head, column) => {
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = head.textContent;
      head.replaceChildren(button);
      button.addEventListener("click", () => {
        const down = head.getAttribute("aria-sort") === "ascending";
        for (const other of heads) other.removeAttribute("aria-sort");
        head.setAttribute("aria-sort", down ? "descending" : "ascending");
        const sense = down ? -1 : 1;
        const key = (row) => {
          const cell = row.cells[column];
          const words = cell.textContent.trim();
          if (!words) return null;
          return cell.dataset.value === undefined ? words : Number(cell.dataset.value);
        };
        const rows = [...asWritten].sort((a, b) => {
          const [u, v] = [key(a), key(b)];
          const equal = place.get(a) - place.get(b);
          // Blanks stay at the end.
          if (u === null || v === null) return (u === null) - (v === null) || equal;
          if (typeof u === "number" && typeof v === "number") return (u - v) * sense || equal;
          return String(u).localeCompare(String(v), "en", { numeric: true }) * sense || equal;
        });
        body.replaceChildren(...rows);
      });
    });
  }
})();
