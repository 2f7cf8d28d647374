"""A made-up shop with its places, units, people and three years of calls; the same every time it is loaded."""

from plentar.demo.load import DEMO_EMAIL, DEMO_PASSWORD, load_demo, move_to_today

__all__ = ["DEMO_EMAIL", "DEMO_PASSWORD", "load_demo", "move_to_today"]
