"""Geometry of the drawings: worked out and tested here, written down by the templates."""
