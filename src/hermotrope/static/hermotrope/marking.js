// Marking on a picture: a press is a point, a drag moves one; wheel, pinch and keys zoom; a loupe shows what a finger hides.
"use strict";
(() => {
  const byId = (id) => document.getElementById(id);
  let kept = null; // what is seen of the picture, over a redraw
  const pointers = new Map();
  let moved = false,
    pinch = null,
    cursor = null,
    dragged = -1;

  const svg = () => byId("picture");
  const box = () => svg().viewBox.baseVal;
  const whole = () => [0, 0, Number(svg().dataset.wide), Number(svg().dataset.high)];

  function look(x, y, wide, high) {
    const [, , most, tall] = whole();
    wide = Math.min(Math.max(wide, 20), most);
    high = (wide * tall) / most;
    x = Math.min(Math.max(x, 0), most - wide);
    y = Math.min(Math.max(y, 0), tall - high);
    svg().setAttribute("viewBox", `${x} ${y} ${wide} ${high}`);
    kept = [x, y, wide, high];
    show();
  }

  function zoom(times, at) {
    const now = box();
    if (!times) return look(...whole());
    const [x, y] = at ?? [now.x + now.width / 2, now.y + now.height / 2];
    const wide = now.width / times;
    look(x - ((x - now.x) * wide) / now.width, y - ((y - now.y) * wide) / now.width, wide, 0);
  }

  function place(event) {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg().getScreenCTM().inverse());
    return [at.x, at.y];
  }

  const field = () => byId("mark-points");
  const points = () =>
    field()
      .value.split(";")
      .map((one) => one.trim().split(/[ ,]+/).map(Number))
      .filter((one) => one.length === 2 && one.every(Number.isFinite));
  const wanted = () => Number(byId("mark-role").selectedOptions[0].dataset.points);
  const scale = () => box().width / (svg().clientWidth || 1);

  function write(list) {
    field().value = list.map(([x, y]) => `${+x.toFixed(1)} ${+y.toFixed(1)}`).join("; ");
    show();
  }

  // The points that are not kept yet, and the cross.
  function show() {
    const group = byId("pressed");
    if (!group) return;
    const size = 7 * scale(),
      list = points();
    group.replaceChildren(
      ...list.map(([x, y]) => {
        const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
        path.setAttribute("class", "pressed");
        path.setAttribute("vector-effect", "non-scaling-stroke");
        path.setAttribute("d", `M${x - size} ${y}H${x + size}M${x} ${y - size}V${y + size}`);
        return path;
      }),
    );
    svg()
      .querySelectorAll(".mark-dot")
      .forEach((dot) => dot.setAttribute("r", 3 * scale()));
    svg()
      .querySelectorAll(".mark-name")
      .forEach((text) => text.setAttribute("font-size", 13 * scale()));
    const cross = byId("cross");
    cross.setAttribute("d", cursor ? crossAt(cursor, 12 * scale()) : "");
    const role = byId("mark-role").value,
      known = role === "sheet" || role === "span",
      missing = wanted() - list.length;
    document.querySelector(".for-reference").hidden = !known;
    document.querySelector(".for-mark").hidden = known;
    document.querySelectorAll(".of-sheet").forEach((one) => (one.hidden = role !== "sheet"));
    byId("mark-how").textContent =
      missing > 0 ? `${missing} ${missing === 1 ? "point" : "points"} more, then keep the mark.` : "Keep the mark, or drag a point.";
  }
  const crossAt = ([x, y], size) => `M${x - size} ${y}H${x + size}M${x} ${y - size}V${y + size}`;

  function magnify(at, event) {
    const loupe = byId("loupe");
    loupe.hidden = false;
    const reach = 22 * scale();
    loupe.setAttribute("viewBox", `${at[0] - reach} ${at[1] - reach} ${2 * reach} ${2 * reach}`);
    loupe.querySelector(".cross").setAttribute("d", crossAt(at, reach / 2));
    const frame = svg().getBoundingClientRect();
    loupe.classList.toggle("right", event.clientX - frame.left < frame.width / 2);
  }

  function squared(at) {
    const list = points();
    const before = list[(dragged < 0 ? list.length : dragged) - 1];
    if (!byId("mark-square").checked || !before) return at;
    return Math.abs(at[0] - before[0]) > Math.abs(at[1] - before[1]) ? [at[0], before[1]] : [before[0], at[1]];
  }

  // On the corner or spot under it, where there is one.
  async function settled(at) {
    if (!byId("mark-settle").checked) return at;
    try {
      const answer = await fetch(`${byId("marker").dataset.settleUrl}?x=${at[0]}&y=${at[1]}`);
      const found = answer.ok ? await answer.json() : {};
      return "x" in found ? [found.x, found.y] : at;
    } catch {
      return at; // without the server it stays where it was pressed
    }
  }

  async function press(at) {
    const list = points();
    const exact = await settled(squared(at));
    write(list.length >= wanted() ? [...list.slice(0, wanted() - 1), exact] : [...list, exact]);
  }

  const grabbed = (at) => points().findIndex(([x, y]) => Math.hypot(x - at[0], y - at[1]) < 14 * scale());

  function begin() {
    const node = svg();
    if (!node) return;
    if (kept && kept[2] <= Number(node.dataset.wide)) look(...kept);
    else look(...whole());
    if (node.dataset.begun) return;
    node.dataset.begun = "1";
    node.addEventListener("pointerdown", (event) => {
      node.setPointerCapture(event.pointerId);
      pointers.set(event.pointerId, [event.clientX, event.clientY]);
      moved = pointers.size > 1;
      dragged = pointers.size === 1 ? grabbed(place(event)) : -1;
      if (pointers.size === 2) pinch = { far: apart(), wide: box().width };
      else if (event.pointerType !== "mouse" || dragged >= 0) magnify(place(event), event);
    });
    node.addEventListener("pointermove", (event) => {
      const before = pointers.get(event.pointerId);
      if (!before) return;
      const [dx, dy] = [event.clientX - before[0], event.clientY - before[1]];
      if (pointers.size === 2 && pinch) {
        pointers.set(event.pointerId, [event.clientX, event.clientY]);
        const far = apart();
        zoom((box().width * far) / (pinch.far * pinch.wide), place(event));
        return;
      }
      if (!moved && Math.hypot(dx, dy) < 5) return;
      moved = true;
      if (dragged >= 0) {
        const list = points();
        list[dragged] = squared(place(event));
        write(list);
        magnify(list[dragged], event);
        return;
      }
      pointers.set(event.pointerId, [event.clientX, event.clientY]);
      byId("loupe").hidden = true;
      const now = box();
      look(now.x - dx * scale(), now.y - dy * scale(), now.width, 0);
    });
    const end = async (event) => {
      if (!pointers.delete(event.pointerId)) return;
      byId("loupe").hidden = true;
      pinch = null;
      const at = place(event);
      if (dragged >= 0 && moved) {
        const list = points();
        list[dragged] = await settled(list[dragged]);
        write(list);
      } else if (!moved && pointers.size === 0 && event.type === "pointerup") await press(at);
      dragged = -1;
    };
    node.addEventListener("pointerup", end);
    node.addEventListener("pointercancel", end);
    node.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        zoom(event.deltaY < 0 ? 1.25 : 0.8, place(event));
      },
      { passive: false },
    );
    node.addEventListener("keydown", keyed);
  }
  const apart = () => {
    const [a, b] = [...pointers.values()];
    return Math.hypot(a[0] - b[0], a[1] - b[1]) || 1;
  };

  function keyed(event) {
    const ways = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    const now = box();
    cursor ??= [now.x + now.width / 2, now.y + now.height / 2];
    if (ways[event.key]) {
      const step = (event.shiftKey ? 10 : 1) * Math.max(1, scale());
      cursor = cursor.map((v, i) => v + step * ways[event.key][i]);
      if (cursor[0] < now.x || cursor[1] < now.y || cursor[0] > now.x + now.width || cursor[1] > now.y + now.height)
        look(cursor[0] - now.width / 2, cursor[1] - now.height / 2, now.width, 0);
    } else if (event.key === "Enter") press(cursor);
    else if (event.key === "Backspace") write(points().slice(0, -1));
    else if (event.key === "+") zoom(1.5, cursor);
    else if (event.key === "-") zoom(0.667, cursor);
    else return;
    event.preventDefault();
    event.stopPropagation();
    show();
  }

  document.addEventListener("click", (event) => {
    const near = (mark) => (event.target instanceof Element ? event.target.closest(mark) : null);
    if (near("[data-zoom]")) zoom(Number(near("[data-zoom]").dataset.zoom));
    if (near("[data-unpoint]")) write(points().slice(0, -1));
  });
  document.addEventListener("change", (event) => {
    if (event.target.id === "mark-role") write([]);
    if (event.target.id === "mark-points") show();
  });
  // One form marks the reference and everything else: its place follows what is marked.
  document.addEventListener("submit", (event) => {
    if (event.target.id !== "marker") return;
    event.preventDefault();
    const form = event.target,
      role = byId("mark-role").value,
      known = role === "sheet" || role === "span";
    const values = Object.fromEntries(new FormData(form));
    if (known) values.of = role;
    htmx.ajax("POST", known ? form.dataset.referenceUrl : form.getAttribute("action"), {
      source: form,
      target: "#measuring",
      swap: "morph:outerHTML",
      values,
    });
  });
  document.addEventListener("DOMContentLoaded", begin);
  document.addEventListener("htmx:afterSettle", begin);
})();
