// A reading that finds no connection is kept in this browser and sent when the bench answers again, each once.
"use strict";
(() => {
  const KEPT = "hermotrope kept readings";
  const MOST = 200;
  const TRY_AGAIN_MS = 8000;
  const box = () => document.getElementById("kept-here");
  function rows() {
    try {
      return JSON.parse(localStorage.getItem(KEPT) ?? "[]");
    } catch {
      return []; // nothing that was written here
    }
  }
  function put(list) {
    localStorage.setItem(KEPT, JSON.stringify(list));
    show();
  }
  const without = (once) => rows().filter((row) => row.once !== once);
  const hex = (byte) => byte.toString(16).padStart(2, "0");
  const fresh = () => [...crypto.getRandomValues(new Uint8Array(16))].map(hex).join("");
  const marks = new WeakMap(); // the mark of a form's present entry: the server takes each mark once

  document.addEventListener("htmx:configRequest", (event) => {
    const form = event.detail.elt;
    if (!form.matches?.("form[data-once]")) return;
    if (!marks.has(form)) marks.set(form, fresh());
    event.detail.parameters.once = marks.get(form);
  });
  document.addEventListener("htmx:afterRequest", (event) => {
    if (event.detail.successful) marks.delete(event.detail.elt);
  });

  function keep(event) {
    const form = event.detail.elt;
    if (!form.matches?.("form[data-once]") || rows().length >= MOST) return; // else the page says that it is not done
    event.stopImmediatePropagation(); // it is told here
    const config = event.detail.requestConfig;
    const entries = [...config.formData.entries()].filter(([name]) => name !== "csrfmiddlewaretoken");
    const body = entries.filter(([, value]) => typeof value === "string" && value !== ""); // files are too large to keep
    const lost = entries.some(([, value]) => value instanceof File && value.size) ? " (its picture is not kept)" : "";
    const words = `${form.dataset.once}: ${config.formData.get("text") ?? config.formData.get("ran")}${lost}`;
    put([...without(marks.get(form)), { once: marks.get(form), url: config.path, body, words, refused: "" }]);
    marks.delete(form);
    form.reset();
    const saved = document.getElementById("saved");
    if (saved) saved.textContent = "kept here";
  }
  document.addEventListener("htmx:sendError", keep);
  document.addEventListener("htmx:timeout", keep);

  function show() {
    const at = box();
    if (!at) return;
    const list = rows();
    at.hidden = !list.length;
    at.replaceChildren(
      ...list.map((row) => {
        const line = document.createElement("p"),
          drop = document.createElement("button");
        line.textContent = row.refused
          ? `Not taken: ${row.words}. ${row.refused} `
          : `${row.words} is kept in this browser until the bench ${row.shut ? "knows this phone again: pair it anew" : "answers"}. `;
        drop.type = "button";
        drop.className = "outline small";
        drop.textContent = "Discard";
        drop.addEventListener("click", () => put(without(row.once)));
        line.append(drop);
        return line;
      }),
    );
  }

  const why = (text) => {
    const page = new DOMParser().parseFromString(text, "text/html");
    return page.querySelector(".row-error, .trouble:not([hidden])")?.textContent.trim();
  };
  let sending = false;
  async function send() {
    if (sending || !rows().some((row) => !row.refused)) return;
    sending = true;
    let taken = 0;
    try {
      const headers = { ...JSON.parse(document.body.getAttribute("hx-headers")), "HX-Request": "true" };
      for (const row of rows().filter((one) => !one.refused)) {
        const body = new URLSearchParams(row.body);
        const answer = await fetch(row.url, { method: "POST", headers, body, signal: AbortSignal.timeout(15000) });
        if (answer.ok) {
          taken += 1;
          put(without(row.once).map((one) => ({ ...one, shut: false })));
        } else if (answer.status < 500 && answer.status !== 403) {
          const reason = why(await answer.text()) ?? "The plan has changed since.";
          put(rows().map((one) => (one.once === row.once ? { ...one, refused: reason } : one)));
        } else {
          if (answer.status === 403) put(rows().map((one) => ({ ...one, shut: true })));
          break;
        }
      }
    } catch {
      // still no connection: it stays kept
    } finally {
      sending = false;
    }
    if (taken) location.reload();
  }
  addEventListener("online", send);
  setInterval(send, TRY_AGAIN_MS);
  document.addEventListener("DOMContentLoaded", () => {
    show();
    send();
  });
})();
