"""What the page works out from a drive is what Earshot does: ports, fields, figures, for any sources and closings."""

import json
import math

import numpy as np
import pytest

import earshot as es
from browser import browser, needs_browser
from earshot import arrays
from earshot.network.sources import Source

NEAR = 1e-3
PARTS = {
    "gain": "gain",
    "gain, theta": "gain_theta",
    "gain, right-hand": "gain_rhcp",
    "gain, co-polar": "gain_co",
    "gain, cross-polar": "gain_cross",
}


def rods(count, spacing, medium=None):
    rod = es.antennas.dipole("868 MHz").antenna
    if medium is not None:
        rod = rod.rotated("90 deg", "y").raised("80 mm").over(medium)
    return es.arrays.repeated(rod, es.arrays.line(count, spacing))


def patch_pair():
    board = es.substrate("1.6 mm", 2.2)
    sheets, wires, ports = [], [], []
    for n, x in enumerate(("-24 mm", "24 mm")):
        centre = float(x.split()[0]) * 1e-3
        sheets.append(es.Sheet(f"patch {n}", es.shapes.plate("28 mm", "34 mm", centre=(centre, 0, "1.6 mm"))))
        wires.append(es.Wire(f"pin {n}", [(centre + 6e-3, 0, 0), (centre + 6e-3, 0, 1.6e-3)], radius="0.5 mm"))
        ports.append(es.Port(f"p{n}", on=f"pin {n}", at=0))
    return es.Antenna("two patches", wires, ports, sheets=sheets, medium=board)


ANTENNAS = {
    "free space": lambda: (rods(4, "0.16 m"), [es.band("840 MHz", "900 MHz", 13), "868 MHz"]),
    "earth": lambda: (rods(3, "0.2 m", es.earth("meadow")), ["868 MHz"]),
    "board": lambda: (patch_pair(), ["3.4 GHz", "3.5 GHz"]),
}


@pytest.fixture(scope="module")
def open_page():
    with browser() as opened:
        yield opened


@pytest.fixture(scope="module", params=ANTENNAS)
def model(request, open_page, tmp_path_factory):
    antenna, frequencies = ANTENNAS[request.param]()
    solution = es.solve(antenna, frequencies)
    path = es.report({request.param: solution}, tmp_path_factory.mktemp("page") / "page.html")
    page = open_page(path)
    page.solution = solution
    return page


def any_drive(solution, chance):
    """Sources and terminations for Earshot, and the same in the page's words."""
    sources, closings, told = {}, {}, []
    for n, port in enumerate(solution.antenna.ports):
        kind = chance.choice(["power", "voltage", "current", "closed"]) if n else "power"
        size, turn = chance.uniform(0.2, 2.0), chance.uniform(-180.0, 180.0)
        if kind == "closed":
            ohms = complex(chance.uniform(1, 200), chance.uniform(-150, 150))
            closing = chance.choice(["reference", "open", "short", "own"])
            made = {"open": es.circuits.open_circuit(), "short": es.circuits.short_circuit(), "own": ohms}
            if closing in made:
                closings[port.name] = made[closing]
            told.append({"kind": "closed", "size": 0, "turn": 0,
                         "closing": [ohms.real, ohms.imag] if closing == "own" else str(closing)})  # fmt: skip
            continue
        size = size / 50 if kind == "current" else size
        make = {"power": lambda s, t: es.watts(s * s, t), "voltage": es.volts, "current": es.amperes}[kind]
        sources[port.name] = make(size, turn)
        told.append({"kind": str(kind), "size": size, "turn": turn, "closing": "reference"})
    return sources, closings, told


def put(page, told, hertz):
    page(f"earshot.set(s => {{ s.drives[0] = {json.dumps(told)}; s.hertz = {hertz!r}; }})")
    return page("earshot.now()")


@needs_browser
@pytest.mark.parametrize("seed", range(5))
def test_any_drive_gives_what_earshot_gives(model, seed):
    chance = np.random.default_rng(seed)
    solution = model.solution
    hertz = float(chance.choice(model("earshot.models[0].stops")))
    sources, closings, told = any_drive(solution, chance)
    driven = solution.drive(sources, hertz, terminations=closings)
    if driven.accepted <= 0.0:
        pytest.skip("nothing goes in")
    found = put(model, told, hertz)
    assert found["hertz"] == pytest.approx(hertz)
    field = driven.far_field()
    for name, whole in (("accepted", driven.accepted), ("incident", driven.incident), ("radiated", field.radiated)):
        assert found[name] == pytest.approx(whole, rel=NEAR)
    for row, (_, own) in zip(found["ports"], driven.ports_table().iterrows(), strict=True):
        assert complex(*row["v"]) == pytest.approx(complex(own["voltage_V"]), rel=NEAR, abs=1e-9)
        assert complex(*row["i"]) == pytest.approx(complex(own["current_A"]), rel=NEAR, abs=1e-9)
        if row["vswr"] is not None and math.isfinite(own["active_vswr"].real):
            assert row["vswr"] == pytest.approx(own["active_vswr"].real, rel=NEAR)
    figures = field.summary()["value"].astype(float)
    pairs = {"gain": "gain", "realizedGain": "realized gain", "directivity": "directivity"}
    for name, figure in pairs.items():
        assert found["figures"][name] == pytest.approx(figures[figure], abs=0.004)
    for name, figure in {"widthE": "half-power beamwidth, E-plane", "widthH": "half-power beamwidth, H-plane"}.items():
        if np.isfinite(figures.get(figure, math.nan)) and field.equal_beams == 0:
            assert found["figures"][name] == pytest.approx(figures[figure], rel=3e-3)
    # Anywhere, to a thousandth of the greatest field; by polarisation, too.
    top = 10.0 ** (figures["gain"] / 20.0)
    for _ in range(12):
        theta = math.acos(chance.uniform(0.0 if field.half_space else -1.0, 1.0))
        phi = chance.uniform(0.0, 2.0 * math.pi)
        exact = field.towards(
            np.array([math.sin(theta) * math.cos(phi), math.sin(theta) * math.sin(phi), math.cos(theta)])
        )
        for name, own in PARTS.items():
            level = model(f"earshot.gain({theta}, {phi}, {name!r})")
            assert 10.0 ** (level / 20.0) == pytest.approx(10.0 ** (exact[own] / 20.0), abs=NEAR * top)


def any_row(chance):
    """Rods in a row, standing on one another (their lobes are rings), side by side, or lying over a plane."""
    rod = es.antennas.dipole("868 MHz").antenna
    count, spacing = int(chance.integers(2, 6)), float(chance.uniform(0.5, 1.3)) * 0.345
    kind = chance.choice(["rings", "broadside", "over a plane"])
    if kind == "over a plane":
        rod = rod.rotated("90 deg", "y").raised(float(chance.uniform(0.06, 0.4))).over(es.perfect_plane())
    line = es.arrays.line(count, spacing, axis="z" if kind == "rings" else "x")
    return es.arrays.repeated(rod, line)


@needs_browser
@pytest.mark.parametrize("seed", range(8))
def test_side_lobes_of_any_row(open_page, tmp_path, seed):
    """Behind beams that are rings, and at the zenith, as elsewhere."""
    chance = np.random.default_rng(100 + seed)
    solution = es.solve(any_row(chance), "868 MHz")
    page = open_page(es.report(solution, tmp_path / "page.html"))
    names = [port.name for port in solution.antenna.ports]
    for step in (0.0, *chance.uniform(-180.0, 180.0, 3)):
        driven = solution.drive({name: es.volts(1.0, n * step) for n, name in enumerate(names)})
        told = [{"kind": "voltage", "size": 1, "turn": n * step, "closing": "reference"} for n in range(len(names))]
        found, own = put(page, told, 868e6)["figures"]["sideLobe"], driven.far_field().side_lobe
        if own is None or own[0] < -35.0:
            assert found is None or found < -34.0
        else:
            assert found == pytest.approx(own[0], abs=0.02)


@needs_browser
@pytest.mark.parametrize("kind", ["board_dipole", "stripline_slot"])
def test_fields_that_are_steep_or_torn_at_the_horizon(open_page, tmp_path, kind):
    """Open boards, and slots with nothing below: to a thousandth of the greatest within half a degree of it, too."""
    solution = es.solve(getattr(es.antennas, kind)("5.8 GHz"), "5.8 GHz")
    page = open_page(es.report(solution, tmp_path / "page.html"))
    assert not page("earshot.models[0].notes")
    driven = solution.drive(es.watts(1))
    flows = page(
        "(() => { const m = earshot.models[0]; return Array.from(m.flowOf(m.driven(m.driveOf(0), 0)).density); })()"
    )
    whole = np.linalg.norm(np.array(flows).reshape(-1, 3, 2) @ [1.0, 1j], axis=1)
    # What flows in openings is no current.
    assert whole.max() == pytest.approx(np.linalg.norm(driven.flow.on_metal.density, axis=1).max(), rel=NEAR)
    field = driven.far_field()
    top = math.sqrt(float(field.gain(*field.peak)))
    chance = np.random.default_rng(3)
    for theta in np.radians(90.0 + np.array([-20, -3, -0.5, -0.1, 0.1, 0.5, 3, 20, 60, 89.9])):
        phi = chance.uniform(0.0, 2.0 * math.pi)
        level = page(f"earshot.gain({theta}, {phi})")
        assert 10.0 ** (level / 20.0) == pytest.approx(math.sqrt(float(field.gain(theta, phi))), abs=NEAR * top)


@needs_browser
def test_what_is_late_turns_with_the_frequency(model):
    solution = model.solution
    names = [port.name for port in solution.antenna.ports][:2]
    late = {names[0]: 0.0, names[1]: 3.7e-10}
    told = [{"kind": "power", "size": 1, "turn": 0, "delay": late[n], "from": 0, "closing": "reference"} for n in names]
    told += [{"kind": "closed", "closing": "reference", "size": 0, "turn": 0}] * (len(solution.antenna.ports) - 2)
    for hertz in solution.solved[[0, -1]].tolist():
        found = put(model, told, hertz)
        driven = solution.drive({n: Source("power", 1.0, late[n]) for n in names}, hertz)
        for row, volt in zip(found["ports"], driven.voltages, strict=True):
            assert complex(*row["v"]) == pytest.approx(complex(volt), rel=NEAR)


@needs_browser
def test_currents_follow_the_drive(model):
    solution = model.solution
    hertz = float(solution.solved[-1])
    names = [port.name for port in solution.antenna.ports]
    driven = solution.drive({names[0]: es.volts(1.5, 40), names[1]: es.watts(2, -70)}, hertz)
    told = [{"kind": "voltage", "size": 1.5, "turn": 40}, {"kind": "power", "size": math.sqrt(2), "turn": -70}]
    told += [{"kind": "closed", "closing": "reference", "size": 0, "turn": 0}] * (len(names) - 2)
    put(model, told, hertz)
    script = """(() => {
      const m = earshot.models[0], s = earshot.state;
      const flow = m.flowOf(m.driven(s.drives[0], m.stops.indexOf(s.hertz)));
      return [Array.from(flow.ends), Array.from(flow.density || [])];
    })()"""
    ends, density = (np.array(x).reshape(-1, 2) @ [1.0, 1j] for x in model(script))
    assert np.abs(ends - driven.flow.ends.ravel()).max() <= NEAR * np.abs(driven.flow.ends).max()
    if solution.antenna.sheets:
        exact = driven.flow.sheets.density.ravel()
        assert np.abs(density - exact).max() <= NEAR * np.abs(exact).max()


@needs_browser
@pytest.mark.parametrize("size", [(1280, 800), (390, 844)])
def test_a_beam_is_steered_as_an_array_is(open_page, tmp_path, size):
    layout = es.arrays.grid(3, 2, "0.18 m")
    rod = es.antennas.dipole("868 MHz").antenna.rotated("90 deg", "y").raised("85 mm").over(es.perfect_plane())
    solution = es.solve(es.arrays.repeated(rod, layout), "868 MHz")
    array = arrays.SolvedArray(solution, layout, 868e6)
    page = open_page(es.report(array, tmp_path / "array.html"), size)
    drive = [{"kind": "power", "size": 1.0, "turn": 0.0, "closing": "reference"}] * 6
    put(page, drive, 868e6)
    page.page.locator("#steer-theta").fill("25")
    page.page.locator("#steer-phi").fill("-40")
    page.page.locator("#steer").click()
    weights = array.steered(theta="25 deg", phi="-40 deg")
    beam, seen, found = array.beam(weights), array.active(weights), page("earshot.now()")
    assert found["figures"]["gain"] == pytest.approx(float(beam.summary()["value"]["gain"]), abs=0.004)
    for row, vswr in zip(found["ports"], seen["vswr"], strict=True):
        assert row["vswr"] == pytest.approx(vswr, rel=NEAR)
    # A taper keeps what is sent, and its amplitudes are the array's own.
    page.page.locator("#taper").select_option("Taylor, -25 dB")
    sizes = [port["size"] for port in page("earshot.state")["drives"][0]]
    own = np.outer(arrays.line_taper("taylor", 3, side_lobe=25), arrays.line_taper("taylor", 2, side_lobe=25))
    assert sum(s * s for s in sizes) == pytest.approx(6.0)
    assert sorted(sizes) == pytest.approx(sorted((own.ravel() * math.sqrt(6.0) / np.linalg.norm(own)).tolist()))
    # Dragged in 3-D: where the pointer goes, the beam goes.
    page.page.locator("#drag").check()
    page.page.locator("#canvas").scroll_into_view_if_needed()
    box = page.page.locator("#canvas").bounding_box()
    x, y = box["x"] + 0.5 * box["width"], box["y"] + 0.42 * box["height"]
    page.page.mouse.move(x, y)
    page.page.mouse.down()
    page.page.mouse.move(x + 30, y - 20, steps=3)
    page.page.mouse.up()
    theta, phi = page(f"earshot.space.towards({x + 30}, {y - 20})")
    weights = array.steered(theta=math.degrees(theta), phi=math.degrees(phi))
    assert page("earshot.now()")["figures"]["realizedGain"] != pytest.approx(found["figures"]["realizedGain"], abs=0.01)
    turns = np.exp(1j * np.radians([port["turn"] for port in page("earshot.state")["drives"][0]]))
    assert turns / turns[0] == pytest.approx(weights.values / weights.values[0], abs=1e-6)
