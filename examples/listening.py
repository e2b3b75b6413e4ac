"""The tag receiver as a receiver: a tag's wave and the voltage it leaves; and how near one may stand to 25 W."""

import earshot as es

tag = es.Antenna(
    "tag receiver",
    [
        es.Wire("reflector", [(-0.497, -0.4885, 0), (-0.497, 0.4885, 0)], radius="3 mm", metal="aluminium"),
        es.Wire("driven", [(0, -0.4745, 0), (0, 0.4745, 0)], radius="3 mm", metal="aluminium"),
        es.Wire("director", [(0.292, -0.4215, 0), (0.292, 0.4215, 0)], radius="3 mm", metal="aluminium"),
    ],
    [es.Port("feed", on="driven")],
)
answer = es.solve(tag, "150.1 MHz")

wave = es.plane_wave(theta="90 deg", phi="0 deg", e_phi=10e-6)
print(es.receive(answer, wave).table())
print(es.receive(answer, wave, terminations={"feed": es.circuits.open_circuit()}).table())

driven = answer.drive(es.watts(25))
print(driven.budget())
field = driven.near_field(es.fields.plane_of_points((-1, -1, "0.1 m"), (4, 0, 0), (0, 2, 0), (161, 81)))
reach = max(line[:, 0].max() for line in field.contour(28.0, "E", rms=True))
print(f"28 V/m rms reaches out to {reach:.2f} m ahead, 0.1 m above the rods, at 25 W")
es.plots.near(field, tag, rms=True, limit=28.0).savefig("reach.png")
