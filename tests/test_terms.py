"""Every printed figure can be explained."""

import pytest

import earshot as es


def test_every_printed_figure_is_a_term(dipole):
    answer = es.solve(dipole, [es.band("140 MHz", "160 MHz", 11), "150 MHz"], evidence=True)
    driven = answer.drive(frequency="150 MHz")
    printed = [*driven.far_field().summary().index, *es.compare({"x": answer}, frequency="150 MHz").index]
    printed += ["Q", "return loss, dB", "sent", "returned", "accepted", "radiated", "±"]
    printed += [name for name in answer.evidence.to_frame().index if " at " not in name or name.startswith("axial")]
    for name in printed:
        assert es.terms.term(name).formula
    for one in es.terms.terms():
        assert min(len(one.meaning), len(one.formula), len(one.source)) > 0
        assert es.terms.term(one.name.upper()) is one


@pytest.mark.parametrize(
    ("asked", "found"),
    [
        ("front to back", "front-to-back ratio"),
        ("S11", "reflection coefficient"),
        ("e-plane", "E-plane"),
        ("dBi", "gain"),
    ],
)
def test_other_words_and_spellings_do(asked, found):
    assert es.terms.term(asked).name == found
