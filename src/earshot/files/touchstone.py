"""Touchstone 1.x: scattering parameters as text."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ..errors import UsageError
from ..network.network import Network
from .atomic import write_atomically


def touchstone(network: Network) -> str:
    """The network as Touchstone 1.x text: S, real and imaginary, in Hz, at the ports' common reference.

    Raises UsageError when the ports have different or complex references: this format holds one real one.
    """
    references = np.unique(network.references)
    if len(references) > 1 or references[0].imag:
        listed = ", ".join(f"{p} {r:g} ohm" for p, r in zip(network.ports, network.references, strict=True))
        raise UsageError(
            f"Touchstone 1.x holds one real reference impedance, and the ports have other ones ({listed}): "
            "use network.referred_to(50), or write CSV or JSON"
        )
    count = len(network.ports)
    lines = [f"! port {i + 1}: {name}" for i, name in enumerate(network.ports)]
    lines.append(f"# Hz S RI R {references[0].real:.12g}")
    for hertz, matrix in zip(network.frequencies, network.s().values, strict=True):
        # Two ports go column by column (S11 S21 S12 S22), others row by row, at most four values a line.
        rows = [matrix.T.ravel()] if count <= 2 else [row[i : i + 4] for row in matrix for i in range(0, count, 4)]
        texts = [" ".join(f"{v.real:.12e} {v.imag:.12e}" for v in row) for row in rows]
        lines.append(f"{hertz:.12g} {texts[0]}")
        lines += [f"  {text}" for text in texts[1:]]
    return "\n".join(lines) + "\n"


def write_touchstone(network: Network, path: str | Path) -> Path:
    """Write a network as .s1p, .s2p, ...; raises UsageError for a suffix that does not fit the number of ports."""
    target, count = Path(path), len(network.ports)
    if target.suffix.lower() != f".s{count}p":
        raise UsageError(f"'{target.name}': a network of {count} ports is written to a file ending in .s{count}p")
    text = touchstone(network)
    return write_atomically(target, lambda temporary: temporary.write_text(text))
