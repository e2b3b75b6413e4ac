"""What may stand under `circuit` in a design file: parts that are joined at nodes."""

from __future__ import annotations

from .line_schema import ImpedanceTable, LineKindTable
from .sheet_schema import Table, Text

Amount = str | float | list[str | float]
"""One, or a list with one for each of several parts that are alike."""


class ElementTable(ImpedanceTable):
    """An impedance, perhaps with the losses of its coils and capacitors."""

    q: Amount | None = None
    """Q of coils and capacitors at the file's frequency."""


class RunTable(LineKindTable):
    """A length of line: by impedance, two wires, coaxial, or as a strip on this file's board."""

    strip: Amount | None = None
    """Width of a strip on the topmost printed level of this file's board, as it is at the file's frequency."""
    length: Amount | None = None  # type: ignore[assignment]
    """Of the line."""
    turn: Amount | None = None
    """Instead of the length: how far it turns the phase at the file's frequency, such as "90 deg"."""


class RunToEndTable(RunTable):
    """A length of line off a node, with an end of its own."""

    end: Text | ImpedanceTable = "short"
    """The words "open" or "short", ohms, parts such as "68 ohm + 22 nH", or an impedance."""


class TransformerTable(Table):
    """An ideal transformer; ports one, two."""

    turns: Amount
    """On its first side for one on its second; below zero turns it over."""


class MatchedTable(Table):
    """A part that is matched to an impedance."""

    impedance: Amount = "50 ohm"
    """It is matched to."""


class AttenuatorTable(MatchedTable):
    """A matched loss; ports one, two."""

    loss: Amount
    """In dB."""


class OneWayTable(MatchedTable):
    """Passes from each port to the next."""

    loss: Amount = 0.0
    """On the way, in dB."""
    isolation: Amount | None = None
    """The other way, in dB; nothing passes unless given."""


class PhaseShifterTable(MatchedTable):
    """Delays by an angle either way; ports one, two."""

    angle: Amount
    """By which it delays."""
    loss: Amount = 0.0
    """In dB."""
    bits: Amount | None = None
    """How many it is set by, to the nearest of its states."""
    error: Amount = 0.0
    """By how much the state that is set delays more than it should."""


class SwitchTable(OneWayTable):
    """Joins port in to one of out 1, out 2, ...."""

    ways: Amount
    """How many."""
    state: Amount
    """Which, from 1."""


class CouplerTable(MatchedTable):
    """Ideal; ports in, through, coupled, isolated."""

    coupling: Amount = 3.010299956639812
    """In dB, of the power that goes to the coupled port."""
    phase: Amount = -90.0
    """Of that against the through port: a number of degrees, -90, 90, 0 or 180."""


class MadeOfLinesTable(MatchedTable):
    """Made of quarter waves."""

    frequency: str | float | None = None
    """Where they are; the file's unless given."""


class BranchLineTable(MadeOfLinesTable):
    """Four quarter waves in a square; ports in, through, coupled, isolated."""

    coupling: Amount = 3.010299956639812
    """In dB."""


class CoupledLinesTable(MadeOfLinesTable):
    """A quarter wave of coupled lines in air; ports in, coupled, through, isolated."""

    coupling: Amount
    """In dB."""


class StripPairTable(Table):
    """Two like strips side by side on this file's board; ports in, coupled, through, isolated."""

    width: Amount
    """Of each."""
    gap: Amount
    """Between them."""
    length: Amount
    """Of both."""


class OpenEndTable(Table):
    """Where a strip on this file's board ends: what its field adds, as a part; port one."""

    strip: Amount
    """How wide it is."""


class CornerTable(OpenEndTable):
    """A right-angled corner of a strip on this file's board, between planes at its inner corner; ports one, two."""

    mitred: bool = True
    """With its tip cut off as the board wants it."""


class DividerTable(MatchedTable):
    """Ideal; ports in, out 1, out 2, ..., all in phase."""

    shares: int | list[float] = 2
    """How many outputs alike, or their powers in any unit."""
    isolated: bool = True
    """Whether resistors take what comes back unlike into the outputs."""


class QuarterWaveDividerTable(MadeOfLinesTable):
    """Quarter waves with resistors between their ends; ports in, out 1, out 2, ...."""

    ways: Amount = 2
    """How many."""


class UnequalDividerTable(MadeOfLinesTable):
    """Two ways of unlike power, of quarter waves; ports in, out 1, out 2."""

    ratio: Amount
    """Power of the second over that of the first."""


class TeeTable(Table):
    """A plain node as a part."""

    arms: Amount = 3
    """How many."""


class BalunTable(MatchedTable):
    """Ideal; ports in, plus, minus."""

    balanced_impedance: Amount = "50 ohm"
    """Between plus and minus."""


class BeamMatrixTable(MatchedTable):
    """Ideal; ports beam 1, beam 2, ..., element 1, element 2, ...."""

    elements: Amount
    """How many: 2, 4, 8, ...."""


class DividerTreeTable(MatchedTable):
    """Two-way dividers in a tree; ports in, out 1, out 2, ..., all in phase."""

    shares: list[float]
    """Powers of the outputs, in any unit."""
    frequency: str | float | None = None
    """Made of quarter waves there; ideal unless given."""


class HybridMatrixTable(BeamMatrixTable):
    """The same of quadrature hybrids and delays."""

    frequency: str | float | None = None
    """Made of branch lines and lengths of line there; ideal unless given."""


class AmplifierTable(MatchedTable):
    """From port in to port out."""

    gain: Amount
    """In dB."""
    noise_figure: Amount = 0.0
    """In dB."""
    saturated: Amount | None = None
    """Power that it gives at most, which it nears softly; without end unless given."""
    phase: Amount = 0.0
    """Of the gain, a number of degrees."""
    input_match: Amount | None = None
    """Return loss of its input, in dB; perfect unless given."""
    output_match: Amount | None = None
    """Return loss of its output, in dB."""
    isolation: Amount | None = None
    """Backwards, in dB."""


class PartTable(Table):
    """A part: exactly one of the keys that say what it is, and the nodes its ports are joined to.

    Several alike: `count`, with "#" in nodes for the number of each. Texts of such parts may use `n`, the number, and
    of an array's elements `x`, `y` and `z`, where the element of that number is.
    """

    nodes: list[Text]
    """One for each port, in the order of the ports. Ports of the antenna are nodes by their names."""
    count: int | Text | None = None
    """How many parts alike, numbered from 1: a number, or "elements", as many as the array has."""
    line: RunTable | None = None
    """A length of line; ports one, two."""
    stub: RunToEndTable | None = None
    """A length of line off a node; one port."""
    in_series: Text | ElementTable | None = None
    """An impedance between two nodes; ports one, two."""
    to_ground: Text | ElementTable | None = None
    """An impedance from a node to ground; one port."""
    transformer: TransformerTable | None = None
    """An ideal transformer."""
    balun: BalunTable | None = None
    """An ideal balun."""
    attenuator: AttenuatorTable | None = None
    """An attenuator."""
    isolator: OneWayTable | None = None
    """An isolator; ports one, two."""
    circulator: OneWayTable | None = None
    """A circulator; ports one, two, three."""
    phase_shifter: PhaseShifterTable | None = None
    """A phase shifter."""
    switch: SwitchTable | None = None
    """A switch."""
    coupler: CouplerTable | None = None
    """An ideal coupler."""
    branch_line: BranchLineTable | None = None
    """A branch-line coupler."""
    ring: MadeOfLinesTable | None = None
    """A ring of one and a half waves; ports sum, one, two, difference."""
    coupled_lines: CoupledLinesTable | None = None
    """Coupled lines."""
    strip_pair: StripPairTable | None = None
    """Coupled lines that are strips."""
    corner: CornerTable | None = None
    """A corner of a strip, by its closed form."""
    open_end: OpenEndTable | None = None
    """The open end of a strip, by its closed form."""
    divider: DividerTable | None = None
    """An ideal divider."""
    quarter_wave_divider: QuarterWaveDividerTable | None = None
    """A divider of quarter waves."""
    unequal_divider: UnequalDividerTable | None = None
    """An unequal divider of quarter waves."""
    tee: TeeTable | None = None
    """A node."""
    beam_matrix: BeamMatrixTable | None = None
    """A multi-beam matrix."""
    divider_tree: DividerTreeTable | None = None
    """A divider for given weights."""
    hybrid_matrix: HybridMatrixTable | None = None
    """A multi-beam matrix of hybrids."""
    amplifier: AmplifierTable | None = None
    """An amplifier."""
    file: Text | None = None
    """A network from a Touchstone file; its ports in their order there."""
    use: Text | None = None
    """A circuit of one's own, of `circuit.own`."""


class OwnTable(Table):
    """A circuit of one's own, used as a part as often as one likes."""

    ports: list[Text]
    """Nodes of it that are its ports, in order."""
    part: dict[str, PartTable]
    """Its parts, by name."""


class CircuitTable(Table):
    """A circuit in front of the antenna."""

    inputs: list[Text]
    """Nodes that power is sent into."""
    reference: str | float = "50 ohm"
    """Of the inputs."""
    part: dict[str, PartTable]
    """Parts, by name."""
    own: dict[str, OwnTable] = {}
    """Circuits of one's own, by name."""
