// Focus, and telling when something could not be saved.
"use strict";
(() => {
  const byId = (id) => document.getElementById(id);

  // The address, so that a reload comes back to this thing, and to what is asked of its run or its ways.
  function place() {
    const panel = byId("panel"),
      state = document.querySelector("#state input[name=panel]");
    if (panel && state) {
      state.value = panel.dataset.panel;
      const asked = (byId("run-tools") ?? byId("ways"))?.dataset.address,
        here = asked ?? panel.dataset.address;
      if (location.search !== here && (asked || !location.search.startsWith(here + "&")))
        history.replaceState(history.state, "", here);
    }
  }

  function refresh() {
    place();
    if (byId("body")?.querySelector("#line")) {
      charts.load();
      scrub.load();
    }
    runlog.load();
  }

  function trouble(words) {
    const box = byId("trouble");
    box.textContent = words;
    box.hidden = !words;
  }

  let redraw = 0;
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.detail.target.id === "working-inlet") return;
    place();
    cancelAnimationFrame(redraw);
    redraw = requestAnimationFrame(refresh);
  });
  // Every change says which state it starts from, as it is when the request leaves.
  document.addEventListener("htmx:configRequest", (event) => {
    if (event.detail.verb !== "post") return;
    document.querySelectorAll("#state input").forEach((input) => {
      event.detail.parameters[input.name] = input.value;
    });
  });
  // What was not taken is told where the press was, and at the head; "saved" stands only after an answer that took it.
  function saved(words) {
    const box = byId("saved");
    if (!box) return;
    box.textContent = words;
    box.classList.toggle("unsaved", words === "not saved");
    box.title = words === "saved" ? `at ${new Date().toLocaleTimeString()}` : "";
  }
  function told(event, words) {
    const where = event.detail.elt?.closest?.("form") ?? event.detail.elt;
    trouble(words);
    if (event.detail.requestConfig?.verb === "post") saved("not saved");
    if (!where?.isConnected || where === document.body) return;
    const note = document.createElement("p");
    note.className = "row-error press-error";
    note.textContent = words;
    where.after(note);
  }
  const TOLD = {
    403: "The bench did not accept this page any more: reload it and press again.",
    404: "That is no longer there: it was taken away in another tab.",
    0: "The bench does not answer. Is it still running?",
  };
  const reason = (xhr) =>
    [400, 403, 503].includes(xhr.status) && xhr.getResponseHeader("Content-Type")?.startsWith("text/plain")
      ? xhr.responseText // why it is not read, not allowed (a phone), not kept
      : (TOLD[xhr.status] ?? `The bench answered ${xhr.status}: that is our fault.`);
  document.addEventListener("htmx:beforeRequest", (event) => {
    document.querySelectorAll(".press-error").forEach((note) => note.remove());
    if (event.detail.requestConfig?.verb === "post" && !event.defaultPrevented) saved("saving…");
  });
  document.addEventListener("htmx:afterRequest", (event) => {
    const status = event.detail.xhr.status;
    if (event.detail.requestConfig.verb !== "post" || status >= 500 || status === 0) return;
    if (status < 400) {
      trouble("");
      saved("saved");
    } else if (status === 409 || status === 422) trouble("");
  });
  document.addEventListener("htmx:responseError", (event) =>
    told(event, `Not done. ${reason(event.detail.xhr)} What you typed is still here.`),
  );
  document.addEventListener("untaken", (event) => {
    trouble(event.detail);
    saved("not saved");
  });
  document.addEventListener("htmx:sendError", (event) =>
    told(event, `Not done. ${TOLD[0]} What you typed is still here.`),
  );

  // A pressed button keeps the focus when the page is put in anew; where it is gone, the panel takes it, never the page.
  const formOf = (node) => node?.closest?.("form[action]");
  let pressed = null;
  const hold = () => {
    const at = document.activeElement,
      form = at?.matches("button") ? formOf(at) : null;
    if (at && at !== document.body) pressed = { form: form && presses.meaning(form), words: at.textContent };
  };
  // A button that is switched off while it works has no focus any more when the answer comes.
  document.addEventListener("htmx:beforeRequest", hold);
  document.addEventListener("htmx:beforeSwap", hold);
  document.addEventListener("pointerdown", () => (pressed = null)); // who presses elsewhere wants to be there
  const giveBack = () => {
    if (!pressed || document.activeElement !== document.body) return;
    const form =
      pressed.form && [...document.querySelectorAll("form[action]")].find((one) => presses.meaning(one) === pressed.form);
    const button = form && [...form.querySelectorAll("button")].find((one) => one.textContent === pressed.words);
    const main = document.querySelector("main");
    if (main && !main.hasAttribute("tabindex")) main.tabIndex = -1;
    for (const node of [button, form?.querySelector("button:not([disabled])"), byId("panel"), main]) {
      if (document.activeElement === document.body) node?.focus({ preventScroll: true }); // one that is hidden takes no focus
    }
    pressed = null;
  };
  // What was switched off or hidden loses the focus only when it is drawn.
  const onceDrawn = (then) => requestAnimationFrame(() => requestAnimationFrame(then));
  document.addEventListener("htmx:afterSettle", () => onceDrawn(giveBack));
  document.addEventListener("htmx:afterRequest", () => onceDrawn(giveBack));

  // A row that was filled from a measurement closes its helper.
  document.addEventListener("htmx:afterSwap", (event) => {
    const id = event.detail.target.id ?? "";
    const status = event.detail.xhr?.status;
    if (id.startsWith("row-") && status === 200) byId("m-" + id.slice(4))?.replaceChildren();
  });

  // After an answer link, put the focus into the field it asks for.
  let wanted = "",
    asked = null; // the link: only the answer to it may take what is wanted, not one that was under way before
  document.addEventListener(
    "click",
    (event) => {
      const link = event.target.closest("[data-focus]");
      wanted = link ? link.dataset.focus : "";
      asked = link;
      if (!link || event.ctrlKey || event.metaKey || event.shiftKey || !byId(wanted)) return;
      event.preventDefault();
      event.stopPropagation(); // it is here already: nothing is fetched
      reach();
    },
    true,
  );
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-print]")) print();
    const help = event.target.closest("[data-help]");
    if (help) {
      const open = byId("workbench").classList.toggle("helping");
      help.setAttribute("aria-expanded", String(open));
    }
    if (event.target.closest("[data-all-findings]")) {
      const open = byId("verdict").classList.toggle("all");
      document.querySelectorAll("[data-all-findings]").forEach((one) => one.setAttribute("aria-expanded", String(open)));
    }
  });
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.detail.requestConfig?.elt === asked) reach();
  });
  function reach() {
    const field = wanted && byId(wanted);
    if (!field) return;
    for (let one = field.closest("details"); one; one = one.parentElement.closest("details")) one.open = true;
    field.focus();
    wanted = "";
  }

  document.addEventListener("change", (event) => {
    if (!event.target.matches("[data-submit]") || !event.target.files.length) return;
    event.target.form.querySelector(".busy")?.removeAttribute("hidden");
    event.target.form.requestSubmit();
  });
  // The search keeps the kind that was pressed.
  document.addEventListener("click", (event) => {
    const link = event.target.closest("[data-kind]");
    if (link && byId("kind")) byId("kind").value = link.dataset.kind;
  });

  // A link that was followed by the browser itself, before it was taken over, leads to its field as well.
  function land() {
    wanted = location.hash.slice(1);
    reach();
  }
  function begin() {
    refresh();
    land();
  }
  addEventListener("hashchange", land);
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
})();
