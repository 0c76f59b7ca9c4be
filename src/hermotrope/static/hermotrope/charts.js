// The run over time, drawn by uPlot from series that the server worked out.
"use strict";
const charts = (() => {
  let drawn = [],
    keyed = -1e9; // when a key last moved the reading: the plots then answer with a nearest point
  const [TIME, PACK, INLET, AMPS, CHARGE, MODE] = [0, 1, 2, 3, 4, 5];
  const HEIGHTS = { volts: 148, amps: 54, charge: 46, duty: 32 };
  const ABOVE = 5;
  const MODE_HEIGHT = 17;
  const { ink } = plotting;

  function axis(extra) {
    return {
      stroke: ink("--soft"),
      grid: { stroke: ink("--line"), width: 1 },
      ticks: { show: false },
      font: "11px " + ink("--mono"),
      ...extra,
    };
  }

  // A logged run over what was predicted: dots, so that the line beneath stays visible.
  function overlay(plot, logged, kind, dpr) {
    const names = { volts: ["pack_v", "inlet_v"], amps: ["pack_a"] }[kind] ?? [],
      { ctx, bbox: box } = plot;
    ctx.save();
    ctx.beginPath();
    ctx.rect(box.left, box.top, box.width, box.height);
    ctx.clip();
    ctx.fillStyle = ink("--ink");
    ctx.globalAlpha = 0.55;
    names
      .filter((name) => logged.columns[name])
      .forEach((name) =>
        logged.seconds.forEach((t, i) => {
          const v = logged.columns[name][i];
          if (v !== null)
            ctx.fillRect(
              plot.valToPos(t, "x", true) - 0.75 * dpr,
              plot.valToPos(v, "y", true) - 0.75 * dpr,
              1.5 * dpr,
              1.5 * dpr,
            );
        }),
      );
    ctx.restore();
  }

  // The name of each mode above its own level, on a ground of its own, so that no name is cut and no line strikes it.
  function modeNames(plot, data) {
    const { ctx, bbox: box } = plot,
      dpr = devicePixelRatio;
    ctx.save();
    ctx.font = 11 * dpr + "px " + ink("--sans");
    ctx.textAlign = "left";
    ctx.textBaseline = "bottom";
    data.modes.forEach((name, i) => {
      const x = box.left + 5 * dpr,
        y = plot.valToPos(i, "y", true) - 2 * dpr,
        wide = Math.min(ctx.measureText(name).width, box.width - 10 * dpr);
      ctx.globalAlpha = 0.85;
      ctx.fillStyle = ink("--card");
      ctx.fillRect(x - 2 * dpr, y - 12 * dpr, wide + 4 * dpr, 12 * dpr);
      ctx.globalAlpha = 1;
      ctx.fillStyle = ink("--ink");
      ctx.fillText(name, x, y, box.width - 10 * dpr);
    });
    ctx.restore();
  }

  // A dashed line at a limit, and the end of the run marked and named.
  function marks(data, kind) {
    return (plot) => {
      const { ctx } = plot,
        box = plot.bbox,
        dpr = devicePixelRatio;
      const inside = (x) => x >= box.left - 1 && x <= box.left + box.width + 1;
      const rule = (y, words, colour, share) => {
        if (y < box.top || y > box.top + box.height) return;
        ctx.save();
        ctx.strokeStyle = ctx.fillStyle = ink(colour);
        ctx.setLineDash([6 * dpr, 4 * dpr]);
        ctx.lineWidth = 1.4 * dpr;
        ctx.beginPath();
        ctx.moveTo(box.left, y);
        ctx.lineTo(box.left + box.width, y);
        ctx.stroke();
        ctx.font = 600 + " " + 11 * dpr + "px " + ink("--sans");
        ctx.textAlign = "left";
        ctx.textBaseline = "bottom";
        ctx.fillText(words, box.left + box.width * share + 6 * dpr, y - 3 * dpr);
        ctx.restore();
      };
      if (kind === "volts") {
        const { min, max, cutoff, guards } = data.limits;
        guards.forEach(([words, volts, colour], i) =>
          rule(plot.valToPos(volts, "y", true), words, colour, 0.64 - 0.12 * (i % 2)),
        );
        if (!data.bank) rule(plot.valToPos(cutoff, "y", true), `pack cut-off ${cutoff} V`, "--refused", 0.4);
        if (max !== null) rule(plot.valToPos(max, "y", true), `device most ${max} V`, "--care", 0);
        if (min !== null) rule(plot.valToPos(min, "y", true), `device least ${min} V`, "--care", 0);
      }
      if (data.range && kind !== "duty") {
        const a = Math.max(box.left, plot.valToPos(data.range[0], "x", true)),
          b = Math.min(box.left + box.width, plot.valToPos(data.range[1], "x", true));
        ctx.save();
        ctx.globalAlpha = 0.28;
        ctx.fillStyle = ink("--copper-pale");
        ctx.fillRect(a, box.top, Math.max(0, b - a), box.height);
        ctx.restore();
      }
      if (kind === "duty") modeNames(plot, data);
      if (data.logged) overlay(plot, data.logged, kind, dpr);
      if (data.measured && inside(plot.valToPos(data.measured, "x", true))) {
        const at = plot.valToPos(data.measured, "x", true);
        ctx.save();
        ctx.strokeStyle = ctx.fillStyle = ink("--ink");
        ctx.lineWidth = 1.6 * dpr;
        ctx.setLineDash([2 * dpr, 3 * dpr]);
        ctx.beginPath();
        ctx.moveTo(at, box.top);
        ctx.lineTo(at, box.top + box.height);
        ctx.stroke();
        if (kind === "charge") {
          ctx.font = 600 + " " + 11 * dpr + "px " + ink("--sans");
          ctx.textAlign = "right";
          ctx.fillText(`it ran ${figures.clock(data.measured)}`, at - 5 * dpr, box.top + 12 * dpr);
        }
        ctx.restore();
      }
      const x = plot.valToPos(data.end.seconds, "x", true);
      if (!inside(x)) return;
      ctx.save();
      ctx.strokeStyle = ctx.fillStyle = ink("--refused");
      ctx.lineWidth = 2 * dpr;
      ctx.beginPath();
      ctx.moveTo(x, box.top);
      ctx.lineTo(x, box.top + box.height);
      ctx.stroke();
      if (kind === "volts") {
        ctx.font = 650 + " " + 12 * dpr + "px " + ink("--sans");
        ctx.textAlign = "right";
        const words = `${data.end.cause}, ${figures.clock(data.end.seconds)}`,
          wide = ctx.measureText(words).width;
        ctx.fillStyle = ink("--card");
        ctx.fillRect(x - wide - 9 * dpr, box.top + 2 * dpr, wide + 6 * dpr, 15 * dpr); // no line strikes it through
        ctx.fillStyle = ink("--refused");
        ctx.fillText(words, x - 6 * dpr, box.top + 13 * dpr);
      }
      ctx.restore();
    };
  }

  const KINDS = {
    volts: (data) => ({
      columns: [PACK, INLET],
      unit: "V",
      title: '<b>volts</b><span class="pack-key">pack cells</span><span class="inlet-key">inlet</span>',
      series: [
        { stroke: ink("--copper"), width: 2 },
        { stroke: ink("--cool"), width: 2 },
      ],
      range: (lo, hi) => limitsRange(data, lo, hi),
    }),
    amps: () => ({
      columns: [AMPS],
      unit: "A",
      title: "<b>amperes from the pack</b>",
      series: [{ stroke: ink("--copper"), width: 1.6, fill: ink("--copper-pale") }],
      range: (lo, hi) => [0, hi * 1.12 || 1],
    }),
    charge: () => ({
      columns: [CHARGE],
      unit: "%",
      title: "<b>charge left</b>",
      series: [{ stroke: ink("--ink"), width: 2 }],
      range: () => [0, 105],
    }),
    duty: (data) => ({
      columns: [MODE],
      unit: "",
      title: "<b>mode</b>",
      series: [{ stroke: ink("--cool"), width: 1.4, fill: ink("--cool-pale") }],
      range: () => [-0.35, data.modes.length],
    }),
  };

  function limitsRange(data, lo, hi) {
    const { min, max, cutoff } = data.limits;
    const all = [lo, hi, min, max, data.bank ? null : cutoff].filter((v) => v !== null && Number.isFinite(v));
    const low = Math.min(...all),
      high = Math.max(...all),
      room = (high - low) * 0.1 || 1;
    return [Math.max(0, low - room), high + room];
  }

  function plot(holder, width, kind, data, last) {
    const made = KINDS[kind](data);
    const title = document.createElement("p");
    title.className = "chart-title";
    title.innerHTML = made.title;
    if (data.logged && kind === "volts") title.append(` dots: logged, ${data.logged.name}`);
    holder.append(title);
    const names = data.modes;
    function reach(lo, hi) {
      const end = data.end.seconds;
      if (lo !== 0 || hi < end * 0.999) return [lo, hi];
      const { range, measured } = data,
        right = Math.max(range ? Math.min(range[1], end * 1.6) : end, Math.min(measured || 0, end * 1.6));
      return [0, Math.max(right, end * 1.04, 1)];
    }
    const options = {
      width,
      height:
        (kind === "duty" ? Math.max(HEIGHTS.duty, MODE_HEIGHT * names.length + 9) : HEIGHTS[kind]) + (last ? 24 : 0),
      padding: [ABOVE, null, null, null],
      legend: { show: false },
      cursor: { y: false, drag: { x: true, y: false }, sync: { key: "run" } },
      scales: {
        x: { time: false, range: (u, lo, hi) => reach(lo, hi) },
        y: { range: (u, lo, hi) => made.range(lo, hi) },
      },
      axes: [
        axis({
          show: true,
          size: last ? 28 : 8,
          values: (u, ticks) => (last ? figures.times(ticks) : ticks.map(() => "")),
          space: 90,
          incrs: [
            1, 5, 15, 30, 60, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 172800, 432000, 864000,
            2592000,
          ],
        }),
        axis({
          size: 46,
          values:
            kind === "duty"
              ? (u, ticks) => ticks.map(() => "")
              : (u, ticks) => ticks.map((t) => figures.pointed(Number(t.toFixed(3)))),
          ...(kind === "duty" ? { splits: () => names.map((_, i) => i), grid: { show: false } } : { space: 26 }),
        }),
      ],
      series: [
        {},
        ...made.series.map((s) => ({
          points: { show: false },
          ...(kind === "duty" ? { paths: uPlot.paths.stepped({ align: 1 }), fillTo: -0.35 } : {}),
          ...s,
        })),
      ],
      hooks: {
        draw: [marks(data, kind)],
        setCursor: [
          (u) => {
            if (u.cursor.event && performance.now() - keyed > 150) read(holder, u.cursor.idx, data);
          },
        ],
      },
    };
    return new uPlot(options, columns(data, kind), holder);
  }
  const columns = (data, kind) => [TIME, ...KINDS[kind](data).columns].map((c) => data.series[c]);

  // The run of the same modes as another edit has it: the plots stay and take its figures.
  function again(one, text) {
    const fresh = JSON.parse(text),
      { data, plots, kinds } = one;
    const alike = (now) => [now.logged?.name, ...now.modes].join();
    if (!fresh.series.length || fresh.end.seconds === 0 || alike(fresh) !== alike(data)) return false;
    for (const name of Object.keys(data)) delete data[name];
    Object.assign(data, fresh); // what draws looks the figures up in it
    plots.forEach((p, i) => p.setData(columns(data, kinds[i])));
    one.holder.querySelector(".chart-read").textContent = "";
    return Object.assign(one, { at: 0, text });
  }

  function read(holder, i, data) {
    const out = holder.querySelector(".chart-read");
    if (!out || i === null || i === undefined) return;
    drawn
      .filter((one) => one.holder === holder)
      .forEach((one) => {
        one.at = i;
      });
    const s = data.series;
    if (s[PACK][i] === null) {
      out.textContent = "";
      return;
    }
    out.textContent = `${figures.clock(s[TIME][i])}: pack ${figures.volts(s[PACK][i])}, inlet ${figures.volts(s[INLET][i])}, ${figures.amps(s[AMPS][i])}, ${s[CHARGE][i].toFixed(1)} % left, ${data.modes[s[MODE][i]]}`;
  }

  // Draws what is not drawn yet; a chart whose run did not change keeps its zoom and its reading.
  function load() {
    const now = new Map(drawn.map((one) => [one, document.getElementById(one.holder.dataset.source)?.textContent]));
    const stays = (one) =>
      one.holder.isConnected &&
      (now.get(one) === one.text || (one.text !== null && now.get(one) && again(one, now.get(one))));
    const staying = drawn.filter(stays);
    drawn.filter((one) => !staying.includes(one)).forEach(({ plots }) => plots.forEach((p) => p.destroy()));
    drawn = staying;
    if (!plotting.ready("[data-chart]", () => (load(), scrub.load()))) return;
    document.querySelectorAll("[data-chart]").forEach((holder) => {
      const source = document.getElementById(holder.dataset.source);
      if (!source || drawn.some((one) => one.holder === holder)) return;
      const data = JSON.parse(source.textContent),
        width = Math.max(280, holder.clientWidth);
      holder.replaceChildren();
      if (!data.series.length || data.end.seconds === 0) {
        const p = document.createElement("p");
        p.className = "empty";
        p.textContent = `It does not start: ${data.end.cause}.`;
        holder.append(p);
        return;
      }
      const kinds = holder.dataset.chart.split(" ").filter((kind) => kind !== "duty" || data.modes.length > 1);
      const made = kinds.map((kind, i) => plot(holder, width, kind, data, i === kinds.length - 1));
      const out = document.createElement("p");
      out.className = "chart-read row-note";
      out.setAttribute("role", "status");
      holder.append(out);
      holder.tabIndex = 0;
      holder.setAttribute("role", "group");
      holder.setAttribute("aria-label", "The run over time: arrow keys read values, plus and minus zoom, 0 shows all");
      drawn.push({ holder, data, kinds, plots: made, at: 0, text: source.textContent });
    });
  }

  // Shows where the scrubber's charge lies on the time axis.
  function cursor(charge) {
    drawn
      .filter(({ holder }) => holder !== document.activeElement)
      .forEach(({ data, plots }) => {
        const column = data.series[CHARGE];
        let i = column.findIndex((c) => c <= charge);
        if (i < 0) i = column.length - 1;
        plots.forEach((p) => p.setCursor({ left: p.valToPos(data.series[TIME][i], "x"), top: 0 }, false));
      });
  }

  // By keys: arrows move the reading (Shift: ten points), + and - zoom around it, 0 shows all.
  document.addEventListener("keydown", (event) => {
    const one = drawn.find(({ holder }) => holder === event.target);
    if (!one || event.ctrlKey || event.metaKey || event.altKey) return;
    const { data, plots } = one,
      time = data.series[TIME],
      first = plots[0];
    const move = { ArrowLeft: -1, ArrowRight: 1 }[event.key],
      zoom = { "+": 0.5, "=": 0.5, "-": 2 }[event.key];
    if (!move && !zoom && event.key !== "0") return;
    event.preventDefault();
    keyed = performance.now();
    let at = one.at;
    if (move) at = Math.min(time.length - 1, Math.max(0, at + move * (event.shiftKey ? 10 : 1)));
    const all = [
      0,
      Math.max(data.end.seconds * 1.04, data.range ? Math.min(data.range[1], data.end.seconds * 1.6) : 0),
    ];
    let { min, max } = first.scales.x;
    if (zoom) {
      min = time[at] - (time[at] - min) * zoom;
      max = time[at] + (max - time[at]) * zoom;
    }
    if (time[at] < min || time[at] > max) {
      const half = (max - min) / 2;
      min = time[at] - half;
      max = time[at] + half;
    }
    one.at = at;
    if (event.key === "0") [min, max] = all;
    min = Math.max(0, min);
    max = Math.min(all[1], Math.max(max, min + 1));
    plots.forEach((p) => {
      p.setScale("x", { min, max });
      p.setCursor({ left: p.valToPos(time[at], "x"), top: 0 }, false);
    });
    read(one.holder, at, data);
  });

  const PRINTED = 660;
  const widen = (width) =>
    drawn.forEach(({ holder, plots }) =>
      plots.forEach((p) => p.setSize({ width: width ?? Math.max(280, holder.clientWidth), height: p.height })),
    );
  addEventListener("resize", () => widen());
  addEventListener("beforeprint", () => widen(PRINTED));
  addEventListener("afterprint", () => widen());
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => {
    drawn.forEach((one) => {
      one.text = null;
    });
    load();
  });
  return { load, cursor };
})();
