  // Pointers: one moves, two zoom, a still one opens.
  const pointers = new Map();
  let began = null;
  const placed = (event) => {
    const box = canvas.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    pointers.set(event.pointerId, placed(event));
    began = { at: placed(event), moved: false };
  });
  canvas.addEventListener("pointermove", (event) => {
    const at = placed(event);
    tell(at, event);
    const before = pointers.get(event.pointerId);
    if (!before) return;
    if (pointers.size === 2) {
      const other = [...pointers].find(([id]) => id !== event.pointerId)[1];
      const apart = (a, b) => Math.max(1, Math.hypot(a[0] - b[0], a[1] - b[1]));
      zoom(apart(at, other) / apart(before, other), (at[0] + other[0]) / 2, (at[1] + other[1]) / 2);
      began = null;
    } else {
      if (began && Math.hypot(at[0] - began.at[0], at[1] - began.at[1]) > 4) began.moved = true;
      if (began?.moved) {
        moveTo(view.x + mapX(before[0]) - mapX(at[0]), view.y + mapY(before[1]) - mapY(at[1]));
      }
    }
    pointers.set(event.pointerId, at);
  });
  const lifted = (event) => {
    pointers.delete(event.pointerId);
    if (data.view && event.type === "pointerup" && began && !began.moved) {
      const at = placed(event);
      if (isMeasuring) {
        measuring.push([mapX(at[0]), mapY(at[1])]);
        measured();
        draw();
      } else {
        // A second click at a place opens what lies under the first.
        const under = hits(...at, reachOf(event));
        choose(under[(under.indexOf(chosen) + 1) % Math.max(under.length, 1)] ?? null);
      }
    }
    began = null;
  };
  canvas.addEventListener("pointerup", lifted);
  canvas.addEventListener("pointercancel", lifted);
  canvas.addEventListener("pointerleave", () => { $("tip").style.display = "none"; });
  canvas.addEventListener("wheel", (event) => {
    event.preventDefault();
    zoom(Math.exp(-event.deltaY / 400), ...placed(event));
  }, { passive: false });
  canvas.addEventListener("dblclick", (event) => zoom(2, ...placed(event)));
  canvas.addEventListener("keydown", (event) => {
    const move = { ArrowLeft: [-60, 0], ArrowRight: [60, 0], ArrowUp: [0, -60], ArrowDown: [0, 60] }[event.key];
    if (!data.view) return;
    if (move) {
      moveTo(mapX(wide / 2 + move[0]), mapY(high / 2 + move[1]));
    } else if (event.key === "+" || event.key === "=") zoom(1.5);
    else if (event.key === "-") zoom(1 / 1.5);
    else if (event.key === "0") whole();
    else if (event.key === "Escape") choose(null);
    else if (event.key === "Enter") {
      if (isMeasuring) { measuring.push([view.x, view.y]); measured(); draw(); } else {
        const under = hits(wide / 2, high / 2, 24);
        choose(under[(under.indexOf(chosen) + 1) % Math.max(under.length, 1)] ?? null);
      }
    } else return;
    event.preventDefault();
    tell([wide / 2, high / 2]);
  });
  for (const name of ["focus", "blur"]) canvas.addEventListener(name, draw);
  const tell = (at, event) => {
    if (!data.view) return;
    $("pointer").textContent = forms(mapX(at[0]), mapY(at[1])).join("   ·   ");
    const tip = $("tip");
    const under = event && event.pointerType !== "touch" && pointers.size === 0 ? hits(...at, reachOf(event))[0] : null;
    tip.style.display = under ? "block" : "none";
    if (under) {
      tip.textContent = `${nameOf(under)}, ${under.layer.title}`;
      tip.style.left = `${Math.min(at[0] + 12, wide - 160)}px`;
      tip.style.top = `${at[1] + 14}px`;
    }
  };
