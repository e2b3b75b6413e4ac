// The page's charts: what each shows of the models that are looked at, and the markers they share.
function Drawings(page, shared) {
  "use strict";
  const { models, measured, change, model, nearStop, colourOf, dashOf, level, gainUnit, isGain, FIGURES } = shared;
  const { Chart, curves, polar, smith, plain, DASHES } = Charts;
  const { inWords, scaleOf, fixed, standing, element, option, table } = Paper;
  const $ = (id) => document.getElementById(id);
  const LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ", LOSS_MOST = 60;

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
  const portName = (n) => (models[n].count > 1 ? `, ${models[n].ports[Math.min(page.state.port, models[n].count - 1)].name}` : "");
  let bandCurves = [];
  function curvesNow() {
    bandCurves = [];
    models.forEach((one, n) => {
      if (!page.state.shown[n]) return;
      const port = n === page.state.live ? page.state.port : Math.min(page.state.port, one.count - 1);
      const found = one.curve(page.state.drives[n], port);
      bandCurves.push({ ...found, name: models.length + measured.length > 1 || one.count > 1 ? `${one.label}${portName(n)}` : one.ports[0].name,
        colour: colourOf(n), dash: dashOf(n), stretches: one.stretches, live: n === page.state.live });
      if (n === page.state.live) page.curve = found;
    });
    // What is looked at lies on top.
    bandCurves.sort((a, b) => Number(a.live) - Number(b.live));
    measured.forEach((one, m) => {
      if (page.state.curvesShown[m]) bandCurves.push({ ...one, name: one.label, colour: colourOf(models.length + m), dash: dashOf(models.length + m), stretches: [[0, one.hertz.length - 1]] });
    });
  }
  function bandAxis() {
    // What lies in quite another band does not squeeze the one that is looked at.
    const ends = (one) => [one.hertz[0], one.hertz[one.hertz.length - 1]], own = bandCurves.find((one) => one.live);
    const beside = (one) => own.hertz.length < 3 || (ends(one)[0] <= ends(own)[1] && ends(one)[1] >= ends(own)[0]);
    const all = bandCurves.filter(beside).flatMap(ends);
    let low = Math.min(...all), high = Math.max(...all);
    if (!(high > low * (1 + 1e-9))) { low *= 0.98; high *= 1.02; }
    const [size, unit] = scaleOf(high);
    return { label: `frequency, ${unit}`, saved: "frequency, Hz", domain: [low, high], unit, show: (hertz) => plain(hertz / size, 6),
      ticks: (width) => library.scaleLinear([low / size, high / size], [0, 1]).ticks(Math.max(3, Math.floor(width / 90))).map((v) => v * size) };
  }
  const bandSpec = (label, value, domain, limits, more = {}) => () => {
    const series = bandCurves.filter((one) => value(one)).map((one) => ({ name: one.name, colour: one.colour, dash: one.dash, x: one.hertz, y: value(one), stretches: one.stretches, ...more }));
    return { x: bandAxis(), y: { label, saved: label.split(":")[0] || "VSWR", domain: domain(series) }, series, limits, markers: page.state.markers.map((x, k) => ({ x, letter: LETTERS[k] })), here: nearStop(model(), page.state.hertz) };
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
  const mark = (hertz) => change("mark", () => { if (page.state.markers.length < LETTERS.length) page.state.markers.push(hertz); });
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
      series: bandCurves.filter((one) => one.phase !== false), here: nearStop(model(), page.state.hertz), show: (hertz) => inWords(hertz),
      markers: page.state.markers.map((x, k) => ({ x, letter: LETTERS[k] })),
    })), { pick: mark });
    chart($("pattern-charts"), "Gain over frequency", curves(() => {
      const spec = bandSpec(gainUnit(), () => null, () => [0, 1], [])();
      // In one direction, which is said: elsewhere there may be more.
      const peak = page.figures;
      if (peak) spec.y.label = spec.y.saved = `${gainUnit()} towards azimuth ${fixed(peak.azimuth, 1)}°, elevation ${fixed(peak.elevation, 1)}°`;
      spec.series = gainsOverFrequency();
      spec.y.domain = roomFor(finite(spec.series), -40, 60);
      return spec;
    }), { pick: mark, ratio: 0.86 });
  }
  // What came of a study: a figure against the first value that was changed.
  function studyChart(host, study) {
    const [by] = study.changes, { rows } = study.tables[0];
    const numbers = Object.keys(rows[0] || {}).filter((key) => !study.changes.includes(key) && rows.every((row) => row[key] === null || typeof row[key] === "number"));
    const x = rows.map((row) => parseFloat(row[by]));
    if (study.changes.length !== 1 || x.some((v) => !Number.isFinite(v)) || x.length < 3 || !numbers.length) return;
    const order = x.map((_, k) => k).sort((a, b) => x[a] - x[b]);
    const pick = element("select", numbers.map((key) => option(key, key)), { "aria-label": `${study.label}: figure` });
    if (numbers.includes("gain")) pick.value = "gain";
    const made = chart(host, study.label, curves(() => {
      const y = order.map((k) => rows[k][pick.value]);
      return { x: { label: `${by}, ${String(rows[0][by]).replace(/^[-+.\d\s]*/, "")}`, domain: [x[order[0]], x[order[order.length - 1]]] },
        y: { label: `${pick.value}${study.units[pick.value] ? `, ${study.units[pick.value]}` : ""}`, domain: roomFor(y.filter((v) => v !== null), -1e12, 1e12) },
        series: [{ name: pick.value, colour: Charts.theme().lines[0], dash: "", x: order.map((k) => x[k]), y }] };
    }));
    made.heading.after(pick);
    pick.addEventListener("change", () => made.update());
  }
  function everyPort() {
    const rows = page.driven[page.state.live].rows, x = rows.map((_, p) => p + 1), y = rows.map((row) => (row.fed ? row.vswr : null));
    const worst = Math.max(...y.filter((v) => Number.isFinite(v) && v !== null), 2.9);
    return { x: { label: "port", domain: [0.5, rows.length + 0.5], show: (v) => (model().ports[Math.round(v) - 1] && rows.length < 9 ? model().ports[Math.round(v) - 1].name : plain(v, 3)),
      ticks: () => library.scaleLinear([1, rows.length], [0, 1]).ticks(Math.min(rows.length, 9)).filter((v) => v % 1 === 0) },
    y: { label: "", saved: "VSWR", domain: [1, Math.min(1.15 * worst, 100)] }, limits: [{ y: 2 }],
    series: [{ name: "VSWR", colour: Charts.theme().lines[0], dash: "", x, y, stretches: x.map((_, k) => [k, k]) }] };
  }
  // Gain and realized gain where the beam peaks now, at every stop.
  function gainsOverFrequency() {
    const one = model(), now = page.driven[page.state.live];
    if (!now || !now.field || one.stops.length < 3) return [];
    const { theta, phi } = now.field.peak, gain = [], realized = [];
    one.stops.forEach((_, stop) => {
      const flow = Sums.drivenPorts(one.yAtStops, 2 * stop * one.count ** 2, one.references, page.state.drives[page.state.live], one.stops[stop]);
      const seen = Sums.seen(flow, one.references, page.state.drives[page.state.live]);
      const e = one.grid.at(Fields.combined(one.grid, one.fields, one.scales, stop, flow), theta, phi);
      const over = (power) => level(Sums.decibels(2 * Math.PI * (e[0] ** 2 + e[1] ** 2 + e[2] ** 2 + e[3] ** 2) / Fields.WAVE_IMPEDANCE / power));
      gain.push(over(seen.accepted));
      realized.push(over(seen.incident));
    });
    const look = Charts.theme();
    return [{ name: "gain", colour: look.lines[0], dash: "", x: one.stops, y: gain, always: true }, { name: "realized gain", colour: look.lines[1], dash: "7 4", x: one.stops, y: realized }];
  }

  const cutOf = () => (page.state.cut.kind === "E" || page.state.cut.kind === "H" ? { plane: page.state.cut.kind } : { plane: null, [page.state.cut.kind]: page.state.cut.angle });
  const cutName = (cut) => (cut.plane ? `${cut.plane}-plane` : cut.azimuth !== undefined ? `azimuth ${plain(cut.azimuth)}°` : `elevation ${plain(cut.elevation ?? 0)}°`);
  let cutsNow = [];
  function cutsMade() {
    cutsNow = [];
    const look = Charts.theme(), several = models.filter((_, n) => page.state.shown[n]).length > 1;
    const wanted = page.state.both && cutOf().plane ? [{ plane: "E" }, { plane: "H" }] : [cutOf()];
    models.forEach((one, n) => {
      const now = page.driven[n];
      if (!page.state.shown[n] || !now || !now.field) return;
      wanted.forEach((cut, k) => {
        if (several && k && n !== page.state.live) return;
        const made = now.field.cut(cut, page.state.quantity), name = !several ? cutName(cut) : wanted.length > 1 ? `${one.label}, ${cutName(cut)}` : one.label;
        const value = isGain(page.state.quantity) ? made.value.map((v) => (v === null ? null : level(v))) : made.value;
        cutsNow.push({ name, cut, angle: made.angle, value, about: made.about, colour: several ? colourOf(n) : look.lines[k], dash: several ? (k ? "3 3" : dashOf(n)) : DASHES[k] });
      });
    });
  }
  const cutUnit = () => (isGain(page.state.quantity) ? gainUnit() : "dB");
  const angleMarkers = () => page.state.angles.map((x, k) => ({ x, letter: LETTERS[k] }));
  function polarSpec(marked = true) {
    const values = cutsNow.flatMap((one) => one.value).filter((v) => v !== null), first = cutsNow[0];
    const plane = first && first.cut.plane, round = first && !plane && first.cut.azimuth === undefined;
    return { series: cutsNow, unit: cutUnit(), top: Math.max(...values, -100), markers: marked ? angleMarkers() : [],
      rest: first ? `${FIGURES[page.state.quantity]}${first.cut.plane ? "" : `, ${cutName(first.cut)}`}, ${first.about}` : "", half: Boolean(first && first.cut.azimuth !== undefined && model().grid.plane),
      words: round ? { 0: "+x", 90: "+y", 180: "−x", 270: "−y" } : plane ? { signed: true, 0: "peak" } : { signed: true, 90: "up" } };
  }
  function straightSpec() {
    const values = cutsNow.flatMap((one) => one.value).filter((v) => v !== null), top = Math.max(...values, -100);
    const first = cutsNow[0] || { angle: [0, 1], about: "angle" }, low = first.angle[0], high = first.angle[first.angle.length - 1];
    return { x: { label: `${first.about}, deg`, domain: [low, high], unit: "deg", show: (v) => plain(v, 4), ticks: () => Array.from({ length: Math.round((high - low) / 30) + 1 }, (_, k) => low + 30 * k).filter((_, k, all) => all.length <= 8 || k % 2 === 0) },
      y: { label: cutUnit(), domain: isGain(page.state.quantity) ? [Math.ceil(top / 5) * 5 - 40, Math.ceil((top + 0.5) / 5) * 5] : [0, Math.min(Math.max(20, top), 40)] },
      series: cutsNow.map((one) => ({ ...one, x: one.angle, y: one.value, stretches: undefined })), markers: angleMarkers(), digits: 4 };
  }
  const markAngle = (angle) => change("mark angle", () => { if (page.state.angles.length < LETTERS.length) page.state.angles.push(Math.round(angle)); });
  function patternCharts() {
    chart($("pattern-charts"), "Polar cut", polar(() => polarSpec()), { pick: markAngle, ratio: 0.86 });
    chart($("pattern-charts"), "Straight cut", curves(straightSpec), { pick: markAngle, ratio: 0.86 });
  }

  function markersTold() {
    const rows = [];
    page.state.markers.forEach((hertz, m) => bandCurves.forEach((one) => {
      const k = Charts.nearest(one.hertz, hertz), z = one.impedance ? one.impedance[k] : [NaN, NaN];
      rows.push([LETTERS[m], inWords(one.hertz[k]), one.name, fixed(z[0]), fixed(z[1]), standing(one.vswr[k]), fixed(lossOf({ gamma: [one.gamma[k]] })[0], 1)]);
    }));
    markerTable($("markers"), "Markers", ["marker", "frequency", "curve", "R, ohm", "X, ohm", "VSWR", "return loss, dB"], rows, page.state.markers.length, (m) => page.state.markers.splice(m, 1));
    const angles = [];
    page.state.angles.forEach((angle, m) => cutsNow.forEach((one) => {
      let turn = angle;
      while (turn < one.angle[0]) turn += 360;
      while (turn > one.angle[one.angle.length - 1]) turn -= 360;
      angles.push([LETTERS[m], `${plain(angle)}°`, one.name, fixed(turn < one.angle[0] - 0.5 ? null : one.value[Charts.nearest(one.angle, turn)]), cutUnit()]);
    }));
    markerTable($("angle-markers"), "Markers of the cuts", ["marker", "angle", "cut", "value", "unit"], angles, page.state.angles.length, (m) => page.state.angles.splice(m, 1));
  }
  function markerTable(host, name, columns, rows, count, remove) {
    host.hidden = !count;
    host.replaceChildren();
    if (!count) return;
    const holder = table(host, name, columns, rows);
    holder.className = "";
    const tools = element("div", "", { class: "tools" });
    for (let m = 0; m < count; m++) {
      const button = element("button", `remove ${LETTERS[m]}`, { type: "button" });
      button.addEventListener("click", () => change("unmark", () => remove(m)));
      tools.append(button);
    }
    host.append(tools);
  }

  return { charts, redraw, curvesNow, cutsMade, bandCharts, patternCharts, markersTold, studyChart, mark };
}
