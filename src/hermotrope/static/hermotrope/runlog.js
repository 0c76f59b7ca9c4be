// A logged run beside its prediction, with the residual; small helps for typing readings with one hand.
"use strict";
const runlog = (() => {
  let drawn = [];
  const { ink } = plotting;
  const WORDS = {
    pack_v: ["volts at the pack", "V"],
    pack_a: ["amperes from the pack", "A"],
    inlet_v: ["volts at the plug", "V"],
    inlet_a: ["amperes into the device", "A"],
  };

  function axis(extra) {
    return {
      stroke: ink("--soft"),
      grid: { stroke: ink("--line"), width: 1 },
      ticks: { show: false },
      font: "11px " + ink("--mono"),
      ...extra,
    };
  }

  // Gaps are hatched, the moment from which measured and predicted part is marked.
  function marks(data, one, named) {
    return (plot) => {
      const { ctx, bbox: box } = plot,
        dpr = devicePixelRatio;
      ctx.save();
      ctx.beginPath();
      ctx.rect(box.left, box.top, box.width, box.height);
      ctx.clip();
      ctx.strokeStyle = ink("--care-hatch");
      ctx.lineWidth = dpr;
      data.gaps.forEach(([from, to]) => {
        const a = plot.valToPos(from, "x", true),
          b = Math.max(a + 2 * dpr, plot.valToPos(to, "x", true));
        for (let x = a - box.height; x < b; x += 7 * dpr) {
          ctx.save();
          ctx.beginPath();
          ctx.rect(a, box.top, b - a, box.height);
          ctx.clip();
          ctx.beginPath();
          ctx.moveTo(x, box.top + box.height);
          ctx.lineTo(x + box.height, box.top);
          ctx.stroke();
          ctx.restore();
        }
      });
      if (one.parts !== null && one.parts !== undefined) {
        const x = plot.valToPos(one.parts, "x", true);
        ctx.strokeStyle = ctx.fillStyle = ink("--refused");
        ctx.setLineDash([5 * dpr, 4 * dpr]);
        ctx.lineWidth = 1.6 * dpr;
        ctx.beginPath();
        ctx.moveTo(x, box.top);
        ctx.lineTo(x, box.top + box.height);
        ctx.stroke();
        if (named) {
          ctx.font = 600 + " " + 11 * dpr + "px " + ink("--sans");
          ctx.textAlign = x > box.left + box.width * 0.7 ? "right" : "left";
          ctx.fillText("they part here", x + (ctx.textAlign === "left" ? 5 : -5) * dpr, box.top + 12 * dpr);
        }
      }
      ctx.restore();
    };
  }

  // Zero and one round figure on either side of it, so that a residual can be read off.
  function evenly(far) {
    const ten = 10 ** Math.floor(Math.log10(0.85 * far)),
      round = [5, 3, 2, 1.5, 1].find((n) => n * ten <= 0.85 * far) * ten;
    return [-round, 0, round];
  }
  const signed = (value) => (value > 0 ? "+" : value < 0 ? "−" : "") + figures.pointed(Number(Math.abs(value).toPrecision(2)));

  function plot(holder, data, one, series, height, last, named, zero) {
    const options = {
      width: Math.max(280, holder.clientWidth),
      height: height + (last ? 24 : 0),
      legend: { show: false },
      cursor: { y: false, drag: { x: true, y: false }, sync: { key: "run-log" } },
      scales: {
        x: { time: false },
        y: {
          range: (u, lo, hi) => {
            if (lo === null) return [0, 1];
            if (zero) {
              const far = Math.max(Math.abs(lo), Math.abs(hi)) * 1.15 || 1;
              return [-far, far];
            }
            const room = (hi - lo) * 0.12 || Math.abs(hi) * 0.05 || 1;
            return [Math.min(lo, Math.max(0, lo - room)), hi + room];
          },
        },
      },
      axes: [
        axis({
          size: last ? 28 : 8,
          space: 90,
          values: (u, ticks) => (last ? figures.times(ticks) : ticks.map(() => "")),
          incrs: [1, 5, 15, 30, 60, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 172800, 432000],
        }),
        zero
          ? axis({ size: 52, splits: (u) => evenly(u.scales.y.max), values: (u, ticks) => ticks.map(signed) })
          : axis({ size: 52, space: 24, values: (u, ticks) => ticks.map((t) => figures.pointed(Number(t.toFixed(3)))) }),
      ],
      series: [{}, ...series.map((s) => ({ points: { show: false }, spanGaps: false, ...s.look }))],
      hooks: { draw: [marks(data, one, named)], setCursor: [(u) => read(holder, u.cursor.idx, data)] },
    };
    return new uPlot(options, [data.seconds, ...series.map((s) => s.values)], holder);
  }

  function title(holder, html) {
    const p = document.createElement("p");
    p.className = "chart-title";
    p.append(...html);
    holder.append(p);
  }
  const key = (cls, words) => {
    const span = document.createElement("span");
    span.className = cls;
    span.textContent = words;
    return span;
  };
  const bold = (words) => {
    const b = document.createElement("b");
    b.textContent = words;
    return b;
  };

  function read(holder, i, data) {
    const out = holder.querySelector(".chart-read");
    if (!out || i === null || i === undefined) return;
    out.textContent =
      figures.clock(data.seconds[i]) +
      ": " +
      data.plots
        .map((one) => {
          const [words, unit] = WORDS[one.column];
          const predicted = one.predicted[i] === null ? "" : `, predicted ${figures.pointed(one.predicted[i].toFixed(2))}`;
          const measured = one.measured[i] === null ? "–" : figures.pointed(one.measured[i].toFixed(2));
          return `${words} ${measured} ${unit}${predicted}`;
        })
        .join("; ");
  }

  function draw(holder, data) {
    holder.replaceChildren();
    const plots = [];
    data.plots.forEach((one, i) => {
      const hasPrediction = one.predicted.some((v) => v !== null),
        last = i === data.plots.length - 1; // one axis of time for all, below the last
      const volts = one.column.endsWith("_v");
      const series = [{ values: one.measured, look: { stroke: ink("--copper"), width: 1.4 } }];
      const keys = [key("pack-key", "measured")];
      if (hasPrediction) {
        series.push({ values: one.predicted, look: { stroke: ink("--ink"), width: 1.8, dash: [6, 4] } });
        keys.push(key("predicted-key", "predicted"));
      }
      if (one.fitted) {
        series.push({ values: one.fitted, look: { stroke: ink("--cool"), width: 1.8 } });
        keys.push(key("inlet-key", "with the fit"));
      }
      if (hasPrediction) keys.push(key("residual-key", "the difference, below"));
      title(holder, [bold(`${WORDS[one.column][0]}, ${WORDS[one.column][1]}`), ...(i === 0 ? keys : [])]);
      plots.push(
        plot(holder, data, one, series, volts ? 110 : 72, last && !hasPrediction, volts, false),
      );
      if (!hasPrediction) return;
      plots.push(
        plot(
          holder,
          data,
          one,
          [{ values: one.residual, look: { stroke: ink("--refused"), width: 1.2 } }],
          50,
          last,
          false,
          true,
        ),
      );
    });
    const out = document.createElement("p");
    out.className = "chart-read row-note";
    out.setAttribute("role", "status");
    holder.append(out);
    holder.tabIndex = 0;
    holder.setAttribute("role", "group");
    holder.setAttribute("aria-label", "The logged run: arrow keys read values");
    return plots;
  }

  function load() {
    const stays = ({ holder, text }) =>
      holder.isConnected && document.getElementById(holder.dataset.runLog)?.textContent === text;
    drawn.filter((one) => !stays(one)).forEach(({ plots }) => plots.forEach((p) => p.destroy()));
    drawn = drawn.filter(stays);
    if (!plotting.ready("[data-run-log]", load)) return;
    document.querySelectorAll("[data-run-log]").forEach((holder) => {
      const source = document.getElementById(holder.dataset.runLog);
      if (!source || drawn.some((one) => one.holder === holder)) return;
      const data = JSON.parse(source.textContent);
      drawn.push({ holder, data, plots: draw(holder, data), text: source.textContent, at: 0 });
    });
  }

  document.addEventListener("keydown", (event) => {
    const one = drawn.find(({ holder }) => holder === event.target);
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!one || !by) return;
    event.preventDefault();
    one.at = Math.min(one.data.seconds.length - 1, Math.max(0, one.at + by * (event.shiftKey ? 50 : 5)));
    one.plots.forEach((p) => p.setCursor({ left: p.valToPos(one.data.seconds[one.at], "x"), top: 0 }, false));
    read(one.holder, one.at, one.data);
  });

  // A minus sign or OL is not on every phone's number pad; waiting is counted down.
  document.addEventListener("click", (event) => {
    const sign = event.target.closest("[data-sign]"),
      put = event.target.closest("[data-put]");
    if (sign) {
      const field = document.getElementById(sign.dataset.sign);
      field.value = field.value.startsWith("-") ? field.value.slice(1) : "-" + field.value;
      field.focus();
    }
    if (put) {
      document.getElementById(put.dataset.into).value = put.dataset.put;
    }
    const wait = event.target.closest("[data-wait]");
    if (wait && !wait.dataset.until) {
      wait.dataset.until = String(Date.now() + 1000 * Number(wait.dataset.wait));
      count(wait);
    }
  });

  function count(wait) {
    const left = Math.ceil((Number(wait.dataset.until) - Date.now()) / 1000);
    wait.textContent =
      left > 0 ? `${Math.floor(left / 60)}:${String(left % 60).padStart(2, "0")} to go` : "read it now";
    if (left > 0 && wait.isConnected) setTimeout(() => count(wait), 500);
  }

  const NEXT = "#prove .gate-now .gate-ask:not(.pass, .note)";
  // After a reading, bring what it means into view, and with it what comes next.
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.detail.target.id !== "prove" || event.detail.requestConfig?.verb !== "post") return;
    const said = document.querySelector(`#prove .said, #prove .row-error, ${NEXT}`);
    said?.scrollIntoView({ block: "nearest" });
    if (!document.querySelector("#prove .said, #prove .row-error"))
      document.querySelector(`${NEXT} input[name=text]`)?.focus({ preventScroll: true }); // the next field is ready
  });

  addEventListener("resize", () =>
    drawn.forEach(({ holder, plots }) =>
      plots.forEach((p) => p.setSize({ width: Math.max(280, holder.clientWidth), height: p.height })),
    ),
  );
  return { load };
})();
