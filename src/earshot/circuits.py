"""Impedances, lines and fixtures; networks of ports; circuits of parts."""

from .answers.strip_joints import solved_corner, solved_end, solved_step, solved_tee, solved_trace
from .description.strip_parts import corner, laid_out, open_end, open_extension, trace_circuit
from .description.strips import strip, strip_pair, strip_pair_sizes
from .network.amplifier import Amplifier, amplifier
from .network.assembly import Circuit, Placed
from .network.components import (
    attenuator,
    block,
    circulator,
    in_series,
    isolator,
    line,
    phase_shifter,
    stub,
    switch,
    to_ground,
    transformer,
)
from .network.couplers import (
    balun,
    beam_matrix,
    branch_line,
    coupled_lines,
    coupler,
    divider,
    quarter_wave_divider,
    ring,
    tee,
    unequal_divider,
)
from .network.differences import differences
from .network.elements import (
    Impedance,
    LineType,
    coaxial,
    impedance,
    open_circuit,
    parallel,
    series,
    short_circuit,
    trap,
    two_wire,
    with_q,
)
from .network.feed import Feed
from .network.fixtures import Fixture, line_fixture
from .network.flow import Flow, SolvedCircuit, solve_circuit
from .network.matching import Match, Stock, matches
from .network.network import Network
from .network.receiver import Heard, Receiver
from .network.trace import Trace
from .network.trees import divider_tree, hybrid_matrix

__all__ = [
    "Amplifier",
    "Circuit",
    "Feed",
    "Fixture",
    "Flow",
    "Heard",
    "Impedance",
    "LineType",
    "Match",
    "Network",
    "Placed",
    "Receiver",
    "SolvedCircuit",
    "Stock",
    "Trace",
    "amplifier",
    "attenuator",
    "balun",
    "beam_matrix",
    "block",
    "branch_line",
    "circulator",
    "coaxial",
    "corner",
    "coupled_lines",
    "coupler",
    "differences",
    "divider",
    "divider_tree",
    "hybrid_matrix",
    "impedance",
    "in_series",
    "isolator",
    "laid_out",
    "line",
    "line_fixture",
    "matches",
    "open_circuit",
    "open_end",
    "open_extension",
    "parallel",
    "phase_shifter",
    "quarter_wave_divider",
    "ring",
    "series",
    "short_circuit",
    "solve_circuit",
    "solved_corner",
    "solved_end",
    "solved_step",
    "solved_tee",
    "solved_trace",
    "strip",
    "strip_pair",
    "strip_pair_sizes",
    "stub",
    "switch",
    "tee",
    "to_ground",
    "trace_circuit",
    "transformer",
    "trap",
    "two_wire",
    "unequal_divider",
    "with_q",
]
