"""A log-periodic array for the tag band and above: eight dipoles on one crossed line, fed at the short end.

The line is ideal and is not meshed; its sections join the middles of neighbouring dipoles and swap sides on the way.
"""

import earshot as es

RATIO, FIRST, SPACING = 0.9, 1.06, 0.16


def build(v):
    lengths = [v.longest * RATIO**i for i in range(8)]
    places = [0.0]
    for length in lengths[:-1]:
        places.append(places[-1] + 2 * v.spacing * length)
    rods = [
        es.Wire(f"rod {i}", [(x, -length / 2, 0), (x, length / 2, 0)], radius="4 mm", metal="aluminium")
        for i, (x, length) in enumerate(zip(places, lengths, strict=True))
    ]
    taps = [es.Terminal(f"tap {i}", on=f"rod {i}") for i in range(7)]
    names = [*(tap.name for tap in taps), "feed"]
    lines = [
        es.Line(f"line {i}", names[i], names[i + 1], v.line, places[i + 1] - places[i], crossed=True) for i in range(7)
    ]
    feed = es.Port("feed", on="rod 7", reference=75)
    return es.Antenna("log-periodic", rods, [feed], terminals=taps, lines=lines)


array = es.Design(build, frequency="200 MHz", longest=FIRST, spacing=SPACING, line=100.0)
print(es.check(array.antenna))

answer = es.solve(array, es.band("140 MHz", "280 MHz", 141))
print(f"{len(answer.solved)} of {len(answer.frequencies)} frequencies solved, S within {answer.band_error:.0e}")
print(answer.network.bandwidth(vswr=2.0).round(3))
print(f"currents between them within {answer.currents_error:.0e}")
table = answer.smooth_figures()
print(table[["gain", "front-to-back ratio", "radiation efficiency"]].round(2))

es.plots.vswr(answer.network).savefig("log-periodic-vswr.png")
figure = es.plots.figures(table, "gain", "front-to-back ratio", label="log-periodic", between=answer.currents_error)
figure.savefig("log-periodic-figures.png")
