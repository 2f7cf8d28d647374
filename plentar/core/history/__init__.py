"""A unit over the years: what was repaired, how its figures drift, how its parts last, how it stands among its like."""
