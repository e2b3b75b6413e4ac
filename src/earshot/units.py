"""Units at the edges: text such as "6 mm" or "driven / 2 + 0.01 lambda" becomes a plain SI number.

Text is arithmetic over numbers with units and named values, which `arithmetic` reads; the units are the unit package's,
loaded when the first text is read.
"""

from __future__ import annotations

import functools
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from numbers import Integral, Number, Real
from pathlib import Path
from typing import Any

from . import arithmetic
from .arithmetic import ExpressionError
from .errors import UnitError, UsageError, needs, unknown
from .lettering import told

KINDS = {
    "length": "m",
    "frequency": "Hz",
    "angle": "rad",
    "resistance": "ohm",
    "inductance": "H",
    "capacitance": "F",
    "power": "W",
    "voltage": "V",
    "current": "A",
    "number": "",
}
"""What a quantity can be here, and the SI unit it is kept in."""

_EXAMPLES = {
    "length": "'12 mm', '0.96 m', '0.25 lambda'",
    "frequency": "'150.1 MHz'",
    "angle": "'30 deg'",
    "resistance": "'50 ohm'",
    "inductance": "'1.2 uH'",
    "capacitance": "'10 pF'",
    "power": "'1 W'",
    "voltage": "'1 V'",
    "current": "'10 mA'",
    "number": "'0.5'",
}
_PLAIN = re.compile(r"([+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?)\s*([^\W\d]\w*|°)", re.ASCII)
_FRACTION = re.compile(r"(?:(\d{1,9})\s+)?(\d{1,9})\s*/\s*(\d{1,9})\s*([A-Za-z]\w*)", re.ASCII)
_FEET = re.compile(r"([+-]?)(\d{1,9}(?:\.\d+)?)\s*ft\s+(\d{1,9}(?:\.\d+)?(?:\s*\d{1,9}\s*/\s*\d{1,9})?)\s*in", re.ASCII)
_FOOT, _INCH = 0.3048, 0.0254
_USUAL = (
    *("m", "mm", "cm", "km", "um", "in", "ft", "mil", "lambda", "Hz", "kHz", "MHz", "GHz", "deg", "rad"),
    *("ohm", "mohm", "kohm", "Mohm", "pH", "nH", "uH", "mH", "H", "pF", "nF", "uF", "mF", "F"),
    *("uW", "mW", "W", "kW", "MW", "uV", "mV", "V", "kV", "uA", "mA", "A"),
)
"""Units that are usual here: a spelling that is one of them but for capitals is asked about, even if it is a unit."""
_SPELT = {unit.lower(): unit for unit in _USUAL} | {
    **dict.fromkeys(("wavelength", "wavelengths", "wl", "\u03bb"), "lambda"),
    **dict.fromkeys(("ohms", "r"), "ohm"),
    "inches": "in",
}


def _asked_about(unit: str) -> str | None:
    """The unit that is probably meant by one that nobody here means, such as mHz."""
    meant = _SPELT.get(unit.lower())
    return None if unit in _USUAL or meant is None else meant


@dataclass(frozen=True, slots=True)
class Quantity:
    """A number in SI units and what it measures (a key of `KINDS`)."""

    si: float
    kind: str


@functools.cache
def _registry() -> Any:
    import pint

    # All units that the package knows would take a quarter of a second to be read.
    return pint.UnitRegistry(Path(__file__).with_suffix(".txt"), cache_folder=None)


def _unit(name: str) -> Any:
    """One of a unit. A mil is a thousandth of an inch here, not an angle."""
    return 1 * _registry().parse_units("thou" if name == "mil" else name)


def _known_unit(name: str) -> Any:
    """One of a unit; raises Refused for one that is not known, or not meant."""
    meant = _asked_about(name)
    if meant is not None:
        raise ExpressionError(f"'{name}' is not a unit here: did you mean {meant}?")
    try:
        return _unit(name)
    except Exception:
        raise ExpressionError(f"'{name}' is not a unit Earshot knows") from None


@functools.cache
def _plain_unit(unit: str) -> Quantity | None:
    """One of a unit, when it measures one of `KINDS` by a mere factor."""
    try:
        one = _unit(unit)
    except Exception:
        return None
    if not one._is_multiplicative:  # A level such as dBm: ten of them are not ten times one.
        return None
    kind = next((k for k, si in KINDS.items() if k not in ("number", "angle") and one.is_compatible_with(si)), None)
    return None if kind is None else Quantity(float(one.to(KINDS[kind]).magnitude), kind)


def _plain(text: str, names: Mapping[str, Quantity], wavelength: float | None) -> Quantity | None:
    """A number with a unit and nothing else, the most frequent text by far, without the arithmetic."""
    match, split = _PLAIN.fullmatch(text.strip()), _FRACTION.fullmatch(text.strip())
    feet = _FEET.fullmatch(text.strip())
    if feet is not None:
        # What tapes say: 17 ft 6 in, 5 ft 2 3/8 in.
        inches = _plain(f"{feet[3]} in", {}, None)
        long = None if inches is None else float(feet[2]) * _FOOT + inches.si
        return None if long is None else Quantity(-long if feet[1] == "-" else long, "length")
    if match is not None:
        if len(match[1]) > arithmetic.DIGITS:
            return None
        number, unit = float(match[1]), match[2]
    elif split is not None and int(split[3]):
        # What rulers say: 1/16 in, 2 3/8 in.
        number, unit = int(split[1] or 0) + int(split[2]) / int(split[3]), split[4]
    else:
        return None
    if unit in names or _asked_about(unit):
        return None
    one = Quantity(wavelength, "length") if unit == "lambda" and wavelength else _plain_unit(unit)
    found = None if one is None else Quantity(number * one.si, one.kind)
    return found if found is not None and math.isfinite(found.si) else None


def evaluate(
    text: str, names: Mapping[str, Quantity] | None = None, *, wavelength: float | None = None, what: str = "value"
) -> Quantity:
    """Work out text such as "2 * driven + 3 mm".

    names: named values the text may use; wavelength: what "lambda" means, in metres. Raises UnitError, naming `what`,
    for what is no arithmetic, unknown names or units, sums of unlike quantities, and results that are not finite.

    >>> evaluate("12 mm + 0.5 cm").si
    0.017
    >>> evaluate("rod / 2", {"rod": Quantity(0.006, "length")})
    Quantity(si=0.003, kind='length')
    >>> round(evaluate("sqrt(rod ** 2 + (8 mm) ** 2)", {"rod": Quantity(0.006, "length")}).si, 9)
    0.01
    """
    names = names or {}
    short = text if len(text) <= 60 else f"{text[:57]}..."
    try:
        arithmetic.check_length(text)
        plain = _plain(text, names, wavelength)
        if plain is not None:
            return plain
    except ExpressionError as problem:
        raise UnitError(f"{what}: '{short}' cannot be worked out: {problem}") from None
    given = tuple((word, names[word]) for word in arithmetic.words(text) if word in names)
    try:
        return _kept(text, given, wavelength)
    except UnitError:
        # Once more, to be told with its place and all the names there are.
        return _worked_out(text, short, names, wavelength, what)


@functools.lru_cache(maxsize=8192)
def _kept(text: str, given: tuple[tuple[str, Quantity], ...], wavelength: float | None) -> Quantity:
    """What a text comes to with the names in it: most texts of a design stay when one of its values changes."""
    return _worked_out(text, text, dict(given), wavelength, "value")


def _worked_out(text: str, short: str, names: Mapping[str, Quantity], wavelength: float | None, what: str) -> Quantity:
    import pint

    def wavelengths() -> Any:
        if wavelength is None:
            raise ExpressionError("it uses lambda, but no frequency says how long that is: add one")
        return wavelength * _registry().meter

    def unit(word: str) -> Any:
        if word in names:
            raise ExpressionError(f"'{word}' is a value and needs a sign before it: write it like 2 * {word}")
        return wavelengths() if word == "lambda" else _known_unit(word)

    def name(word: str) -> Any:
        # Only the names in the text are asked for, so that whoever holds them can tell which were used.
        if word in names:
            return _with_unit(names[word])
        if word == "lambda":
            return wavelengths()
        if word == "pi":
            return math.pi
        if word in _USUAL:
            raise ExpressionError(f"'{word}' is a unit and needs a number before it: write it like 1 {word}")
        odd = "" if word.isascii() else f"; it is {told(word)}"
        raise ExpressionError(unknown("value", word, names) + odd)

    try:
        return _si(arithmetic.evaluate(text, unit, name), short, what)
    except ExpressionError as problem:
        reason = str(problem)
    except pint.DimensionalityError as problem:
        reason = f"it mixes unlike quantities ({problem})"
    except pint.OffsetUnitCalculusError:
        reason = "it is on a scale such as dB: write it in plain units, such as watts"
    except (TypeError, ValueError):
        reason = "it mixes unlike quantities"
    except ZeroDivisionError:
        reason = "it divides by zero"
    except OverflowError:
        reason = "a number in it is too great"
    raise UnitError(f"{what}: '{short}' cannot be worked out: {_spelling(text) or reason}")


def _spelling(text: str) -> str:
    """A word about spellings of other places, where one is there."""
    if re.search(r"\d,\d", text):
        return "a comma is no decimal point here: write it like 1.5 m"
    if re.search(r"\d\s*['\"\u2032\u2033]", text):
        return "feet and inches are written like '17 ft 6 in'"
    return ""


def words(text: str) -> tuple[str, ...]:
    """The words in a text, once each: names of values, functions and units."""
    return arithmetic.words(text)


def scaled(text: str, kind: str, factor: float) -> str:
    """The text with every quantity of a kind in it multiplied, except lengths in wavelengths.

    >>> scaled("rod / 2 + 30 mm - 0.1 lambda", "length", 0.5)
    'rod / 2 + 15 mm - 0.1 lambda'
    """

    def multiplied(number: float, unit: str) -> str | None:
        one = None if unit == "lambda" else _plain_unit(unit)
        return f"{number * factor:.12g} {unit}" if one is not None and one.kind == kind else None

    if _FEET.fullmatch(text.strip()) or _FRACTION.fullmatch(text.strip()):
        # What tapes say is one quantity in several numbers.
        whole = _plain(text, {}, None)
        return text if whole is None or whole.kind != kind else f"{whole.si * factor / _INCH:.12g} in"
    return arithmetic.rewritten(text, multiplied)


def _with_unit(value: Quantity) -> Any:
    return value.si * _registry().parse_units(KINDS[value.kind]) if value.kind != "number" else value.si


def _si(result: Any, text: str, what: str) -> Quantity:
    registry = _registry()
    if isinstance(result, bool) or not (isinstance(result, int | float) or hasattr(result, "dimensionality")):
        raise UnitError(f"{what}: '{text}' is not a quantity")
    if isinstance(result, int | float):
        found = Quantity(float(result), "number")
    else:
        for kind, unit in KINDS.items():
            if kind != "number" and result.is_compatible_with(unit) and (kind != "angle" or _turns(result)):
                found = Quantity(float(result.to(unit).magnitude), kind)
                break
        else:
            if not result.is_compatible_with(registry.dimensionless):
                raise UnitError(f"{what}: '{text}' measures {result.dimensionality}, which nothing here does")
            found = Quantity(float(result.to("").magnitude), "number")
    if not math.isfinite(found.si):
        raise UnitError(f"{what}: '{text}' is {found.si}; a finite value is needed")
    return found


def _turns(result: Any) -> bool:
    """Whether a number without dimensions is an angle."""
    return "radian" in str(result.to_root_units().units)


def _a(kind: str) -> str:
    return f"an {kind}" if kind[0] in "aeiou" else f"a {kind}"


def read(
    value: str | float,
    kind: str,
    *,
    what: str,
    names: Mapping[str, Quantity] | None = None,
    wavelength: float | None = None,
    bare: bool = True,
) -> float:
    """Return a value of the wanted kind as an SI float.

    Numbers pass as SI when `bare` (Python), and are refused where the unit must be written (files); zero never needs
    a unit. Raises UnitError for another kind, a missing unit, or a value that is not finite.

    >>> read("150.1 MHz", "frequency", what="frequency")
    150100000.0
    """
    if isinstance(value, str):
        found = evaluate(value, names, wavelength=wavelength, what=what)
        if found.kind == kind or found == Quantity(0.0, "number"):
            return found.si
        if found.kind == "number":
            raise UnitError(f"{what}: '{value}' has no unit; {_a(kind)} needs one, such as {_EXAMPLES[kind]}")
        raise UnitError(f"{what}: '{value}' is {_a(found.kind)}; {_a(kind)} is needed, such as {_EXAMPLES[kind]}")
    if isinstance(value, bool) or (not isinstance(value, int | float) and not hasattr(value, "__float__")):
        raise UnitError(f"{what}: {value!r} is not {_a(kind)}; write it like {_EXAMPLES[kind]}")
    try:
        number = float(value)
    except (OverflowError, TypeError, ValueError):
        raise UnitError(f"{what}: {told(repr(value))} is not {_a(kind)}; write it like {_EXAMPLES[kind]}") from None
    if not math.isfinite(number):
        raise UnitError(f"{what}: {number} is not {_a(kind)}; a finite value is needed")
    if not bare and kind != "number" and number != 0.0:
        raise UnitError(f"{what}: {value} has no unit; {_a(kind)} needs one, such as {_EXAMPLES[kind]}")
    return number


def frequency(value: str | float, what: str = "frequency") -> float:
    """A frequency in Hz from Hz or text; raises UnitError unless it is above zero.

    >>> frequency("868 MHz")
    868000000.0
    """
    hertz = read(value, "frequency", what=what)
    if hertz <= 0.0:
        raise UnitError(f"{what}: {value} is not above zero; write it like {_EXAMPLES['frequency']}")
    return hertz


def number(value: float, what: str) -> float:
    """A finite number without a unit, and no text; raises UsageError."""
    needs(value, Real, what, "a number")
    return read(value, "number", what=what)


def phasor(value: complex, what: str) -> complex:
    """A finite number that may be complex, and no text; raises UsageError."""
    needs(value, Number, what, "a number, which may be complex")
    try:
        found = complex(value)
    except OverflowError:
        found = complex(math.inf)
    if not math.isfinite(abs(found)):
        raise UsageError(f"{what}: it is not finite")
    return found


def length(value: str | float, what: str = "length") -> float:
    """A length in metres from metres or text; raises UnitError."""
    return read(value, "length", what=what)


def angle(value: str | float, what: str = "angle") -> float:
    """An angle in radians from text ("30 deg", "0.5 rad") or a number of degrees; raises UnitError.

    Degrees are what every table, figure and file shows; it is the one place where a bare number is not in SI.

    >>> angle(180)
    3.141592653589793
    """
    number = read(value, "angle", what=what)
    return number if isinstance(value, str) else math.radians(number)


def count(value: object, what: str, least: int, most: int) -> int:
    """A whole number within limits; raises UsageError naming both.

    >>> count(12, "grid, columns", 1, 1000)
    12
    """
    whole = int(value) if isinstance(value, Integral) and not isinstance(value, bool) else None
    if whole is None or not least <= whole <= most:
        said = value if whole is None or abs(whole) < 10**12 else f"{float(min(abs(whole), 10**300)):.0e}"
        raise UsageError(f"{what}: {said} is not a whole number from {least} to {most:,}")
    return int(whole)


_PREFIXES = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G", 12: "T"}


def engineering(value: float, unit: str, digits: int = 5) -> str:
    """Write an SI value with a prefix in steps of a thousand.

    >>> engineering(150.1e6, "Hz")
    '150.1 MHz'
    """
    if value == 0.0 or not math.isfinite(value):
        return f"{value:g} {unit}"
    power = max(-12, min(12, 3 * math.floor(math.log10(abs(value)) / 3 + 1e-12)))
    return f"{value / 10**power:.{digits}g} {_PREFIXES[power]}{unit}"


def ohms(value: complex) -> str:
    """Write an impedance.

    >>> ohms(50), ohms(30 - 12.5j)
    ('50 ohm', '30-12.5j ohm')
    """
    number = complex(value)
    return f"{number.real:g}{f'{number.imag:+g}j' if number.imag else ''} ohm"
