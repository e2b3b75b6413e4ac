"""Designs as text: what is written reads back as the same; whatever is written badly is told, never a traceback."""

import string
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import earshot as es
from earshot.files.design_file import design_from_text
from earshot.files.design_text import antenna_text, design_text
from earshot.files.schema import DesignTable

HERE = Path()
DEMOS = sorted(p for p in (Path(es.__file__).parent / "demo").glob("*.toml") if not p.stem.endswith("_place"))


def again(text):
    return design_from_text(text, "again.toml", HERE).design


@pytest.mark.parametrize("path", DEMOS, ids=lambda p: p.stem)
def test_a_file_is_written_as_it_was_read(path):
    file = es.read_design(path)
    assert design_text(file.design) == path.read_text()
    # An antenna without a port is only read on a lattice, which is no part of it.
    if file.design.antenna.ports:
        assert again(antenna_text(file.design.antenna, file.design.frequency)).antenna == file.design.antenna


def test_changed_values_go_into_the_text_and_nothing_else(demo_path):
    design = es.read_design(demo_path).design
    changed = design.with_(driven="0.93 m")
    before, after = demo_path.read_text().splitlines(), design_text(changed).splitlines()
    assert [(a, b) for a, b in zip(before, after, strict=True) if a != b] == [
        (before[6], before[6].replace("949 mm", "0.93 m"))
    ]
    moved = design_text(design.scaled_to("300.2 MHz"))
    assert 'frequency = "300.2 MHz"                # where "lambda" is measured' in moved
    assert 'from = "280 MHz"' in moved
    assert again(moved).antenna == design.scaled_to("300.2 MHz").antenna


def test_a_design_from_python_is_written_as_its_antenna(tmp_path, dipole):
    design = es.Design(lambda v: dipole.scaled(v.size), size=1.1, frequency="150 MHz")
    text = es.write(design, tmp_path / "x.toml").read_text()
    assert text.startswith("# Built from these values")
    assert "# size = 1.1" in text
    assert es.read_design(tmp_path / "x.toml").design.antenna == design.antenna
    with pytest.raises(es.UsageError, match="give the design frequency"):
        es.write(es.Design(lambda v: dipole), tmp_path / "y.toml")


LENGTHS = st.floats(-5, 5, allow_nan=False).map(lambda x: round(x, 6))
NAMES = st.text(string.ascii_letters + " -_.é\"'", min_size=1, max_size=8).filter(str.strip)
POINTS = st.lists(st.tuples(LENGTHS, LENGTHS, LENGTHS), min_size=2, max_size=5)


@st.composite
def antennas(draw):
    names = draw(st.lists(NAMES, min_size=1, max_size=4, unique=True))
    radii = st.floats(1e-5, 0.1)
    metals = st.sampled_from([None, "copper", "steel"])
    wires = [es.Wire(n, draw(POINTS), radius=draw(radii), metal=draw(metals)) for n in names]
    ports = [es.Port(f"p{i}", n, draw(st.floats(0, 1)), reference=draw(st.floats(1, 1e4))) for i, n in enumerate(names)]
    medium = draw(st.sampled_from([es.free_space(), es.perfect_plane()]))
    return es.Antenna(draw(NAMES), wires, ports, medium)


@settings(max_examples=60, deadline=None)
@given(antennas(), st.floats(1e3, 1e11))
def test_any_antenna_reads_back_as_itself(antenna, hertz):
    read = again(antenna_text(antenna, hertz))
    assert read.antenna == antenna
    assert read.frequency == hertz


WORDS = st.sampled_from(
    ["6 mm", "0.25 lambda", "rod / 2", "-rod", "1 MHz", "50 ohm", "nope", "", "1 / 0", "0, 0, rod", "0, 0", "9" * 400,
     "rod.csv", "open", "E", "elevation 95 deg", "2 ** 9 ** 9 ** 9", "[", "perfect plane", "feed", "rod", "__import__"]
)  # fmt: skip
SCALARS = WORDS | st.integers(-3, 3) | st.floats(allow_nan=True) | st.booleans() | st.none()
ANYTHING = st.recursive(
    SCALARS, lambda x: st.lists(x, max_size=3) | st.dictionaries(WORDS, x, max_size=3), max_leaves=6
)
KEYS = sorted({f.alias or n for n, f in DesignTable.model_fields.items()} | {"on", "at", "gap", "radius", "is", "odd"})
GOOD = {
    "title": "t",
    "frequency": "150 MHz",
    "values": {"rod": "6 mm"},
    "wire": {"a": {"radius": "rod / 2", "points": ["0, 0, 0", "0, 0, 0.9 m"]}},
    "port": {"feed": {"on": "a"}},
}


def places(content, path=()):
    """Every place of a nested table."""
    yield path
    if isinstance(content, dict):
        for key, inner in content.items():
            yield from places(inner, (*path, key))


@st.composite
def broken_files(draw):
    """A good file with something put anywhere, or under any key."""
    import copy

    content = copy.deepcopy(GOOD)
    for _ in range(draw(st.integers(1, 3))):
        *path, key = draw(st.sampled_from([p for p in places(content) if p])) or ("title",)
        here = content
        for step in path:
            here = here[step]
        if draw(st.booleans()):
            key = draw(st.sampled_from(KEYS))
        here[key] = draw(ANYTHING)
    return content


def toml(content):
    import tomlkit

    def clean(x):
        if isinstance(x, dict):
            return {k or "k": clean(v) for k, v in x.items() if v is not None}
        return [clean(v) for v in x if v is not None] if isinstance(x, list) else x

    return tomlkit.dumps(clean(content))


@settings(max_examples=250, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(broken_files())
def test_any_file_is_an_antenna_or_a_message(content):
    try:
        file = design_from_text(toml(content), "any.toml", HERE)
    except es.UsageError as problem:
        told = str(problem).splitlines()
    else:
        told = ["any.toml"]
        es.check(file.design)
        assert again(design_text(file.design)).antenna == file.design.antenna
    assert all(line.startswith("any.toml") for line in told)


@settings(max_examples=150, deadline=None)
@given(st.text(max_size=80) | st.binary(max_size=80).map(lambda b: b.decode("utf-8", "replace")))
def test_any_text_is_told(text):
    with pytest.raises(es.DesignFileError, match=r"any\.toml"):
        design_from_text(text, "any.toml", HERE)


def test_everything_wrong_is_told_at_once(tmp_path):
    path = tmp_path / "bad.toml"
    path.write_text("""
titel = "x"
frequency = "150 MHz"
medium = "swamp"
[values]
height = "3 smoots_"
half = "height / 2"
[wire.a]
raduis = "6 mm"
points = ["0, 0, 0", "0, 0"]
[wire.b]
radius = "rdo"
points = ["0, 0, 0", "0, 0, half"]
metal = "coper"
circle = { diametre = "1 m" }
[port.feed]
on = "c"
refrence = 3
[load.x]
on = "a"
impedance = "4 m"
[band]
from = "20 MHz"
to = "10 MHz"
[case.one]
power = { fed = "1 W" }
cuts = ["Q"]
""")
    with pytest.raises(es.DesignFileError) as problem:
        es.read_design(path)
    told = str(problem.value)
    for words in (
        "title is missing", "titel is not a key of a design file; did you mean 'title'",
        "wire.a.raduis is not a key of a design file; did you mean 'radius'", "wire.a.points, point 2: '0, 0' has 2",
        "wire.b.circle.diametre is not a key of a design file; did you mean 'diameter'",
        "wire.b.radius: 'rdo' cannot be worked out: there is no value 'rdo'",
        "wire.b.metal: there is no metal 'coper'; did you mean 'copper'",
        "port.feed.refrence is not a key", "port.feed.on: there is no wire or sheet 'c'",
            "medium: there is no medium 'swamp'",
        "values.height.is: '3 smoots_'", "load.x.impedance: '4 m' is a length", "runs backwards",
        "case.one.power: there is no port 'fed'; did you mean 'feed'",
    ):  # fmt: skip
        assert words in told
    # What follows from a fault that is told is not told again.
    assert "no value 'height'" not in told
    assert len(told.splitlines()) <= 17
