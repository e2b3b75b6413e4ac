"""How rays in a built scene take time: by order, buildings and places, as ratios within this run.

python benchmarks/scenes.py [STEP]: the hamlet's square in steps of so many metres (1.1: ten thousand places).
"""

from __future__ import annotations

import resource
import sys
import time
from importlib import resources
from pathlib import Path

from earshot import reach


def taken(scene: reach.Scene, order: int, step: float) -> tuple[int, float]:
    """Places, and seconds for a map with the sights of the scene not looked for yet."""
    one, carried = reach.Station("pole", (31.0, -14.0), 6.0), reach.Station("walker", (0.0, 0.0), 1.5)
    area = reach.Area("square", -60.0, -50.0, 60.0, 60.0)
    start = time.perf_counter()
    found = reach.scene_coverage(reach.Scene(scene.bodies), one, carried, "5.8 GHz", area, step, order=order)
    return found.levels.size, time.perf_counter() - start


def main() -> None:
    """Print a table of orders and buildings, then the whole."""
    with resources.as_file(resources.files("earshot.demo") / "hamlet_place.toml") as file:
        scene = reach.read_place(Path(file)).scene
    taken(reach.Scene(scene.bodies[:3]), 2, 20.0)
    print("buildings  order  places  seconds")
    for count in (15, 30, 60):
        for order in (1, 2, 3):
            places, seconds = taken(reach.Scene(scene.bodies[:count]), order, 4.0)
            print(f"{count:9d}  {order:5d}  {places:6d}  {seconds:7.1f}", flush=True)
    if len(sys.argv) > 1:
        places, seconds = taken(scene, 3, float(sys.argv[1]))
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
        print(f"{len(scene.bodies):9d}  {3:5d}  {places:6d}  {seconds:7.1f}; {peak:.2f} GB at most", flush=True)


if __name__ == "__main__":
    main()
