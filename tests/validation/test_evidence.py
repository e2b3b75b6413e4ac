"""The ± of evidence against the open references: it holds the true error nearly always, and is not much larger."""

import json
import math
from pathlib import Path

import numpy as np
from models import ONE_METRE, dipole, horizontal, loop, monopole, pair, three_elements
from sheet_models import on_disk, strip, two_disks

import earshot as es

METRES = 299792458.0
HERE = Path(__file__).parent
WIRES, SHEETS = (
    {c["id"]: c for c in json.loads((HERE / f).read_text())["cases"]} for f in ("wire.json", "sheets.json")
)
BEAM, LOOP = (WIRES[name]["geometry"] for name in ("yagi3B", "loop_C0.1_Om12"))
SKIRT = SHEETS["two_disks_wire_kb0.02_a0.01"]["geometry"]["kb"] / (2 * math.pi) * METRES
CASES = {
    "dip_0.5_1e-05": dipole(0.5, 1e-5),
    "dip_0.48_0.001": dipole(0.48, 1e-3),
    "dip_0.1_0.001": dipole(0.1, 1e-3),
    "pair_side0.25": pair(0.48, 1e-3, 6, dx=0.25),
    "pair_collinear_dz0.58": pair(0.48, 1e-3, 6, dz=0.58),
    "gnd_h0.25": horizontal(0.48, 1e-3, 0.25),
    "monopole": monopole(0.235, 1e-3),
    "yagi3B": three_elements(BEAM["lengths_wl"], BEAM["x_wl"], 1e-3, BEAM["driven"]),
    # Of so many corners that what a polygon differs by is less than the mesh.
    "loop_C0.1_Om12": loop(LOOP["circumference_wl"], LOOP["wire_radius_wl"], chords=96),
    "monopole_disk_R0.5": on_disk(0.5),
    "two_disks_wire_kb0.02_a0.01": (two_disks(), SKIRT),
}


def wanted(name):
    """R, X and, where it is given, D in dBi of a reference."""
    case = (WIRES | SHEETS)[name]
    value = case["value"]
    at = next(value[k] for k in ("g=6a", case.get("nominal"), "g6a", "g6b") if k in value)
    if "R" in at:
        z, d = (at["R"], at["X"]), value.get("D", WIRES.get(f"{name}_D", {}).get("value"))
    elif "Z11" in at:
        # Seen with the other end closed by its reference.
        own, other = (complex(*at[k]) for k in ("Z11", "Z12"))
        closed = own - other**2 / (own + 50)
        z, d = (closed.real, closed.imag), None
    else:
        z, d = at["Z"], at["D"]
    return {"R": z[0], "X": z[1]} | ({} if d is None else {"directivity": 10 * math.log10(d)})


def thin():
    """The same half wave of ever thinner wire, and strips of two widths with two gaps."""
    for power, z in WIRES["thin_limit_half_wave"]["value"]["Z_by_minus_log10_a"].items():
        yield f"thin {power}", dipole(0.5, 10.0 ** -int(power)), ONE_METRE, dict(zip("RX", z, strict=True))
    for width in (0.008, 0.02):
        values = SHEETS[f"strip_dipole_w{width:g}"]["value"]["Z_strip"]
        for gap, z in zip((width / 2, 1.5 * width), values, strict=True):
            yield f"strip {width:g}, {gap:g}", strip(width, gap), ONE_METRE, dict(zip("RX", z, strict=True))


def test_the_estimated_error_holds_the_true_one():
    """By a halved mesh, and, for a fraction of that, by pieces twice as large."""
    rows, cheap = [], []
    cases = [(n, *(a if isinstance(a, tuple) else (a, ONE_METRE)), wanted(n)) for n, a in CASES.items()]
    for name, antenna, frequency, want in [*cases, *thin()]:
        answer = es.solve(antenna, frequency)
        sources = {p.name: es.volts(1) for p in antenna.ports[:1]}
        figures = {f.name: f for f in es.evidence(answer, sources).figures}
        errors = es.mesh_errors(answer, sources)["±"]
        for key, value in want.items():
            found = figures[key if key == "directivity" else f"{key} at {antenna.ports[0].name}"]
            # References have six digits.
            rounding = 1.5e-5 if key == "directivity" else 5e-6 * abs(value)
            off = max(abs(found.value - value) - rounding, 0.0)
            rows.append((off / found.error, name, key, found.value, value, found.error))
            cheap.append(off / errors[found.name])
    shares = np.array([row[0] for row in rows])
    for row in sorted(rows, reverse=True):
        print("error over ±: {:.2f}  {} {}: {:.6g} against {:.6g}, ± {:.2g}".format(*row))
    assert len(rows) > 50
    assert np.mean(shares <= 1.0) >= 0.9
    assert np.mean((shares <= 1.0) & (shares >= 0.2)) >= 0.5
    print("by pieces twice as large:", np.round(sorted(cheap), 2))
    assert np.mean(np.array(cheap) <= 1.0) >= 0.9
    assert np.mean((np.array(cheap) <= 1.0) & (np.array(cheap) >= 0.1)) >= 0.5


def test_the_estimated_error_of_printed_metal_holds_what_a_finer_mesh_finds(demo_path):
    antenna = es.read_design(demo_path.with_name("mainland_patch.toml")).design.antenna
    rule = es.MeshRule(sheets_per_wavelength=30, edge=0.03)
    for frequency in ("5.7 GHz", "5.85 GHz"):
        answer = es.solve(antenna, frequency)
        one, two = (s.network.z().values[0, 0, 0] for s in (answer, es.solve(antenna, frequency, rule=rule)))
        for error in ({f.name: f.error for f in es.evidence(answer).figures}, es.mesh_errors(answer)["±"]):
            assert abs(one.real - two.real) < error[f"R at {antenna.ports[0].name}"]
            assert abs(one.imag - two.imag) < error[f"X at {antenna.ports[0].name}"]
