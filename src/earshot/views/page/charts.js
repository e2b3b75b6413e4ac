// Charts: curves over frequency or angle, polar cuts, the Smith chart; read under the pointer, marked, enlarged, saved.
const Charts = (() => {
  "use strict";
  const { axisBottom, axisLeft, line, scaleLinear, select } = library;
  const DASHES = ["", "9 4", "3 3", "12 4 3 4", "1.5 4"];
  const RINGS = [0, 3, 6, 12, 24, 48];

  function theme() {
    const style = getComputedStyle(document.documentElement);
    const of = (name) => style.getPropertyValue(`--${name}`).trim();
    return { paper: of("card"), ink: of("ink"), faint: of("faint"), grid: of("grid"), accent: of("accent"),
      lines: [1, 2, 3, 4, 5].map((n) => of(`line-${n}`)) };
  }

  const plain = (value, digits = 4) => (value === null || value === undefined || !Number.isFinite(value) ? "–"
    : Number((Math.abs(value) < 1e-12 ? 0 : value).toPrecision(digits)).toString().replace("-", "−"));

  function download(name, content, kind) {
    const link = document.createElement("a");
    link.href = content instanceof Blob ? URL.createObjectURL(content) : content;
    link.download = `${name.replace(/[^\p{L}\p{N}._-]+/gu, "-").slice(0, 80)}.${kind}`;
    link.click();
    if (content instanceof Blob) setTimeout(() => URL.revokeObjectURL(link.href), 10000);
  }

  const quoted = (cell) => {
    let text = String(cell ?? "");
    // What a spreadsheet would take for a formula is a name all the same.
    if (/^[=+@\t\r]/.test(text) || (/^-/.test(text) && !Number.isFinite(Number(text)))) text = `'${text}`;
    return /[",\n\r]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text;
  };
  const csv = (rows) => `${rows.map((row) => row.map(quoted).join(",")).join("\n")}\n`;

  // A figure: heading, tools, a line that reads it off, and its drawing; `draw(svg, width, height, look)` gives what
  // `read(x, y)` tells and `rows()` for CSV.
  class Chart {
    constructor(host, title, draw, { ratio = 0.62, pick = null, name = title, tools = true } = {}) {
      Object.assign(this, { title, draw, ratio, pick, name });
      this.figure = document.createElement("figure");
      this.figure.className = "chart";
      this.heading = document.createElement("h3");
      this.heading.textContent = title;
      this.tools = document.createElement("span");
      this.tools.className = "tools";
      const top = document.createElement("div");
      top.className = "chart-top";
      top.append(this.heading, this.tools);
      this.readout = document.createElement("figcaption");
      this.readout.className = "readout";
      this.holder = document.createElement("div");
      this.holder.className = "drawing";
      this.figure.append(top, this.holder, this.readout);
      host.append(this.figure);
      if (tools) {
        for (const [word, says, act] of [
          ["enlarge", "larger, or as it was", () => this.enlarge()],
          ["PNG", "save as PNG", () => this.png()],
          ["SVG", "save as SVG", () => this.svgFile()],
          ["CSV", "save the curves as CSV", () => this.csvFile()],
        ]) {
          const button = document.createElement("button");
          button.type = "button";
          button.textContent = word;
          button.setAttribute("aria-label", `${title}: ${says}`);
          button.addEventListener("click", act);
          this.tools.append(button);
        }
      }
      // Its place is kept before it is drawn, so that nothing moves from under a pointer while the page is scrolled.
      this.svg = select(this.holder).append("svg").attr("role", "img").attr("tabindex", 0).attr("aria-label", title)
        .style("aspect-ratio", `1 / ${ratio}`);
      const node = this.svg.node();
      node.addEventListener("pointermove", (event) => this.look(event));
      node.addEventListener("pointerdown", (event) => this.look(event));
      node.addEventListener("pointerleave", () => this.looked(null));
      node.addEventListener("click", (event) => { const at = this.place(event); if (at && this.pick) this.pick(at); });
      node.addEventListener("keydown", (event) => this.key(event));
      this.at = null;
      this.resized = this.stale = true;
    }

    // What is pointed at is drawn, even before it was noticed to have come into sight.
    place(event) {
      this.drawn();
      const box = this.svg.node().getBoundingClientRect();
      const x = (event.clientX - box.left) * this.width / box.width, y = (event.clientY - box.top) * this.height / box.height;
      return this.told && this.told.invert ? this.told.invert(x, y) : null;
    }

    look(event) { this.looked(this.place(event)); }

    key(event) {
      this.drawn();
      if (!this.told || !this.told.invert) return;
      const step = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
      if (step) {
        this.looked(this.told.step(this.at, step));
        event.preventDefault();
      } else if (event.key === "Enter" && this.at !== null && this.pick) {
        this.pick(this.at);
        event.preventDefault();
      }
    }

    looked(at) {
      this.at = at;
      const told = at === null || !this.told.read ? null : this.told.read(at);
      this.readout.textContent = told ? told.text : this.told.rest || "\u00a0";
      this.cursor.selectAll("*").remove();
      if (told) for (const [x, y, colour] of told.dots) {
        this.cursor.append("circle").attr("cx", x).attr("cy", y).attr("r", 4).attr("fill", colour);
      }
      if (told && told.across) {
        this.cursor.append("line").attr("x1", told.across[0]).attr("x2", told.across[2]).attr("y1", told.across[1])
          .attr("y2", told.across[3]).attr("stroke", theme().faint).attr("stroke-dasharray", "2 3");
      }
    }

    update() {
      // To ask for the width lays the whole page out: it is asked when it may have changed.
      if (this.resized) this.width = Math.max(Math.round(this.holder.clientWidth), 240);
      this.resized = false;
      this.height = Math.round(this.figure.classList.contains("large")
        ? Math.min(this.width * this.ratio, window.innerHeight - 170) : this.width * this.ratio);
      const look = theme();
      this.svg.attr("viewBox", `0 0 ${this.width} ${this.height}`).attr("width", this.width).attr("height", this.height)
        .style("aspect-ratio", `${this.width} / ${this.height}`)
        .attr("xmlns", "http://www.w3.org/2000/svg").attr("font-family", "system-ui, sans-serif").attr("font-size", 12);
      this.svg.selectAll("*").remove();
      this.told = this.draw(this.svg, this.width, this.height, look) || { rows: () => [] };
      this.cursor = this.svg.append("g").attr("pointer-events", "none");
      this.svg.attr("aria-label", `${this.title}. ${this.told.says || ""}`);
      this.looked(null);
    }

    enlarge() {
      const large = this.figure.classList.toggle("large");
      this.tools.firstChild.setAttribute("aria-pressed", String(large));
      document.body.classList.toggle("holding", large);
      this.resized = true;
      this.update();
      this.tools.firstChild.focus();
    }

    source() {
      const copy = this.drawn().svg.node().cloneNode(true), look = theme();
      const back = document.createElementNS("http://www.w3.org/2000/svg", "rect");
      back.setAttribute("width", "100%");
      back.setAttribute("height", "100%");
      back.setAttribute("fill", look.paper);
      copy.prepend(back);
      const title = document.createElementNS("http://www.w3.org/2000/svg", "title");
      title.textContent = `${document.title}: ${this.title}`;
      copy.prepend(title);
      return new XMLSerializer().serializeToString(copy);
    }

    // What has not been looked at yet has not been drawn.
    drawn() {
      if (this.stale) {
        this.update();
        this.stale = false;
      }
      return this;
    }

    csvFile() { download(this.name, new Blob([csv(this.drawn().told.rows())], { type: "text/csv" }), "csv"); }

    svgFile() { download(this.name, new Blob([this.source()], { type: "image/svg+xml" }), "svg"); }

    png() {
      const image = new Image(), scale = 2;
      image.onload = () => {
        const canvas = document.createElement("canvas");
        canvas.width = this.width * scale;
        canvas.height = this.height * scale;
        canvas.getContext("2d").drawImage(image, 0, 0, canvas.width, canvas.height);
        canvas.toBlob((blob) => download(this.name, blob, "png"));
      };
      this.drawn();
      image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(this.source())}`;
    }
  }

  let clips = 0;

  // Curves over x. spec: {x: {label, domain, show}, y: {label, domain}, series: [{name, colour, dash, x, y}], limits:
  // [{y, word}], markers: [{x, letter}], here: x, digits}.
  function curves(spec) {
    return (svg, width, height, look) => {
      const { x, y, series, limits = [], markers = [], here = null } = spec();
      const left = 52, right = 14, key = keyOver(svg, series, look, 8, width), top = 20 + key, bottom = 42;
      const sx = scaleLinear(x.domain, [left, width - right]), sy = scaleLinear(y.domain, [height - bottom, top]);
      const across = axisBottom(sx).ticks(Math.max(3, width / 90)).tickSize(-(height - top - bottom)).tickPadding(7);
      if (x.ticks) across.tickValues(x.ticks(width));
      if (x.show) across.tickFormat(x.show);
      const upward = axisLeft(sy).ticks(Math.max(3, height / 45)).tickSize(-(width - left - right)).tickPadding(7);
      for (const [axis, where] of [[across, `translate(0,${height - bottom})`], [upward, `translate(${left},0)`]]) {
        const g = svg.append("g").attr("transform", where).call(axis);
        g.select(".domain").remove();
        g.selectAll("line").attr("stroke", look.grid);
        g.selectAll("text").attr("fill", look.ink).attr("font-size", 12).attr("font-family", "system-ui, sans-serif");
      }
      svg.append("text").attr("x", width - right).attr("y", height - 6).attr("text-anchor", "end").attr("fill", look.ink).text(x.label);
      svg.append("text").attr("x", 6).attr("y", key + 12).attr("fill", look.ink).text(y.label);
      const clip = `clip${++clips}`, low = Math.min(...y.domain), high = Math.max(...y.domain);
      svg.append("clipPath").attr("id", clip).append("rect").attr("x", left).attr("y", top - 2)
        .attr("width", width - left - right).attr("height", height - top - bottom + 4);
      const inside = svg.append("g").attr("clip-path", `url(#${clip})`);
      for (const limit of limits) {
        inside.append("line").attr("x1", left).attr("x2", width - right).attr("y1", sy(limit.y)).attr("y2", sy(limit.y))
          .attr("stroke", look.faint).attr("stroke-dasharray", "2 4");
      }
      if (here !== null) {
        inside.append("line").attr("x1", sx(here)).attr("x2", sx(here)).attr("y1", top).attr("y2", height - bottom)
          .attr("stroke", look.accent).attr("stroke-width", 1.5);
      }
      const keep = (v) => Math.min(Math.max(v, low - (high - low)), high + (high - low));
      for (const one of series) {
        const known = (k) => one.y[k] !== null && !Number.isNaN(one.y[k]);
        for (const [first, last] of one.stretches || [[0, one.x.length - 1]]) {
          const part = line().defined((k) => known(k)).x((k) => sx(one.x[k])).y((k) => sy(keep(one.y[k])));
          const places = Array.from({ length: last - first + 1 }, (_, k) => first + k);
          if (places.length > 1) {
            inside.append("path").attr("d", part(places)).attr("fill", "none").attr("stroke", one.colour)
              .attr("stroke-width", 2.2).attr("stroke-dasharray", one.dash);
          } else if (known(first)) {
            inside.append("circle").attr("cx", sx(one.x[first])).attr("cy", sy(keep(one.y[first]))).attr("r", 4.5)
              .attr("fill", one.colour);
          }
        }
      }
      const value = (one, at) => {
        const spot = nearest(one.x, at), last = one.x.length - 1;
        if (last === 0) return one.y[0];
        let k = one.x[spot] > at ? spot - 1 : spot;
        k = Math.min(Math.max(k, 0), last - 1);
        const share = Math.min(Math.max((at - one.x[k]) / (one.x[k + 1] - one.x[k]), 0), 1);
        return one.y[k] === null || one.y[k + 1] === null ? one.y[spot] : one.y[k] + share * (one.y[k + 1] - one.y[k]);
      };
      for (const marker of markers) {
        if (marker.x < x.domain[0] || marker.x > x.domain[1]) continue;
        svg.append("line").attr("x1", sx(marker.x)).attr("x2", sx(marker.x)).attr("y1", top).attr("y2", height - bottom)
          .attr("stroke", look.ink).attr("stroke-dasharray", "5 3");
        svg.append("text").attr("x", sx(marker.x)).attr("y", top - 4).attr("text-anchor", "middle").attr("fill", look.ink)
          .attr("font-weight", 700).text(marker.letter);
      }
      const all = series[0] ? series[0].x : [];
      return {
        invert: (px) => Math.min(Math.max(sx.invert(px), x.domain[0]), x.domain[1]),
        step: (at, by) => {
          const k = at === null ? nearest(all, here ?? all[0]) : nearest(all, at) + by;
          return all[Math.min(Math.max(k, 0), all.length - 1)];
        },
        read: (at) => ({
          text: `${x.show ? x.show(at) : plain(at, 5)} ${x.unit || ""}: ${series.map((one) => `${one.name} ${plain(value(one, at), spec.digits || 4)}`).join(", ")}`,
          dots: series.map((one) => [sx(at), sy(keep(value(one, at) ?? low)), one.colour]).filter((d) => d[1] >= top - 1 && d[1] <= height - bottom + 1),
          across: [sx(at), top, sx(at), height - bottom],
        }),
        rows: () => {
          const rows = [["curve", x.saved || x.label, y.saved || y.label]];
          for (const one of series) for (let k = 0; k < one.x.length; k++) rows.push([one.name, one.x[k], one.y[k]]);
          return rows;
        },
        says: `${series.length} curve${series.length === 1 ? "" : "s"}: ${series.map((one) => one.name).join(", ")}`,
      };
    };
  }

  function nearest(values, at) {
    let low = 0, high = values.length - 1;
    while (high - low > 1) { const middle = (low + high) >> 1; if (values[middle] > at) high = middle; else low = middle; }
    return Math.abs(values[low] - at) <= Math.abs(values[high] - at) ? low : high;
  }

  // Names of curves, each with its own line, in rows over the drawing; returns how high they are.
  const MOST_NAMED = 9, NAME = 26;
  function keyOver(svg, series, look, left, width) {
    if (series.length < 2 && !(series[0] && series[0].always)) return 0;
    const g = svg.append("g"), named = series.slice(0, MOST_NAMED).map((one) => (one.name.length > NAME ? `${one.name.slice(0, NAME - 1)}…` : one.name));
    if (series.length > MOST_NAMED) named.push(`and ${series.length - MOST_NAMED} more`);
    let x = left, row = 0;
    named.forEach((name, k) => {
      const one = k < MOST_NAMED ? series[k] : null, long = (one ? 34 : 4) + 6.9 * name.length + 14;
      if (x + long > width && x > left) { x = left; row++; }
      const y = 12 + 16 * row;
      if (one) {
        g.append("line").attr("x1", x).attr("x2", x + 26).attr("y1", y - 4).attr("y2", y - 4).attr("stroke", one.colour)
          .attr("stroke-width", 2.4).attr("stroke-dasharray", one.dash);
      }
      g.append("text").attr("x", x + (one ? 32 : 0)).attr("y", y).attr("fill", look.ink).text(name);
      x += long;
    });
    return 16 * (row + 1) + 4;
  }

  // A cut, radius 1/(1 + L/12) for L dB below the rim. spec: {series: [{name, colour, dash, angle, value}], unit, top,
  // marks: words at 0, 90, 180, 270, markers: [{x, letter}]}.
  function polar(spec) {
    return (svg, width, height, look) => {
      const { series, unit, top, words, markers = [], half, rest } = spec();
      const above = keyOver(svg, series, look, 8, width), room = height - above;
      const cx = width / 2, cy = above + (half ? room * 0.85 : room / 2);
      const radius = Math.min(width / 2 - 46, half ? room * 0.72 : room / 2 - 26);
      const reach = (value) => (value === null ? 0 : radius / (1 + Math.max(top - value, 0) / 12));
      const spot = (angle, r) => [cx + r * Math.cos(angle * Math.PI / 180), cy - r * Math.sin(angle * Math.PI / 180)];
      for (const ring of RINGS) {
        svg.append("circle").attr("cx", cx).attr("cy", cy).attr("r", reach(top - ring)).attr("fill", "none")
          .attr("stroke", ring ? look.grid : look.faint);
      }
      for (let angle = 0; angle < 360; angle += 30) {
        if (half && angle > 180) continue;
        const [x, y] = spot(angle, radius);
        svg.append("line").attr("x1", cx).attr("y1", cy).attr("x2", x).attr("y2", y).attr("stroke", look.grid);
        const [tx, ty] = spot(angle, radius + 15), signed = words.signed && angle > 180 ? angle - 360 : angle;
        const side = Math.cos(angle * Math.PI / 180), anchor = side > 0.3 ? "start" : side < -0.3 ? "end" : "middle";
        const text = svg.append("text").attr("y", ty + 4).attr("fill", look.ink).attr("text-anchor", anchor).attr("font-size", 11);
        text.append("tspan").attr("x", tx).text(`${plain(signed)}°`);
        if (words[angle]) text.append("tspan").attr("x", tx).attr("dy", 13).text(words[angle]);
      }
      series.forEach((one) => {
        const shape = line().defined((k) => one.value[k] !== null)
          .x((k) => spot(one.angle[k], reach(one.value[k]))[0]).y((k) => spot(one.angle[k], reach(one.value[k]))[1]);
        svg.append("path").attr("d", shape(one.angle.map((_, k) => k))).attr("stroke", one.colour).attr("stroke-width", 2.2)
          .attr("stroke-dasharray", one.dash).attr("fill", one.colour).attr("fill-opacity", series.length > 2 ? 0 : 0.1);
      });
      RINGS.forEach((ring) => {
        const [x, y] = spot(98, reach(top - ring));
        if (!ring) return;
        svg.append("text").attr("x", x - 2).attr("y", y + 4).attr("fill", look.ink).attr("font-size", 11).attr("text-anchor", "end")
          .attr("stroke", look.paper).attr("stroke-width", 3).attr("paint-order", "stroke").text(`−${ring}`);
      });
      svg.append("text").attr("x", 6).attr("y", above + 12).attr("fill", look.ink).attr("font-size", 11).text(`rim ${plain(top, 4)} ${unit}`);
      for (const marker of markers) {
        const [x, y] = spot(marker.x, radius);
        svg.append("line").attr("x1", cx).attr("y1", cy).attr("x2", x).attr("y2", y).attr("stroke", look.ink).attr("stroke-dasharray", "5 3");
        const [tx, ty] = spot(marker.x, radius - 12);
        svg.append("text").attr("x", tx + 7).attr("y", ty).attr("fill", look.ink).attr("font-weight", 700).text(marker.letter);
      }
      const at = (one, angle) => {
        const first = one.angle[0], count = one.angle.length - 1, span = one.angle[count] - first;
        let turn = angle;
        while (turn < first - 1e-9) turn += 360;
        while (turn > first + Math.max(span, 360) + 1e-9) turn -= 360;
        const k = Math.round((turn - first) / span * count);
        return k < 0 || k > count ? null : one.value[k];
      };
      return {
        invert: (x, y) => {
          const angle = Math.atan2(cy - y, x - cx) * 180 / Math.PI;
          return Math.round(words.signed ? angle : (angle + 360) % 360);
        },
        step: (angle, by) => (angle === null ? 0 : angle + by),
        read: (angle) => ({
          text: `${plain(angle)}°: ${series.map((one) => `${one.name} ${plain(at(one, angle), 4)} ${unit}`).join(", ")}`,
          dots: series.map((one) => [...spot(angle, reach(at(one, angle))), one.colour]),
          across: [cx, cy, ...spot(angle, radius)],
        }),
        rows: () => [["curve", "angle, deg", unit], ...series.flatMap((one) => one.angle.map((a, k) => [one.name, a, one.value[k]]))],
        rest,
        says: series.map((one) => `${one.name}, greatest ${plain(Math.max(...one.value.filter((v) => v !== null)), 4)} ${unit}`).join("; "),
      };
    };
  }

  // The Smith chart. spec: {series: [{name, colour, dash, gamma, hertz, stretches}], here: Hz, markers, show}.
  function smith(spec) {
    return (svg, width, height, look) => {
      const { series, here, markers = [], show } = spec();
      const above = keyOver(svg, series, look, 8, width), room = height - above;
      const radius = Math.min(width, room) / 2 - 22, cx = width / 2, cy = above + room / 2;
      const spot = (g) => [cx + radius * g[0], cy - radius * g[1]];
      const clip = `clip${++clips}`;
      svg.append("clipPath").attr("id", clip).append("circle").attr("cx", cx).attr("cy", cy).attr("r", radius);
      const inside = svg.append("g").attr("clip-path", `url(#${clip})`).attr("fill", "none").attr("stroke", look.grid);
      for (const r of [0.2, 0.5, 1, 2, 5]) {
        const [x, y] = spot([r / (1 + r), 0]);
        inside.append("circle").attr("cx", x).attr("cy", y).attr("r", radius / (1 + r));
        const [tx, ty] = spot([(r - 1) / (r + 1), 0]);
        svg.append("text").attr("x", tx + 3).attr("y", ty - 3).attr("fill", look.ink).attr("font-size", 11).text(r);
      }
      for (const x of [0.2, 0.5, 1, 2, 5]) {
        for (const sign of [1, -1]) {
          const [px, py] = spot([1, sign / x]);
          inside.append("circle").attr("cx", px).attr("cy", py).attr("r", radius / x);
          const [re, im] = Sums.over([-1, sign * x], [1, sign * x]), turn = Math.atan2(im, re);
          svg.append("text").attr("x", cx + (radius + 10) * Math.cos(turn)).attr("y", cy - (radius + 10) * Math.sin(turn) + 4)
            .attr("text-anchor", "middle").attr("fill", look.ink).attr("font-size", 11).text(`${sign < 0 ? "−" : ""}j${x}`);
        }
      }
      inside.append("line").attr("x1", cx - radius).attr("x2", cx + radius).attr("y1", cy).attr("y2", cy);
      svg.append("circle").attr("cx", cx).attr("cy", cy).attr("r", radius).attr("fill", "none").attr("stroke", look.faint);
      for (const one of series) {
        const shape = line().defined((k) => Number.isFinite(one.gamma[k][0])).x((k) => spot(one.gamma[k])[0]).y((k) => spot(one.gamma[k])[1]);
        for (const [first, last] of one.stretches) {
          const places = Array.from({ length: last - first + 1 }, (_, k) => first + k);
          svg.append("path").attr("d", shape(places)).attr("fill", "none").attr("stroke", one.colour).attr("stroke-width", 2.2)
            .attr("stroke-dasharray", one.dash);
        }
        for (const [hertz, letter] of [[here, ""], ...markers.map((m) => [m.x, m.letter])]) {
          const g = one.gamma[nearest(one.hertz, hertz)];
          if (!g || !Number.isFinite(g[0])) continue;
          const [x, y] = spot(g);
          svg.append("circle").attr("cx", x).attr("cy", y).attr("r", letter ? 4 : 5).attr("fill", letter ? look.paper : one.colour)
            .attr("stroke", letter ? look.ink : look.paper).attr("stroke-width", 1.5);
          if (letter) svg.append("text").attr("x", x + 7).attr("y", y - 4).attr("fill", look.ink).attr("font-weight", 700).text(letter);
        }
      }
      return {
        invert: (x, y) => {
          let best = null, least = Infinity;
          for (const one of series) one.gamma.forEach((g, k) => {
            const [px, py] = spot(g), off = Math.hypot(px - x, py - y);
            if (off < least) { least = off; best = one.hertz[k]; }
          });
          return best;
        },
        step: (at, by) => {
          const own = series[0].hertz, k = nearest(own, at ?? here);
          return own[Math.min(Math.max(k + (at === null ? 0 : by), 0), own.length - 1)];
        },
        read: (hertz) => ({
          text: `${show(hertz)}: ${series.map((one) => { const g = one.gamma[nearest(one.hertz, hertz)], z = Sums.over([1 + g[0], g[1]], [1 - g[0], -g[1]]);
            return `${one.name} |Γ| ${plain(Math.hypot(...g), 3)}, z ${plain(z[0], 3)} ${z[1] < 0 ? "−" : "+"} j${plain(Math.abs(z[1]), 3)}`; }).join(", ")}`,
          dots: series.map((one) => [...spot(one.gamma[nearest(one.hertz, hertz)]), one.colour]),
        }),
        rows: () => [["curve", "frequency, Hz", "reflection, real", "reflection, imaginary"],
          ...series.flatMap((one) => one.gamma.map((g, k) => [one.name, one.hertz[k], g[0], g[1]]))],
        says: series.map((one) => one.name).join(", "),
      };
    };
  }

  return { Chart, curves, polar, smith, theme, plain, csv, download, nearest, DASHES };
})();
