// Moves a night's drawing to a moment, by the clock or by the charge left: volts at the fork, amperes of each device,
// and how many volts it could still lose. The number keys go along the devices.
"use strict";
(() => {
  const ROOM = 190; // of the drawing's units: words stand before the line where there is less behind it
  const pointsOf = (form) => JSON.parse(document.getElementById(`points-${form.dataset.night}`).textContent);

  function says(device, k) {
    if (device.mode[k] === null) return "stopped";
    const spare = device.spare[k];
    const rest = spare === null ? "" : ` · ${figures.volts(spare)} to spare`;
    return `${device.mode[k]} · ${figures.amps(device.amps[k])}${rest}`;
  }

  function show(form, points, k) {
    const left = Number(form.dataset.left),
      right = Number(form.dataset.right);
    const x = left + (right - left) * Math.min(1, points.at[k] / Number(form.dataset.horizon));
    const frame = form.closest(".night-frame"),
      here = frame.querySelector(".here");
    here.setAttribute("visibility", "visible");
    here.querySelector("path").setAttribute("transform", `translate(${x.toFixed(1)} 0)`);
    const before = x + ROOM > right;
    here.querySelectorAll("text").forEach((text, i) => {
      text.setAttribute("x", (x + (before ? -5 : 5)).toFixed(1));
      text.classList.toggle("ends", before);
      text.textContent = says(points.devices[i], k);
    });
    form.querySelector("output").textContent =
      `${points.when[k]}: ${figures.figure(points.charge[k], "%", 2)} left · ${figures.volts(points.volts[k])} at the fork · ` +
      `${figures.amps(points.amps[k])} from the pack`;
  }

  document.addEventListener("input", (event) => {
    const form = event.target.closest?.(".night-scrub");
    if (!form) return;
    const points = pointsOf(form);
    const { clock, charge } = form.elements;
    if (event.target === charge) {
      const asked = Number(charge.value) / 100;
      const found = points.charge.findIndex((left) => left <= asked + 1e-9);
      clock.value = found < 0 ? points.at.length - 1 : found;
    } else charge.value = Math.round(100 * points.charge[Number(clock.value)]);
    show(form, points, Number(clock.value));
  });
  document.addEventListener("submit", (event) => event.target.matches?.(".night-scrub") && event.preventDefault());

  document.addEventListener("keydown", (event) => {
    if (!/^[1-9]$/.test(event.key) || event.ctrlKey || event.altKey || event.metaKey) return;
    if (event.target.closest("input, select, textarea")) return;
    const device = document.querySelectorAll(".branches .branch")[Number(event.key) - 1];
    device?.focus();
    device?.scrollIntoView({ block: "nearest" });
  });
})();
