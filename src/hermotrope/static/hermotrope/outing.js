// At an outing a device is dragged from its supply onto another by mouse or pen; the list beside it does the same by
// keys and touch. Either way it is said what would be before anything is moved.
"use strict";
(() => {
  const SLACK = 7; // pixels before a press becomes a drag
  const words = new Map(); // what was weighed, by address, since the page was last answered
  let drag = null;

  const list = (device) => document.getElementById(`to-${device}`);

  async function weigh(select, to) {
    const url = `${select.dataset.weigh}?to=${to}`;
    if (!words.has(url)) {
      const answer = await fetch(url).catch(() => null);
      words.set(url, answer?.ok ? await answer.text() : "This cannot be weighed now: load the page again.");
    }
    return words.get(url);
  }

  document.addEventListener("change", async (event) => {
    const select = event.target.closest?.("[data-weigh]");
    if (!select) return;
    const said = await weigh(select, select.value);
    const box = document.getElementById(select.id)?.parentElement.querySelector(".weighed");
    if (box && document.getElementById(select.id).value === select.value) box.textContent = said;
  });

  document.addEventListener("htmx:afterSwap", () => words.clear());

  document.addEventListener("pointerdown", (event) => {
    const node = event.target.closest?.("[data-hangs]");
    if (!node || event.button !== 0 || event.pointerType === "touch") return;
    drag = { node, device: node.dataset.hangs, x: event.clientX, y: event.clientY, id: event.pointerId, over: null };
  });

  document.addEventListener("pointermove", (event) => {
    if (!drag || event.pointerId !== drag.id) return;
    if (!drag.ghost && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < SLACK) return;
    if (!drag.ghost) lift();
    event.preventDefault();
    drag.ghost.style.left = `${Math.min(event.clientX + 14, innerWidth - drag.ghost.offsetWidth - 8)}px`;
    drag.ghost.style.top = `${event.clientY + 14}px`;
    hover(document.elementFromPoint(event.clientX, event.clientY)?.closest(".supply") ?? null);
  });

  function lift() {
    drag.ghost = document.body.appendChild(document.createElement("div"));
    drag.ghost.className = "in-hand";
    drag.ghost.setAttribute("role", "status");
    drag.name = drag.node.dataset.name;
    drag.ghost.textContent = `${drag.name}: drop it on another supply`;
    document.querySelectorAll(`[data-hangs="${drag.device}"]`).forEach((one) => one.classList.add("lifted"));
    getSelection()?.removeAllRanges();
  }

  function hover(supply) {
    const to = supply && supply.dataset.supply !== drag.device.split("-")[0] ? supply : null;
    if (to === drag.over) return;
    drag.over?.classList.remove("takes");
    drag.over = to;
    to?.classList.add("takes");
    drag.ghost.textContent = `${drag.name}: drop it on another supply`;
    const here = drag;
    if (to)
      weigh(list(drag.device), to.dataset.supply).then((said) => {
        if (drag === here && here.over === to) here.ghost.textContent = said;
      });
  }

  function drop() {
    drag?.ghost?.remove();
    drag?.over?.classList.remove("takes");
    document.querySelectorAll(".lifted").forEach((one) => one.classList.remove("lifted"));
    const dropped = drag;
    drag = null;
    return dropped;
  }

  document.addEventListener("pointerup", (event) => {
    if (!drag || event.pointerId !== drag.id) return;
    const dropped = drop();
    const select = dropped.over && list(dropped.device);
    if (!select) return;
    select.value = dropped.over.dataset.supply;
    select.form.requestSubmit();
  });
  document.addEventListener("pointercancel", drop);
  document.addEventListener("keydown", (event) => event.key === "Escape" && drop());
  document.addEventListener("selectstart", (event) => drag?.ghost && event.preventDefault());
})();
