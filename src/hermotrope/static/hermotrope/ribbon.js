// The duty's ribbon: the end of a stretch is dragged, or moved by arrow keys (Shift: ten at a time).
"use strict";
(() => {
  const MINUTE = 60;
  let drag = null;
  const neat = (seconds) => {
    const unit = seconds > 7200 ? 300 : seconds > 600 ? 60 : seconds > 60 ? 5 : 1;
    return Math.max(unit, Math.round(seconds / unit) * unit);
  };

  // What is wanted waits for a pause in the keys, and for the answer to what was sent before.
  let wanted = null,
    pause = null,
    busy = false,
    again = null;
  function want(edge, seconds, after) {
    wanted = { edge, seconds };
    clearTimeout(pause);
    pause = setTimeout(send, after);
  }
  async function send() {
    if (!wanted || busy) return;
    const now = wanted,
      version = document.querySelector("#state input[name=version]")?.value;
    busy = true;
    again = now.edge;
    try {
      await htmx.ajax("POST", location.pathname + "duty/", {
        target: "#body",
        values: { do: "resize", at: now.edge, seconds: Math.round(now.seconds), version, panel: "run" },
      });
    } finally {
      busy = false;
    }
    if (wanted === now) wanted = null;
    else send();
  }
  function say(svg, seconds) {
    let box = svg.parentNode.querySelector(".ribbon-says");
    if (!box) {
      box = document.createElement("p");
      box.className = "ribbon-says row-note";
      box.setAttribute("role", "status");
      svg.parentNode.append(box);
    }
    box.textContent = figures.clock(seconds);
  }

  document.addEventListener("pointerdown", (event) => {
    const edge = event.target.closest("[data-edge]");
    if (!edge || event.button !== 0) return;
    const svg = edge.closest("svg");
    drag = {
      edge,
      svg,
      x: event.clientX,
      seconds: Number(edge.dataset.seconds),
      scale: Number(svg.dataset.total) / svg.getBoundingClientRect().width,
      now: null,
      pointer: event.pointerId,
    };
    event.preventDefault();
    edge.focus();
  });
  document.addEventListener("pointermove", (event) => {
    if (!drag || event.pointerId !== drag.pointer) return;
    drag.now = neat(drag.seconds + (event.clientX - drag.x) * drag.scale);
    drag.edge.setAttribute(
      "transform",
      `translate(${(((drag.now - drag.seconds) / drag.scale) * 820) / drag.svg.getBoundingClientRect().width} 0)`,
    );
    drag.edge.setAttribute("aria-valuetext", figures.clock(drag.now));
    say(drag.svg, drag.now);
  });
  const end = (event) => {
    if (!drag || event.pointerId !== drag.pointer) return;
    const done = drag;
    drag = null;
    if (done.now !== null && event.type === "pointerup" && done.now !== done.seconds)
      want(done.edge.dataset.edge, done.now, 0);
    else done.edge.removeAttribute("transform");
  };
  document.addEventListener("pointerup", end);
  document.addEventListener("pointercancel", end);
  document.addEventListener("keydown", (event) => {
    const edge = event.target.closest?.("[data-edge]");
    const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
    if (!edge || !by) return;
    event.preventDefault();
    const i = edge.dataset.edge,
      seconds = wanted?.edge === i ? wanted.seconds : Number(edge.dataset.seconds);
    const next = Math.max(1, seconds + by * (seconds >= 2 * MINUTE ? MINUTE : 1) * (event.shiftKey ? 10 : 1));
    say(edge.closest("svg"), next);
    want(i, next, 250);
  });
  document.addEventListener("htmx:afterSettle", () => {
    if (again === null) return;
    if (document.activeElement === document.body) document.querySelector(`[data-edge="${again}"]`)?.focus();
    again = null;
  });
})();
