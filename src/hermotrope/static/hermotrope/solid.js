// A made part, shaded: its faces come as corners and triangles; drag it, or turn it by the arrow keys.
"use strict";
(() => {
  const EDGE = Math.cos((28 * Math.PI) / 180);
  const START = { turn: -0.7, tilt: 1.0 };
  const views = new WeakMap();

  function read(canvas) {
    const data = JSON.parse(document.getElementById(canvas.dataset.solid)?.textContent ?? "null");
    if (!data) return null;
    const points = Float64Array.from(data.corners, (v) => v / 100);
    let low = [Infinity, Infinity, Infinity],
      high = [-Infinity, -Infinity, -Infinity];
    points.forEach((v, i) => {
      low[i % 3] = Math.min(low[i % 3], v);
      high[i % 3] = Math.max(high[i % 3], v);
    });
    const middle = low.map((v, i) => (v + high[i]) / 2);
    const radius = Math.hypot(...low.map((v, i) => high[i] - v)) / 2 || 1;
    return { points, triangles: data.triangles, middle, radius, ...edges(points, data.triangles) };
  }

  // Normals of the faces, and the edges where two of them meet at an angle.
  function edges(points, triangles) {
    const normals = [],
      met = new Map(),
      sharp = [];
    const at = (i) => [points[3 * i], points[3 * i + 1], points[3 * i + 2]];
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [at(triangles[t]), at(triangles[t + 1]), at(triangles[t + 2])];
      const u = b.map((v, i) => v - a[i]),
        w = c.map((v, i) => v - a[i]);
      const n = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]];
      const long = Math.hypot(...n) || 1;
      normals.push(n.map((v) => v / long));
      for (const [p, q] of [[0, 1], [1, 2], [2, 0]]) {
        const ends = [triangles[t + p], triangles[t + q]];
        const key = Math.min(...ends) + "," + Math.max(...ends);
        const other = met.get(key);
        if (other === undefined) met.set(key, t / 3);
        else if (normals[other].reduce((sum, v, i) => sum + v * normals[t / 3][i], 0) < EDGE) sharp.push(ends);
      }
    }
    return { normals, sharp };
  }

  // Every corner as it is seen: across, down, and how near.
  function seen(model, view, wide, high) {
    const [ct, st, ci, si] = [Math.cos(view.turn), Math.sin(view.turn), Math.cos(view.tilt), Math.sin(view.tilt)];
    const turned = (x, y, z) => {
      const across = x * ct - y * st,
        deep = x * st + y * ct;
      return [across, deep * ci - z * si, -(deep * si + z * ci)];
    };
    const out = new Float64Array(model.points.length);
    const [low, most] = [[Infinity, Infinity], [-Infinity, -Infinity]];
    for (let i = 0; i < out.length; i += 3) {
      out.set(turned(...[0, 1, 2].map((k) => model.points[i + k] - model.middle[k])), i);
      for (const k of [0, 1]) {
        low[k] = Math.min(low[k], out[i + k]);
        most[k] = Math.max(most[k], out[i + k]);
      }
    }
    // as large as the picture takes it, but no larger than it is from any other side
    const scale = Math.min((0.92 * wide) / (most[0] - low[0]), (0.92 * high) / (most[1] - low[1]), (0.8 * wide) / model.radius);
    for (let i = 0; i < out.length; i += 3) {
      out[i] = wide / 2 + scale * (out[i] - (low[0] + most[0]) / 2);
      out[i + 1] = high / 2 + scale * (out[i + 1] - (low[1] + most[1]) / 2);
      out[i + 2] *= -scale;
    }
    return { out, turned };
  }

  function draw(canvas) {
    const view = views.get(canvas);
    if (!view) return;
    const dense = Math.min(2, window.devicePixelRatio || 1);
    const wide = Math.round(canvas.clientWidth * dense) || canvas.width,
      high = Math.round(wide * 0.56);
    canvas.width = wide;
    canvas.height = high;
    const { model } = view;
    const pen = canvas.getContext("2d");
    const picture = pen.createImageData(wide, high);
    const near = new Float32Array(wide * high).fill(-Infinity);
    const { out, turned } = seen(model, view, wide, high);
    const [base, ink] = ["--solid", "--ink"].map((name) => rgb(getComputedStyle(canvas).getPropertyValue(name)));
    for (let t = 0; t < model.triangles.length; t += 3) {
      const n = turned(...model.normals[t / 3]);
      if (-n[2] <= 0) continue; // it looks away
      const light = 0.5 + 0.5 * Math.max(0, (-0.35 * n[0] - 0.75 * n[1] - 0.75 * n[2]) / 1.12);
      fill(picture.data, near, wide, high, out, model.triangles, t, base.map((v) => v * light));
    }
    for (const ends of model.sharp) line(picture.data, near, wide, high, out, ends, ink);
    pen.putImageData(picture, 0, 0);
  }

  function rgb(text) {
    const found = text.trim().match(/^#([0-9a-f]{2})([0-9a-f]{2})([0-9a-f]{2})$/i);
    return found ? found.slice(1).map((v) => parseInt(v, 16)) : [150, 150, 150];
  }

  function fill(data, near, wide, high, p, triangles, t, colour) {
    const [a, b, c] = [3 * triangles[t], 3 * triangles[t + 1], 3 * triangles[t + 2]];
    const [ax, ay, bx, by, cx, cy] = [p[a], p[a + 1], p[b], p[b + 1], p[c], p[c + 1]];
    const area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    if (Math.abs(area) < 1e-9) return;
    const left = Math.max(0, Math.floor(Math.min(ax, bx, cx))),
      right = Math.min(wide - 1, Math.ceil(Math.max(ax, bx, cx))),
      top = Math.max(0, Math.floor(Math.min(ay, by, cy))),
      bottom = Math.min(high - 1, Math.ceil(Math.max(ay, by, cy)));
    for (let y = top; y <= bottom; y += 1)
      for (let x = left; x <= right; x += 1) {
        const u = ((bx - x) * (cy - y) - (by - y) * (cx - x)) / area,
          v = ((cx - x) * (ay - y) - (cy - y) * (ax - x)) / area,
          w = 1 - u - v;
        if (u < -1e-6 || v < -1e-6 || w < -1e-6) continue;
        const z = u * p[a + 2] + v * p[b + 2] + w * p[c + 2],
          k = y * wide + x;
        if (z <= near[k]) continue;
        near[k] = z;
        put(data, k, colour);
      }
  }

  function line(data, near, wide, high, p, [i, j], colour) {
    const [a, b] = [3 * i, 3 * j];
    const steps = Math.ceil(Math.max(Math.abs(p[b] - p[a]), Math.abs(p[b + 1] - p[a + 1]))) || 1;
    for (let s = 0; s <= steps; s += 1) {
      const f = s / steps,
        x = Math.round(p[a] + f * (p[b] - p[a])),
        y = Math.round(p[a + 1] + f * (p[b + 1] - p[a + 1])),
        z = p[a + 2] + f * (p[b + 2] - p[a + 2]),
        k = y * wide + x;
      if (x >= 0 && x < wide && y >= 0 && y < high && z > near[k] - 1.5) put(data, k, colour);
    }
  }

  function put(data, k, colour) {
    data[4 * k] = colour[0];
    data[4 * k + 1] = colour[1];
    data[4 * k + 2] = colour[2];
    data[4 * k + 3] = 255;
  }

  let last = { ...START }; // a redraw keeps the side from which it is looked at
  function begin(canvas) {
    const model = read(canvas);
    if (!model) return;
    const old = views.get(canvas);
    views.set(canvas, { ...(old ?? last), model });
    draw(canvas);
    if (old) return;
    const turn = (across, down) => {
      const view = views.get(canvas);
      view.turn += across;
      view.tilt = Math.min(Math.PI, Math.max(0, view.tilt + down));
      last = { turn: view.turn, tilt: view.tilt };
      draw(canvas);
    };
    canvas.addEventListener("pointerdown", (event) => canvas.setPointerCapture(event.pointerId));
    canvas.addEventListener("pointermove", (event) => {
      if (canvas.hasPointerCapture(event.pointerId)) turn(-event.movementX / 120, -event.movementY / 120);
    });
    canvas.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: [0.15, 0], ArrowRight: [-0.15, 0], ArrowUp: [0, 0.15], ArrowDown: [0, -0.15] }[event.key];
      if (!step) return;
      event.preventDefault();
      event.stopPropagation();
      turn(...step);
    });
  }
  const all = () => document.querySelectorAll("canvas[data-solid]").forEach(begin);
  document.addEventListener("DOMContentLoaded", all);
  document.addEventListener("htmx:afterSettle", all);
  window.addEventListener("resize", () => document.querySelectorAll("canvas[data-solid]").forEach(draw));
})();
