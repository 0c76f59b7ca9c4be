// What a page offers to press, each with a kind: the same button of another row or conversion has the same kind.
() => {
  const plain = (text) => text.replace(/\d+([.,]\d+)?/g, "0").replace(/\s+/g, " ").trim();
  const said = (form) => [...form.querySelectorAll("input[type=hidden]")]
    .filter((one) => !["csrfmiddlewaretoken", "version", "panel"].includes(one.name)).map((one) => `${one.name}=${one.value}`).join("&");
  const kind = (node) => {
    const form = node.form ?? node.closest("form");
    const where = form ? `${form.getAttribute("action") ?? ""}?${said(form)}` : node.getAttribute("href") ?? node.getAttribute("hx-get") ?? "";
    const own = node.matches("button, a, summary") ? (form ? node.value || node.textContent : node.textContent) : node.name || node.id;
    return plain(`${node.tagName.toLowerCase()} ${where.split("&vs")[0].split("&asked")[0]} ${own}`).slice(0, 140);
  };
  const inside = [...document.querySelectorAll("button, select, input:not([type=hidden]):not([type=file]), summary, a[href]")];
  window.offered = inside.filter((node) => !node.disabled && !node.closest("[hidden], noscript, .print-sheet")
    && !(node.matches("a") && (node.hasAttribute("download") || !node.getAttribute("href").startsWith("?"))));
  return window.offered.map(kind);
}
