// A press means what stood on the page when it was made: it is done to that thing, once, or it is told that it was not.
"use strict";
const presses = (() => {
  // What a form would do, and to what: not who asks and from which state, nor what a field held before,
  // nor where the thing stands if the form says which thing it is (`of`).
  const ASKER = ["csrfmiddlewaretoken", "version", "part_version", "panel", "was"];
  const meaning = (form) => {
    const said = [...form.querySelectorAll("input[type=hidden]")].filter((one) => !ASKER.includes(one.name));
    const of = said.some((one) => one.name === "of");
    return [form.getAttribute("action")]
      .concat(said.map((one) => `${one.name}=${of ? stand(one) : one.value}`))
      .join("&");
  };
  const stand = (one) => (one.name === "at" ? "" : one.value.replace(/\/\d+/g, "/"));
  const same = (meant) =>
    [...document.querySelectorAll("form[action]")].find((form) => form.getClientRects().length && meaning(form) === meant);

  const GONE = "Not done: the page was drawn anew under that press, and what it was for is no longer there. Look again.";

  let down = null; // the button under the pointer, and what it meant when it went down
  const meant = new WeakMap(); // of every event that asked for a request
  const waiting = new Map(); // forms whose press waits for an answer under way
  const working = new WeakSet(); // forms whose press is being answered
  const last = new WeakMap(); // of every form, what was entered and when
  let taken = null; // what was entered for a press that is made again

  // The same press on the page as it is now.
  function again(press) {
    const form = same(press.meaning);
    if (!form) {
      document.dispatchEvent(new CustomEvent("untaken", { detail: GONE }));
      return;
    }
    const button = [...form.querySelectorAll("button")].find((one) => one.textContent === press.words);
    taken = press.values;
    form.requestSubmit(button);
    taken = null;
  }
  const press = (form, button) => ({
    meaning: down && down.button === button ? down.press.meaning : meaning(form),
    words: button?.textContent,
    values: taken ?? entered(form),
  });
  // What somebody entered, by names; a file is taken as the form has it.
  function entered(form) {
    const data = new FormData(form);
    return Object.fromEntries(
      [...form.querySelectorAll("input:not([type=hidden], [type=file]), select, textarea")]
        .filter((one) => one.name)
        .map((one) => [one.name, data.getAll(one.name)]),
    );
  }

  // A double click is one press; Enter is a change and a submission of the same entry, sent once, so that no second one
  // passes over a conflict unseen.
  function twice(form, button, made) {
    const before = last.get(form);
    if (!before || before.entry !== JSON.stringify(made.values)) return false;
    if (button) return before.words === made.words && (working.has(form) || waiting.has(form));
    return performance.now() - before.at < 3000;
  }

  document.addEventListener("htmx:confirm", (event) => {
    const { elt: form, verb, triggeringEvent: why, question } = event.detail;
    if (verb !== "post" || !why || !form.matches("form")) return;
    const button = why.submitter?.closest("noscript") ? null : (why.submitter ?? null);
    if (!meant.has(why)) {
      const made = press(form, button);
      if (why.type === "submit" && twice(form, button, made)) {
        event.preventDefault();
        return;
      }
      meant.set(why, made);
      last.set(form, { entry: JSON.stringify(made.values), words: made.words, at: performance.now() });
      if (!question) waiting.set(form, why); // who is asked first may say no: then nothing waits
      down = null;
    }
    if (meant.get(why).meaning === meaning(form)) return;
    event.preventDefault();
    waiting.delete(form);
    again(meant.get(why));
  });
  // The answer before it may have put another entry into the form: what was pressed is sent.
  document.addEventListener("htmx:configRequest", (event) => {
    const { elt: form, triggeringEvent: why, parameters } = event.detail;
    if (waiting.get(form) === why) waiting.delete(form);
    for (const [name, values] of Object.entries(meant.get(why)?.values ?? {})) {
      if (values.length) parameters[name] = values;
      else delete parameters[name];
    }
  });
  document.addEventListener("htmx:beforeSend", (event) => working.add(event.detail.elt));
  document.addEventListener("htmx:afterRequest", (event) => working.delete(event.detail.requestConfig.elt));
  // The form of a press that waits was put out with the old page.
  document.addEventListener("htmx:afterSettle", () => {
    for (const [form, why] of waiting) {
      if (form.isConnected) continue;
      waiting.delete(form);
      again(meant.get(why));
    }
  });

  // What moves away between the pointer's going down and up is not clicked: what came into its place is, or what holds
  // both. What is drawn anew meanwhile may get no click at all. The press is for what was there when the pointer went
  // down. Where nothing moved and no click comes there was no press: a finger that stops a scrolling page.
  const near = (event) => Math.hypot(event.clientX - down.x, event.clientY - down.y) <= 8;
  const forget = () => (down = null);
  addEventListener(
    "pointerdown",
    (event) => {
      const plain = event.button === 0 && !event.ctrlKey && !event.metaKey && !event.shiftKey;
      const button = plain ? event.target.closest?.("a[href], button, summary") : null;
      down = button && {
        button,
        press: button.matches("form[action] button:not([type=button])") ? press(button.form, button) : null,
        x: event.clientX,
        y: event.clientY,
      };
    },
    true,
  );
  addEventListener(
    "click",
    (event) => {
      const was = down;
      if (!was || !event.isTrusted || !event.detail || !near(event)) return; // a script's, or made by keys
      if (!was.button.contains(event.target)) {
        event.preventDefault();
        event.stopImmediatePropagation();
        make(was);
      }
      setTimeout(() => down === was && forget());
    },
    true,
  );
  addEventListener("pointerup", (event) => {
    if (!down || !near(event)) return forget();
    const was = down;
    const wait = event.pointerType === "mouse" ? 0 : 350; // a finger's click comes later than its going up
    if (!was.button.isConnected) setTimeout(() => down === was && make(was), wait);
  });
  for (const kind of ["keydown", "contextmenu", "dragstart", "pointercancel"]) addEventListener(kind, forget, true);
  function make({ button, press }) {
    const there = button.isConnected ? button : press ? null : alike(button);
    if (there && !there.disabled) there.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
    else if (press && !there) again(press);
    forget();
  }
  // The link that a redraw put into the place of one.
  const alike = (link) =>
    [...document.querySelectorAll("a[href]")].find(
      (one) => one.getAttribute("href") === link.getAttribute("href") && one.textContent === link.textContent,
    );
  return { meaning };
})();
