// A redraw changes what is there instead of putting it in anew: what has the focus, an open list and a drawn chart stay.
"use strict";
(() => {
  const defaults = Idiomorph.defaults;
  const element = (node) => node instanceof Element;
  // These start something when they appear, or hold what a script put in.
  const STARTS = '[hx-trigger*="load"], [hx-trigger*="every"]';
  const KEEPS = "[data-chart], [hx-preserve], [data-runlog]";

  // What is asked for after the page is drawn stands as it was until then, dimmed, and is asked for once.
  const LATER = '[id][hx-trigger^="load"]';
  const asking = new WeakMap();
  function anew(old, made) {
    const [, wait] = /delay:(\d+)ms/.exec(made.getAttribute("hx-trigger")) ?? [];
    const [url, swap] = [made.getAttribute("hx-get"), made.getAttribute("hx-swap") ?? "innerHTML"];
    clearTimeout(asking.get(old));
    htmx.trigger(old, "htmx:abort"); // what is under way is an answer of before
    old.setAttribute("aria-busy", "true");
    const ask = () => {
      if (!old.isConnected) return; // somebody went elsewhere
      const form = old.querySelector("form[hx-get]"); // it knows what is asked by now
      if (form) htmx.trigger(form, "submit");
      else htmx.ajax("GET", url, { source: old, target: old, swap: `morph:${swap}` });
    };
    asking.set(old, setTimeout(ask, Number(wait ?? 0)));
  }
  // A request that is given up, or waited its turn behind one that was, ends without a reason: nothing went wrong.
  addEventListener("unhandledrejection", (event) => event.reason === undefined && event.preventDefault());
  // What goes, and was asked for, is asked for no longer: its answer would be of before, and so would all its parts be.
  const forget = (node) => node.matches(LATER) && htmx.trigger(node, "htmx:abort");
  defaults.callbacks.beforeNodeRemoved = (node) => {
    if (element(node)) [node, ...node.querySelectorAll(LATER)].forEach(forget);
    return true;
  };
  document.addEventListener("htmx:beforeCleanupElement", ({ target }) => element(target) && forget(target));
  // Where no answer came it stays dimmed: what it says is of before.
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (detail.successful) detail.target?.removeAttribute("aria-busy");
  });

  // Large pieces that come back as they were are left alone: the browser compares them much sooner than we walk them.
  const PIECES = "svg, section, details, form, fieldset, table, dl, ol, ul";

  defaults.callbacks.beforeNodeMorphed = (old, made) => {
    if (!element(old) || !element(made)) return true;
    if (made.matches(PIECES) && old.isEqualNode(made) && !made.querySelector(STARTS)) return false;
    if (made.matches(LATER) && old.id === made.id) {
      anew(old, made);
      return false;
    }
    if (made.matches(STARTS)) {
      const fresh = made.cloneNode(true);
      // only when the redraw is through: it goes on from the old one's neighbour
      queueMicrotask(() => {
        old.replaceWith(fresh);
        htmx.process(fresh);
      });
      return false;
    }
    if (old.dataset.points && old.dataset.points === made.dataset.points) return false; // left out because it is here
    return !(old.matches(KEEPS) && made.matches(KEEPS));
  };
  // What somebody opened stays open; what they chose and did not send yet stays chosen.
  defaults.callbacks.beforeAttributeUpdated = (name, node, kind) =>
    !(name === "open" && kind === "remove" && node.matches("details"));

  // What asked may have been put out by another answer meanwhile: its own is looked for from where it stands, so it is
  // put back, unseen, until all parts of that answer have found their places.
  document.addEventListener("htmx:beforeSwap", ({ detail }) => {
    const asker = detail.requestConfig.elt;
    if (asker.isConnected) return;
    asker.hidden = true;
    document.body.append(asker);
    setTimeout(() => asker.remove());
  });

  // Every form says the state of the page: told beforehand, forms that are as they were compare as such.
  document.addEventListener("htmx:beforeSwap", (event) => {
    const { shouldSwap, serverResponse, target } = event.detail;
    const now = shouldSwap && /name="version" value="(\d+)"/.exec(serverResponse);
    if (now) target.querySelectorAll('input[name="version"]').forEach((one) => one.setAttribute("value", now[1]));
  });

  // An entry that is being typed while an older one is answered is not overwritten.
  document.addEventListener("htmx:beforeSwap", (event) => {
    const active = document.activeElement,
      request = event.detail.requestConfig;
    const sent = request?.elt?.contains?.(active) ? request.parameters[active.name] : active?.defaultValue;
    defaults.ignoreActiveValue = Boolean(active?.matches?.("input, textarea") && active.value !== sent);
  });
})();
