"""Texts, names and results files of somebody who means harm, made by rule."""

import itertools
import json

import h5py
import numpy as np

BASES = ["sqrt(4)", "(1 m)", "pi", "abs", "max(1, 2)", "hypot(3, 4)", "(0.9)", "lambda", "[1]", "'m'", "{}", "(1,)"]
REACHES = [
    ".tofile('/tmp/x', '#', 'text%s') or 0.9 m",
    ".__class__.__mro__",
    ".real.dump('x')",
    ".__init__.__globals__",
    "[0]",
    "['x']",
    ".units._REGISTRY.load_definitions('x')",
    "(1)(2)",
    ".__reduce__()",
    ".to('m').magnitude",
    " if 1 else 2",
    " or 0.9 m",
]
REST = [
    "__import__('os').system('touch x')",
    "open('x', 'w')",
    "eval('1')",
    "exec('1')",
    "lambda: 1",
    "lambda x: x",
    "(lambda: 1)()",
    "[x for x in (1, 2)]",
    "{x: 1 for x in (1, 2)}",
    "f'{1}'",
    "'a' * 10",
    "b'a'",
    "x := 3",
    "1; 2 m",
    "0.5 m; 0.7 m",
    "0.5 m, 0.7 m",
    "import os",
    "print(1)",
    "globals()",
    "getattr(1, 'real')",
    "type(1)",
    "__builtins__",
    "9" * 5000,
    "9" * 5000 + " m",
    "1e" + "9" * 300,
    "1." + "0" * 300 + " m",
    "9 ** 9 ** 9",
    "2 ** 100000",
    "(2 m) ** 1000",
    "10 ** 10 ** 10 ** 10 m",
    "1e308 * 1e308",
    "1 / 0",
    "0 ** -1",
    "(-1) ** 0.5",
    "sqrt(-1)",
    "1e999 m",
    "nan",
    "inf m",
    "-inf",
    "(" * 200 + "1" + ")" * 200,
    "(" * 20000,
    "-" * 5000 + "1",
    "1 + " * 5000 + "1",
    "max(" * 90 + "1" + ")" * 90,
    "1 m" + " " * 100000 + "x",
    "m" * 50000,
    "1 " + "m" * 50000,
    "1" * 39 + "." + "1" * 39,
    "\uff11 m",
    "1 \uff4d",
    "\u0661 m",
    "r\u043ed",
    "__\uff43lass__",
    "1\u2028m",
    "1 m\x00",
    "\x1b[31m1 m",
    "\u202e1 m",
    "1 \u200bm",
    "1 m #",
    "1 m // 2",
    "1 m % 2",
    "1 @ 2",
    "1 << 200",
    "~1",
    "not 1",
    "1 == 1",
    "1 < 2 m",
    "1_000 m",
    "0x10 m",
    "1j",
    "...",
    "*1",
    "**{}",
    "sqrt(*(1, 2))",
    "max(a=1)",
    "sqrt()",
    "min()",
    "hypot(1)",
    "sqrt(1, 2)",
    "\\",
    "`1`",
    "${HOME}",
    "%(a)s",
    "{0.__class__}",
    "$(touch x)",
    "1 m && touch x",
    "../../x",
    "file:///etc/passwd",
    "m",
    "2 2 m",
    "2 m m",
    "2 (3 m)",
    "+",
    "()",
    "1 2/0 in",
    "10 dBm",
    "30 degC",
    "14.1 mHz",
    "1 smoot_",
]
TEXTS = list(dict.fromkeys([a + b for a, b in itertools.product(BASES, REACHES)][:144] + REST))
"""None of them is arithmetic that means a number in a unit of ours."""

NAMES = [
    "/../../x",
    "../x",
    "..",
    ".",
    "/etc/passwd",
    "a/b",
    "a\\b",
    "C:\\x",
    "~/x",
    "$HOME",
    "`touch x`",
    "x; touch y",
    "a\x00b",
    "a\nb",
    "\x1b[31mred",
    "\x1b]8;;http://x\x07link",
    "\x07",
    "\x08\x08",
    "\u202egnp",
    "\u200b",
    "[red]x[/red]",
    "[link=x]y",
    "[/]",
    "[bold",
    ":smile:",
    "$x^2$",
    "$\\frac{",
    "%s%n",
    "{0}",
    "a" * 300,
    "\u00e4" * 200,
    "CON",
    "nul.txt",
    ".hidden",
    "-rf",
    "--out",
    "*",
    "?",
    "'",
    '"',
    "<script>alert(1)</script>",
    "=cmd()",
    " lead",
    "trail ",
    "a  b",
    "\u0430dmin",
    "\ufeffx",
    "\ud7ff",
    "results.nc",
    "network",
]


def _deep(store, name, values):
    del store[name]
    store.create_dataset(name, data=values)


def _huge(name, shape):
    def change(store):
        del store[name]
        store.create_dataset(name, shape, "f8", chunks=True, compression="gzip", fillvalue=0.0)

    return change


def _filled(name, value, kind=None):
    def change(store):
        values = store[name][...]
        _deep(store, name, np.full(values.shape, value, kind or values.dtype))

    return change


def _shaped(name, cut):
    return lambda store: _deep(store, name, store[name][...][cut])


def _said(name, text):
    return lambda store: store.attrs.__setitem__(name, text)


def _in_json(name, key, value):
    def change(store):
        content = json.loads(str(np.ravel(store.attrs[name])[0]))
        content[key] = value
        store.attrs[name] = json.dumps(content)

    return change


def _design(before, after):
    def change(store):
        text = str(np.ravel(store.attrs["antenna"])[0])
        assert before in text
        store.attrs["antenna"] = text.replace(before, after, 1)

    return change


def _linked(store):
    store["more"] = h5py.ExternalLink("/etc/passwd", "/")


def _soft(store):
    store["more"] = h5py.SoftLink("/nodes")


def _external(store):
    shape = store["nodes"].shape
    del store["nodes"]
    store.create_dataset("nodes", shape, "f8", external=[("/etc/passwd", 0, h5py.h5f.UNLIMITED)])


def _virtual(store):
    layout = h5py.VirtualLayout(store["nodes"].shape, "f8")
    layout[...] = h5py.VirtualSource("/etc/hostname", "x", shape=store["nodes"].shape)
    del store["nodes"]
    store.create_virtual_dataset("nodes", layout)


def _objects(store):
    _deep(store, "radii", np.array([b"cos\nsystem\n(S'touch x'\ntR."] * 3))


RESULTS = {
    **{f"{n} huge": _huge(n, (10**6, 40, 40, 2)) for n in ("currents", "admittance", "solved_admittance")},
    "nodes huge": _huge("nodes", (10**9, 3)),
    "vertices huge": lambda s: s.create_dataset("vertices", (10**9, 3), "f8", chunks=True, compression="gzip"),
    **{f"{n} not a number": _filled(n, np.nan) for n in ("nodes", "radii", "arc", "currents", "solved", "frequency")},
    **{f"{n} infinite": _filled(n, np.inf) for n in ("nodes", "radii", "admittance", "solved_admittance")},
    **{f"{n} zero": _filled(n, 0) for n in ("radii", "solved", "frequency", "nodes")},
    **{f"{n} below zero": _filled(n, -1) for n in ("radii", "solved", "frequency", "ends", "wire")},
    **{f"{n} beyond": _filled(n, 10**6) for n in ("ends", "wire")},
    **{f"{n} as text": _filled(n, "x", "S3") for n in ("nodes", "ends", "currents")},
    **{f"{n} cut": _shaped(n, slice(0, 2)) for n in ("nodes", "ends", "radii", "arc", "wire", "currents", "grounded")},
    **{f"{n} flat": _shaped(n, np.s_[..., 0]) for n in ("currents", "admittance", "nodes")},
    "an array gone": lambda s: s.__delitem__("radii"),
    "another array": lambda s: s.create_dataset("extra", data=np.zeros(3)),
    "a group": lambda s: s.create_group("more"),
    "an external link": _linked,
    "a soft link": _soft,
    "data of another file": _external,
    "a virtual array": _virtual,
    "objects": _objects,
    "no attribute": lambda s: s.attrs.__delitem__("mesh_rule"),
    "rule odd": _in_json("mesh_rule", "odd", 1),
    "rule text": _in_json("mesh_rule", "per_wavelength", "x"),
    "record odd": _said("record", '{"__class__": {"a": 1}}'),
    "evidence odd": _said("evidence", '{"frequency": "x"}'),
    "values odd": _said("values", '{"a": 3}'),
    "spans odd": _said("spans_Hz", "[[-1, 2]]"),
    "json deep": _said("record", "[" * 5000 + "]" * 5000),
    "text attacks": _design('radius = "', "radius = \"sqrt(4).tofile('x') or "),
    "text of a design without wires": _said("antenna", "title = 'x'\nfrequency = '1 MHz'"),
    "text names a device": _design("points = [", "points = '/dev/zero'\nold = ["),
    "chords": _said(
        "antenna",
        "title='x'\nfrequency='1 MHz'\n[wire.a]\nradius='1 mm'\ncircle={diameter='1 m', chords=1000000000}\n"
        "[port.f]\non='a'\n",
    ),
    "text deep": _said("antenna", "a = " + "[" * 3000 + "]" * 3000),
    "wavelength": _said("mesh_wavelength_m", -1.0),
    "reach": _said("foot_reach_m", float("nan")),
    "band error": _said("band_error", float("inf")),
}
