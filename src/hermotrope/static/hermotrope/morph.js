// A redraw changes what is there instead of putting it in anew: what has the focus, an open list and a drawn chart stay.
"use strict";
(() => {
  const defaults = Idiomorph.defaults;
  const element = (node) => node instanceof Element;
  // These start something when they appear, or hold what a script put in.
  const STARTS = '[hx-trigger*="load"], [hx-trigger*="every"]';
  const KEEPS = "[data-chart], [hx-preserve], [data-runlog]";

  defaults.callbacks.beforeNodeMorphed = (old, made) => {
    if (!element(old) || !element(made)) return true;
    if (made.matches(STARTS)) {
      const fresh = made.cloneNode(true);
      // only when the redraw is through: it goes on from the old one's neighbour
      queueMicrotask(() => {
        old.replaceWith(fresh);
        htmx.process(fresh);
      });
      return false;
    }
    return !(old.matches(KEEPS) && made.matches(KEEPS));
  };
  // What somebody opened stays open; what they chose and did not send yet stays chosen.
  defaults.callbacks.beforeAttributeUpdated = (name, node, kind) =>
    !(name === "open" && kind === "remove" && node.matches("details"));

  // An entry that is being typed while an older one is answered is not overwritten.
  document.addEventListener("htmx:beforeSwap", (event) => {
    const active = document.activeElement,
      request = event.detail.requestConfig;
    const sent = request?.elt?.contains?.(active) ? request.parameters[active.name] : active?.defaultValue;
    defaults.ignoreActiveValue = Boolean(active?.matches?.("input, textarea") && active.value !== sent);
  });
})();
