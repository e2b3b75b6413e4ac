// Models as the page holds them, opened: views on one run of bytes, and what follows from a drive.
const Open = (() => {
  "use strict";
  const KINDS = { f4: Float32Array, f8: Float64Array, i2: Int16Array, u4: Uint32Array };

  async function bytes(text) {
    const letters = atob(text.trim()), raw = new Uint8Array(letters.length);
    for (let k = 0; k < raw.length; k++) raw[k] = letters.charCodeAt(k);
    return new Response(new Blob([raw]).stream().pipeThrough(new DecompressionStream("gzip"))).arrayBuffer();
  }

  function view(buffer, where) {
    const kind = KINDS[where.type], count = where.shape.reduce((a, b) => a * b, 1);
    return new kind(buffer, where.at, count);
  }

  class Model {
    constructor(content, buffer) {
      Object.assign(this, content);
      const open = (where) => (where ? view(buffer, where) : null);
      this.count = this.ports.length;
      this.references = this.ports.map((port) => port.reference);
      this.hertz = open(content.frequencies);
      this.y = open(content.admittance);
      this.yAtStops = open(content.stopAdmittance);
      if (content.sphere) {
        this.grid = new Fields.Grid(content.sphere.step, content.sphere.plane, content.sphere.steep);
        this.fields = open(content.sphere.fields);
        this.scales = content.sphere.fields.scale;
        this.powers = open(content.sphere.powers);
      }
      const metal = content.metal;
      this.shape = { ...metal };
      for (const key of ["nodes", "ends", "radii", "wire", "vertices", "triangles", "sheet", "opening"]) {
        this.shape[key] = open(metal[key]);
      }
      this.flows = { stops: content.currents.stops, ofCases: content.currents.ofCases, ends: open(content.currents.ends),
        endScale: content.currents.ends.scale, density: open(content.currents.density),
        densityScale: content.currents.density ? content.currents.density.scale : null };
      this.near = content.near.map((map) => ({ ...map, shape: map.points.shape, points: open(map.points),
        e: open(map.e), h: open(map.h) }));
    }

    // Ports as a case drives them.
    driveOf(number) {
      return this.cases[number].ports.map((port) => (port.kind === "closed"
        ? { kind: "closed", closing: port.closing, size: 0, turn: 0 }
        : { kind: port.kind, size: Math.hypot(...port.amount), closing: "reference", delay: port.delay || 0, from: port.from || 0,
          turn: Math.atan2(port.amount[1], port.amount[0]) * 180 / Math.PI }));
    }

    // Everything that follows from a drive at a stop.
    driven(ports, stop) {
      const flow = Sums.drivenPorts(this.yAtStops, 2 * stop * this.count ** 2, this.references, ports, this.stops[stop]);
      const told = { ports, stop, hertz: this.stops[stop], flow, ...Sums.seen(flow, this.references, ports) };
      if (!this.radiates || !(told.accepted > 0)) return { ...told, field: null, radiated: 0 };
      told.radiated = Sums.radiated(this.powers, 2 * stop * this.count ** 2, flow);
      const parts = Fields.combined(this.grid, this.fields, this.scales, stop, flow);
      told.field = new Fields.Field(this.grid, parts, {
        accepted: told.accepted, incident: told.incident, radiated: told.radiated });
      return told;
    }

    // Active reflection, impedance and VSWR of a port over frequency, for a drive.
    curve(ports, port) {
      const gamma = [], impedance = [], vswr = [];
      for (let k = 0; k < this.hertz.length; k++) {
        const flow = Sums.drivenPorts(this.y, 2 * k * this.count ** 2, this.references, ports, this.hertz[k]);
        const row = Sums.seen(flow, this.references, ports).rows[port];
        gamma.push(row.reflection);
        impedance.push(row.impedance);
        vswr.push(row.vswr);
      }
      return { hertz: this.hertz, gamma, impedance, vswr };
    }

    // Currents at both ends of segments (A) and on triangles (A/m) for a drive, at the nearest stop that has them.
    flowOf(driven, caseNumber = 0) {
      const { stops, ends, endScale, density, densityScale } = this.flows;
      if (this.flows.ofCases) return this.flowOfCase(caseNumber);
      let near = 0;
      stops.forEach((stop, k) => {
        if (Math.abs(this.stops[stop] - driven.hertz) < Math.abs(this.stops[stops[near]] - driven.hertz)) near = k;
      });
      const sum = (raw, scales) => {
        if (!raw) return null;
        const each = raw.length / (stops.length * this.count), found = new Float32Array(each);
        for (let p = 0; p < this.count; p++) {
          const number = near * this.count + p, base = number * each;
          const a = driven.flow.vr[p] * scales[number], b = driven.flow.vi[p] * scales[number];
          if (a === 0 && b === 0) continue;
          for (let k = 0; k < each; k += 2) {
            found[k] += a * raw[base + k] - b * raw[base + k + 1];
            found[k + 1] += a * raw[base + k + 1] + b * raw[base + k];
          }
        }
        return found;
      };
      return { ends: sum(ends, endScale), density: sum(density, densityScale) };
    }

    // Of what has too many currents for every port: those of a case, as it was solved.
    flowOfCase(number) {
      const { ends, endScale, density, densityScale } = this.flows, count = this.cases.length;
      const own = (raw, scales) => {
        if (!raw) return null;
        const each = raw.length / count;
        return Float32Array.from(raw.subarray(number * each, (number + 1) * each), (v) => v * scales[number]);
      };
      return { ends: own(ends, endScale), density: own(density, densityScale) };
    }
  }

  // A measured curve, told as a model's curve is.
  class Curve {
    constructor(content, buffer) {
      Object.assign(this, content);
      this.hertz = view(buffer, content.frequencies);
      const raw = view(buffer, content.reflection);
      this.gamma = Array.from(this.hertz, (_, k) => [raw[2 * k], raw[2 * k + 1]]);
      this.vswr = this.gamma.map((g) => { const s = Math.hypot(...g); return s < 1 ? (1 + s) / (1 - s) : Infinity; });
      const z = this.reference;
      this.impedance = this.phase ? this.gamma.map((g) => Sums.over(
        [z[0] + g[0] * z[0] - g[1] * z[1], -z[1] + g[0] * z[1] + g[1] * z[0]], [1 - g[0], -g[1]])) : null;
    }
  }

  return { bytes, Model, Curve };
})();
