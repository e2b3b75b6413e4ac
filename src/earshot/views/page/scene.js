// The antenna in space: metal with its mesh and currents, the pattern, near-field maps; turned, cut and steered.
const Space = (() => {
  "use strict";
  const T = library.three;
  const SHORE = PAGE.colours.map((hex) => [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16) / 255));
  const SIDES = 6, PHASES = 24, CORNER = 96, ASLANT = [3.1, -3.6, 2.2], HOLE = [0.9, 0.9, 0.87];

  function shore(share) {
    const at = Math.min(Math.max(share, 0), 1) * (SHORE.length - 1), k = Math.min(Math.floor(at), SHORE.length - 2);
    return SHORE[k].map((v, i) => v + (at - k) * (SHORE[k + 1][i] - v));
  }
  const STEPS = 512, TABLE = new Float32Array(3 * (STEPS + 1));
  for (let k = 0; k <= STEPS; k++) TABLE.set(shore(k / STEPS), 3 * k);
  function paintShore(colours, at, share) {
    const k = 3 * Math.round(Math.min(Math.max(share, 0), 1) * STEPS);
    colours[at] = TABLE[k];
    colours[at + 1] = TABLE[k + 1];
    colours[at + 2] = TABLE[k + 2];
  }
  // Round the colours once in a turn, each with its own lightness.
  const wheel = (turn) => [0, 1, 2].map((k) => 0.5 + 0.38 * Math.cos(turn - k * 2 * Math.PI / 3));
  // From one sign to the other by way of grey.
  const signed = (value) => (value < 0 ? [0.04, 0.42, 0.46] : [0.82, 0.42, 0.04]).map((c) => 0.78 + (c - 0.78) * Math.min(Math.abs(value), 1));

  class View {
    constructor(canvas, labels) {
      this.canvas = canvas;
      this.labels = labels;
      this.renderer = new T.WebGLRenderer({ canvas, antialias: true, alpha: true, preserveDrawingBuffer: true });
      this.renderer.localClippingEnabled = true;
      this.scene = new T.Scene();
      this.camera = new T.PerspectiveCamera(30, 1, 0.05, 100);
      this.camera.up.set(0, 0, 1);
      this.camera.position.set(...ASLANT);
      this.controls = new T.OrbitControls(this.camera, canvas);
      this.controls.enableDamping = false;
      this.controls.addEventListener("change", () => this.draw());
      this.scene.add(new T.AmbientLight(0xffffff, 1.9));
      const sun = new T.DirectionalLight(0xffffff, 1.5);
      sun.position.set(2, -3, 5);
      this.scene.add(sun);
      this.root = new T.Group();
      this.scene.add(this.root);
      this.cutting = new T.Plane(new T.Vector3(-1, 0, 0), 10);
      this.words = [];
      canvas.addEventListener("keydown", (event) => this.key(event));
      for (const kind of ["pointerdown", "pointermove", "pointerup", "pointercancel"]) {
        canvas.addEventListener(kind, (event) => this.drag(event), { capture: true });
      }
      this.steer = null;
      this.phase = 0;
      this.resized = true;
      this.apart = false;
      this.aside = new T.Vector3();
      new ResizeObserver(() => { this.resized = true; this.later(); }).observe(canvas.parentElement);
    }

    material(kind, more = {}) {
      return new T[kind]({ vertexColors: true, side: T.DoubleSide, clippingPlanes: this.clipping ? [this.cutting] : [], ...more });
    }

    clear() {
      for (const child of [...this.root.children]) {
        this.root.remove(child);
        if (child.geometry) child.geometry.dispose();
        if (child.material) child.material.dispose();
      }
      this.words = [];
    }

    // A model's metal: rebuilt when another one is looked at.
    show(model) {
      this.clear();
      this.model = model;
      const { low, high } = model.shape;
      this.middle = low.map((v, i) => (v + high[i]) / 2);
      if (model.shape.plane) this.middle[2] = 0;
      this.size = Math.max(...high.map((v, i) => v - low[i]), model.shape.plane ? high[2] : 0) || 1;
      this.unit = 1.25 / this.size;
      // What stands high is looked at half-way up.
      this.root.position.z = model.shape.plane ? -0.5 * Math.min(high[2] * this.unit, 1.25) : 0;
      this.wires();
      this.sheets();
      this.ports();
      this.ground();
      this.axes();
      this.pattern = this.maps = null;
    }

    place(x, y, z) { return [(x - this.middle[0]) * this.unit, (y - this.middle[1]) * this.unit, (z - this.middle[2]) * this.unit]; }

    wires() {
      const { nodes, ends, radii } = this.model.shape, count = ends.length / 2;
      this.wire = null;
      if (!count) return;
      const points = new Float32Array(count * 2 * SIDES * 3), faces = [];
      for (let s = 0; s < count; s++) {
        const a = this.place(...nodes.subarray(3 * ends[2 * s], 3 * ends[2 * s] + 3));
        const b = this.place(...nodes.subarray(3 * ends[2 * s + 1], 3 * ends[2 * s + 1] + 3));
        const along = new T.Vector3(b[0] - a[0], b[1] - a[1], b[2] - a[2]).normalize();
        const aside = new T.Vector3(...(Math.abs(along.z) < 0.9 ? [0, 0, 1] : [1, 0, 0])).cross(along).normalize();
        const across = along.clone().cross(aside), thick = Math.max(radii[s] * this.unit, 0.012);
        for (let k = 0; k < SIDES; k++) {
          const turn = 2 * Math.PI * k / SIDES, c = Math.cos(turn) * thick, d = Math.sin(turn) * thick;
          [a, b].forEach((end, e) => {
            const at = ((s * 2 + e) * SIDES + k) * 3;
            points[at] = end[0] + c * aside.x + d * across.x;
            points[at + 1] = end[1] + c * aside.y + d * across.y;
            points[at + 2] = end[2] + c * aside.z + d * across.z;
          });
          const one = s * 2 * SIDES + k, two = s * 2 * SIDES + (k + 1) % SIDES;
          faces.push(one, two, one + SIDES, two, two + SIDES, one + SIDES);
        }
      }
      this.wire = this.mesh(points, faces, "MeshLambertMaterial");
    }

    mesh(points, faces, kind, more) {
      const geometry = new T.BufferGeometry();
      geometry.setAttribute("position", new T.BufferAttribute(points, 3));
      geometry.setAttribute("color", new T.BufferAttribute(new Float32Array(points.length).fill(0.5), 3));
      if (faces) geometry.setIndex(faces);
      geometry.computeVertexNormals();
      const mesh = new T.Mesh(geometry, this.material(kind, more));
      this.root.add(mesh);
      return mesh;
    }

    sheets() {
      const { vertices, triangles } = this.model.shape;
      this.sheet = this.edges = null;
      if (!triangles) return;
      const points = new Float32Array(triangles.length * 3), edges = new Float32Array(triangles.length * 6);
      for (let k = 0; k < triangles.length; k++) points.set(this.place(...vertices.subarray(3 * triangles[k], 3 * triangles[k] + 3)), 3 * k);
      for (let t = 0; t < triangles.length / 3; t++) {
        for (let k = 0; k < 3; k++) {
          const a = 9 * t + 3 * k, b = 9 * t + 3 * ((k + 1) % 3);
          edges.set(points.subarray(a, a + 3), 18 * t + 6 * k);
          edges.set(points.subarray(b, b + 3), 18 * t + 6 * k + 3);
        }
      }
      this.sheet = this.mesh(points, null, "MeshBasicMaterial", { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 });
      const geometry = new T.BufferGeometry();
      geometry.setAttribute("position", new T.BufferAttribute(edges, 3));
      this.edges = new T.LineSegments(geometry, new T.LineBasicMaterial({ color: 0x22303c, transparent: true, opacity: 0.35 }));
      this.root.add(this.edges);
    }

    ports() {
      const many = this.model.shape.ports.length;
      this.model.shape.ports.forEach((port, n) => {
        const place = this.place(...port.place), size = many > 8 ? 0.022 : 0.034;
        const points = [[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1.5], [0, 0, -1.5]].flatMap((v) => v.map((x, i) => x * size + place[i]));
        const faces = [0, 2, 4, 2, 1, 4, 1, 3, 4, 3, 0, 4, 2, 0, 5, 1, 2, 5, 3, 1, 5, 0, 3, 5];
        const mesh = this.mesh(new Float32Array(points), faces, "MeshBasicMaterial");
        mesh.geometry.attributes.color.array.set(points.map((_, i) => [0.82, 0.45, 0.04][i % 3]));
        if (many <= 8) this.words.push({ text: this.model.ports[n].name, at: place, kind: "port" });
      });
    }

    ground() {
      if (!this.model.shape.plane) return;
      const around = 48, points = [0, 0, -0.004], faces = [];
      for (let k = 0; k < around; k++) points.push(1.05 * Math.cos(2 * Math.PI * k / around), 1.05 * Math.sin(2 * Math.PI * k / around), -0.004);
      for (let k = 0; k < around; k++) faces.push(0, 1 + k, 1 + (k + 1) % around);
      const mesh = this.mesh(new Float32Array(points), faces, "MeshBasicMaterial", { transparent: true, opacity: 0.35, depthWrite: false });
      mesh.geometry.attributes.color.array.fill(0.66);
      mesh.renderOrder = -1;
    }

    // Which way the axes go, in a corner of its own.
    axes() {
      this.corner = new T.Scene();
      this.cornerCamera = new T.PerspectiveCamera(30, 1, 0.1, 20);
      this.cornerCamera.up.set(0, 0, 1);
      const geometry = new T.BufferGeometry();
      geometry.setAttribute("position", new T.BufferAttribute(new Float32Array([0, 1, 2].flatMap((axis) => [0, 0, 0, ...[0, 1, 2].map((i) => (i === axis ? 1 : 0))])), 3));
      this.corner.add(new T.LineSegments(geometry, new T.LineBasicMaterial({ color: 0x6f7d88 })));
      ["x", "y", "z"].forEach((text, axis) => this.words.push({ text, at: [0, 1, 2].map((i) => (i === axis ? 1.25 : 0)), kind: "axis" }));
    }

    // Colours of wires and sheets for currents: by size, phase, or at a moment. Returns what the scale says.
    currents(flow, how) {
      this.flow = flow;
      this.how = how;
      const grey = [0.42, 0.47, 0.52];
      let most = 0, mostOnSheets = 0;
      if (this.wire) {
        const { ends } = flow, colours = this.wire.geometry.attributes.color;
        for (let k = 0; k < ends.length; k += 2) most = Math.max(most, Math.hypot(ends[k], ends[k + 1]));
        const c = Math.cos(this.phase), s = Math.sin(this.phase);
        for (let k = 0; k < ends.length / 2; k++) {
          const a = ends[2 * k], b = ends[2 * k + 1];
          const colour = how === "none" || !most ? grey : how === "phase" ? wheel(Math.atan2(b, a))
            : how === "moving" ? signed((a * c - b * s) / most) : shore(Math.hypot(a, b) / most);
          for (let side = 0; side < SIDES; side++) colours.array.set(colour, (k * SIDES + side) * 3);
        }
        colours.needsUpdate = true;
      }
      if (this.sheet && flow.density) {
        const { density } = flow, colours = this.sheet.geometry.attributes.color, count = density.length / 6;
        const c = Math.cos(this.phase), s = Math.sin(this.phase), sizes = new Float32Array(count);
        for (let t = 0; t < count; t++) {
          let whole = 0, re = 0, im = 0;
          for (let k = 0; k < 3; k++) {
            const a = density[6 * t + 2 * k], b = density[6 * t + 2 * k + 1];
            whole += a * a + b * b; re += a * a - b * b; im += 2 * a * b;
          }
          sizes[t] = Math.sqrt(0.5 * (whole + Math.hypot(re, im)));
        }
        // A few triangles at feet outshine all others.
        mostOnSheets = sizes.slice().sort()[Math.floor(0.995 * (count - 1))] || 1;
        for (let t = 0; t < count; t++) {
          const d = density.subarray(6 * t, 6 * t + 6);
          if (this.model.shape.opening[t]) {
            for (let corner = 0; corner < 3; corner++) colours.array.set(HOLE, (3 * t + corner) * 3);
            continue;
          }
          if (how === "size") {
            for (let corner = 0; corner < 3; corner++) paintShore(colours.array, (3 * t + corner) * 3, sizes[t] / mostOnSheets);
            continue;
          }
          let colour;
          if (how === "none") colour = [0.72, 0.74, 0.74];
          if (how === "moving") {
            colour = shore(Math.hypot(...[0, 2, 4].map((k) => d[k] * c - d[k + 1] * s)) / mostOnSheets);
          }
          if (how === "phase") {
            const k = [0, 2, 4].reduce((best, j) => (Math.hypot(d[j], d[j + 1]) > Math.hypot(d[best], d[best + 1]) ? j : best), 0);
            colour = wheel(Math.atan2(d[k + 1], d[k]));
          }
          for (let corner = 0; corner < 3; corner++) colours.array.set(colour, (3 * t + corner) * 3);
        }
        colours.needsUpdate = true;
      }
      return { most, mostOnSheets };
    }

    // The pattern of a field: radius by its gain, colour by the figure chosen. Returns what the scale says.
    patterned(field, { figure, scale, opacity, apart, shown }) {
      if (!field || !shown) {
        if (this.pattern) this.pattern.visible = false;
        return null;
      }
      const grid = field.fineGrid, { rows, columns } = grid;
      if (!this.pattern || this.pattern.rows !== rows || this.pattern.columns !== columns) {
        if (this.pattern) { this.root.remove(this.pattern); this.pattern.geometry.dispose(); this.pattern.material.dispose(); }
        const faces = [];
        for (let r = 0; r + 1 < rows; r++) for (let c = 0; c < columns; c++) {
          const a = r * columns + c, b = r * columns + (c + 1) % columns;
          faces.push(a, a + columns, b, b, a + columns, b + columns);
        }
        this.pattern = this.mesh(new Float32Array(rows * columns * 3), faces, "MeshLambertMaterial", { transparent: true, flatShading: true });
        Object.assign(this.pattern, { rows, columns, renderOrder: 2 });
        this.pattern.frustumCulled = false;
        const step = grid.step * Math.PI / 180;
        this.unitDirections = new Float32Array(rows * columns * 3);
        for (let r = 0; r < rows; r++) for (let c = 0; c < columns; c++) this.unitDirections.set(Sums.vector(grid.theta(r) * Math.PI / 180, c * step), 3 * (r * columns + c));
      }
      const mesh = this.pattern, points = mesh.geometry.attributes.position, colours = mesh.geometry.attributes.color;
      mesh.visible = true;
      mesh.material.opacity = opacity;
      mesh.material.depthWrite = opacity > 0.95;
      this.setApart(apart);
      const levels = field.fineLevels, top = field.peak.level, rim = 1.0;
      const polarised = figure.startsWith("gain, "), ratio = figure === "axial ratio";
      const value = new Float64Array(rows * columns);
      let most = -Infinity;
      for (let k = 0; k < value.length; k++) {
        value[k] = polarised || ratio ? field.fineFigure(figure, k) : Sums.decibels(levels[k] / top);
        if (value[k] > most) most = value[k];
      }
      const peakValue = field.toldAt(figure, field.peak.theta, field.peak.phi);
      const base = polarised || ratio ? most : 0;
      for (let k = 0; k < value.length; k++) {
        const down = ratio ? -Sums.decibels(levels[k] / top) : base - value[k];
        const radius = rim * (scale === "linear" ? 10 ** (-down / 20) : scale === "dB" ? Math.max(1 - down / 40, 0) : 1 / (1 + down / 12));
        for (let i = 0; i < 3; i++) points.array[3 * k + i] = radius * this.unitDirections[3 * k + i];
        paintShore(colours.array, 3 * k, ratio ? 1 - value[k] / 20 : 1 - down / 30);
      }
      points.needsUpdate = colours.needsUpdate = true;
      return ratio ? { low: "20 dB", high: "0 dB: circular" } : { low: -30, high: polarised ? most : peakValue };
    }

    // Pattern and metal side by side, as one looks at them now.
    setApart(apart) {
      if (apart !== this.apart) {
        const right = new T.Vector3(1, 0, 0).applyQuaternion(this.camera.quaternion).setZ(0).normalize();
        this.aside = apart ? right.clone().multiplyScalar(1.75) : new T.Vector3();
        this.controls.target.copy(this.aside).multiplyScalar(0.5);
        this.camera.position.add(this.controls.target).sub(this.wasTarget || new T.Vector3());
        this.wasTarget = this.controls.target.clone();
        this.apart = apart;
        this.controls.update();
        this.zoom(apart ? 1.3 : 1 / 1.3);
      }
      this.pattern.position.copy(this.aside);
    }

    nearMaps(maps, shown, which) {
      if (this.maps) { for (const mesh of this.maps) { this.root.remove(mesh); mesh.geometry.dispose(); mesh.material.dispose(); } }
      this.maps = null;
      if (!shown || !maps.length) return null;
      let top = -Infinity;
      const levels = maps.map((map) => Float64Array.from(map[which], (v) => (v > 0 ? 20 * Math.log10(v) : NaN)));
      levels.forEach((own) => {
        const sorted = own.filter((v) => !Number.isNaN(v)).sort();
        top = Math.max(top, sorted[Math.floor(0.995 * (sorted.length - 1))]);
      });
      this.maps = maps.map((map, m) => {
        const [rows, columns] = map.shape, points = new Float32Array(rows * columns * 3), faces = [];
        for (let k = 0; k < rows * columns; k++) points.set(this.place(...map.points.subarray(3 * k, 3 * k + 3)), 3 * k);
        for (let r = 0; r + 1 < rows; r++) for (let c = 0; c + 1 < columns; c++) {
          const a = r * columns + c;
          faces.push(a, a + 1, a + columns, a + 1, a + columns + 1, a + columns);
        }
        const mesh = this.mesh(points, faces, "MeshBasicMaterial", { transparent: true, opacity: 0.85 });
        levels[m].forEach((v, k) => mesh.geometry.attributes.color.array.set(Number.isNaN(v) ? [0.3, 0.3, 0.3] : shore(1 + (v - top) / 50), 3 * k));
        mesh.renderOrder = 1;
        return mesh;
      });
      return { low: top - 50, high: top };
    }

    // Cut open along an axis at a share of the way; 1 leaves all.
    cut(axis, share) {
      const normal = new T.Vector3(axis === "x" ? -1 : 0, axis === "y" ? -1 : 0, axis === "z" ? -1 : 0);
      this.cutting.set(normal, -1.2 + 2.4 * share);
      const on = share < 0.999;
      if (on !== this.clipping) {
        this.clipping = on;
        for (const child of this.root.children) {
          if (child.material) { child.material.clippingPlanes = on ? [this.cutting] : []; child.material.needsUpdate = true; }
        }
      }
    }

    mesh_shown(shown) { if (this.edges) this.edges.visible = shown; }

    resize() {
      if (!this.resized) return;
      this.resized = false;
      const box = this.canvas.parentElement.getBoundingClientRect();
      const width = Math.max(Math.round(box.width), 1), height = Math.max(Math.round(box.height), 1);
      if (this.width === width && this.height === height) return;
      this.width = width;
      this.height = height;
      this.renderer.setPixelRatio(Math.min(window.devicePixelRatio || 1, 2));
      this.renderer.setSize(width, height, false);
      this.camera.aspect = width / height;
      // All of it fits into what is narrow, too.
      this.camera.fov = width < height ? 2 * Math.atan(Math.tan(12.5 * Math.PI / 180) * height / width) * 180 / Math.PI : 25;
      this.camera.updateProjectionMatrix();
    }

    // Draws before the next frame, once, however often it is asked.
    later() {
      if (this.waiting) return;
      this.waiting = requestAnimationFrame(() => this.draw());
    }

    draw() {
      cancelAnimationFrame(this.waiting);
      this.waiting = 0;
      if (!this.model) return;
      this.resize();
      const { renderer, camera } = this;
      renderer.setScissorTest(false);
      renderer.setViewport(0, 0, this.width, this.height);
      renderer.render(this.scene, camera);
      this.cornerCamera.position.copy(camera.position).sub(this.controls.target).setLength(6.4);
      this.cornerCamera.lookAt(0, 0, 0);
      renderer.autoClear = false;
      renderer.clearDepth();
      renderer.setViewport(0, 0, CORNER, CORNER);
      renderer.render(this.corner, this.cornerCamera);
      renderer.autoClear = true;
      while (this.labels.children.length > this.words.length) this.labels.lastChild.remove();
      this.words.forEach((word, k) => {
        let label = this.labels.children[k];
        if (!label) { label = document.createElement("bdi"); this.labels.append(label); }
        if (label.textContent !== word.text) label.textContent = word.text;
        label.className = word.kind;
        const aside = word.kind === "axis", spot = aside ? new T.Vector3(...word.at).project(this.cornerCamera) : new T.Vector3(...word.at).add(this.root.position).project(camera);
        const [x, y] = [(spot.x + 1) / 2, (1 - spot.y) / 2];
        const [left, top] = aside ? [x * CORNER - 7, this.height - CORNER + y * CORNER - 9] : [x * this.width + 6, y * this.height + 6];
        label.style.transform = `translate(${left.toFixed(1)}px, ${top.toFixed(1)}px)`;
      });
    }

    turn(across, up) {
      const off = this.camera.position.clone().sub(this.controls.target), long = off.length();
      let [theta, phi] = Sums.angles([off.x / long, off.y / long, off.z / long]);
      theta = Math.min(Math.max(theta - up, 0.02), Math.PI - 0.02);
      phi += across;
      const [x, y, z] = Sums.vector(theta, phi);
      this.camera.position.set(x * long, y * long, z * long).add(this.controls.target);
      this.controls.update();
      this.draw();
    }

    zoom(factor) {
      this.camera.position.sub(this.controls.target).multiplyScalar(factor).add(this.controls.target);
      this.controls.update();
      this.draw();
    }

    look(from) {
      const spots = { "x": [5.6, 0, 0], "y": [0, 5.6, 0], "z": [0.01, -0.01, 5.6], "aslant": ASLANT };
      this.camera.position.set(...spots[from]).add(this.controls.target);
      this.controls.update();
      this.draw();
    }

    key(event) {
      const turn = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, 0.1], ArrowDown: [0, -0.1] }[event.key];
      if (turn) this.turn(...turn);
      else if (event.key === "+" || event.key === "=") this.zoom(1 / 1.15);
      else if (event.key === "-") this.zoom(1.15);
      else if (event.key === "0") this.look("aslant");
      else return;
      event.preventDefault();
    }

    // While a beam is dragged the view stands still.
    drag(event) {
      if (!this.steer) return;
      event.stopImmediatePropagation();
      event.preventDefault();
      if (event.type === "pointerdown") { this.dragging = true; this.canvas.setPointerCapture(event.pointerId); }
      if (this.dragging && event.type !== "pointerup" && event.type !== "pointercancel") {
        const direction = this.towards(event.clientX, event.clientY);
        if (direction) this.steer(direction);
      }
      if (event.type === "pointerup" || event.type === "pointercancel") this.dragging = false;
    }

    // The direction from the middle to where a place on the screen lies on the sphere round it.
    towards(x, y) {
      const box = this.canvas.getBoundingClientRect(), ray = new T.Raycaster();
      ray.setFromCamera(new T.Vector2(2 * (x - box.left) / box.width - 1, 1 - 2 * (y - box.top) / box.height), this.camera);
      const middle = this.root.position.clone().add(this.aside);
      const hit = ray.ray.intersectSphere(new T.Sphere(middle, 1.05), new T.Vector3());
      const spot = (hit || ray.ray.closestPointToPoint(middle, new T.Vector3())).sub(middle);
      const long = spot.length();
      if (!(long > 0)) return null;
      const z = this.model.shape.plane ? Math.max(spot.z, 0.02) : spot.z;
      const size = Math.hypot(spot.x, spot.y, z);
      return Sums.angles([spot.x / size, spot.y / size, z / size]);
    }

    move(playing) {
      this.playing = playing;
      const step = () => {
        if (!this.playing) return;
        this.phase = (this.phase + 2 * Math.PI / PHASES / 2.5) % (2 * Math.PI);
        this.currents(this.flow, this.how);
        this.draw();
        requestAnimationFrame(step);
      };
      if (playing) requestAnimationFrame(step);
    }
  }

  const bar = () => `linear-gradient(90deg, ${PAGE.colours.join(", ")})`;
  const wheelBar = () => `linear-gradient(90deg, ${Array.from({ length: 13 }, (_, k) => `rgb(${wheel(-Math.PI + k * Math.PI / 6).map((c) => Math.round(255 * c)).join(" ")})`).join(", ")})`;
  const signedBar = () => `linear-gradient(90deg, ${[-1, -0.5, 0, 0.5, 1].map((v) => `rgb(${signed(v).map((c) => Math.round(255 * c)).join(" ")})`).join(", ")})`;
  return { View, bar, wheelBar, signedBar };
})();
