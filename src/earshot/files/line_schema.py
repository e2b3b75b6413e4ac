"""What a design file says of impedances and of lines."""

from __future__ import annotations

from .sheet_schema import Table, Text


class LumpedTable(Table):
    """Resistance, inductance and capacitance."""

    resistance: str | float | None = None
    """Such as "2 ohm"."""
    inductance: str | float | None = None
    """Such as "1.2 uH"."""
    capacitance: str | float | None = None
    """Such as "10 pF"."""


class ImpedanceTable(Table):
    """An impedance: exactly one of its keys."""

    impedance: str | float | list[str | float] | None = None
    """Ohms, or resistance and reactance, or "open" or "short"."""
    table: Text | None = None
    """A CSV file with columns frequency_Hz, R_ohm, X_ohm."""
    samples: list[tuple[str | float, str | float, str | float]] | None = None
    """Frequency, resistance and reactance, each with its unit."""
    series: LumpedTable | None = None
    """Elements in series."""
    parallel: LumpedTable | None = None
    """Elements in parallel."""
    trap: LumpedTable | None = None
    """A coil, with its resistance, across a capacitor."""


class PairTable(Table):
    """The two conductors of a line, by two lengths."""

    spacing: str | float | None = None
    """Of a two-wire line, middle to middle."""
    diameter: str | float | None = None
    """Of each wire of a two-wire line."""
    inner: str | float | None = None
    """Diameter of a coaxial line's inner conductor."""
    outer: str | float | None = None
    """Inside diameter of a coaxial line's outer conductor."""
    permittivity: float = 1.0
    """Relative, between the conductors."""


class LineKindTable(Table):
    """What a line is made of: exactly one of `impedance`, `two_wire` and `coaxial`."""

    impedance: str | float | None = None
    """Characteristic impedance."""
    two_wire: PairTable | None = None
    """Two round wires side by side."""
    coaxial: PairTable | None = None
    """A coaxial line."""
    velocity: float | None = None
    """As a share of light's."""
    attenuation: float = 0.0
    """In dB/m."""
    attenuation_at: str | float | None = None
    """Frequency of that attenuation, which goes with its square root; at every frequency when left out."""
    length: str | float
    """Of the line."""
