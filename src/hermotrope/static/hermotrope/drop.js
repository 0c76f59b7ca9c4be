// A file dropped anywhere on a page is recognised, shown with what would be done with it, and sent when that is pressed.
"use strict";
(() => {
  const PEEK = 65536;
  const one = (words, press, where, name = "file") => ({ words, presses: [{ press, where, name }] });
  const BACKUP = one("a backup of a whole bench", "Open the backup page", "/backup/", "");
  const SHELF = one("a shelf", "See what it would change", "/shelf/import/");
  const BY_FORMAT = [
    ["hermotrope-case/", one("a case", "Put it on the bench", "/import/")],
    ["hermotrope-record/", one("a whole record", "Put it on the bench", "/import/")],
    ["hermotrope-outing/", one("an outing", "Put it among the outings", "/outings/import/")],
    ["hermotrope-shelf/", SHELF],
  ];
  const picture = (press, where, kind, called) => ({ press, where, name: "picture", more: { kind, called } });
  const measure = (press, kind) => picture(press, "/shelf/measured/", kind, "name");
  const PICTURE = {
    words: "a picture",
    presses: [
      measure("Measure a pack’s foot in it", "foot"),
      measure("Measure a board in it", "board"),
      measure("Measure a panel in it", "panel"),
      picture("Write it into the logbook", "/logbook/write/", "note", "text"),
    ],
  };
  const conversion = () => location.pathname.match(/^\/c\/\d+\//)?.[0];

  // What a file is, by its first bytes, and what may be done with it; null where it is nothing of ours.
  async function recognised(file) {
    const head = new Uint8Array(await file.slice(0, PEEK).arrayBuffer());
    const text = new TextDecoder().decode(head);
    if (head[0] === 0x50 && head[1] === 0x4b) return text.includes("bench.sqlite3") ? BACKUP : null;
    if ((head[0] === 0xff && head[1] === 0xd8) || head[0] === 0x89 || /^RIFF....WEBP/s.test(text)) return PICTURE;
    if (/^\uFEFF?\s*[{[]/.test(text)) return BY_FORMAT.find(([format]) => text.includes(`"${format}`))?.[1] ?? null;
    if (/^\uFEFF?"?key"?,"?kind"?,/.test(text)) return SHELF;
    if (text.includes("\u0000")) return null;
    const lines = text.split(/\r?\n/).filter((line) => line.trim());
    const labels = lines.filter((line) => /\d\s*(mAh|Ah|Wh|V)\b/i.test(line)).length;
    if (labels && labels * 2 > lines.length) return one("a list of labels", "See what they would bring", "/shelf/import/");
    if (!/\d[,;\t ]+-?\d/.test(text)) return null;
    const at = conversion();
    return at
      ? one("a table of readings", "Look at it as a run of this conversion", `${at}log/`)
      : { words: "a table of readings. Open the conversion that was logged, and drop it there", presses: [] };
  }

  function button(words, look, act) {
    const made = document.createElement("button");
    made.type = "button";
    made.className = look;
    made.textContent = words;
    made.addEventListener("click", act);
    return made;
  }

  function box(words, presses) {
    document.getElementById("dropped")?.remove();
    const made = document.createElement("dialog");
    made.id = "dropped";
    made.className = "dropped";
    const told = document.createElement("p");
    told.textContent = words;
    made.append(told, ...presses.map(([press, act]) => button(press, "button", act)));
    made.append(button(presses.length ? "Leave it" : "Close", "outline", () => made.close()));
    made.addEventListener("close", () => made.remove());
    document.body.append(made);
    made.showModal();
  }

  function send(file, { where, name, more = {} }) {
    if (!name) {
      location.assign(where);
      return;
    }
    const form = document.createElement("form"),
      files = new DataTransfer();
    const put = (key, value) => {
      const field = document.createElement("input");
      field.name = key;
      field.value = value;
      form.append(field);
    };
    form.method = "post";
    form.action = where;
    form.enctype = "multipart/form-data";
    form.hidden = true;
    put("csrfmiddlewaretoken", JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"]);
    if (more.kind) put("kind", more.kind);
    if (more.called) put(more.called, file.name.replace(/\.[^.]*$/, ""));
    files.items.add(file);
    const field = document.createElement("input");
    field.type = "file";
    field.name = name;
    field.files = files.files;
    form.append(field);
    document.body.append(form);
    form.submit();
  }

  const carries = (event) => [...(event.dataTransfer?.types ?? [])].includes("Files");
  document.addEventListener("dragover", (event) => {
    if (carries(event) && !event.target.closest?.("input[type=file]")) event.preventDefault();
  });
  document.addEventListener("drop", async (event) => {
    if (!carries(event) || event.target.closest?.("input[type=file]")) return;
    event.preventDefault();
    const [file, more] = event.dataTransfer.files;
    if (!file) return;
    const found = await recognised(file);
    const name = `“${file.name}” (${Math.ceil(file.size / 1000)} kB)`;
    if (!found) box(`${name} is nothing that this bench reads.`, []);
    else
      box(
        `${name} is ${found.words}.${more ? " Only the first of them is taken." : ""}`,
        found.presses.map((press) => [press.press, () => send(file, press)]),
      );
  });
})();
