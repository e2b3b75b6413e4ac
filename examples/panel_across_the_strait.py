"""A panel steered across the strait: without coupling at once, with it after one solve, one beam over the other."""

import numpy as np

import earshot as es
from earshot import arrays

HERTZ = 5.8e9
LEVEL = 1.575e-3
BOARD = es.substrate(LEVEL, "ptfe glass", plane="copper")


def patch() -> es.Antenna:
    sheet = es.Sheet("patch", es.shapes.plate("15.4 mm", "19 mm", centre=(0, 0, LEVEL)), metal="copper", density=0.5)
    pin = es.Wire("pin", [("3 mm", 0, 0), ("3 mm", 0, LEVEL)], radius="0.65 mm")
    return es.Antenna("patch", [pin], [es.Port("feed", "pin", at=0)], BOARD, sheets=[sheet])


def main() -> None:
    layout = arrays.grid(3, 2, "31 mm")
    alone = es.solve(patch(), HERTZ).drive().far_field()
    ideal = arrays.Array(layout, arrays.solved_element(alone), "six patches, no coupling")
    weights = ideal.steered(frequency=HERTZ, theta="25 deg", phi="0 deg")
    print(arrays.beam_figures(ideal, weights, frequency=HERTZ).round(3).to_string())

    errors = arrays.Errors(amplitude=0.5, phase="8 deg")
    many = arrays.trials(ideal, weights, errors, frequency=HERTZ, count=500)
    print("\n500 panels with errors\n" + many.percentiles().round(2).to_string())

    antenna = arrays.repeated(patch(), layout, name="six patches, solved")
    coupled = arrays.SolvedArray(es.solve(antenna, HERTZ), layout, HERTZ)
    print("\nsteered, with coupling\n" + coupled.active(weights)[["reflection_dB", "vswr"]].round(2).to_string())
    print("\n" + coupled.scan(angles=np.arange(-60, 61, 15)).round(2).to_string())
    beams = [coupled.beam(weights), ideal.beam(HERTZ, weights)]
    es.plots.cartesian(beams, azimuth="0 deg", quantity="realized_gain").savefig("panel_beams.png")
    es.plots.layout(ideal, weights).savefig("panel_layout.png")
    es.plots.envelope(many).savefig("panel_envelope.png")


if __name__ == "__main__":
    main()
