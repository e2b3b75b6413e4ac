"""Make every picture of docs/screenshots/ afresh from the demonstration: python docs/screenshots.py."""

import contextlib
import io
import shutil
import tempfile
from pathlib import Path

from matplotlib.figure import Figure

from earshot.views.commands.app import main

HERE = Path(__file__).parent / "screenshots"


def terminal(words: list[str], picture: str) -> None:
    """Run a command and draw what it prints as a terminal would show it."""
    screen = io.StringIO()
    with contextlib.redirect_stdout(screen), contextlib.redirect_stderr(io.StringIO()):
        main(words)
    shown = " ".join(Path(w).name if w.endswith(".toml") else w for w in words)
    lines = [f"$ earshot {shown}", "", *screen.getvalue().splitlines()]
    size = min(10.0, 10 * 72 / (0.61 * max(map(len, lines)) + 2))
    figure = Figure(figsize=(10, max(6.25, 1.45 * size * len(lines) / 72 + 0.3)), dpi=128, facecolor="#1d2630")
    text = "\n".join(line.rstrip() for line in lines)
    figure.text(0.015, 0.985, text, va="top", family="monospace", fontsize=size, color="#e8e4d8", linespacing=1.25)
    figure.savefig(HERE / picture)


def pictures() -> None:
    """Everything the README links."""
    shutil.rmtree(HERE, ignore_errors=True)
    HERE.mkdir()
    with tempfile.TemporaryDirectory() as folder:
        demo = Path(folder)
        terminal(["demo", "--out", folder], "demo.png")
        for name in ("vswr", "impedance", "return-loss", "polar", "cartesian", "pattern", "currents", "figures"):
            shutil.copy(demo / f"{name}.png", HERE)
        crossed = demo / "crossed.toml"
        boom = '[wire.boom]\nradius = "1 cm"\npoints = ["-behind, 0, 0", "ahead, 0, 0"]\n'
        crossed.write_text((demo / "tag_receiver.toml").read_text() + boom)
        terminal(["check", str(crossed)], "check.png")
        terminal(["solve", str(demo / "uplink_turnstile.toml"), "--evidence"], "solve.png")
        buoy = demo / "buoy"
        with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
            main(["plot", str(demo / "buoy_monopole.toml"), "pattern", "polar", "near", "--out", str(buoy)])
        for name in ("pattern", "polar", "near"):
            shutil.copy(buoy / f"{name}.png", HERE / f"buoy-{name}.png")


if __name__ == "__main__":
    pictures()
