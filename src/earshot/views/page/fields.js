// Far fields of driven ports, between their samples, and what is asked of them: lobes, widths, cuts, polarisation.
const Fields = (() => {
  "use strict";
  const { decibels, vector, angles, dot, cross } = Sums;
  const TURN = 2 * Math.PI, WAVE_IMPEDANCE = 376.730313412, TAPS = 8, EQUAL = 0.05;
  const HALF_POWER = -10 * Math.log10(2);

  // Lagrange's weights of eight neighbours of a place, written into an array; returns the first of them.
  const BELOW = Array.from({ length: TAPS }, (_, k) => {
    let product = 1;
    for (let other = 0; other < TAPS; other++) if (other !== k) product *= k - other;
    return 1 / product;
  });
  function taps(place, low, high, weights, from = 0) {
    const first = Math.max(Math.min(Math.floor(place) - (TAPS / 2 - 1), high - TAPS + 1), low), off = place - first;
    for (let k = 0; k < TAPS; k++) {
      let product = BELOW[k];
      for (let other = 0; other < TAPS; other++) if (other !== k) product *= off - other;
      weights[from + k] = product;
    }
    return first;
  }

  // Directions a step of degrees apart, as views.page.sphere.Grid: plane, nothing below; steep, rows draw together at the
  // horizon, and what is below it is another field.
  class Grid {
    constructor(step, plane, steep, torn = steep && !plane) {
      this.step = step;
      this.plane = plane;
      this.steep = steep;
      this.torn = torn;
      this.quarter = Math.round(90 / step);
      // What is torn at the horizon has it twice, from above and from below.
      this.rows = this.quarter * (plane ? 1 : 2) + 1 + (torn ? 1 : 0);
      this.columns = Math.round(360 / step);
      this.size = this.rows * this.columns;
      this.room = { rows: new Int32Array(TAPS), shifts: new Int32Array(TAPS), across: new Float64Array(TAPS),
        along: new Float64Array(TAPS) };
    }

    // θ of a row, degrees, and whether it looks at it from below the horizon.
    theta(row) {
      const own = this.torn && row > this.quarter ? row - 1 : row, share = Math.min(own, 2 * this.quarter - own) / this.quarter;
      const above = 90 * (this.steep ? Math.sin(share * Math.PI / 2) : share);
      return own > this.quarter ? 180 - above : above;
    }
    place(theta, below) {
      const share = Math.min(Math.max(Math.min(theta, 180 - theta) / 90, 0), 1);
      const own = this.quarter * (this.steep ? 2 / Math.PI * Math.asin(share) : share);
      return (theta > 90 ? 2 * this.quarter - own : own) + (below ? 1 : 0);
    }
    below(row) { return this.torn && row > this.quarter; }

    // Rows of eight neighbours of an angle (degrees) with their weights, from a place in the arrays on; columns of what lies beyond the
    // zenith or the nadir are half a turn round.
    rowTaps(theta, below, rows, shifts, weights, from = 0) {
      let low = -Infinity, high = Infinity;
      if (below) low = this.quarter + 1; else if (this.plane || this.torn) high = this.quarter;
      const first = taps(this.place(theta, below), low, high, weights, from), last = this.rows - 1;
      for (let k = 0; k < TAPS; k++) {
        let row = first + k;
        const beyond = row < 0 || row > last;
        if (beyond) {
          row = row < 0 ? -row : 2 * last - row;
          weights[from + k] = -weights[from + k];
        }
        rows[from + k] = row;
        shifts[from + k] = beyond ? this.columns / 2 : 0;
      }
    }

    // (E_θ, E_φ) at any direction, from samples of four parts [θ real, θ imaginary, φ real, φ imaginary].
    at(parts, theta, phi) {
      const { rows, shifts, across, along } = this.room, count = this.columns, [a, b, c, d] = parts;
      const degrees = theta * 180 / Math.PI;
      this.rowTaps(degrees, this.torn && degrees > 90, rows, shifts, across);
      const first = taps(phi * 180 / Math.PI / this.step, -Infinity, Infinity, along) + 2 * count;
      let tr = 0, ti = 0, pr = 0, pi = 0;
      for (let j = 0; j < TAPS; j++) {
        const base = rows[j] * count, start = first + shifts[j];
        for (let k = 0; k < TAPS; k++) {
          const w = across[j] * along[k], at = base + (start + k) % count;
          tr += w * a[at];
          ti += w * b[at];
          pr += w * c[at];
          pi += w * d[at];
        }
      }
      return [tr, ti, pr, pi];
    }

    // The same samples on a finer grid.
    refined(parts, fine) {
      if (!this.finer || this.finer.fine.step !== fine.step) this.finer = this.plan(fine);
      const { rows, shifts, across, columns, along } = this.finer, count = this.columns, line = new Float64Array(count);
      return parts.map((part) => {
        const found = new Float32Array(fine.size);
        for (let r = 0; r < fine.rows; r++) {
          line.fill(0);
          for (let j = TAPS * r; j < TAPS * (r + 1); j++) {
            const weight = across[j], base = rows[j] * count, shift = shifts[j], turned = base + shift, last = count - shift;
            if (weight === 0) continue;
            for (let c = 0; c < last; c++) line[c] += weight * part[turned + c];
            for (let c = last; c < count; c++) line[c] += weight * part[base + c - last];
          }
          for (let c = 0; c < fine.columns; c++) {
            let sum = 0;
            for (let j = TAPS * c; j < TAPS * (c + 1); j++) sum += along[j] * line[columns[j]];
            found[r * fine.columns + c] = sum;
          }
        }
        return found;
      });
    }

    plan(fine) {
      const ratio = fine.step / this.step, count = this.columns;
      const rows = new Int32Array(TAPS * fine.rows), shifts = new Int32Array(rows.length), across = new Float64Array(rows.length);
      const columns = new Int32Array(TAPS * fine.columns), along = new Float64Array(columns.length);
      for (let r = 0; r < fine.rows; r++) this.rowTaps(fine.theta(r), fine.below(r), rows, shifts, across, TAPS * r);
      for (let c = 0; c < fine.columns; c++) {
        const first = taps(c * ratio, -Infinity, Infinity, along, TAPS * c) + count;
        for (let k = 0; k < TAPS; k++) columns[TAPS * c + k] = (first + k) % count;
      }
      return { fine, rows, shifts, across, columns, along };
    }
  }

  // Σ V_p E_p over the ports, from whole numbers of two bytes with a scale for every port.
  function combined(grid, raw, scales, stop, flow) {
    const n = flow.vr.length, size = grid.size;
    const parts = [0, 1, 2, 3].map(() => new Float64Array(size));
    for (let p = 0; p < n; p++) {
      const scale = scales[stop * n + p], a = flow.vr[p] * scale, b = flow.vi[p] * scale;
      if (a === 0 && b === 0) continue;
      for (let pol = 0; pol < 2; pol++) {
        const base = ((stop * n + p) * 2 + pol) * 2 * size, re = parts[2 * pol], im = parts[2 * pol + 1];
        for (let k = 0; k < size; k++) {
          const x = raw[base + 2 * k], y = raw[base + 2 * k + 1];
          re[k] += a * x - b * y;
          im[k] += a * y + b * x;
        }
      }
    }
    return parts;
  }

  const intensity = (e) => (e[0] ** 2 + e[1] ** 2 + e[2] ** 2 + e[3] ** 2) / (2 * WAVE_IMPEDANCE);

  // |right|, |left|: IEEE Std 145, right-handed is (θ̂ - jφ̂)/√2 for exp(+jωt).
  function circular(e) {
    return [Math.hypot(e[0] - e[3], e[1] + e[2]) / Math.SQRT2, Math.hypot(e[0] + e[3], e[1] - e[2]) / Math.SQRT2];
  }
  function axialRatio(e) {
    const [right, left] = circular(e), sum = right + left;
    return 20 * Math.log10(Math.max(sum, 1e-300) / Math.max(Math.abs(right - left), sum * 1e-5, 1e-300));
  }

  // A far field of driven ports: what may be asked of it. Powers in W; directions in radians.
  class Field {
    constructor(grid, parts, powers) {
      this.grid = grid;
      this.parts = parts;
      Object.assign(this, powers);
      // Fine enough to look at, and to see every lobe.
      this.fineGrid = grid.step <= 2 && !grid.steep ? grid : new Grid(Math.min(grid.step, 2), grid.plane, false, grid.torn);
      this.fine = this.fineGrid === grid ? parts : grid.refined(parts, this.fineGrid);
      this.peak = this.findPeak();
    }

    at(theta, phi) { return this.grid.at(this.parts, theta, phi); }
    power(theta, phi) { return intensity(this.at(theta, phi)); }
    powerAlong(direction) { return this.power(...angles(direction)); }
    below(direction) { return this.grid.plane && direction[2] < -1e-12; }

    // |co-polar|² and |cross-polar|², as fields.far.co_polar says: Ludwig's third definition about the peak; of a low
    // beam over a plane vertical or horizontal, whichever is the stronger at the peak.
    coPolar(e, theta, phi) {
      const up = e[0] ** 2 + e[1] ** 2, across = e[2] ** 2 + e[3] ** 2;
      if (!this.frame) {
        const own = this.at(this.peak.theta, this.peak.phi), low = this.grid.plane && this.peak.theta >= Math.PI / 4;
        this.frame = low ? { vertical: Math.hypot(own[0], own[1]) >= Math.hypot(own[2], own[3]) } : { axes: this.axes() };
      }
      if (!this.frame.axes) return this.frame.vertical ? [up, across] : [across, up];
      const [axis, along] = this.frame.axes, aside = cross(axis, along);
      const out = vector(theta, phi);
      const x = dot(out, along), y = dot(out, aside), turn = Math.hypot(x, y) > 1e-9 ? Math.atan2(y, x) : 0;
      const polar = Math.acos(Math.min(Math.max(dot(out, axis), -1), 1)), c = Math.cos(turn), s = Math.sin(turn);
      const unitTheta = [Math.cos(theta) * Math.cos(phi), Math.cos(theta) * Math.sin(phi), -Math.sin(theta)];
      const unitPhi = [-Math.sin(phi), Math.cos(phi), 0];
      const parts = [e[0], e[1]].map((t, k) => unitTheta.map((v, i) => t * v + e[2 + k] * unitPhi[i]));
      const ownTheta = along.map((v, i) => Math.cos(polar) * (c * v + s * aside[i]) - Math.sin(polar) * axis[i]);
      const ownPhi = along.map((v, i) => -s * v + c * aside[i]);
      const [re, im] = parts.map((part) => [dot(part, ownTheta), dot(part, ownPhi)]);
      return [(c * re[0] - s * re[1]) ** 2 + (c * im[0] - s * im[1]) ** 2,
        (s * re[0] + c * re[1]) ** 2 + (s * im[0] + c * im[1]) ** 2];
    }

    // Of a figure by name, at a field in some direction: dBi, or dB for the axial ratio.
    figure(name, e, theta, phi) {
      const sphere = TURN / WAVE_IMPEDANCE;
      const level = (square, power) => decibels(sphere * square / power);
      const whole = e[0] ** 2 + e[1] ** 2 + e[2] ** 2 + e[3] ** 2;
      switch (name) {
        case "realized gain": return level(whole, this.incident);
        case "directivity": return level(whole, this.radiated);
        case "gain, co-polar": return level(this.coPolar(e, theta, phi)[0], this.accepted);
        case "gain, cross-polar": return level(this.coPolar(e, theta, phi)[1], this.accepted);
        case "gain, theta": return level(e[0] ** 2 + e[1] ** 2, this.accepted);
        case "gain, phi": return level(e[2] ** 2 + e[3] ** 2, this.accepted);
        case "gain, right-hand": return level(circular(e)[0] ** 2, this.accepted);
        case "gain, left-hand": return level(circular(e)[1] ** 2, this.accepted);
        case "axial ratio": return axialRatio(e);
        default: return level(whole, this.accepted);
      }
    }

    // A figure at a place of the fine grid.
    fineFigure(name, k) {
      const step = this.fineGrid.step * Math.PI / 180, columns = this.fineGrid.columns;
      const e = [this.fine[0][k], this.fine[1][k], this.fine[2][k], this.fine[3][k]];
      return this.figure(name, e, this.fineGrid.theta(Math.floor(k / columns)) * Math.PI / 180, (k % columns) * step);
    }

    toldAt(name, theta, phi) { return this.figure(name, this.at(theta, phi), theta, phi); }

    fineIntensity() {
      const found = new Float64Array(this.fineGrid.size), [a, b, c, d] = this.fine;
      for (let k = 0; k < found.length; k++) {
        found[k] = (a[k] * a[k] + b[k] * b[k] + c[k] * c[k] + d[k] * d[k]) / (2 * WAVE_IMPEDANCE);
      }
      return found;
    }

    // Uphill from a direction, by ever smaller steps round it.
    climbed(theta, phi, step) {
      let here = vector(theta, phi), level = this.powerAlong(here);
      for (let size = step; size > 1e-4; size /= 2) {
        for (let moved = true, turns = 0; moved && turns < 20; turns++) {
          moved = false;
          const side = Math.abs(here[2]) < 0.9 ? cross([0, 0, 1], here) : cross([1, 0, 0], here);
          const long = Math.hypot(...side), one = side.map((x) => x / long), two = cross(here, one);
          for (const [a, b] of [[1, 0], [-1, 0], [0, 1], [0, -1]]) {
            const next = here.map((x, i) => Math.cos(size) * x + Math.sin(size) * (a * one[i] + b * two[i]));
            if (this.below(next)) continue;
            const there = this.powerAlong(next);
            if (there > level) { here = next; level = there; moved = true; }
          }
        }
      }
      const [t, p] = angles(here);
      return { theta: t, phi: p, level };
    }

    findPeak() {
      const u = this.fineIntensity();
      let best = 0;
      for (let k = 1; k < u.length; k++) if (u[k] > u[best]) best = k;
      this.fineLevels = u;
      const step = this.fineGrid.step * Math.PI / 180;
      const { columns } = this.fineGrid;
      return this.climbed(this.fineGrid.theta(Math.floor(best / columns)) * Math.PI / 180, (best % columns) * step, step / 2);
    }

    // The strongest lobe besides the main one, dB below it; null without one. Equal beams, to 0.05 dB, are none.
    sideLobe() {
      const { rows, columns } = this.fineGrid, u = this.fineLevels, tops = [];
      for (let r = 0; r < rows; r++) {
        // The zenith and the nadir are one direction each.
        const pole = r === 0 || (r === rows - 1 && !this.grid.plane);
        for (let c = 0; c < (pole ? 1 : columns); c++) {
          const here = u[r * columns + c];
          if (here < 1e-4 * this.peak.level) continue;
          let top = true, least = Infinity;
          for (let dr = -2; dr <= 2 && top; dr++) {
            for (let dc = -2; dc <= 2; dc++) {
              if (!dr && (!dc || pole)) continue;
              let row = r + dr, column = c + dc;
              if (row < 0) { row = -row; column += columns / 2; }
              if (row >= rows) { if (this.grid.plane) continue; row = 2 * (rows - 1) - row; column += columns / 2; }
              const other = u[row * columns + ((column % columns) + columns) % columns];
              if (other > here) { top = false; break; }
              if (Math.max(Math.abs(dr), Math.abs(dc)) === 2) least = Math.min(least, other);
            }
          }
          if (top && 10 * Math.log10(here / least) > 0.01) tops.push([here, r, c]);
        }
      }
      tops.sort((a, b) => b[0] - a[0]);
      const step = this.fineGrid.step * Math.PI / 180;
      // A lobe that is a ring has many tops, each as strong as the others.
      for (const [, r, c] of tops.slice(0, 400)) {
        const lobe = this.climbed(this.fineGrid.theta(r) * Math.PI / 180, c * step, step / 2);
        const level = decibels(lobe.level / this.peak.level);
        if (level < -EQUAL) return { ...lobe, level };
      }
      return null;
    }

    // Direction of the peak, and the long axis of the polarisation ellipse there.
    axes() {
      const { theta, phi } = this.peak, e = this.at(theta, phi);
      const up = [Math.cos(theta) * Math.cos(phi), Math.cos(theta) * Math.sin(phi), -Math.sin(theta)];
      const round = [-Math.sin(phi), Math.cos(phi), 0];
      const square = [e[0] ** 2 - e[1] ** 2 + e[2] ** 2 - e[3] ** 2, 2 * (e[0] * e[1] + e[2] * e[3])];
      const size = e.reduce((sum, x) => sum + x * x, 0);
      if (Math.hypot(...square) < 1e-9 * size) return [vector(theta, phi), up];
      const turn = -0.5 * Math.atan2(square[1], square[0]);
      const a = e[0] * Math.cos(turn) - e[1] * Math.sin(turn), b = e[2] * Math.cos(turn) - e[3] * Math.sin(turn);
      const long = Math.hypot(a, b);
      return [vector(theta, phi), up.map((x, i) => (a * x + b * round[i]) / long)];
    }

    // Directions of a cut {plane | elevation | azimuth}, by its angle in radians; and the angles it goes over.
    track(cut) {
      if (cut.plane) {
        const [axis, along] = this.axes(), side = cut.plane === "E" ? along : cross(axis, along);
        return { start: -Math.PI, stop: Math.PI, about: "angle from the peak",
          direction: (x) => axis.map((a, i) => Math.cos(x) * a + Math.sin(x) * side[i]) };
      }
      if (cut.azimuth !== null && cut.azimuth !== undefined) {
        const azimuth = cut.azimuth * Math.PI / 180, out = [Math.cos(azimuth), Math.sin(azimuth), 0];
        return { start: this.grid.plane ? 0 : -Math.PI, stop: Math.PI, about: "elevation",
          direction: (x) => [Math.cos(x) * out[0], Math.cos(x) * out[1], Math.sin(x)] };
      }
      const height = (cut.elevation ?? 0) * Math.PI / 180;
      return { start: 0, stop: TURN, about: "azimuth", direction: (x) => vector(Math.PI / 2 - height, x) };
    }

    // Samples of a cut: angle in degrees, value of a figure; nothing below a plane.
    cut(cut, name, step = 1) {
      const track = this.track(cut), count = Math.round((track.stop - track.start) * 180 / Math.PI / step);
      const angle = [], value = [];
      for (let k = 0; k <= count; k++) {
        const along = track.start + k * (track.stop - track.start) / count, direction = track.direction(along);
        angle.push(along * 180 / Math.PI);
        value.push(this.below(direction) ? null : this.toldAt(name, ...angles(direction)));
      }
      return { angle, value, about: track.about };
    }

    // Full width of the main lobe, degrees, half its power down; null where it never falls so far.
    beamwidth(plane) {
      const track = this.track({ plane }), step = Math.PI / 360;
      const level = (x) => {
        const direction = track.direction(x);
        return this.below(direction) ? NaN : decibels(this.powerAlong(direction) / this.peak.level);
      };
      let wide = 0;
      for (const sense of [1, -1]) {
        let near = 0, far = 0;
        do {
          near = far;
          far += step;
          if (far > Math.PI || Number.isNaN(level(sense * far))) return null;
        } while (level(sense * far) > HALF_POWER);
        for (let turn = 0; turn < 30; turn++) {
          const middle = (near + far) / 2;
          if (level(sense * middle) > HALF_POWER) near = middle; else far = middle;
        }
        wide += near;
      }
      return wide * 180 / Math.PI;
    }

    // Peak over the opposite direction, dB; over a plane, over the direction as high on the other side, if it is low.
    frontToBack() {
      const { theta, phi, level } = this.peak;
      if (this.grid.plane && theta < Math.PI / 4) return null;
      const back = this.power(this.grid.plane ? theta : Math.PI - theta, phi + Math.PI);
      return decibels(level / Math.max(back, 1e-20 * level));
    }

    figures() {
      const { theta, phi, level } = this.peak, e = this.at(theta, phi), lobe = this.sideLobe();
      const [right, left] = circular(e);
      return {
        gain: decibels(4 * Math.PI * level / this.accepted),
        realizedGain: decibels(4 * Math.PI * level / this.incident),
        directivity: decibels(4 * Math.PI * level / this.radiated),
        azimuth: phi * 180 / Math.PI,
        elevation: 90 - theta * 180 / Math.PI,
        widthE: this.beamwidth("E"),
        widthH: this.beamwidth("H"),
        sideLobe: lobe && lobe.level,
        frontToBack: this.frontToBack(),
        axialRatio: axialRatio(e),
        rightHanded: right > left,
        efficiency: this.radiated / this.accepted,
      };
    }
  }

  return { Grid, Field, combined, WAVE_IMPEDANCE };
})();
