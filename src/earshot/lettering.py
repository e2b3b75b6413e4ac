"""Letters that cannot be seen, or told from others: how words of the user's are shown."""

from __future__ import annotations

import unicodedata
from html import escape
from typing import Any

LONGEST_WORD = 40
"""Characters of a word that are shown in a complaint."""


def visible(text: str) -> str:
    r"""The text with every control code, and what turns or hides the letters after it, written out.

    Line ends and tabs stay. A name can then say what it likes: no terminal and no figure obeys it.

    >>> print(visible("boom\x1b[31m"))
    boom\x1b[31m
    """
    if text.isascii() and text.isprintable():
        return text
    return "".join(letter if _is_seen(letter) else _code(letter) for letter in text)


def _is_seen(letter: str) -> bool:
    # Controls, formats (such as turning the direction of writing), surrogates, and what is no letter at all.
    return letter in "\n\t" or unicodedata.category(letter) not in ("Cc", "Cf", "Cs", "Cn", "Co", "Zl", "Zp")


def _code(letter: str) -> str:
    return letter.encode("unicode_escape").decode("ascii")


def told(word: str) -> str:
    r"""A word in quotes, with the code of a letter that cannot be seen or may be taken for another.

    >>> print(told("rod"))
    'rod'
    >>> print(told("r\u043ed").encode("unicode_escape").decode())
    'r\u043ed' ('\u043e' is U+043E, cyrillic small letter o)
    """
    odd = next((letter for letter in word if not (letter.isascii() and letter.isprintable())), None)
    shown = visible(word[:LONGEST_WORD])
    if odd is None:
        return f"'{shown}'"
    return f"'{shown}' ('{visible(odd)}' is U+{ord(odd):04X}, {unicodedata.name(odd, 'a control code').lower()})"


class Told:
    """Something that is shown as a line of words, and in a notebook as a table where it has one."""

    __slots__ = ()

    def _in_words(self) -> str:
        raise NotImplementedError

    def _as_table(self) -> Any:
        """A pandas table, or None."""
        return None

    def __repr__(self) -> str:
        return f"<{type(self).__name__}: {self._in_words()}>"

    def _repr_html_(self) -> str:
        table = self._as_table()
        line = f"<p>{escape(repr(self))}</p>"
        return line if table is None else line + str(table.to_html())
