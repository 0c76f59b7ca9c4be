// What is written in the page's drawings and cannot be read: text over text, cut off, or over the edge of its drawing.
() => {
  const LEAST = 1.5; // pixels by which two boxes may touch: a text's box is higher than its letters
  const found = [];
  const shown = (node) => node.checkVisibility({ opacityProperty: true, visibilityProperty: true });
  const box = (node) => {
    const r = node.getBoundingClientRect(), size = parseFloat(getComputedStyle(node).fontSize) * (r.height / (node.getBBox().height || r.height));
    const trim = Math.max(0, (r.height - 0.95 * size) / 2);
    return { left: r.left, right: r.right, top: r.top + trim, bottom: r.bottom - trim, words: node.textContent.trim() };
  };
  const over = (a, b) => Math.min(a.right, b.right) - Math.max(a.left, b.left) > LEAST && Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > LEAST;
  document.querySelectorAll("svg").forEach((svg) => {
    if (!shown(svg) || svg.closest("[hidden]")) return;
    const name = svg.getAttribute("class") || svg.parentElement.className || "svg", edge = svg.getBoundingClientRect();
    const texts = [...svg.querySelectorAll("text")].filter((one) => shown(one) && one.textContent.trim());
    const boxes = texts.map((one) => ({ ...box(one), level: one.closest("[transform*=rotate]") !== null })).filter((one) => !one.level && one.right > one.left);
    boxes.forEach((a, i) => {
      if (a.left < edge.left - 2 || a.right > edge.right + 2 || a.top < edge.top - 2 || a.bottom > edge.bottom + 2) found.push(`${name}: “${a.words}” is cut off`);
      boxes.slice(i + 1).filter((b) => over(a, b)).forEach((b) => found.push(`${name}: “${a.words}” over “${b.words}”`));
    });
  });
  return found;
}
