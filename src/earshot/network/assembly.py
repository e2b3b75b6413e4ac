"""Circuits: parts joined at named nodes, some of which are its ports; a circuit is a part of others.

Two ports at a node hand their waves over; more meet in one voltage; one alone is a port of the circuit.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats
from ..errors import UsageError, needs, unknown
from .components import Part
from .waves import Block, Joined, joined, node

End = tuple[str, str]
"""A port of a part: both names."""


@dataclass(frozen=True, slots=True)
class Placed:
    """A part in a circuit: its ports, in order, and the nodes they are joined to."""

    part: Part
    nodes: tuple[str, ...]

    def __init__(self, part: Part, nodes: Sequence[str]) -> None:
        if not hasattr(part, "scattering"):
            raise UsageError(f"placed: {part!r} is no part: use line(...), divider(...), block(...), a Circuit")
        needs(nodes, Sequence, "placed, nodes", "names of nodes, one for each port")
        for name in nodes:
            needs(name, str, "placed, nodes", "names of nodes, one for each port")
        object.__setattr__(self, "part", part)
        object.__setattr__(self, "nodes", tuple(nodes))


@dataclass(frozen=True, slots=True)
class _Wiring:
    """ends: every port of every part, by number. pairs: numbers that are joined; those past the ends are arms of nodes.

    meetings: how many arms each node with more than two has, and the first number of them. outside: numbers of ports.
    """

    ends: tuple[End, ...]
    pairs: tuple[tuple[int, int], ...]
    meetings: tuple[tuple[int, int], ...]
    outside: tuple[int, ...]


@dataclass(frozen=True, slots=True, init=False)
class Circuit:
    """Parts by name, and the nodes that are its ports, in order.

    Raises UsageError for a part with as many nodes as it has not ports, for nodes with one end that are no port, and
    ports that are no node.
    """

    parts: Mapping[str, Placed]
    ports: tuple[str, ...]

    def __init__(self, parts: Mapping[str, Placed], ports: Sequence[str]) -> None:
        object.__setattr__(self, "parts", dict(parts))
        object.__setattr__(self, "ports", tuple(ports))
        if not self.parts:
            raise UsageError("circuit: it has no parts: give at least one, by name")
        at: dict[str, list[End]] = {}
        for name, placed in self.parts.items():
            needs(placed, Placed, f"part '{name}'", "a Placed part with its nodes")
            if len(placed.nodes) != len(placed.part.ports):
                raise UsageError(
                    f"part '{name}' has {len(placed.part.ports)} ports ({', '.join(placed.part.ports)}), but "
                    f"{len(placed.nodes)} nodes ({', '.join(placed.nodes)}): give one each"
                )
            for port, place in zip(placed.part.ports, placed.nodes, strict=True):
                at.setdefault(place, []).append((name, port))
        for port in self.ports:
            if port not in at:
                raise UsageError(f"circuit: {unknown('node', port, at)}: a port is a node of its parts")
        twice = sorted({port for port in self.ports if self.ports.count(port) > 1})
        if twice:
            raise UsageError(f"circuit: '{twice[0]}' is a port twice: name it once")
        for place, ends in at.items():
            if len(ends) == 1 and place not in self.ports:
                part, port = ends[0]
                raise UsageError(
                    f"node '{place}' has one end, {port} of part '{part}': join something to it, close it with "
                    "to_ground(...), or make it a port"
                )

    def flat(self) -> Circuit:
        """The same with circuits among its parts taken apart: theirs are called "circuit/part", as are their nodes."""
        parts: dict[str, Placed] = {}
        for name, placed in self.parts.items():
            if not isinstance(placed.part, Circuit):
                parts[name] = placed
                continue
            outer = dict(zip(placed.part.ports, placed.nodes, strict=True))
            for inner, own in placed.part.flat().parts.items():
                parts[f"{name}/{inner}"] = Placed(own.part, [outer.get(x, f"{name}/{x}") for x in own.nodes])
        return Circuit(parts, self.ports)

    def wiring(self) -> _Wiring:
        """Which ports are joined, by number."""
        ends = [(name, port) for name, placed in self.parts.items() for port in placed.part.ports]
        places = [place for placed in self.parts.values() for place in placed.nodes]
        at: dict[str, list[int]] = {}
        for number, place in enumerate(places):
            at.setdefault(place, []).append(number)
        pairs: list[tuple[int, int]] = []
        meetings: list[tuple[int, int]] = []
        outside: dict[str, int] = {}
        owner = [name for name, _ in ends]
        count = len(ends)
        for place, numbers in at.items():
            arms = len(numbers) + (place in self.ports)
            if arms == 1:
                outside[place] = numbers[0]
            elif len(numbers) == arms == 2 and owner[numbers[0]] != owner[numbers[1]]:
                pairs.append((numbers[0], numbers[1]))
            else:
                meetings.append((arms, count))
                pairs += [(number, count + n) for n, number in enumerate(numbers)]
                if place in self.ports:
                    outside[place] = count + arms - 1
                count += arms
        return _Wiring(tuple(ends), tuple(pairs), tuple(meetings), tuple(outside[port] for port in self.ports))

    def joined(
        self, frequencies: Floats, reference: float, scaled: Mapping[str, Complexes] | None = None, *,
        noisy: bool = False,
    ) -> Joined:  # fmt: skip
        """Its parts joined at frequencies (n,), Hz, and a real reference, ohm; ports come out as `wiring` numbers them.

        scaled: by part, what its matrices are multiplied by, entry for entry. noisy: with the noise of all.
        """
        wiring, blocks, first = self.wiring(), [], 0
        for name, placed in self.parts.items():
            matrices = placed.part.scattering(frequencies, reference)
            noise = placed.part.noise(frequencies, reference) if noisy else None
            if scaled and name in scaled:
                matrices = matrices * scaled[name]
            numbers = tuple(range(first, first + len(placed.nodes)))
            blocks.append(Block(numbers, matrices, noise))
            first += len(placed.nodes)
        for arms, number in wiring.meetings:
            matrices = np.repeat(node(arms)[None], len(frequencies), axis=0)
            blocks.append(
                Block(tuple(range(number, number + arms)), matrices, np.zeros_like(matrices) if noisy else None)
            )
        return joined(blocks, wiring.pairs, frequencies)

    def scattering(self, frequencies: Floats, reference: float) -> Complexes:
        """As a part: between its ports."""
        whole = self.joined(frequencies, reference)
        return self.between_ports(whole, whole.matrices)

    def noise(self, frequencies: Floats, reference: float) -> Complexes:
        """As a part: out of its ports."""
        whole = self.joined(frequencies, reference, noisy=True)
        assert whole.noise is not None
        return self.between_ports(whole, whole.noise)

    def between_ports(self, whole: Joined, matrices: Complexes) -> Complexes:
        """Matrices (n, ports, ports) in the order of its ports."""
        order = [whole.outside.index(number) for number in self.wiring().outside]
        return np.asarray(matrices[:, order][:, :, order])
