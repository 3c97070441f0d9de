// Scrubbing an egg by its minutes, and choosing a point of its map.
const form = () => document.getElementById("sentence");

const choose = (parts) => {
  for (const [name, value] of Object.entries(parts)) {
    const field = form().elements[name];
    if (field) field.value = value;
  }
  form().dispatchEvent(new Event("change", { bubbles: true }));
};

document.addEventListener("change", (e) => {
  if (e.target.matches("[data-scrub]")) choose({ [e.target.dataset.scrub]: e.target.value });
});

document.addEventListener("click", (e) => {
  const map = e.target.closest("[data-egg-map]");
  if (!map) return;
  const box = map.querySelector(".map-frame").getBoundingClientRect();
  const x = Math.min(Math.max((e.clientX - box.left) / box.width, 0), 1);
  const y = Math.min(Math.max((e.clientY - box.top) / box.height, 0), 1);
  const { m0, m1, c0, c1 } = map.dataset;
  const minutes = Number(m0) + x * (m1 - m0);
  const water = Number(c1) - y * (c1 - c0);
  const f = form().elements;
  const near = Number(c1) - water < 0.8 && f.water.value !== "bath";
  const imperial = document.body.dataset.units?.startsWith("F");
  const shown = imperial ? water * 1.8 + 32 : water;
  if (near) choose({ minutes: minutes.toFixed(2), was_yolk: f.yolk.value, was_water: f.water.value });
  else {
    if (!f.heat_c) {
      const made = document.createElement("input");
      made.type = "hidden";
      made.name = "heat_c";
      form().append(made);
    }
    choose({ water: "bath", was_water: "bath", heat_c: shown.toFixed(1), minutes: minutes.toFixed(2) });
  }
});
