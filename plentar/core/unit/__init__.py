"""What a unit is: its nameplate, the usual patterns, the points a run sheet asks for."""
