"""Change one dimension of the Ternholm tag receiver and lay the new curve over the old."""

import earshot as es


def build(v):
    def rod(name, x, length):
        return es.Wire(name, [(x, -length / 2, 0), (x, length / 2, 0)], radius=v.rod / 2)

    return es.Antenna(
        "tag receiver",
        wires=[
            rod("reflector", -v.behind, v.reflector),
            rod("driven", 0, v.driven),
            rod("director", v.ahead, v.director),
        ],
        ports=[es.Port("feed", on="driven", at=0.5, reference=50)],
    )


tag = es.Design(
    build,
    frequency="150.1 MHz",
    reflector="977 mm",
    driven="949 mm",
    director="843 mm",
    behind="0.249 lambda",
    ahead="0.146 lambda",
    rod="6 mm",
)
print(es.check(tag.antenna))

band = es.band("140 MHz", "160 MHz", 41)
networks = {}
for ahead in ("0.12 lambda", "0.146 lambda", "0.18 lambda"):
    design = tag.with_(ahead=ahead)
    answer = es.solve(design, band)
    beam = answer.drive(frequency="150 MHz").far_field()
    networks[f"director {ahead} ahead"] = answer.network
    vswr = answer.network.to_frame("feed")["VSWR"]
    figures = beam.summary()["value"]
    print(
        f"director {ahead} ahead: gain {figures['gain']:.2f} dBi, front-to-back "
        f"{figures['front-to-back ratio']:.1f} dB, least VSWR {vswr.min():.2f} "
        f"at {vswr.idxmin() / 1e6:.1f} MHz"
    )

es.plots.vswr(*networks.values(), labels=list(networks)).savefig("spacing.png")
