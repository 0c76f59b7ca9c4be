// The line folds to one bar where a view is about something else, and unfolds by a press, until another view is opened.
"use strict";
(() => {
  const body = () => document.getElementById("body");
  let panel = null;
  let chosen = null; // what a press chose for this view

  function settle() {
    const shown = document.getElementById("panel");
    if (!shown?.dataset.panel) return;
    if (shown.dataset.panel !== panel) chosen = null;
    panel = shown.dataset.panel;
    const folded = chosen ?? "folds" in shown.dataset;
    body().classList.toggle("folded", folded);
    const button = document.getElementById("fold");
    button?.setAttribute("aria-expanded", String(!folded));
    if (button) button.textContent = folded ? "show the line" : "fold the line";
  }

  document.addEventListener("click", (event) => {
    if (!event.target.closest("#fold")) return;
    chosen = !body().classList.contains("folded");
    settle();
  });
  document.addEventListener("unfold", () => {
    chosen = false; // the scrubber is on the line
    settle();
  });
  document.addEventListener("htmx:afterSettle", settle);
  settle();
})();
