// What a page offers to press, each with a kind: the same button of another row or conversion has the same kind, and
// so has the same sort of field of another quantity of the pack, the device, a stage, the duty.
(page) => {
  const plain = (text) => text.replace(/\d+([.,]\d+)?/g, "0").replace(/\s+/g, " ").trim();
  const told = ["do", "kind", "from", "what", "trait", "place", "find", "start"];
  const said = (form) => [...form.querySelectorAll("input[type=hidden]")]
    .filter((one) => told.includes(one.name))
    .map((one) => `${one.name}=${one.name === "place" ? one.value.split("/")[1] : one.value}`).join("&");
  const kind = (node) => {
    const form = node.form ?? node.closest("form");
    if (form) return plain(`${node.tagName.toLowerCase()} ${form.getAttribute("action") ?? ""}?${said(form)} ${node.name}`);
    if (node.matches("a")) return plain(`a ${(node.getAttribute("href")).split("&")[0]} ${node.className.baseVal ?? node.className}`);
    return plain(`${node.tagName.toLowerCase()} ${node.name ?? node.id ?? node.textContent}`);
  };
  const inside = [...(page ?? document).querySelectorAll("button, select, input:not([type=hidden]):not([type=file]), summary, a[href]")];
  window.offered = inside.filter((node) => !node.disabled && !node.closest("[hidden], noscript, .print-sheet")
    && !(node.matches("a") && (node.hasAttribute("download") || !node.getAttribute("href").startsWith("?"))));
  return window.offered.map(kind);
}
