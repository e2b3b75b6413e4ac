// The page itself: what is looked at, what it is driven with, and everything that follows.
(async () => {
  "use strict";
  const { plain, csv, download, DASHES } = Charts;
  const { METRES, inWords, fixed, ohms, standing, element, slug, wordLink, option, table } = Paper;
  const $ = (id) => document.getElementById(id);
  const buffer = await Open.bytes($("bytes").textContent);
  const models = PAGE.models.map((content) => new Open.Model(content, buffer));
  const measured = PAGE.measured.map((content) => new Open.Curve(content, buffer));
  const DBD = 2.15;
  const FIGURES = { "gain": "gain", "realized gain": "realized gain", "directivity": "directivity",
    "gain, co-polar": "gain, co-polar", "gain, cross-polar": "gain, cross-polar", "gain, theta": "gain, vertical (θ)", "gain, phi": "gain, horizontal (φ)", "gain, right-hand": "gain, right-hand",
    "gain, left-hand": "gain, left-hand", "axial ratio": "axial ratio" };

  // What may be undone, how it is looked at, and what follows from both.
  const state = {
    live: 0, shown: models.map(() => true), curvesShown: measured.map(() => true), cases: models.map(() => 0),
    hertz: models[0].stops[models[0].cases[0].stop], drives: models.map((model) => model.driveOf(0)),
    cut: { kind: models[0].grid && models[0].grid.plane && !models[0].layered ? "azimuth" : "E", angle: 0 },
    both: true, quantity: "gain", markers: [], angles: [], port: 0,
  };
  const firstCut = models[0].cases[0].cuts.find((cut) => cut.plane === null);
  if (state.cut.kind === "azimuth" && firstCut) {
    state.cut = firstCut.azimuth !== null ? { kind: "azimuth", angle: firstCut.azimuth } : { kind: "elevation", angle: firstCut.elevation };
  }
  const view = { length: "m", reference: "dBi", figure: "gain", law: "compressed", opacity: 0.55, apart: false, currents: "size", edges: true, near: "", axis: "x", share: 1 };
  const past = [], future = [];
  const page = { state, view, driven: [], figures: null, curve: null, took: {} };
  let lastKey = "", lastTime = 0, shownSpace = -1;

  const model = () => models[page.state.live];
  const snapshot = () => JSON.stringify(page.state);
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
    page.state = JSON.parse(from.pop());
    lastKey = "";
    update(true);
  }

  // --- gains as they are wished
  const gainUnit = () => view.reference;
  const level = (dBi) => (dBi === null || dBi === undefined ? null : dBi - (view.reference === "dBd" ? DBD : 0));
  const isGain = (name) => name !== "axial ratio";

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
      box.checked = curve ? page.state.curvesShown[n - models.length] : page.state.shown[n];
      box.addEventListener("change", () => change("shown", () => {
        if (curve) page.state.curvesShown[n - models.length] = box.checked; else page.state.shown[n] = box.checked || n === page.state.live;
      }));
      const label = element("label", [box, document.createTextNode(" "), sampleOf(n), document.createTextNode(" "), element("bdi", one.label)]);
      const item = element("li", label);
      if (!curve && models.length > 1) {
        const pick = element("button", n === page.state.live ? "looked at" : "look at", { type: "button", "aria-pressed": String(n === page.state.live), "aria-label": `look at ${one.label}` });
        pick.addEventListener("click", () => change("live", () => { page.state.live = n; page.state.shown[n] = true; page.state.port = 0; page.state.hertz = nearStop(models[n], page.state.hertz); }));
        item.append(document.createTextNode(" "), pick);
      }
      list.append(item);
    });
    $("models").replaceChildren(element("h2", "Models"), list);
    $("models").hidden = false;
  }
  const nearStop = (one, hertz) => one.stops.reduce((best, f) => (Math.abs(f - hertz) < Math.abs(best - hertz) ? f : best), one.stops[0]);
  const stopOf = (one) => one.stops.indexOf(nearStop(one, page.state.hertz));

  // --- the first screen
  const told = (pairs) => $("told").replaceChildren(...pairs.flatMap(([name, text, plus, word]) => {
    const value = element("dd", text);
    if (plus) value.append(element("span", ` ± ${plus}`, { class: "plus" }));
    return [element("dt", wordLink(name, word || name)), value];
  }));
  const asSolved = (n, k) => {
    const one = models[n];
    return page.state.hertz === one.stops[one.cases[k].stop] && JSON.stringify(page.state.drives[n]) === JSON.stringify(one.driveOf(k));
  };
  function figuresTold(now) {
    const one = model(), solved = asSolved(page.state.live, 0), errors = solved ? one.errors : {};
    const plus = (name, digits = 2) => (errors[name] ? plain(errors[name], digits) : "");
    const pairs = [], p = page.state.port, row = now.rows[p], name = one.ports[p].name;
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
    if (page.curve && page.curve.hertz.length > 2) {
      const resonant = Sums.resonances(page.curve.hertz, page.curve.impedance);
      if (resonant.length) {
        const near = resonant.reduce((best, r) => (Math.abs(r.hertz - now.hertz) < Math.abs(best.hertz - now.hertz) ? r : best));
        pairs.push(["resonance", `${inWords(near.hertz, 5)}, ${near.rising ? "series" : "parallel"}, ${fixed(near.r, 1)} ohm`]);
      }
      const stretches = Sums.within(page.curve.hertz, page.curve.vswr, 2);
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
      page.figures = f;
    } else {
      page.figures = null;
      pairs.push(["far field", one.radiates ? "none: no power goes in as driven" : "none: between planes no waves get out"]);
    }
    told(pairs);
    $("told-title").textContent = `${asSolved(page.state.live, page.state.cases[page.state.live]) ? one.cases[page.state.cases[page.state.live]].name : "As driven here"}, ${inWords(now.hertz)}`;
    const changed = Object.keys(one.errors).length && !solved;
    $("told-note").textContent = [solved && Object.keys(errors).length ? "± is what the mesh leaves, estimated" : "", changed ? `The ± of the mesh is known for case ${one.cases[0].name} as it was solved` : "",
      one.cases[page.state.cases[page.state.live]].circuit ? "Fed through a circuit: what it gives the ports here is held when the frequency changes" : "",
      `${gainUnit() === "dBd" ? "dBd: 2.15 dB less than dBi. " : ""}Metal ${lengthsTold(one)}`].filter(Boolean).join(". ");
  }
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
    portsOf = page.state.live;
    const heads = ["port", "fed by", "amount", "phase, deg", "closed by", "R, ohm", "X, ohm", "impedance, ohm", "VSWR", "power, W"];
    $("ports").tHead.replaceChildren(element("tr", heads.map((text) => element("th", text, { scope: "col" }))));
    $("ports").tBodies[0].replaceChildren(...one.ports.map((port, p) => {
      const set = (key, act) => change(`${key} ${p}`, () => act(page.state.drives[page.state.live][p]));
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
    if (portsOf !== page.state.live) portsBuilt();
    const drive = page.state.drives[page.state.live];
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
    const turns = Sums.steering(one.arrays.places, nearStop(one, page.state.hertz), theta, phi);
    change("steer", () => {
      page.state.drives[page.state.live].forEach((port, p) => { if (port.kind !== "closed") Object.assign(port, { turn: ((turns[p] + 180) % 360 + 360) % 360 - 180, delay: 0 }); });
    });
    put($("steer-theta"), fixed(theta * 180 / Math.PI, 1));
    put($("steer-phi"), fixed(phi * 180 / Math.PI, 1).replace("−", "-"));
  }
  function tapered(name) {
    const own = model().arrays.tapers[name];
    if (!own) return;
    change("taper", () => {
      const drive = page.state.drives[page.state.live], fed = drive.filter((port) => port.kind !== "closed");
      // What is sent in all stays.
      const before = fed.reduce((sum, port) => sum + port.size ** 2, 0);
      const whole = drive.reduce((sum, port, p) => sum + (port.kind !== "closed" ? own[p] ** 2 : 0), 0);
      drive.forEach((port, p) => { if (port.kind !== "closed") port.size = own[p] * Math.sqrt(before / whole); });
    });
  }

  // --- drawings
  const drawings = Drawings(page, { models, measured, change, model, nearStop, colourOf, dashOf, level, gainUnit, isGain, FIGURES });
  const { mark } = drawings;

  // --- space
  let space = null;
  try { space = new Space.View($("canvas"), $("labels")); } catch {
    $("no-space").hidden = false;
    $("canvas").hidden = true;
  }
  const scaleText = (host, title, low, high, bar) => host.replaceChildren(document.createTextNode(`${title} ${low}`), element("i", "", { style: `background:${bar}` }), document.createTextNode(String(high)));
  function spaceTold(now) {
    if (!space) return;
    if (shownSpace !== page.state.live) { space.show(model()); shownSpace = page.state.live; }
    const flow = model().flowOf(now, page.state.cases[page.state.live]), { most, mostOnSheets } = space.currents(flow, view.currents);
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
    if (maps) scaleText($("scale-near"), `${view.near === "h" ? "|H| peak, dB(A/m)" : "|E| peak, dB(V/m)"}, case as solved at ${inWords(model().near[0].stopHz)}`, plain(maps.low, 3), plain(maps.high, 3), Space.bar());
    else $("scale-near").replaceChildren();
    space.cut(view.axis, view.share);
    const f = page.figures;
    $("canvas").setAttribute("aria-label", `${model().title} in space${f ? `, with its pattern: gain ${fixed(f.gain)} dBi towards azimuth ${fixed(f.azimuth, 0)}°, elevation ${fixed(f.elevation, 0)}°` : ""}. Arrow keys turn it, plus and minus zoom, 0 looks from the first side again.`);
    space.draw();
  }

  // --- all that follows
  function update(rebuilt = false) {
    const began = performance.now(), at = {};
    const passed = (name) => { at[name] = performance.now() - began; };
    if (rebuilt) portsOf = -1;
    if (page.state.port >= model().count) page.state.port = 0;
    page.driven = models.map((one, n) => (page.state.shown[n] || n === page.state.live ? driven(n) : null));
    const now = page.driven[page.state.live];
    passed("fields");
    drawings.curvesNow();
    drawings.cutsMade();
    figuresTold(now);
    passed("figures");
    portsTold(now);
    controlsTold();
    drawings.markersTold();
    modelsShown();
    if (foundOf !== page.state.live) { findingsTold(); foundOf = page.state.live; }
    passed("words");
    drawings.redraw();
    passed("charts");
    spaceTold(now);
    page.took = { ...at, all: performance.now() - began };
  }
  let foundOf = -1;
  const known = new Map();
  function driven(n) {
    const stop = stopOf(models[n]), key = `${n} ${stop} ${JSON.stringify(page.state.drives[n])}`;
    if (!known.has(key)) {
      if (known.size > 12) known.delete(known.keys().next().value);
      known.set(key, models[n].driven(page.state.drives[n], stop));
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
    put($("case"), page.state.cases[page.state.live]);
    $("about").textContent = `${models.length > 1 ? `${one.label}: ` : ""}${one.medium}; ${one.unknowns} unknowns; solved in ${plain(one.seconds, 2)} s`;
    put($("port"), page.state.port);
    put($("cut"), page.state.cut.kind);
    put($("cut-angle"), page.state.cut.angle);
    $("cut-angle").disabled = page.state.cut.kind === "E" || page.state.cut.kind === "H";
    $("both").checked = page.state.both;
    $("both").disabled = !$("cut-angle").disabled;
    put($("quantity"), page.state.quantity);
    $("near-holder").hidden = !one.near.length;
  }

  function controls() {
    for (const [id, key] of [["figure", "figure"], ["law", "law"], ["currents", "currents"], ["near", "near"], ["cut-axis", "axis"], ["length", "length"], ["reference", "reference"]]) {
      $(id).addEventListener("change", () => { view[key] = $(id).value; if (key === "currents" && space) { space.move(view.currents === "moving"); if (view.currents !== "moving") space.phase = 0; }
        if (id === "length" || id === "reference") tables();
        update();
      });
    }
    for (const [id, key] of [["opacity", "opacity"], ["cut-share", "share"]]) $(id).addEventListener("input", () => { view[key] = Number($(id).value); spaceTold(page.driven[page.state.live]); });
    for (const id of ["apart", "edges"]) $(id).addEventListener("change", () => { view[id] = $(id).checked; spaceTold(page.driven[page.state.live]); });
    $("figure").replaceChildren(...Object.entries(FIGURES).map(([key, text]) => option(text, key)));
    $("quantity").replaceChildren(...Object.entries(FIGURES).map(([key, text]) => option(text, key)));
    $("stop").addEventListener("input", () => change("stop", () => { page.state.hertz = model().stops[Number($("stop").value)]; }));
    $("case").addEventListener("change", () => change("case", () => {
      const k = Number($("case").value), one = model();
      page.state.cases[page.state.live] = k;
      page.state.drives[page.state.live] = one.driveOf(k);
      page.state.hertz = one.stops[one.cases[k].stop];
    }));
    $("reset").addEventListener("click", () => change("reset", () => {
      const one = model(), k = page.state.cases[page.state.live];
      page.state.drives[page.state.live] = one.driveOf(k);
      page.state.hertz = one.stops[one.cases[k].stop];
    }));
    $("mark").addEventListener("click", () => mark(nearStop(model(), page.state.hertz)));
    $("undo").addEventListener("click", () => back(past, future));
    $("redo").addEventListener("click", () => back(future, past));
    document.addEventListener("keydown", (event) => {
      if (event.key === "Escape") { const large = drawings.charts.find((one) => one.figure.classList.contains("large")); if (large) large.enlarge(); }
      if (!(event.ctrlKey || event.metaKey) || event.target.matches("input[type=number], input[type=text]")) return;
      const key = event.key.toLowerCase();
      if (key === "z") { event.preventDefault(); if (event.shiftKey) back(future, past); else back(past, future); }
      if (key === "y") { event.preventDefault(); back(future, past); }
    });
    $("theme").addEventListener("click", () => themed(document.documentElement.dataset.theme === "dark" ? "light" : "dark"));
    $("print").addEventListener("click", () => window.print());
    for (const kind of ["beforeprint", "afterprint"]) {
      window.addEventListener(kind, () => { for (const one of drawings.charts) one.resized = true; drawings.redraw(true); if (space) { space.resized = true; space.draw(); } });
    }
    $("port").addEventListener("change", () => change("port", () => { page.state.port = Number($("port").value); }));
    $("cut").addEventListener("change", () => change("cut", () => { page.state.cut = { ...page.state.cut, kind: $("cut").value }; page.state.angles = []; }));
    $("cut-angle").addEventListener("input", () => { const value = Number($("cut-angle").value); if (Number.isFinite(value) && (page.state.cut.kind === "azimuth" || Math.abs(value) <= 90)) change("cut angle", () => { page.state.cut = { ...page.state.cut, angle: value }; }); });
    $("both").addEventListener("change", () => change("both", () => { page.state.both = $("both").checked; }));
    $("quantity").addEventListener("change", () => change("quantity", () => { page.state.quantity = $("quantity").value; }));
    $("steer").addEventListener("click", () => steer(Number($("steer-theta").value) * Math.PI / 180, Number($("steer-phi").value) * Math.PI / 180));
    $("in-phase").addEventListener("click", () => change("in phase", () => page.state.drives[page.state.live].forEach((port) => Object.assign(port, { turn: 0, delay: 0 }))));
    $("taper").addEventListener("change", () => tapered($("taper").value));
    $("drag").addEventListener("change", () => { if (space) space.steer = $("drag").checked ? ([theta, phi]) => steer(theta, phi) : null; });
    for (const button of document.querySelectorAll("[data-look]")) button.addEventListener("click", () => space && space.look(button.dataset.look));
    for (const button of document.querySelectorAll("[data-turn]")) button.addEventListener("click", () => space && space.turn(...button.dataset.turn.split(" ").map(Number)));
    for (const button of document.querySelectorAll("[data-zoom]")) button.addEventListener("click", () => space && space.zoom(Number(button.dataset.zoom)));
    $("save-space").addEventListener("click", () => { if (space) { space.draw(); $("canvas").toBlob((blob) => download(`${model().title}-in-space`, blob, "png")); } });
    $("save-sphere").addEventListener("click", () => {
      const now = page.driven[page.state.live];
      if (!now.field) return;
      const grid = now.field.fineGrid, rows = [["theta, deg", "phi, deg", ...Object.keys(FIGURES)]];
      for (let k = 0; k < grid.size; k++) rows.push([grid.theta(Math.floor(k / grid.columns)), (k % grid.columns) * grid.step, ...Object.keys(FIGURES).map((name) => now.field.fineFigure(name, k).toFixed(3))]);
      download(`${model().title}-pattern`, new Blob([csv(rows)], { type: "text/csv" }), "csv");
    });
    let waiting = 0;
    new ResizeObserver(() => { cancelAnimationFrame(waiting); waiting = requestAnimationFrame(() => { for (const one of drawings.charts) one.resized = true; drawings.redraw(); }); }).observe(document.querySelector("main"));
  }
  function themed(name) {
    document.documentElement.dataset.theme = name;
    $("theme").textContent = name === "dark" ? "light" : "dark";
    drawings.redraw();
  }

  // --- tables, words, archive
  const cell = (value) => (Array.isArray(value) ? `${plain(value[0], 5)} ${value[1] < 0 ? "−" : "+"} ${plain(Math.abs(value[1]), 5)}j` : value);
  const rowsOf = (records) => { const columns = Object.keys(records[0] || {}); return [columns.map((c) => c.replace(/_/g, " ")), records.map((record) => columns.map((c) => cell(record[c])))]; };
  // Gains and lengths as they are wished.
  const inUnits = (row) => (row.unit === "dBi" && view.reference === "dBd" && row.value !== null ? { ...row, value: level(row.value), unit: "dBd" } : row);
  function tables() {
    const host = $("tables");
    host.replaceChildren();
    for (const study of PAGE.studies) {
      for (const one of study.tables) { const [columns, rows] = rowsOf(one.rows); table(host, `${study.label}${one.name && `, ${one.name}`}`, columns, rows); }
    }
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
  drawings.patternCharts();
  drawings.bandCharts();
  update();
  if (!models.some((one) => one.stops.length > 2 && one.radiates)) {
    const gains = drawings.charts.find((one) => one.title === "Gain over frequency");
    gains.hidden = true;
    gains.figure.hidden = true;
  }
  if (!models.some((one) => one.radiates)) { $("pattern").hidden = true; const small = drawings.charts.find((one) => one.title === "Pattern"); small.hidden = true; small.figure.hidden = true; }
  $("studies").hidden = !PAGE.studies.length;
  for (const study of PAGE.studies) drawings.studyChart($("studies"), study);
  tables();
  glossary();
  archive();

  // What a script may ask of the page, and set.
  window.earshot = {
    get state() { return JSON.parse(snapshot()); },
    get took() { return page.took; },
    get space() { return space; },
    models, change, steer,
    now() {
      const one = page.driven[page.state.live];
      return { hertz: one.hertz, accepted: one.accepted, incident: one.incident, radiated: one.radiated, figures: page.figures,
        ports: one.rows.map((row) => ({ impedance: row.impedance, reflection: row.reflection, vswr: row.vswr, power: row.power, v: row.v, i: row.i })) };
    },
    gain(theta, phi, name = "gain") { const one = page.driven[page.state.live]; return one.field.toldAt(name, theta, phi); },
    set(act) { change("script", () => act(page.state)); },
    ready: performance.now(),
  };
  document.documentElement.dataset.ready = "yes";
})();
