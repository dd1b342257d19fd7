// One picture over another, and moving: all panels together.

function drawStage() {
  const a = panels[Number($("under").value)];
  const b = panels[Number($("above").value)];
  const stage = $("stage");
  if (!a?.all || !b?.all) return;
  if (over.blink) {
    drawOn(stage, over.showsSecond ? b : a);
  } else {
    const edge = stage.clientWidth * over.share;
    drawOn(stage, a, { to: edge });
    drawOn(stage, b, { from: edge, keeps: true });
    const g = stage.getContext("2d");
    g.fillStyle = "rgba(0,0,0,.6)";
    g.fillRect(edge - 1.5, 0, 3, stage.clientHeight);
    g.fillStyle = "#fff";
    g.fillRect(edge - 0.5, 0, 1, stage.clientHeight);
  }
  const sides = over.blink ? [["shown", over.showsSecond ? b : a]] : [["left", a], ["right", b]];
  $("stage-words").replaceChildren(
    ...sides.map(([side, p]) => {
      const line = document.createElement("div");
      line.append(`${side}: ${p.title} `, ...[...p.readout.childNodes].map((node) => node.cloneNode(true)));
      return line;
    }),
  );
}

function setOver(on) {
  over.on = on;
  $("grid").hidden = on;
  $("over").hidden = !on;
  $("over-button").setAttribute("aria-pressed", String(on));
  if (!on) setBlink(false);
  if (view.fits) fit();
  redraw();
}

function setBlink(on) {
  clearInterval(over.blink);
  over.blink = on ? setInterval(() => ((over.showsSecond = !over.showsSecond), redraw()), 700) : 0;
  $("blink-button").setAttribute("aria-pressed", String(on));
  redraw();
}

function firstCanvas() {
  return over.on ? $("stage") : panels[0].canvas;
}

function fit() {
  const canvas = firstCanvas();
  const [w, h] = panels[0].size;
  let scale = Math.min((canvas.clientWidth - 8) / w, (canvas.clientHeight - 8) / h);
  if (scale > 1) scale = Math.floor(scale);
  Object.assign(view, { u: 0.5, v: 0.5, scale: Math.max(scale, 1e-4), fits: true });
  redraw();
}

/** Zooms by a factor about a place on a canvas; none is its middle. */
function zoom(factor, canvas, p, px, py) {
  zoomTo(view.scale * factor, canvas, p, px, py);
}

/** Zooms to a scale, which is taken as it is: a product of a scale and its inverse need not be 1. */
function zoomTo(wanted, canvas, p, px, py) {
  const scale = Math.min(MOST_ZOOM, Math.max(1e-3, wanted));
  if (canvas && px !== undefined) {
    const before = placeOf(p, canvas.clientWidth, canvas.clientHeight);
    const u = (px - before.left) / (before.s * p.shown[0]);
    const v = (py - before.top) / (before.s * p.shown[1]);
    view.scale = scale;
    const s = scaleOf(p);
    view.u = u - (px - canvas.clientWidth / 2) / (s * p.shown[0]);
    view.v = v - (py - canvas.clientHeight / 2) / (s * p.shown[1]);
  } else {
    view.scale = scale;
  }
  view.fits = false;
  keepInside();
  redraw();
}

function pan(p, dx, dy) {
  const s = scaleOf(p);
  view.u -= dx / (s * p.shown[0]);
  view.v -= dy / (s * p.shown[1]);
  view.fits = false;
  keepInside();
  redraw();
}

function keepInside() {
  view.u = Math.min(1, Math.max(0, view.u));
  view.v = Math.min(1, Math.max(0, view.v));
}
