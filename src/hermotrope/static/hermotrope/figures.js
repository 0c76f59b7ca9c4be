// Figures as the server writes them (hermotrope_core/figures.py); a browser test holds both to the same list.
"use strict";
const figures = (() => {
  const MILLI = ["A", "W", "V", "Ω", "Ah", "m"];

  // a decimal comma, where the page says that it is liked
  const pointed = (text) =>
    document.documentElement.dataset.decimal === "comma" ? String(text).replace(".", ",") : String(text);

  function digits(value, significant) {
    if (value === 0 || !Number.isFinite(value)) return value === 0 ? "0" : "–";
    const places = (x) => Math.max(0, significant - 1 - Math.floor(Math.log10(Math.abs(x))));
    const rounded = Number(value.toPrecision(significant));
    return pointed(rounded.toFixed(places(rounded)));
  }

  function figure(value, unit, significant = 3) {
    if (unit === "%") return digits(100 * value, significant) + " %";
    if (MILLI.includes(unit) && Math.abs(value) > 0 && Math.abs(value) < 0.0995)
      return digits(1000 * value, significant) + " m" + unit;
    return digits(value, significant) + (unit ? " " + unit : "");
  }

  function unitOf(seconds) {
    const minutes = Math.round(seconds / 60);
    if (seconds < 90) return "s";
    if (minutes < 90) return "min";
    if (minutes < 24 * 60) return "h min";
    return minutes < 10 * 24 * 60 ? "h" : "d";
  }

  function inUnit(seconds, unit) {
    if (unit === "s") return (seconds ? digits(seconds, 2) : "0") + " s";
    const minutes = Math.round(seconds / 60); // rounded before it is split, so that no hour has 60
    if (unit === "min") return minutes + " min";
    if (unit === "h min") return Math.floor(minutes / 60) + " h " + String(minutes % 60).padStart(2, "0") + " min";
    return unit === "h" ? Math.round(seconds / 3600) + " h" : digits(seconds / 86400, 2) + " d";
  }

  return {
    figure,
    pointed,
    volts: (v) => pointed(Math.abs(v) >= 99.95 ? v.toFixed(1) : v.toFixed(2)) + " V",
    amps: (a) => figure(a, "A"),
    watts: (w) => figure(w, "W", 2),
    clock: (s) => inUnit(s, unitOf(s)),
    // an axis in one unit; whole hours without their minutes
    times: (ticks) => {
      const unit = unitOf(ticks[ticks.length - 1] ?? 0),
        whole = unit === "h min" && ticks.every((t) => t % 3600 === 0);
      return ticks.map((t) => (t ? inUnit(t, whole ? "h" : unit) : "0"));
    },
  };
})();
