"""A day at the bench: a ready-made beam for the tag band, changed, laid over, rounded for the workshop, saved.

Nothing is solved twice: the results file opens again as the solution it was.
"""

import earshot as es

BAND = [es.band("144 MHz", "156 MHz", 61), "150.1 MHz"]

beam = es.antennas.yagi("150.1 MHz", elements=4, rod="8 mm")
print(es.check(beam))
print(beam.table()[["value", "written", "note"]])

first = es.solve(beam, BAND)
es.write(first, "beam.nc")
es.write(beam, "beam.toml")

# One idea: the reflector a little closer. One for the workshop: every length to 5 mm.
closer = beam.with_(behind="0.2 lambda")
cut = closer.rounded("5 mm")
answers = {
    "as it came": es.read_results("beam.nc"),
    "closer": es.solve(closer, BAND),
    "rounded": es.solve(cut, BAND),
}
table = es.compare(answers, es.watts(1), "150.1 MHz")
print(table.loc[["R", "X", "VSWR", "bandwidth", "gain", "front-to-back ratio"]].round(2))
print(cut.antenna.cut_list()[["wires", "pieces", "length_m"]])

# Two of them side by side, one wavelength apart, fed alike.
pair = cut.antenna + cut.antenna.prefixed("east ").moved((0, "2 m", 0))
both = es.solve(pair, "150.1 MHz").drive({"feed": es.watts(0.5), "east feed": es.watts(0.5)}).far_field()
print(f"one {table.loc['gain', 'rounded']:.2f} dBi, two {both.summary().loc['gain', 'value']:.2f} dBi")

networks = [answer.network for answer in answers.values()]
es.plots.vswr(*networks, labels=list(answers), at=["150.1 MHz"]).savefig("beam-vswr.png")
es.plots.smith(*networks, labels=list(answers)).savefig("beam-smith.png")
es.plots.geometry(cut).savefig("beam-geometry.png")
