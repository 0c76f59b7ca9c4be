// A press on a point of the drill's line puts the red probe there, the next press the black one.
"use strict";
document.addEventListener("click", (event) => {
  const point = event.target.closest(".drill-line [data-point]");
  const form = document.querySelector(".drill-probe");
  if (!point || !form) return;
  const next = form.dataset.next === "black" ? "black" : "red";
  form.elements[next].selectedIndex = Number(point.dataset.point) - 1;
  form.dataset.next = next === "red" ? "black" : "red";
  document.querySelectorAll(`.drill-line .on-${next}`).forEach((one) => one.classList.remove(`on-${next}`));
  point.classList.add(`on-${next}`);
});
