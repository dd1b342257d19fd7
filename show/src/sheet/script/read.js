// Reading the pixel under the pointer in every panel.

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
