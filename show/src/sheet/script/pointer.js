// Pointer and keys.

function listen(canvas, panelOf) {
  const touches = new Map();
  let held = null;
  const place = (event) => {
    const p = panelOf(event);
    const rect = canvas.getBoundingClientRect();
    const px = event.clientX - rect.left;
    const py = event.clientY - rect.top;
    const { left, top, s } = placeOf(p, canvas.clientWidth, canvas.clientHeight);
    return { p, px, py, u: (px - left) / (s * p.shown[0]), v: (py - top) / (s * p.shown[1]) };
  };
  canvas.addEventListener("pointerdown", (event) => {
    canvas.focus({ preventScroll: true });
    // A pointer that is made by a script cannot be held.
    try {
      canvas.setPointerCapture(event.pointerId);
    } catch {}
    const now = place(event);
    touches.set(event.pointerId, now);
    const selects = event.shiftKey || $("select-button").getAttribute("aria-pressed") === "true";
    held = { from: now, last: now, moved: false, selects };
    event.preventDefault();
  });
  canvas.addEventListener("pointermove", (event) => {
    const now = place(event);
    if (touches.has(event.pointerId) && touches.size === 2) {
      const [a, b] = [...touches.values()];
      const before = Math.hypot(a.px - b.px, a.py - b.py);
      touches.set(event.pointerId, now);
      const [c, d] = [...touches.values()];
      const after = Math.hypot(c.px - d.px, c.py - d.py);
      pan(now.p, (c.px + d.px - a.px - b.px) / 2, (c.py + d.py - a.py - b.py) / 2);
      if (before > 0) zoom(after / before, canvas, now.p, (c.px + d.px) / 2, (c.py + d.py) / 2);
      if (held) held.moved = true;
      return;
    }
    touches.has(event.pointerId) && touches.set(event.pointerId, now);
    if (held && Math.hypot(now.px - held.from.px, now.py - held.from.py) > 3) held.moved = true;
    if (held?.moved && held.selects) {
      box = { u0: held.from.u, v0: held.from.v, u1: now.u, v1: now.v };
      showRegion();
      redraw();
    } else if (held?.moved) {
      pan(now.p, now.px - held.last.px, now.py - held.last.py);
    }
    if (held) held.last = now;
    setCursor(pixelIn(now.p, now) ? { u: now.u, v: now.v } : null);
  });
  const end = (event) => {
    touches.delete(event.pointerId);
    if (held && !held.moved && event.type === "pointerup") {
      const now = place(event);
      setCursor(pixelIn(now.p, now) ? { u: now.u, v: now.v } : null);
      if (held.selects) {
        box = null;
        showRegion();
        redraw();
      } else {
        pin();
      }
    }
    if (touches.size === 0) held = null;
  };
  canvas.addEventListener("pointerup", end);
  canvas.addEventListener("pointercancel", end);
  canvas.addEventListener("pointerleave", () => held || document.activeElement === canvas || setCursor(null));
  canvas.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      const now = place(event);
      zoom(Math.exp(-Math.max(-400, Math.min(400, event.deltaY * (event.deltaMode === 1 ? 16 : 1))) / 320), canvas, now.p, now.px, now.py);
    },
    { passive: false },
  );
  canvas.addEventListener("keydown", (event) => key(event, canvas, panelOf(event)));
  canvas.addEventListener("focus", () => {
    if (!cursor) setCursor({ u: Math.min(0.999999, view.u), v: Math.min(0.999999, view.v) });
  });
}

let corner = null; // where a region was begun by key

function key(event, canvas, p) {
  if (event.ctrlKey || event.metaKey) return;
  const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  const move = arrows[event.key];
  if (move && event.shiftKey) {
    pan(p, -move[0] * canvas.clientWidth * 0.1, -move[1] * canvas.clientHeight * 0.1);
  } else if (move) {
    const [w, h] = p.size;
    const step = event.altKey ? 10 : 1;
    const now = pixelIn(p, cursor ?? view) ?? { x: 0, y: 0 };
    const x = Math.min(w - 1, Math.max(0, now.x + move[0] * step));
    const y = Math.min(h - 1, Math.max(0, now.y + move[1] * step));
    setCursor({ u: (x + 0.5) / w, v: (y + 0.5) / h });
    follow(p, canvas);
    if (corner) {
      box = { u0: corner.u, v0: corner.v, u1: cursor.u, v1: cursor.v };
      showRegion();
    }
    sayCursor(p);
  } else if (event.key === "+" || event.key === "=") {
    zoomAtCursor(2, canvas, p);
  } else if (event.key === "-") {
    zoomAtCursor(0.5, canvas, p);
  } else if (event.key === "0") {
    fit();
  } else if (event.key === "1") {
    zoomTo(1);
  } else if (event.key === "Enter" || event.key === " ") {
    pin();
  } else if (event.key === "r" || event.key === "R") {
    corner = corner ? null : cursor;
    if (corner) box = { u0: corner.u, v0: corner.v, u1: corner.u, v1: corner.v };
    showRegion();
    say(corner ? "region begun: move with the arrows, end with r" : `region ${wordsOf(regionIn(p))}`);
    redraw();
  } else if (event.key === "b" || event.key === "B") {
    if (!over.on) setOver(true);
    else if (over.blink) setBlink(false);
    over.showsSecond = !over.showsSecond;
    over.share = over.showsSecond ? 0 : 1;
    $("edge").value = String(over.share * 100);
    redraw();
  } else if (event.key === "Escape") {
    corner = box = null;
    showRegion();
    redraw();
  } else {
    return;
  }
  event.preventDefault();
}

function zoomAtCursor(factor, canvas, p) {
  if (!cursor) return zoom(factor);
  const { left, top, s } = placeOf(p, canvas.clientWidth, canvas.clientHeight);
  zoom(factor, canvas, p, left + cursor.u * p.shown[0] * s, top + cursor.v * p.shown[1] * s);
}

/** Keeps the pixel that is read on the canvas. */
function follow(p, canvas) {
  const { left, top, s } = placeOf(p, canvas.clientWidth, canvas.clientHeight);
  const x = left + cursor.u * p.shown[0] * s;
  const y = top + cursor.v * p.shown[1] * s;
  const outside = (v, side) => Math.min(0, v - 20) || Math.max(0, v + 20 - side);
  const dx = outside(x, canvas.clientWidth);
  const dy = outside(y, canvas.clientHeight);
  if (dx || dy) pan(p, -dx, -dy);
}
