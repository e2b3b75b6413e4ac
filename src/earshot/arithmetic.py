"""The arithmetic of texts: numbers, units, names, + - * / **, brackets and a few functions, and nothing else.

The grammar is all there is: a text is never handed to an interpreter, so it can describe a number and do nothing. What
a unit or a name stands for is the caller's to say; here they are anything that can be added and multiplied.
"""

from __future__ import annotations

import functools
import operator
import re
from collections.abc import Callable, Iterator
from typing import Any

from .errors import EarshotError, unknown
from .lettering import told

LONGEST = 400
"""Characters that a text may have."""
DIGITS = 40
"""Characters that a number or a name may have."""
GREATEST_POWER = 64.0
"""What a power's exponent may be at most, either way."""

_NUMBER = r"(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?"
_WORD = r"[^\W\d]\w*|°"
_TOKEN = re.compile(rf"(?P<number>{_NUMBER})|(?P<word>{_WORD})|\S")
_GRAMMAR = rf"""
?sum: product
    | sum "+" product -> add
    | sum "-" product -> sub
?product: signed
    | product "*" signed -> mul
    | product "/" signed -> div
?signed: power
    | quantity
    | "-" signed -> neg
    | "+" signed
?power: atom
    | atom "**" signed -> raised
?atom: "(" sum ")"
    | NUMBER -> number
    | WORD -> name
    | WORD "(" [sum ("," sum)*] ")" -> call
quantity: NUMBER WORD
NUMBER: /{_NUMBER}/
WORD: /{_WORD}/
%ignore /[ \t\r\n]+/
"""
"""A unit belongs to the number before it, and a number with a unit is raised in brackets: "(2 m) ** 2"."""

FUNCTIONS: dict[str, tuple[int, int]] = {
    "sqrt": (1, 1),
    "sin": (1, 1),
    "cos": (1, 1),
    "tan": (1, 1),
    "hypot": (2, 2),
    "min": (1, 20),
    "max": (1, 20),
    "abs": (1, 1),
}
"""The functions there are, each with the fewest and the most numbers it takes."""


@functools.cache
def _functions() -> dict[str, Callable[..., Any]]:
    import numpy as np

    # NumPy's functions know the unit package's quantities; sin("30 deg") works, sin("3 m") says why not.
    return {name: getattr(np, name) for name in ("sqrt", "sin", "cos", "tan", "hypot")} | {
        "min": lambda *numbers: min(numbers),
        "max": lambda *numbers: max(numbers),
        "abs": abs,
    }


@functools.cache
def _parser() -> Any:
    import lark

    # One pass from left to right with a table: its time grows with the text, and it never calls itself.
    return lark.Lark(_GRAMMAR, start="sum", parser="lalr", lexer="basic", maybe_placeholders=False)


class ExpressionError(EarshotError):
    """Arithmetic that has no meaning, in the words that complete a complaint."""


class _Worked:
    """Works a tree out from its leaves; what units and names stand for comes from outside."""

    def __init__(self, unit: Callable[[str], Any], name: Callable[[str], Any]) -> None:
        self.unit, self.of_name = unit, name
        self.add, self.sub = operator.add, operator.sub
        self.mul, self.div, self.neg = operator.mul, operator.truediv, operator.neg

    def number(self, digits: str) -> float:
        if len(digits) > DIGITS:
            raise ExpressionError(f"its number of {len(digits)} characters is longer than {DIGITS}")
        return float(digits)

    def quantity(self, digits: str, unit: str) -> Any:
        return self.number(digits) * self.unit(_short(unit))

    def name(self, word: str) -> Any:
        return self.of_name(_short(word))

    def call(self, word: str, *numbers: Any) -> Any:
        import numpy as np

        if word not in FUNCTIONS:
            raise ExpressionError(f"{unknown('function', _short(word), FUNCTIONS)}")
        fewest, most = FUNCTIONS[word]
        if not fewest <= len(numbers) <= most:
            raise ExpressionError(
                f"{word} takes {fewest if fewest == most else f'{fewest} to {most}'} of them, not {len(numbers)}"
            )
        with np.errstate(all="ignore"):  # What is not finite is refused at the end.
            return _functions()[word](*numbers)

    def raised(self, base: Any, exponent: Any) -> Any:
        power = float(exponent)
        if not abs(power) <= GREATEST_POWER:
            raise ExpressionError(f"a power of {power:g} is beyond {GREATEST_POWER:g}")
        found = base**power
        if isinstance(getattr(found, "magnitude", found), complex):
            raise ExpressionError("a root of a negative number is not real")
        return found


def _short(word: str) -> str:
    if len(word) > DIGITS:
        raise ExpressionError(f"its word of {len(word)} characters is longer than {DIGITS}")
    return word


def evaluate(text: str, unit: Callable[[str], Any], name: Callable[[str], Any]) -> Any:
    """What a text comes to. unit, name: what a unit and a name in it stand for; they raise for what there is not.

    Raises ExpressionError for a text that is not arithmetic, and whatever its operations raise.

    >>> evaluate("2 * (3 cm + rod)", {"cm": 0.01}.__getitem__, {"rod": 0.02}.__getitem__)
    0.1
    """
    import lark

    check_length(text)
    try:
        tree = _parsed(text)
    except lark.exceptions.UnexpectedInput as problem:
        raise ExpressionError(_fault(problem, text)) from None
    return _from_leaves(tree, _Worked(unit, name))


@functools.lru_cache(maxsize=2048)
def _parsed(text: str) -> Any:
    """Its tree: the texts of a design are worked out again for every change of a value."""
    return _parser().parse(text)


def check_length(text: str) -> None:
    """Raise ExpressionError for a text that is longer than arithmetic may be."""
    if len(text) > LONGEST:
        raise ExpressionError(f"it has {len(text)} characters; {LONGEST} are the most")


def _from_leaves(tree: Any, worked: _Worked) -> Any:
    """Work out every branch after those below it, without calling itself, however deep the tree is."""
    order, waiting = [], [tree]
    while waiting:
        branch = waiting.pop()
        order.append(branch)
        waiting += [child for child in branch.children if hasattr(child, "children")]
    values: dict[int, Any] = {}
    for branch in reversed(order):
        parts = [values.pop(id(c)) if hasattr(c, "children") else str(c) for c in branch.children]
        values[id(branch)] = getattr(worked, branch.data)(*parts)
    return values[id(tree)]


def _fault(problem: Any, text: str) -> str:
    """Where a text stops being arithmetic, and why."""
    at = problem.pos_in_stream
    token = str(problem.token) if hasattr(problem, "token") else text[at]
    if not token:
        return "it ends too early" if text.strip() else "it is empty"
    if token == "^":
        return "write powers with **"
    if token == "**":
        return "a number with a unit is raised in brackets, as in (2 m) ** 2"
    return (
        f"at character {at + 1}, {told(token)} has no place: numbers with units, names, + - * / **, brackets and "
        f"{', '.join(FUNCTIONS)} may stand there"
    )


@functools.lru_cache(maxsize=8192)
def words(text: str) -> tuple[str, ...]:
    """The words in a text, once each: names of values, functions and units.

    >>> words("rod / 2 + 1e-3 m")
    ('rod', 'm')
    """
    return tuple(dict.fromkeys(token.group("word") for token in _tokens(text) if token.group("word")))


def rewritten(text: str, change: Callable[[float, str], str | None]) -> str:
    """The text with every number that has a unit as `change` writes it; None leaves it as it is.

    >>> rewritten("rod / 2 + 1.5e-3 m", lambda number, unit: f"{1000 * number:g} mm" if unit == "m" else None)
    'rod / 2 + 1.5 mm'
    """
    pieces, after, number = [], 0, None
    for token in _tokens(text):
        if token.group("word") and number is not None:
            new = change(float(number.group()), token.group("word"))
            if new is not None:
                pieces += [text[after : number.start()], new]
                after = token.end()
        number = token if token.group("number") else None
    return "".join(pieces) + text[after:]


def _tokens(text: str) -> Iterator[re.Match[str]]:
    return _TOKEN.finditer(text)
