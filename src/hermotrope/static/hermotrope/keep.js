// What is typed and not yet sent survives a redraw, a reload and the way back, in this tab.
"use strict";
(() => {
  const KEPT = ".polarity, .learned, .measure-form, .intake form, .duty-add, .row-field, .decoder form, .try form, .socket";
  const MAX_CHARS = 2000;
  const name = (input) => `typed ${location.pathname} ${input.id || input.name}`;
  // What was typed, and what stood there when the typing began.
  const kept = (input) => JSON.parse(sessionStorage.getItem(name(input)));
  const held = (form) =>
    form.querySelectorAll("input:not([type=hidden]):not([type=file]):not([type=checkbox]), textarea");

  document.addEventListener("input", (event) => {
    const input = event.target;
    if (
      !input.matches("input:not([type=file]):not([type=range]):not([type=checkbox]), textarea") ||
      !input.closest(KEPT)
    )
      return;
    const before = kept(input)?.saved ?? input.defaultValue;
    if (input.value === before || input.value.length > MAX_CHARS) sessionStorage.removeItem(name(input));
    else sessionStorage.setItem(name(input), JSON.stringify({ saved: before, typed: input.value }));
  });

  // An entry that was made while the page was being redrawn waits in a field that is gone by then: it is sent again.
  const waiting = new Set();
  document.addEventListener("change", (event) => {
    if (event.target.closest(".row-field")) waiting.add(name(event.target));
  });
  document.addEventListener("htmx:beforeSend", (event) => {
    if (event.detail.elt.matches("form")) held(event.detail.elt).forEach((input) => waiting.delete(name(input)));
  });

  // A form whose entry was taken has nothing to keep; one that was refused keeps it for the next look.
  document.addEventListener("htmx:beforeSwap", (event) => {
    const form = event.detail.requestConfig?.elt;
    if (event.detail.xhr.status !== 200 || !form?.matches?.("form") || event.detail.requestConfig.verb !== "post")
      return;
    held(form).forEach((input) => sessionStorage.removeItem(name(input)));
    if (form.matches(".learned")) {
      form.reset();
      form.closest("details").open = false;
      form.closest("details").querySelector("summary").focus();
    }
  });

  // Readings that come back bring their sum with them; entries that waited are sent.
  const later = new Set();
  function restore(root) {
    root.querySelectorAll?.(KEPT).forEach((form) =>
      held(form).forEach((input) => {
        const was = kept(input);
        if (was === null || input.value === was.typed) return;
        if (input.defaultValue !== was.saved) {
          sessionStorage.removeItem(name(input));
          return;
        } // changed meanwhile
        input.value = was.typed;
        if (waiting.delete(name(input)) || form.matches(".measure-form")) {
          later.add(form);
          return;
        }
        const note = form.matches(".row-field") && form.querySelector(".row-note");
        if (note && !form.matches(".bad, .behind")) {
          form.classList.add("bad");
          note.textContent = "not saved yet: press Enter to save it";
        }
      }),
    );
    later.forEach((form) => form.requestSubmit());
    later.clear();
  }

  document.addEventListener("htmx:afterSettle", (event) => restore(event.detail.elt.parentNode ?? document));
  document.addEventListener("DOMContentLoaded", () => restore(document));
  window.addEventListener("pageshow", (event) => {
    if (event.persisted) restore(document);
  });
})();
