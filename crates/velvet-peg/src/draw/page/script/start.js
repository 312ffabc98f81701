  // The rest of the page.
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
  openTab(0);
  new ResizeObserver(resize).observe(canvas);
})();
