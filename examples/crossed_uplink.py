"""Two crossed dipoles at 401 MHz fed a quarter turn apart: circular polarisation towards a tag satellite.

Solved once; each way of feeding it is read off the same solution.
"""

import numpy as np

import earshot as es

half = 0.176
rods = [
    es.Wire("east-west", [(-half, 0, 0.19), (half, 0, 0.19)], radius="2 mm"),
    # Ten millimetres lower, so that the rods pass without touching.
    es.Wire("north-south", [(0, -half, 0.18), (0, half, 0.18)], radius="2 mm"),
]
ports = [es.Port("x", on="east-west"), es.Port("y", on="north-south")]
uplink = es.Antenna("crossed uplink", rods, ports, es.perfect_plane())
print(es.check(uplink))

answer = es.solve(uplink, "401 MHz")
print(answer.network.s().sel(frequency=401e6).to_pandas().abs().round(3))

for name, phase in (("in phase", "0 deg"), ("a quarter turn apart", "-90 deg")):
    driven = answer.drive({"x": es.watts(0.5), "y": es.watts(0.5, phase=phase)})
    beam = driven.far_field()
    e_theta, e_phi = beam.field(0.0, 0.0)
    right = abs(e_theta + 1j * e_phi) / np.sqrt(2)
    left = abs(e_theta - 1j * e_phi) / np.sqrt(2)
    axial = 20 * np.log10((right + left) / max(abs(right - left), 1e-12 * right))
    print(f"{name}: gain {float(beam.summary()['value']['gain']):.2f} dBi, axial ratio at the zenith {axial:.1f} dB")

es.plots.pattern(beam, uplink).savefig("uplink.png")
es.plots.currents(driven).savefig("uplink-currents.png")
