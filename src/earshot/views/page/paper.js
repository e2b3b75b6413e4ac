// Words, numbers with units, elements and tables that sort, copy and are saved.
const Paper = (() => {
  "use strict";
  const { plain, csv, download } = Charts;
  const words = Object.fromEntries(PAGE.words.map((word) => [word.name, word]));

  // --- frequencies and lengths in words
  const METRES = { m: 1, mm: 1e-3, ft: 0.3048, in: 0.0254 };
  const PREFIXES = [[1e9, "GHz"], [1e6, "MHz"], [1e3, "kHz"], [1, "Hz"]];
  const scaleOf = (hertz) => PREFIXES.find(([size]) => hertz >= size) || PREFIXES[3];
  const inWords = (hertz, digits = 6) => { const [size, unit] = scaleOf(hertz); return `${plain(hertz / size, digits)} ${unit}`; };
  const fixed = (value, digits = 2) => (value === null || !Number.isFinite(value) ? "–" : (Math.abs(value) < 0.5 * 10 ** -digits ? 0 : value).toFixed(digits).replace("-", "−"));
  const ohms = (z) => (Number.isFinite(z[0]) && Number.isFinite(z[1]) ? `${fixed(z[0])} ${z[1] < 0 ? "−" : "+"} ${fixed(Math.abs(z[1]))}j` : "open");
  const standing = (s) => (s < 1000 ? plain(s, 3) : "above 1000");

  // --- elements
  function element(tag, content = "", attributes = {}) {
    const made = document.createElement(tag);
    for (const [key, value] of Object.entries(attributes)) if (value !== null) made.setAttribute(key, value);
    if (content instanceof Node) made.append(content);
    else if (Array.isArray(content)) made.append(...content);
    else made.textContent = content;
    return made;
  }
  const slug = (name) => `word-${name.toLowerCase().replace(/[^a-z0-9]+/g, "-")}`;
  function wordLink(text, name = text) {
    const word = words[name];
    return word ? element("a", text, { href: `#${slug(name)}`, title: word.meaning }) : document.createTextNode(text);
  }
  const option = (text, value) => element("option", text, { value });
  const say = (text) => { document.getElementById("said").textContent = text; };

  // --- tables that sort, copy and are saved
  function table(host, name, columns, rows, { copy = true } = {}) {
    const holder = element("div", "", { class: "card" }), made = element("table"), head = element("thead"), body = element("tbody");
    const caption = element("caption", element("bdi", name));
    made.append(caption, head, body);
    let sorted = null;
    const fill = () => {
      body.replaceChildren(...rows.map((row) => element("tr", row.map((cell, k) => {
        // Rounding is no figure.
        const text = typeof cell === "number" ? plain(Math.abs(cell) < 1e-9 ? 0 : cell, 6) : cell ?? "–";
        return element(k ? "td" : "th", element("bdi", String(text)), k ? (typeof cell === "string" && cell.length > 24 ? { class: "word" } : {}) : { scope: "row" });
      }))));
    };
    head.append(element("tr", columns.map((column, k) => {
      const button = element("button", column, { type: "button", "aria-label": `${column}: sort` });
      const cell = element("th", button, { scope: "col" });
      button.addEventListener("click", () => {
        const up = sorted === k;
        sorted = up ? null : k;
        rows.sort((a, b) => {
          const order = typeof a[k] === "number" && typeof b[k] === "number" ? a[k] - b[k] : String(a[k] ?? "").localeCompare(String(b[k] ?? ""), undefined, { numeric: true });
          return up ? -order : order;
        });
        [...head.querySelectorAll("th")].forEach((th) => th.removeAttribute("aria-sort"));
        cell.setAttribute("aria-sort", up ? "descending" : "ascending");
        fill();
      });
      return cell;
    })));
    fill();
    if (copy) {
      const tools = element("div", "", { class: "tools" });
      const all = () => [columns, ...rows];
      const copied = element("button", "copy", { type: "button", "aria-label": `${name}: copy` });
      copied.addEventListener("click", async () => {
        const text = all().map((row) => row.map((cell) => cell ?? "").join("\t")).join("\n");
        try { await navigator.clipboard.writeText(text); } catch {
          // Where a page from a file may not use the clipboard, a selection may be copied.
          const area = element("textarea", text);
          document.body.append(area);
          area.select();
          document.execCommand("copy");
          area.remove();
        }
        say(`${name} copied`);
      });
      const saved = element("button", "CSV", { type: "button", "aria-label": `${name}: save as CSV` });
      saved.addEventListener("click", () => download(name, new Blob([csv(all())], { type: "text/csv" }), "csv"));
      tools.append(copied, saved);
      holder.append(tools);
    }
    const wide = element("div", made, { class: "wide", tabindex: "0", role: "region", "aria-label": name });
    holder.append(wide);
    host.append(holder);
    return holder;
  }

  return { METRES, inWords, scaleOf, fixed, ohms, standing, element, slug, wordLink, option, table };
})();
