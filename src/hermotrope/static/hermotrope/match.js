// The way under the pointer or the focus is drawn large beside the list.
"use strict";
(() => {
  function point(event) {
    const way = event.target.closest?.("#ways .way-list .way"),
      shown = document.getElementById("pointed");
    if (!way || !shown || shown.dataset.way === way.id) return;
    shown.dataset.way = way.id;
    shown.hidden = false;
    const drawing = way.querySelector(".way-scale").cloneNode(true);
    drawing.setAttribute("class", "way-scale large");
    shown.querySelector("svg")?.remove();
    shown.prepend(drawing);
    shown.querySelector("figcaption").textContent =
      way.querySelector("h3").textContent.trim().replace(/\s+/g, " ") + ": " + drawing.getAttribute("aria-label") + ".";
  }
  document.addEventListener("pointerover", point);
  document.addEventListener("focusin", point);
})();
