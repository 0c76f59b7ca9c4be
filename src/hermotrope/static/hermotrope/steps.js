// The step that is open is the part that is lit in the wiring beside it; a mark on the drawing presses its button.
"use strict";
(() => {
  let next = false; // "Done, next" was pressed: the focus goes on to the step that opens

  function light(step) {
    const drawing = document.querySelector("#here svg.wiring");
    if (!drawing || !step) return;
    drawing.setAttribute("viewBox", step.dataset.view);
    for (const part of drawing.querySelectorAll("[data-part]"))
      part.classList.toggle("lit", part.dataset.part === step.dataset.of);
    for (const row of document.querySelectorAll(".here-list [data-of]"))
      row.classList.toggle("lit", row.dataset.of === step.dataset.of);
  }
  const open = () => document.querySelector("#steps details[open]");

  document.addEventListener(
    "toggle",
    (event) => {
      if (event.target.matches?.("#steps details") && event.target.open) light(event.target);
    },
    true, // it does not bubble
  );
  document.addEventListener("click", (event) => {
    next = Boolean(event.target.closest(".step-next"));
    const mark = event.target.closest("[data-press]");
    if (mark) document.getElementById(mark.dataset.press)?.click();
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (!next) return;
    next = false;
    const summary = open()?.querySelector("summary") ?? document.querySelector("#steps summary");
    summary?.focus({ preventScroll: true });
    summary?.scrollIntoView({ block: "nearest" });
  });
})();
