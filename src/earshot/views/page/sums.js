// The sums of the page, on plain numbers: ports, match over frequency, directions.
// Angles are radians; complex numbers are pairs of arrays, or [real, imaginary].
const Sums = (() => {
  "use strict";
  const TURN = 2 * Math.PI, LIGHT = 299792458, LEAST = 1e-30;

  const decibels = (ratio) => 10 * Math.log10(Math.max(ratio, LEAST));
  const over = (a, b) => {
    const size = b[0] * b[0] + b[1] * b[1];
    return [(a[0] * b[0] + a[1] * b[1]) / size, (a[1] * b[0] - a[0] * b[1]) / size];
  };
  const times = (a, b) => [a[0] * b[0] - a[1] * b[1], a[0] * b[1] + a[1] * b[0]];

  // Solves A x = e in place by elimination with pivots; A is n by n, row by row, as real and imaginary parts.
  function eliminate(n, real, imag, er, ei) {
    for (let column = 0; column < n; column++) {
      let best = column, most = -1;
      for (let row = column; row < n; row++) {
        const size = real[row * n + column] ** 2 + imag[row * n + column] ** 2;
        if (size > most) { most = size; best = row; }
      }
      if (best !== column) {
        for (let k = column; k < n; k++) {
          const a = column * n + k, b = best * n + k;
          [real[a], real[b]] = [real[b], real[a]];
          [imag[a], imag[b]] = [imag[b], imag[a]];
        }
        [er[column], er[best]] = [er[best], er[column]];
        [ei[column], ei[best]] = [ei[best], ei[column]];
      }
      const pr = real[column * n + column] / most, pi = -imag[column * n + column] / most;
      for (let row = column + 1; row < n; row++) {
        const ar = real[row * n + column], ai = imag[row * n + column];
        if (ar === 0 && ai === 0) continue;
        const fr = ar * pr - ai * pi, fi = ar * pi + ai * pr;
        for (let k = column; k < n; k++) {
          const xr = real[column * n + k], xi = imag[column * n + k];
          real[row * n + k] -= fr * xr - fi * xi;
          imag[row * n + k] -= fr * xi + fi * xr;
        }
        er[row] -= fr * er[column] - fi * ei[column];
        ei[row] -= fr * ei[column] + fi * er[column];
      }
    }
    for (let row = n - 1; row >= 0; row--) {
      let xr = er[row], xi = ei[row];
      for (let k = row + 1; k < n; k++) {
        xr -= real[row * n + k] * er[k] - imag[row * n + k] * ei[k];
        xi -= real[row * n + k] * ei[k] + imag[row * n + k] * er[k];
      }
      [er[row], ei[row]] = over([xr, xi], [real[row * n + row], imag[row * n + row]]);
    }
  }

  // Voltages and currents at the ports: each obeys v V + i I = e with I = Y V, as network.sources.driven_ports says.
  // ports: {kind: power | voltage | current | closed, size, turn (degrees), closing: reference | open | short | [R, X]};
  // one that is late by a delay (s) has its turn at the frequency `from`.
  function drivenPorts(admittance, offset, references, ports, hertz) {
    const n = ports.length;
    const real = new Float64Array(n * n), imag = new Float64Array(n * n);
    const er = new Float64Array(n), ei = new Float64Array(n);
    for (let p = 0; p < n; p++) {
      const port = ports[p], reference = references[p];
      let v = [1, 0], i = reference;
      if (port.kind === "closed") {
        if (port.closing === "open") { v = [0, 0]; i = [1, 0]; }
        else if (port.closing === "short") i = [0, 0];
        else if (port.closing !== "reference") i = port.closing;
      } else {
        let size = port.size;
        if (port.kind === "voltage") i = [0, 0];
        else if (port.kind === "current") { v = [0, 0]; i = [1, 0]; }
        else size *= Math.sqrt(8 * reference[0]);
        const turn = port.turn * Math.PI / 180 - (port.delay ? TURN * (hertz - port.from) * port.delay : 0);
        er[p] = size * Math.cos(turn);
        ei[p] = size * Math.sin(turn);
      }
      for (let q = 0; q < n; q++) {
        const at = offset + 2 * (p * n + q), y = times(i, [admittance[at], admittance[at + 1]]);
        real[p * n + q] = y[0] + (p === q ? v[0] : 0);
        imag[p * n + q] = y[1];
      }
    }
    eliminate(n, real, imag, er, ei);
    const cr = new Float64Array(n), ci = new Float64Array(n);
    for (let p = 0; p < n; p++) {
      for (let q = 0; q < n; q++) {
        const at = offset + 2 * (p * n + q), a = admittance[at], b = admittance[at + 1];
        cr[p] += a * er[q] - b * ei[q];
        ci[p] += a * ei[q] + b * er[q];
      }
    }
    return { vr: er, vi: ei, ir: cr, ii: ci };
  }

  // What every port sees: active impedance, reflection against its reference, VSWR, power; and the powers in all.
  function seen(flow, references, ports) {
    const rows = [];
    let accepted = 0, incident = 0;
    for (let p = 0; p < ports.length; p++) {
      const v = [flow.vr[p], flow.vi[p]], i = [flow.ir[p], flow.ii[p]], z = references[p];
      const zi = times(z, i), back = times([z[0], -z[1]], i);
      const forward = [v[0] + zi[0], v[1] + zi[1]], returned = [v[0] - back[0], v[1] - back[1]];
      const power = 0.5 * (v[0] * i[0] + v[1] * i[1]);
      const fed = ports[p].kind !== "closed";
      const sent = (forward[0] ** 2 + forward[1] ** 2) / (8 * z[0]);
      const live = Math.hypot(...i) > 0;
      const impedance = live ? over(v, i) : [Infinity, 0];
      const reflection = Math.hypot(...forward) > 0 ? over(returned, forward) : [NaN, NaN];
      const size = Math.hypot(...reflection);
      rows.push({ v, i, power, fed, sent: fed ? sent : 0, impedance, reflection,
        vswr: fed && size < 1 ? (1 + size) / (1 - size) : Infinity });
      if (fed) { accepted += power; incident += sent; }
    }
    return { rows, accepted, incident };
  }

  // vᴴ B v, W.
  function radiated(powers, offset, flow) {
    const n = flow.vr.length;
    let sum = 0;
    for (let p = 0; p < n; p++) {
      for (let q = 0; q < n; q++) {
        const at = offset + 2 * (p * n + q), b = [powers[at], powers[at + 1]];
        const pair = times([flow.vr[p], -flow.vi[p]], [flow.vr[q], flow.vi[q]]);
        sum += b[0] * pair[0] - b[1] * pair[1];
      }
    }
    return sum;
  }

  const vector = (theta, phi) => [Math.sin(theta) * Math.cos(phi), Math.sin(theta) * Math.sin(phi), Math.cos(theta)];
  const angles = ([x, y, z]) => [Math.atan2(Math.hypot(x, y), z), (Math.atan2(y, x) + TURN) % TURN];
  const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];

  // Resonances: where the reactance is zero between samples, by straight lines; and stretches within a VSWR.
  function resonances(hertz, impedance) {
    const found = [];
    for (let k = 1; k < hertz.length; k++) {
      const [r, x] = impedance[k - 1], [s, y] = impedance[k];
      if (!(x * y < 0) || Math.abs(x - y) > 4 * (Math.abs(r) + Math.abs(s)) + 200) continue;
      const share = x / (x - y);
      found.push({ hertz: hertz[k - 1] + share * (hertz[k] - hertz[k - 1]), r: r + share * (s - r), rising: y > x });
    }
    return found;
  }
  function within(hertz, vswr, limit) {
    const found = [];
    let open = null;
    for (let k = 0; k < hertz.length; k++) {
      const good = vswr[k] <= limit, edge = () => {
        // |Γ|² is smooth where the VSWR is steep.
        const [a, b, c] = [vswr[k - 1], vswr[k], limit].map((s) => (s === Infinity ? 1 : ((s - 1) / (s + 1)) ** 2));
        return hertz[k - 1] + (c - a) / (b - a) * (hertz[k] - hertz[k - 1]);
      };
      if (good && open === null) open = k ? { from: edge(), cut: false } : { from: hertz[0], cut: true };
      if (!good && open !== null) { found.push({ ...open, to: edge() }); open = null; }
    }
    if (open !== null) found.push({ from: open.from, to: hertz[hertz.length - 1], cut: true });
    return found;
  }

  // Phases (degrees) that add up in a direction, from the places of ports alone.
  function steering(places, hertz, theta, phi) {
    const towards = vector(theta, phi), k = TURN * hertz / LIGHT;
    return places.map((place) => -k * dot(place, towards) * 180 / Math.PI);
  }

  return { drivenPorts, seen, radiated, decibels, resonances, within, steering, vector, angles, dot, cross, over };
})();
