// The tone of a panel, its legend, and the start of it all.

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
  $("whole").onclick = () => zoomTo(1);
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
