"""Plentar: checks an air handler's electric heat."""
