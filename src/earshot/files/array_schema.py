"""What may stand under `array` in a design file."""

from __future__ import annotations

from .sheet_schema import Table, Text


class LineTable(Table):
    """Elements along an axis, about the origin."""

    count: int
    """How many."""
    spacing: str | float
    """From one to the next."""
    axis: Text = "x"
    """Along x, y or z."""


class GridTable(Table):
    """Elements in columns along x and rows along y, about the origin; the first in the corner of least x and y."""

    columns: int
    """How many along x."""
    rows: int
    """How many along y."""
    spacing: str | float
    """From one column to the next."""
    between_rows: str | float | None = None
    """From one row to the next; the spacing unless given."""
    skew: str | float = 0.0
    """How far each row leans over the one below, from the y axis."""


class LatticeTable(Table):
    """The steps by which `earshot cell` repeats the antenna without end: rows along x, as of `array.grid`."""

    spacing: str | float
    """From one to the next in a row."""
    between_rows: str | float | None = None
    """From one row to the next; the spacing unless given."""
    skew: str | float = 0.0
    """How far each row leans over the one below, from the y axis."""


class RingTable(Table):
    """Elements round the z axis, or round a part of a circle about the x axis."""

    count: int
    """How many."""
    radius: str | float
    """Of the circle."""
    span: str | float = "360 deg"
    """Of the part."""
    outward: bool = False
    """Whether each is turned to face away from the middle; they face up otherwise."""


class HexagonTable(Table):
    """A triangular lattice within a hexagon."""

    rings: int
    """How many round the middle one."""
    spacing: str | float
    """From one to the next."""


class BeamTable(Table):
    """One way to feed the elements: a case of that name."""

    theta: str | float | None = None
    """Direction to steer to, from the zenith; with phi. In phase, all alike, unless a direction is given."""
    phi: str | float | None = None
    """With theta."""
    azimuth: str | float | None = None
    """Direction to steer to, instead of theta and phi."""
    elevation: str | float | None = None
    """With azimuth."""
    delays: bool = False
    """Whether it is steered by true delays, whose beam points the same way at every frequency, instead of phases."""
    taper: Text = "uniform"
    """Of the amplitudes: "uniform", "chebyshev", "taylor", "binomial", "cosine", "hamming", "hann", "gaussian"."""
    side_lobe: float | None = None
    """Of chebyshev and taylor: dB below the beam."""
    edge: float | None = None
    """Of cosine and gaussian: dB at the ends of the aperture."""
    orders: int | None = None
    """Of taylor: how many lobes are alike."""
    from_middle: bool = False
    """Whether the taper goes with the distance from the middle, not along both directions of a lattice."""
    bits: int | None = None
    """Of the phase shifters; exact unless given."""
    phase_offset: str | float = "0 deg"
    """Where the steps of phase begin."""
    amplitude_step: float | None = None
    """Of the attenuators, dB; exact unless given."""
    least_amplitude: float | None = None
    """Of the attenuators, dB below the greatest: what is lower is off."""
    failed: list[int] = []
    """Elements that are dead, counted from 1."""
    weights: Text | None = None
    """A table (CSV) of the weights instead: amplitude or amplitude_dB, phase_deg."""
    power: str | float = "1 W"
    """Available from all generators together."""
    frequency: str | float | None = None
    """Where; the file's frequency unless given."""
    cuts: list[Text] = []
    """Cuts to take: "E", "H", "elevation 10 deg", "azimuth 0 deg"."""


class ElementTable(Table):
    """What each element radiates by itself, for beams without coupling: instead of the file's antenna solved alone."""

    kind: Text
    """ "isotropic", "cosine", "half-wave dipole", "two slots", or the name of a table (CSV) of its pattern."""
    power: float = 1.0
    """Of cosine: of the cosine that the field follows."""
    along: Text = "x"
    """Of the half-wave dipole: x, y or z."""
    length: str | float | None = None
    """Of two slots: from one to the other, along x."""
    width: str | float | None = None
    """Of two slots: along y."""


class ErrorsTable(Table):
    """Errors of the elements, independent of one another, that beams without coupling are tried with."""

    amplitude: float = 0.0
    """Rms, dB."""
    phase: str | float = "0 deg"
    """Rms."""
    failed: float = 0.0
    """Share of elements that are dead, 0 to 1."""
    kind: Text = "normal"
    """How they are spread: "normal", or "uniform" between √3 of the rms either way."""
    trials: int = 500
    """How many arrays."""
    seed: int = 0
    """Where chance begins: the same seed gives the same trials."""


class ChainTable(Table):
    """The amplifiers behind every element, one to send and one to receive."""

    gain: float = 20.0
    """Of the one that sends, dB."""
    drive: str | float = "1 mW"
    """Into the amplifier of an element whose weight is greatest."""
    saturated: str | float | None = None
    """Power that it gives at most; linear unless given."""
    loss: float = 0.0
    """Between element and amplifiers, dB."""
    noise_figure: float = 0.0
    """Of the one that receives, dB."""
    temperature: float = 290.0
    """Of the antenna, K: of what it looks at."""


class ArrayTable(Table):
    """The antenna of the file, which has one port, repeated; ports are then e1_..., e2_....

    Exactly one of line, grid, ring, hexagon and places says where. `earshot beams` shows the beams without coupling.
    """

    line: LineTable | None = None
    """Along an axis."""
    grid: GridTable | None = None
    """In columns and rows."""
    ring: RingTable | None = None
    """Round a circle, or a part of one."""
    hexagon: HexagonTable | None = None
    """Within a hexagon."""
    places: Text | None = None
    """A table (CSV) of x_m, y_m and, if they matter, z_m, azimuth_deg, elevation_deg, roll_deg and group."""
    beam: dict[str, BeamTable] = {}
    """Beams, by name: each is run as a case."""
    element: ElementTable | None = None
    """Without it, beams without coupling are of the file's antenna; with it, the file needs none."""
    errors: ErrorsTable | None = None
    """Errors of the elements."""
    chain: ChainTable | None = None
    """Amplifiers behind every element."""
