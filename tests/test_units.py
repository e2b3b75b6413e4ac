"""Units at the edges: the short way and the long way agree; scaling a text scales what it comes to."""

import contextlib
import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import earshot as es
from earshot import units
from earshot.errors import UnitError
from earshot.units import Quantity

UNITS = [
    "m",
    "mm",
    "cm",
    "um",
    "ft",
    "in",
    "mil",
    "yd",
    "Hz",
    "kHz",
    "MHz",
    "GHz",
    "ohm",
    "kohm",
    "uH",
    "pF",
    "W",
    "mW",
    "V",
    "mA",
]
NUMBERS = st.floats(-1e6, 1e6, allow_nan=False).map(lambda x: float(f"{x:.6g}"))


# The first text loads the units there are.
@settings(deadline=None)
@given(NUMBERS, st.sampled_from(UNITS))
def test_the_short_way_is_the_long_way(number, unit):
    short = units.evaluate(f"{number!r} {unit}")
    # Brackets keep the text from the short way.
    long = units.evaluate(f"({number!r} {unit})")
    assert short.kind == long.kind
    assert short.si == pytest.approx(long.si, rel=1e-12, abs=1e-300)


@given(NUMBERS.filter(bool), st.sampled_from(["mm", "ft", "mil"]), st.floats(0.01, 100.0))
def test_scaling_a_text_scales_its_lengths(number, unit, factor):
    names = {"rod": Quantity(0.006, "length")}
    text = f"{number!r} {unit} + 2 * rod + 0.1 lambda"
    before = units.evaluate(text, names, wavelength=2.0).si - 0.212
    after = units.evaluate(units.scaled(text, "length", factor), names, wavelength=2.0).si - 0.212
    assert after == pytest.approx(factor * before, rel=1e-6, abs=1e-9)
    assert units.scaled(text, "frequency", factor) == text


@pytest.mark.parametrize(
    ("text", "si", "kind"),
    [
        ("60 mil", 60 * 25.4e-6, "length"),
        ("12 ft", 3.6576, "length"),
        ("5 ft + 6 in", 1.6764, "length"),
        ("0.25 lambda", 0.5, "length"),
        ("-.5e-3 m", -5e-4, "length"),
        ("30 deg", math.pi / 6, "angle"),
        ("2 ** 3", 8.0, "number"),
        ("sin(30 deg) * 4 m", 2.0, "length"),
        ("hypot(3 m, 4 m)", 5.0, "length"),
        ("max(1 mm, 2 cm)", 0.02, "length"),
        ("rod / 2", 0.003, "length"),
        ("sqrt(rod**2 + (8 mm)**2)", 0.01, "length"),
        ("1.5e-3 * rod", 9e-6, "length"),
        ("lambda / 4", 0.5, "length"),
        ("-lambda", -2.0, "length"),
        ("3 \N{MICRO SIGN}m", 3e-6, "length"),
        ("3 \N{GREEK SMALL LETTER MU}m", 3e-6, "length"),
        ("30\N{DEGREE SIGN}", math.pi / 6, "angle"),
        ("cos(60 \N{DEGREE SIGN}) * 1 m", 0.5, "length"),
        ("2 - -3", 5.0, "number"),
        ("-2 ** 2", -4.0, "number"),
        ("2 ** 3 ** 2 / 2 ** 8", 2.0, "number"),
        ("12 m / 2 / 3", 2.0, "length"),
        ("2 3/8 in", 0.060325, "length"),
        ("(2 m) ** 2 / 8 m", 0.5, "length"),
        ("2 * pi", 2 * math.pi, "number"),
        ("min(3 m, 20 cm, 1 m) * 2", 0.4, "length"),
    ],
)
def test_texts_come_to(text, si, kind):
    found = units.evaluate(text, {"rod": Quantity(0.006, "length")}, wavelength=2.0)
    assert (found.si, found.kind) == (pytest.approx(si, rel=1e-12), kind)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("9" * 500, r"9\.\.\.' cannot be worked out: it has 500 characters"),
        ("14.1 mHz", "did you mean MHz"),
        ("14.1 mhz", "did you mean MHz"),
        ("3 Mm", "did you mean mm"),
        ("10 dBm", "on a scale such as dB"),
        ("0.1 m ** 2", "raised in brackets"),
        ("2 ^ 3", r"write powers with \*\*"),
        ("mm * 2", "'mm' is a unit and needs a number before it"),
        ("0.5 m; 0.7 m", "';' has no place"),
        ("\uff11 m", "U\\+FF11, fullwidth digit one"),
        ("max(1 m, 2)", "mixes unlike quantities"),
        ("9 ** 99", "a power of 99 is beyond 64"),
        ("1e999 m", "is inf"),
        ("3 m + 2", "mixes unlike quantities|cannot be worked out"),
        ("3 m + 2 MHz", "mixes unlike quantities"),
        ("9 ** 9 ** 9", "cannot be worked out"),
        ("(1).__class__", "cannot be worked out"),
        ("open('x')", "cannot be worked out|no value|is not"),
        ("", "cannot be worked out"),
    ],
)
def test_what_makes_no_sense_is_told(text, says):
    with pytest.raises(UnitError, match=says):
        units.evaluate(text)


@given(st.text(max_size=60))
def test_any_text_is_worked_out_or_refused(text):
    with contextlib.suppress(UnitError):
        assert math.isfinite(units.evaluate(text, {"rod": Quantity(0.006, "length")}, wavelength=2.0).si)


def _expression(depth):
    """Texts of arithmetic, and what Python makes of them."""
    leaf = st.floats(0.1, 9.0).map(lambda x: f"{x:.3g}")
    if not depth:
        return leaf
    inner = _expression(depth - 1)
    return st.one_of(
        leaf,
        st.tuples(inner, st.sampled_from("+-*/"), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        st.tuples(inner, st.sampled_from("+-*/"), inner).map(lambda t: f"{t[0]}{t[1]}{t[2]}"),
        inner.map(lambda t: f"-{t}"),
        inner.map(lambda t: f"sqrt(abs({t}))"),
    )


@given(_expression(4))
def test_arithmetic_is_that_of_python(text):
    def own(expression):
        return eval(expression, {"sqrt": math.sqrt, "abs": abs})

    try:
        expected = own(text)
    except ZeroDivisionError:
        return
    if len(text) <= 400:
        assert units.evaluate(f"{text} + 0").si == pytest.approx(expected, rel=1e-9, abs=1e-9)


@pytest.mark.parametrize("degrees", [-30, 0, 1.5, 90, 360])
def test_bare_angles_are_degrees_wherever_angles_are_given(degrees):
    assert es.units.angle(degrees) == pytest.approx(math.radians(degrees))
    assert es.units.angle(degrees) == pytest.approx(es.units.angle(f"{degrees} deg"))


def test_calls_take_degrees_and_arrays_of_angles_are_radians():
    wires = [es.Wire("rod", [(0, 0, -0.5), (0, 0, 0.5)], radius=1e-3)]
    antenna = es.Antenna("rod", wires, [es.Port("feed", "rod")])
    beam = es.solve(antenna, "145 MHz").drive().far_field()
    assert beam.cut(elevation=10).theta.values == pytest.approx(80.0)
    assert beam.cut(azimuth=30, step=5).equals(beam.cut(azimuth="30 deg", step="5 deg"))
    assert beam.sector((1, 0, 0), 20) == beam.sector((1, 0, 0), "20 deg")
    assert antenna.rotated(90, "y").wires[0].corners[1] == pytest.approx([0.5, 0, 0], abs=1e-12)
    assert es.plane_wave(90, 45, 1.0).theta == pytest.approx(math.pi / 2)
    assert es.volts(1, 90).amount == pytest.approx(1j)
    lean = es.Design(lambda v: antenna.rotated(v.lean, "y"), frequency="145 MHz", lean="10 deg")
    assert lean.with_(lean=30).values.quantities["lean"].si == pytest.approx(math.radians(30))
    with pytest.raises(es.UsageError, match="radians"):
        beam.gain(90, 0)
    with pytest.raises(es.UsageError, match="phi = 45"):
        beam.gain(1.0, [0.0, 45.0])


@pytest.mark.parametrize(
    ("text", "metres"),
    [
        ("17 ft 6 in", 5.334),
        ("5 ft 2 3/8 in", 1.584325),
        ("-1 ft 2 in", -0.3556),
        ("8.5 ft 3 in", 2.667),
        ("2ft 3in", 0.6858),
        ("2 3/8 in", 0.060325),
        ("1/16 in", 0.0015875),
    ],
)
def test_feet_and_inches_as_tapes_say_them(text, metres):
    assert units.length(text) == pytest.approx(metres, rel=1e-12)
    assert units.length(units.scaled(text, "length", 0.5)) == pytest.approx(metres / 2, rel=1e-9)


@pytest.mark.parametrize(("text", "says"), [("30'", "17 ft 6 in"), ('6"', "17 ft 6 in"), ("1,5 m", "no decimal point")])
def test_spellings_of_other_places_get_a_word(text, says):
    with pytest.raises(es.UnitError, match=says):
        units.length(text)
