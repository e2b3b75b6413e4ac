"""Networks joined by their waves, which every ideal part has: lines of no length, opens, shorts, transformers, tees.

Waves are √W at one real reference R: what goes into a port is a, what comes out b = S a + c, c its noise. Ports that
are joined hand theirs over. Of two networks A and B, with i the ports that are joined and e the others,

    b_iA = (1 - A_ii B_ii)⁻¹ (A_ie a_A + A_ii B_ie a_B),    b_iB = B_ii b_iA + B_ie a_B,
    b_A = A_ee a_A + A_ei b_iB,    b_B = B_ee a_B + B_ei b_iA

(Monaco and Tiberio 1974, IEEE Trans. MTT 22, sec. II, for two networks at a time). They are joined in the order that
keeps what is left small, all frequencies at once; the waves inside follow backwards from those outside.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..errors import RunError

_LOOP = 1e12
"""How much greater than those outside waves in a loop may be."""


def renormalised(matrices: Complexes, own: float | Floats, reference: float) -> Complexes:
    """Scattering matrices (n, ports, ports) at a real reference, from those at others, ohm (Kurokawa 1965, eq. 26).

    own: one for all, or (n, 1, 1).
    """
    if np.all(own == reference):
        return matrices
    r, one = (reference - own) / (reference + own), np.eye(matrices.shape[-1])
    # (S - r)(1 - r S)⁻¹: both factors are functions of S, so that their order does not matter.
    return np.asarray(np.linalg.solve(one - r * matrices, matrices - r * one))


def node(arms: int) -> Complexes:
    """A node of so many arms: one voltage for all, no current left over (arms, arms), at any reference."""
    return np.asarray(2.0 / arms - np.eye(arms), np.complex128)


@dataclass(frozen=True, slots=True, eq=False)
class Block:
    """A network whose ports have numbers: matrices (n, ports, ports), noise (n, ports, ports) over k·290 K, or None."""

    ports: tuple[int, ...]
    matrices: Complexes
    noise: Complexes | None = None


@dataclass(frozen=True, slots=True, eq=False)
class _Join:
    """How the waves out of joined ports follow from those into the others.

    outside: numbers of the latter. one, two: numbers of the joined ports, pair by pair. from_one, from_two (n, joined,
    outside): waves out of them.
    """

    outside: Ints
    one: Ints
    two: Ints
    from_one: Complexes
    from_two: Complexes


@dataclass(frozen=True, slots=True, eq=False)
class Joined:
    """What is left of blocks that were joined: the whole between ports outside, in the order of `outside`."""

    outside: tuple[int, ...]
    matrices: Complexes
    noise: Complexes | None
    joins: tuple[_Join, ...]
    ports: int

    def inside(self, sent: Complexes) -> tuple[Complexes, Complexes]:
        """Waves into and out of every port (n, ports, drives), by number, of waves sent in (n, outside, drives)."""
        count, _, drives = sent.shape
        into, out = (np.zeros((count, self.ports, drives), complex) for _ in range(2))
        outside = list(self.outside)
        into[:, outside] = sent
        out[:, outside] = self.matrices @ sent
        for join in reversed(self.joins):
            around = into[:, join.outside]
            out[:, join.one], out[:, join.two] = join.from_one @ around, join.from_two @ around
            into[:, join.one], into[:, join.two] = out[:, join.two], out[:, join.one]
        return into, out


def joined(blocks: Sequence[Block], pairs: Sequence[tuple[int, int]], frequencies: Floats) -> Joined:
    """Join ports pair by pair, each of another block; ports are numbered through from nought.

    Raises RunError for a loop without loss that resonates at one of the frequencies (n,), Hz.
    """
    mate = {one: two for pair in pairs for one, two in (pair, pair[::-1])}
    left = dict(enumerate(blocks))
    home = {port: n for n, block in left.items() for port in block.ports}
    joins: list[_Join] = []
    while True:
        best: tuple[int, int, int] | None = None
        for n, block in left.items():
            beside: dict[int, int] = {}
            for port in block.ports:
                if port in mate:
                    other = home[mate[port]]
                    beside[other] = beside.get(other, 0) + 1
            for other, shared in beside.items():
                size = len(block.ports) + len(left[other].ports) - 2 * shared
                if n < other and (best is None or (size, n, other) < best):
                    best = size, n, other
        if best is None:
            break
        _, n, other = best
        whole, join = _join(left[n], left.pop(other), mate, frequencies)
        joins.append(join)
        for port in [*join.one.tolist(), *join.two.tolist()]:
            del mate[port]
        left[n] = whole
        home |= dict.fromkeys(whole.ports, n)
    return _side_by_side(list(left.values()), tuple(joins), sum(len(b.ports) for b in blocks), len(frequencies))


def _join(a: Block, b: Block, mate: dict[int, int], frequencies: Floats) -> tuple[Block, _Join]:
    inner = [i for i, port in enumerate(a.ports) if mate.get(port) in b.ports]
    facing = [b.ports.index(mate[a.ports[i]]) for i in inner]
    rest, others = ([i for i in range(len(x.ports)) if i not in set(own)] for x, own in ((a, inner), (b, facing)))
    s, t = a.matrices, b.matrices

    def part(matrices: Complexes, rows: list[int], columns: list[int]) -> Complexes:
        return np.asarray(matrices[:, rows][:, :, columns])

    s_ii, t_ii = part(s, inner, inner), part(t, facing, facing)
    # Out of A's joined ports, of waves into the others of A and of B, and of noise out of joined ports of A and B.
    driven = np.concatenate([part(s, inner, rest), s_ii @ part(t, facing, others)], axis=2)
    one = np.eye(len(inner))
    noise = np.concatenate([np.broadcast_to(one, s_ii.shape), s_ii], axis=2)
    try:
        solved = np.asarray(np.linalg.solve(one - s_ii @ t_ii, np.concatenate([driven, noise], axis=2)), np.complex128)
    except np.linalg.LinAlgError:
        solved = np.full((len(s), len(inner), driven.shape[2] + noise.shape[2]), np.inf, complex)
    _refuse_loops(solved, frequencies)
    from_one, noise_one = solved[:, :, : driven.shape[2]], solved[:, :, driven.shape[2] :]
    from_two = t_ii @ from_one
    from_two[:, :, len(rest) :] += part(t, facing, others)
    s_ei, t_ei = part(s, rest, inner), part(t, others, facing)
    whole = np.concatenate([s_ei @ from_two, t_ei @ from_one], axis=1)
    whole[:, : len(rest), : len(rest)] += part(s, rest, rest)
    whole[:, len(rest) :, len(rest) :] += part(t, others, others)
    outside = tuple(a.ports[i] for i in rest) + tuple(b.ports[i] for i in others)
    own, mates = ([x.ports[i] for i in which] for x, which in ((a, inner), (b, facing)))
    numbers = [np.array(ports, np.int64) for ports in (outside, own, mates)]
    join = _Join(numbers[0], numbers[1], numbers[2], from_one, from_two)
    total = None
    if a.noise is not None and b.noise is not None:
        noise_two = t_ii @ noise_one
        noise_two[:, :, len(inner) :] += one
        through = np.concatenate([s_ei @ noise_two, t_ei @ noise_one], axis=1)
        total = _noise(through, a.noise, b.noise, (rest, inner), (others, facing))
    return Block(outside, whole, total), join


def _noise(
    through: Complexes, a: Complexes, b: Complexes, of_a: tuple[list[int], list[int]], of_b: tuple[list[int], list[int]]
) -> Complexes:
    """Noise out of the ports outside: their own and what joined ports' makes of it, through (n, outside, joined)."""
    (rest, inner), (others, facing) = of_a, of_b
    count, outside, both = len(through), len(rest) + len(others), 2 * len(inner)
    order = np.zeros((count, outside + both, outside + both), complex)
    at_a = np.array([*range(len(rest)), *range(outside, outside + len(inner))], np.int64)
    at_b = np.array([*range(len(rest), outside), *range(outside + len(inner), outside + both)], np.int64)
    for at, noise, ports in ((at_a, a, [*rest, *inner]), (at_b, b, [*others, *facing])):
        order[:, at[:, None], at] = noise[:, ports][:, :, ports]
    carried = np.concatenate([np.broadcast_to(np.eye(outside), (count, outside, outside)), through], axis=2)
    return np.asarray(carried @ order @ np.conj(np.swapaxes(carried, 1, 2)))


def _side_by_side(blocks: list[Block], joins: tuple[_Join, ...], ports: int, count: int) -> Joined:
    """Networks that nothing joins, as one."""
    outside = tuple(port for block in blocks for port in block.ports)
    matrices = np.zeros((count, len(outside), len(outside)), complex)
    noisy = all(block.noise is not None for block in blocks)
    noise = np.zeros_like(matrices)
    first = 0
    for block in blocks:
        own = slice(first, first + len(block.ports))
        matrices[:, own, own] = block.matrices
        if block.noise is not None:
            noise[:, own, own] = block.noise
        first += len(block.ports)
    return Joined(outside, matrices, noise if noisy else None, joins, ports)


def _refuse_loops(solved: Complexes, frequencies: Floats) -> None:
    size = np.abs(solved).max(axis=(1, 2), initial=0.0)
    wild = ~(size < _LOOP)
    if wild.any():
        hertz = frequencies[int(wild.argmax())]
        raise RunError(
            f"at {hertz / 1e6:g} MHz a loop of the circuit resonates without loss, so that its waves have no end: give "
            "a line or a part in it some loss, or change a length a little"
        )
