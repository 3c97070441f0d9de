// The tour, a step at a time: without scripts its steps stand as a list.
(() => {
  const tour = document.getElementById("tour");
  if (!tour) return;
  const steps = [...tour.querySelectorAll("li")],
    next = tour.querySelector("[data-next]"),
    at = tour.querySelector(".at");
  let step = 0;
  const show = () => {
    steps.forEach((el, i) => {
      el.hidden = i !== step;
    });
    at.textContent = `${step + 1} / ${steps.length}`;
    for (const el of document.querySelectorAll(".is-toured")) el.classList.remove("is-toured");
    if (tour.isConnected) document.querySelector(steps[step].dataset.at)?.classList.add("is-toured");
    next.hidden = step === steps.length - 1;
    if (next.hidden) tour.querySelector("[data-done]").classList.replace("btn-link", "btn-outline-primary");
  };
  tour.classList.add("is-stepped");
  at.hidden = false;
  next.addEventListener("click", () => {
    step += 1;
    show();
    document.querySelector(steps[step].dataset.at)?.scrollIntoView({ block: "nearest" });
    if (next.hidden) tour.querySelector("[data-done]").focus();
  });
  document.addEventListener("htmx:afterSettle", show);
  show();
})();
