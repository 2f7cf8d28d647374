"""A season's check over many units: in which order, and how each unit stands among its like."""
