"""Units at the edges: text such as "6 mm" or "driven / 2 + 0.01 lambda" becomes a plain SI number.

Text is arithmetic over numbers with units and named values. The arithmetic is the safe-expression package's, the
units are the unit package's; both are loaded when the first text is read.
"""

from __future__ import annotations

import ast
import functools
import math
import operator
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from .errors import UnitError, unknown

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
_NUMBER_WITH_UNIT = re.compile(r"(?<![\w.])(\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?)\s*([A-Za-zµΩ°]\w*)")
_PLAIN = re.compile(r"([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*([A-Za-zµΩ°]\w*)")
_FRACTION = re.compile(r"(?:(\d+)\s+)?(\d+)\s*/\s*(\d+)\s*([A-Za-z]\w*)")
_WORD = re.compile(r"[A-Za-z_]\w*")


@dataclass(frozen=True, slots=True)
class Quantity:
    """A number in SI units and what it measures (a key of `KINDS`)."""

    si: float
    kind: str


@functools.cache
def _registry() -> Any:
    import pint

    return pint.UnitRegistry(cache_folder=None)


def _unit(name: str) -> Any:
    """One of a unit. A mil is a thousandth of an inch here, not an angle."""
    return 1 * _registry().parse_units("thou" if name == "mil" else name)


@functools.cache
def _plain_unit(unit: str) -> Quantity | None:
    """One of a unit, when it measures one of `KINDS` by a mere factor."""
    try:
        one = _unit(unit)
    except Exception:
        return None
    kind = next((k for k, si in KINDS.items() if k not in ("number", "angle") and one.is_compatible_with(si)), None)
    return None if kind is None else Quantity(float(one.to(KINDS[kind]).magnitude), kind)


def _plain(text: str, names: Mapping[str, Quantity], wavelength: float | None) -> Quantity | None:
    """A number with a unit and nothing else, the most frequent text by far, without the arithmetic."""
    match, split = _PLAIN.fullmatch(text.strip()), _FRACTION.fullmatch(text.strip())
    if match is not None:
        number, unit = float(match[1]), match[2]
    elif split is not None and int(split[3]):
        # What rulers say: 1/16 in, 2 3/8 in.
        number, unit = int(split[1] or 0) + int(split[2]) / int(split[3]), split[4]
    else:
        return None
    if unit in names:
        return None
    one = Quantity(wavelength, "length") if unit == "lambda" and wavelength else _plain_unit(unit)
    found = None if one is None else Quantity(number * one.si, one.kind)
    return found if found is not None and math.isfinite(found.si) else None


@functools.cache
def _functions() -> dict[str, Any]:
    import numpy as np

    # NumPy's functions know the unit package's quantities; sin("30 deg") works, sin("3 m") says why not.
    return {name: getattr(np, name) for name in ("sqrt", "sin", "cos", "tan", "hypot")} | {
        "min": min,
        "max": max,
        "abs": abs,
    }


def _on_numbers(operation: Callable[[Any, Any], Any]) -> Callable[[Any, Any], Any]:
    # The safe-expression package's own sum and product ask for len(), which quantities only pretend to have.
    def safe(a: Any, b: Any) -> Any:
        if isinstance(a, str) or isinstance(b, str):
            raise TypeError("arithmetic is for numbers, not for text")
        return operation(a, b)

    return safe


@functools.cache
def _operators() -> dict[Any, Any]:
    import simpleeval

    operators: dict[Any, Any] = simpleeval.DEFAULT_OPERATORS | {
        ast.Add: _on_numbers(operator.add),
        ast.Mult: _on_numbers(operator.mul),
    }
    return operators


def evaluate(
    text: str, names: Mapping[str, Quantity] | None = None, *, wavelength: float | None = None, what: str = "value"
) -> Quantity:
    """Work out text such as "2 * driven + 3 mm".

    names: named values the text may use; wavelength: what "lambda" means, in metres. Raises UnitError, naming `what`,
    for unknown names or units, sums of unlike quantities, and results that are not finite.

    >>> evaluate("12 mm + 0.5 cm").si
    0.017
    >>> evaluate("rod / 2", {"rod": Quantity(0.006, "length")})
    Quantity(si=0.003, kind='length')
    """
    import pint
    import simpleeval

    names = names or {}
    plain = _plain(text, names, wavelength)
    if plain is not None:
        return plain
    registry = _registry()
    # Only the names in the text are asked for, so that whoever holds them can tell which were used.
    known: dict[str, Any] = {word: _with_unit(names[word]) for word in words(text) if word in names}
    known["pi"] = math.pi

    def substitute(match: re.Match[str]) -> str:
        number, unit = match.groups()
        if unit == "lambda":
            if wavelength is None:
                raise UnitError(f"{what}: '{text}' uses lambda, but no frequency says how long that is: add one")
            known["unit_lambda"] = wavelength * registry.meter
            return f"({number} * unit_lambda)"
        if unit in names:
            raise UnitError(f"{what}: '{match.group(0)}' in '{text}' needs a sign between: write {number} * {unit}")
        try:
            known[f"unit_{unit}"] = _unit(unit)
        except Exception:
            raise UnitError(f"{what}: '{unit}' in '{text}' is not a unit Earshot knows") from None
        return f"({number} * unit_{unit})"

    expression = _NUMBER_WITH_UNIT.sub(substitute, text.strip())
    text = text if len(text) <= 60 else f"{text[:57]}..."
    try:
        return _si(simpleeval.SimpleEval(_operators(), _functions(), known).eval(expression), text, what)
    except simpleeval.NameNotDefined as problem:
        name = str(problem.name)
        raise UnitError(f"{what}: in '{text}' {unknown('value', name, names)}") from None
    except pint.DimensionalityError as problem:
        raise UnitError(f"{what}: '{text}' mixes unlike quantities ({problem})") from None
    except pint.OffsetUnitCalculusError:
        raise UnitError(f"{what}: '{text}' is on a scale such as dB: write it in plain units, such as watts") from None
    except ZeroDivisionError:
        raise UnitError(f"{what}: '{text}' divides by zero") from None
    except (simpleeval.InvalidExpression, SyntaxError, TypeError, ValueError, OverflowError) as problem:
        reason = str(problem).splitlines()[0] if str(problem) else type(problem).__name__
        raise UnitError(f"{what}: '{text}' cannot be worked out ({reason})") from None


def words(text: str) -> list[str]:
    """The words in a text, once each: names of values, functions and units."""
    return list(dict.fromkeys(_WORD.findall(text)))


def scaled(text: str, kind: str, factor: float) -> str:
    """The text with every quantity of a kind in it multiplied, except lengths in wavelengths.

    >>> scaled("rod / 2 + 30 mm - 0.1 lambda", "length", 0.5)
    'rod / 2 + 15 mm - 0.1 lambda'
    """

    def multiplied(match: re.Match[str]) -> str:
        one = _plain_unit(match[2])
        if match[2] == "lambda" or one is None or one.kind != kind:
            return match[0]
        return f"{float(match[1]) * factor:.12g} {match[2]}"

    return _NUMBER_WITH_UNIT.sub(multiplied, text)


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
            if kind != "number" and result.is_compatible_with(unit) and (kind != "angle" or str(result.units)):
                found = Quantity(float(result.to(unit).magnitude), kind)
                break
        else:
            if not result.is_compatible_with(registry.dimensionless):
                raise UnitError(f"{what}: '{text}' measures {result.dimensionality}, which nothing here does")
            found = Quantity(float(result.to("").magnitude), "number")
    if not math.isfinite(found.si):
        raise UnitError(f"{what}: '{text}' is {found.si}; a finite value is needed")
    return found


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
    number = float(value)
    if not math.isfinite(number):
        raise UnitError(f"{what}: {number} is not a {kind}; a finite value is needed")
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


def length(value: str | float, what: str = "length") -> float:
    """A length in metres from metres or text; raises UnitError."""
    return read(value, "length", what=what)


def angle(value: str | float, what: str = "angle") -> float:
    """An angle in radians from text ("30 deg") or radians; raises UnitError."""
    return read(value, "angle", what=what)


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
