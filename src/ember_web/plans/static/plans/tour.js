// The tour, a step at a time: without scripts its steps stand as a list.
(() => {
  const tour = document.getElementById("tour");
  if (!tour) return;
  const steps = [...tour.querySelectorAll("li")],
    next = /** @type {HTMLButtonElement} */ (tour.querySelector("[data-next]")),
    done = /** @type {HTMLElement} */ (tour.querySelector("[data-done]")),
    at = /** @type {HTMLElement} */ (tour.querySelector(".at"));
  /** @param {HTMLElement} of */
  const pointed = (of) => document.querySelector(of.dataset.at ?? "main");
  let step = 0;
  const show = () => {
    steps.forEach((el, i) => {
      el.hidden = i !== step;
    });
    at.textContent = `${step + 1} / ${steps.length}`;
    for (const el of document.querySelectorAll(".is-toured")) el.classList.remove("is-toured");
    if (tour.isConnected) pointed(steps[step])?.classList.add("is-toured");
    next.hidden = step === steps.length - 1;
    if (next.hidden) done.classList.replace("btn-link", "btn-outline-primary");
  };
  tour.classList.add("is-stepped");
  at.hidden = false;
  next.addEventListener("click", () => {
    step += 1;
    show();
    pointed(steps[step])?.scrollIntoView({ block: "nearest" });
    if (next.hidden) done.focus();
  });
  document.addEventListener("htmx:afterSettle", show);
  show();
})();
