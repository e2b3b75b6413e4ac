// The page itself: what is looked at, what it is driven with, and everything that follows.
(async () => {
  "use strict";
  const { Chart, curves, polar, smith, plain, csv, download, DASHES } = Charts;
  const $ = (id) => document.getElementById(id);
  const buffer = await Open.bytes($("bytes").textContent);
  const models = PAGE.models.map((content) => new Open.Model(content, buffer));
  const measured = PAGE.measured.map((content) => new Open.Curve(content, buffer));
  const words = Object.fromEntries(PAGE.words.map((word) => [word.name, word]));
  const LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ";
  const DBD = 2.15, LOSS_MOST = 60;
  const FIGURES = { "gain": "gain", "realized gain": "realized gain", "directivity": "directivity",
    "gain, co-polar": "gain, co-polar", "gain, cross-polar": "gain, cross-polar", "gain, theta": "gain, vertical (θ)", "gain, phi": "gain, horizontal (φ)", "gain, right-hand": "gain, right-hand",
    "gain, left-hand": "gain, left-hand", "axial ratio": "axial ratio" };

  // What may be undone.
  let state = {
    live: 0, shown: models.map(() => true), curvesShown: measured.map(() => true), cases: models.map(() => 0),
    hertz: models[0].stops[models[0].cases[0].stop], drives: models.map((model) => model.driveOf(0)),
    taper: "uniform", cut: { kind: models[0].grid && models[0].grid.plane && !models[0].layered ? "azimuth" : "E", angle: 0 },
    both: true, quantity: "gain", markers: [], angles: [], port: 0,
  };
  const firstCut = models[0].cases[0].cuts.find((cut) => cut.plane === null);
  if (state.cut.kind === "azimuth" && firstCut) {
    state.cut = firstCut.azimuth !== null ? { kind: "azimuth", angle: firstCut.azimuth } : { kind: "elevation", angle: firstCut.elevation };
  }
  const view = { length: "m", reference: "dBi", figure: "gain", law: "compressed", opacity: 0.55, apart: false, currents: "size", edges: true, near: "", axis: "x", share: 1 };
  const past = [], future = [];
  let lastKey = "", lastTime = 0, drivenNow = [], lastTook = {}, shownSpace = -1;

  const model = () => models[state.live];
  const snapshot = () => JSON.stringify(state);
  function change(key, act) {
    const now = performance.now(), before = snapshot();
    act();
    if (snapshot() === before) return;
    if (key !== lastKey || now - lastTime > 900) { past.push(before); if (past.length > 200) past.shift(); }
    lastKey = key;
    lastTime = now;
    future.length = 0;
    update();
  }
  function back(from, to) {
    if (!from.length) return;
    to.push(snapshot());
    state = JSON.parse(from.pop());
    lastKey = "";
    update(true);
  }

  // --- frequencies and lengths in words
  const METRES = { m: 1, mm: 1e-3, ft: 0.3048, in: 0.0254 };
  const PREFIXES = [[1e9, "GHz"], [1e6, "MHz"], [1e3, "kHz"], [1, "Hz"]];
  const scaleOf = (hertz) => PREFIXES.find(([size]) => hertz >= size) || PREFIXES[3];
  const inWords = (hertz, digits = 6) => { const [size, unit] = scaleOf(hertz); return `${plain(hertz / size, digits)} ${unit}`; };
  const gainUnit = () => view.reference;
  const level = (dBi) => (dBi === null || dBi === undefined ? null : dBi - (view.reference === "dBd" ? DBD : 0));
  const isGain = (name) => name !== "axial ratio";
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
  const say = (text) => { $("said").textContent = text; };

  // --- tables that sort, copy and are saved
  function table(host, name, columns, rows, { copy = true } = {}) {
    const holder = element("div", "", { class: "card" }), made = element("table"), head = element("thead"), body = element("tbody");
    const caption = element("caption", element("bdi", name));
    made.append(caption, head, body);
    let sorted = null;
    const fill = () => {
      body.replaceChildren(...rows.map((row) => element("tr", row.map((cell, k) => {
        const text = typeof cell === "number" ? plain(cell, 6) : cell ?? "–";
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
    return { set(fresh) { rows = fresh; fill(); }, holder };
  }

  // --- which models are looked at
  const colourOf = (n) => Charts.theme().lines[n % 5], dashOf = (n) => DASHES[Math.floor(n / 5 + n) % 5];
  const sampleOf = (n) => {
    const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg"), line = document.createElementNS("http://www.w3.org/2000/svg", "line");
    for (const [key, value] of Object.entries({ width: 34, height: 10, "aria-hidden": "true" })) svg.setAttribute(key, value);
    for (const [key, value] of Object.entries({ x1: 0, x2: 34, y1: 5, y2: 5, stroke: `var(--line-${n % 5 + 1})`, "stroke-width": 3, "stroke-dasharray": dashOf(n) })) line.setAttribute(key, value);
    svg.append(line);
    return svg;
  };
  function modelsShown() {
    if (models.length + measured.length < 2) return;
    const list = element("ul");
    [...models, ...measured].forEach((one, n) => {
      const curve = n >= models.length, box = element("input", "", { type: "checkbox" });
      box.checked = curve ? state.curvesShown[n - models.length] : state.shown[n];
      box.addEventListener("change", () => change("shown", () => {
        if (curve) state.curvesShown[n - models.length] = box.checked; else state.shown[n] = box.checked || n === state.live;
      }));
      const label = element("label", [box, document.createTextNode(" "), sampleOf(n), document.createTextNode(" "), element("bdi", one.label)]);
      const item = element("li", label);
      if (!curve && models.length > 1) {
        const pick = element("button", n === state.live ? "looked at" : "look at", { type: "button", "aria-pressed": String(n === state.live), "aria-label": `look at ${one.label}` });
        pick.addEventListener("click", () => change("live", () => { state.live = n; state.shown[n] = true; state.port = 0; state.hertz = nearStop(models[n], state.hertz); }));
        item.append(document.createTextNode(" "), pick);
      }
      list.append(item);
    });
    $("models").replaceChildren(element("h2", "Models"), list);
    $("models").hidden = false;
  }
  const nearStop = (one, hertz) => one.stops.reduce((best, f) => (Math.abs(f - hertz) < Math.abs(best - hertz) ? f : best), one.stops[0]);
  const stopOf = (one) => one.stops.indexOf(nearStop(one, state.hertz));

  // --- the first screen
  const told = (pairs) => $("told").replaceChildren(...pairs.flatMap(([name, text, plus, word]) => {
    const value = element("dd", text);
    if (plus) value.append(element("span", ` ± ${plus}`, { class: "plus" }));
    return [element("dt", wordLink(name, word || name)), value];
  }));
  const asSolved = (n) => {
    const one = models[n];
    return state.hertz === one.stops[one.cases[0].stop] && JSON.stringify(state.drives[n]) === JSON.stringify(one.driveOf(0));
  };
  function figuresTold(now) {
    const one = model(), solved = asSolved(state.live), errors = solved ? one.errors : {};
    const plus = (name, digits = 2) => (errors[name] ? plain(errors[name], digits) : "");
    const pairs = [], p = state.port, row = now.rows[p], name = one.ports[p].name;
    if (one.count === 1 || row.fed) {
      const which = one.count > 1 ? `, ${name}` : "";
      const ownErrors = one.count === 1;
      pairs.push([`impedance${which}`, `${ohms(row.impedance)} ohm`, ownErrors && plus(`R at ${name}`) ? `${plus(`R at ${name}`)}, ${plus(`X at ${name}`)}` : "", "impedance"]);
      const back = Math.hypot(...row.reflection);
      pairs.push([`VSWR${which}`, standing(row.vswr), ownErrors ? plus(`VSWR at ${name}`) : "", "VSWR"]);
      pairs.push([`return loss${which}`, back > 1e-5 ? `${fixed(-20 * Math.log10(back), 1)} dB` : "above 100 dB", "", "return loss"]);
    }
    if (one.count > 1) {
      const worst = now.rows.reduce((best, r, k) => (r.fed && (best < 0 || r.vswr > now.rows[best].vswr) ? k : best), -1);
      if (worst >= 0) pairs.push(["worst match", `VSWR ${standing(now.rows[worst].vswr)} at ${one.ports[worst].name}`, "", "VSWR"]);
      pairs.push(["returned", `${fixed(100 * (1 - now.accepted / now.incident), 2)} % of what is sent`, "", "sent"]);
    }
    if (curveNow && curveNow.hertz.length > 2) {
      const resonant = Sums.resonances(curveNow.hertz, curveNow.impedance);
      if (resonant.length) {
        const near = resonant.reduce((best, r) => (Math.abs(r.hertz - now.hertz) < Math.abs(best.hertz - now.hertz) ? r : best));
        pairs.push(["resonance", `${inWords(near.hertz, 5)}, ${near.rising ? "series" : "parallel"}, ${fixed(near.r, 1)} ohm`]);
      }
      const stretches = Sums.within(curveNow.hertz, curveNow.vswr, 2);
      const near = stretches.filter((s) => s.from <= now.hertz && now.hertz <= s.to)[0] || stretches[0];
      pairs.push(["VSWR to 2", near ? `${inWords(near.from, 5)} to ${inWords(near.to, 5)}: ${plain(200 * (near.to - near.from) / (near.to + near.from), 3)} %${near.cut ? ", and on" : ""}` : "nowhere in the band", "", "bandwidth"]);
    }
    if (now.field) {
      const f = now.field.figures(), unit = gainUnit();
      pairs.push(["gain", `${fixed(level(f.gain))} ${unit}`, plus("gain") && `${plus("gain")} dB`]);
      pairs.push(["realized gain", `${fixed(level(f.realizedGain))} ${unit}`, plus("realized gain") && `${plus("realized gain")} dB`]);
      pairs.push(["directivity", `${fixed(level(f.directivity))} ${unit}`]);
      const upright = one.grid.plane && one.layered;
      // Straight up every azimuth is as good.
      const off = 90 - f.elevation, azimuth = `azimuth ${fixed(f.azimuth, 1)}°`;
      pairs.push(["peak", upright ? `${fixed(off, 1)}° off broadside${off < 0.5 ? "" : `, ${azimuth}`}` : `${Math.abs(f.elevation) > 89.5 ? "" : `${azimuth}, `}elevation ${fixed(f.elevation, 1)}°`, "", "elevation of peak"]);
      pairs.push(["beamwidth", `E ${f.widthE === null ? "no end" : `${fixed(f.widthE, 1)}°`}, H ${f.widthH === null ? "no end" : `${fixed(f.widthH, 1)}°`}`, "", "half-power beamwidth"]);
      if (f.frontToBack !== null) pairs.push(["front to back", f.frontToBack < 60 ? `${fixed(f.frontToBack, 1)} dB` : "above 60 dB", plus("front-to-back ratio") && f.frontToBack < 60 ? `${plus("front-to-back ratio")} dB` : "", "front-to-back ratio"]);
      pairs.push(["side lobe", f.sideLobe === null ? "none" : f.sideLobe < -60 ? "below −60 dB" : `${fixed(f.sideLobe, 1)} dB`, "", "side lobe level"]);
      pairs.push(["polarisation", f.axialRatio > 30 ? "linear" : `${f.rightHanded ? "right" : "left"}-handed, axial ratio ${fixed(f.axialRatio, 1)} dB`, "", "axial ratio"]);
      pairs.push(["efficiency", `${fixed(100 * f.efficiency, 1)} %`, "", "radiation efficiency"]);
      figuresNow = f;
    } else {
      figuresNow = null;
      pairs.push(["far field", one.radiates ? "none: no power goes in as driven" : "none: between planes no waves get out"]);
    }
    told(pairs);
    $("told-title").textContent = `${solved ? one.cases[0].name : "As driven here"}, ${inWords(now.hertz)}`;
    const changed = Object.keys(one.errors).length && !solved;
    $("told-note").textContent = [solved && Object.keys(errors).length ? "± is what the mesh leaves, estimated" : "", changed ? "The ± of the mesh is known for the case as it was solved" : "",
      one.cases[state.cases[state.live]].circuit ? "Fed through a circuit: what it gives the ports here is held when the frequency changes" : "",
      `${gainUnit() === "dBd" ? "dBd: 2.15 dB less than dBi. " : ""}Metal ${lengthsTold(one)}`].filter(Boolean).join(". ");
  }
  let figuresNow = null, curveNow = null;
  const lengthsTold = (one) => {
    const size = one.shape.high.map((v, i) => (v - one.shape.low[i]) / METRES[view.length]);
    return `${size.map((v) => plain(v, 4)).join(" × ")} ${view.length}.`;
  };
  function findingsTold() {
    const one = model(), list = one.findings.filter((f) => f.level !== "note"), notes = one.findings.length - list.length;
    const lines = list.map((f) => element("p", [element("span", f.level, { class: `level ${f.level}` }), document.createTextNode(" "), element("bdi", `${f.says}: ${f.remedy}`)]));
    if (!lines.length) lines.push(element("p", [element("span", "checked", { class: "level good" }), document.createTextNode(` the model's check found nothing to worry about${notes ? `; ${notes} note${notes > 1 ? "s" : ""}` : ""}.`)]));
    lines.push(...one.notes.map((note) => element("p", element("bdi", note))));
    $("found").replaceChildren(...lines);
    $("found").tabIndex = 0;
    $("found").setAttribute("role", "region");
    $("found").setAttribute("aria-label", "What the check found");
  }

  // --- ports
  const KINDS = { power: "W", voltage: "V", current: "A" };
  const shownSize = (port) => (port.kind === "power" ? port.size ** 2 : port.size);
  let portsOf = -1;
  function portsBuilt() {
    const one = model();
    portsOf = state.live;
    const heads = ["port", "fed by", "amount", "phase, deg", "closed by", "R, ohm", "X, ohm", "impedance, ohm", "VSWR", "power, W"];
    $("ports").tHead.replaceChildren(element("tr", heads.map((text) => element("th", text, { scope: "col" }))));
    $("ports").tBodies[0].replaceChildren(...one.ports.map((port, p) => {
      const set = (key, act) => change(`${key} ${p}`, () => act(state.drives[state.live][p]));
      const number = (label, more, act) => {
        const input = element("input", "", { type: "number", step: "any", "aria-label": `${port.name}: ${label}`, ...more });
        input.addEventListener("input", () => { const value = Number(input.value); if (input.value !== "" && Number.isFinite(value)) set(label, (own) => act(own, value)); });
        return input;
      };
      const kind = element("select", Object.entries({ power: "power", voltage: "voltage", current: "current", closed: "nothing" }).map(([k, v]) => option(v, k)), { "aria-label": `${port.name}: fed by` });
      kind.addEventListener("change", () => set("kind", (own) => {
        if (kind.value !== "closed" && own.kind === "closed" && !own.size) own.size = 1;
        if (kind.value === "closed" && own.closing === undefined) own.closing = "reference";
        own.kind = kind.value;
      }));
      const size = number("amount", { min: 0 }, (own, value) => { if (value >= 0) own.size = own.kind === "power" ? Math.sqrt(value) : value; });
      const turn = number("phase", {}, (own, value) => { own.turn = value; });
      const slide = element("input", "", { type: "range", min: -180, max: 180, step: 1, "aria-label": `${port.name}: phase` });
      slide.addEventListener("input", () => set("phase", (own) => { own.turn = Number(slide.value); }));
      const closing = element("select", [["reference", "its reference"], ["open", "open"], ["short", "short"], ["own", "R + jX"]].map(([k, v]) => option(v, k)), { "aria-label": `${port.name}: closed by` });
      closing.addEventListener("change", () => set("closing", (own) => { own.closing = closing.value === "own" ? [...model().references[p]] : closing.value; }));
      const part = (k, label) => number(label, { class: "ohm" }, (own, value) => { if (Array.isArray(own.closing)) { own.closing = [...own.closing]; own.closing[k] = value; } });
      const r = part(0, "closing R"), x = part(1, "closing X");
      const row = element("tr", [element("th", element("bdi", port.name), { scope: "row" }), element("td", kind), element("td", [size, element("span", "", { class: "unit" })]),
        element("td", [turn, document.createTextNode(" "), slide]), element("td", closing), element("td", r), element("td", x), element("td", "", { class: "z" }), element("td", "", { class: "s" }), element("td", "", { class: "w" })]);
      Object.assign(row, { parts: { kind, size, turn, slide, closing, r, x } });
      return row;
    }));
    const several = one.count > 1;
    $("steering").hidden = $("steer-note").hidden = !(several && one.arrays);
    if (one.arrays) $("taper").replaceChildren(option("as it is", ""), ...Object.keys(one.arrays.tapers).map((name) => option(name, name)));
    $("port-holder").hidden = !several;
    $("port").replaceChildren(...one.ports.map((port, p) => option(port.name, p)));
    $("case").replaceChildren(...one.cases.map((each, k) => option(each.title.replace(/^case /, ""), k)));
    $("case-holder").hidden = one.cases.length < 2;
  }
  const put = (input, value) => { if (document.activeElement !== input) input.value = value; };
  function portsTold(now) {
    if (portsOf !== state.live) portsBuilt();
    const drive = state.drives[state.live];
    [...$("ports").tBodies[0].rows].forEach((row, p) => {
      const port = drive[p], { kind, size, turn, slide, closing, r, x } = row.parts, fed = port.kind !== "closed", own = Array.isArray(port.closing);
      put(kind, port.kind);
      put(size, plain(shownSize(port), 4).replace("−", "-"));
      put(turn, plain(port.turn, 6).replace("−", "-"));
      slide.value = ((port.turn + 540) % 360) - 180;
      for (const input of [size, turn, slide]) input.disabled = !fed;
      row.querySelector(".unit").textContent = ` ${KINDS[port.kind] || ""}`;
      put(closing, own ? "own" : port.closing);
      closing.disabled = fed;
      r.hidden = x.hidden = fed || !own;
      put(r, own && !fed ? plain(port.closing[0], 5).replace("−", "-") : "");
      put(x, own && !fed ? plain(port.closing[1], 5).replace("−", "-") : "");
      const seen = now.rows[p];
      row.querySelector(".z").textContent = ohms(seen.impedance);
      row.querySelector(".s").textContent = fed ? standing(seen.vswr) : "–";
      row.querySelector(".w").textContent = plain(seen.power, 4);
    });
    const taken = now.rows.reduce((sum, r) => sum + (r.fed ? 0 : -r.power), 0);
    const rest = now.accepted - now.radiated - taken;
    $("powers").textContent = `Sent ${plain(now.incident, 4)} W, accepted ${plain(now.accepted, 4)} W`
      + (now.field ? `, radiated ${plain(now.radiated, 4)} W` : "") + (taken > 1e-9 ? `, into what closes ports ${plain(taken, 4)} W` : "")
      + (now.field && rest > 1e-4 * now.accepted ? `, into metal, loads, layers and earth ${plain(rest, 3)} W.` : ".");
  }
  function steer(theta, phi) {
    const one = model();
    if (!one.arrays) return;
    const turns = Sums.steering(one.arrays.places, nearStop(one, state.hertz), theta, phi);
    change("steer", () => {
      state.drives[state.live].forEach((port, p) => { if (port.kind !== "closed") Object.assign(port, { turn: ((turns[p] + 180) % 360 + 360) % 360 - 180, delay: 0 }); });
    });
    put($("steer-theta"), fixed(theta * 180 / Math.PI, 1));
    put($("steer-phi"), fixed(phi * 180 / Math.PI, 1).replace("−", "-"));
  }
  function tapered(name) {
    const own = model().arrays.tapers[name];
    if (!own) return;
    change("taper", () => {
      const drive = state.drives[state.live], fed = drive.filter((port) => port.kind !== "closed");
      // What is sent in all stays.
      const before = fed.reduce((sum, port) => sum + port.size ** 2, 0);
      const whole = drive.reduce((sum, port, p) => sum + (port.kind !== "closed" ? own[p] ** 2 : 0), 0);
      drive.forEach((port, p) => { if (port.kind !== "closed") port.size = own[p] * Math.sqrt(before / whole); });
    });
  }

  // --- charts
  const charts = [];
  const visible = new IntersectionObserver((entries) => {
    for (const entry of entries) {
      const chart = charts.find((one) => one.figure === entry.target);
      chart.seen = entry.isIntersecting;
      if (chart.seen && chart.stale) { chart.update(); chart.stale = false; }
    }
  }, { rootMargin: "200px" });
  function chart(host, title, draw, how) {
    const made = new Chart(host, title, draw, how);
    charts.push(made);
    visible.observe(made.figure);
    return made;
  }
  function redraw(all = false) {
    for (const one of charts) {
      if (one.hidden) continue;
      if (one.seen || all || one.figure.classList.contains("large")) { one.update(); one.stale = false; } else one.stale = true;
    }
  }
  const portName = (n) => (models[n].count > 1 ? `, ${models[n].ports[Math.min(state.port, models[n].count - 1)].name}` : "");
  let bandCurves = [];
  function curvesNow() {
    bandCurves = [];
    models.forEach((one, n) => {
      if (!state.shown[n]) return;
      const port = n === state.live ? state.port : Math.min(state.port, one.count - 1);
      const found = one.curve(state.drives[n], port);
      bandCurves.push({ ...found, name: models.length + measured.length > 1 || one.count > 1 ? `${one.label}${portName(n)}` : one.ports[0].name,
        colour: colourOf(n), dash: dashOf(n), stretches: one.stretches, live: n === state.live });
      if (n === state.live) curveNow = found;
    });
    // What is looked at lies on top.
    bandCurves.sort((a, b) => Number(a.live) - Number(b.live));
    measured.forEach((one, m) => {
      if (state.curvesShown[m]) bandCurves.push({ ...one, name: one.label, colour: colourOf(models.length + m), dash: dashOf(models.length + m), stretches: [[0, one.hertz.length - 1]] });
    });
  }
  function bandAxis() {
    const all = bandCurves.flatMap((one) => [one.hertz[0], one.hertz[one.hertz.length - 1]]);
    let low = Math.min(...all), high = Math.max(...all);
    if (!(high > low * (1 + 1e-9))) { low *= 0.98; high *= 1.02; }
    const [size, unit] = scaleOf(high);
    return { label: `frequency, ${unit}`, domain: [low, high], unit, show: (hertz) => plain(hertz / size, 6),
      ticks: (width) => library.scaleLinear([low / size, high / size], [0, 1]).ticks(Math.max(3, Math.floor(width / 90))).map((v) => v * size) };
  }
  const bandSpec = (label, value, domain, limits, more = {}) => () => {
    const series = bandCurves.filter((one) => value(one)).map((one) => ({ name: one.name, colour: one.colour, dash: one.dash, x: one.hertz, y: value(one), stretches: one.stretches, ...more }));
    return { x: bandAxis(), y: { label, domain: domain(series) }, series, limits, markers: state.markers.map((x, k) => ({ x, letter: LETTERS[k] })), here: nearStop(model(), state.hertz) };
  };
  const finite = (series) => series.flatMap((one) => Array.from(one.y)).filter((v) => Number.isFinite(v));
  function roomFor(values, least, most) {
    const sorted = values.slice().sort((a, b) => a - b), at = (share) => sorted[Math.round(share * (sorted.length - 1))] ?? 0;
    const low = Math.max(at(0.02), least), high = Math.min(at(0.98), most), margin = 0.08 * (high - low) || 1;
    return [low - margin, high + margin];
  }
  // To 6 where a curve comes below 4; else so far that the best is seen.
  function vswrDomain(series) {
    const best = Math.min(...finite(series));
    return [1, best > 4 ? Math.min(1.6 * best, 1000) : 6];
  }
  const lossOf = (one) => one.gamma.map((g) => Math.min(-20 * Math.log10(Math.max(Math.hypot(...g), 1e-6)), LOSS_MOST));
  const mark = (hertz) => change("mark", () => { if (state.markers.length < LETTERS.length) state.markers.push(hertz); });
  function bandCharts() {
    const host = $("match-charts");
    const vswr = bandSpec("", (one) => one.vswr, vswrDomain, [{ y: 2 }, { y: 3 }]);
    const lone = models.every((one) => one.hertz.length < 3) && !measured.length && models.some((one) => one.count > 1);
    if (lone) chart($("glance"), "Active VSWR of every port", curves(everyPort), { tools: false, ratio: 0.68 });
    else chart($("glance"), "VSWR", curves(vswr), { pick: mark, tools: false, ratio: 0.68 });
    chart($("glance"), "Pattern", polar(() => polarSpec(false)), { tools: false, ratio: 0.9 });
    chart(host, "Resistance and reactance", curves(() => {
      const spec = bandSpec("ohm", () => null, () => [0, 1], [{ y: 0 }])();
      const known = bandCurves.filter((one) => one.impedance);
      spec.series = known.flatMap((one) => [
        { name: known.length > 1 ? `R, ${one.name}` : "R", colour: one.colour, dash: "", x: one.hertz, y: one.impedance.map((z) => z[0]), stretches: one.stretches, always: true },
        { name: known.length > 1 ? `X, ${one.name}` : "X", colour: known.length > 1 ? one.colour : Charts.theme().lines[1], dash: "7 4", x: one.hertz, y: one.impedance.map((z) => z[1]), stretches: one.stretches },
      ]);
      spec.y.domain = roomFor([...finite(spec.series), 0], -2000, 3000);
      return spec;
    }), { pick: mark });
    chart(host, "VSWR over frequency", curves(vswr), { pick: mark });
    chart(host, "Return loss", curves(bandSpec("return loss, dB: more is better", lossOf, (series) => [Math.min(Math.max(20, 1.05 * Math.max(...finite(series), 0)), LOSS_MOST), 0], [{ y: 10 }])), { pick: mark });
    chart(host, "Smith chart", smith(() => ({
      series: bandCurves.filter((one) => one.phase !== false), here: nearStop(model(), state.hertz), show: (hertz) => inWords(hertz),
      markers: state.markers.map((x, k) => ({ x, letter: LETTERS[k] })),
    })), { pick: mark });
    chart($("pattern-charts"), "Gain over frequency", curves(() => {
      const spec = bandSpec(gainUnit(), () => null, () => [0, 1], [])();
      spec.series = gainsOverFrequency();
      spec.y.domain = roomFor(finite(spec.series), -40, 60);
      return spec;
    }), { pick: mark, ratio: 0.86 });
  }
  // What came of a study: a figure against the first value that was changed.
  function studyChart(host, study) {
    const [by] = study.changes, numbers = Object.keys(study.rows[0]).filter((key) => !study.changes.includes(key) && study.rows.every((row) => row[key] === null || typeof row[key] === "number"));
    const x = study.rows.map((row) => parseFloat(row[by]));
    if (study.changes.length > 1 || x.some((v) => !Number.isFinite(v)) || x.length < 3 || !numbers.length) return;
    const order = x.map((_, k) => k).sort((a, b) => x[a] - x[b]);
    const pick = element("select", numbers.map((key) => option(key, key)), { "aria-label": `${study.label}: figure` });
    if (numbers.includes("gain")) pick.value = "gain";
    const made = chart(host, study.label, curves(() => {
      const y = order.map((k) => study.rows[k][pick.value]);
      return { x: { label: `${by}, ${String(study.rows[0][by]).replace(/^[-+.\d\s]*/, "")}`, domain: [x[order[0]], x[order[order.length - 1]]] },
        y: { label: `${pick.value}${study.units[pick.value] ? `, ${study.units[pick.value]}` : ""}`, domain: roomFor(y.filter((v) => v !== null), -1e12, 1e12) },
        series: [{ name: pick.value, colour: Charts.theme().lines[0], dash: "", x: order.map((k) => x[k]), y }] };
    }));
    made.heading.after(pick);
    pick.addEventListener("change", () => made.update());
  }
  function everyPort() {
    const rows = drivenNow[state.live].rows, x = rows.map((_, p) => p + 1), y = rows.map((row) => (row.fed ? row.vswr : null));
    const worst = Math.max(...y.filter((v) => Number.isFinite(v) && v !== null), 2.9);
    return { x: { label: "port", domain: [0.5, rows.length + 0.5], show: (v) => (model().ports[Math.round(v) - 1] && rows.length < 9 ? model().ports[Math.round(v) - 1].name : plain(v, 3)),
      ticks: () => library.scaleLinear([1, rows.length], [0, 1]).ticks(Math.min(rows.length, 9)).filter((v) => v % 1 === 0) },
    y: { label: "", domain: [1, Math.min(1.15 * worst, 100)] }, limits: [{ y: 2 }],
    series: [{ name: "VSWR", colour: Charts.theme().lines[0], dash: "", x, y, stretches: x.map((_, k) => [k, k]) }] };
  }
  // Gain and realized gain where the beam peaks now, at every stop.
  function gainsOverFrequency() {
    const one = model(), now = drivenNow[state.live];
    if (!now || !now.field || one.stops.length < 3) return [];
    const { theta, phi } = now.field.peak, gain = [], realized = [];
    one.stops.forEach((_, stop) => {
      const flow = Sums.drivenPorts(one.yAtStops, 2 * stop * one.count ** 2, one.references, state.drives[state.live], one.stops[stop]);
      const seen = Sums.seen(flow, one.references, state.drives[state.live]);
      const e = one.grid.at(Sums.combined(one.grid, one.fields, one.scales, stop, flow), theta, phi);
      const over = (power) => level(Sums.decibels(2 * Math.PI * (e[0] ** 2 + e[1] ** 2 + e[2] ** 2 + e[3] ** 2) / 376.730313412 / power));
      gain.push(over(seen.accepted));
      realized.push(over(seen.incident));
    });
    const look = Charts.theme();
    return [{ name: "gain", colour: look.lines[0], dash: "", x: one.stops, y: gain, always: true }, { name: "realized gain", colour: look.lines[1], dash: "7 4", x: one.stops, y: realized }];
  }

  const cutOf = () => (state.cut.kind === "E" || state.cut.kind === "H" ? { plane: state.cut.kind } : { plane: null, [state.cut.kind]: state.cut.angle });
  const cutName = (cut) => (cut.plane ? `${cut.plane}-plane` : cut.azimuth !== undefined ? `azimuth ${plain(cut.azimuth)}°` : `elevation ${plain(cut.elevation ?? 0)}°`);
  let cutsNow = [];
  function cutsMade() {
    cutsNow = [];
    const look = Charts.theme(), several = models.filter((_, n) => state.shown[n]).length > 1;
    const wanted = state.both && cutOf().plane ? [{ plane: "E" }, { plane: "H" }] : [cutOf()];
    models.forEach((one, n) => {
      const now = drivenNow[n];
      if (!state.shown[n] || !now || !now.field) return;
      wanted.forEach((cut, k) => {
        if (several && k && n !== state.live) return;
        const made = now.field.cut(cut, state.quantity), name = !several ? cutName(cut) : wanted.length > 1 ? `${one.label}, ${cutName(cut)}` : one.label;
        const value = isGain(state.quantity) ? made.value.map((v) => (v === null ? null : level(v))) : made.value;
        cutsNow.push({ name, cut, angle: made.angle, value, about: made.about, colour: several ? colourOf(n) : look.lines[k], dash: several ? (k ? "3 3" : dashOf(n)) : DASHES[k] });
      });
    });
  }
  const cutUnit = () => (isGain(state.quantity) ? gainUnit() : "dB");
  const angleMarkers = () => state.angles.map((x, k) => ({ x, letter: LETTERS[k] }));
  function polarSpec(marked = true) {
    const values = cutsNow.flatMap((one) => one.value).filter((v) => v !== null), first = cutsNow[0];
    const plane = first && first.cut.plane, round = first && !plane && first.cut.azimuth === undefined;
    return { series: cutsNow, unit: cutUnit(), top: Math.max(...values, -100), markers: marked ? angleMarkers() : [],
      rest: first ? `${FIGURES[state.quantity]}${first.cut.plane ? "" : `, ${cutName(first.cut)}`}, ${first.about}` : "", half: Boolean(first && first.cut.azimuth !== undefined && model().grid.plane),
      words: round ? { 0: "+x", 90: "+y", 180: "−x", 270: "−y" } : plane ? { signed: true, 0: "peak" } : { signed: true, 90: "up" } };
  }
  function straightSpec() {
    const values = cutsNow.flatMap((one) => one.value).filter((v) => v !== null), top = Math.max(...values, -100);
    const first = cutsNow[0] || { angle: [0, 1], about: "angle" }, low = first.angle[0], high = first.angle[first.angle.length - 1];
    return { x: { label: `${first.about}, deg`, domain: [low, high], unit: "deg", show: (v) => plain(v, 4), ticks: () => Array.from({ length: Math.round((high - low) / 30) + 1 }, (_, k) => low + 30 * k).filter((_, k, all) => all.length <= 8 || k % 2 === 0) },
      y: { label: cutUnit(), domain: isGain(state.quantity) ? [Math.ceil(top / 5) * 5 - 40, Math.ceil((top + 0.5) / 5) * 5] : [0, Math.min(Math.max(20, top), 40)] },
      series: cutsNow.map((one) => ({ ...one, x: one.angle, y: one.value, stretches: undefined })), markers: angleMarkers(), digits: 4 };
  }
  const markAngle = (angle) => change("mark angle", () => { if (state.angles.length < LETTERS.length) state.angles.push(Math.round(angle)); });
  function patternCharts() {
    chart($("pattern-charts"), "Polar cut", polar(() => polarSpec()), { pick: markAngle, ratio: 0.86 });
    chart($("pattern-charts"), "Straight cut", curves(straightSpec), { pick: markAngle, ratio: 0.86 });
  }

  function markersTold() {
    const rows = [];
    state.markers.forEach((hertz, m) => bandCurves.forEach((one) => {
      const k = Charts.nearest(one.hertz, hertz), z = one.impedance ? one.impedance[k] : [NaN, NaN];
      rows.push([LETTERS[m], inWords(one.hertz[k]), one.name, fixed(z[0]), fixed(z[1]), standing(one.vswr[k]), fixed(lossOf({ gamma: [one.gamma[k]] })[0], 1)]);
    }));
    markerTable($("markers"), "Markers", ["marker", "frequency", "curve", "R, ohm", "X, ohm", "VSWR", "return loss, dB"], rows, state.markers.length, (m) => state.markers.splice(m, 1));
    const angles = [];
    state.angles.forEach((angle, m) => cutsNow.forEach((one) => {
      let turn = angle;
      while (turn < one.angle[0]) turn += 360;
      while (turn > one.angle[one.angle.length - 1]) turn -= 360;
      angles.push([LETTERS[m], `${plain(angle)}°`, one.name, fixed(one.value[Charts.nearest(one.angle, turn)]), cutUnit()]);
    }));
    markerTable($("angle-markers"), "Markers of the cuts", ["marker", "angle", "cut", "value", "unit"], angles, state.angles.length, (m) => state.angles.splice(m, 1));
  }
  function markerTable(host, name, columns, rows, count, remove) {
    host.hidden = !count;
    host.replaceChildren();
    if (!count) return;
    const { holder } = table(host, name, columns, rows);
    holder.className = "";
    const tools = element("div", "", { class: "tools" });
    for (let m = 0; m < count; m++) {
      const button = element("button", `remove ${LETTERS[m]}`, { type: "button" });
      button.addEventListener("click", () => change("unmark", () => remove(m)));
      tools.append(button);
    }
    host.append(tools);
  }

  // --- space
  let space = null;
  try { space = new Space.View($("canvas"), $("labels")); } catch (problem) {
    $("no-space").hidden = false;
    $("canvas").hidden = true;
  }
  const scaleText = (host, title, low, high, bar) => host.replaceChildren(document.createTextNode(`${title} ${low}`), element("i", "", { style: `background:${bar}` }), document.createTextNode(String(high)));
  function spaceTold(now) {
    if (!space) return;
    if (shownSpace !== state.live) { space.show(model()); shownSpace = state.live; }
    const flow = model().flowOf(now, state.cases[state.live]), { most, mostOnSheets } = space.currents(flow, view.currents);
    const amperes = [most ? `${plain(most, 3)} A` : "", mostOnSheets ? `${plain(mostOnSheets, 3)} A/m` : ""].filter(Boolean).join(", ");
    if (view.currents === "size") scaleText($("scale-currents"), "current", "0", amperes, Space.bar());
    else if (view.currents === "phase") scaleText($("scale-currents"), "phase", "−180°", "180°", Space.wheelBar());
    else if (view.currents === "moving") scaleText($("scale-currents"), "current", mostOnSheets ? "0" : `−${plain(most, 3)}`, amperes, mostOnSheets ? Space.bar() : Space.signedBar());
    else $("scale-currents").replaceChildren();
    space.mesh_shown(view.edges);
    const scale = space.patterned(now.field, { figure: view.figure, scale: view.law, opacity: view.opacity, apart: view.apart, shown: view.opacity > 0 });
    if (!scale) $("scale-pattern").replaceChildren();
    else if (view.figure === "axial ratio") scaleText($("scale-pattern"), "axial ratio", scale.low, scale.high, Space.bar());
    else scaleText($("scale-pattern"), FIGURES[view.figure], `${fixed(level(scale.high - 30), 1)}`, `${fixed(level(scale.high), 1)} ${gainUnit()}`, Space.bar());
    const maps = space.nearMaps(model().near, Boolean(view.near), view.near || "e");
    if (maps) scaleText($("scale-near"), `${view.near === "h" ? "|H|, dB(A/m)" : "|E|, dB(V/m)"}, case as solved at ${inWords(model().near[0].stopHz)}`, plain(maps.low, 3), plain(maps.high, 3), Space.bar());
    else $("scale-near").replaceChildren();
    space.cut(view.axis, view.share);
    const f = figuresNow;
    $("canvas").setAttribute("aria-label", `${model().title} in space${f ? `, with its pattern: gain ${fixed(f.gain)} dBi towards azimuth ${fixed(f.azimuth, 0)}°, elevation ${fixed(f.elevation, 0)}°` : ""}. Arrow keys turn it, plus and minus zoom, 0 looks from the first side again.`);
    space.draw();
  }

  // --- all that follows
  function update(rebuilt = false) {
    const began = performance.now(), at = {};
    const passed = (name) => { at[name] = performance.now() - began; };
    if (rebuilt) portsOf = -1;
    if (state.port >= model().count) state.port = 0;
    drivenNow = models.map((one, n) => (state.shown[n] || n === state.live ? driven(n) : null));
    const now = drivenNow[state.live];
    passed("fields");
    curvesNow();
    cutsMade();
    figuresTold(now);
    passed("figures");
    portsTold(now);
    controlsTold();
    markersTold();
    modelsShown();
    if (foundOf !== state.live) { findingsTold(); foundOf = state.live; }
    passed("words");
    redraw();
    passed("charts");
    spaceTold(now);
    lastTook = { ...at, all: performance.now() - began };
  }
  let foundOf = -1;
  const known = new Map();
  function driven(n) {
    const stop = stopOf(models[n]), key = `${n} ${stop} ${JSON.stringify(state.drives[n])}`;
    if (!known.has(key)) {
      if (known.size > 12) known.delete(known.keys().next().value);
      known.set(key, models[n].driven(state.drives[n], stop));
    }
    return known.get(key);
  }
  function controlsTold() {
    const one = model(), stop = stopOf(one);
    $("stop").max = one.stops.length - 1;
    $("stop").value = stop;
    $("stop").disabled = one.stops.length < 2;
    $("stop").setAttribute("aria-valuetext", inWords(one.stops[stop]));
    $("hertz").textContent = inWords(one.stops[stop]);
    $("undo").disabled = !past.length;
    $("redo").disabled = !future.length;
    put($("case"), state.cases[state.live]);
    $("about").textContent = `${models.length > 1 ? `${one.label}: ` : ""}${one.medium}; ${one.unknowns} unknowns; solved in ${plain(one.seconds, 2)} s`;
    put($("port"), state.port);
    put($("cut"), state.cut.kind);
    put($("cut-angle"), state.cut.angle);
    $("cut-angle").disabled = state.cut.kind === "E" || state.cut.kind === "H";
    $("both").checked = state.both;
    $("both").disabled = !$("cut-angle").disabled;
    put($("quantity"), state.quantity);
    $("near-holder").hidden = !one.near.length;
  }

  function controls() {
    for (const [id, key] of [["figure", "figure"], ["law", "law"], ["currents", "currents"], ["near", "near"], ["cut-axis", "axis"], ["length", "length"], ["reference", "reference"]]) {
      $(id).addEventListener("change", () => { view[key] = $(id).value; if (key === "currents" && space) { space.move(view.currents === "moving"); if (view.currents !== "moving") space.phase = 0; }
        if (id === "length" || id === "reference") tables();
        update();
      });
    }
    for (const [id, key] of [["opacity", "opacity"], ["cut-share", "share"]]) $(id).addEventListener("input", () => { view[key] = Number($(id).value); spaceTold(drivenNow[state.live]); });
    for (const id of ["apart", "edges"]) $(id).addEventListener("change", () => { view[id] = $(id).checked; spaceTold(drivenNow[state.live]); });
    $("figure").replaceChildren(...Object.entries(FIGURES).map(([key, text]) => option(text, key)));
    $("quantity").replaceChildren(...Object.entries(FIGURES).map(([key, text]) => option(text, key)));
    $("stop").addEventListener("input", () => change("stop", () => { state.hertz = model().stops[Number($("stop").value)]; }));
    $("case").addEventListener("change", () => change("case", () => {
      const k = Number($("case").value), one = model();
      state.cases[state.live] = k;
      state.drives[state.live] = one.driveOf(k);
      state.hertz = one.stops[one.cases[k].stop];
    }));
    $("reset").addEventListener("click", () => change("reset", () => {
      const one = model(), k = state.cases[state.live];
      state.drives[state.live] = one.driveOf(k);
      state.hertz = one.stops[one.cases[k].stop];
    }));
    $("mark").addEventListener("click", () => mark(nearStop(model(), state.hertz)));
    $("undo").addEventListener("click", () => back(past, future));
    $("redo").addEventListener("click", () => back(future, past));
    document.addEventListener("keydown", (event) => {
      if (event.key === "Escape") { const large = charts.find((one) => one.figure.classList.contains("large")); if (large) large.enlarge(); }
      if (!(event.ctrlKey || event.metaKey) || event.target.matches("input[type=number], input[type=text]")) return;
      const key = event.key.toLowerCase();
      if (key === "z") { event.preventDefault(); if (event.shiftKey) back(future, past); else back(past, future); }
      if (key === "y") { event.preventDefault(); back(future, past); }
    });
    $("theme").addEventListener("click", () => themed(document.documentElement.dataset.theme === "dark" ? "light" : "dark"));
    $("print").addEventListener("click", () => window.print());
    for (const kind of ["beforeprint", "afterprint"]) {
      window.addEventListener(kind, () => { for (const one of charts) one.resized = true; redraw(true); if (space) { space.resized = true; space.draw(); } });
    }
    $("port").addEventListener("change", () => change("port", () => { state.port = Number($("port").value); }));
    $("cut").addEventListener("change", () => change("cut", () => { state.cut = { ...state.cut, kind: $("cut").value }; state.angles = []; }));
    $("cut-angle").addEventListener("input", () => { const value = Number($("cut-angle").value); if (Number.isFinite(value) && (state.cut.kind === "azimuth" || Math.abs(value) <= 90)) change("cut angle", () => { state.cut = { ...state.cut, angle: value }; }); });
    $("both").addEventListener("change", () => change("both", () => { state.both = $("both").checked; }));
    $("quantity").addEventListener("change", () => change("quantity", () => { state.quantity = $("quantity").value; }));
    $("steer").addEventListener("click", () => steer(Number($("steer-theta").value) * Math.PI / 180, Number($("steer-phi").value) * Math.PI / 180));
    $("in-phase").addEventListener("click", () => change("in phase", () => state.drives[state.live].forEach((port) => Object.assign(port, { turn: 0, delay: 0 }))));
    $("taper").addEventListener("change", () => tapered($("taper").value));
    $("drag").addEventListener("change", () => { if (space) space.steer = $("drag").checked ? ([theta, phi]) => steer(theta, phi) : null; });
    for (const button of document.querySelectorAll("[data-look]")) button.addEventListener("click", () => space && space.look(button.dataset.look));
    for (const button of document.querySelectorAll("[data-turn]")) button.addEventListener("click", () => space && space.turn(...button.dataset.turn.split(" ").map(Number)));
    for (const button of document.querySelectorAll("[data-zoom]")) button.addEventListener("click", () => space && space.zoom(Number(button.dataset.zoom)));
    $("save-space").addEventListener("click", () => { if (space) { space.draw(); $("canvas").toBlob((blob) => download(`${model().title}-in-space`, blob, "png")); } });
    $("save-sphere").addEventListener("click", () => {
      const now = drivenNow[state.live];
      if (!now.field) return;
      const grid = now.field.fineGrid, rows = [["theta, deg", "phi, deg", ...Object.keys(FIGURES)]];
      for (let k = 0; k < grid.size; k++) rows.push([Math.floor(k / grid.columns) * grid.step, (k % grid.columns) * grid.step, ...Object.keys(FIGURES).map((name) => now.field.fineFigure(name, k).toFixed(3))]);
      download(`${model().title}-pattern`, new Blob([csv(rows)], { type: "text/csv" }), "csv");
    });
    let waiting = 0;
    new ResizeObserver(() => { cancelAnimationFrame(waiting); waiting = requestAnimationFrame(() => { for (const one of charts) one.resized = true; redraw(); }); }).observe(document.querySelector("main"));
  }
  function themed(name) {
    document.documentElement.dataset.theme = name;
    $("theme").textContent = name === "dark" ? "light" : "dark";
    redraw();
  }

  // --- tables, words, archive
  const cell = (value) => (Array.isArray(value) ? `${plain(value[0], 5)} ${value[1] < 0 ? "−" : "+"} ${plain(Math.abs(value[1]), 5)}j` : value);
  const rowsOf = (records) => { const columns = Object.keys(records[0] || {}); return [columns.map((c) => c.replace(/_/g, " ")), records.map((record) => columns.map((c) => cell(record[c])))]; };
  // Gains and lengths as they are wished.
  const inUnits = (row) => (row.unit === "dBi" && view.reference === "dBd" && row.value !== null ? { ...row, value: level(row.value), unit: "dBd" } : row);
  function tables() {
    const host = $("tables");
    host.replaceChildren();
    for (const one of PAGE.studies) { const [columns, rows] = rowsOf(one.rows); table(host, one.label, columns, rows); }
    for (const one of models) {
      const named = models.length > 1 ? `${one.label}: ` : "";
      if (one.values.length) {
        const rows = one.values.map((value) => [value.name, String(value.written), value.kind === "length" ? `${plain(value.value / METRES[view.length], 6)} ${view.length}` : `${plain(value.value, 6)}`, value.kind]);
        table(host, `${named}values`, ["name", "as written", "is", "kind"], rows);
      }
      one.figures.forEach((own) => table(host, `${named}figures, ${own.title}`, ["figure", "value", "unit", "±", "remark"], own.rows.map(inUnits).map((row) => [row.figure, row.value, row.unit, own === one.figures[0] && one.errors[row.figure] ? plain(one.errors[row.figure], 2) : "", row.remark || ""])));
      one.budgets.forEach((own) => table(host, `${named}where the power goes, ${own.title}`, ["part", "power, W", "share"], own.rows.map((row) => [row.part, row.power_W, row.share])));
      if (one.findings.length) table(host, `${named}what the check found`, ["level", "part", "finding", "remedy"], one.findings.map((f) => [f.level, f.part, f.says, f.remedy]));
      if (one.evidence.length) { const [columns, rows] = rowsOf(one.evidence); table(host, `${named}evidence`, columns, rows); }
      if (one.record.length) { const [columns, rows] = rowsOf(one.record); table(host, `${named}run record`, columns, rows); }
    }
  }
  function glossary() {
    $("glossary").replaceChildren(...PAGE.words.flatMap((word) => [
      element("dt", word.name, { id: slug(word.name) }),
      element("dd", `${word.meaning} ${word.formula ? `${word.formula}. ` : ""}(${word.source})`),
    ]));
  }
  function archive() {
    for (const one of models) {
      const files = [[`${one.label}.toml`, one.design, "toml"], ...Object.entries(one.tables)];
      for (const [name, text] of files) {
        const saved = element("button", "save", { type: "button", "aria-label": `save ${name}` });
        saved.addEventListener("click", () => download(name.replace(/\.\w+$/, ""), new Blob([text], { type: "text/plain" }), name.split(".").pop()));
        $("archives").append(element("p", [saved, document.createTextNode(" "), element("bdi", name)]), element("details", [element("summary", "read it"), element("pre", text, { tabindex: "0" })]));
      }
    }
  }

  themed(window.matchMedia && window.matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
  controls();
  patternCharts();
  bandCharts();
  update();
  if (!models.some((one) => one.stops.length > 2 && one.radiates)) {
    const gains = charts.find((one) => one.title === "Gain over frequency");
    gains.hidden = true;
    gains.figure.hidden = true;
  }
  if (!models.some((one) => one.radiates)) { $("pattern").hidden = true; const small = charts.find((one) => one.title === "Pattern"); small.hidden = true; small.figure.hidden = true; }
  $("studies").hidden = !PAGE.studies.length;
  for (const study of PAGE.studies) studyChart($("studies"), study);
  tables();
  glossary();
  archive();

  // What a script may ask of the page, and set.
  window.earshot = {
    get state() { return JSON.parse(snapshot()); },
    get took() { return lastTook; },
    get space() { return space; },
    models, change, steer,
    now() {
      const one = drivenNow[state.live];
      return { hertz: one.hertz, accepted: one.accepted, incident: one.incident, radiated: one.radiated, figures: figuresNow,
        ports: one.rows.map((row) => ({ impedance: row.impedance, reflection: row.reflection, vswr: row.vswr, power: row.power, v: row.v, i: row.i })) };
    },
    gain(theta, phi, name = "gain") { const one = drivenNow[state.live]; return one.field.toldAt(name, theta, phi); },
    set(act) { change("script", () => act(state)); },
    ready: performance.now(),
  };
  document.documentElement.dataset.ready = "yes";
})();
