// Pinned values, and the measures of a region.

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
