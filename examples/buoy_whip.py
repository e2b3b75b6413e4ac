"""A whip on a buoy at 868 MHz, standing on the sea: its match over height, and its pattern above the water."""

import earshot as es


def build(v):
    whip = es.Wire("whip", [(0, 0, 0), (0, 0, v.height)], radius="1.5 mm")
    return es.Antenna("buoy whip", [whip], [es.Port("foot", on="whip", at=0)], es.perfect_plane())


whip = es.Design(build, frequency="868 MHz", height="0.235 lambda")

for height in ("0.21 lambda", "0.22 lambda", "0.235 lambda", "0.25 lambda"):
    row = es.solve(whip.with_(height=height)).network.to_frame().iloc[0]
    print(f"{height}: {row['R_ohm']:.1f} {row['X_ohm']:+.1f}j ohm, VSWR {row['VSWR']:.2f}")

answer = es.solve(whip)
print(es.evidence(answer).to_frame())

beam = answer.drive(es.watts(0.025)).far_field()
print(beam.summary())
es.plots.polar(beam, azimuth="0 deg", elevation="5 deg").savefig("whip.png")
