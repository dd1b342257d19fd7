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
