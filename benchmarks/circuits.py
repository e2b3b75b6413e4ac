"""What circuits and estimated errors cost, as ratios within one run: python benchmarks/circuits.py.

A corporate feed of 64 outputs at 201 frequencies against one inversion of as large a matrix at each; what tells a
mesh's errors against the solve it goes with.
"""

import time
from pathlib import Path

import numpy as np

import earshot as es
from earshot.circuits import Circuit, Placed, line, quarter_wave_divider, solve_circuit


def seconds(work) -> float:
    """The least of three."""
    times = []
    for _ in range(3):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def feed(levels: int) -> Circuit:
    """Dividers behind dividers, a line between."""
    parts, outputs = {}, ["in"]
    for level in range(levels):
        inputs, outputs = outputs, []
        for n, place in enumerate(inputs):
            ends = [f"{level} {n} {side}" for side in "ab"]
            parts[f"divider {level} {n}"] = Placed(quarter_wave_divider("5.8 GHz"), [place, *ends])
            for end in ends:
                outputs.append(f"{end} out")
                parts[f"line {end}"] = Placed(line(50.0, "13 mm"), [end, outputs[-1]])
    return Circuit(parts, ["in", *outputs])


def errors_over_solve(stem: str) -> tuple[int, float]:
    """Unknowns, and what the errors take over the rest of the solve."""
    folder = Path(es.__file__).parent / "demo"
    file = es.read_design(folder / f"{stem}.toml")
    es.solve(file.design, file.cases[0].frequencies[0])
    taken = es.solve(file.design, file.cases[0].frequencies[0])
    spent = taken.record.seconds
    return taken.unknowns, spent["estimate errors"] / sum(spent[s] for s in ("fill", "factorise", "solve"))


if __name__ == "__main__":
    circuit, places = feed(6), np.linspace(5e9, 6.5e9, 201)
    whole = seconds(lambda: solve_circuit(circuit, places))
    rng = np.random.default_rng(0)
    matrices = rng.normal(size=(201, 65, 65)) + 1j * rng.normal(size=(201, 65, 65))
    print(f"{len(circuit.parts)} parts, 64 outputs, 201 frequencies: {whole:.2f} s, "
          f"{whole / seconds(lambda: np.linalg.inv(matrices)):.1f} times one inversion each")  # fmt: skip
    for stem in ("tag_receiver", "hut_roof", "mainland_guide", "mainland_patch"):
        unknowns, ratio = errors_over_solve(stem)
        print(f"errors of {stem}, {unknowns} unknowns: {ratio:.2f} of the solve")
