// What a panel looks like: its tone, its pixels on the canvas, values inside large pixels, and marks.

function paint(p) {
  const [w, h] = p.shown;
  const image = new ImageData(w, h);
  const out = image.data;
  const { low, high, levels, channel, ramp } = p.tone;
  const span = high - low || 1;
  const steps = levels >= 2 ? levels - 1 : 0;
  const lut = ramp ? ramps.get(ramp) : null;
  const curve = (light) => (light <= 0.0031308 ? 12.92 * light : 1.055 * light ** (1 / 2.4) - 0.055);
  // The array would round ties to even numbers by itself: levels are rounded here, ties up.
  const level = (t) => Math.floor(255 * t + 0.5);
  // Light of a channel where another space than sRGB is stated.
  const lightOf = (t, c) => {
    const list = p.light[c];
    const place = t * (list.length - 1);
    const i = Math.min(list.length - 2, Math.floor(place));
    return list[i] + (list[i + 1] - list[i]) * (place - i);
  };
  const seen = (light) => curve(Math.min(1, Math.max(0, light)));
  const encode = (t, c) => (p.light ? seen(lightOf(t, c)) : p.linear ? curve(t) : t);
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
    if (!table) return level(encode(tone(raw, c), c));
    const key = raw * 8 + c;
    let known = table.get(key);
    if (known === undefined) table.set(key, (known = level(encode(tone(raw, c), c))));
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
        const place = 3 * level(tone(raw, single));
        out[o] = lut[place];
        out[o + 1] = lut[place + 1];
        out[o + 2] = lut[place + 2];
      } else {
        out[o] = out[o + 1] = out[o + 2] = byte(raw, single);
      }
    } else if (p.layout === "cmyk") {
      const light = 1 - tone(all[first + 3], 3);
      for (let c = 0; c < 3; c++) out[o + c] = level((1 - tone(all[first + c], c)) * light);
    } else if (p.matrix) {
      const light = [0, 1, 2].map((c) => lightOf(tone(all[first + c * plane], c), c));
      for (let c = 0; c < 3; c++) {
        const [a, b, d] = p.matrix[c];
        out[o + c] = level(seen(a * light[0] + b * light[1] + d * light[2]));
      }
    } else {
      for (let c = 0; c < 3; c++) out[o + c] = byte(all[first + c * plane], c);
    }
    out[o + 3] = alpha >= 0 && channel !== alpha ? level(all[first + alpha * plane] / p.full) : 255;
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
