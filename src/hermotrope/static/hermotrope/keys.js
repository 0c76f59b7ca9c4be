// Single keys: what each does, changed and switched off by whoever likes, kept in this browser.
"use strict";
(() => {
  const byId = (id) => document.getElementById(id);
  const press = (id) => {
    const node = byId(id);
    node?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
    return Boolean(node);
  };
  const go = (path) => () => (location.assign(path), true);
  const focus = (id) => () => (byId(id)?.focus(), Boolean(byId(id)));
  const ACTIONS = {
    next: onward,
    bench: go("/"),
    new: go("/new/"),
    search: () => focus("q")() || go("/")(),
    match: () => press("tab-match"),
    run: () => press("tab-run"),
    build: () => press("tab-build"),
    prove: () => press("tab-prove"),
    undo: () => press("undo"),
    redo: () => press("redo"),
    charge: () => (document.dispatchEvent(new Event("unfold")), focus("charge")()),
    mode: () => (scrub.nextMode(), Boolean(byId("scrub"))),
  };
  const KEPT = "hermotrope keys";
  const chosen = () => {
    try {
      return JSON.parse(localStorage.getItem(KEPT)) ?? {};
    } catch {
      return {}; // what somebody else put there is no choice
    }
  };
  const keep = (changes) => localStorage.setItem(KEPT, JSON.stringify({ ...chosen(), ...changes }));
  const inputs = () => [...document.querySelectorAll("[data-key-of]")];

  // What asks for an answer next: the gate's reading, the step to do, the best way, where they are shown; an open question.
  const ASKS = [
    "#prove .gate-now .gate-ask:not(.pass, .note) input[name=text]",
    "#steps details[open] .step-next",
    "#ways .way-list .way-do button",
    "#verdict .findings a.answer",
    ".device-card input:not([type=hidden])",
    "#verdict .asks-uses a.answer",
  ];
  function onward() {
    const node = ASKS.map((one) => document.querySelector(one)).find((one) => one?.checkVisibility());
    if (!node) return false;
    if (node.matches("a")) node.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
    else node.focus();
    return true;
  }

  function show() {
    const kept = chosen();
    for (const input of inputs()) input.value = kept[input.dataset.keyOf] ?? input.defaultValue;
    const off = byId("keys-off");
    if (off) off.checked = kept.off === true;
  }
  function toggle() {
    byId("keys").hidden = !byId("keys").hidden;
    byId("keys-button").setAttribute("aria-expanded", String(!byId("keys").hidden));
  }

  document.addEventListener("click", (event) => {
    if (event.target.closest("#keys-button")) toggle();
  });
  document.addEventListener("change", (event) => {
    if (event.target.id === "keys-off") keep({ off: event.target.checked });
    const of = event.target.dataset?.keyOf;
    if (!of) return;
    const key = event.target.value.trim();
    const taken = inputs().find((one) => one !== event.target && one.value === key);
    byId("keys-says").textContent = taken
      ? `“${key}” is taken already.`
      : /^[1-9?]$/.test(key) || key.length !== 1
        ? "One letter or sign, none of 1 to 9 and ?."
        : "";
    if (byId("keys-says").textContent) show();
    else keep({ [of]: key });
  });

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    const typing = event.target.closest("input:not([type=range], [type=checkbox]), select, textarea");
    if (event.key === "Escape" && typing) {
      typing.blur(); // out of the field, so that keys work again
      return;
    }
    if (typing) return;
    if (event.key === "?") {
      toggle();
      event.preventDefault();
    }
    if (byId("keys-off")?.checked) return;
    const input = inputs().find((one) => one.value === event.key);
    const done = input ? ACTIONS[input.dataset.keyOf]() : /^[1-9]$/.test(event.key) && press("station-" + event.key);
    if (done) event.preventDefault();
  });
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", show);
  else show();
})();
