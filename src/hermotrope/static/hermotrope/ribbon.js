// The duty's ribbon: the end of a stretch is dragged, or moved by arrow keys (Shift: ten at a time).
"use strict";
(() => {
  const MINUTE = 60;
  let drag = null;
  const neat = (seconds) => { const unit = seconds > 7200 ? 300 : seconds > 600 ? 60 : seconds > 60 ? 5 : 1; return Math.max(unit, Math.round(seconds / unit) * unit); };

  function send(edge, seconds) {
    const version = document.querySelector("#state input[name=version]")?.value;
    htmx.ajax("POST", location.pathname + "duty/", { target: "#body", values: { do: "resize", at: edge, seconds: Math.round(seconds), version, panel: "run" } });
    again = edge;
  }

  document.addEventListener("pointerdown", (event) => {
    const edge = event.target.closest("[data-edge]");
    if (!edge || event.button !== 0) return;
    const svg = edge.closest("svg");
    drag = { edge, svg, x: event.clientX, seconds: Number(edge.dataset.seconds), scale: Number(svg.dataset.total) / svg.getBoundingClientRect().width, now: null, pointer: event.pointerId };
    event.preventDefault();
    edge.focus();
  });
  document.addEventListener("pointermove", (event) => {
    if (!drag || event.pointerId !== drag.pointer) return;
    drag.now = neat(drag.seconds + (event.clientX - drag.x) * drag.scale);
    drag.edge.setAttribute("transform", `translate(${(drag.now - drag.seconds) / drag.scale * 820 / drag.svg.getBoundingClientRect().width} 0)`);
    drag.edge.setAttribute("aria-valuetext", figures.clock(drag.now));
    let box = drag.svg.parentNode.querySelector(".ribbon-says");
    if (!box) { box = document.createElement("p"); box.className = "ribbon-says row-note"; drag.svg.parentNode.append(box); }
    box.textContent = figures.clock(drag.now);
  });
  const end = (event) => {
    if (!drag || event.pointerId !== drag.pointer) return;
    const done = drag;
    drag = null;
    if (done.now !== null && event.type === "pointerup" && done.now !== done.seconds) send(done.edge.dataset.edge, done.now);
    else done.edge.removeAttribute("transform");
  };
  document.addEventListener("pointerup", end);
  document.addEventListener("pointercancel", end);
  document.addEventListener("keydown", (event) => {
    const edge = event.target.closest?.("[data-edge]");
    const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
    if (!edge || !by) return;
    event.preventDefault();
    const seconds = Number(edge.dataset.seconds), unit = seconds >= 2 * MINUTE ? MINUTE : 1;
    send(edge.dataset.edge, Math.max(1, seconds + by * unit * (event.shiftKey ? 10 : 1)));
  });
  let again = null;
  document.addEventListener("htmx:afterSettle", () => {
    if (again === null) return;
    if (document.activeElement === document.body) document.querySelector(`[data-edge="${again}"]`)?.focus();
    again = null;
  });
})();
