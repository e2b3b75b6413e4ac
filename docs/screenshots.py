"""Make every picture of docs/screenshots/ afresh from the demonstration: python docs/screenshots.py."""

import contextlib
import io
import os
import shlex
import shutil
import sys
import tempfile
from pathlib import Path

from matplotlib.figure import Figure

from earshot.views.commands.app import main

HERE = Path(__file__).parent / "screenshots"
sys.path.insert(0, str(HERE.parent.parent / "tests"))
BOOM = '[wire.boom]\nradius = "1 cm"\npoints = ["-behind, 0, 0", "ahead, 0, 0"]\n'


def quiet(line: str) -> str:
    """Run a command as it is typed; returns what it prints."""
    screen = io.StringIO()
    with contextlib.redirect_stdout(screen), contextlib.redirect_stderr(io.StringIO()):
        main(shlex.split(line)[1:])
    return screen.getvalue()


def terminal(picture: str, *typed: str) -> None:
    """Run commands and draw what they print as a terminal would show it."""
    rows = []
    for line in typed:
        rows += [f"$ {line}", "", *quiet(line).splitlines(), ""]
    size = min(10.0, 10 * 72 / (0.61 * max(map(len, rows)) + 2))
    figure = Figure(figsize=(10, max(6.25, 1.45 * size * len(rows) / 72 + 0.3)), dpi=128, facecolor="#1d2630")
    text = "\n".join(line.rstrip() for line in rows)
    figure.text(0.015, 0.985, text, va="top", family="monospace", fontsize=size, color="#e8e4d8", linespacing=1.25)
    figure.savefig(HERE / picture)


def pages() -> None:
    """Reports as a browser shows them: a panel that is steered, and a receiver on a phone."""
    from browser import browser

    quiet("earshot report mainland_panel.toml --out panel.html")
    with browser() as open_page:
        page = open_page(Path("panel.html").absolute()).page
        page.evaluate("earshot.steer(25 * Math.PI / 180, Math.PI / 2)")
        page.wait_for_timeout(1000)
        page.screenshot(path=HERE / "report.png")
        phone = {"color_scheme": "dark", "device_scale_factor": 2}
        page = open_page(Path("tag_receiver.html").absolute(), (390, 844), **phone).page
        page.wait_for_timeout(1000)
        page.screenshot(path=HERE / "report-phone.png")


def pictures() -> None:
    """Everything the README links."""
    shutil.rmtree(HERE, ignore_errors=True)
    HERE.mkdir()
    with tempfile.TemporaryDirectory() as folder, contextlib.chdir(folder):
        terminal("demo.png", "earshot demo --out .")
        Path("crossed.toml").write_text(Path("tag_receiver.toml").read_text() + BOOM)
        terminal("check.png", "earshot check crossed.toml --draw findings.png", "earshot check hut_roof.toml")
        answers = "directions --elevation 5 --elevation 20 --variant height='3 m' --variant height='12 m'"
        terminal("solve.png", "earshot solve shore_receiver.toml", f"earshot ask shore_receiver.toml {answers}")
        laid_over = "tag_receiver.toml roof_meter.csv --set driven='0.93 m' --at '150.1 MHz'"
        terminal("compare.png", f"earshot compare {laid_over}", "earshot cut-list tag_receiver.toml",
                 "earshot match tag_receiver.toml --to 75 --values E12 --coil-q 80 --capacitor-q 400")  # fmt: skip
        terminal("beams.png", "earshot beams mainland_panel.toml")
        strays = "driven='±0.5 mm' rod='1 % rms' director='±2 mm' --limit 'VSWR <= 1.1'"
        terminal("studies.png", "earshot effects tag_receiver.toml",
                 "earshot tune tag_receiver.toml driven --goal 'X = 0 at 150.1 MHz'",
                 "earshot study tag_receiver.toml beam", f"earshot tolerate tag_receiver.toml {strays}")  # fmt: skip
        quiet("earshot fit tag_receiver.toml driven rod --to roof_meter.csv --out fitted")
        heights = "'height=3 m to 12 m in 10' 'medium=meadow; sea; dry sand; city'"
        quiet(f"earshot vary shore_receiver.toml {heights} --out heights")
        quiet("earshot plot results.nc polar --out figures --at '150.1 MHz' --scale compressed")
        quiet("earshot plot mainland_stack.toml near --out through")
        quiet("earshot plot mainland_stack.toml section surface --out stack")
        quiet("earshot path ternholm_place.toml cairn hide --out reach")
        quiet("earshot coverage ternholm_place.toml hide summit --back --out reach")
        quiet("earshot scene hamlet_place.toml pole yard --out reach")
        quiet("earshot cell mainland_panel.toml --plane E --beside --out cell")
        quiet("earshot circuit tag_line_matrix.toml --out matrix")
        shutil.copy("figures/polar.png", HERE)
        pages()
        for source, name in (
            ("reach/cairn-to-hide.png", "path.png"),
            ("reach/coverage.png", "coverage.png"),
            ("reach/pole-to-yard-rays.png", "rays.png"),
            ("cell/Ternholm-mainland-panel-cell-beside.png", "cell.png"),
            ("fitted/fit.png", "fit.png"),
            ("matrix/circuit.png", "circuit.png"),
            ("through/near.png", "near.png"),
            ("stack/section.png", "section.png"),
            ("stack/surface.png", "surface.png"),
            ("heights/against.png", "against.png"),
        ):
            shutil.copy(source, HERE / name)


if __name__ == "__main__":
    os.environ.setdefault("COLUMNS", "140")
    pictures()
