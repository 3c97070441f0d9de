// Scrubbing an egg by its minutes, and choosing a point of its map.
const form = () => /** @type {HTMLFormElement} */ (document.getElementById("sentence"));
/** @param {string} name */
const field = (name) => /** @type {HTMLInputElement | null} */ (form().elements.namedItem(name));

/** @param {Record<string, string>} parts */
const choose = (parts) => {
  for (const [name, value] of Object.entries(parts)) {
    const one = field(name);
    if (one) one.value = value;
  }
  form().dispatchEvent(new Event("change", { bubbles: true }));
};

document.addEventListener("change", (e) => {
  const slider = /** @type {HTMLInputElement} */ (e.target);
  if (slider.dataset.scrub) choose({ [slider.dataset.scrub]: slider.value });
});

document.addEventListener("click", (e) => {
  const map = /** @type {SVGElement | null} */ (/** @type {Element} */ (e.target).closest("[data-egg-map]"));
  const frame = map?.querySelector(".map-frame");
  if (!map || !frame) return;
  const box = frame.getBoundingClientRect();
  const x = Math.min(Math.max((e.clientX - box.left) / box.width, 0), 1);
  const y = Math.min(Math.max((e.clientY - box.top) / box.height, 0), 1);
  const [m0, m1, c0, c1] = ["m0", "m1", "c0", "c1"].map((name) => Number(map.dataset[name]));
  const minutes = m0 + x * (m1 - m0);
  const water = c1 - y * (c1 - c0);
  const was = (/** @type {string} */ name) => field(name)?.value ?? "";
  const near = c1 - water < 0.8 && was("water") !== "bath";
  const imperial = document.body.dataset.units?.startsWith("F");
  const shown = imperial ? water * 1.8 + 32 : water;
  if (near) choose({ minutes: minutes.toFixed(2), was_yolk: was("yolk"), was_water: was("water") });
  else {
    if (!field("heat_c")) {
      const made = document.createElement("input");
      made.type = "hidden";
      made.name = "heat_c";
      form().append(made);
    }
    choose({ water: "bath", was_water: "bath", heat_c: shown.toFixed(1), minutes: minutes.toFixed(2) });
  }
});
