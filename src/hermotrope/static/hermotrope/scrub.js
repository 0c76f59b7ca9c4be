// Moves the line and the scale through the operating points that the server worked out.
"use strict";
const scrub = (() => {
  const at = { charge: 100, mode: null };

  const data = () => {
    const holder = document.getElementById("scrub-data");
    return holder ? JSON.parse(holder.textContent) : null;
  };
  let points = null;

  // Stations at a charge between two worked-out points: [in V, out V, in A, out A, heat W] each.
  function between(mode) {
    const count = points.socs.length;
    const place = (1 - at.charge / 100) * (count - 1);
    const i = Math.min(Math.floor(place), count - 2);
    const rows = points.modes[mode].stations;
    const a = rows[i],
      b = rows[i + 1],
      share = place - i;
    const stop = points.modes[mode].stops[Math.round(place)];
    if (!a || !b) return { stations: share < 0.5 ? a : b, stop };
    return { stations: a.map((s, k) => s.map((x, n) => x + (b[k][n] - x) * share)), stop };
  }

  const DEVICE_ROOM = 156; // of the drawing's units, inside the device's box
  const text = (node, words) => {
    if (node && node.textContent !== words) node.textContent = words;
  };

  // Words of the user's own, as far as there is room for them in the drawing.
  const fitting = new Map(); // what was found to fit: measuring a text lays the page out
  document.fonts.ready.then(() => fitting.clear());
  function fit(node, words, room) {
    text(node, fitting.get(words) ?? words);
    if (!node || fitting.has(words)) return;
    for (let rest = words; rest && node.getComputedTextLength() > room;) {
      rest = rest.slice(0, -1);
      node.textContent = rest.trimEnd() + "…";
    }
    fitting.set(words, node.textContent);
  }

  function drawLine(stations, stop) {
    const line = document.getElementById("line");
    const svg = line.querySelector("svg");
    const failed = svg.dataset.broken ? Number(svg.dataset.broken) : null;
    const broken = stop ? Math.max(stop[1], 1) : failed;
    svg.querySelectorAll(".gap").forEach((gap, i) => {
      const s = stations && stations[i];
      text(gap.querySelector(".volts"), s ? figures.volts(s[1]) : "");
      text(gap.querySelector(".amps"), s ? figures.amps(s[3]) : "");
      gap
        .querySelector(".copper")
        .setAttribute("stroke-width", Math.min(12, 2.5 + 2.5 * Math.sqrt(s ? Math.max(s[3], 0) : 0)).toFixed(2));
      gap.classList.toggle("pale", broken !== null && i >= broken);
      gap
        .querySelector(".break")
        .setAttribute("visibility", broken !== null && i === broken - 1 ? "visible" : "hidden");
    });
    svg.querySelectorAll(".station").forEach((node, i) => {
      const s = stations && stations[i];
      text(
        node.querySelector("[data-heat]"),
        s ? figures.watts(s[4]) + (node.classList.contains("resistor") ? "" : " warm") : "",
      );
      text(node.querySelector("[data-lost]"), s ? figures.volts(s[0] - s[1]) + " lost" : "");
    });
    const device = svg.querySelector(".station.device");
    const last = stations && stations[stations.length - 1];
    device.classList.toggle("off", Boolean(stop));
    text(device.querySelector("[data-inlet-volts]"), last ? figures.volts(last[0]) : "–");
    fit(device.querySelector("[data-inlet-words]"), "at the inlet, " + at.mode, DEVICE_ROOM);
    text(device.querySelector("[data-inlet-watts]"), last ? figures.watts(last[0] * last[2]) : "");
    fit(device.querySelector("[data-cause]"), stop ? stop[0] : "", DEVICE_ROOM);
    const cells = svg.querySelectorAll("[data-cell]");
    cells.forEach((cell, i) => {
      const share = Math.max(0, Math.min(1, (at.charge / 100) * cells.length - (cells.length - 1 - i)));
      cell.setAttribute("width", (80 * share).toFixed(1));
    });
    line.querySelectorAll(".line-list li").forEach((item, i) => {
      const s = stations && stations[i];
      text(item.querySelector(".item-volts"), s ? figures.volts(s[1]) + " · " + figures.amps(s[3]) : "");
      item.classList.toggle("pale", broken !== null && i >= broken);
    });
  }

  function drawScale(stations) {
    const svg = document.querySelector("#scale svg");
    if (!svg) return;
    const low = Number(svg.dataset.low),
      high = Number(svg.dataset.high);
    const y = (v) => Math.max(18, Math.min(388, 388 - ((v - low) / (high - low)) * 370));
    const flow = svg.querySelector("[data-flow]"),
      pack = svg.querySelector("[data-now-pack]"),
      inlet = svg.querySelector("[data-now-inlet]");
    if (!stations) {
      [flow, pack, inlet].forEach((path) => path.setAttribute("d", ""));
      return;
    }
    const from = y(stations[0][1]),
      to = y(stations[stations.length - 1][0]);
    pack.setAttribute("d", `M52 ${from}H118`);
    flow.setAttribute("d", `M118 ${from}C148 ${from} 134 ${to} 164 ${to}`);
    inlet.setAttribute("d", `M164 ${to}H300M293 ${to - 4.5}L301 ${to}L293 ${to + 4.5}`);
  }

  let waiting = 0;
  function fetchWorking() {
    clearTimeout(waiting);
    waiting = setTimeout(() => {
      const box = document.getElementById("working-inlet");
      if (!box || !box.closest("details").open || !at.mode) return;
      const query = new URLSearchParams({ soc: String(at.charge / 100), mode: at.mode });
      htmx.ajax("GET", box.dataset.working + "?" + query, { target: box, swap: "innerHTML" });
    }, 180);
  }

  function move() {
    const slider = document.getElementById("charge");
    if (!points || !slider) return;
    if (!(at.mode in points.modes))
      at.mode = document.querySelector("#scrub [aria-pressed=true]")?.dataset.mode ?? Object.keys(points.modes)[0];
    slider.value = at.charge;
    document.getElementById("charge-out").textContent = at.charge + " %";
    document
      .querySelectorAll("#scrub [data-mode]")
      .forEach((b) => b.setAttribute("aria-pressed", String(b.dataset.mode === at.mode)));
    const { stations, stop } = between(at.mode);
    drawLine(stations, stop);
    drawScale(stations);
    charts.cursor(at.charge);
    fetchWorking();
  }

  function nextMode() {
    const names = points ? Object.keys(points.modes) : [];
    if (names.length) {
      at.mode = names[(names.indexOf(at.mode) + 1) % names.length];
      move();
    }
  }

  document.addEventListener("input", (event) => {
    if (event.target.id === "charge") {
      at.charge = Number(event.target.value);
      move();
    }
  });
  document.addEventListener("click", (event) => {
    const button = event.target.closest("#scrub [data-mode]");
    if (button) {
      at.mode = button.dataset.mode;
      move();
    }
  });
  document.addEventListener(
    "toggle",
    (event) => {
      if (event.target.querySelector?.("#working-inlet")) fetchWorking();
    },
    true,
  );

  return {
    load() {
      points = data();
      move();
    },
    nextMode,
  };
})();
