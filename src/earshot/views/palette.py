"""Colours that figures and pages share."""

# From night to sand in even steps of lightness and colour; told apart by every kind of colour vision, and in grey.
_STEPS = """
#1d1b38 #1c2954 #033d6e #005380 #006689 #00768b #00848a #009187 #009d81 #00a87a #45b273 #6fbb6d #93c36b #b5ca6f #d6d37d
#f3dc95 #ffe6b2
"""
SHORE_STEPS = tuple(_STEPS.split())
