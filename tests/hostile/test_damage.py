"""Files damaged by chance: a word comes back within seconds, never a raw error or a warning of a library."""

import logging
import random
import re
import time
from importlib import resources

import pytest

import earshot as es
from earshot.answers.prepare import prepare

DEMOS = ("tag_receiver", "buoy_monopole", "uplink_turnstile", "hut_roof", "mainland_patch", "buoy_on_swell", "tag_line")
WORDS = (
    *('"x"', "-1", "0", "1e400", "nan", "inf", "1" + "0" * 30, "[]", "{}", '""', "true", '"1 m"', '"-1 m"', '"0 m"'),
    *('"1e30 m"', '"1e-30 m"', '"1 MHz"', "[1, 2, 3]", '"0, 0, 0"', "1e9", "-5.5", '"\\u0000"', "[[1]]", "{ a = 1 }"),
)
NUMBERS = ("0", "-1", "1e9", "1e-9", "1e300", "7", "0.5", "1000000", "3")
TABLES = {
    "c.csv": "frequency_Hz,R_ohm,X_ohm\n1e8,50,1\n2e8,60,2\n3e8,70,3\n",
    "v.csv": "f (MHz),VSWR\n1,1.5\n2,1.2\n3,2\n",
    "s.s1p": "# MHz S RI R 50\n1 0.1 0.2\n2 0.2 0.1\n",
    "s.s2p": "! port 1: a\n# GHz S MA R 50\n1 .1 2 .3 4 .3 4 .1 2\n2 .1 2 .3 4 .3 4 .1 2\n",
    "t.ts": "[Version] 2.0\n# Hz S RI R 50\n[Number of Ports] 1\n[Reference] 50\n[Network Data]\n1 .1 .2\n[End]\n",
    "o.obj": "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n",
    "b.stl": "solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n",
    "l.csv": "x_m,y_m,group\n0,0,0\n1,0,1\n",
    "w.csv": "amplitude,phase_deg\n1,0\n0.5,30\n",
    "p.csv": "theta_deg,phi_deg,gain_dBi\n"
    + "".join(f"{t},{p},{1 - t / 50}\n" for t in range(0, 91, 15) for p in range(0, 360, 30)),
}
READERS = {"l.csv": es.files.read_layout, "w.csv": es.files.read_weights, "p.csv": es.files.read_pattern}
READERS |= dict.fromkeys(("o.obj", "b.stl"), es.files.read_triangles)
PIECES = (b",", b"\n", b"x", b"-", b"1e999", b"nan", b"#", b"99999999999", b'"', b"\0", b"/", b" ")


def damaged_design(text, chance):
    """Lines lost, doubled, cut off, misspelt, and numbers and values that make no sense."""
    lines = text.split("\n")
    for _ in range(chance.choice([1, 1, 2, 3])):
        kind, i = chance.randrange(6), chance.randrange(len(lines))
        if kind == 0 and len(lines) > 1:
            del lines[i]
        elif kind == 1:
            lines.insert(i, chance.choice(lines))
        elif kind == 2 and "=" in lines[i]:
            lines[i] = f"{lines[i].split('=')[0]}= {chance.choice(WORDS)}"
        elif kind == 3 and lines[i]:
            at = chance.randrange(len(lines[i]))
            lines[i] = lines[i][:at] + chance.choice('[]{}"=,.#x0-9 \0\u00e9') + lines[i][at + chance.randrange(2) :]
        elif kind == 4 and (found := list(re.finditer(r"\d+\.?\d*", lines[i]))):
            number = chance.choice(found)
            lines[i] = lines[i][: number.start()] + chance.choice(NUMBERS) + lines[i][number.end() :]
        elif kind == 5:
            lines[i] = lines[i][: chance.randrange(len(lines[i]) + 1)]
    return "\n".join(lines)


def damaged_bytes(text, chance):
    """Bytes changed, lost, put in, doubled and cut off."""
    content = bytearray(text.encode())
    for _ in range(chance.choice([1, 1, 2, 4])):
        kind, i = chance.randrange(5), chance.randrange(len(content) + 1)
        if kind == 0 and i < len(content):
            content[i] = chance.randrange(256)
        elif kind == 1:
            del content[i : i + chance.randrange(12)]
        elif kind == 2:
            content[i:i] = chance.choice(PIECES)
        elif kind == 3:
            j = chance.randrange(len(content) + 1)
            content[i:i] = content[j : j + 30]
        elif kind == 4:
            content = content[:i]
    return bytes(content)


def refused_or_read(act):
    start = time.process_time()
    try:
        act()
    except es.EarshotError as problem:
        return str(problem)
    finally:
        assert time.process_time() - start < 20.0
    return ""


@pytest.fixture(autouse=True)
def _quiet():
    logging.disable(logging.CRITICAL)
    yield
    logging.disable(logging.NOTSET)


@pytest.mark.parametrize("part", range(8))
def test_damaged_designs_are_checked_or_refused(tmp_path, part):
    chance = random.Random(part)
    for _ in range(25):
        text = (resources.files("earshot.demo") / f"{chance.choice(DEMOS)}.toml").read_text()
        (tmp_path / "m.toml").write_text(damaged_design(text, chance), encoding="utf-8")

        def act():
            file = es.read_design(tmp_path / "m.toml")
            prepare(file.design, file.highest)

        refused_or_read(act)


@pytest.mark.parametrize("name", TABLES)
def test_damaged_tables_are_read_or_refused(tmp_path, name):
    chance, refused = random.Random(name), 0
    for _ in range(120):
        (tmp_path / name).write_bytes(damaged_bytes(TABLES[name], chance))
        says = refused_or_read(lambda: READERS.get(name, es.read_network)(tmp_path / name))
        refused += bool(says)
    assert refused > 20
