"""Wires, ports, antennas and designs; meshing and the check before a run."""
