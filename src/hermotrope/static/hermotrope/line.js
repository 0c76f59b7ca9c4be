// Shaping the line itself: stations and parts of the shelf are dragged onto it by mouse, pen or finger; keys do the same.
"use strict";
(() => {
  const SLACK = 9; // pixels before a press becomes a drag
  let drag = null;
  const line = () => document.querySelector("#line > svg");
  const gaps = () => [...document.querySelectorAll("#line [data-gap]")];
  const count = () => document.querySelectorAll("#line [data-station]").length - 2;
  const says = (words) => {
    const box = document.getElementById("line-says");
    if (box) box.textContent = words;
  };

  function send(values) {
    const state = document.querySelector("#state input[name=version]");
    if (!state) return;
    htmx.ajax("POST", location.pathname + "stage/", { target: "#body", values: { ...values, version: state.value } });
  }

  const problemsOfStage = (stage) => JSON.parse(document.getElementById("moves")?.textContent ?? "[]")[stage] ?? [];

  document.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    const station = event.target.closest("#line > svg [data-station]");
    const part = event.target.closest("[data-part]");
    if (station) {
      const stage = Number(station.dataset.station) - 1;
      if (stage < 0 || stage >= count()) return;
      drag = { node: station, values: (gap) => ({ do: "move", at: stage, to: gap }), problems: problemsOfStage(stage) };
    } else if (part) {
      const places = JSON.parse(part.form.querySelector("script").textContent);
      drag = { node: part, values: (gap) => ({ do: "part", key: part.dataset.part, at: gap }), problems: places };
    }
    if (drag)
      Object.assign(drag, { x: event.clientX, y: event.clientY, moving: false, gap: null, pointer: event.pointerId });
  });

  document.addEventListener("dragstart", (event) => {
    if (event.target.closest?.("[data-station], [data-part]")) event.preventDefault();
  });

  document.addEventListener("pointermove", (event) => {
    if (!drag || event.pointerId !== drag.pointer) return;
    if (!drag.moving && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < SLACK) return;
    if (!drag.moving) start();
    event.preventDefault();
    drag.ghost.setAttribute("transform", `translate(${event.clientX - drag.x} 0)`);
    hover(event.clientX, event.clientY);
  });

  function start() {
    drag.moving = true;
    document.getElementById("line").classList.add("dragging");
    gaps().forEach((gap) => gap.classList.toggle("nonsense", Boolean(drag.problems[Number(gap.dataset.gap)])));
    drag.ghost =
      drag.node.querySelector(":scope > g:last-child") ?? document.createElementNS("http://www.w3.org/2000/svg", "g");
    drag.node.classList.add("lifted");
  }

  function hover(x, y) {
    const box = line().getBoundingClientRect();
    let best = null,
      least = 90;
    if (y > box.top - 20 && y < box.bottom + 20)
      gaps().forEach((gap) => {
        const at = gap.querySelector(".copper").getBoundingClientRect();
        const far = Math.abs((at.left + at.right) / 2 - x);
        if (far < least) {
          least = far;
          best = gap;
        }
      });
    gaps().forEach((gap) => gap.classList.toggle("target", gap === best));
    drag.gap = best === null ? null : Number(best.dataset.gap);
    const problem = drag.gap === null ? "" : drag.problems[drag.gap];
    says(drag.gap === null ? "" : problem ? `Makes no sense here: ${problem}.` : "Fits here.");
  }

  function end(event) {
    if (!drag || (event.pointerId !== undefined && event.pointerId !== drag.pointer)) return;
    const done = drag;
    drag = null;
    if (!done.moving) return;
    document.getElementById("line")?.classList.remove("dragging");
    gaps().forEach((gap) => gap.classList.remove("nonsense", "target"));
    done.node.classList.remove("lifted");
    done.ghost.removeAttribute("transform");
    // the press that ended a drag is no press
    document.addEventListener(
      "click",
      (click) => {
        click.preventDefault();
        click.stopImmediatePropagation();
      },
      { capture: true, once: true },
    );
    if (event.type === "pointerup" && done.gap !== null) send(done.values(done.gap));
    else says("");
  }
  document.addEventListener("pointerup", end);
  document.addEventListener("pointercancel", end);

  document.addEventListener("keydown", (event) => {
    const station = event.target.closest?.("#line > svg [data-station]");
    if (!station) return;
    const stage = Number(station.dataset.station) - 1;
    if (stage < 0 || stage >= count()) return;
    const act = { Delete: "remove", Backspace: "remove", "+": "copy" }[event.key];
    const step = event.altKey && { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (step) {
      const to = stage + step;
      if (to < 0 || to >= count()) return;
      event.preventDefault();
      const problem = problemsOfStage(stage)[step > 0 ? to + 1 : to];
      send({ do: step > 0 ? "later" : "earlier", at: stage });
      refocus = {
        from: station.id,
        id: "station-" + (to + 2),
        words: problem ? `Makes no sense here: ${problem}.` : "",
      };
    } else if (act) {
      event.preventDefault();
      send({ do: act, at: stage });
      refocus = {
        from: station.id,
        id: "station-" + (act === "copy" ? stage + 3 : Math.min(stage + 2, count() + 1)),
        words: "",
      };
    }
  });
  let refocus = null;
  document.addEventListener("htmx:afterSettle", () => {
    if (!refocus) return;
    const now = document.activeElement; // who went on elsewhere meanwhile keeps that focus
    if (now === document.body || now.id === refocus.from) document.getElementById(refocus.id)?.focus();
    says(refocus.words);
    refocus = null;
  });
})();
