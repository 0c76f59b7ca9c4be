// The chart library comes with the first chart that a page shows; the inks of all charts.
"use strict";
const plotting = (() => {
  let coming = null;

  function come() {
    return new Promise((done, failed) => {
      const script = document.createElement("script");
      script.src = document.body.dataset.plotting;
      script.addEventListener("load", done);
      script.addEventListener("error", failed);
      document.head.append(script);
    });
  }

  // Whether charts can be drawn now; where the library is still on its way, `draw` is called once it is here.
  function ready(charts, draw) {
    if (!document.querySelector(charts)) return false;
    if (typeof uPlot !== "undefined") return true;
    coming ??= come().catch(() => {
      coming = null; // the next page asks again
    });
    coming.then(() => typeof uPlot !== "undefined" && draw());
    return false;
  }
  // Colours and typefaces of the page, asked for once: each question works the page's styles out anew.
  const inks = new Map();
  function ink(name) {
    if (!inks.has(name)) inks.set(name, getComputedStyle(document.documentElement).getPropertyValue(name).trim());
    return inks.get(name);
  }
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => inks.clear());

  return { ready, ink };
})();
