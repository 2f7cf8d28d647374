"""A shop's export file, out and in."""
