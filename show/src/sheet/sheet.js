"use strict";
// The page of a sheet: all panels show the same place at the same scale, with true values under the pointer.
// Positions are kept as shares of the picture's sides, so that pictures of different sizes show the same part.

const data = JSON.parse(document.getElementById("sheet-data").textContent);
const ramps = new Map(data.ramps.map((r) => [r.name, bytesOf(r.colors)]));
const $ = (id) => document.getElementById(id);
const dark = matchMedia("(prefers-color-scheme: dark)");
const PIXEL_WITH_TEXT = 44; // screen pixels that a pixel needs to hold its value
const MOST_ZOOM = 256;

const panels = [];
const view = { u: 0.5, v: 0.5, scale: 1, fits: true };
let cursor = null; // { u, v } of the pixel that is read
let box = null; // { u0, v0, u1, v1 } of the region that is measured
const pins = [];
const over = { on: false, share: 0.5, blink: 0, showsSecond: false };

function bytesOf(text) {
  const raw = atob(text);
  const bytes = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) bytes[i] = raw.charCodeAt(i);
  return bytes;
}

const ARRAYS = {
  u8: Uint8Array, i8: Int8Array, u16: Uint16Array, i16: Int16Array, u32: Uint32Array, i32: Int32Array,
  u64: BigUint64Array, i64: BigInt64Array, f32: Float32Array, f64: Float64Array,
};

/** Samples as they were packed: bytes of equal weight together, integers as differences from the sample to the left. */
async function unpack(panel) {
  const stream = new Blob([bytesOf(panel.samples)]).stream().pipeThrough(new DecompressionStream("deflate"));
  const apart = new Uint8Array(await new Response(stream).arrayBuffer());
  panel.samples = null;
  const Kind = ARRAYS[panel.number];
  const size = Kind.BYTES_PER_ELEMENT;
  const count = apart.length / size;
  const bytes = new Uint8Array(apart.length);
  for (let b = 0; b < size; b++) {
    const from = b * count;
    for (let i = 0; i < count; i++) bytes[i * size + b] = apart[from + i];
  }
  const all = new Kind(bytes.buffer);
  if (panel.differences) {
    const step = panel.planar ? 1 : panel.channels.length;
    const row = panel.shown[0] * step;
    for (let start = 0; start < count; start += row) {
      for (let i = start + step; i < start + row; i++) all[i] += all[i - step];
    }
  }
  return all;
}

/** The place of a sample in its array. */
function at(p, x, y, c) {
  const [w, h] = p.shown;
  return p.planar ? c * w * h + y * w + x : (y * w + x) * p.channels.length + c;
}

/** A sample in codes, or in its unit. */
function valueOf(p, raw, c) {
  if (typeof raw === "bigint") return raw;
  const top = p.channels[c].max_code;
  if (top === null) return raw;
  const code = (raw * top) / p.full;
  return p.reduced ? code : Math.round(code);
}

function fractionOf(p, raw) {
  return p.full === null ? null : Number(raw) / p.full;
}

/** A number as it is read: whole where it is whole, else enough digits. */
function text(value, reduced) {
  if (typeof value === "bigint") return value.toString();
  if (Number.isNaN(value)) return "NaN";
  if (!Number.isFinite(value)) return value > 0 ? "infinity" : "-infinity";
  if (Number.isInteger(value) && Math.abs(value) < 1e15) return String(value);
  if (reduced) return String(Number(value.toPrecision(5)));
  // Single precision is said in as few digits as tell it from its neighbours.
  if (Math.fround(value) === value) {
    for (let digits = 6; digits < 10; digits++) {
      const short = Number(value.toPrecision(digits));
      if (Math.fround(short) === value) return String(short);
    }
  }
  return String(value);
}

function share(fraction) {
  return fraction === null || !Number.isFinite(fraction) ? "" : fraction.toFixed(4);
}

/* ---- what a panel looks like ---- */

function paint(p) {
  const [w, h] = p.shown;
  const image = new ImageData(w, h);
  const out = image.data;
  const { low, high, levels, channel, ramp } = p.tone;
  const span = high - low || 1;
  const steps = levels >= 2 ? levels - 1 : 0;
  const lut = ramp ? ramps.get(ramp) : null;
  const encode = (t) => (p.linear ? (t <= 0.0031308 ? 12.92 * t : 1.055 * t ** (1 / 2.4) - 0.055) : t);
  const scales = p.channels.map((c) => (c.max_code === null ? 1 : c.max_code / p.full));
  const tone = (raw, c) => {
    let t = (Number(raw) * scales[c] - low) / span;
    if (!(t > 0)) t = 0;
    if (t > 1) t = 1;
    return steps ? Math.round(t * steps) / steps : t;
  };
  // Whole samples of 16 bits or less go through a table.
  const table = p.number === "u8" || p.number === "u16" ? new Map() : null;
  const byte = (raw, c) => {
    if (!table) return 255 * encode(tone(raw, c)) + 0.5;
    const key = raw * 8 + c;
    let known = table.get(key);
    if (known === undefined) table.set(key, (known = 255 * encode(tone(raw, c)) + 0.5));
    return known;
  };
  const names = p.channels.map((c) => c.name);
  const alpha = p.layout === "planes" ? -1 : names.indexOf("alpha");
  const single = channel >= 0 ? channel : p.colors === 1 ? 0 : -1;
  const all = p.all;
  const one = p.planar ? 1 : p.channels.length;
  const plane = p.planar ? w * h : 1;
  for (let i = 0, o = 0; i < w * h; i++, o += 4) {
    const first = i * one;
    if (single >= 0) {
      const raw = all[first + single * plane];
      if (raw !== raw) {
        [out[o], out[o + 1], out[o + 2]] = data.nan;
      } else if (lut) {
        const place = 3 * Math.min(255, Math.floor(tone(raw, single) * 255 + 0.5));
        out[o] = lut[place];
        out[o + 1] = lut[place + 1];
        out[o + 2] = lut[place + 2];
      } else {
        out[o] = out[o + 1] = out[o + 2] = byte(raw, single);
      }
    } else if (p.layout === "cmyk") {
      const light = 1 - tone(all[first + 3], 3);
      for (let c = 0; c < 3; c++) out[o + c] = 255 * (1 - tone(all[first + c], c)) * light + 0.5;
    } else {
      for (let c = 0; c < 3; c++) out[o + c] = byte(all[first + c * plane], c);
    }
    out[o + 3] = alpha >= 0 && channel !== alpha ? (255 * all[first + alpha * plane]) / p.full + 0.5 : 255;
  }
  p.painted = out;
  p.image.width = w;
  p.image.height = h;
  p.image.getContext("2d").putImageData(image, 0, 0);
}

/** Screen pixels that a stored pixel of a panel takes. */
const scaleOf = (p) => (view.scale * panels[0].size[0]) / p.shown[0];

/** Where the panel's picture lies on a canvas of this size: left, top, and the scale. */
function placeOf(p, width, height) {
  const s = scaleOf(p);
  return { left: width / 2 - view.u * p.shown[0] * s, top: height / 2 - view.v * p.shown[1] * s, s };
}

function drawOn(canvas, p, options = {}) {
  const ratio = devicePixelRatio || 1;
  const width = canvas.clientWidth;
  const height = canvas.clientHeight;
  if (!width || !height) return;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const g = canvas.getContext("2d");
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  if (!options.keeps) g.clearRect(0, 0, width, height);
  const { left, top, s } = placeOf(p, width, height);
  const [w, h] = p.shown;
  g.save();
  g.beginPath();
  g.rect(options.from ?? 0, 0, (options.to ?? width) - (options.from ?? 0), height);
  g.clip();
  if (p.hasAlpha) checkered(g, left, top, w * s, h * s, width, height);
  g.imageSmoothingEnabled = s < 1;
  g.imageSmoothingQuality = "high";
  g.drawImage(p.image, left, top, w * s, h * s);
  if (s >= PIXEL_WITH_TEXT) write(g, p, left, top, s, width, height);
  g.restore();
  mark(g, p, left, top, s);
}

function checkered(g, left, top, w, h, width, height) {
  g.save();
  g.beginPath();
  g.rect(left, top, w, h);
  g.clip();
  g.fillStyle = "rgb(224,224,224)";
  g.fillRect(0, 0, width, height);
  g.fillStyle = "rgb(184,184,184)";
  for (let y = 0; y < height; y += 8) for (let x = (y / 8) % 2 ? 8 : 0; x < width; x += 16) g.fillRect(x, y, 8, 8);
  g.restore();
}

/** Values inside their pixels. */
function write(g, p, left, top, s, width, height) {
  const [w, h] = p.shown;
  const x0 = Math.max(0, Math.floor(-left / s));
  const y0 = Math.max(0, Math.floor(-top / s));
  const x1 = Math.min(w, Math.ceil((width - left) / s));
  const y1 = Math.min(h, Math.ceil((height - top) / s));
  const only = p.tone.channel;
  const list = only >= 0 ? [only] : p.channels.map((_, c) => c);
  const line = Math.min(s / (list.length + 0.6), s / 4, 22);
  g.font = `${line * 0.86}px ui-monospace, monospace`;
  g.textAlign = "center";
  g.textBaseline = "middle";
  const pixels = p.painted;
  for (let y = y0; y < y1; y++) {
    for (let x = x0; x < x1; x++) {
      const o = 4 * (y * w + x);
      const bright = 0.2126 * pixels[o] + 0.7152 * pixels[o + 1] + 0.0722 * pixels[o + 2] > 120 || pixels[o + 3] < 128;
      g.fillStyle = bright ? "#14181c" : "#f4f2ec";
      list.forEach((c, i) => {
        let words = text(valueOf(p, p.all[at(p, x, y, c)], c), p.reduced);
        if (words.length > 7) words = String(Number(Number(words).toPrecision(5)));
        g.fillText(words, left + (x + 0.5) * s, top + (y + 0.5) * s + (i - (list.length - 1) / 2) * line, s * 0.94);
      });
    }
  }
}

/** The pixel that is read, and the region. */
function mark(g, p, left, top, s) {
  const [w, h] = p.shown;
  const outline = (x, y, ww, hh, color) => {
    g.lineWidth = 3;
    g.strokeStyle = "rgba(0,0,0,.55)";
    g.strokeRect(x, y, ww, hh);
    g.lineWidth = 1.25;
    g.strokeStyle = color;
    g.strokeRect(x, y, ww, hh);
  };
  if (box) {
    const r = regionIn(p);
    const fx = w / p.size[0];
    const fy = h / p.size[1];
    outline(left + r.x0 * fx * s, top + r.y0 * fy * s, (r.x1 - r.x0) * fx * s, (r.y1 - r.y0) * fy * s, "#ffd166");
  }
  if (cursor) {
    const x = Math.min(w - 1, Math.floor(cursor.u * w));
    const y = Math.min(h - 1, Math.floor(cursor.v * h));
    const side = Math.max(s, 5);
    const shift = (side - s) / 2;
    outline(left + x * s - shift, top + y * s - shift, side, side, "#ffffff");
  }
}

let waiting = false;
function redraw() {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    if (over.on) drawStage();
    else for (const p of panels) if (p.all) drawOn(p.canvas, p);
    $("zoom").textContent = `${Math.round(view.scale * 100)} %`;
  });
}

/* ---- one over another ---- */

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

/* ---- moving ---- */

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
  const scale = Math.min(MOST_ZOOM, Math.max(1e-3, view.scale * factor));
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

/* ---- reading ---- */

function pixelIn(p, place) {
  const inside = place.u >= 0 && place.u < 1 && place.v >= 0 && place.v < 1;
  if (!inside) return null;
  return { x: Math.floor(place.u * p.size[0]), y: Math.floor(place.v * p.size[1]) };
}

/** The values of a panel at a place: x, y, and each channel's value, fraction and difference from the first panel. */
function read(p, place) {
  const pixel = pixelIn(p, place);
  if (!pixel || !p.all) return null;
  const sx = Math.floor(place.u * p.shown[0]);
  const sy = Math.floor(place.v * p.shown[1]);
  const first = panels[0];
  const channels = p.channels.map((channel, c) => {
    const raw = p.all[at(p, sx, sy, c)];
    const value = valueOf(p, raw, c);
    const found = { name: channel.name, value, words: text(value, p.reduced), fraction: fractionOf(p, raw), difference: null };
    const same = first.channels.findIndex((other) => other.name === channel.name);
    if (p !== first && same >= 0 && first.all) {
      const other = first.all[at(first, Math.floor(place.u * first.shown[0]), Math.floor(place.v * first.shown[1]), same)];
      const codes = first.channels[same].max_code === channel.max_code && (first.full === null) === (p.full === null);
      if (codes) found.difference = Number(value) - Number(valueOf(first, other, same));
      else if (first.full !== null && p.full !== null) found.difference = fractionOf(p, raw) - fractionOf(first, other);
      found.inFractions = !codes;
    }
    return found;
  });
  return { ...pixel, channels };
}

function signed(value, digits) {
  const words = digits === undefined ? text(value, true) : value.toFixed(digits);
  return value > 0 ? `+${words}` : words;
}

function readout() {
  for (const p of panels) {
    const found = cursor ? read(p, cursor) : null;
    p.readout.replaceChildren();
    if (!found) continue;
    const place = document.createElement("b");
    place.textContent = `x ${found.x}, y ${found.y}`;
    p.readout.append(place);
    for (const c of found.channels) {
      const item = document.createElement("span");
      const fraction = c.fraction === null || p.number.startsWith("f") ? "" : ` (${share(c.fraction)})`;
      const unit = p.unit ? ` ${p.unit}` : "";
      item.textContent = `${c.name} ${p.reduced ? "≈ " : ""}${c.words}${unit}${fraction}`;
      p.readout.append(item);
      if (c.difference !== null && !Number.isNaN(c.difference)) {
        const apart = document.createElement("i");
        apart.textContent = `Δ ${signed(c.difference, c.inFractions ? 4 : undefined)}`;
        item.append(" ", apart);
      }
    }
  }
}

function say(words) {
  $("said").textContent = words;
}

function sayCursor(p) {
  const found = cursor ? read(p, cursor) : null;
  if (found) say(`x ${found.x}, y ${found.y}: ${found.channels.map((c) => `${c.name} ${c.words}`).join(", ")}`);
}

/** Reads another pixel in all panels; none where the pointer has left them. */
function setCursor(place) {
  cursor = place;
  readout();
  redraw();
}

/* ---- pinned readouts ---- */

const HEAD = ["panel", "x", "y", "channel", "value", "fraction", "difference"];

function pin() {
  if (!cursor) return;
  const rows = [];
  for (const p of panels) {
    const found = read(p, cursor);
    if (!found) continue;
    for (const c of found.channels) {
      const fraction = c.fraction === null ? "" : String(c.fraction);
      const apart = c.difference === null ? "" : String(c.difference);
      rows.push([p.title, String(found.x), String(found.y), c.name, c.words, fraction, apart]);
    }
  }
  pins.push(rows);
  showPins();
  say(`pinned, ${pins.length} in the list`);
}

function showPins() {
  const body = $("pins").tBodies[0];
  body.replaceChildren();
  pins.forEach((rows, number) => {
    rows.forEach((row, i) => {
      const tr = body.insertRow();
      const head = document.createElement("th");
      head.scope = "row";
      head.textContent = i === 0 ? String(number + 1) : "";
      tr.append(head);
      for (const [k, words] of row.entries()) {
        const cell = tr.insertCell();
        cell.textContent = k >= 5 && words !== "" ? text(Number(words), true) : words;
        if (k !== 0 && k !== 3) cell.className = "number";
      }
    });
  });
  $("pinned").hidden = pins.length === 0;
}

/** A field of CSV (RFC 4180). A field that a table program would take for a formula is one of a title: it gets a quote before it. */
function field(words) {
  const shown = /^[=+@\t]/.test(words) || /^-[^0-9.i]/.test(words) ? `'${words}` : words;
  return /[",\r\n]/.test(shown) ? `"${shown.replaceAll('"', '""')}"` : shown;
}

function pinsAs(form) {
  const lines = [["pin", ...HEAD]];
  pins.forEach((rows, number) => rows.forEach((row) => lines.push([String(number + 1), ...row])));
  if (form === "csv") return lines.map((line) => line.map(field).join(",")).join("\r\n") + "\r\n";
  return lines.map((line) => line.join("\t")).join("\n") + "\n";
}

async function copy(words, what) {
  try {
    await navigator.clipboard.writeText(words);
    say(`${what} copied`);
  } catch {
    // Without permission the text is shown, selected, to be copied by hand.
    const area = $("copied");
    area.hidden = false;
    area.value = words;
    area.focus();
    area.select();
    say(`${what} is selected: copy it with the keyboard`);
  }
}

/* ---- a region ---- */

function regionIn(p) {
  const [w, h] = p.size;
  const clamp = (v, side) => Math.min(side, Math.max(0, v));
  const x0 = clamp(Math.floor(Math.min(box.u0, box.u1) * w), w - 1);
  const y0 = clamp(Math.floor(Math.min(box.v0, box.v1) * h), h - 1);
  const x1 = Math.max(x0 + 1, clamp(Math.floor(Math.max(box.u0, box.u1) * w) + 1, w));
  const y1 = Math.max(y0 + 1, clamp(Math.floor(Math.max(box.v0, box.v1) * h) + 1, h));
  return { x0, y0, x1, y1 };
}

const wordsOf = (r) => `--x ${r.x0}..${r.x1} --y ${r.y0}..${r.y1}`;

/** Mean, standard deviation over n, least and greatest value of each channel; NaN is left out and counted. */
function measure(p) {
  const r = regionIn(p);
  const fx = p.shown[0] / p.size[0];
  const fy = p.shown[1] / p.size[1];
  const x0 = Math.floor(r.x0 * fx);
  const y0 = Math.floor(r.y0 * fy);
  const x1 = Math.max(x0 + 1, Math.floor(r.x1 * fx));
  const y1 = Math.max(y0 + 1, Math.floor(r.y1 * fy));
  return p.channels.map((channel, c) => {
    let n = 0, nan = 0, mean = 0, sum = 0, low = Infinity, high = -Infinity;
    for (let y = y0; y < y1; y++) {
      for (let x = x0; x < x1; x++) {
        const v = Number(valueOf(p, p.all[at(p, x, y, c)], c));
        if (Number.isNaN(v)) {
          nan++;
          continue;
        }
        n++;
        const apart = v - mean;
        mean += apart / n;
        sum += apart * (v - mean);
        if (v < low) low = v;
        if (v > high) high = v;
      }
    }
    return { name: channel.name, n, nan, mean: n ? mean : NaN, std: n ? Math.sqrt(sum / n) : NaN, low, high };
  });
}

function showRegion() {
  $("region").hidden = !box;
  if (!box) return;
  const body = $("measured").tBodies[0];
  body.replaceChildren();
  $("region-words").textContent = wordsOf(regionIn(panels[0]));
  for (const p of panels) {
    if (!p.all) continue;
    measure(p).forEach((m, i) => {
      const tr = body.insertRow();
      const head = document.createElement("th");
      head.scope = "row";
      head.textContent = i === 0 ? p.title + (p.reduced ? " (reduced)" : "") : "";
      tr.append(head);
      const words = [m.name, text(m.mean, true), text(m.std, true), text(m.low, true), text(m.high, true), String(m.n)];
      words.forEach((w, k) => {
        const cell = tr.insertCell();
        cell.textContent = m.n === 0 && k > 0 && k < 5 ? "none" : w;
        if (k > 0) cell.className = "number";
      });
    });
  }
}

/* ---- pointer and keys ---- */

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
    zoom(1 / view.scale);
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

/* ---- the tone of a panel ---- */

function controls(p) {
  const form = p.element.querySelector("form");
  const get = (name) => form.elements.namedItem(name);
  const update = () => {
    const low = Number(get("low").value);
    const high = Number(get("high").value);
    p.tone = {
      low: Number.isFinite(low) ? low : p.window[0],
      high: Number.isFinite(high) ? high : p.window[1],
      levels: Math.max(0, Math.floor(Number(get("levels").value) || 0)),
      channel: get("channel") ? Number(get("channel").value) : -1,
      ramp: get("ramp").value,
    };
    get("ramp").disabled = p.colors !== 1 && p.tone.channel < 0;
    if (get("ramp").disabled) p.tone.ramp = "";
    legend(p);
    paint(p);
    redraw();
  };
  form.addEventListener("input", update);
  form.addEventListener("submit", (event) => event.preventDefault());
  form.addEventListener("reset", () => setTimeout(update));
  update();
}

/** The bar of a ramp, with the values of its ends. */
function legend(p) {
  const bar = p.element.querySelector(".legend");
  const lut = ramps.get(p.tone.ramp);
  bar.hidden = !lut;
  if (!lut) return;
  const stops = Array.from({ length: 33 }, (_, i) => {
    const place = 3 * Math.round((i * 255) / 32);
    return `rgb(${lut[place]},${lut[place + 1]},${lut[place + 2]})`;
  });
  bar.firstElementChild.style.background = `linear-gradient(to right, ${stops.join(", ")})`;
  const unit = p.unit ? ` ${p.unit}` : "";
  bar.lastElementChild.replaceChildren(
    ...[p.tone.low, p.tone.high].map((value) => {
      const end = document.createElement("span");
      end.textContent = text(value, true) + unit;
      return end;
    }),
  );
}

/* ---- the start ---- */

async function start() {
  for (const [i, panel] of data.panels.entries()) {
    const element = $(`panel-${i}`);
    const p = Object.assign(panel, {
      element,
      canvas: element.querySelector("canvas"),
      readout: element.querySelector("output"),
      image: document.createElement("canvas"),
      all: null,
    });
    p.hasAlpha = p.layout !== "planes" && p.channels.some((c) => c.name === "alpha");
    p.colors = p.channels.length - (p.hasAlpha ? 1 : 0);
    panels.push(p);
    listen(p.canvas, () => p);
  }
  listen($("stage"), (event) => {
    const stage = $("stage");
    const right = over.blink ? over.showsSecond : event.clientX - stage.getBoundingClientRect().left > stage.clientWidth * over.share;
    return panels[Number($(right ? "above" : "under").value)];
  });
  $("fit").onclick = fit;
  $("whole").onclick = () => zoom(1 / view.scale);
  $("nearer").onclick = () => zoom(2);
  $("farther").onclick = () => zoom(0.5);
  $("select-button").onclick = (event) => toggle(event.currentTarget);
  $("over-button").onclick = () => setOver(!over.on);
  $("blink-button").onclick = () => setBlink(!over.blink);
  $("edge").oninput = () => ((over.share = Number($("edge").value) / 100), setBlink(false));
  $("under").onchange = $("above").onchange = redraw;
  $("theme").onclick = () => {
    const now = document.documentElement.dataset.theme || (dark.matches ? "dark" : "light");
    document.documentElement.dataset.theme = now === "dark" ? "light" : "dark";
  };
  $("copy-text").onclick = () => copy(pinsAs("text"), "the list");
  $("copy-csv").onclick = () => copy(pinsAs("csv"), "the list as CSV");
  $("clear-pins").onclick = () => ((pins.length = 0), showPins());
  $("copy-region").onclick = () => copy($("region-words").textContent, "the region");
  if (panels.length < 2) $("over-button").disabled = true;
  new ResizeObserver(() => (view.fits ? fit() : redraw())).observe($("grid"));
  new ResizeObserver(() => (view.fits ? fit() : redraw())).observe($("stage"));
  for (const p of panels) {
    p.all = await unpack(p);
    controls(p);
    fit();
  }
  document.documentElement.dataset.ready = "true";
}

function toggle(button) {
  button.setAttribute("aria-pressed", String(button.getAttribute("aria-pressed") !== "true"));
}

start().catch((error) => {
  $("failed").hidden = false;
  $("failed").textContent = `The pictures cannot be shown: ${error}. A browser of 2023 or later is needed.`;
  console.error(error);
});
