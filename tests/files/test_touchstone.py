"""Touchstone and measured curves, in and out."""

import re

import numpy as np
import pytest

import earshot as es


def network(count, references=(50,)):
    """A made-up reciprocal network of so many ports."""
    rng = np.random.default_rng(count)
    y = rng.normal(size=(3, count, count)) + 1j * rng.normal(size=(3, count, count))
    y = 0.005 * (y + np.swapaxes(y, 1, 2)) + 0.02 * np.eye(count)
    ohms = np.resize(np.array(references, complex), count)
    return es.circuits.Network(np.array([1e8, 1.5e8, 2e8]), y, tuple(f"p {i}" for i in range(count)), ohms, "made up")


@pytest.mark.parametrize("count", [1, 2, 3, 4, 5, 9])
@pytest.mark.parametrize("ending", ["s{}p", "ts"])
@pytest.mark.parametrize(("parameters", "form"), [("S", "RI"), ("Z", "MA"), ("Y", "DB")])
def test_touchstone_there_and_back(tmp_path, count, ending, parameters, form):
    given = network(count, (75,))
    path = es.write(given, tmp_path / f"x.{ending.format(count)}", parameters=parameters, form=form)
    back = es.read_network(path)
    np.testing.assert_allclose(back.s(), given.s(), atol=1e-11)
    assert back.ports == given.ports
    assert (back.references == 75).all()
    assert max(len(line.split()) for line in path.read_text().splitlines() if line[0] in " 123456789") <= 9


def test_version_2_holds_a_reference_for_every_port(tmp_path):
    given = network(3, (50, 75, 300))
    back = es.read_network(es.write(given, tmp_path / "x.ts"))
    np.testing.assert_allclose(back.s(), given.s(), atol=1e-11)
    assert back.references.real.tolist() == [50, 75, 300]
    with pytest.raises(es.UsageError, match=r"1\.x holds one real reference.*version 2"):
        es.write(given, tmp_path / "x.s3p")
    with pytest.raises(es.UsageError, match="real reference impedances"):
        es.write(network(1, (50 - 5j,)), tmp_path / "x.ts")


def test_touchstone_of_others_is_read(tmp_path):
    """The defaults of the standard, noise parameters, halves of matrices, remarks anywhere."""
    path = tmp_path / "amplifier.s2p"
    path.write_text(
        "! made up\n#\n! magnitude and angle, GHz, 50 ohm\n"
        "1 0.5 90  2.0 0  0.1 -90  0.25 180 ! a remark\n2 .5 45 2 0 .1 -90 .25 180\n"
        "0.5 1.2 0.3 45 0.4\n"
    )
    found = es.read_network(path)
    np.testing.assert_allclose(found.frequencies, [1e9, 2e9])
    np.testing.assert_allclose(found.s().values[0], [[0.5j, -0.1j], [2.0, -0.25]], atol=1e-12)
    half = tmp_path / "half.ts"
    half.write_text(
        "[Version] 2.0\n# MHz Y RI R 50\n[Number of Ports] 2\n[Two-Port Data Order] 12_21\n[Matrix Format] Lower\n"
        "[Number of Frequencies] 1\n[Reference] 50\n75\n[Begin Information]\nanything, even 1 2 3\n[End Information]\n"
        "[Network Data]\n100 0.02 0 -0.01 0.001\n 0.03 0\n[Noise Data]\n1 2 3 4 5\n[End]\nnothing after this counts\n"
    )
    found = es.read_network(half)
    np.testing.assert_allclose(found.admittance[0], [[0.02, -0.01 + 0.001j], [-0.01 + 0.001j, 0.03]])
    assert found.references.real.tolist() == [50, 75]


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [
        ("x.s2p", "# Hz S RI R 50\n1 2 3\n", "3 numbers are not whole records of 9 for 2 ports"),
        ("x.s1p", "# Hz S RI R 50\n1e8 0.1 zero\n", "line 2: .* not a number"),
        ("x.s1p", "# Hz S RI R 50\n1e8 0.1 nan\n", "line 2: .* not finite"),
        ("x.s1p", "# Hz Q RI R 50\n1e8 0.1 0\n", "line 1: word 2 of the option line"),
        ("x.s2p", "# Hz H RI R 50\n1e8 0.1 0\n", "H parameters are not read"),
        ("x.s1p", "# Hz S RI R 50\n2 0 0\n1 0 0\n", "frequencies do not rise"),
        ("x.s1p", "", "0 numbers"),
        ("x.ts", "[Version] 2.0\n# Hz S RI R 50\n[Network Data]\n1 0 0\n", "how many ports it has is not said"),
        ("x.ts", "[Number of Ports] 1\n[Number of Frequencies] 2\n[Network Data]\n1 0 0\n", "says 2, but there are 1"),
        (
            "x.ts",
            "[Version] 2.0\n[Number of Ports] 2\n[Reference] 50\n[Network Data]\n",
            r"\[Reference\] gives 1 values",
        ),
        ("x.ts", "[Number of Ports] 1\n[Matrix Format] Odd\n[Network Data]\n1 0 0\n", "not Full, Lower or Upper"),
        ("x.ts", "[Number of Ports] 2\n[Mixed-Mode Order] D1,2\n[Network Data]\n1 0 0\n", "mixed-mode"),
        ("x.s1p", "# Hz S RI R 50\n1e8 -1 0\n", "perfect short"),
        ("x.csv", "f,VSWR\n1,2\n", "no column is a frequency with a unit"),
        ("x.csv", "f (MHz),what\n1,2\n", "no column is known"),
        ("x.csv", "f (MHz),VSWR\n1,0.5\n", "below 1 is impossible"),
        ("x.csv", "f (MHz),VSWR\n1,two\n", "row 1, vswr: not a number"),
        ("x.csv", "f (MHz),VSWR\n2,1.5\n1,1.5\n", "do not rise"),
        ("x.csv", "", "cannot read"),
        ("x.txt", "", r"are read from \.s1p"),
        ("gone.s1p", None, "No such file"),
    ],
)
def test_broken_files_are_told_from_good_ones(tmp_path, name, text, says):
    path = tmp_path / name
    if text is not None:
        path.write_text(text)
    with pytest.raises(es.UsageError, match=says):
        es.read_network(path)


@pytest.mark.parametrize("seed", range(40))
def test_no_damage_to_a_touchstone_file_is_a_traceback(tmp_path, seed):
    rng = np.random.default_rng(seed)
    whole = es.write(network(2), tmp_path / "x.s2p").read_bytes()
    damaged = bytearray(whole[: rng.integers(1, len(whole))] if seed % 2 else whole)
    for place in rng.integers(0, len(damaged), 3):
        damaged[place] = rng.integers(0, 256)
    (tmp_path / "x.s2p").write_bytes(bytes(damaged))
    try:
        found = es.read_network(tmp_path / "x.s2p")
    except es.UsageError as problem:
        told = str(problem)
    else:
        told = found.label + ".s2p"
        assert np.isfinite(found.s()).all()
    assert "x.s2p" in told


@pytest.mark.parametrize(
    "text",
    [
        "frequency_Hz,R_ohm,X_ohm\n1e8,30,-12.5\n2e8,50,0\n",
        "f (MHz), R (ohm), X (ohm)\n100,30,-12.5\n200,50,0\n",
        "freq_GHz,S11_re,S11_im\n0.1,{0.real},{0.imag}\n0.2,0,0\n",
        "frequency (MHz),S11 (dB),S11 (deg)\n100,{1},{2}\n200,-300,0\n",
    ],
)
def test_curves_with_phase_are_networks(tmp_path, text):
    gamma = (30 - 12.5j - 50) / (30 - 12.5j + 50)
    path = tmp_path / "meter.csv"
    path.write_text(text.format(gamma, 20 * np.log10(abs(gamma)), np.degrees(np.angle(gamma))))
    found = es.read_network(path)
    np.testing.assert_allclose(found.frequencies, [1e8, 2e8])
    np.testing.assert_allclose(found.impedance().values[:, 0], [30 - 12.5j, 50], atol=1e-9)


@pytest.mark.parametrize("text", ["f (MHz),VSWR\n1,3\n2,1.5\n", "f_MHz,return loss (dB)\n1,6.0206\n2,13.9794\n",
                                  "MHz f,x\n", "frequency MHz,dB(S11)\n1,-6.0206\n2,-13.9794\n"])  # fmt: skip
def test_curves_without_phase_are_traces(tmp_path, text):
    path = tmp_path / "meter.csv"
    path.write_text("# a remark\n" + text)
    if "x" in text.split("\n")[0]:
        with pytest.raises(es.UsageError):
            es.read_network(path)
        return
    found = es.read_network(path)
    assert isinstance(found, es.circuits.Trace)
    np.testing.assert_allclose(found.vswr().values[:, 0], [3, 1.5], rtol=1e-4)
    with pytest.raises(es.UsageError, match="no impedance"):
        es.plots.impedance(found)
    with pytest.raises(es.UsageError, match="without phase"):
        es.plots.smith(found)


def test_our_own_tables_are_read_back(tmp_path, dipole):
    given = es.solve(dipole, ["148 MHz", "150 MHz"]).network
    back = es.read_network(es.write(given, tmp_path / "x.csv"))
    np.testing.assert_allclose(back.s(), given.s(), atol=1e-12)
    with pytest.raises(es.UsageError, match="holds 2 ports"):
        es.read_network(es.write(network(2), tmp_path / "two.csv"))


def test_words_for_what_cannot_be_written(tmp_path, dipole):
    answer = es.solve(dipole, "150 MHz")
    for thing, name in ((answer, "x.csv"), (answer.network, "x.nc"), (dipole, "x.toml"), (answer.network, "x.s2p")):
        with pytest.raises(es.UsageError, match=re.escape(name)):
            es.write(thing, tmp_path / name)
    for wrong in ({"parameters": "H"}, {"form": "XY"}):
        with pytest.raises(es.UsageError, match="is not one of"):
            es.write(answer.network, tmp_path / "x.s1p", **wrong)
