"""From a loss to what is received: the power budget of two stations."""

from __future__ import annotations

import math

from .stations import Station


class Budget:
    """What follows from `stations`, who sends and who receives, and the `loss` between their ports, dB."""

    __slots__ = ()
    stations: tuple[Station, Station]

    @property
    def loss(self) -> float:
        """Between the antennas' ports, without feeders, dB."""
        raise NotImplementedError

    @property
    def received(self) -> float:
        """Power at the second station's receiver, W."""
        one, two = self.stations
        return float(one.power * 10.0 ** (-(self.loss + one.feeder_loss + two.feeder_loss) / 10.0))

    @property
    def level(self) -> float:
        """That power, dBm."""
        return 10.0 * math.log10(max(self.received, 1e-300)) + 30.0

    @property
    def signal_to_noise(self) -> float:
        """At the second station's receiver, dB."""
        return 10.0 * math.log10(max(self.received, 1e-300) / self.stations[1].noise)

    @property
    def margin(self) -> float:
        """Beyond what the second station requires, dB."""
        return self.signal_to_noise - self.stations[1].required
