// Short figures, as drawings/numbers.py writes them on the server.
"use strict";
const figures = {
  volts: (v) => (Math.abs(v) >= 99.95 ? v.toFixed(1) : v.toFixed(2)) + " V",
  amps: (a) => (a === 0 ? "0 A" : Math.abs(a) >= 0.0995 ? a.toFixed(2) + " A" : Number((1000 * a).toPrecision(3)) + " mA"),
  watts: (w) => (w === 0 ? "0 W" : Math.abs(w) >= 0.0995 ? w.toFixed(1) + " W" : Number((1000 * w).toPrecision(2)) + " mW"),
  clock: (s) => {
    if (s < 90) return Math.round(s) + " s";
    if (s < 5400) return Math.round(s / 60) + " min";
    const minutes = Math.round(s / 60); // rounded before it is split, so that no hour has 60
    if (s < 48 * 3600) return Math.floor(minutes / 60) + " h " + String(minutes % 60).padStart(2, "0");
    return (s / 86400).toFixed(1) + " d";
  },
};
