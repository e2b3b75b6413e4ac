"""Nothing that is read can do more than describe: no file is written, no time or memory taken, a word comes back."""

import os
import resource
import shutil
import time

import h5py
import pytest
from attacks import NAMES, RESULTS, TEXTS

import earshot as es
from earshot import units
from earshot.files.design_file import design_from_text

DESIGN = """title = "rod"
frequency = "150 MHz"
[values]
half = "0.48 m"
[wire.rod]
radius = "2 mm"
points = ["0, 0, -half", "0, 0, half"]
[port.feed]
on = "rod"
"""


def quoted(text):
    """As a string of TOML."""
    special = {"\\": "\\\\", '"': '\\"'}
    return '"' + "".join(special.get(c) or (c if c.isprintable() else f"\\U{ord(c):08x}") for c in text) + '"'


@pytest.fixture
def watched(tmp_path, monkeypatch, run):
    """A folder to work in, where only what was there may be afterwards; time and memory are looked at too."""
    monkeypatch.chdir(tmp_path)
    # What the first texts load is not theirs.
    for text in ("(1 mm + 1 mm)", "sqrt(4) * 1 mm"):
        units.length(text)
    (tmp_path / "model.toml").write_text(DESIGN)
    for words in (("check", "model.toml"), ("diff", "model.toml", "--round", "1 smoot_"), ("convert", "1 smoot_")):
        run(*words)
    before = set(os.listdir(tmp_path)), set(os.listdir("/tmp"))
    size = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    yield tmp_path
    assert set(os.listdir(tmp_path)) == before[0]
    assert not {name for name in set(os.listdir("/tmp")) - before[1] if name.startswith("x")}
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - size < 100_000


def refused(act):
    """The words of a refusal, which comes within a second and obeys no terminal."""
    start = time.process_time()
    with pytest.raises(es.EarshotError) as problem:
        act()
    assert time.process_time() - start < 1.0
    assert len(str(problem.value)) < 2000
    return str(problem.value)


def test_there_are_enough_attacks():
    assert len(TEXTS) >= 200
    assert len(NAMES) >= 50
    assert len(RESULTS) >= 60


@pytest.mark.parametrize(
    "way",
    [
        lambda t: units.evaluate(t, {"rod": units.Quantity(1.0, "length")}, wavelength=2.0) and units.length(t),
        lambda t: es.Wire("w", [(0, 0, 0), (0, 0, t)], radius="1 mm"),
        lambda t: es.Design(lambda v: v, rod=t).with_(rod="1 m") and units.length(t),
        lambda t: es.band("1 MHz", t, 11),
        lambda t: design_from_text(DESIGN.replace('"0.48 m"', quoted(t)), "model.toml", None),
        lambda t: design_from_text(DESIGN.replace('"2 mm"', quoted(t)), "model.toml", None),
        lambda t: design_from_text(DESIGN.replace('"0, 0, half"', quoted(f"0, 0, {t}")), "model.toml", None),
        lambda t: (
            design_from_text(f"{DESIGN}at = {quoted(t)}\n", "model.toml", None).design.antenna and units.length(t)
        ),
        lambda t: design_from_text(DESIGN.replace('"150 MHz"', quoted(t)), "model.toml", None),
        lambda t: design_from_text(DESIGN, "model.toml", None).design.with_(half=t),
        lambda t: design_from_text(DESIGN, "model.toml", None).design.rounded(t),
    ],
    ids=["evaluate", "wire", "design", "band", "value", "radius", "point", "at", "frequency", "set", "round"],
)
@pytest.mark.usefixtures("watched")
def test_texts_describe_a_number_or_are_refused(way):
    for text in TEXTS:
        assert refused(lambda text=text: way(text))


@pytest.mark.parametrize(
    "words",
    [
        lambda t: ("check", "model.toml", "--set", f"half={t}"),
        lambda t: ("check", "model.toml", "-f", t),
        lambda t: ("diff", "model.toml", "--round", t),
        lambda t: ("convert", t),
        lambda t: ("convert", "1 m", f"--to={t}"),
    ],
    ids=["set", "frequency", "round", "convert", "to"],
)
@pytest.mark.usefixtures("watched")
def test_texts_on_the_command_line(run, words):
    for text in TEXTS:
        # What an operating system would not let through, and what begins like an option, is none of ours; m is a unit.
        if "\0" in text or text.startswith("-") or text == "m":
            continue
        start = time.process_time()
        status, out, err = run(*words(text))
        assert time.process_time() - start < 1.0
        assert (status, bool(err)) == (2, True), (text[:60], out, err)
        assert "\x1b" not in out + err
        assert "Traceback" not in err


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    """A sound results file."""
    file = design_from_text(DESIGN + '[band]\nfrom = "140 MHz"\nto = "160 MHz"\npoints = 11\n', "model.toml", None)
    return es.write(es.solve(file.design, file.frequencies), tmp_path_factory.mktemp("whole") / "results.nc")


@pytest.mark.parametrize("change", RESULTS.values(), ids=RESULTS.keys())
def test_hostile_results_files_are_refused(whole, tmp_path, monkeypatch, change):
    monkeypatch.chdir(tmp_path)
    path = shutil.copy(whole, tmp_path / "x.nc")
    with h5py.File(path, "a") as store:
        change(store)
    size = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    says = refused(lambda: es.read_results(path))
    assert "root:" not in says
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - size < 100_000
    assert os.listdir(tmp_path) == ["x.nc"]


def test_results_files_that_are_cut_or_scrambled(whole, tmp_path):
    import numpy as np

    content = whole.read_bytes()
    random = np.random.default_rng(3)
    for share in np.linspace(0.0, 0.999, 15):
        (tmp_path / "x.nc").write_bytes(content[: int(share * len(content))])
        assert refused(lambda: es.read_results(tmp_path / "x.nc"))
    for _ in range(40):
        spoilt = bytearray(content)
        for place in random.integers(0, len(content), 3):
            spoilt[place] ^= int(random.integers(1, 256))
        (tmp_path / "x.nc").write_bytes(bytes(spoilt))
        try:
            es.read_results(tmp_path / "x.nc")
        except es.EarshotError:
            continue


@pytest.mark.parametrize("name", NAMES, ids=[ascii(n)[:30] for n in NAMES])
def test_names_stay_names(tmp_path, run, monkeypatch, name):
    monkeypatch.chdir(tmp_path)
    key = quoted(name)
    (tmp_path / "model.toml").write_text(
        DESIGN.replace('"rod"\nfreq', f"{key}\nfreq")
        .replace("wire.rod", f"wire.{key}")
        .replace('on = "rod"', f"on = {key}")
        + f"[case.{key}]\npower = {{ feed = '1 W' }}\ncuts = ['E']\n[case.{key}.near.{key}]\nfrom = '1 m, 0, 0'\n"
        "to = '2 m, 0, 0'\npoints = 2\n",
        encoding="utf-8",
    )
    beside = set(os.listdir(tmp_path.parent)), set(os.listdir("/tmp"))
    status, out, err = run("solve", "model.toml", "--out", "out")
    assert status == 0, err
    assert set(os.listdir(tmp_path)) == {"model.toml", "out"}
    assert not {n for n in set(os.listdir("/tmp")) - beside[1] if n.startswith("x")}
    assert len(os.listdir("out")) == 8
    status, shown, err = run("show", "out/results.nc")
    assert (status, shown) == (0, out)
    # A bell, or what turns the writing round, is written out and does nothing.
    for letter in out + err:
        assert letter in "\n\t" or letter.isprintable(), ascii(letter)
    if "[" in name and name.isprintable():
        assert name in out


def test_a_name_with_brackets_and_codes_is_drawn_as_it_is(tmp_path, run):
    import re

    name = "[red]$x^2$ \x1b[31m"
    (tmp_path / "model.toml").write_text(DESIGN.replace('"rod"\nfreq', f"{quoted(name)}\nfreq"))
    status, _, err = run("plot", tmp_path / "model.toml", "vswr", "--out", tmp_path, "--format", "svg")
    assert status == 0, err
    assert re.search(r"\[red\]\$x\^2\$ \\x1b\[31m", (tmp_path / "vswr.svg").read_text())


def test_names_that_would_share_a_file_are_refused(tmp_path, run):
    cases = "".join(f'[case."{n}"]\npower = {{ feed = "1 W" }}\n' for n in ("to sea", "to-sea"))
    (tmp_path / "model.toml").write_text(DESIGN + cases)
    status, _, err = run("solve", tmp_path / "model.toml", "--out", tmp_path / "o")
    assert (status, "would both be written as 'to-sea'" in err) == (2, True)
    near = "".join(f'[case.a.near."{n}"]\nfrom = "1 m, 0, 0"\nto = "2 m, 0, 0"\n' for n in ("x", "X"))
    (tmp_path / "model.toml").write_text(DESIGN + '[case.a]\npower = { feed = "1 W" }\n' + near)
    assert "near fields 'x' and 'X' would both" in run("check", tmp_path / "model.toml")[2]


@pytest.mark.parametrize("path", ["/dev/zero", "/dev/stdin", "/etc/passwd", "pipe", "."])
@pytest.mark.parametrize(
    "key", ["[wire.rod]\nradius='1 mm'\npoints='{}'", "[array]\nplaces='{}'", "[load.l]\non='rod'\ntable='{}'"]
)
def test_special_and_foreign_files_are_refused_and_not_quoted(tmp_path, run, path, key):
    os.mkfifo(tmp_path / "pipe")
    text = (
        DESIGN.replace('[wire.rod]\nradius = "2 mm"\npoints = ["0, 0, -half", "0, 0, half"]\n', "")
        if "wire" in key
        else DESIGN
    )
    (tmp_path / "model.toml").write_text(text + key.format(path) + "\n")
    start = time.process_time()
    status, out, err = run("check", tmp_path / "model.toml")
    assert (status, out) == (2, "")
    assert time.process_time() - start < 1.0
    assert "root:" not in err
    assert any(words in err for words in ("cannot read", "must begin with", "has no column", "is not a table"))
