"""Wires, sheets, gaps, loads and lines; antennas and designs made of them."""
